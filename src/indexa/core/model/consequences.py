"""What a change of a model brings along, what is in its way, and what only mentions it.

Deleting an object takes what cannot be without it; a new name goes into everything that is kept by name. Texts of views, routines
and triggers are the source's own: they are not rewritten, but what mentions the object is told.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from typing import Any

import msgspec

from indexa.core.model.operations import (
    MEMBERS,
    Delete,
    Kind,
    Operation,
    Ref,
    Update,
    ref_of,
    shell,
)
from indexa.core.model.parts import VIEW_KINDS, Column, ForeignKey, Index, Key, Model, Sequence, Table
from indexa.core.model.translating import Names, translated, translated_sequence

_WORDS = re.compile(r"[^\W\d][\w$#]*")


class Blocked(msgspec.Struct, frozen=True):
    """What is in the way of a change, and why."""

    ref: Ref
    why: str


class Plan(msgspec.Struct, frozen=True):
    """A change with all that it brings along: what goes first, and what follows."""

    operation: Operation
    first: tuple[Operation, ...] = ()
    then: tuple[Operation, ...] = ()
    blocked: tuple[Blocked, ...] = ()
    mentions: tuple[Ref, ...] = ()
    """Views, routines and triggers whose text names what is changed; they stay as they are."""

    @property
    def operations(self) -> tuple[Operation, ...]:
        """All of it, in the order in which it fits."""
        return (*self.first, self.operation, *self.then)


def consequences(model: Model, operation: Operation) -> Plan:
    """Return the whole of a change. What it was made for must be as it is in the model."""
    if isinstance(operation, Delete):
        finder = _DELETED.get(operation.ref.kind)
        found = finder(model, operation) if finder else _Found()
        # Of one list the last goes first, so that all places stay right.
        return Plan(operation, first=tuple(found.along), blocked=tuple(found.blocked), mentions=tuple(found.mentions))
    if isinstance(operation, Update) and _is_renamed(operation):
        found = _renamed(model, operation)
        return Plan(operation, then=tuple(found.along), mentions=tuple(found.mentions))
    return Plan(operation)


def _is_renamed(operation: Update) -> bool:
    before, after = operation.before, operation.after
    return before.name != after.name or getattr(before, "schema", "") != getattr(after, "schema", "")


class _Found:
    """What was found so far."""

    def __init__(self) -> None:
        self.along: list[Operation] = []
        self.blocked: list[Blocked] = []
        self.mentions: list[Ref] = []

    def delete(self, table: Table, kind: Kind, wanted: Callable[[Any], bool]) -> None:
        """Let parts of a table go along, the last one first."""
        listed: list[Any] = getattr(table, MEMBERS[kind])
        for place in range(len(listed) - 1, -1, -1):
            if wanted(listed[place]):
                self.along.append(Delete(_numbered(table, kind, place), listed[place], place))


def _numbered(table: Table, kind: Kind, place: int) -> Ref:
    """Return the reference of a part by its place: its name, and its number among those of that name."""
    listed: list[Any] = getattr(table, MEMBERS[kind])
    part = listed[place]
    return ref_of(kind, table, part, sum(one.name == part.name for one in listed[:place]))


# deleting ------------------------------------------------------------------------------------------------------------


def _of_table(model: Model, operation: Delete) -> _Found:
    found, ref = _Found(), operation.ref
    gone = (ref.schema, ref.name)
    for table in model.tables:
        if (table.schema, table.name) == gone:
            continue
        found.delete(table, "foreign key", lambda key: (key.ref_schema, key.ref_table) == gone)
        if any(parent == _full(*gone) for parent in table.inherits):
            found.blocked.append(Blocked(_table_ref(table), "it inherits from the table"))
        elif table.kind in VIEW_KINDS and _mentions(table.definition_sql, [ref.name]):
            found.blocked.append(Blocked(_table_ref(table), "its query shows the table"))
    found.along += _sequences(model, lambda owner: owner.rpartition(".")[0] == _full(*gone))
    found.mentions += _texts(model, [ref.name], gone)
    return found


def _of_column(model: Model, operation: Delete) -> _Found:
    found, ref = _Found(), operation.ref
    own, name = (ref.schema, ref.table), ref.name
    for table in model.tables:
        if (table.schema, table.name) == own:
            _own_parts(found, table, name)
        else:
            found.delete(
                table, "foreign key", lambda key: (key.ref_schema, key.ref_table) == own and name in key.ref_columns
            )
            if table.kind in VIEW_KINDS and _mentions(table.definition_sql, [ref.table, name]):
                found.blocked.append(Blocked(_table_ref(table), "its query shows the column"))
    found.along += _sequences(model, lambda owner: owner == f"{_full(*own)}.{name}")
    found.mentions += _texts(model, [ref.table, name], own)
    return found


def _own_parts(found: _Found, table: Table, name: str) -> None:
    """Let what stands on a column go along, within its own table."""
    own = (table.schema, table.name)
    found.delete(
        table,
        "foreign key",
        lambda key: name in key.columns or ((key.ref_schema, key.ref_table) == own and name in key.ref_columns),
    )
    found.delete(table, "index", lambda index: _is_on(index, name))
    found.delete(table, "check", lambda check: _mentions(check.expression, [name]))
    found.delete(table, "exclusion", lambda one: any(_mentions(element, [name]) for element in one.elements))
    found.delete(table, "unique key", lambda key: name in key.columns)
    if table.primary_key and name in table.primary_key.columns:
        found.along.append(Delete(ref_of("primary key", table, table.primary_key), table.primary_key))
    for column in table.columns:
        if column.name != name and column.generated and _mentions(column.generated, [name]):
            found.blocked.append(Blocked(ref_of("column", table, column), "it is computed from the column"))
    if table.partition_by and _mentions(table.partition_by, [name]):
        found.blocked.append(Blocked(_table_ref(table), "it is partitioned by the column"))


def _is_on(index: Index, name: str) -> bool:
    texts = [part.expression for part in index.parts] + [index.predicate or ""]
    return (
        any(part.column == name for part in index.parts)
        or name in index.included
        or any(_mentions(text, [name]) for text in texts)
    )


def _of_key(model: Model, operation: Delete) -> _Found:
    """Relationships to just these columns are in the way, unless another key holds them too."""
    found, ref = _Found(), operation.ref
    assert isinstance(operation.before, Key)
    columns, own = frozenset(operation.before.columns), (ref.schema, ref.table)
    owner = next((table for table in model.tables if (table.schema, table.name) == own), None)
    keys = [] if owner is None else [key for key in (owner.primary_key, *owner.unique) if key is not None]
    if sum(frozenset(key.columns) == columns for key in keys) > 1:
        return found
    for table in model.tables:
        for place, key in enumerate(table.foreign_keys):
            if (key.ref_schema, key.ref_table) == own and frozenset(key.ref_columns) == columns:
                found.blocked.append(Blocked(_numbered(table, "foreign key", place), "it references these columns"))
    return found


def _of_type(model: Model, operation: Delete) -> _Found:
    found, ref = _Found(), operation.ref
    names = {ref.name.lower(), _full(ref.schema, ref.name).lower()}
    for table in model.tables:
        for column in table.columns:
            if column.type.lower().replace('"', "").removesuffix("[]").partition("(")[0].strip() in names:
                found.blocked.append(Blocked(ref_of("column", table, column), "it is of this type"))
    return found


def _of_sequence(model: Model, operation: Delete) -> _Found:
    found, ref = _Found(), operation.ref
    for table in model.tables:
        for column in table.columns:
            if column.default and _mentions(column.default, ["nextval", ref.name]):
                found.blocked.append(Blocked(ref_of("column", table, column), "its default takes numbers from it"))
    return found


def _of_routine(model: Model, operation: Delete) -> _Found:
    found, name = _Found(), operation.ref.name
    for table in model.tables:
        for place, trigger in enumerate(table.triggers):
            if trigger.routine.rpartition(".")[2] == name:
                found.blocked.append(Blocked(_numbered(table, "trigger", place), "it runs the routine"))
    return found


_DELETED: dict[Kind, Callable[[Model, Delete], _Found]] = {
    "table": _of_table, "column": _of_column, "primary key": _of_key, "unique key": _of_key, "enum": _of_type, "domain": _of_type,
    "composite": _of_type, "range": _of_type, "sequence": _of_sequence, "routine": _of_routine,
}  # fmt: skip


# giving another name -------------------------------------------------------------------------------------------------


def _renamed(model: Model, operation: Update) -> _Found:
    found, ref = _Found(), operation.ref
    if ref.kind == "column":
        own = (ref.schema, ref.table)
        names = Names(columns={own: {ref.name: operation.after.name}})
        found.mentions += _texts(model, [ref.table, ref.name], None)
    elif ref.kind == "table":
        assert isinstance(operation.after, Table)
        own = (ref.schema, ref.name)
        names = Names(tables={own: (operation.after.schema, operation.after.name)})
        found.mentions += _texts(model, [ref.name], own)
    else:
        return found
    for table in model.tables:
        found.along += _follow(table, names, own, operation)
    for sequence in model.sequences:
        follows: Sequence = translated_sequence(sequence, names)
        if follows is not sequence:
            found.along.append(Update(ref_of("sequence", None, sequence), sequence, follows))
    return found


def _follow(table: Table, names: Names, own: tuple[str, str], operation: Update) -> Iterator[Operation]:
    """Yield the updates of a table's parts that are kept by the old name; the table has its new name by then."""
    is_own = (table.schema, table.name) == own
    called = table
    if is_own and isinstance(operation.after, Table):
        called = msgspec.structs.replace(table, schema=operation.after.schema, name=operation.after.name)
    if is_own and table.primary_key is not None:
        key = translated(table.primary_key, own, names)
        if key is not table.primary_key:
            yield Update(ref_of("primary key", called, table.primary_key), table.primary_key, key)
    for kind in ("unique key", "foreign key", "check", "index"):
        for place, part in enumerate(getattr(table, MEMBERS[kind])):
            if not is_own and not isinstance(part, ForeignKey):
                continue
            after = translated(part, (table.schema, table.name), names)
            if after is not part and after != part:
                ref = _numbered(table, kind, place)
                yield Update(msgspec.structs.replace(ref, schema=called.schema, table=called.name), part, after)
    if is_own and names.columns:
        yield from _computed(table, names.columns[own])
    inherits = tuple(names.full_name(parent) for parent in table.inherits)
    if inherits != table.inherits and not is_own:
        yield Update(_table_ref(table), shell(table), shell(msgspec.structs.replace(table, inherits=inherits)))


def _computed(table: Table, names: dict[str, str]) -> Iterator[Operation]:
    """Yield the columns that are computed from one that has another name."""
    from indexa.core.model.renaming import renamed_in

    for column in table.columns:
        if column.generated and column.name not in names:
            after: Column = msgspec.structs.replace(column, generated=renamed_in(column.generated, names))
            if after != column:
                yield Update(ref_of("column", table, column), column, after)


# what mentions a name ------------------------------------------------------------------------------------------------


def _full(schema: str, name: str) -> str:
    return f"{schema}.{name}" if schema else name


def _table_ref(table: Table) -> Ref:
    return ref_of("table", None, table)


def _mentions(text: str, names: Iterable[str]) -> bool:
    """Say whether all of these names stand in a text as words, whatever their capitals; quoted ones as they are."""
    folded = text.lower()
    words = set(_WORDS.findall(folded))
    return all(name.lower() in words or f'"{name.lower()}"' in folded for name in names)


def _texts(model: Model, names: list[str], gone: tuple[str, str] | None) -> Iterator[Ref]:
    """Yield views, routines and triggers of other tables whose text has all of these names."""
    for table in model.tables:
        if (table.schema, table.name) == gone:
            continue
        if table.kind in VIEW_KINDS and _mentions(table.definition_sql, names):
            yield _table_ref(table)
        for place, trigger in enumerate(table.triggers):
            if _mentions(trigger.definition, names):
                yield _numbered(table, "trigger", place)
    for routine in model.routines:
        if _mentions(routine.definition, names):
            yield ref_of("routine", None, routine)


def _sequences(model: Model, is_owned: Callable[[str], bool]) -> list[Operation]:
    """Return the deletions of sequences that serve what goes, the last one first."""
    return [
        Delete(ref_of("sequence", None, one), one, place)
        for place, one in reversed(list(enumerate(model.sequences)))
        if one.owned_by and is_owned(one.owned_by)
    ]
