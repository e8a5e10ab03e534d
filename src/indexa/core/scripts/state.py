"""What a script has made so far: the tables by name, the schema that unqualified names fall into, the notes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from typing import Any

import msgspec

from indexa.core.intake.receipt import Fate, Note
from indexa.core.model import VIEW_KINDS, Column, ForeignKey, Index, Key, Model, SchemaInfo, Table
from indexa.core.scripts.dialect import Dialect
from indexa.core.scripts.following import column_renamed, table_renamed, trigger_moved, trigger_reworded
from indexa.core.scripts.naming import name_constraints, names_of_parts
from indexa.core.scripts.sequence_pool import SequencePool
from indexa.core.scripts.words import names_in, renamed_in

_NAMED_PLACES = 40
"""How many notes of one kind and reason are listed one by one; the rest are counted."""


class Reference(msgspec.Struct, gc=False):
    """A foreign key as declared; what it refers to is settled at the end, for it may come later."""

    key: ForeignKey
    schema: str
    name: str
    search: tuple[str, ...]
    target: int = -1
    """Number of the draft it was bound to, -1 where the table was not yet there."""


class Draft(msgspec.Struct):
    """A table in the making."""

    table: Table
    number: int
    place: str
    references: list[Reference] = msgspec.field(default_factory=list)
    columns: dict[str, Column] = msgspec.field(default_factory=dict)
    temporary: bool = False
    query: str = ""
    """The query that a table or view takes its columns from, once all tables are known."""
    declared: tuple[str, ...] = ()
    """Column names that a view declares for its query's columns."""
    renamed: list[tuple[str, str]] = msgspec.field(default_factory=list)
    """Names of the query's columns that are changed afterwards, old and new."""
    adopted: bool = False
    """Whether it came to inherit after it was made, with columns of its own."""
    untyped: int = 0
    """How many of its columns its query computes, so that a script does not say their type."""
    partition_of: tuple[str, str] | None = None

    def add(self, column: Column, key: str) -> None:
        """Append a column and number it."""
        self.columns[key] = column
        self.table.columns.append(column)
        column.position = len(self.table.columns)

    def renumber(self) -> None:
        """Number the columns by their order once more."""
        for position, column in enumerate(self.table.columns, 1):
            column.position = position


class Script:
    """The state at some point of the script. Names are compared as the dialect compares them."""

    def __init__(self, name: str, dialect: Dialect, default_schema: str | None = None) -> None:
        self.dialect = dialect
        self.model = Model(name=name, platform=dialect.name)
        first = dialect.default_schema if default_schema is None else default_schema
        self.first_schema = first
        self.search: tuple[str, ...] = (first,)
        self.drafts: dict[int, Draft] = {}
        self.sequences = SequencePool(dialect.key)
        self._by_name: dict[tuple[str, str], int] = {}
        self._by_bare_name: dict[str, set[int]] = {}
        self.found_by_words: dict[tuple[str, str, tuple[str, ...]], Draft] = {}
        """Tables by schema and name as comments wrote them, and by the search path; emptied when tables come or go."""
        self._former: dict[tuple[str, str], int] = {}
        self._made = 0
        self._shown_by: dict[int, list[Draft]] = {}
        """Drafts whose queries name one, by its number."""
        self._referring: dict[int, list[tuple[Draft, Reference]]] = {}
        """Foreign keys that are bound to a draft, by its number, each with the draft that declares or declared it."""
        self._parents: set[str] = set()
        """Full names of tables that others inherit from, or did."""
        self._gone: dict[tuple[str, str], Draft] = {}
        self.settle: Callable[[Draft], None] = lambda draft: None
        """Gives a draft the columns that its query tells, if what it shows is known."""
        self.schemas: dict[str, SchemaInfo] = {}
        self.statements: Counter[str] = Counter()
        self.dropped: dict[tuple[str, str], str] = {}
        self.later_comments: list[tuple[int, str, str]] = []
        self._notes: dict[tuple[Fate, str, str], list[Any]] = {}
        self.types: dict[str, str] = {}
        """Types as written and as the catalog words them, for those that bring nothing else along."""
        self.plain_columns: dict[str, Column] = {}
        """Columns by the words behind their name, for those that are all said by them."""
        self.noted = 0
        self.extension_types: dict[str, str] = {}
        self._index_owner: dict[tuple[str, str], int] = {}
        self._named: dict[tuple[str, str], int] = {}
        """Numbers of drafts by schema and name of their constraints and indexes, also of those that they had once."""

    # names -----------------------------------------------------------------------------------------------------

    def _key(self, schema: str, name: str) -> tuple[str, str]:
        key = self.dialect.key
        return key(schema), key(name)

    def schema_for(self, given: str) -> str:
        """Return the schema that a new object falls into."""
        return given or self.search[0]

    def find(self, schema: str, name: str, search: tuple[str, ...] | None = None) -> Draft | None:
        """Look a table up as the platform would at this point of the script."""
        for where in (schema,) if schema else search or self.search:
            number = self._by_name.get(self._key(where, name))
            if number is not None:
                return self.drafts[number]
        if not schema:  # a script that is not careful with its schemas: one table of that name is the one meant
            hits = self._by_bare_name.get(self.dialect.key(name), ())
            if len(hits) == 1:
                return self.drafts[next(iter(hits))]
        return None

    def find_former(self, schema: str, name: str) -> Draft | None:
        """Look a table up by a name that it had before it was renamed."""
        return self.drafts.get(self._former.get(self._key(schema or self.first_schema, name), -1))

    def exists(self, schema: str, name: str) -> bool:
        """Say whether a table of exactly this schema and name is there."""
        return self._key(schema, name) in self._by_name

    # tables ----------------------------------------------------------------------------------------------------

    def add(self, table: Table, place: str) -> Draft:
        """Take a new table in; one of the same name gives way, as a script that is run a second time would do."""
        key = self._key(table.schema, table.name)
        if key in self._by_name:
            self.drop(self.drafts[self._by_name[key]])
        self._made += 1
        draft = Draft(table, self._made, place)
        self.drafts[draft.number] = draft
        self._list(key, draft.number)
        return draft

    def _list(self, key: tuple[str, str], number: int) -> None:
        self._by_name[key] = number
        self._by_bare_name.setdefault(key[1], set()).add(number)
        self.found_by_words.clear()

    def _unlist(self, key: tuple[str, str], number: int) -> None:
        self._by_name.pop(key, None)
        self._by_bare_name.get(key[1], set()).discard(number)
        self.found_by_words.clear()

    def drop(self, draft: Draft) -> None:
        """Take a table out again, and the references to it where they can't be without it."""
        self.leave_whole(draft)
        del self.drafts[draft.number]
        self._gone[self._key(draft.table.schema, draft.table.name)] = draft
        self._unlist(self._key(draft.table.schema, draft.table.name), draft.number)
        self.sequences.drop_of(draft.table.full_name)
        for other, ref in self._referring.pop(draft.number, ()):
            if self.dialect.keeps_references:
                if self.dialect.key(ref.name) != self.dialect.key(draft.table.name):  # it was renamed before
                    ref.schema, ref.name, ref.target = draft.table.schema, draft.table.name, -1
                    ref.key.ref_schema, ref.key.ref_table = ref.schema, ref.name
            elif any(ref is one for one in other.references):
                other.references.remove(ref)
                other.table.foreign_keys.remove(ref.key)

    def leave_whole(self, draft: Draft) -> None:
        """Take a partition off the tables that it is a part of; it is a table by itself."""
        gone = {(draft.table.schema, draft.table.name), *((one.schema, one.name) for one in draft.table.partitions)}
        for whole in self.partition_ancestors(draft):
            whole.table.partitions = [one for one in whole.table.partitions if (one.schema, one.name) not in gone]
        draft.partition_of = None

    def await_query(self, draft: Draft, query: str) -> None:
        """Note that a query tells the columns of a draft, and what tables it shows."""
        draft.query = query
        names = {self.dialect.key(name) for name in names_in(query, self.dialect)}
        for name in names & self._by_bare_name.keys():
            for number in self._by_bare_name[name] - {draft.number}:
                self._shown_by.setdefault(number, []).append(draft)
        if draft.table.kind not in VIEW_KINDS or not self.dialect.views_follow:
            self.settle(draft)

    def views_of(self, draft: Draft) -> list[Draft]:
        """Return the views that show a draft."""
        found = self._shown_by.get(draft.number, ())
        return [one for one in found if one.number in self.drafts and one.table.kind in VIEW_KINDS]

    def drop_views_of(self, shown: Draft, column: str = "") -> None:
        """Take out the views that show a table, or a column of it, and those that show them, as CASCADE does."""
        key = self.dialect.key
        for view in self.views_of(shown):
            names = {key(name) for name in names_in(view.table.definition_sql, self.dialect)} | set(view.columns)
            if view.number in self.drafts and (not column or key(column) in names):
                self.dropped[view.table.schema, view.table.name] = "views"
                self.drop(view)
                self.drop_views_of(view)

    def restore(self, schema: str, name: str) -> None:
        """Take in again what was dropped under a name, without the references to it."""
        key = self._key(self.schema_for(schema), name)
        draft = self._gone.pop(key, None)
        if draft and key not in self._by_name:
            self.drafts[draft.number] = draft
            self._list(key, draft.number)
            self.dropped.pop((draft.table.schema, draft.table.name), None)

    def rename(self, draft: Draft, schema: str, name: str) -> None:
        """Give a table another name or schema; what refers to it follows."""
        full_name, own = draft.table.full_name, (draft.table.schema, draft.table.name)
        former = self._key(draft.table.schema, draft.table.name)
        self._unlist(former, draft.number)
        self._former[former] = draft.number
        draft.table.schema, draft.table.name = schema, name
        self._list(self._key(schema, name), draft.number)
        self._tell_queries(draft, own)
        for child in self.children(full_name):
            renamed = (draft.table.full_name if one == full_name else one for one in child.table.inherits)
            self.inherit(child, tuple(renamed))
        for one in self.drafts.values() if draft.table.partition_by else ():
            if one.partition_of == own:
                one.partition_of = (schema, name)
        for whole in self.partition_ancestors(draft):
            for part in whole.table.partitions:
                if (part.schema, part.name) == own:
                    part.schema, part.name = schema, name
        if self.dialect.names_constraints == "mysql":
            for foreign in draft.table.foreign_keys:  # the names that the engine made up follow
                if foreign.name.startswith(f"{own[1]}_ibfk_"):
                    foreign.name = name + foreign.name[len(own[1]) :]
        for sequence in self.sequences.of(full_name):
            column = sequence.owned_by.rpartition(".")[2]
            self.sequences.change(sequence, schema=schema, owned_by=f"{draft.table.full_name}.{column}")

    def _tell_queries(self, draft: Draft, old: tuple[str, str]) -> None:
        """Let triggers, and views where the platform does so, speak of a table by the name that it has now."""
        new = draft.table.schema, draft.table.name
        for trigger in draft.table.triggers:
            trigger.definition = trigger_moved(trigger.definition, old, new, self.dialect)
        for view in self._bound_views(draft):
            self._reword(view, old[0], lambda query, home: table_renamed(query, old, new, home, self.dialect))

    def _bound_views(self, draft: Draft) -> list[Draft]:
        return self.views_of(draft) if self.dialect.queries_follow_names else []

    def _reword(self, view: Draft, schema: str, reworded: Callable[[str, str], str]) -> None:
        """Reword the query of a view that shows a table of a schema, given where the view looks for names without one."""
        home = schema if schema in (view.table.schema, *self.search) else self.first_schema
        view.table.definition_sql = reworded(view.table.definition_sql, home)
        view.query = view.query and reworded(view.query, home)

    def _columns_at(self, path: tuple[str, str]) -> set[str]:
        found = self.find(*path)
        return set(found.columns) if found else set()

    def rename_schema(self, former: str, name: str) -> None:
        """Give a schema another name; all that is in it follows."""
        key, model = self.dialect.key, self.model
        old = key(former)
        if info := self.schemas.pop(old, None):
            info.name = name
            self.schemas[key(name)] = info
        self.search = tuple(name if key(one) == old else one for one in self.search)
        pools: list[list[Any]] = [model.enums, model.domains, model.composites, model.ranges, model.routines]
        for pool in pools:
            for one in pool:
                if key(one.schema) == old:
                    one.schema = name
        for sequence in self.sequences:
            if key(sequence.schema) == old:
                self.sequences.change(sequence, schema=name)
        for draft in list(self.drafts.values()):
            if key(draft.table.schema) == old:
                self.rename(draft, name, draft.table.name)
            for column in draft.table.columns:
                schema, dot, rest = column.type.partition(".")
                if dot and key(schema) == old:
                    column.type = f"{name}.{rest}"
                if column.default is not None:
                    column.default = column.default.replace(f"nextval('{former}.", f"nextval('{name}.")

    def children(self, full_name: str) -> list[Draft]:
        """Return the tables that inherit from one."""
        if full_name not in self._parents:
            return []
        return [draft for draft in self.drafts.values() if full_name in draft.table.inherits]

    def inherit(self, draft: Draft, parents: tuple[str, ...]) -> None:
        """Say what a table inherits from, by full names."""
        draft.table.inherits = parents
        self._parents.update(parents)

    def descendants(self, draft: Draft) -> list[Draft]:
        """Return the tables that inherit from one, and those that inherit from them."""
        found: list[Draft] = []
        waiting = [draft]
        while waiting:  # a script may make a circle
            for child in self.children(waiting.pop().table.full_name):
                if child is not draft and not any(child is one for one in found):
                    found.append(child)
                    waiting.append(child)
        return found

    def partition_ancestors(self, draft: Draft) -> list[Draft]:
        """Return the table that a partition is a part of, and what that is a part of."""
        found: list[Draft] = []
        whole = self.find(*draft.partition_of) if draft.partition_of else None
        while whole is not None and whole is not draft and not any(whole is one for one in found):
            found.append(whole)
            whole = self.find(*whole.partition_of) if whole.partition_of else None
        return found

    def refer(self, draft: Draft, foreign: ForeignKey, schema: str, name: str) -> None:
        """Note a foreign key; it is bound now if the table is there."""
        reference = Reference(foreign, schema, name, self.search)
        number = self._by_name.get(self._key(schema or self.search[0], name))
        if number is not None:
            reference.target = number
            self._referring.setdefault(number, []).append((draft, reference))
        draft.references.append(reference)
        draft.table.foreign_keys.append(foreign)

    def own_index(self, draft: Draft, schema: str, name: str) -> None:
        """Note whose an index is; named without a schema, it lies in that of its table, or in none."""
        self._index_owner[self._key(schema or draft.table.schema, name)] = draft.number
        if not schema:
            self._index_owner[self._key("", name)] = draft.number

    def name_parts(self, draft: Draft) -> None:
        """Give constraints and indexes of a table that have no name the one that the platform makes up."""
        table = draft.table
        name_constraints(self.dialect, table, lambda name: self._is_taken(draft, name))
        if self.dialect.names_constraints == "postgresql":
            self._named |= dict.fromkeys(((table.schema, name) for name in names_of_parts(table)), draft.number)

    def _is_taken(self, draft: Draft, name: str) -> bool:
        """Say whether another table of the schema has a constraint or index of a name, as names are one by one in a schema."""
        schema = draft.table.schema
        other = self.drafts.get(self._named.get((schema, name), draft.number))
        return (
            other is not None
            and other is not draft
            and other.table.schema == schema
            and name in names_of_parts(other.table)
        )

    def own_keys(self, draft: Draft) -> None:
        """Note whose the indexes of keys are, which have the keys' names."""
        table = draft.table
        for key in (*table.unique, *table.exclusions, *([table.primary_key] if table.primary_key else [])):
            if key.name:
                self.own_index(draft, "", key.name)

    def owner_of_index(self, schema: str, name: str) -> Draft | None:
        """Return the table that an index belongs to."""
        for where in (schema,) if schema else (*self.search, ""):
            number = self._index_owner.get(self._key(where, name))
            if number in self.drafts:
                return self.drafts[number]
        return None

    def column(self, draft: Draft, name: str) -> Column | None:
        """Return a column by name."""
        return draft.columns.get(self.dialect.key(name))

    def actual_names(self, draft: Draft, names: tuple[str, ...]) -> tuple[str, ...]:
        """Return the names as the columns themselves are written; one that is not there stays as given."""
        columns, key = draft.columns, self.dialect.key
        return tuple([columns[k].name if (k := key(name)) in columns else name for name in names])

    def rename_column(self, draft: Draft, old: str, new: str) -> bool:
        """Rename a column wherever the model names it."""
        key = self.dialect.key
        column = draft.columns.pop(key(old), None)
        if column is None and draft.query:  # a view's columns are not known before the end
            draft.renamed.append((old, new))
            said_of = (draft.number, key(old))
            self.later_comments = [
                (number, new if (number, key(name)) == said_of else name, message)
                for number, name, message in self.later_comments
            ]
            return True
        if column is None:
            return False
        former, column.name = column.name, new
        draft.columns[key(new)] = column
        _rename_in_keys(draft.table, key(former), new, self.dialect)
        for trigger in draft.table.triggers if self.dialect.queries_follow_names else ():
            trigger.definition = trigger_reworded(trigger.definition, former, new, self.dialect)
        path = draft.table.schema, draft.table.name
        for view in self._bound_views(draft):
            self._reword(
                view,
                path[0],
                lambda query, home: column_renamed(query, path, former, new, home, self.dialect, self._columns_at),
            )
        for sequence in self.sequences.of(draft.table.full_name):
            if sequence.owned_by == f"{draft.table.full_name}.{former}":
                self.sequences.change(sequence, owned_by=f"{draft.table.full_name}.{new}")
        for _, ref in self._referring.get(draft.number, ()):
            ref.key.ref_columns = _renamed(ref.key.ref_columns, key(former), new, self.dialect)
        for child in self.children(draft.table.full_name):
            self.rename_column(child, old, new)
        return True

    def drop_column(self, draft: Draft, name: str) -> bool:
        """Take a column out, with the keys and indexes that hold it."""
        key = self.dialect.key
        column = draft.columns.pop(key(name), None)
        if column is None:
            return False
        table, gone = draft.table, key(column.name)
        table.columns.remove(column)
        draft.renumber()
        self.sequences.drop_of(f"{table.full_name}.{column.name}")

        def holds(names: tuple[str, ...]) -> bool:
            return any(key(one) == gone for one in names)

        if table.primary_key and holds(table.primary_key.columns):
            table.primary_key = None
        if self.dialect.keys_lose_columns:
            _lose_column(table, gone, key)
        table.unique = [one for one in table.unique if not holds(one.columns)]
        table.indexes = [one for one in table.indexes if not holds(_columns_of(one, self.dialect))]
        table.checks = [one for one in table.checks if not holds(tuple(names_in(one.expression, self.dialect)))]
        table.exclusions = [
            one
            for one in table.exclusions
            if not holds(tuple(names_in(" ".join((*one.elements, one.predicate or "")), self.dialect)))
        ]
        lost = [ref for ref in draft.references if holds(ref.key.columns)]
        for ref in lost:
            draft.references.remove(ref)
            table.foreign_keys.remove(ref.key)
        for child in self.children(table.full_name):
            if not child.adopted:
                self.drop_column(child, name)
        for other in [one for one in table.columns if one.generated]:
            if holds(tuple(names_in(other.generated or "", self.dialect))):
                self.drop_column(draft, other.name)
        return True

    # schemas, notes --------------------------------------------------------------------------------------------

    def schema_made(self, name: str, owner: str = "") -> SchemaInfo:
        """Note that a schema was made."""
        return self.schemas.setdefault(self.dialect.key(name), SchemaInfo(name=name, owner=owner))

    def note(self, fate: Fate, kind: str, reason: str, place: str = "", count: int = 1) -> None:
        """Put a line on the receipt. Many alike become one line with a count after the first few dozen."""
        entry = self._notes.setdefault((fate, kind, reason), [0, []])
        entry[0] += count
        self.noted += 1
        if place and len(entry[1]) < _NAMED_PLACES:
            entry[1].append((place, count))

    def notes(self) -> list[Note]:
        """Return the receipt's lines: a line a place, one more for what was only counted."""
        lines = []
        for (fate, kind, reason), (total, places) in self._notes.items():
            lines += [Note(fate, kind, reason, count, place) for place, count in places]
            rest = total - sum(count for _, count in places)
            if rest or not places:
                lines.append(Note(fate, kind, reason, rest, "and more" if places else ""))
        return lines


def _lose_column(table: Table, gone: str, key: Callable[[str], str]) -> None:
    """Leave the other columns of keys and indexes that hold one which is going."""
    for one in table.unique:
        kept = tuple(name for name in one.columns if key(name) != gone)
        one.columns = kept or one.columns
    for index in table.indexes:
        parts = tuple(part for part in index.parts if key(part.column) != gone)
        index.parts = parts or index.parts


def _columns_of(index: Index, dialect: Dialect) -> tuple[str, ...]:
    """Return all names that an index holds: of its columns, in its expressions, in its condition."""
    expressions = " ".join([*(part.expression for part in index.parts), index.predicate or ""])
    return (*(part.column for part in index.parts if part.column), *index.included, *names_in(expressions, dialect))


def _renamed(names: tuple[str, ...], old: str, new: str, dialect: Dialect) -> tuple[str, ...]:
    return tuple(new if dialect.key(name) == old else name for name in names)


def _rename_in_keys(table: Table, old: str, new: str, dialect: Dialect) -> None:
    keys: list[Key] = [*table.unique, *([table.primary_key] if table.primary_key else [])]
    for key in keys:
        key.columns = _renamed(key.columns, old, new, dialect)
    for foreign in table.foreign_keys:
        foreign.columns = _renamed(foreign.columns, old, new, dialect)
    for check in table.checks:
        check.expression = renamed_in(check.expression, old, new, dialect)
    for exclusion in table.exclusions:
        exclusion.elements = tuple(renamed_in(one, old, new, dialect) for one in exclusion.elements)
        exclusion.predicate = exclusion.predicate and renamed_in(exclusion.predicate, old, new, dialect)
    for column in table.columns:
        column.generated = column.generated and renamed_in(column.generated, old, new, dialect)
    for index in table.indexes:
        index.predicate = index.predicate and renamed_in(index.predicate, old, new, dialect)
        for part in index.parts:
            part.expression = renamed_in(part.expression, old, new, dialect)
        index.included = _renamed(index.included, old, new, dialect)
        for part in index.parts:
            if part.column and dialect.key(part.column) == old:
                part.column = new
