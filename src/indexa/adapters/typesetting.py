"""Pictures and pages set by Typst with our own fonts: a drawing as PNG, as PDF on one sheet or several; a whole document as PDF."""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
from collections.abc import Mapping, Sequence
from math import ceil
from pathlib import Path
from typing import Literal, TypeAlias

from indexa.adapters.fonts import installed

Paper: TypeAlias = Literal["one", "a4", "a3"]
PAPERS: tuple[Paper, ...] = ("one", "a4", "a3")
"""One sheet as large as the drawing, or sheets of paper."""
MOST_TIMES = 4
_MOST_DOTS = 120_000_000
"""A picture with more dots takes memory that a server has better uses for (four bytes each)."""
_MOST_SHEETS = 200
_AT_ONCE = 100
"""Small pictures that are made together."""
_SIZES = {"a4": (842.0, 595.0), "a3": (1191.0, 842.0)}
"""Width and height in points, lying."""
_EDGE, _OVERLAP = 34.0, 34.0
"""Room for the marks around a sheet, and how much of the drawing two sheets share (12 mm), in points."""
_SHRUNK = 0.75
"""A drawing in px is printed at three quarters, which is its true size (96 px an inch) in points."""
_SCALES = (_SHRUNK, 0.7, 0.65, 0.6)
"""A little smaller where that saves sheets."""


class TypesettingError(Exception):
    """A document that could not be set; the message says why."""


class TooLargeError(Exception):
    """A picture that would be too large; the message says so and what to do."""


def png_of(svg: str, times: float = 1) -> bytes:
    """Return a drawing as a picture of so many times its size in px. Raises TooLargeError."""
    width, height = _size(svg)
    if width * height * times * times > _MOST_DOTS:
        raise TooLargeError(
            f"The picture would be {width * times:,.0f} × {height * times:,.0f} dots large. Choose a smaller size, or SVG or PDF."
        )
    page = f"#set page(width: {width}pt, height: {height}pt, margin: 0pt)\n{_image(width, height)}"
    return _compile(page, svg, form="png", ppi=72.0 * times)


def can_be_set(picture: bytes, suffix: str) -> bool:
    """Say whether a picture, of a format by its suffix, is whole: damaged ones would stop the document that holds them."""
    with tempfile.TemporaryDirectory(prefix="indexa-picture-") as folder:
        (Path(folder) / f"picture{suffix}").write_bytes(picture)
        source = Path(folder) / "picture.typ"
        source.write_text(f'#image("picture{suffix}", width: 20pt)')
        try:
            _pictures(source, 36.0)
        except RuntimeError:
            return False
    return True


def pngs_of(drawings: Sequence[str], times: float) -> list[bytes]:
    """Return small drawings as pictures, many at once: one at a time, each would wait for the fonts to be read."""
    found: list[bytes] = []
    for start in range(0, len(drawings), _AT_ONCE):
        with tempfile.TemporaryDirectory(prefix="indexa-pictures-") as folder:
            pages = []
            for number, drawing in enumerate(drawings[start : start + _AT_ONCE]):
                (Path(folder) / f"{number}.svg").write_text(drawing)
                width, height = _size(drawing)
                pages.append(
                    f'#page(width: {width}pt, height: {height}pt, margin: 0pt, image("{number}.svg", width: {width}pt))'
                )
            source = Path(folder) / "pictures.typ"
            source.write_text("\n".join(pages))
            found += _pictures(source, 72.0 * times)
    return found


def _pictures(source: Path, ppi: float) -> list[bytes]:
    import typst

    made = typst.compile(str(source), format="png", ppi=ppi, font_paths=[str(installed())])
    return made if isinstance(made, list) else [made]


def pdf_of(svg: str, paper: Paper, title: str) -> bytes:
    """Return a drawing as PDF: on one sheet of its size, or in about its true size on sheets that overlap and say how they join.

    Raises TooLargeError where that would be more sheets than anybody joins.
    """
    full_width, full_height = _size(svg)
    width, height = full_width * _SHRUNK, full_height * _SHRUNK
    head = f"#set document(title: {_text(title)})\n#set text(font: {_text('Atkinson Next')}, size: 8pt)\n"
    if paper == "one":
        return _compile(
            f"{head}#set page(width: {width}pt, height: {height}pt, margin: 0pt)\n{_image(width, height)}",
            svg,
            form="pdf",
        )
    sheet_width, sheet_height = _SIZES[paper]
    if height > width:
        sheet_width, sheet_height = sheet_height, sheet_width
    scale = min(
        _SCALES,
        key=lambda one: (_sheets(full_width * one, sheet_width) * _sheets(full_height * one, sheet_height), -one),
    )
    width, height = full_width * scale, full_height * scale
    across, down = _sheets(width, sheet_width), _sheets(height, sheet_height)
    if across * down > _MOST_SHEETS:
        raise TooLargeError(
            f"The drawing would take {across * down:,} sheets. Choose larger paper, one sheet, or fewer tables."
        )
    inner_width, inner_height = sheet_width - 2 * _EDGE, sheet_height - 2 * _EDGE
    pages = [f"{head}#set page(width: {sheet_width}pt, height: {sheet_height}pt, margin: 0pt)\n{_MARKS}"]
    for row in range(down):
        for column in range(across):
            left, top = column * (inner_width - _OVERLAP), row * (inner_height - _OVERLAP)
            told = f"{title} · sheet {row * across + column + 1} of {across * down}: row {row + 1}, column {column + 1}"
            pages.append(
                f"#sheet({inner_width}pt, {inner_height}pt, {left}pt, {top}pt, {_text(told)}, "
                f"{str(column > 0).lower()}, {str(row > 0).lower()}, "
                f"{str(column < across - 1).lower()}, {str(row < down - 1).lower()}, [{_image(width, height)}])"
            )
    return _compile("\n#pagebreak()\n".join(pages).replace("#pagebreak()\n#sheet", "#sheet", 1), svg, form="pdf")


def book_pdf(document: str, pictures: Mapping[str, bytes]) -> bytes:
    """Set a document as a tagged PDF, in a process of its own: it takes about 3 MB for each table, and gives none of it back.

    `pictures` are the files that it asks for, by name. Raises TypesettingError where that process fails.
    """
    with tempfile.TemporaryDirectory(prefix="indexa-book-") as folder:
        for name, picture in pictures.items():
            (Path(folder) / name).write_bytes(picture)
        source, target = Path(folder) / "book.typ", Path(folder) / "book.pdf"
        source.write_text(document)
        done = subprocess.run(
            [sys.executable, "-c", _SET, str(source), str(target), str(installed())],
            capture_output=True, text=True, check=False, timeout=_MOST_SECONDS,
        )  # fmt: skip
        if done.returncode:
            told = done.stderr.strip().splitlines()[-1:] or ["it was ended, most likely for lack of memory"]
            raise TypesettingError(f"The PDF could not be set: {told[0][:300]}.")
        return target.read_bytes()


_SET = "import sys, typst; typst.compile(sys.argv[1], output=sys.argv[2], format='pdf', font_paths=[sys.argv[3]])"
_MOST_SECONDS = 600


_MARKS = f"""
#let overlap = {_OVERLAP}pt
#let sheet(width, height, x, y, told, has_left, has_top, has_right, has_bottom, drawing) = {{
  let mark = 0.5pt + luma(120)
  place(top + left, dx: {_EDGE}pt, dy: {_EDGE}pt, box(width: width, height: height, clip: true, place(top + left, dx: -x, dy: -y, drawing)))
  let upright(at) = {{
    place(top + left, dx: at, dy: {_EDGE}pt - 12pt, line(length: 9pt, angle: 90deg, stroke: mark))
    place(top + left, dx: at, dy: {_EDGE}pt + height + 3pt, line(length: 9pt, angle: 90deg, stroke: mark))
  }}
  let level(at) = {{
    place(top + left, dx: {_EDGE}pt - 12pt, dy: at, line(length: 9pt, stroke: mark))
    place(top + left, dx: {_EDGE}pt + width + 3pt, dy: at, line(length: 9pt, stroke: mark))
  }}
  if has_left {{ upright({_EDGE}pt + overlap) }}
  if has_right {{ upright({_EDGE}pt + width - overlap) }}
  if has_top {{ level({_EDGE}pt + overlap) }}
  if has_bottom {{ level({_EDGE}pt + height - overlap) }}
  place(top + left, dx: {_EDGE}pt, dy: 10pt, text(fill: luma(80), told))
}}
"""


def _sheets(length: float, side: float) -> int:
    inner = side - 2 * _EDGE
    return max(1, ceil((length - _OVERLAP) / (inner - _OVERLAP)))


def _image(width: float, height: float) -> str:
    return f"#image(bytes(sys.inputs.drawing), format: {_text('svg')}, width: {width}pt, height: {height}pt)"


def _text(text: str) -> str:
    """Return a text as a string of Typst."""
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", " ") + '"'


def _size(svg: str) -> tuple[float, float]:
    found = re.match(r'<svg[^>]*? width="([\d.]+)" height="([\d.]+)"', svg)
    if found is None:
        raise ValueError("An SVG without width and height.")
    return float(found[1]), float(found[2])


def _compile(page: str, svg: str, form: Literal["png", "pdf"], ppi: float | None = None) -> bytes:
    import typst

    made = typst.compile(  # type: ignore[misc]
        page.encode(), format=form, ppi=ppi, font_paths=[str(installed())], ignore_system_fonts=False,
        sys_inputs={"drawing": svg},
    )  # fmt: skip
    if not isinstance(made, bytes):
        raise TypeError("More than one picture was made.")
    return made
