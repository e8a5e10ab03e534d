"""Scripts as people and tools write them: the same things in many wordings, and statements that change what earlier ones made."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from typing import TypeAlias

from tests.wordings import WORDINGS

_NAMES = ("customer", "Order", "meter_reading", "invoice line", "site", "tariff", "user")
_COLUMNS = ("id", "code", "name", "Amount", "valid from", "note", "site_id", "parent_id", "state", "order")
_RESERVED = frozenset({"order", "user", "name"})
_ACTIONS = ("no action", "restrict", "cascade", "set null", "set default")
_EXPRESSIONS = ("{0}", "coalesce({0}, {0})", "{0} + 1", "lower({0})", "{0} is null")
Written: TypeAlias = tuple[str, Callable[[], object]]
"""A statement, and what is to be called once a server took it."""


class ScriptWriter:
    """Writes statements one after the other, of which a server may refuse some; it knows what the others made.

    Not written is what the reader is known to tell otherwise: a view that shows what is gone or renamed where the platform lets it, and
    columns renamed below a view with a star.
    """

    def __init__(self, platform: str, draw: random.Random) -> None:
        self._platform, self._draw, self._words = platform, draw, WORDINGS[platform]
        self._tables: dict[str, dict[str, str]] = {}
        """Families of columns by the name of their table and their own."""
        self._views: list[str] = []
        self._indexes: list[tuple[str, str]] = []
        self._constraints: list[tuple[str, str]] = []
        self._number = 0
        self._refers, self._has_star = "", False

    def __iter__(self) -> Iterator[Written]:
        kinds = (
            [self._create] * 4 + [self._index] * 3 + [self._alter] * 8 + [self._view, self._drop] + [self._other] * 3
        )
        if self._platform in ("postgresql", "duckdb"):
            kinds += [self._comment] * 2
        while True:
            yield self._create() if len(self._tables) < 2 else self._draw.choice(kinds)()

    # names and small parts ---------------------------------------------------------------------------------------

    @property
    def _is_mysql(self) -> bool:
        return self._platform == "mysql"

    @property
    def _views_hold(self) -> bool:
        """Whether a view is in the way of changes: PostgreSQL lets it follow them, or refuses."""
        return bool(self._views) and self._platform != "postgresql"

    def _some(self, chance: float, text: str) -> str:
        return text if self._draw.random() < chance else ""

    def _spelled(self, name: str) -> str:
        """Write a name with or without quotes, where it can do without."""
        if name.replace("_", "").isalnum() and name.islower() and name not in _RESERVED and self._draw.random() < 0.7:
            return name if self._is_mysql else self._draw.choice((name, name, name.upper(), name.capitalize()))
        return f"{self._words.quote}{name}{self._words.quote}"

    def _path(self, name: str) -> str:
        return self._some(0.2, f"{self._words.schema}." if self._words.schema else "") + self._spelled(name)

    def _new(self, stem: str) -> str:
        self._number += 1
        return f"{stem}_{self._number}"

    def _free(self, names: tuple[str, ...], taken: dict[str, object] | dict[str, str]) -> str:
        return self._draw.choice([one for one in names if one not in taken] or [self._new("more")])

    def _named(self, stem: str, chance: float = 0.5) -> str:
        return self._some(chance, f"constraint {self._new(stem)} ")

    def _listed(self, names: list[str]) -> str:
        return ", ".join(self._spelled(one) for one in names)

    def _table(self) -> tuple[str, dict[str, str]]:
        name = self._draw.choice(list(self._tables))
        return name, self._tables[name] or {"id": "int"}

    def _keyed(self, columns: dict[str, str]) -> dict[str, str]:
        """Return the columns that a key or index may hold; on MySQL none that takes a length there."""
        held = {name: family for name, family in columns.items() if family != "other" or not self._is_mysql}
        return held or {"id": "int"}

    # columns and constraints -------------------------------------------------------------------------------------

    def _column(self, name: str, others: list[str], given: str = "") -> tuple[str, str]:
        """Return a column as it is written, and its family."""
        draw, words, tail = self._draw, self._words, []
        family = given or draw.choice([one for one in words.types if one != "serial"])
        type_ = draw.choice(words.types[family])
        if family == "int" and "serial" in words.types and draw.random() < 0.1:
            type_ = draw.choice(words.types["serial"])
        elif draw.random() < 0.4:
            tail.append(f"default {draw.choice(words.defaults[family])}")
        if draw.random() < 0.3:
            tail.append(draw.choice(("not null", "NOT NULL", "null")))
        if draw.random() < 0.08 and not (self._is_mysql and family == "other"):
            tail.append(("" if self._is_mysql else self._named("uk", 0.3)) + "unique")
        if draw.random() < 0.12:
            tail.append(f"{self._named('ck')}check ({self._condition(name, family)})")
        if self._tables and draw.random() < 0.12 and name not in ("site_id", "parent_id"):
            tail.append(self._references("" if self._is_mysql else self._named("fk", 0.3)))
        if self._platform == "postgresql" and family == "text":
            type_ += self._some(0.1, ' collate "C"')
        if self._platform == "sqlite" and family == "text":
            tail.append(self._some(0.2, "collate nocase"))
        if family == "int" and draw.random() < 0.05:
            tail = self._counted()
        if others and draw.random() < 0.06:
            lead = draw.choice(
                ("as", "generated always as") if self._platform != "postgresql" else ("generated always as",)
            )
            expression = draw.choice(_EXPRESSIONS).format(self._spelled(draw.choice(others)))
            tail, family = [f"{lead} ({expression}){draw.choice(words.generated_tails)}"], "other"
        if self._is_mysql:
            tail.append(
                self._some(0.2, draw.choice(("comment 'What it''s for'", 'comment "as said"', "comment 'a; -- b'")))
            )
        draw.shuffle(tail)
        return " ".join((self._spelled(name), type_, *(one for one in tail if one))), family

    def _counted(self) -> list[str]:
        """Return the clauses of a column that counts."""
        draw = self._draw
        if self._platform == "postgresql":
            how = draw.choice(("", " (start 5 increment by 2)", " (start with 100)", " (cache 20)"))
            return [f"generated {draw.choice(('always', 'by default'))} as identity{how}"]
        if self._is_mysql:
            return ["not null auto_increment", draw.choice(("primary key", "unique", "unique key", "key"))]
        return ["primary key" + self._some(0.5, " autoincrement" if self._platform == "sqlite" else "")]

    def _condition(self, name: str, family: str) -> str:
        conditions = self._words.conditions
        return self._draw.choice(conditions.get(family, conditions[""])).format(self._spelled(name))

    def _references(self, lead: str = "") -> str:
        draw = self._draw
        # SQLite asks for no column that is there, but the reader leaves out what names none.
        fitting = [one for one, columns in self._tables.items() if "id" in columns or self._platform != "sqlite"]
        target = self._path(draw.choice(fitting)) if fitting else "elsewhere"
        more = "".join(self._some(0.3, f" on {event} {draw.choice(_ACTIONS)}") for event in ("delete", "update"))
        if self._platform in ("postgresql", "sqlite"):
            when = (
                " deferrable",
                " deferrable initially deferred",
                " not deferrable",
                " initially immediate",
                " initially deferred",
            )
            more += self._some(0.15, draw.choice(when))
        if self._platform == "postgresql":
            more = self._some(0.1, " match full") + more
        names = f" ({self._spelled('id')})"
        return f"{lead}references {target}{self._some(0.7, names) if self._platform == 'postgresql' else names}{more}"

    def _constraint(self, table: str, columns: dict[str, str]) -> tuple[str, str]:
        """Return a constraint as it is written, and its name, if it has one."""
        draw, name, columns = self._draw, self._new("c"), self._keyed(columns)
        named = draw.random() < 0.6
        lead = f"constraint {self._spelled(name)} " if named else ""
        some = draw.sample(list(columns), min(len(columns), draw.randint(1, 2)))
        kind = draw.random()
        if kind < 0.35 and not (self._platform == "sqlite" and "id" in some):
            text = f"{lead}unique ({self._listed(some)})"
            if self._platform == "postgresql":
                text = text.replace("unique (", self._some(0.3, "unique nulls not distinct (") or "unique (")
                text += self._some(0.15, " deferrable initially deferred")
            if self._is_mysql and not named:
                heads = (
                    f"unique key {self._spelled(name)}",
                    "key",
                    f"index {name}",
                    "unique index",
                    f"fulltext key {name}",
                )
                text = f"{draw.choice(heads)} ({self._listed(some)})"
        elif kind < 0.7 and self._tables and (own := self._referring(table, some)):
            text = f"{lead}foreign key ({self._spelled(own)}) {self._references()}"
        else:
            text = f"{lead}check ({self._condition(some[0], columns[some[0]])})"
        return text, name if named else ""

    def _referring(self, table: str, some: list[str]) -> str:
        """Return the column that a key refers from; on SQLite one a table, for two over one column can't be told apart."""
        if self._platform != "sqlite":
            return some[0]
        if self._refers == table or some[0] not in ("site_id", "parent_id"):
            return ""
        self._refers = table
        return some[0]

    # statements --------------------------------------------------------------------------------------------------

    def _create(self) -> Written:
        draw, columns = self._draw, {"id": "int"}
        name = self._free(_NAMES, self._tables)
        inline = draw.random() < 0.5
        lines = [f"{self._spelled('id')} int {'primary key' if inline else 'not null'}"]
        below = [] if inline else [f"{self._named('pk')}primary key ({self._spelled('id')})"]
        for own in draw.sample([one for one in _COLUMNS if one != "id"], draw.randint(1, 5)):
            line, family = self._column(own, list(columns))
            lines.append(line)
            columns[own] = family
        below += [self._constraint(name, columns)[0] for _ in range(draw.choice((0, 0, 1, 1, 2)))]
        lead = "create unlogged" if self._platform == "postgresql" and draw.random() < 0.05 else "create"
        body = draw.choice((",\n  ", ", ", ",")).join([*lines, *below])
        head = f"{lead} table {self._some(0.2, 'if not exists ')}{self._path(name)}"
        return f"{head} ({body}){draw.choice(self._words.options)}", lambda: self._tables.update({name: columns})

    def _index(self) -> Written:
        draw, words = self._draw, self._words
        table, columns = self._table()
        some = draw.sample(list(self._keyed(columns)), min(len(self._keyed(columns)), draw.randint(1, 2)))
        parts = [f"{self._spelled(one)}{draw.choice(words.part_tails)}" for one in some]
        if draw.random() < 0.2:
            expressions = ("lower({0})", "({0} + 1)", "coalesce({0}, {0})", "({0} is null)", "(lower({0}))")
            parts[0] = draw.choice(expressions).format(self._spelled(some[0])) + self._some(0.5, " desc")
        name, listed = self._new("ix"), ", ".join(parts)

        def kept() -> None:
            self._indexes.append((table, name))

        if self._is_mysql and draw.random() < 0.3:
            word = draw.choice(("index", "key", "unique key", "unique"))
            return f"alter table {self._path(table)} add {word} {name} ({listed})", kept
        lead = f"create {self._some(0.3, 'unique ')}index "
        if self._platform == "postgresql" and draw.random() < 0.15:
            return f"{lead}{self._some(0.3, 'concurrently ')}on {self._path(table)} ({listed})", _nothing
        on = self._spelled(table) if self._platform == "sqlite" else self._path(table)
        tail = draw.choice(words.index_tails).format(self._spelled(draw.choice(list(self._keyed(columns)))))
        method = "" if self._is_mysql else draw.choice(words.index_methods)
        return f"{lead}{self._some(0.2, 'if not exists ')}{self._spelled(name)} on {on}{method} ({listed}){tail}", kept

    def _alter(self) -> Written:
        draw, (table, columns) = self._draw, self._table()
        known = [(at, name) for at, name in self._constraints if at in self._tables]
        if known and self._platform in ("postgresql", "mysql") and draw.random() < 0.1:
            return self._of_constraint(*draw.choice(known))
        if self._indexes and self._platform == "postgresql" and draw.random() < 0.05:
            at, index = draw.choice(self._indexes)
            kind = draw.choice(("unique", "primary key"))
            return f"alter table {self._path(at)} add constraint {self._new('ui')} {kind} using index {index}", _nothing
        if_there = "" if self._platform == "sqlite" else self._some(0.1, "if exists ")
        text, then = draw.choice([*self._column_actions(table, columns), *self._key_actions(table, columns)])
        return f"alter table {if_there}{self._path(table)} {text}", then

    def _of_constraint(self, at: str, name: str) -> Written:
        old, lead = self._spelled(name), f"alter table {self._path(at)} "
        if self._is_mysql:
            return f"{lead}drop {self._draw.choice(('constraint', 'foreign key', 'index', 'key'))} {old}", _nothing
        new = self._new("rc")
        actions = (
            f"rename constraint {old} to {new}",
            f"drop constraint {old} cascade",
            f"alter constraint {old} deferrable",
        )
        return lead + self._draw.choice(actions), _nothing

    def _column_actions(self, table: str, columns: dict[str, str]) -> list[Written]:
        """Return what may be done to a table's columns and its name."""
        draw, column = self._draw, self._draw.choice(list(columns))
        one, word, free = self._spelled(column), self._some(0.7, "column "), self._free(_COLUMNS, columns)
        line, family = self._column(free, list(columns))
        add = f"add {word}{line}{draw.choice(('', '', ' first', f' after {one}')) if self._is_mysql else ''}"
        name = self._free(_NAMES, self._tables)

        def added() -> None:
            self._tables[table][free] = family

        def moved() -> None:
            self._tables[table][free] = self._tables[table].pop(column)

        actions: list[Written] = [(add, added), (add, added)]
        if not self._views_hold:
            cascade = self._some(0.3, " cascade" if self._platform in ("postgresql", "duckdb") else "")
            renames = [] if self._has_star else [(f"rename {word}{one} to {self._spelled(free)}", moved)]
            actions += [
                *renames,
                (f"drop {word}{one}{cascade}", lambda: self._tables[table].pop(column, None)),
                (f"rename to {self._spelled(name)}", lambda: self._tables.update({name: self._tables.pop(table)})),
            ]
            if self._is_mysql:
                actions += [
                    (f"modify {word}{self._column(column, [], columns[column])[0]}", _nothing),
                    (f"change {word}{one} {self._column(free, [], columns[column])[0]}", moved),
                ]
        return actions + self._type_actions(one, word, columns[column])

    def _type_actions(self, one: str, word: str, family: str) -> list[Written]:
        if self._platform not in ("postgresql", "duckdb"):
            return []
        draw, type_ = self._draw, self._draw.choice(self._words.types[family])
        using = self._some(0.2, f" using {one}::{type_}")
        return [
            (f"alter {word}{one} {draw.choice(('set', 'drop'))} not null", _nothing),
            (f"alter {word}{one} {self._some(0.5, 'set data ')}type {type_}{using}", _nothing),
            (f"alter {word}{one} set default {draw.choice(self._words.defaults[family])}", _nothing),
            (f"alter {word}{one} drop default", _nothing),
        ]

    def _key_actions(self, table: str, columns: dict[str, str]) -> list[Written]:
        if self._platform == "sqlite":
            return []
        text, name = self._constraint(table, columns)
        one = self._spelled(self._draw.choice(list(self._keyed(columns))))
        kept = (lambda: self._constraints.append((table, name))) if name else _nothing
        actions: list[Written] = [(f"add {text}", kept), (f"add {text}", kept), (f"add primary key ({one})", _nothing)]
        return [*actions, ("drop primary key", _nothing)] if self._is_mysql else actions

    def _view(self) -> Written:
        draw, (table, columns), name = self._draw, self._table(), self._new("v")
        some = draw.sample(list(columns), min(len(columns), draw.randint(1, 3)))
        listed, first = self._listed(some), self._spelled(some[0])
        shown = draw.choice((listed, "*", "t.*", f"{listed}, 1 as one", f"{first} as {self._spelled('other name')}"))
        where = self._some(0.4, f" where {self._condition(some[0], columns[some[0]])}")
        lead = "create view" if self._platform == "sqlite" else f"create {self._some(0.3, 'or replace ')}view"

        def kept() -> None:
            self._views.append(name)
            self._has_star = self._has_star or shown.endswith("*")

        return f"{lead} {name} as select {shown} from {self._path(table)} t{where}", kept

    def _drop(self) -> Written:
        draw, (table, _) = self._draw, self._table()
        choices: list[Written] = []
        if not self._views_hold:
            cascade = self._some(0.5, " cascade" if self._platform in ("postgresql", "duckdb") else "")
            drop = f"drop table {self._some(0.3, 'if exists ')}{self._path(table)}{cascade}"
            choices.append((drop, lambda: self._tables.pop(table)))
        if self._views:
            view = draw.choice(self._views)
            choices.append((f"drop view {view}", lambda: self._views.remove(view)))
        if self._indexes:
            found = draw.choice(self._indexes)
            on = f" on {self._spelled(found[0])}" if self._is_mysql else ""
            choices.append((f"drop index {self._spelled(found[1])}{on}", lambda: self._indexes.remove(found)))
        return draw.choice(choices)

    def _comment(self) -> Written:
        table, columns = self._table()
        said = self._draw.choice(("'What it''s for'", "'Größe\nin m'", "''", "null", "'a; -- b'"))
        column = f"column {self._path(table)}.{self._spelled(self._draw.choice(list(columns)))}"
        return f"comment on {self._draw.choice((f'table {self._path(table)}', column))} is {said}", _nothing

    def _other(self) -> Written:
        (table, columns), target = self._table(), self._draw.choice(list(self._tables))
        text = (
            self._draw.choice(self._words.other)
            .replace("{new}", self._new("o"))
            .replace("{table}", self._spelled(table))
        )
        column = self._spelled(self._draw.choice(list(columns)))
        return text.replace("{target}", self._spelled(target)).replace("{column}", column), _nothing


def _nothing() -> None:
    """Change nothing of what is known."""
