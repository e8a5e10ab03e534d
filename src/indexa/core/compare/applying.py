"""The state that taking some differences makes: the later one where they are taken, the earlier one where not."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from typing import Any

import msgspec

from indexa.core.collector import gc_paused
from indexa.core.compare.comparing import (
    APART,
    COLUMN_FIELDS,
    OWNED,
    TABLE_FIELDS,
    Comparison,
    object_id,
    objects_by_key,
)
from indexa.core.compare.differences import with_required
from indexa.core.compare.matching import KnownRenames, TableMatch, column_rename_id, rename_id
from indexa.core.model import Column, Model, Sequence, Table
from indexa.core.model.translating import Name, Names, translated, translated_sequence


class Applied(msgspec.Struct):
    """A state made of two, and what each of its tables and columns was in the earlier one."""

    model: Model
    tables: dict[Name, Name]
    """Name → earlier name, of tables that were there."""
    columns: dict[Name, dict[str, str]]
    """By a table's name: name → earlier name of its columns that were there."""
    touched: set[Name]
    """Tables, by their name in the new state, that are not what they were."""

    def renames(self) -> KnownRenames:
        """Return what has another name than in the earlier state."""
        return KnownRenames(
            [(earlier, name) for name, earlier in self.tables.items() if name != earlier],
            [
                (table, earlier, column)
                for table, columns in self.columns.items()
                for column, earlier in columns.items()
                if column != earlier
            ],
        )


def apply(comparison: Comparison, taken: Collection[str]) -> Applied:
    """Make the state in which the taken differences, and what they can't go without, are taken and no others.

    Taking all gives the later state, taking none the earlier one. What is no difference (handles, the version of the
    server) is the later state's.
    """
    with gc_paused():
        return _Applying(comparison, with_required(comparison.differences, set(taken))).all()


class _Applying:
    def __init__(self, comparison: Comparison, taken: set[str]) -> None:
        self._comparison, self._taken = comparison, taken
        self._ids: dict[Name, list[str]] = defaultdict(list)
        for one in comparison.differences:
            if one.table:
                self._ids[one.schema, one.table].append(one.id)
        self._from_after, self._from_before = Names(), Names()
        for match in comparison.matches.by_after.values():
            self._name(match)

    def _name(self, match: TableMatch) -> None:
        """Note what a table and its columns are called in the end, by their names in both states."""
        before, after = (match.before.schema, match.before.name), (match.after.schema, match.after.name)
        if before != after:
            if rename_id(match.before) in self._taken:
                self._from_before.tables[before] = after
            else:
                self._from_after.tables[after] = before
        for new, old in match.columns.items():
            if new != old:
                if column_rename_id(match.before, old) in self._taken:
                    self._from_before.columns.setdefault(before, {})[old] = new
                else:
                    self._from_after.columns.setdefault(after, {})[new] = old

    def all(self) -> Applied:
        before, after = self._comparison.before, self._comparison.after
        model = Model(
            name=before.name,
            layer=before.layer,
            platform=after.platform,
            platform_version=after.platform_version,
            comment=after.comment,
        )
        made = Applied(model, {}, {}, set())
        for table in after.tables:
            match = self._comparison.matches.by_after.get((table.schema, table.name))
            if match is None:
                if f"table:{table.full_name}:new" in self._taken:
                    model.tables.append(self._with_names(table))
                    made.touched.add((table.schema, table.name))
                continue
            model.tables.append(self._merged(match, made))
        for table in before.tables:
            if (table.schema, table.name) in self._comparison.matches.by_before:
                continue
            if f"table:{table.full_name}:gone" not in self._taken:
                model.tables.append(self._kept(table, made))
        self._objects(model)
        return made

    def _with_names(self, table: Table) -> Table:
        """Return a new table with what it refers to told in the final names."""
        if not self._from_after:
            return table
        name = (table.schema, table.name)
        text = {
            member: [translated(one, name, self._from_after) for one in getattr(table, member)]
            for member in OWNED.values()
        }
        inherits = tuple(self._from_after.full_name(parent) for parent in table.inherits)
        return msgspec.structs.replace(table, **text, inherits=inherits)

    def _kept(self, table: Table, made: Applied) -> Table:
        """Return a table that the later state does not have, told in the final names."""
        name = (table.schema, table.name)
        made.tables[name] = name
        made.columns[name] = {column.name: column.name for column in table.columns}
        if not self._from_before:
            return table
        text = {
            member: [translated(one, name, self._from_before) for one in getattr(table, member)]
            for member in OWNED.values()
        }
        inherits = tuple(self._from_before.full_name(parent) for parent in table.inherits)
        return msgspec.structs.replace(table, **text, inherits=inherits)

    def _merged(self, match: TableMatch, made: Applied) -> Table:
        before, after = match.before, match.after
        old, new = (before.schema, before.name), (after.schema, after.name)
        name = self._from_after.tables.get(new, new)
        made.tables[name] = old
        if old not in self._ids:
            made.columns[name] = match.columns  # nothing renamed in it
            # Nothing differs but handles, or names of what it refers to.
            return after if not self._from_after else self._with_names(after)
        columns = self._columns(match)
        made.columns[name] = {column.name: was for column, was in columns if was}
        table = msgspec.structs.replace(after, schema=name[0], name=name[1], columns=[column for column, _ in columns])
        for field in TABLE_FIELDS:
            is_taken = f"table:{before.full_name}.{field}" in self._taken
            if field == "inherits":
                table.inherits = self._parents(before, after, is_taken=is_taken)
            elif not is_taken and getattr(before, field) != getattr(after, field):
                setattr(table, field, getattr(before, field))
        self._parts(match, table)
        if any(id_ in self._taken for id_ in self._ids[old]):
            made.touched.add(name)
        return table

    def _parents(self, before: Table, after: Table, *, is_taken: bool) -> tuple[str, ...]:
        """Return the tables that a table inherits from in the end."""
        same = tuple(self._comparison.forward.full_name(parent) for parent in before.inherits) == after.inherits
        if is_taken or same:
            return tuple(self._from_after.full_name(parent) for parent in after.inherits)
        return tuple(self._from_before.full_name(parent) for parent in before.inherits)

    def _columns(self, match: TableMatch) -> list[tuple[Column, str]]:
        """Return the columns in the end, each with its earlier name ("" for a new one)."""
        before, after = match.before, match.after
        full = before.full_name
        earlier = {column.name: column for column in before.columns}
        chosen: list[tuple[Column, str]] = []
        for column in after.columns:
            old = match.columns.get(column.name)
            if old is None:
                if f"column:{full}:{column.name}:new" in self._taken:
                    chosen.append((column, ""))
                continue
            final = msgspec.structs.replace(column)
            if old != column.name and column_rename_id(before, old) not in self._taken:
                final.name = old
            for field in COLUMN_FIELDS:
                if (
                    getattr(earlier[old], field) != getattr(column, field)
                    and f"column:{full}:{old}.{field}" not in self._taken
                ):
                    setattr(final, field, getattr(earlier[old], field))
            chosen.append((final, old))
        kept = [
            c
            for c in before.columns
            if c.name not in match.columns.values() and f"column:{full}:{c.name}:gone" not in self._taken
        ]
        reordered = any(one == f"table:{full}.order" for one in self._ids[before.schema, before.name])
        if reordered and f"table:{full}.order" not in self._taken:
            chosen = _in_earlier_order(chosen, [column.name for column in before.columns])
        for column in kept:
            _insert_after_predecessor(chosen, column, [one.name for one in before.columns])
        if [column.name for column, _ in chosen] != [column.name for column in after.columns]:
            chosen = [
                (msgspec.structs.replace(column, position=place), was) for place, (column, was) in enumerate(chosen, 1)
            ]
        return chosen

    def _parts(self, match: TableMatch, table: Table) -> None:
        """Give the table its keys, indexes, checks and triggers."""
        old, new = (match.before.schema, match.before.name), (match.after.schema, match.after.name)
        found: dict[str, list[Any]] = {member: [] for member in OWNED.values()}
        table.primary_key = None
        for part in self._comparison.parts.get(old, ()):
            same = (
                part.before is not None
                and part.after is not None
                and translated(part.before, old, self._comparison.forward) == part.after
            )
            final: Any
            if same or part.id in self._taken:
                final = None if part.after is None else translated(part.after, new, self._from_after)
            else:
                final = None if part.before is None else translated(part.before, old, self._from_before)
            if final is None:
                continue
            if part.what == "primary key":
                table.primary_key = final
            else:
                found[OWNED[part.what]].append(final)
        for member, parts in found.items():
            names = [one.name for one in getattr(match.after, member)]
            if len(set(names)) == len(names):
                parts.sort(key=lambda one: names.index(one.name) if one.name in names else len(names))
            setattr(table, member, parts)

    def _objects(self, model: Model) -> None:
        """Give the model what belongs to no table."""
        before, after = self._comparison.before, self._comparison.after
        for what, member in APART.items():
            earlier, later = objects_by_key(before, member), objects_by_key(after, member)
            chosen = []
            for key, part in later.items():
                was = earlier.get(key)
                forward = translated_sequence(was, self._comparison.forward) if isinstance(was, Sequence) else was
                if forward == part or object_id(what, key) in self._taken:
                    chosen.append(translated_sequence(part, self._from_after) if isinstance(part, Sequence) else part)
                elif was is not None:
                    chosen.append(translated_sequence(was, self._from_before) if isinstance(was, Sequence) else was)
            chosen += [
                part for key, part in earlier.items() if key not in later and object_id(what, key) not in self._taken
            ]
            setattr(model, member, chosen)


def _in_earlier_order(chosen: list[tuple[Column, str]], order: list[str]) -> list[tuple[Column, str]]:
    """Return the columns that were there in the earlier order, each new one behind the one it stands behind now."""
    place = {name: number for number, name in enumerate(order)}
    rows = []
    last = -1
    for column, was in chosen:
        last = place[was] if was else last
        rows.append((last, bool(not was), column, was))
    return [(column, was) for _, _, column, was in sorted(rows, key=lambda row: (row[0], row[1]))]


def _insert_after_predecessor(chosen: list[tuple[Column, str]], column: Column, order: list[str]) -> None:
    """Put a column that only the earlier state has behind the one it stood behind."""
    earlier = order[: order.index(column.name)]
    places = [at for at, (_, was) in enumerate(chosen) if was in earlier]
    chosen.insert(max(places) + 1 if places else 0, (column, column.name))
