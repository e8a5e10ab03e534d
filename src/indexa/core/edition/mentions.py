"""Texts that name what an edition leaves out: keys and views follow by rule, what people wrote is for people to judge."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator
from typing import NamedTuple

import msgspec

from indexa.core.edition.finding import finder, words_of
from indexa.core.edition.parts import Frozen
from indexa.core.model import Column, Model, Table

_MACHINE_NAME = re.compile(r"[_\d]")
"""What tells a machine name from a word of prose."""


class LeftOut(msgspec.Struct, frozen=True):
    """A table or column that an edition leaves out: its full name, and its business name, "" for none."""

    name: str
    business_name: str = ""


class Mention(msgspec.Struct, frozen=True):
    """A text that names something left out: where it stands, which text of it, and what it names.

    `table` and `column` are the ids of those whose text it is, 0 for any other text; `more` counts the others with the very
    same text, as columns have that implement one attribute.
    """

    place: str
    text: str
    names: tuple[str, ...]
    table: int = 0
    column: int = 0
    more: int = 0


class _Text(NamedTuple):
    place: str
    text: str
    content: str
    table: str = ""
    column: str = ""


def left_out_of(before: Model, after: Model) -> dict[str, LeftOut]:
    """Return the tables and columns of a model that are not in what was made of it, by their ids."""
    there = {one.id for table in after.tables for one in _with_columns(table)}
    found = {}
    for table in before.tables:
        if table.id not in there:
            found[table.id] = LeftOut(table.full_name, table.business_name)
        for column in table.columns:
            if column.id not in there:
                found[column.id] = LeftOut(f"{table.full_name}.{column.name}", column.business_name)
    return found


def _with_columns(table: Table) -> list[Table | Column]:
    return [table, *table.columns]


def mentions(frozen: Frozen, left_out: Collection[LeftOut]) -> list[Mention]:
    """Return the texts of an edition that name what it leaves out, each once.

    A column is named by "table.column", a table by "schema.table"; by its own name where that is no word of prose and nothing
    else in the edition has it; by a business name of two or more words that nothing else in the edition has.
    """
    if not left_out:
        return []
    named = _finder(frozen, left_out)
    found: dict[tuple[str, str], Mention] = {}
    for one in _texts(frozen):
        key = (one.text, one.content)
        if key in found:
            found[key] = msgspec.structs.replace(found[key], more=found[key].more + 1)
        elif one.content and (names := named(one.content)):
            found[key] = Mention(one.place, one.text, names, int(one.table[1:] or 0), int(one.column[1:] or 0))
    return list(found.values())


def _texts(frozen: Frozen) -> Iterator[_Text]:
    """Yield every text that people wrote."""
    yield _Text("The cover", "purpose", frozen.note)
    yield _Text("The cover", "audience", frozen.audience)
    yield _Text("Every page", "line at the foot", frozen.foot)
    for section in frozen.sections:
        yield _Text(section.title or "Own text", "own text", f"{section.title}\n{section.text}")
    for table in (table for model in frozen.models for table in model.tables):
        for content, text in _told(frozen, table):
            yield _Text(table.full_name, text, content, table.id)
        for column in table.columns:
            for content, text in _told(frozen, column):
                yield _Text(f"{table.full_name}.{column.name}", text, content, table.id, column.id)
    for term in frozen.terms:
        yield _Text(f"Term {term.name}", "definition", term.definition)
    for rule in frozen.rules:
        yield _Text(f"Rule {rule.name}", "definition", f"{rule.name}\n{rule.definition}\n{rule.reason}")
    for one in frozen.lists:
        yield _Text(
            f"Code list {one.name}", "meanings", "\n".join((one.meaning, *(code.meaning for code in one.codes)))
        )


def _told(frozen: Frozen, item: Table | Column) -> Iterator[tuple[str, str]]:
    """Yield what is told of a table or column, each with what it is."""
    yield item.definition, "definition"
    if frozen.contents.comments:
        yield item.comment, "comment"
    for aspect, said in frozen.said.get(item.id, {}).items():
        yield said, aspect


def _finder(frozen: Frozen, left_out: Iterable[LeftOut]) -> Callable[[str], tuple[str, ...]]:
    kept = {
        words_of(name)
        for model in frozen.models
        for table in model.tables
        for one in _with_columns(table)
        for name in (one.name, one.business_name)
    }
    known_by = []
    for one in left_out:
        *parents, own = one.name.rsplit(".", 2)
        if parents:
            known_by.append((f"{parents[-1]}.{own}", one.name))
        if _MACHINE_NAME.search(own) and words_of(own) not in kept:
            known_by.append((own, one.name))
        words = words_of(one.business_name)
        if len(words) > 1 and words not in kept:
            known_by.append((one.business_name, one.name))
    return finder(known_by)
