"""Pictures are decoded in a process of their own."""

from __future__ import annotations

from rainfront.web.apart import Apart
from rainfront.web.pictures import clean_picture

PICTURE = Apart("rainfront.web.decoding", "photo", "take it again, as JPEG, PNG or WebP", 15, 1_500_000_000)


def clean_apart(raw: bytes) -> tuple[bytes, int, int]:
    """`clean_picture`, where nothing that a picture does can hold or fill this process.

    Returns
    -------
    the JPEG, its width and height in pixels

    Raises
    ------
    ReadingError
        No picture, broken off, too large, or too much work; says what would be right.

    """
    words, body = PICTURE.run(raw)
    return body, int(words[0]), int(words[1])


def _decode(raw: bytes) -> tuple[bytes, bytes]:
    picture, width, height = clean_picture(raw)
    return f"{width} {height}".encode(), picture


if __name__ == "__main__":
    PICTURE.main(_decode)
