"""The font files that ship with the application, for files that carry their fonts with them."""

from __future__ import annotations

from pathlib import Path

_FOLDER = Path(__file__).resolve().parents[1] / "ui" / "static" / "ui" / "fonts"
SHIPPED = {
    "Atkinson Mono": _FOLDER / "atkinson-hyperlegible-mono-latin-wght-normal.woff2",
    "Atkinson Next": _FOLDER / "atkinson-hyperlegible-next-latin-wght-normal.woff2",
    "Source Serif": _FOLDER / "source-serif-4-latin-wght-normal.woff2",
}
"""By family, as drawings name them."""
