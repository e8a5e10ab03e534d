"""Pictures that people give for the cover of an edition: PNG or JPEG, of a size that a cover needs."""

from __future__ import annotations

from docx.image.exceptions import InvalidImageStreamError, UnexpectedEndOfFileError, UnrecognizedImageError
from docx.image.image import Image

from indexa.adapters.errors import SourceError
from indexa.adapters.typesetting import can_be_set
from indexa.core.edition.parts import Logo

LARGEST = 512 * 1024
"""Bytes of a logo: it is in every document."""
_MOST_DOTS = 4_000
"""Width and height in px."""
_TYPES = {"image/png", "image/jpeg"}


def logo_of(content: bytes) -> Logo:
    """Return a picture as a logo. Raises SourceError for what is none, or is too large."""
    if len(content) > LARGEST:
        raise _refused(f"The logo has {len(content) / 1024:,.0f} KB; {LARGEST // 1024} KB are kept.")
    try:
        read = Image.from_blob(content)
        media_type, width, height = read.content_type, read.px_width, read.px_height
    except (
        UnrecognizedImageError,
        InvalidImageStreamError,
        UnexpectedEndOfFileError,
        ValueError,
        KeyError,
        IndexError,
    ):
        media_type, width, height = "", 0, 0
    if media_type not in _TYPES:
        raise _refused("The logo is no picture that can be read.")
    if not 0 < width <= _MOST_DOTS or not 0 < height <= _MOST_DOTS:
        raise _refused(f"The logo is {width:,} × {height:,} px; each side has 1 to {_MOST_DOTS:,}.")
    suffix = ".png" if media_type == "image/png" else ".jpg"
    if not can_be_set(content, suffix):
        raise _refused("The logo is damaged: it can't be drawn.")
    return Logo("image/png" if media_type == "image/png" else "image/jpeg", content, width, height)


def _refused(message: str) -> SourceError:
    return SourceError("no-logo", message, "Give a PNG or JPEG file, a few hundred px wide.")
