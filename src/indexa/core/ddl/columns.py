"""The types, defaults and further words of columns in a script, and what of them a platform can't hold."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import TypeVar

from indexa.core.ddl.defaults import translated_default
from indexa.core.ddl.draft import Draft
from indexa.core.ddl.types import plain, translated
from indexa.core.model import Column, Domain, Enum, Sequence, Table

P = TypeVar("P", Enum, Domain)
_SIMPLE = re.compile(
    r"('([^']|'')*'|\"[^\"]*\"|x'[0-9a-f]*'|[-+]?[\d.]+(e[-+]?\d+)?|current_\w+|null|true|false|\w+|\(.*\))$",
    re.IGNORECASE | re.DOTALL,
)
"""Defaults that need no brackets where others do."""
_SERIALS = {"greenplum": ("serial", "bigserial"), "informix": ("SERIAL", "BIGSERIAL")}


class Columns:
    """Writes columns of a model for one platform."""

    def __init__(self, draft: Draft) -> None:
        model = draft.model
        self._draft, self._model, self._target, self._namer = draft, model, draft.target, draft.namer
        self._note, self.same = draft.note, draft.same
        self._enums = _by_path(model.enums)
        self._domains = _by_path(model.domains)
        self._owned = {sequence.owned_by: sequence for sequence in model.sequences if sequence.owned_by}
        self.extra_checks: list[str] = []
        """Conditions that stand in for types, of the table whose columns were written last."""

    def line(self, table: Table, column: Column, *, alone_in_key: bool) -> str:
        """Return a column as it stands in its table."""
        name = self._namer.quoted(column.name)
        label = f"{table.full_name}.{column.name}"
        type_ = self.type_of(column, label, in_key=column.name in _key_columns(table))
        counts = self._counting(table, column, label, alone_in_key)
        if self._target.name in _SERIALS and column.identity:
            type_ = _SERIALS[self._target.name]["big" in type_.lower()]
        if self._target.name == "sqlite" and column.identity and alone_in_key:
            never = "" if column.nullable else " NOT NULL"
            return f"{name} INTEGER PRIMARY KEY AUTOINCREMENT{never}{self._comment(column)}"
        parts = [name, type_]
        if column.collation and self.same:
            parts.append(f"COLLATE {self._draft.collation(column.collation)}")
        generated = self._generated(column, label)
        if generated:
            parts = [name, generated] if not self._target.generated_has_type else [*parts, generated]
        elif counts:
            parts.append(counts)
        elif (default := self._default(column, label)) is not None:
            parts.append(f"DEFAULT {default}")
        if not column.nullable and (not generated or self.same):
            parts.append("NOT NULL")
        elif self._target.nulls_need_word and not generated:
            parts.append("NULL")
        return " ".join(parts) + self._comment(column)

    def type_of(self, column: Column, label: str, *, in_key: bool = False) -> str:
        """Return a column's type in the platform's words."""
        if (enum := self._enums.get(column.type.lower())) is not None and not self.same:
            return self._enumerated(enum, column)
        if (domain := self._domains.get(column.type.lower())) is not None and not (self.same or self._target.domains):
            return self._of_domain(domain, column, label)
        if self.same:
            return column.type
        if domain is not None:
            return self._namer.path(domain.schema if self._target.has_schemas else "", domain.name)
        return self.plain(column.type, label, in_key=in_key)

    def plain(self, type_: str, label: str, *, in_key: bool = False) -> str:
        """Return a type that is no enum or domain of the model in the platform's words."""
        written = translated(type_, self._model.platform, self._target.name, in_key=in_key)
        if written is None:
            fallback = translated("text", "", self._target.name)
            assert fallback is not None
            self._note(label, f"the type {type_} is unknown here; {fallback.text} stands for it")
            return fallback.text
        if written.lost:
            self._note(label, f"{type_} becomes {written.text}: {written.lost}")
        return written.text

    def _enumerated(self, enum: Enum, column: Column) -> str:
        if self._target.enums == "type":
            return self._namer.path(enum.schema, enum.name)
        values = ", ".join(self._namer.text(value) for value in enum.values)
        if self._target.enums == "inline":
            return f"enum({values})"
        longest = max((len(value) for value in enum.values), default=1)
        if self._target.checks:
            self.extra_checks.append(f"{self._namer.quoted(column.name)} IN ({values})")
        else:
            self._note(enum.name, "the values that it allows")
        return self.plain(f"varchar({longest})", enum.name)

    def _of_domain(self, domain: Domain, column: Column, label: str) -> str:
        for check in domain.checks:
            condition = re.sub(
                r"\bVALUE\b", lambda _: self._namer.quoted(column.name), check.expression, flags=re.IGNORECASE
            )
            if self._target.checks and "::" not in condition and "~" not in condition:
                self.extra_checks.append(condition)
            else:
                self._note(label, f"the condition of {domain.name}: {check.expression}")
        return self.plain(domain.type, label)

    def _counting(self, table: Table, column: Column, label: str, alone_in_key: bool) -> str:
        if not column.identity:
            return ""
        if self._target.name == "sqlite" and not alone_in_key:
            self._note(label, "that it counts by itself: only a key of one column does")
            return ""
        found = self._target.identity.get(column.identity, "")
        if (
            found
            and self.same
            and self._target.name == "postgresql"
            and (own := self._owned.get(label)) is not None
            and not _is_usual(own, table, column)
        ):
            found += f" (SEQUENCE NAME {self._namer.path(own.schema, own.name)} {measures(own)})"
        if not found and self._target.sequences and self._target.name not in _SERIALS:
            name = f"{table.name}_{column.name}_seq"
            return f"DEFAULT nextval({self._namer.text(self._namer.path(table.schema, name))})"
        if not found and self._target.name not in (*_SERIALS, "sqlite"):
            self._note(label, "that it counts by itself")
        return found

    def needs_sequence(self, column: Column) -> bool:
        """Return whether a column counts by a sequence, for lack of anything better."""
        target = self._target
        return bool(column.identity) and not target.identity and target.sequences and target.name not in _SERIALS

    def _generated(self, column: Column, label: str) -> str:
        if column.generated is None:
            return ""
        if not self._target.generated or not self.same:
            self._note(label, f"it is computed: {column.generated}")
            return ""
        return self._target.generated.format(expression=column.generated)

    def _default(self, column: Column, label: str) -> str | None:
        if column.default is None:
            return None
        if self.same:
            return (
                f"({column.default})"
                if self._target.name == "sqlite" and not _SIMPLE.match(column.default)
                else column.default
            )
        kind = plain(column.type, self._model.platform)
        is_boolean = kind is not None and kind.kind == "boolean"
        made = translated_default(column.default, is_boolean=is_boolean, target=self._target)
        if made is None and column.default.strip().lower() != "null":
            self._note(label, f"the default {column.default}")
        return made

    def _comment(self, column: Column) -> str:
        return ""


class CommentedColumns(Columns):
    """Columns whose comment stands beside them."""

    def _comment(self, column: Column) -> str:
        if not column.comment:
            return ""
        return (
            f" OPTIONS(description={self._namer.text(column.comment)})"
            if self._target.comments == "options"
            else f" COMMENT {self._namer.text(column.comment)}"
        )


def _key_columns(table: Table) -> set[str]:
    """Return the columns that keys, relationships and indexes of a table are made of."""
    found = set(table.primary_key.columns) if table.primary_key else set()
    found |= {name for key in table.unique for name in key.columns}
    found |= {name for key in table.foreign_keys for name in key.columns}
    return found | {part.column for index in table.indexes for part in index.parts}


_MOST = {"smallint": 32_767, "integer": 2_147_483_647, "bigint": 9_223_372_036_854_775_807}


def _is_usual(own: Sequence, table: Table, column: Column) -> bool:
    """Return whether a sequence is the one that the server makes for a column by itself."""
    named = (own.schema, own.name) == (table.schema, f"{table.name}_{column.name}_seq")
    counts = (own.start, own.increment, own.minimum, own.cache, own.cycle) == (1, 1, 1, 1, False)
    return named and counts and own.maximum == _MOST.get(column.type)


def measures(one: Sequence) -> str:
    """Return how a sequence counts, as its statement says it."""
    parts = [f"START WITH {one.start} INCREMENT BY {one.increment} MINVALUE {one.minimum} MAXVALUE {one.maximum}"]
    if one.cache != 1:
        parts.append(f"CACHE {one.cache}")
    if one.cycle:
        parts.append("CYCLE")
    return " ".join(parts)


def _by_path(parts: Iterable[P]) -> dict[str, P]:
    found = {}
    for part in parts:
        found[part.name.lower()] = part
        found[f"{part.schema}.{part.name}".lower()] = part
    return found
