"""Types, domains and sequences that come, go and change, beside the tables whose columns have them."""

from __future__ import annotations

from typing import Any

import msgspec

from indexa.core.change.planning import ObjectChange
from indexa.core.change.steps import Steps
from indexa.core.ddl.columns import Columns, measures
from indexa.core.ddl.script import Statement
from indexa.core.ddl.types_made import make_sequences, make_types, own_sequences
from indexa.core.model import Enum, Sequence

_TYPES = {"enum type": "enums", "domain": "domains", "composite type": "composites", "range type": "ranges"}


class TypesChanged:
    """Writes the steps for what belongs to no table."""

    def __init__(self, writer: Steps) -> None:
        self._writer = writer
        self._replaced: list[tuple[ObjectChange, str]] = []

    def _changes(self, *whats: str) -> list[ObjectChange]:
        return [one for one in self._writer.plan.objects if one.what in whats]

    def come(self) -> None:
        """Make what is new, and let what differs be as it should."""
        for change in self._changes(*_TYPES):
            if change.after is None:
                continue
            if change.before is None:
                self._make(change, f"Make the {change.what} {change.after.name}")
            elif (more := self._addable(change)) is not None:
                self._add_values(change, more)
            elif self._differs(change):
                self._replace(change)
        for change in self._changes("sequence"):
            if change.after is not None:
                self._sequence(change)

    def _addable(self, change: ObjectChange) -> list[tuple[str, str]] | None:
        """Return the values that can be added to a type, each with the one it stands behind; None where it is made anew.

        In one transaction a value can't be used that was added in it: a type whose new values are used is made anew.
        """
        if not isinstance(change.after, Enum):
            return None
        more = _more_values(change.before, change.after)
        if more and self._writer.in_transaction and self._uses(change.after, [value for value, _ in more]):
            return None
        return more

    def _uses(self, enum: Enum, values: list[str]) -> bool:
        """Return whether a default, check, index or view of the later model names one of some values of a type."""
        names, texts = {enum.name.lower(), f"{enum.schema}.{enum.name}".lower()}, []
        for table in self._writer.plan.comparison.after.tables:
            typed = [one for one in table.columns if one.type.lower() in names]
            texts += [one.default or "" for one in typed] + [table.definition_sql]
            if typed:
                texts += [one.expression for one in table.checks] + [one.generated or "" for one in table.columns]
                texts += [one.predicate or "" for one in table.indexes]
        quoted = [self._writer.after.namer.text(value) for value in values]
        return any(value in text for text in texts for value in quoted)

    def _differs(self, change: ObjectChange) -> bool:
        """Return whether more than the comment differs."""
        return bool(
            msgspec.structs.replace(change.before, comment="") != msgspec.structs.replace(change.after, comment="")
        )

    def _make(self, change: ObjectChange, what: str) -> None:
        model = self._writer.part_of(**{_TYPES[change.what]: [change.after]})
        statements = self._writer.made(lambda draft: make_types(draft, Columns(draft)), model)
        kept = [one for one in statements if one.kind == "type"]
        self._writer.step(what, change.after.name, kept, ids=[change.id], kind="type")

    def _add_values(self, change: ObjectChange, more: list[tuple[str, str]]) -> None:
        writer, enum = self._writer, change.after
        text, path = writer.after.namer.text, writer.path_in(enum.schema, enum.name)
        words = [
            f"ALTER TYPE {path} ADD VALUE {text(value)}{f' AFTER {text(behind)}' if behind else ''}"
            for value, behind in more
        ]
        first = enum.values[0]
        if more and not more[0][1]:
            words[0] = f"ALTER TYPE {path} ADD VALUE {text(first)} BEFORE {text(change.before.values[0])}"
        writer.step(
            f"Add {len(more)} value{'' if len(more) == 1 else 's'} to the type {enum.name}",
            enum.name,
            words,
            ids=[change.id],
            kind="type",
        )

    def _replace(self, change: ObjectChange) -> None:
        """Make a type anew beside the old one, which goes once no column has it any more."""
        writer, old = self._writer, change.before
        keeps_all = isinstance(old, Enum) and set(old.values) <= set(change.after.values)
        parked = f"{old.name}_before"
        kind = "DOMAIN" if change.what == "domain" else "TYPE"
        rename = f"ALTER {kind} {writer.path_in(old.schema, old.name)} RENAME TO {writer.quoted(parked)}"
        writer.step(f"Put the {change.what} {old.name} aside", old.name, [rename], ids=[change.id], kind="type")
        self._make(change, f"Make the {change.what} {change.after.name} anew")
        path = writer.path_in(change.after.schema, change.after.name)
        named = {old.name.lower(), f"{old.schema}.{old.name}".lower()}
        for table in writer.plan.comparison.after.tables:
            match = writer.plan.comparison.matches.by_after.get((table.schema, table.name))
            if match is None or table.kind in ("view", "materialized view"):
                continue
            match.fill()
            earlier = {column.name: column for column in match.before.columns}
            for column in table.columns:
                was = earlier.get(match.columns.get(column.name, ""))
                if was is None or not {column.type.lower(), was.type.lower()} <= named:
                    continue
                name, at = writer.quoted(column.name), writer.path(table)
                words = [f"ALTER TABLE {at} ALTER COLUMN {name} DROP DEFAULT"] if was.default is not None else []
                words.append(f"ALTER TABLE {at} ALTER COLUMN {name} TYPE {path} USING {name}::text::{path}")
                if column.default is not None and was.default is not None:
                    words.append(f"ALTER TABLE {at} ALTER COLUMN {name} SET DEFAULT {column.default}")
                writer.step(
                    f"Let {table.full_name}.{column.name} have the {change.what} as it is now",
                    table.full_name,
                    words,
                    risk="rewrites" if keeps_all else "may fail",
                    ids=[change.id],
                )
        self._replaced.append((change, f"DROP {kind} {writer.path_in(old.schema, parked)}"))

    def _sequence(self, change: ObjectChange) -> None:
        writer, after = self._writer, change.after
        if change.before is None:
            if writer.plan.comparison.matches.by_after.get(_owner(after)) is not None and _counts(writer, after):
                return  # the column that counts by itself brings it
            model = writer.part_of(sequences=[after], tables=writer.plan.comparison.after.tables)
            made = writer.made(lambda draft: make_sequences(draft, Columns(draft)), model)
            kept = [one for one in made if one.kind == "sequence" and one.name == after.name]
            writer.step(f"Make the sequence {after.name}", after.name, kept, ids=[change.id], kind="sequence")
            return
        bare = {"owned_by": "", "owner": "", "comment": ""}
        if msgspec.structs.replace(change.before, **bare) == msgspec.structs.replace(after, **bare):
            return
        words = f"ALTER SEQUENCE {writer.path_in(after.schema, after.name)} "
        words += f"AS {after.type} " if writer.platform == "postgresql" and change.before.type != after.type else ""
        how = measures(after) + ("" if after.cycle or not change.before.cycle else " NO CYCLE")
        writer.step(
            f"Change how the sequence {after.name} counts", after.name, [words + how], ids=[change.id], kind="sequence"
        )

    def go(self) -> None:
        """Tie sequences to their columns, and drop what nothing needs any more."""
        writer = self._writer
        for statement in self._owning():
            writer.step(
                f"Tie the sequence {statement.name} to its column", statement.name, [statement], kind="sequence"
            )
        for change, words in self._replaced:
            writer.step(
                f"Drop the {change.what} {change.before.name} as it was",
                change.before.name,
                [words],
                ids=[change.id],
                kind="drop",
            )
        exists = "IF EXISTS " if writer.target.drop_if_exists else ""
        for change in self._changes("sequence", *_TYPES):
            if change.after is None:
                kind = {"sequence": "SEQUENCE", "domain": "DOMAIN"}.get(change.what, "TYPE")
                name = change.before.name
                path = writer.path_in(change.before.schema, name)
                writer.drop_object(name, f"the {change.what} {name}", f"DROP {kind} {exists}{path}", change.id)

    def _owning(self) -> list[Statement]:
        changed = [
            change.after
            for change in self._changes("sequence")
            if change.after is not None and (change.before is None or change.before.owned_by != change.after.owned_by)
        ]
        if not changed or self._writer.platform not in ("postgresql", "greenplum"):
            return []

        def work(draft: Any) -> None:
            draft.statements = [Statement("sequence", one.schema, one.name, "") for one in changed]
            own_sequences(draft)
            draft.statements = [one for one in draft.statements if one.text]

        return self._writer.made(work)


def _owner(sequence: Sequence) -> tuple[str, str]:
    schema, table, _ = [*[""] * 3, *sequence.owned_by.split(".")][-3:]
    return schema, table


def _counts(writer: Steps, sequence: Sequence) -> bool:
    """Return whether the column that a sequence serves counts by itself, and so brings it along."""
    schema, table, name = [*[""] * 3, *sequence.owned_by.split(".")][-3:]
    found = next(
        (one for one in writer.plan.comparison.after.tables if (one.schema, one.name) == (schema, table)), None
    )
    return found is not None and any(column.name == name and column.identity for column in found.columns)


def _more_values(before: Enum, after: Enum) -> list[tuple[str, str]] | None:
    """Return the values that come and what each stands behind; None where some go or change their order."""
    if [value for value in after.values if value in before.values] != list(before.values):
        return None
    found = []
    for at, value in enumerate(after.values):
        if value not in before.values:
            found.append((value, after.values[at - 1] if at else ""))
    return found
