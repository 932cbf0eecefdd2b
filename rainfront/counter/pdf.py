"""Papers as PDF: A4 and a narrow slip, and the label for the bag. Shapes and dashes carry the meaning, not colours."""

from __future__ import annotations

import io
from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

import segno
from django.utils.formats import date_format
from django.utils.timezone import localtime
from reportlab.graphics import renderPDF
from reportlab.graphics.shapes import Circle, Drawing, Group, Line, Polygon, PolyLine, Rect, String
from reportlab.lib.colors import black, white
from reportlab.lib.enums import TA_LEFT
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Image, Paragraph, SimpleDocTemplate, Spacer, Table

from rainfront.counter.dropoff import Signature
from rainfront.counter.papers import BagLabel, Block, Paper
from rainfront.inside.models import Photo
from rainfront.web.scenes.charge_line import MARK_WORDS
from rainfront.web.scenes.outline import HEIGHT as OUTLINE_HEIGHT
from rainfront.web.scenes.outline import WIDTH as OUTLINE_WIDTH
from rainfront.web.scenes.outline import Outline
from rainfront.web.scenes.overlay import Overlay
from rainfront.web.scenes.path_marks import PathMarks, Spot

FONTS = Path(__file__).parent / "fonts"
PLAIN, BOLD = "Paper", "Paper-Bold"
SLIP_WIDTH, LABEL = 80 * mm, (62 * mm, 40 * mm)
PHOTO_HEIGHT, CODE = 62 * mm, 24 * mm
MARGIN, SLIP_MARGIN, FRAME = 16 * mm, 3 * mm, 6.0


@cache
def _fonts() -> None:
    """Register the faces, once a process."""
    pdfmetrics.registerFont(TTFont(PLAIN, str(FONTS / "DejaVuSans.ttf")))
    pdfmetrics.registerFont(TTFont(BOLD, str(FONTS / "DejaVuSans-Bold.ttf")))
    pdfmetrics.registerFontFamily(PLAIN, normal=PLAIN, bold=BOLD, italic=PLAIN, boldItalic=BOLD)


def _style(size: float, *, bold: bool = False, before: float = 0.0) -> ParagraphStyle:
    return ParagraphStyle(
        f"{size}{bold}",
        fontName=BOLD if bold else PLAIN,
        fontSize=size,
        leading=size * 1.35,
        spaceBefore=before,
        spaceAfter=size * 0.25,
        alignment=TA_LEFT,
        keepWithNext=int(bold),
        splitLongWords=True,
    )


class _Sheet:
    """One format: its width and the sizes of its letters."""

    def __init__(self, form: str) -> None:
        _fonts()
        small = form == "slip"
        self.margin = SLIP_MARGIN if small else MARGIN
        self.small_sheet = small
        self.width = (SLIP_WIDTH if small else A4[0]) - 2 * self.margin - 2 * FRAME
        self.text = _style(8.5 if small else 10)
        self.title = _style(13 if small else 20, bold=True)
        self.heading = _style(9.5 if small else 11.5, bold=True, before=6 if small else 7)
        self.point = ParagraphStyle("point", parent=self.text, leftIndent=11, bulletFontName=PLAIN, bulletFontSize=8)
        self.small = _style(7.5 if small else 9)

    def story(self, paper: Paper) -> list[Flowable]:
        """Everything on it, from the top."""
        out: list[Flowable] = [Paragraph(escape(paper.title), self.title)]
        head = " · ".join([paper.shop, *paper.address.splitlines()]) if paper.address else paper.shop
        out += [Paragraph(escape(head), self.small), Spacer(1, 6), self.rows(paper.about)]
        for block in paper.blocks:
            out += self.block(block)
        out += [Spacer(1, 10), Paragraph(escape(date_format(localtime(paper.at), "j F Y, H:i")), self.small)]
        return out

    def rows(self, rows: Any) -> Flowable:
        """A table of two columns; what it holds wraps."""
        cells = [[Paragraph(escape(str(a)), self.text), Paragraph(escape(str(b)), self.text)] for a, b in rows]
        return Table(
            cells,
            colWidths=[self.width * 0.45, self.width * 0.55],
            hAlign="LEFT",
            style=[
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
                ("TOPPADDING", (0, 0), (-1, -1), 1),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 1),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LINEBELOW", (0, 0), (-1, -1), 0.4, black),
            ],
        )

    def label(self, label: BagLabel) -> Flowable:
        """The label for the bag below a dashed line to cut along: the number large, the code beside it."""
        words: list[Flowable] = [Paragraph(escape(str(label.number)), self.title)]
        words += [Paragraph(escape(text), self.small) for text in label.lines]
        cut = [("LINEABOVE", (0, 0), (-1, 0), 0.6, black, None, (3, 3)), ("VALIGN", (0, 0), (-1, -1), "TOP")]
        plain = [("LEFTPADDING", (0, 0), (-1, -1), 0), ("TOPPADDING", (0, 0), (-1, -1), 6)]
        cells = [[words, _code(label.address, CODE)]]
        return Table(cells, colWidths=[self.width - CODE, CODE], hAlign="LEFT", style=[*cut, *plain])

    def photos(self, photos: Sequence[Photo]) -> Flowable:
        """Photos beside each other, two on a sheet and one on a slip, each with what it shows below."""
        across = 1 if self.small_sheet else 2
        wide = self.width / across - 6
        cells = []
        for photo in photos:
            with photo.file.open("rb") as kept:
                share = min(wide / photo.width, PHOTO_HEIGHT / photo.height)
                picture = Image(io.BytesIO(kept.read()), photo.width * share, photo.height * share, hAlign="LEFT")
            cells.append([picture, Paragraph(escape(photo.caption), self.small)])
        rows: list[list[Any]] = [cells[start : start + across] for start in range(0, len(cells), across)]
        rows[-1] += [""] * (across - len(rows[-1]))
        plain = [("LEFTPADDING", (0, 0), (-1, -1), 0), ("VALIGN", (0, 0), (-1, -1), "TOP")]
        return Table(rows, colWidths=[self.width / across] * across, hAlign="LEFT", style=plain)

    def block(self, block: Block) -> list[Flowable]:
        """One part of a paper."""
        if block.kind == "heading":
            return [Paragraph(escape(block.body), self.heading)]
        if block.kind == "rows":
            return [Spacer(1, 4), self.rows(block.body)]
        if block.kind == "list":
            return [Paragraph(escape(text), self.point, bulletText="\u2022") for text in block.body]
        if block.kind == "path":
            return [
                Spacer(1, 6),
                self.rows(_in_words(block.body)) if self.small_sheet else _path(block.body, self.width),
            ]
        if block.kind == "overlay":
            return [_overlay(block.body, self.width if self.small_sheet else self.width * 0.72)]
        if block.kind == "outline":
            return [Spacer(1, 6), _outline(block.body, self.width if self.small_sheet else self.width * 0.62)]
        if block.kind == "photos":
            return [Spacer(1, 6), self.photos(block.body)]
        if block.kind == "strokes":
            return [
                Spacer(1, 8),
                _strokes(block.body, self.width * 0.5),
                Paragraph(escape(block.body.words), self.small),
            ]
        if block.kind == "label":
            return [Spacer(1, 14), self.label(block.body)]
        if block.kind == "sign":
            line = Line(0, 14, self.width, 14, strokeWidth=0.6)
            return [Spacer(1, 28), Drawing(self.width, 18, line), Paragraph(escape(block.body), self.small)]
        return [Paragraph(escape(line), self.text) for line in str(block.body).splitlines() or [""]]


def _scaled(drawing: Drawing, width: float) -> Drawing:
    """A drawing brought to a width."""
    share = min(width / drawing.width, 1.15)
    drawing.scale(share, share)
    drawing.width, drawing.height = drawing.width * share, drawing.height * share
    return drawing


def _path(scene: PathMarks, width: float) -> Drawing:
    out = Drawing(scene.width, scene.height)
    for row in scene.rows:
        y = scene.height - row.y
        out.add(Line(float(scene.left), y, float(scene.right), y, strokeWidth=2.5))
        out.add(String(0, y - 4, row.label, fontName=PLAIN, fontSize=12))
        for spot in row.spots:
            out.add(_mark(spot, y))
    for word in scene.words:
        text = String(float(word.x), scene.height - float(word.y), word.text, fontName=PLAIN, fontSize=11)
        text.textAnchor = "middle"
        out.add(text)
    return _scaled(out, width)


def _outline(scene: Outline, width: float) -> Drawing:
    """The sides of a device with numbered marks; what they are stands below in words."""
    out = Drawing(OUTLINE_WIDTH, OUTLINE_HEIGHT)
    for side in scene.sides:
        x, y, wide, high = side.box
        out.add(Rect(x, OUTLINE_HEIGHT - y - high, wide, high, rx=8, ry=8, fillColor=white, strokeColor=black))
        out.add(String(x, OUTLINE_HEIGHT - y + 5, side.label, fontName=PLAIN, fontSize=13))
    for mark in scene.spots:
        out.add(Circle(mark.x, OUTLINE_HEIGHT - mark.y, 9, fillColor=black))
        text = String(
            mark.x, OUTLINE_HEIGHT - mark.y - 4, str(mark.number), fontName=BOLD, fontSize=11, fillColor=white
        )
        text.textAnchor = "middle"
        out.add(text)
    return _scaled(out, width)


def _strokes(signature: Signature, width: float) -> Drawing:
    """A signature in a box of 1 by 0.3."""
    out = Drawing(width, 0.3 * width)
    for line in signature.strokes:
        points = [value for x, y in line for value in (x * width, (1 - y) * 0.3 * width)]
        out.add(PolyLine(points, strokeWidth=1.2))
    return out


def _in_words(scene: PathMarks) -> list[tuple[str, str]]:
    """Stations that something was measured at, for a slip that is too narrow for the drawing."""
    came, goes = scene.rows[0].spots, scene.rows[1].spots
    out = [("before", "after")]
    for first, last in zip(came, goes, strict=True):
        if first.mark != "none":
            name, _, words = first.title.partition(", ")
            out.append((f"{name}: {words.partition(': ')[2]}", MARK_WORDS[last.mark]))
    return out


def _mark(spot: Spot, y: float) -> Group:
    """A mark's shape: a round tick, a filled triangle, a filled square, a hollow diamond, a dotted ring."""
    x, out = spot.x, Group()
    line = {"strokeColor": black, "strokeWidth": 1.6}
    if spot.mark == "good":
        out.add(Circle(x, y, 10, fillColor=white, **line))
        out.add(PolyLine([x - 5, y, x - 1.5, y - 4, x + 5, y + 4], strokeWidth=2))
    elif spot.mark == "off":
        out.add(Polygon([x, y + 11, x + 11, y - 8, x - 11, y - 8], fillColor=black, **line))
    elif spot.mark == "short":
        out.add(Rect(x - 9, y - 9, 18, 18, fillColor=black, **line))
    elif spot.mark == "open":
        out.add(Polygon([x, y + 11, x + 11, y, x, y - 11, x - 11, y], fillColor=white, **line))
    else:
        out.add(Circle(x, y, 9, fillColor=white, strokeColor=black, strokeWidth=1, strokeDashArray=[1.5, 2.5]))
    return out


def _overlay(scene: Overlay, width: float) -> Drawing:
    _, _, wide, high = (float(part) for part in scene.view_box.split())
    out = Drawing(wide, high)
    for tick in scene.y_ticks:
        y = high - float(tick.at)
        out.add(Line(float(scene.left), y, float(scene.right), y, strokeWidth=0.3))
        label = String(float(scene.left) - 6, y - 4, tick.text, fontName=PLAIN, fontSize=13)
        label.textAnchor = "end"
        out.add(label)
    for tick in scene.x_ticks:
        label = String(float(tick.at), high - float(scene.bottom) - 18, tick.text, fontName=PLAIN, fontSize=13)
        label.textAnchor = "middle"
        out.add(label)
    for line in scene.lines:
        spots = [float(number) for pair in line.points.split() for number in pair.split(",")]
        flat = [high - value if index % 2 else value for index, value in enumerate(spots)]
        dashes = [5, 4] if line.kind == "before" else None
        out.add(PolyLine(flat, strokeColor=black, strokeWidth=1.2 if dashes else 2.2, strokeDashArray=dashes))
        out.add(String(float(line.label_x), high - float(line.label_y), line.label, fontName=BOLD, fontSize=12))
    return _scaled(out, width)


def paper_pdf(paper: Paper, form: str = "a4") -> bytes:
    """A paper as a file: A4, or one slip as long as it has to be.

    Parameters
    ----------
    paper : Paper
    form : {'a4', 'slip'}

    """
    sheet, buffer = _Sheet(form), io.BytesIO()
    story = sheet.story(paper)
    size = A4
    if form == "slip":
        spaces = (one.wrap(sheet.width, 10_000)[1] + one.getSpaceBefore() + one.getSpaceAfter() for one in story)
        height = sum(spaces)
        size, story = (SLIP_WIDTH, height + 2 * sheet.margin + 24), sheet.story(paper)
    made = SimpleDocTemplate(
        buffer,
        pagesize=size,
        leftMargin=sheet.margin,
        rightMargin=sheet.margin,
        topMargin=sheet.margin,
        bottomMargin=sheet.margin,
        title=f"{paper.title} {paper.name}",
        author=paper.shop,
        producer="Rainfront",
    )
    made.build(story, onFirstPage=_foot(form), onLaterPages=_foot(form))
    return buffer.getvalue()


def _foot(form: str) -> Any:
    def draw(canvas: Canvas, document: Any) -> None:
        if form == "a4":
            canvas.setFont(PLAIN, 8)
            canvas.drawRightString(A4[0] - MARGIN, MARGIN / 2, str(document.page))

    return draw


def label_pdf(label: BagLabel) -> bytes:
    """The label for a device's bag: its number, what it is, whose by initials, when it is promised, and a QR code."""
    _fonts()
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=LABEL)
    canvas.setTitle(f"Label of job {label.number}")
    width, height = LABEL
    renderPDF.draw(_code(label.address, CODE), canvas, width - CODE - 2 * mm, height - CODE - 3 * mm)
    canvas.setFont(BOLD, 34)
    canvas.drawString(3 * mm, height - 15 * mm, str(label.number))
    for index, text in enumerate(label.lines):
        canvas.setFont(BOLD if index == 0 else PLAIN, 8)
        canvas.drawString(3 * mm, height - (30 + 3.6 * index) * mm, _fitted(text, width - 6 * mm, 8))
    canvas.showPage()
    canvas.save()
    return buffer.getvalue()


def _code(address: str, size: float) -> Drawing:
    """A QR code of a size [pt]."""
    rows = list(segno.make(address, error="m").matrix_iter(border=2))
    cell, out = size / len(rows), Drawing(size, size)
    for down, row in enumerate(rows):
        for across, dark in enumerate(row):
            if dark:
                left, bottom = across * cell, size - (down + 1) * cell
                out.add(Rect(left, bottom, cell, cell, fillColor=black, strokeColor=None))
    return out


def _fitted(text: str, space: float, size: float) -> str:
    """A text cut to a width."""
    if pdfmetrics.stringWidth(text, PLAIN, size) <= space:
        return text
    while text and pdfmetrics.stringWidth(f"{text}…", PLAIN, size) > space:
        text = text[:-1]
    return f"{text}…"
