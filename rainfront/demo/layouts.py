"""A made-up board under a microscope, drawn from its pads: what a picture of it shows is known to the pixel."""

from __future__ import annotations

from io import BytesIO

from PIL import Image, ImageDraw, ImageFilter

from chargepath.board.layout import BoardLayout, BoardSide
from chargepath.board.overlay import PictureFit

MASK, BENCH, TIN, GOLD = (24, 66, 56), (40, 40, 42), (198, 200, 196), (206, 186, 128)
CHIP, SMALL, COIL = (34, 35, 38), {"C": (150, 110, 72), "R": (52, 50, 50), "L": (92, 88, 84)}, (70, 72, 78)
# A part with more pads is drawn as a chip, whose body ends inside its pads.
MOST_OF_SMALL = 2


def draw_layout(
    layout: BoardLayout, seen: PictureFit, side: str = "top", warm: tuple[float, float] | None = None, margin: int = 80
) -> tuple[bytes, PictureFit]:
    """A picture of one side of a board as JPEG, and how it shows it.

    Parameters
    ----------
    layout : BoardLayout
    seen : PictureFit
        How the camera sees the board.
    side : str
    warm : tuple of float, optional
        A place [mm] where isopropanol or frost has gone.
    margin : int
        How much of the bench it shows to the right and below [pixels].

    """
    corners = seen.to_picture(seen.on_board)
    width, height = int(corners[:, 0].max() + margin), int(corners[:, 1].max() + margin)
    picture = Image.new("RGB", (width, height), BENCH)
    pen = ImageDraw.Draw(picture)
    left, top, right, bottom = layout.box
    _shape(pen, seen, [(left, top), (right, top), (right, bottom), (left, bottom)], MASK)
    for part, numbers in layout.parts.items():
        pads = [layout.pads[number] for number in numbers if layout.pads[number].side in (side, BoardSide.BOTH)]
        for pad in pads:
            _box(pen, seen, (pad.x_mm, pad.y_mm), (pad.wide_mm, pad.high_mm), GOLD if part.startswith("J") else TIN)
        if len(pads) < MOST_OF_SMALL or part[0] in "JT":
            continue
        across, down = [pad.x_mm for pad in pads], [pad.y_mm for pad in pads]
        middle = (min(across) + max(across)) / 2, (min(down) + max(down)) / 2
        size = max(across) - min(across), max(down) - min(down)
        if len(pads) > MOST_OF_SMALL:
            _box(pen, seen, middle, (size[0] - 0.3, size[1] - 0.3), CHIP)
            dot = middle[0] - size[0] / 2 + 0.5, middle[1] - size[1] / 2 + 0.5
            _box(pen, seen, dot, (0.2, 0.2), (120, 122, 124))
        else:
            body = max(size[0] - 0.1, pads[0].wide_mm), max(size[1] - 0.1, pads[0].high_mm)
            _box(pen, seen, middle, body, SMALL.get(part[0], COIL))
    if warm is not None:
        _box(pen, seen, warm, (0.9, 0.9), (120, 150, 120))
    out = BytesIO()
    picture.filter(ImageFilter.GaussianBlur(0.8)).save(out, "JPEG", quality=88)
    return out.getvalue(), seen


def _shape(
    pen: ImageDraw.ImageDraw, seen: PictureFit, points: list[tuple[float, float]], fill: tuple[int, int, int]
) -> None:
    pen.polygon([(float(u), float(v)) for u, v in seen.to_picture(points)], fill=fill)


def _box(
    pen: ImageDraw.ImageDraw,
    seen: PictureFit,
    middle: tuple[float, float],
    size: tuple[float, float],
    fill: tuple[int, int, int],
) -> None:
    (x, y), (w, h) = middle, (size[0] / 2, size[1] / 2)
    _shape(pen, seen, [(x - w, y - h), (x + w, y - h), (x + w, y + h), (x - w, y + h)], fill)
