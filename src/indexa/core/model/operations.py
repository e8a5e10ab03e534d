"""Changes of a model as values: create, update and delete of any object, each with what was there before.

`apply` makes a model of a model and leaves the first as it is; `invert` turns a change round, so that applying a change and
its inverse gives the same model again, order of objects included. Null and empty are two things: an object that is not there
is not an object without values. What goes along with a change, and what is in its way, is told by `consequences`.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Literal, TypeAlias, assert_never, get_args

import msgspec

from indexa.core.errors import CoreError
from indexa.core.model.parts import (
    Check,
    Column,
    Composite,
    Domain,
    Enum,
    Exclusion,
    ForeignKey,
    Index,
    Key,
    Model,
    Range,
    Routine,
    Sequence,
    Table,
    Trigger,
)

Kind: TypeAlias = Literal[
    "table", "column", "primary key", "unique key", "foreign key", "check", "exclusion", "index", "trigger",
    "enum", "domain", "composite", "range", "sequence", "routine",
]  # fmt: skip
KINDS: tuple[Kind, ...] = get_args(Kind)
Object: TypeAlias = (
    Table | Column | Key | ForeignKey | Check | Exclusion | Index | Trigger | Enum | Domain | Composite | Range | Sequence | Routine
)  # fmt: skip

MEMBERS: dict[Kind, str] = {
    "column": "columns", "unique key": "unique", "foreign key": "foreign_keys", "check": "checks", "exclusion": "exclusions",
    "index": "indexes", "trigger": "triggers",
}  # fmt: skip
"""Kinds of which a table has a list, with the name of the list; its primary key is a single one."""
POOLS: dict[Kind, str] = {
    "table": "tables", "enum": "enums", "domain": "domains", "composite": "composites", "range": "ranges", "sequence": "sequences",
    "routine": "routines",
}  # fmt: skip
"""Kinds of which the model has a list, with the name of the list."""
AT_END = -1


class Ref(msgspec.Struct, frozen=True, order=True):
    """Which object: its kind and name; `table` for what belongs to one; `number` among several of one name there."""

    kind: Kind
    schema: str
    name: str = ""
    table: str = ""
    number: int = 0

    def __str__(self) -> str:
        """Word it as people find it: kind, then the full name."""
        names = [part for part in (self.schema, self.table, self.name) if part]
        return f"{self.kind} {'.'.join(names)}"


class Create(msgspec.Struct, frozen=True):
    """An object that is not there yet. `at` is its place in its list."""

    ref: Ref
    after: Object
    at: int = AT_END


class Update(msgspec.Struct, frozen=True):
    """An object that has other values, its name perhaps among them. Of a table the values that are its own (see `shell`)."""

    ref: Ref
    before: Object
    after: Object


class Delete(msgspec.Struct, frozen=True):
    """An object that goes. `at` is its place in its list."""

    ref: Ref
    before: Object
    at: int = AT_END


Operation: TypeAlias = Create | Update | Delete


class OperationError(CoreError):
    """A change does not fit the model; `ref` is what it is about."""

    code = "operation"

    def __init__(self, ref: Ref, why: str) -> None:
        super().__init__(f"{str(ref)[:1].upper()}{str(ref)[1:]}: {why}.")
        self.ref = ref


class NotThereError(OperationError):
    """What is to be changed or deleted is not in the model."""

    code = "operation.not-there"


class AlreadyThereError(OperationError):
    """What is to be made, or the name that is to be given, is in the model already."""

    code = "operation.already-there"


class ChangedError(OperationError):
    """What is to be changed or deleted has other values than the change was made for."""

    code = "operation.changed"


def ref_of(kind: Kind, owner: Table | None, part: Any, number: int = 0) -> Ref:
    """Return the reference of an object: of a table's part with its table, of any other with none."""
    if owner is not None:
        return Ref(kind, owner.schema, part.name, owner.name, number)
    return Ref(kind, part.schema, part.name, number=number)


def shell(table: Table) -> Table:
    """Return a table's own values, without columns, keys and whatever else belongs to it."""
    return msgspec.structs.replace(
        table,
        columns=[],
        primary_key=None,
        unique=[],
        foreign_keys=[],
        checks=[],
        exclusions=[],
        indexes=[],
        triggers=[],
    )


def invert(operation: Operation) -> Operation:
    """Return the change that takes a change back."""
    match operation:
        case Create(ref, after, at):
            return Delete(ref, after, at)
        case Delete(ref, before, at):
            return Create(ref, before, at)
        case Update(ref, before, after):
            return Update(_renamed(ref, after), after, before)
        case _:
            assert_never(operation)


def invert_all(operations: Iterable[Operation]) -> tuple[Operation, ...]:
    """Return the changes that take a row of changes back: each one's inverse, the last first."""
    return tuple(invert(operation) for operation in reversed(tuple(operations)))


def apply(model: Model, operations: Iterable[Operation]) -> Model:
    """Return the model after the changes, one after the other. Raises OperationError where one does not fit; the model stays."""
    state = _State(model)
    for operation in operations:
        state.apply(operation)
    return state.model


def _renamed(ref: Ref, after: Any) -> Ref:
    if ref.kind == "table":
        return msgspec.structs.replace(ref, schema=after.schema, name=after.name)
    if ref.kind in POOLS:
        return msgspec.structs.replace(ref, schema=after.schema, name=after.name)
    return msgspec.structs.replace(ref, name=after.name)


class _State:
    """A model on its way: lists are copied when they are first touched, so that the model it came from stays as it is."""

    def __init__(self, model: Model) -> None:
        self.model = msgspec.structs.replace(model)
        self._own: dict[int, object] = {}
        """Copies that may be changed, by identity; they are held here, so that no other object takes the identity of one."""
        self._tables: dict[tuple[str, str], int] | None = None

    def apply(self, operation: Operation) -> None:
        """Make one change."""
        if operation.ref.kind == "primary key":
            self._primary_key(operation)
        elif operation.ref.kind in MEMBERS:
            table = self._table(operation.ref)
            self._in_list(operation, self._copied(table, MEMBERS[operation.ref.kind]))
        else:
            self._in_list(operation, self._copied(self.model, POOLS[operation.ref.kind]))
            if operation.ref.kind == "table":
                self._tables = None

    def _primary_key(self, operation: Operation) -> None:
        ref, table = operation.ref, self._table(operation.ref)
        match operation:
            case Create(after=Key() as after):
                if table.primary_key is not None:
                    raise AlreadyThereError(ref, "the table has a primary key already")
                table.primary_key = after
            case Update(before=before, after=Key() as after):
                self._expect(ref, table.primary_key, before)
                table.primary_key = after
            case Delete(before=before):
                self._expect(ref, table.primary_key, before)
                table.primary_key = None
            case _:
                raise OperationError(ref, "it is no key")

    def _in_list(self, operation: Operation, listed: list[Any]) -> None:
        ref = operation.ref
        match operation:
            case Create(_, after, at):
                self._refuse_twice(ref, after, listed)
                listed.insert(len(listed) if at == AT_END else min(at, len(listed)), _own_copy(after))
            case Delete(_, before, _):
                place = self._place(ref, listed)
                self._expect(ref, listed[place], before)
                del listed[place]
            case Update(_, before, after):
                place = self._place(ref, listed)
                there = listed[place]
                self._expect(ref, shell(there) if isinstance(there, Table) else there, before)
                if _name(there) != _name(after):
                    self._refuse_twice(ref, after, listed)
                listed[place] = _with_members(after, there) if isinstance(there, Table) else after
            case _:
                assert_never(operation)

    @staticmethod
    def _refuse_twice(ref: Ref, after: Any, listed: list[Any]) -> None:
        """Refuse a second object of one name, where a name may stand once only."""
        if ref.kind in ("table", "column", "enum", "domain", "composite", "range", "sequence") and any(
            _name(one) == _name(after) for one in listed
        ):
            raise AlreadyThereError(ref, f"there is another one called {after.name}")

    @staticmethod
    def _expect(ref: Ref, there: Any, before: Any) -> None:
        if there is None:
            raise NotThereError(ref, "it is not there")
        if there != before:
            raise ChangedError(ref, "it was changed since")

    @staticmethod
    def _place(ref: Ref, listed: list[Any]) -> int:
        number = ref.number
        for place, one in enumerate(listed):
            if one.name == ref.name and (ref.kind not in POOLS or one.schema == ref.schema):
                if not number:
                    return place
                number -= 1
        raise NotThereError(ref, "it is not there")

    def _table(self, ref: Ref) -> Table:
        """Return the table that a part belongs to, as a copy that may be changed."""
        tables: list[Table] = self._copied(self.model, "tables")
        if self._tables is None:
            self._tables = {(table.schema, table.name): place for place, table in enumerate(tables)}
        place = self._tables.get((ref.schema, ref.table))
        if place is None:
            raise NotThereError(ref, "its table is not there")
        if id(tables[place]) not in self._own:
            tables[place] = msgspec.structs.replace(tables[place])
            self._own[id(tables[place])] = tables[place]
        return tables[place]

    def _copied(self, owner: Any, name: str) -> list[Any]:
        """Return a list of a model or table, as a copy that may be changed."""
        listed: list[Any] = getattr(owner, name)
        if id(listed) not in self._own:
            listed = list(listed)
            setattr(owner, name, listed)
            self._own[id(listed)] = listed
        return listed


def _name(one: Any) -> tuple[str, str]:
    return getattr(one, "schema", ""), one.name


def _own_copy(part: Any) -> Any:
    """Return a table with lists of its own: what is done to it later is not done to the change that made it."""
    return _with_members(part, part) if isinstance(part, Table) else part


def _with_members(values: Any, owner: Table) -> Table:
    """Return a table with the values of one and the members of another."""
    members = {name: list(getattr(owner, name)) for name in MEMBERS.values()}
    made: Table = msgspec.structs.replace(values, primary_key=owner.primary_key, **members)
    return made
