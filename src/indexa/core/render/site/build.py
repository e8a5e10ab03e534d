"""The web pages of an edition.

Nothing in them asks for another file than those beside it, and no script fetches: data comes in script files, since a browser
lets a page opened from disk load those and nothing else. The page of a table says nothing of the edition it is in: that stands in
`assets/edition.js`, so that a table that did not change has the same page in every edition.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from importlib.resources import files
from typing import Any

import msgspec
from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup

from indexa.core.diagram.parts import Key
from indexa.core.dictionary.key_roles import LABELS
from indexa.core.edition.book import Book, Page
from indexa.core.edition.coverage import aspects_of
from indexa.core.edition.facts import Difference
from indexa.core.edition.open.markup import dataset
from indexa.core.model import Model
from indexa.core.render.diagram.svg import STYLES, body
from indexa.core.render.prose import to_html

_ASSETS = ("style.css", "pages.js", "contents.js", "dictionary.js")


def build_site(
    book: Book, fonts: dict[str, bytes], changes: Sequence[Difference] | None = None, since: str = ""
) -> Iterator[tuple[str, bytes]]:
    """Yield path and bytes of every file.

    `fonts` are file names with their bytes, put below assets/ beside the style sheet that names them. `changes` is what changed
    since an earlier edition, which `since` names; None where there is none.
    """
    environment = Environment(
        loader=PackageLoader("indexa.core.render.site"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters["markdown"] = lambda text: Markup(to_html(text))  # noqa: S704  no markup of the text comes through
    shared: dict[str, Any] = {
        "imprint": book.imprint,
        "book": book,
        "pages": book.pages,
        "models": [_overview(model, book) for model in book.models],
        "plates": book.plates,
        "contents": book.contents,
        "labels": list(LABELS.values()),
        "changes": changes,
        "since": since,
        "dataset": Markup(dataset(book).decode()),  # noqa: S704  JSON in which no sign is read as markup
        "aspects": aspects_of(book.coverage),
    }
    names = ["index.html", "dictionary.html"]
    names += ["glossary.html"] if book.terms or book.rules else []
    names += ["codes.html"] if book.lists else []
    names += ["names.html"] if book.findings else []
    names += ["changes.html"] if changes is not None else []
    names += ["scripts.html"] if book.scripts else []
    for name in names:
        yield name, environment.get_template(name).render(shared, home="").encode()
    for number, script in enumerate(book.scripts, 1):
        yield f"scripts/change-{number}.sql", script.text.encode()
        yield f"scripts/revert-{number}.sql", script.revert.encode()
    template = environment.get_template("table.html")
    paths = {id(model): book.paths_of(model) for model in book.models} if book.contents.surroundings else {}
    for page in book.pages:
        around = _around(page, paths)
        yield page.path, template.render(shared, page=page, around=around, home="../").encode()
    picture = environment.get_template("diagram.html")
    for plate in book.plates:
        addresses = {card.key: address for card, address in plate.linked}
        svg = Markup(body(plate.drawing, plate.notation, addresses))  # noqa: S704  made of numbers and escaped names
        yield plate.path, picture.render(shared, plate=plate, svg=svg, home="../").encode()
    if book.plates or book.contents.surroundings:
        yield "assets/drawing.css", STYLES.read_bytes()
    if book.logo is not None:
        yield f"assets/{book.logo.file_name}", book.logo.content
    if book.plates:
        yield "assets/zoom.js", (files("indexa.core.render.site") / "assets" / "zoom.js").read_bytes()
    for asset in _ASSETS:
        yield f"assets/{asset}", (files("indexa.core.render.site") / "assets" / asset).read_bytes()
    for name, content in fonts.items():
        yield f"assets/{name}", content
    yield "assets/data.js", _data(book.pages)
    yield "assets/tables.js", _script("TABLES", [_in_contents(page) for page in book.pages])
    yield "assets/edition.js", _script("IMPRINT", _imprint(book, changes))


def _around(page: Page, paths: Mapping[int, Mapping[Key, str]]) -> dict[str, Any] | None:
    """Return the small diagram of a table's page: its drawing, and that as SVG; None for none."""
    drawing = page.surroundings()
    if drawing is None:
        return None
    own = (page.table.schema, page.table.name)
    addresses = {key: f"../{path}" for key, path in paths[id(page.model)].items() if key != own}
    return {"drawing": drawing, "svg": Markup(body(drawing, addresses=addresses))}  # noqa: S704  numbers and escaped names


def _overview(model: Model, book: Book) -> dict[str, object]:
    own = book.pages_of(model)
    schemas: dict[str, list[Page]] = defaultdict(list)
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
        "plates": [plate for plate in book.plates if plate.model == model.name],
    }


def _in_contents(page: Page) -> list[str]:
    """Return what the contents beside a page need of a table: path, schema, name, business name, model."""
    return [page.path, page.table.schema, page.table.name, page.table.business_name, page.model.name]


def _imprint(book: Book, changes: Sequence[Difference] | None) -> dict[str, Any]:
    """Return what names the edition, and by page which rows are new or changed."""
    marks: defaultdict[str, dict[str, str]] = defaultdict(dict)
    for one in changes or ():
        if one.path and one.kind != "removed" and one.object in ("table", "column"):
            marks[one.path][one.column] = "new" if one.kind == "added" else "changed"
    imprint = book.imprint
    return {
        "edition": imprint.edition, "date": imprint.date, "signed": imprint.signed, "changes": changes is not None, "marks": marks,
        "links": [
            *([["glossary.html", "Glossary"]] if book.terms or book.rules else []), *([["codes.html", "Code lists"]] if book.lists else []),
            *([["scripts.html", "Change scripts"]] if book.scripts else []),
            *([["names.html", "Naming findings"]] if book.findings else []),
        ],
    }  # fmt: skip


def _data(pages: Sequence[Page]) -> bytes:
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
    return _script("EDITION", {"tables": tables, "columns": columns})


def _script(name: str, value: object) -> bytes:
    """Write a value as a script file: no sign may end the script or be read as markup."""
    data = msgspec.json.encode(value).replace(b"<", b"\\u003c").replace("\u2028".encode(), b"\\u2028")
    return f"window.{name} = ".encode() + data + b";\n"
