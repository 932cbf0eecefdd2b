"""A made-up board under a microscope, drawn from its pads: what a picture of it shows is known to the pixel."""

from __future__ import annotations

from io import BytesIO
from random import Random

from PIL import Image, ImageDraw, ImageFilter

from chargepath.board.layout import BoardLayout, BoardSide
from chargepath.board.overlay import PictureFit, fit
from rainfront.web.scenes.screw_map import SIZES

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


def draw_open(kind: str, seed: int) -> tuple[bytes, list[tuple[float, float]]]:
    """A photo of a made-up device that lies open, a little askew, as JPEG; and where its four corners are [pixels].

    Parameters
    ----------
    kind : str
        phone or tablet.
    seed : int
        How it lies.

    """
    rng = Random(seed)  # noqa: S311
    width, height = SIZES[kind]
    scale = 1000 / height
    corners = [(180.0, 70.0), (180 + width * scale, 90.0), (170 + width * scale, 1080.0), (160.0, 1060.0)]
    corners = [(x + rng.uniform(-14, 14), y + rng.uniform(-14, 14)) for x, y in corners]
    seen = fit([(0, 0), (1, 0), (1, 1), (0, 1)], corners)
    picture = Image.new("RGB", (int(360 + width * scale), 1160), (214, 206, 192))
    pen = ImageDraw.Draw(picture)
    _box(pen, seen, (0.5, 0.5), (1, 1), (44, 46, 50))
    _box(pen, seen, (0.5, 0.5), (0.94, 0.97), (70, 73, 78))
    for middle, size, fill in (
        ((0.36, 0.56), (0.5, 0.6), (28, 29, 31)),
        ((0.36, 0.56), (0.44, 0.55), (38, 40, 42)),
        ((0.76, 0.42), (0.3, 0.66), MASK),
        ((0.42, 0.15), (0.72, 0.16), MASK),
        ((0.76, 0.28), (0.22, 0.16), (168, 170, 168)),
        ((0.76, 0.55), (0.22, 0.2), (168, 170, 168)),
        ((0.5, 0.92), (0.8, 0.09), (30, 74, 60)),
        ((0.5, 0.975), (0.16, 0.03), TIN),
        ((0.62, 0.36), (0.1, 0.035), (24, 24, 26)),
        ((0.3, 0.12), (0.12, 0.03), (24, 24, 26)),
        ((0.62, 0.9), (0.12, 0.03), (24, 24, 26)),
    ):
        _box(pen, seen, middle, size, fill)
    for middle in ((0.12, 0.06), (0.88, 0.06), (0.5, 0.3), (0.12, 0.94), (0.88, 0.94)):
        _box(pen, seen, middle, (0.035, 0.018), (220, 220, 216))
    out = BytesIO()
    picture.filter(ImageFilter.GaussianBlur(0.8)).save(out, "JPEG", quality=88)
    return out.getvalue(), corners
