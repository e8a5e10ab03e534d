"""Making the pages of an edition from models.

Nothing in them asks for another file than those beside it, and no script fetches: data comes in
script files, since a browser lets a page opened from disk load those and nothing else.
"""

from __future__ import annotations

import datetime as dt
import re
from collections import defaultdict
from collections.abc import Iterator, Sequence
from importlib.resources import files

import msgspec
from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup

from indexa.core.diagram.parts import Card, Drawing
from indexa.core.dictionary.key_roles import LABELS, key_roles, short_forms
from indexa.core.model import VIEW_KINDS, ForeignKey, Model, Table
from indexa.core.model.relationships import Relationship, relationship
from indexa.core.render.diagram.notations import Notation
from indexa.core.render.diagram.svg import STYLES, body
from indexa.core.render.prose import to_html

_ASSETS = ("style.css", "pages.js", "dictionary.js")


class Contents(msgspec.Struct, frozen=True):
    """What goes into an edition."""

    views: bool = True
    comments: bool = True
    undescribed: bool = True
    """False leaves out tables in which nothing is described."""
    technical: bool = True
    """Indexes, checks and the queries of views."""
    diagrams: bool = True
    """The diagrams that the area shares of the models."""


class Imprint(msgspec.Struct, frozen=True):
    """What stands on every page: whose, what, and when."""

    title: str
    area: str
    note: str
    made_by: str
    made_at: dt.datetime


class Picture(msgspec.Struct):
    """A diagram of one of the models (by its position), laid out and measured."""

    model: int
    drawing: Drawing
    notation: Notation = "crows-foot"


class _Plate(msgspec.Struct):
    """The page of a picture: where it is, what it shows, and which pages its cards link to."""

    title: str
    path: str
    model: str
    drawing: Drawing
    svg: str
    linked: list[tuple[Card, str]]


class _Page(msgspec.Struct):
    """A table with what its page needs beside it."""

    table: Table
    model: Model
    number: int
    roles: dict[str, list[str]]
    refers: list[tuple[ForeignKey, Relationship, int]] = msgspec.field(default_factory=list)
    referred: list[tuple[ForeignKey, Relationship, int]] = msgspec.field(default_factory=list)
    plates: list[_Plate] = msgspec.field(default_factory=list)
    """The pictures that show it."""

    @property
    def path(self) -> str:
        return f"tables/{self.number}-{_slug(self.table.full_name)}.html"

    @property
    def described(self) -> int:
        return sum(bool(column.definition) for column in self.table.columns)


def build_site(
    models: list[Model],
    contents: Contents,
    imprint: Imprint,
    fonts: dict[str, bytes],
    pictures: Sequence[Picture] = (),
) -> Iterator[tuple[str, bytes]]:
    """Yield path and bytes of every file. Words of the models must be those they show.

    fonts: file name to bytes, put below assets/ beside the style sheet that names them.
    """
    if not contents.comments:
        models = [_without_comments(model) for model in models]
    pages = _pages(models, contents)
    plates = _plates(models, pages, pictures if contents.diagrams else ())
    environment = Environment(
        loader=PackageLoader("indexa.core.render.site"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters["markdown"] = lambda text: Markup(to_html(text))  # noqa: S704  no markup of the text comes through
    shared = {
        "imprint": imprint,
        "pages": pages,
        "models": [_overview(model, pages, plates) for model in models],
        "plates": plates,
        "contents": contents,
        "labels": list(LABELS.values()),
    }
    for name, home in (("index.html", ""), ("dictionary.html", "")):
        yield name, environment.get_template(name).render(shared, home=home).encode()
    template = environment.get_template("table.html")
    for page in pages:
        yield page.path, template.render(shared, page=page, home="../").encode()
    picture = environment.get_template("diagram.html")
    for plate in plates:
        yield plate.path, picture.render(shared, plate=plate, home="../").encode()
    if plates:
        yield "assets/drawing.css", STYLES.read_bytes()
        yield "assets/zoom.js", (files("indexa.core.render.site") / "assets" / "zoom.js").read_bytes()
    for asset in _ASSETS:
        yield f"assets/{asset}", (files("indexa.core.render.site") / "assets" / asset).read_bytes()
    for name, content in fonts.items():
        yield f"assets/{name}", content
    yield "assets/data.js", _data(pages)


def _pages(models: list[Model], contents: Contents) -> list[_Page]:
    pages: list[_Page] = []
    for model in models:
        by_name: dict[tuple[str, str], int] = {}
        for table in model.tables:
            if not contents.views and table.kind in VIEW_KINDS:
                continue
            if not contents.undescribed and not (table.definition or any(c.definition for c in table.columns)):
                continue
            roles = {name: short_forms(role) for name, role in key_roles(table).items()}
            by_name[table.schema, table.name] = len(pages)
            pages.append(_Page(table, model, len(pages) + 1, roles))
        for index in list(by_name.values()):
            page = pages[index]
            for key in page.table.foreign_keys:
                means = relationship(page.table, key)
                target = by_name.get((key.ref_schema, key.ref_table), -1)
                page.refers.append((key, means, target))
                if target >= 0:
                    pages[target].referred.append((key, means, index))
    return pages


def _plates(models: Sequence[Model], pages: Sequence[_Page], pictures: Sequence[Picture]) -> list[_Plate]:
    """Return the pages of pictures, without tables that are left out; each table's page learns which pictures show it."""
    found: list[_Plate] = []
    for picture in pictures:
        model = models[picture.model]
        own = {(page.table.schema, page.table.name): page for page in pages if page.model is model}
        drawing = msgspec.structs.replace(
            picture.drawing,
            cards=[card for card in picture.drawing.cards if card.key in own],
            lines=[line for line in picture.drawing.lines if line.child in own and line.parent in own],
        )
        if not drawing.cards:
            continue
        addresses = {card.key: f"../{own[card.key].path}" for card in drawing.cards}
        plate = _Plate(
            title=drawing.title, path=f"diagrams/{len(found) + 1}-{_slug(drawing.title)}.html", model=model.name, drawing=drawing,
            svg=body(drawing, picture.notation, addresses), linked=[(card, addresses[card.key]) for card in drawing.cards],
        )  # fmt: skip
        found.append(plate)
        for card in drawing.cards:
            own[card.key].plates.append(plate)
    return found


def _overview(model: Model, pages: list[_Page], plates: list[_Plate]) -> dict[str, object]:
    own = [page for page in pages if page.model is model]
    schemas: dict[str, list[_Page]] = defaultdict(list)
    for page in own:
        schemas[page.table.schema].append(page)
    columns = sum(len(page.table.columns) for page in own)
    described = sum(page.described for page in own)
    return {
        "name": model.name,
        "layer": model.layer,
        "tables": len(own),
        "columns": columns,
        "described": described,
        "percent": round(100 * described / columns) if columns else 0,
        "schemas": dict(schemas),
        "plates": [plate for plate in plates if plate.model == model.name],
    }


def _data(pages: list[_Page]) -> bytes:
    """Write what the dictionary page searches: tables, and columns with their table's index."""
    tables = [[page.path, page.table.full_name, page.table.business_name, page.model.name] for page in pages]
    columns = [
        [
            index, column.position, " ".join(page.roles.get(column.name, [])), column.name, column.business_name,
            column.type, int(column.nullable), column.definition or "", "" if column.definition else column.comment,
        ]
        for index, page in enumerate(pages)
        for column in page.table.columns
    ]  # fmt: skip
    data = msgspec.json.encode({"tables": tables, "columns": columns})
    # In a script file: no sign may end the script or be read as markup.
    return b"window.EDITION = " + data.replace(b"<", b"\\u003c").replace("\u2028".encode(), b"\\u2028") + b";\n"


def _without_comments(model: Model) -> Model:
    """Return a copy in which no table or column has the source's comment."""
    return msgspec.structs.replace(
        model,
        tables=[
            msgspec.structs.replace(
                table,
                comment="",
                columns=[msgspec.structs.replace(column, comment="") for column in table.columns],
            )
            for table in model.tables
        ],
    )


def _slug(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "table"
