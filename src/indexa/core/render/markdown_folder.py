"""An edition as a folder of Markdown: a file a table, its relationships as links, an index by schema, and what else it tells."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby

from indexa.core.edition.book import Book, Page
from indexa.core.edition.facts import Difference
from indexa.core.edition.sheets import Sheet, sheets_of
from indexa.core.render.markdown import code, escape

_BESIDE = {"terms", "rules", "codes", "findings", "changes"}


def files(book: Book, changes: Sequence[Difference]) -> Iterator[tuple[str, str]]:
    """Yield path and text of each file."""
    beside = [one for one in sheets_of(book, changes) if one.file in _BESIDE]
    yield "README.md", "\n".join(_index(book, beside)) + "\n"
    for page in book.pages:
        yield _path(page), "\n".join(_page(page, book)) + "\n"
    for sheet in beside:
        yield f"{sheet.file}.md", "\n".join([f"# {sheet.name}", "", *_grid(sheet.headings, sheet.rows)]) + "\n"


def _path(page: Page) -> str:
    return page.path.removesuffix(".html") + ".md"


def _index(book: Book, beside: Sequence[Sheet]) -> Iterator[str]:
    imprint = book.imprint
    yield f"# {escape(imprint.title)}\n"
    yield escape(", ".join(filter(None, (imprint.area, imprint.edition, imprint.date, imprint.signed)))) + "\n"
    if imprint.note:
        yield f"{_prose(imprint.note)}\n"
    if beside:
        yield ", ".join(f"[{one.name}]({one.file}.md)" for one in beside) + "\n"
    for section in book.sections:
        yield f"## {escape(section.title)}\n\n{_prose(section.text.replace('.html', '.md'))}\n"
    for (model, schema), pages in groupby(book.pages, key=lambda page: (page.model.name, page.table.schema)):
        yield f"## {escape(model)} {code(schema)}\n" if schema else f"## {escape(model)}\n"
        for page in pages:
            words = f" {escape(page.table.business_name)}" if page.table.business_name else ""
            yield f"- [{code(page.table.name)}]({_path(page)}){words}"
        yield ""


def _prose(text: str) -> str:
    """Return Markdown that people wrote, in which no sign begins markup of HTML."""
    return text.replace("<", "&lt;")


def _page(page: Page, book: Book) -> Iterator[str]:
    table = page.table
    yield f"# {code(table.full_name)}" + (f" {escape(table.business_name)}" if table.business_name else "") + "\n"
    yield f"[{escape(book.imprint.title)}](../README.md), model {escape(page.model.name)}\n"
    if table.definition or table.comment:
        yield f"{_prose(table.definition) or escape(table.comment)}\n"
    for name, value in page.said.get("", {}).items():
        yield f"- {escape(name)}: {escape(value)}"
    yield ""
    rows = []
    for column in table.columns:
        told = page.carried.get(column.name, {}) | page.said.get(column.name, {})
        rows.append((
            str(column.position), " ".join(page.roles.get(column.name, ())), code(column.name), escape(column.business_name),
            code(column.type), "yes" if column.nullable else "no", escape(column.definition or column.comment),
            escape("; ".join(f"{name}: {value}" for name, value in told.items())),
        ))  # fmt: skip
    heads = ("#", "Key", "Column", "Business name", "Type", "Null", "Definition", "Said of it")
    yield from _lines(heads, rows)
    for title, found in (("References", page.refers), ("Referenced by", page.referred)):
        if found:
            yield f"\n## {title}\n"
        for key, _, index in found:
            other = book.pages[index] if index >= 0 else None
            name = other.table.full_name if other else f"{key.ref_schema}.{key.ref_table}".strip(".")
            shown = f"[{code(name)}]({_path(other).removeprefix('tables/')})" if other else code(name)
            declared = "asserted by a person" if key.asserted else "declared in the database"
            yield f"- {code(', '.join(key.columns))}: {shown}, {declared}"


def _grid(headings: Sequence[str], rows: Sequence[Sequence[str]]) -> Iterator[str]:
    yield from _lines(headings, [tuple(map(escape, row)) for row in rows])


def _lines(headings: Sequence[str], rows: Sequence[Sequence[str]]) -> Iterator[str]:
    yield f"| {' | '.join(headings)} |"
    yield "|" + "---|" * len(headings)
    for row in rows:
        yield f"| {' | '.join(row)} |"
