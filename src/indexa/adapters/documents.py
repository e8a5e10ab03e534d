"""The forms of an edition beside its pages: documents and open formats, all made from the same content."""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple
from urllib.parse import quote

from indexa.adapters.typesetting import book_pdf, png_of, pngs_of
from indexa.core.dictionary.entry import Entry
from indexa.core.dictionary.key_roles import key_roles
from indexa.core.edition.book import Book
from indexa.core.edition.facts import Difference
from indexa.core.edition.open import dcat, skos, structures, tabular, xmi
from indexa.core.edition.sheets import sheets_of
from indexa.core.edition.volumes import volumes_of
from indexa.core.render import book_typst, book_word, csv_file, markdown, markdown_folder, xlsx
from indexa.core.render.cells import neutral
from indexa.core.render.diagram import svg

Make = Callable[[Book, Sequence[Difference]], bytes]


class Form(NamedTuple):
    """A form an edition is given: what it is called, its file, its media type, and what makes it."""

    label: str
    use: str
    file_name: str
    media_type: str
    make: Make
    cannot: tuple[str, ...] = ()
    """What of an edition it does not carry."""
    most_tables: int = 0
    """Tables in one file; a larger edition is several. 0 for any number."""

    def files(self, book: Book, changes: Sequence[Difference]) -> Iterator[tuple[str, bytes]]:
        """Yield name and bytes of each file: one, or for a large edition "edition.pdf", "edition-2.pdf" …"""
        volumes = volumes_of(book, self.most_tables) if self.most_tables else [book]
        stem, _, suffix = self.file_name.partition(".")
        for number, one in enumerate(volumes, 1):
            name = self.file_name if number == 1 else f"{stem}-{number}.{suffix}"
            yield name, self.make(one, changes if number == 1 else ())


def _pdf(book: Book, changes: Sequence[Difference]) -> bytes:
    files = {f"drawing-{number}.svg": one.encode() for number, one in enumerate(_drawings(book), 1)}
    for number, page in enumerate(book.pages, 1):
        drawing = page.surroundings()
        if drawing is not None:
            files[f"around-{number}.svg"] = svg.document(drawing).encode()
    if book.logo is not None:
        files[book.logo.file_name] = book.logo.content
    return book_pdf(book_typst.pieces(book, changes), files)


def _word(book: Book, changes: Sequence[Difference]) -> bytes:
    drawn = [(page.path, drawing) for page in book.pages if (drawing := page.surroundings()) is not None]
    pictures = pngs_of([svg.document(drawing) for _, drawing in drawn], 1.5)
    around = {path: (picture, drawing) for (path, drawing), picture in zip(drawn, pictures, strict=True)}
    return book_word.write(book, changes, [png_of(one, 2) for one in _drawings(book)], around)


def _drawings(book: Book) -> list[str]:
    return [svg.document(plate.drawing, plate.notation) for plate in book.plates]


def _entries(book: Book) -> tuple[tuple[str, ...], list[Entry]]:
    """Return the columns of an edition as entries of a dictionary, and the headings of what else they hold."""
    more = list(
        dict.fromkeys(
            name for page in book.pages for told in (*page.carried.values(), *page.said.values()) for name in told
        )
    )
    found = []
    for page in book.pages:
        table, roles = page.table, key_roles(page.table)
        for column in table.columns:
            told = page.carried.get(column.name, {}) | page.said.get(column.name, {})
            refers = "; ".join(
                f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table
                for key, _, _ in page.refers
                if column.name in key.columns
            )
            found.append(
                Entry(
                    page.model.name, table.schema, table.name, table.business_name, table.kind, column.position,
                    int(roles.get(column.name, 0)), column.name, column.business_name, column.type, column.nullable, column.definition,
                    column.comment, table.definition, refers, tuple(told.get(name, "") for name in more),
                )
            )  # fmt: skip
    return tuple(more), found


def _xlsx(book: Book, changes: Sequence[Difference]) -> bytes:
    more, entries = _entries(book)
    imprint, stream = book.imprint, io.BytesIO()
    facts = [("Edition", f"{imprint.edition}, {imprint.date}")] + (
        [("Signed", imprint.signed)] if imprint.signed else []
    )
    xlsx.write(
        stream,
        entries,
        xlsx.Cover(imprint.title, imprint.made_by, imprint.made_at, tuple(facts), more),
        sheets_of(book, changes),
    )
    return stream.getvalue()


def _markdown(book: Book, changes: Sequence[Difference]) -> bytes:
    more, entries = _entries(book)
    imprint = book.imprint
    named = f"{imprint.area}, {imprint.edition}, {imprint.date}" + (f", {imprint.signed}" if imprint.signed else "")
    return b"".join(markdown.pieces(entries, imprint.title, named, more))


def _markdown_folder(book: Book, changes: Sequence[Difference]) -> bytes:
    return _zipped(book, {path: text.encode() for path, text in markdown_folder.files(book, changes)})


def _csv_bundle(book: Book, changes: Sequence[Difference]) -> bytes:
    more, entries = _entries(book)
    files = {"columns.csv": b"".join(csv_file.pieces(entries, more))}
    files |= {f"{one.file}.csv": _csv(one.headings, one.rows) for one in sheets_of(book, changes)}
    return _zipped(book, files)


def _zipped(book: Book, files: Mapping[str, bytes]) -> bytes:
    """Return files as a zip that is the same for the same edition."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            archive.writestr(zipfile.ZipInfo(name, book.imprint.made_at.timetuple()[:6]), content, zipfile.ZIP_DEFLATED)
    return stream.getvalue()


def _csv(heads: Sequence[str], rows: Iterable[Sequence[str]]) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(heads)
    writer.writerows([neutral(cell) for cell in row] for row in rows)
    return out.getvalue().encode()


_OFFICE = "application/vnd.openxmlformats-officedocument."
FORMS: dict[str, Form] = {
    "pdf": Form("PDF", "to read and to file", "edition.pdf", "application/pdf", _pdf, most_tables=140),
    "docx": Form(
        "Word",
        "to quote and to go on writing",
        "edition.docx",
        f"{_OFFICE}wordprocessingml.document",
        _word,
        most_tables=400,
    ),
    "xlsx": Form("Spreadsheet", "a sheet a kind, linked", "edition.xlsx", f"{_OFFICE}spreadsheetml.sheet", _xlsx),
    "md": Form("Markdown", "in one file", "edition.md", "text/markdown", _markdown),
    "md-folder": Form(
        "Markdown folder",
        "a file a table, for a repository",
        "edition-markdown.zip",
        "application/zip",
        _markdown_folder,
    ),
    "csv": Form("CSV bundle", "a file a kind", "edition-csv.zip", "application/zip", _csv_bundle),
}
"""Documents by the name that commands use."""


def _of(write: Callable[[Book], bytes]) -> Make:
    return lambda book, changes: write(book)


def _base(book: Book) -> str:
    """Return the address below which things lie that have none on this machine: a name that nobody else uses."""
    return f"urn:indexa:{quote(book.imprint.area.lower().replace(' ', '-'))}:"


OPEN_FORMS: dict[str, Form] = {
    "dcat": Form(
        "DCAT 3", "for catalogs, as Turtle", "catalog.ttl", "text/turtle", _of(lambda book: dcat.write(book, _base(book))), dcat.CANNOT
    ),
    "skos": Form(
        "SKOS", "terms and code lists, as Turtle", "glossary.ttl", "text/turtle", _of(lambda book: skos.write(book, _base(book))), skos.CANNOT
    ),
    "csvw": Form(
        "CSV on the Web", "metadata of tables", "csvw-metadata.json", "application/csvm+json", _of(tabular.csvw), tabular.CANNOT_CSVW
    ),
    "datapackage": Form(
        "Data Package", "with Table Schema", "datapackage.json", "application/json", _of(tabular.data_package), tabular.CANNOT_PACKAGE
    ),
    "jsonschema": Form(
        "JSON Schema", "a definition a table", "schema.json", "application/schema+json", _of(structures.json_schema),
        structures.CANNOT_JSON_SCHEMA,
    ),
    "avro": Form("Avro", "a record a table", "schemas.avsc", "application/json", _of(structures.avro), structures.CANNOT_AVRO),
    "contract": Form(
        "Data contract", "by the open standard", "contract.odcs.yaml", "application/yaml", _of(structures.contract), structures.CANNOT_CONTRACT
    ),
    "xmi": Form("UML class model", "XMI 2.5.1", "model.xmi", "application/xml", _of(xmi.write), xmi.CANNOT),
}  # fmt: skip
"""Open formats by the name that commands use."""
