"""An invented board under a microscope, drawn."""

from __future__ import annotations

from io import BytesIO
from random import Random

from PIL import Image, ImageDraw, ImageFilter

SIZE = (1400, 1000)


def draw_board(seed: int) -> bytes:
    """A picture of an invented board as PNG: solder mask, tracks, two chips, small parts, a row of contacts."""
    rng = Random(seed)  # noqa: S311
    picture = Image.new("RGB", SIZE, (24, 58, 52))
    pen = ImageDraw.Draw(picture)
    for _ in range(60):
        x, y, length = rng.randrange(SIZE[0]), rng.randrange(SIZE[1]), rng.randrange(80, 420)
        tone = (36 + rng.randrange(14), 84 + rng.randrange(18), 74)
        across = rng.random() < 0.5
        pen.line((x, y, x + length * across, y + length * (not across)), fill=tone, width=rng.choice((5, 7, 11)))
    for left, top, side in ((360, 260, 230), (850, 380, 290)):
        pen.rectangle((left - 8, top - 8, left + side + 8, top + side + 8), fill=(150, 152, 150))
        pen.rectangle((left, top, left + side, top + side), fill=(34, 35, 38))
        pen.ellipse((left + 14, top + 14, left + 34, top + 34), fill=(90, 92, 94))
    for _ in range(46):
        x, y = rng.randrange(40, SIZE[0] - 60), rng.randrange(60, SIZE[1] - 220)
        if any(
            left - 60 < x < left + side + 30 and top - 40 < y < top + side + 30
            for left, top, side in ((360, 260, 230), (850, 380, 290))
        ):
            continue
        w, h = rng.choice(((46, 24), (24, 46), (62, 32)))
        body = rng.choice(((150, 110, 72), (62, 58, 54), (176, 140, 96)))
        pen.rectangle((x, y, x + w, y + h), fill=(196, 198, 194))
        inset = (10, 0) if w > h else (0, 10)
        pen.rectangle((x + inset[0], y + inset[1], x + w - inset[0], y + h - inset[1]), fill=body)
    for k in range(12):
        x = 330 + k * 62
        pen.rectangle((x, 880, x + 36, 980), fill=(206, 186, 128))
        pen.ellipse((x + 4, 860, x + 32, 892), fill=(190, 192, 190))
    shade = Image.radial_gradient("L").resize(SIZE).point(lambda value: 255 - value // 2)
    picture = Image.composite(picture, Image.new("RGB", SIZE, (8, 14, 14)), shade)
    out = BytesIO()
    picture.filter(ImageFilter.GaussianBlur(1.4)).save(out, "PNG")
    return out.getvalue()
