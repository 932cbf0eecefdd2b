"""Pictures as they come from a phone or a microscope, made safe to keep."""

from __future__ import annotations

import warnings
from io import BytesIO

from PIL import Image, ImageOps, UnidentifiedImageError

from chargepath.base.errors import ReadingError

FORMATS = ("JPEG", "PNG", "WEBP")
MAX_BYTES, MAX_MEGAPIXELS, LONGEST = 25_000_000, 25.0, 2048
SMALLEST = 32
QUALITY = 88
RIGHT = "JPEG, PNG or WebP, up to 25 megapixels"


def _upright(raw: bytes) -> Image.Image:
    """The picture the way up it was taken, near the size it is kept in where that can be read directly."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        picture = Image.open(BytesIO(raw), formats=FORMATS)
        width, height = picture.size
        if width * height > MAX_MEGAPIXELS * 1e6:
            many = f"{width * height / 1e6:.0f} megapixels are too many"
            raise ReadingError(many, "photo", f"scale it down first: {RIGHT}")
        if min(width, height) < SMALLEST:
            raise ReadingError(f"{width} by {height} pixels show nothing", "photo", f"at least {SMALLEST} each way")
        picture.draft("RGB", (LONGEST, LONGEST))
        return ImageOps.exif_transpose(picture).convert("RGB")


def clean_picture(raw: bytes) -> tuple[bytes, int, int]:
    """Check a picture, turn it upright, scale it and write it anew as JPEG, so that nothing of its metadata is left.

    Returns
    -------
    the JPEG, its width and height in pixels

    Raises
    ------
    ReadingError
        No picture, broken off, or too large; says what would be right.

    """
    if len(raw) > MAX_BYTES:
        raise ReadingError(f"{len(raw) / 1e6:.0f} MB is too large", "photo", f"up to {MAX_BYTES / 1e6:.0f} MB; {RIGHT}")
    try:
        upright = _upright(raw)
    except ReadingError:
        raise
    except UnidentifiedImageError as error:
        raise ReadingError("this is not a picture, whatever its name says", "photo", RIGHT) from error
    except Exception as error:  # A decoder raises whatever comes to its mind; none of it is the person's business.
        raise ReadingError("the picture is broken off or damaged", "photo", f"take it again: {RIGHT}") from error
    upright.thumbnail((LONGEST, LONGEST))
    bare = Image.frombytes("RGB", upright.size, upright.tobytes())  # Pixels, and nothing else that came with them.
    out = BytesIO()
    bare.save(out, "JPEG", quality=QUALITY, optimize=True)
    return out.getvalue(), bare.width, bare.height
