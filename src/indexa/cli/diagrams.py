"""Lays out the tables of a model as a diagram, and renders it."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from fnmatch import fnmatchcase
from pathlib import Path
from typing import TYPE_CHECKING

from indexa.adapters.errors import SourceError
from indexa.cli.failing import run_or_say_why

if TYPE_CHECKING:
    from indexa.core.diagram.parts import Drawing
    from indexa.core.model import Table

_STYLES = ("orthogonal", "layered", "neighbourhoods", "radial", "grid")
_DEPTHS = ("names", "keys", "columns", "full")
_FORMS = ("svg", "png", "diagram-pdf", "mermaid", "dot")


def add_layout(parser: argparse.ArgumentParser) -> None:
    """Describe what `layout` takes."""
    _add_shared(parser, "where the layout goes, as JSON; - for standard output")


def add_render(parser: argparse.ArgumentParser, more: Sequence[str] = ()) -> None:
    """Describe what `render` takes; `more` are forms that are no diagrams."""
    _add_shared(parser, "where the output goes; - for standard output", several=True)
    parser.add_argument("--to", required=True, choices=(*more, *_FORMS), help="the form of the output")
    parser.add_argument("--notation", choices=("crows-foot", "idef1x", "uml"), default="crows-foot")
    parser.add_argument(
        "--names", choices=("physical", "business", "both"), default="both", help="which names cards show"
    )
    parser.add_argument("--theme", choices=("light", "dark"), default="light", help="colours of a picture")
    parser.add_argument("--times", type=int, choices=(1, 2, 3, 4), default=1, help="how many times its size a PNG is")
    parser.add_argument(
        "--paper", choices=("one", "a4", "a3"), default="one",
        help="of a PDF: one sheet as large as the drawing, or sheets that overlap",
    )  # fmt: skip


def _add_shared(parser: argparse.ArgumentParser, output: str, *, several: bool = False) -> None:
    told = "a model file, or anything that `indexa read` takes"
    if several:
        parser.add_argument("model", nargs="+", help=f"{told}; documents take several")
    else:
        parser.add_argument("model", help=told)
    parser.add_argument("-o", "--output", default="-", help=output)
    parser.add_argument(
        "--tables", default="", metavar="GLOB",
        help="only tables whose name, or schema and name, match one of these patterns (comma-separated)",
    )  # fmt: skip
    parser.add_argument("--suggested", action="store_true", help="only the tables that matter most")
    parser.add_argument("--style", choices=_STYLES, default="orthogonal")
    parser.add_argument(
        "--direction", choices=("right", "down"), default="right", help="of layers, from what is referred to"
    )
    parser.add_argument("--depth", choices=_DEPTHS, default="columns", help="what a card shows")


def layout(given: argparse.Namespace) -> int:
    """Write the places of tables and the points of relationships in px. Returns 0, or 1 where the model can't be read."""
    return run_or_say_why(lambda: _layout(given), failed=1, about=given.model)


def render(given: argparse.Namespace) -> int:
    """Write the diagram as a picture or as text. Returns 0, or 1 where the model can't be read."""
    return run_or_say_why(lambda: _render(given), failed=1, about=given.model)


def _layout(given: argparse.Namespace) -> int:
    import msgspec

    from indexa.core.diagram.layout_file import layout_of

    _write(
        given.output, msgspec.json.format(msgspec.json.encode(layout_of(_drawing(given, "physical"))), indent=1) + b"\n"
    )
    return 0


def _render(given: argparse.Namespace) -> int:
    from indexa.adapters.fonts import SHIPPED
    from indexa.core.render.diagram.svg import document
    from indexa.core.render.diagram.texts import as_dot, as_mermaid

    drawing = _drawing(given, given.names)
    if given.to == "svg":
        content = document(drawing, given.notation, palette=given.theme, fonts=SHIPPED).encode()
    elif given.to in ("png", "diagram-pdf"):
        content = _typeset(given, drawing)
    else:
        content = (as_mermaid(drawing) if given.to == "mermaid" else as_dot(drawing)).encode()
    _write(given.output, content)
    return 0


def _typeset(given: argparse.Namespace, drawing: Drawing) -> bytes:
    from indexa.adapters.typesetting import TooLargeError, pdf_of, png_of
    from indexa.core.render.diagram.svg import document

    svg = document(drawing, given.notation, palette=given.theme)
    try:
        return png_of(svg, given.times) if given.to == "png" else pdf_of(svg, given.paper, drawing.title)
    except TooLargeError as error:
        raise SourceError("too-large", str(error), "Choose fewer tables with --tables, or --suggested.") from error


def _drawing(given: argparse.Namespace, naming: str) -> Drawing:
    from indexa.adapters.graphviz import place_by_graphviz
    from indexa.cli.inputs import model_of
    from indexa.core.diagram.arranging import arrange
    from indexa.core.diagram.neighbourhoods import suggested

    model = model_of(given.model)
    chosen = {(table.schema, table.name) for table in model.tables if _matches(table, given.tables)}
    if given.tables and not chosen:
        raise SourceError(
            "no-table", f"No table matches {given.tables}.", "Write a name, or a pattern such as 'bill.*'."
        )
    if given.suggested:
        chosen &= set(suggested(model))
    return arrange(
        model, place_by_graphviz, tables=chosen, style=given.style, direction=given.direction, depth=given.depth,
        naming=naming,  # type: ignore[arg-type]
    )  # fmt: skip


def _matches(table: Table, patterns: str) -> bool:
    wanted = [pattern.strip().lower() for pattern in patterns.split(",") if pattern.strip()]
    names = (table.name.lower(), table.full_name.lower())
    return not wanted or any(fnmatchcase(name, pattern) for pattern in wanted for name in names)


def _write(output: str, content: bytes) -> None:
    if output == "-":
        sys.stdout.buffer.write(content)
    else:
        Path(output).write_bytes(content)
