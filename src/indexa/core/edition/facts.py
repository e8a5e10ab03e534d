"""What an edition says, flat: by object, by field; and what changed between two editions, in words."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Literal, TypeAlias

import msgspec

from indexa.core.dictionary.key_roles import key_roles, short_forms
from indexa.core.edition.book import Book, Page

Facts: TypeAlias = dict[str, dict[str, str]]
"""Fields with their texts by the key of an object: its kind, a colon, and names that stay the same between editions."""
Kind: TypeAlias = Literal["added", "removed", "changed"]
_LABELS = {
    "table": "Table", "column": "Column", "relationship": "Relationship", "term": "Term", "rule": "Rule", "codes": "Code list", "text": "Own text",
    "script": "Change script",
}  # fmt: skip
_ORDER = list(_LABELS)


class FieldChange(msgspec.Struct, frozen=True):
    """A field that has another text now."""

    field: str
    before: str
    after: str


class Difference(msgspec.Struct, frozen=True):
    """An object that came, went or changed between two editions; `path` is its page in the later one, "" where it has none."""

    kind: Kind
    object: str
    name: str
    path: str
    column: str
    fields: tuple[FieldChange, ...] = ()

    @property
    def is_of_machine(self) -> bool:
        """Whether its name is one of a database."""
        return self.object in ("table", "column", "relationship")

    @property
    def label(self) -> str:
        """What kind of object it is, in words."""
        return _LABELS.get(self.object, self.object)


def facts_of(book: Book) -> Facts:
    """Return what an edition says."""
    found: Facts = {}
    for page in book.pages:
        found |= _facts_of_page(page)
    for term in book.terms:
        found[f"term:{term.name}"] = _filled(
            Definition=term.definition, Synonyms=", ".join(term.synonyms), Broader=term.broader, Owner=term.owner
        )
    for rule in book.rules:
        found[f"rule:{rule.name}"] = _filled(Rule=rule.definition, Why=rule.reason)
    for section in book.sections:
        found[f"text:{section.title}"] = _filled(Text=section.text)
    for script in book.scripts:
        found[f"script:{script.title}"] = _filled(Text=script.text, Signed=script.signed)
    for one in book.lists:
        codes = {
            f"Code {code.code}": code.meaning + (" (retired)" if code.retired else "") or "–" for code in one.codes
        }
        found[f"codes:{one.name}"] = _filled(Meaning=one.meaning) | codes
    return found


def _facts_of_page(page: Page) -> Facts:
    table = page.table
    place = f"{page.model.name}/{table.full_name}"
    found = {
        f"table:{place}": _filled(
            Kind=table.kind,
            **{"Business name": table.business_name},
            Definition=table.definition,
            Comment=table.comment,
        )
        | page.said.get("", {})
    }
    roles = key_roles(table)
    for column in table.columns:
        found[f"column:{place}.{column.name}"] = (
            _filled(
                Type=column.type, Empty="yes" if column.nullable else "no", Default=column.default or "",
                Keys=" ".join(short_forms(roles[column.name])) if column.name in roles else "",
                **{"Business name": column.business_name}, Definition=column.definition, Comment=column.comment,
            )
            | page.said.get(column.name, {})
            | page.carried.get(column.name, {})
        )  # fmt: skip
    for key in table.foreign_keys:
        target = f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table
        name = f"{', '.join(key.columns)} → {target}"
        found[f"relationship:{place} ({name})"] = _filled(
            Declared="asserted, not in the database" if key.asserted else "in the database"
        )
    return found


def _filled(**fields: str) -> dict[str, str]:
    return {name: text for name, text in fields.items() if text}


def differences(before: Facts, after: Facts, paths: Mapping[str, str]) -> list[Difference]:
    """Return what changed, tables first, in the order of their names. `paths` are the pages of the later edition's tables, by
    "model/table"."""
    return sorted(_differences(before, after, paths), key=lambda one: (_ORDER.index(one.object), one.name, one.kind))


def _differences(before: Facts, after: Facts, paths: Mapping[str, str]) -> Iterator[Difference]:
    whole = {key.removeprefix("table:") for key in before.keys() ^ after.keys() if key.startswith("table:")}
    for key in before.keys() | after.keys():
        kind, _, name = key.partition(":")
        table, column = _place(kind, name)
        if kind in ("column", "relationship") and table in whole:
            continue  # it came or went with its table
        if key not in before:
            yield Difference("added", kind, name, paths.get(table, ""), column)
        elif key not in after:
            yield Difference("removed", kind, name, paths.get(table, ""), column)
        elif before[key] != after[key]:
            changed = tuple(
                FieldChange(field, before[key].get(field, ""), after[key].get(field, ""))
                for field in dict.fromkeys([*before[key], *after[key]])
                if before[key].get(field, "") != after[key].get(field, "")
            )
            yield Difference("changed", kind, name, paths.get(table, ""), column, changed)


def _place(kind: str, name: str) -> tuple[str, str]:
    """Return the table an object belongs to, and the column it is."""
    if kind == "table":
        return name, ""
    if kind == "column":
        table, _, column = name.rpartition(".")
        return table, column
    if kind == "relationship":
        return name.partition(" (")[0], ""
    return "", ""
