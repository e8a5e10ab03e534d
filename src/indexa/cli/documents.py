"""Renders models as documentation: pages, documents, open formats; and, as before, one of them as a diagram."""

from __future__ import annotations

import argparse
import datetime as dt
import sys
import zipfile
from pathlib import Path
from typing import TYPE_CHECKING

from indexa.adapters.errors import SourceError
from indexa.cli import diagrams
from indexa.cli.failing import run_or_say_why

if TYPE_CHECKING:
    from indexa.adapters.documents import Form
    from indexa.core.edition.book import Book

DOCUMENTS = ("html", "pdf", "docx", "xlsx", "md", "md-folder", "csv")
OPEN_FORMS = ("dcat", "skos", "csvw", "datapackage", "jsonschema", "avro", "contract", "xmi")

TEMPLATES = ("data-dictionary", "audit", "review-of-a-change", "one-page-overview")


def add_render(parser: argparse.ArgumentParser) -> None:
    """Describe what `render` takes."""
    diagrams.add_render(parser, more=(*DOCUMENTS, *OPEN_FORMS))
    parser.add_argument("--title", default="", help="of a document; the model's name by default")
    parser.add_argument("--area", default="Documentation", help="whose document it is")
    parser.add_argument("--template", choices=TEMPLATES, default=TEMPLATES[0], help="what a document holds")
    parser.add_argument("--without", action="append", default=[], choices=("views", "comments", "undescribed", "technical", "diagrams"),
                        help="what a document leaves out; may be given several times")  # fmt: skip
    parser.add_argument("--with", action="append", default=[], dest="also", choices=("neighbourhoods", "surroundings"),
                        help="diagrams that a document has besides: of each group of tables, of each table with those next to it")  # fmt: skip
    parser.add_argument("--foot", default="", help="a line at the foot of every page")
    parser.add_argument("--logo", default="", help="a PNG or JPEG file for the cover")


def render(given: argparse.Namespace) -> int:
    """Write models as documentation, or one as a diagram. Returns 0, or 1 where a model can't be read."""
    if given.to not in (*DOCUMENTS, *OPEN_FORMS):
        if len(given.model) > 1:
            raise SystemExit("indexa: a diagram shows one model; give one.")
        given.model = given.model[0]
        return diagrams.render(given)
    return run_or_say_why(lambda: _render(given), failed=1, about=", ".join(given.model))


def _render(given: argparse.Namespace) -> int:
    book = _book(given)
    if given.to == "html":
        _write_pages(book, given.output)
        return 0
    from indexa.adapters import documents
    from indexa.adapters.typesetting import TooLargeError, TypesettingError

    form = (documents.FORMS | documents.OPEN_FORMS)[given.to]
    try:
        _write_files(form, book, given.output)
    except (TypesettingError, TooLargeError) as error:
        raise SourceError(
            "not-made", str(error), "Leave diagrams out (--without diagrams), or take another form."
        ) from error
    if form.cannot:
        print(f"indexa: {form.label} does not carry: {'; '.join(form.cannot)}.", file=sys.stderr)
    return 0


def _write_files(form: Form, book: Book, output: str) -> None:
    if output == "-":
        made = list(form.files(book, []))
        if len(made) > 1:
            raise SourceError("no-output", f"{form.label} of so many tables is several files.", "Name a file with -o.")
        sys.stdout.buffer.write(made[0][1])
        return
    for number, (_, content) in enumerate(form.files(book, []), 1):
        path = Path(output) if number == 1 else Path(output).with_stem(f"{Path(output).stem}-{number}")
        path.write_bytes(content)
        if number > 1:
            print(f"indexa: volume {number} is {path}", file=sys.stderr)


def _book(given: argparse.Namespace) -> Book:
    import msgspec

    from indexa.adapters.graphviz import place_by_graphviz
    from indexa.adapters.logos import logo_of
    from indexa.cli.inputs import model_of
    from indexa.core.diagram.arranging import arrange
    from indexa.core.diagram.neighbourhoods import suggested
    from indexa.core.edition.book import book_of
    from indexa.core.edition.composing import sections_of
    from indexa.core.edition.parts import Frozen, Imprint, Picture
    from indexa.core.edition.picturing import neighbourhood_pictures
    from indexa.core.edition.starters import STARTERS

    models = [model_of(one) for one in given.model]
    starter = next(one for one in STARTERS if one.slug == given.template)
    chosen = dict.fromkeys(given.without, False) | dict.fromkeys(given.also, True)
    contents = msgspec.structs.replace(starter.contents, **chosen)
    pictures = []
    for place, model in enumerate(models if contents.diagrams else []):
        drawing = arrange(model, place_by_graphviz, tables=set(suggested(model)), style="orthogonal", depth="columns")
        drawing.title = f"Overview of {model.name}" if model.name else "Overview"
        pictures += [Picture(place, drawing)] if drawing.cards else []
        if contents.neighbourhoods:
            pictures += neighbourhood_pictures(model, place, place_by_graphviz)
    title = given.title or ", ".join(model.name for model in models if model.name) or "Data dictionary"
    imprint = Imprint(title, given.area, "", "Indexa", dt.datetime.now(dt.UTC))
    logo = logo_of(Path(given.logo).read_bytes()) if given.logo else None
    frozen = Frozen(
        given.area,
        title,
        "",
        contents,
        models,
        pictures,
        sections=sections_of(starter.text),
        foot=given.foot,
        logo=logo,
    )
    return book_of(frozen, imprint)


def _write_pages(book: Book, output: str) -> None:
    from indexa.adapters.fonts import SHIPPED
    from indexa.core.render.site import build_site

    if output == "-":
        raise SourceError("no-output", "Pages are many files.", "Name a folder or a zip file with -o.")
    fonts = {path.name: path.read_bytes() for path in SHIPPED.values()}
    pages = build_site(book, fonts)
    if output.endswith(".zip"):
        with zipfile.ZipFile(output, "w", zipfile.ZIP_DEFLATED) as archive:
            for path, content in pages:
                archive.writestr(path, content)
        return
    for path, content in pages:
        target = Path(output) / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(content)
