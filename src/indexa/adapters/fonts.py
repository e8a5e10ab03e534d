"""The font files that ship with the application, for files that carry their fonts with them."""

from __future__ import annotations

import os
from pathlib import Path

_FOLDER = Path(__file__).resolve().parents[1] / "ui" / "static" / "ui" / "fonts"
_MADE = Path(__file__).resolve().parents[3] / ".local" / "fonts"
SHIPPED = {
    "Atkinson Mono": _FOLDER / "atkinson-hyperlegible-mono-latin-wght-normal.woff2",
    "Atkinson Next": _FOLDER / "atkinson-hyperlegible-next-latin-wght-normal.woff2",
    "Source Serif": _FOLDER / "source-serif-4-latin-wght-normal.woff2",
}
"""By family, as drawings name them."""
_WEIGHTS = {"Regular": 400, "SemiBold": 600}


def installed() -> Path:
    """Return a folder with the shipped fonts as plain font files, for programs that read no web fonts; made at the first use.

    Web fonts hold every weight in one file and come in two parts, of which the second has the letters of more languages:
    each part and weight becomes a file, the second part as a family of its own that programs fall back to.
    """
    for family, path in SHIPPED.items():
        for part, source in ((family, path), (f"{family} Ext", Path(str(path).replace("-latin-", "-latin-ext-")))):
            for style, weight in _WEIGHTS.items():
                target = _MADE / f"{part} {style}.ttf".replace(" ", "-")
                if not target.exists():
                    _make(source, target, part, style, weight)
    return _MADE


def _make(source: Path, target: Path, family: str, style: str, weight: int) -> None:
    from fontTools.ttLib import TTFont
    from fontTools.varLib.instancer import instantiateVariableFont

    target.parent.mkdir(parents=True, exist_ok=True)
    font = TTFont(source)
    for kerning in ("GPOS", "GSUB", "GDEF"):  # nine tenths of the time, and labels do without
        if kerning in font:
            del font[kerning]
    instantiateVariableFont(font, {"wght": weight}, inplace=True, optimize=False)
    font.flavor = None
    names = font["name"]
    for number, text in ((1, family), (2, style), (4, f"{family} {style}"), (16, family), (17, style)):
        names.setName(text, number, 3, 1, 0x409)
    font["OS/2"].usWeightClass = weight
    unfinished = target.with_suffix(f".{os.getpid()}")
    font.save(unfinished)
    unfinished.replace(target)
