"""The pages of an edition: tables with what stands around them, and pictures with the pages that their cards link to."""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

from indexa.core.diagram.around import Surroundings
from indexa.core.diagram.parts import Card, Drawing, Key
from indexa.core.dictionary.key_roles import key_roles, short_forms
from indexa.core.edition.coverage import Coverage, coverage_of
from indexa.core.edition.parts import (
    CodeList,
    Contents,
    EnclosedScript,
    Frozen,
    Imprint,
    Logo,
    NameFound,
    Paper,
    Picture,
    Rule,
    Section,
    Term,
)
from indexa.core.model import VIEW_KINDS, ForeignKey, Model, Table
from indexa.core.model.relationships import Relationship, relationship
from indexa.core.render.diagram.notations import Notation


class Plate(msgspec.Struct):
    """The page of a picture: where it is, what it shows, and which pages its cards link to."""

    title: str
    path: str
    model: str
    drawing: Drawing
    notation: Notation
    linked: list[tuple[Card, str]]


class Page(msgspec.Struct):
    """A table with what its page needs beside it; `said` and `carried` are by column, under "" those of the table."""

    table: Table
    model: Model
    path: str
    roles: dict[str, list[str]]
    refers: list[tuple[ForeignKey, Relationship, int]] = msgspec.field(default_factory=list)
    referred: list[tuple[ForeignKey, Relationship, int]] = msgspec.field(default_factory=list)
    plates: list[Plate] = msgspec.field(default_factory=list)
    """The pictures that show it."""
    beside: Surroundings | None = None
    """What it can be drawn with; None where the edition has no such diagrams."""
    said: dict[str, dict[str, str]] = msgspec.field(default_factory=dict)
    carried: dict[str, dict[str, str]] = msgspec.field(default_factory=dict)

    @property
    def described(self) -> int:
        """How many of its columns have a definition."""
        return sum(bool(column.definition) for column in self.table.columns)

    def surroundings(self) -> Drawing | None:
        """Return it with the tables next to it, drawn anew each time; None where there is nothing to draw."""
        return self.beside.drawing(self.table) if self.beside is not None else None


class Book(msgspec.Struct):
    """An edition, ready to be given a form."""

    imprint: Imprint
    contents: Contents
    models: list[Model]
    pages: list[Page]
    plates: list[Plate]
    terms: list[Term]
    rules: list[Rule]
    lists: list[CodeList]
    sections: list[Section]
    """Own texts, the names in them as links to pages."""
    left_out: str = ""
    scripts: list[EnclosedScript] = msgspec.field(default_factory=list)
    coverage: list[Coverage] = msgspec.field(default_factory=list)
    audience: str = ""
    paper: Paper = "a4"
    foot: str = ""
    findings: list[NameFound] = msgspec.field(default_factory=list)
    logo: Logo | None = None
    volume: str = ""
    """Which of several documents it is, in words."""
    volumes: list[str] = msgspec.field(default_factory=list)
    """What each of them holds; the first says so."""

    def pages_of(self, model: Model) -> list[Page]:
        """Return the pages of a model's tables."""
        return [page for page in self.pages if page.model is model]

    def paths_of(self, model: Model) -> dict[Key, str]:
        """Return the paths of the pages of a model's tables, by schema and name."""
        return {(page.table.schema, page.table.name): page.path for page in self.pages_of(model)}


def book_of(frozen: Frozen, imprint: Imprint) -> Book:
    """Return what is to be shown of frozen content, under an imprint."""
    contents = frozen.contents
    models = frozen.models if contents.comments else [_without_comments(model) for model in frozen.models]
    pages = _pages(models, contents)
    for page in pages:
        if contents.stewardship:
            page.said = _by_name(page.table, frozen.said)
        if contents.glossary or contents.codes:
            page.carried = _by_name(page.table, frozen.carried)
    plates = _plates(models, pages, frozen.pictures if contents.diagrams else ())
    sections = [Section(one.title, _linked(one.text, pages)) for one in frozen.sections]
    coverage = coverage_of((page.model.name, page.table, page.said) for page in pages) if contents.coverage else []
    if contents.surroundings:
        _put_beside(models, pages)
    if not contents.tables:
        pages = []
        for plate in plates:
            plate.linked = []
    return Book(
        imprint, contents, models, pages, plates, frozen.terms if contents.glossary else [], frozen.rules if contents.glossary else [],
        frozen.lists if contents.codes else [], sections, frozen.left_out,
        frozen.scripts, coverage, frozen.audience, frozen.paper, frozen.foot, frozen.findings if contents.findings else [],
        frozen.logo if contents.logo else None,
    )  # fmt: skip


_NAMED = re.compile(r"\[\[([tc]\d+)\|([^\]\n]*)\]\]")


def _linked(text: str, pages: Sequence[Page]) -> str:
    """Put links into a text where it names tables and columns: what they are called now, and their pages."""
    found: dict[str, tuple[str, str]] = {}
    for page in pages:
        found[page.table.id] = page.table.full_name, page.path
        for column in page.table.columns:
            found[column.id] = f"{page.table.full_name}.{column.name}", f"{page.path}#c{column.position}"

    def linked(match: re.Match[str]) -> str:
        name, path = found.get(match[1], (match[2], ""))
        return f"[`{name}`]({path})" if path else f"`{name}`"

    return _NAMED.sub(linked, text)


def _by_name(table: Table, told: dict[str, dict[str, str]]) -> dict[str, dict[str, str]]:
    found = {column.name: told[column.id] for column in table.columns if column.id in told}
    return found | ({"": told[table.id]} if table.id in told else {})


def _pages(models: list[Model], contents: Contents) -> list[Page]:
    pages: list[Page] = []
    taken: set[str] = set()
    for model in models:
        by_name: dict[tuple[str, str], int] = {}
        order = {schema: place for place, schema in enumerate(dict.fromkeys(one.schema for one in model.tables))}
        for table in sorted(model.tables, key=lambda one: order[one.schema]):
            if not contents.views and table.kind in VIEW_KINDS:
                continue
            if not contents.undescribed and not (table.definition or any(c.definition for c in table.columns)):
                continue
            roles = {name: short_forms(role) for name, role in key_roles(table).items()}
            by_name[table.schema, table.name] = len(pages)
            pages.append(Page(table, model, _free(f"{_slug(model.name)}-{_slug(table.full_name)}", taken), roles))
        for index in list(by_name.values()):
            page = pages[index]
            for key in page.table.foreign_keys:
                means = relationship(page.table, key)
                target = by_name.get((key.ref_schema, key.ref_table), -1)
                page.refers.append((key, means, target))
                if target >= 0:
                    pages[target].referred.append((key, means, index))
    return pages


def _put_beside(models: Sequence[Model], pages: Sequence[Page]) -> None:
    for model in models:
        own = [page for page in pages if page.model is model]
        beside = Surroundings([page.table for page in own])
        for page in own:
            page.beside = beside


def _plates(models: Sequence[Model], pages: Sequence[Page], pictures: Sequence[Picture]) -> list[Plate]:
    """Return the pages of pictures, without tables that are left out; each table's page learns which pictures show it."""
    found: list[Plate] = []
    taken: set[str] = set()
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
        plate = Plate(
            title=drawing.title, path=_free(_slug(drawing.title), taken, "diagrams"), model=model.name, drawing=drawing,
            notation=picture.notation, linked=[(card, addresses[card.key]) for card in drawing.cards],
        )  # fmt: skip
        found.append(plate)
        for card in drawing.cards:
            own[card.key].plates.append(plate)
    return found


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


def _free(name: str, taken: set[str], folder: str = "tables") -> str:
    """Return the path of a page: the same in every edition, as long as names are."""
    path, number = f"{folder}/{name}.html", 1
    while path in taken:
        number += 1
        path = f"{folder}/{name}-{number}.html"
    taken.add(path)
    return path
