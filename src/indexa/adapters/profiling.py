"""Asking a source's rows whether columns are unique and whether their values stand elsewhere: sampled, bounded, counted.

No value ever leaves the source: every query returns counts. A query looks at the first rows of a table only, and into another
table through an index; where there is none, only if that table is small. What was not asked for that reason is told.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import Any, Protocol

from indexa.core.infer.asking import SECONDS
from indexa.core.infer.code_tables import SIZED
from indexa.core.infer.data import DataSaid, Inclusion, Place, Range, Repeat, Uniqueness
from indexa.core.infer.questions import Questions, Search
from indexa.core.platforms import RefusedError

SAMPLED_ROWS = 20_000
SAMPLED_VALUES = 500
SEARCHED_VALUES, FEWEST_VALUES = 100, 3
"""Of a column that is searched for in many keys, how many values, and how many at least."""
SECONDS_OF_ONE = 15
"""How long a server may take for one question."""
_FEW_ROWS = 5
"""Fewer rows tell nothing of whether a column repeats another."""
PLATFORMS = frozenset({"postgresql", "mysql", "sqlite", "duckdb"})
"""Where rows can be asked: the platforms whose queries were run against the real thing."""

NOT_ASKED = "The rows of this kind of source ({platform}) can't be asked; names and structure alone were used."

Tell = Callable[[str, int, int], None]


class _TooLargeError(Exception):
    """All of a large table would have been read."""


class Session(Protocol):
    """An open, read-only session."""

    def bound(self, seconds: int) -> None:
        """Let no query of `ask` take longer."""

    def ask(self, query: str) -> tuple[Any, ...]:
        """Return the one row of a query. Raises RefusedError where the source refuses it; the session stays of use."""


def ask(
    session: Session, platform: str, asked: Questions, report: Tell | None = None, seconds: float = SECONDS
) -> DataSaid:
    """Ask until all is answered or the time is up; `DataSaid.said` words what was left unasked."""
    if platform not in PLATFORMS:
        return DataSaid(said=[NOT_ASKED.format(platform=platform)])
    return _Asking(session, platform, asked, report or _quiet, time.monotonic() + seconds).all()


def _quiet(*_: object) -> None:
    """Take no notice of progress."""


_Kind = tuple[Sequence[Any], Callable[[Any], Any], dict[Any, Any]]
"""Questions, what answers one, and where its answer goes."""


def _in_turn(*kinds: _Kind) -> list[tuple[Any, Callable[[Any], Any], dict[Any, Any]]]:
    """Return the questions of several kinds mixed, so that the likeliest of each come first, whenever the time is up."""
    placed = [
        ((place + 1) / len(questions), number, place, one, how, into)
        for number, (questions, how, into) in enumerate(kinds)
        for place, one in enumerate(questions)
    ]
    placed.sort(key=lambda one: one[:3])
    return [(one, how, into) for *_, one, how, into in placed]


class _Asking:
    def __init__(self, session: Session, platform: str, asked: Questions, report: Tell, until: float) -> None:
        self._session, self._asked, self._tell, self._until = session, asked, report, until
        # SQLite takes a name between double quotes that is no column for a text.
        self._quote = "`{}`" if platform in ("mysql", "sqlite") else '"{}"'
        self._mark = self._quote[0]
        self._said = DataSaid()
        self._refusing: set[Place] = set()
        """Keys that the source refuses to look into."""
        self._small: dict[tuple[str, str], bool] = {}

    def all(self) -> DataSaid:
        message = self._said
        large = 0
        refused: list[str] = []
        self._session.bound(SECONDS_OF_ONE)
        asked = self._asked
        every = _in_turn(
            (asked.unique, self._unique, message.unique),
            (asked.included, self._share, message.included),
            (asked.ranged, self._range, message.ranged),
            (asked.counted, self._rows, message.rows),
            (asked.repeated, self._repeats, message.repeated),
        )
        every += _in_turn((asked.searched, self._search, {}), (asked.tried, self._unique, message.unique))
        total = len(every)
        for done, (question, answer, answers) in enumerate(every):
            if time.monotonic() > self._until:
                message.said.append(f"{total - done:,} of {total:,} questions were not asked: the time allowed was up.")
                break
            if done % 20 == 0:
                self._tell("Asking the rows", done, total)
            try:
                found = answer(question)
            except RefusedError as error:
                refused.append(str(error))
            except _TooLargeError:
                large += 1
            else:
                if found is not None:
                    answers[question] = found
        if large:
            message.said.append(
                f"{large:,} {'column was' if large == 1 else 'columns were'} not compared: the other table has more than "
                f"{SAMPLED_ROWS:,} rows and no index on the key, so that all of it would have been read."
            )
        if refused:
            many = f"{len(refused):,} question{'s were' if len(refused) > 1 else ' was'} refused by the source."
            message.said.append(f"{many} It said first: {refused[0]}.")
        return message

    def _unique(self, question: Uniqueness) -> int | None:
        """Count the sampled rows, if they hold no value twice and none that is empty, else 0; None where there are too few."""
        schema, table, columns = question
        names = ", ".join(map(self._name, columns))
        sample = f"(select {names} from {self._table(schema, table)} limit {SAMPLED_ROWS}) s"
        empty = " or ".join(f"{self._name(column)} is null" for column in columns)
        rows = self._one(f"select count(*), sum(case when {empty} then 1 else 0 end) from {sample}")
        if rows[0] < 2:
            return None
        if rows[1]:
            return 0
        distinct = self._one(f"select count(*) from (select distinct {names} from {sample}) d")
        return int(rows[0]) if distinct[0] == rows[0] else 0

    def _share(self, question: Inclusion) -> float | None:
        """Return the share of sampled values that stand in the other columns; None where there are none."""
        schema, table, columns, ref_schema, ref_table, ref_columns = question
        self._allow(ref_schema, ref_table, ref_columns[0])
        values = self._values(schema, table, columns, SAMPLED_VALUES)
        same = " and ".join(f"p.{self._name(theirs)} = s.v{at}" for at, theirs in enumerate(ref_columns))
        there = f"exists (select 1 from {self._table(ref_schema, ref_table)} p where {same})"
        count, found = self._one(f"select count(*), sum(case when {there} then 1 else 0 end) from {values}")
        if len(columns) == 1:
            self._said.values[schema, table, columns[0]] = int(count)
        return float(found or 0) / count if count else None

    def _values(self, schema: str, table: str, columns: tuple[str, ...], most: int) -> str:
        """Return a query of the different values of columns, none of them empty, as v0, v1…"""
        named = ", ".join(f"{self._name(column)} as v{at}" for at, column in enumerate(columns))
        every = ", ".join(f"v{at}" for at in range(len(columns)))
        filled = " and ".join(f"v{at} is not null" for at in range(len(columns)))
        sample = f"(select {named} from {self._table(schema, table)} limit {SAMPLED_ROWS}) r"
        return f"(select distinct {every} from {sample} where {filled} limit {most}) s"

    def _search(self, question: Search) -> None:
        """Look for all values of a column in many keys at once; only keys that hold all of them are written down."""
        self._look_in(question.column, [key for key in question.keys if self._is_open(key)])

    def _is_open(self, key: Place) -> bool:
        """Say whether a key can be looked into: the source lets it be read, and it has an index or few rows."""
        if key in self._refusing:
            return False
        try:
            return self._allowed(*key)
        except RefusedError:
            self._refusing.add(key)
            return False

    def _look_in(self, column: Place, keys: Sequence[Place]) -> None:
        """Look in these keys; where the source refuses one of them, in halves, so that the others are found."""
        if not keys or time.monotonic() > self._until:
            return
        counts = ", ".join(
            f"sum(case when exists (select 1 from {self._table(*key[:2])} p where p.{self._name(key[2])} = s.v0) then 1 else 0 end)"
            for key in keys
        )
        values = self._values(*column[:2], column[2:], SEARCHED_VALUES)
        try:
            count, *found = self._one(f"select count(*), {counts} from {values}")
        except RefusedError:
            if len(keys) == 1:
                self._refusing.add(keys[0])
                raise
            for half in (keys[: len(keys) // 2], keys[len(keys) // 2 :]):
                with suppress(RefusedError):
                    self._look_in(column, half)
            return
        if count >= FEWEST_VALUES:
            self._said.values[column] = int(count)
            for key, held in zip(keys, found, strict=True):
                if held == count:
                    self._said.included[(*column[:2], column[2:], *key[:2], key[2:])] = 1.0

    def _range(self, question: Inclusion) -> Range | None:
        """Say how sampled numbers of a column lie among those of a key; None where there are none."""
        schema, table, (column,), ref_schema, ref_table, (key,) = question
        self._allow(ref_schema, ref_table, key)
        sample = f"(select {self._name(column)} as v from {self._table(schema, table)} limit {SAMPLED_ROWS}) s"
        there, name = f"{self._table(ref_schema, ref_table)} p", f"p.{self._name(key)}"
        counts = []
        for sign in ("<=", ">"):
            some = f"(select 1 as one from {there} where {name} {sign} (select max(v) from {sample}) limit {SAMPLED_ROWS}) c"
            counts.append(self._one(f"select count(*) from {some}")[0])
        end = f"case when max(v) > min(v) + {SAMPLED_ROWS} then min(v) + {SAMPLED_ROWS} else max(v) end"
        window = f"(select min(v) as low, {end} as high from {sample}) w"
        held, width = self._one(
            f"select count(*), max(w.high - w.low) from {window} join {there} on {name} between w.low and w.high"
        )
        if not any(counts) or not held:
            return None
        return Range(counts[1] / sum(counts), min(1.0, held / (float(width) + 1)))

    def _rows(self, question: tuple[str, str]) -> int | None:
        """Count the rows of a table, to one more than a table of codes has; None for none."""
        count = self._one(f"select count(*) from (select 1 as one from {self._table(*question)} limit {SIZED + 1}) s")
        return int(count[0]) or None

    def _repeats(self, question: Repeat) -> float | None:
        """Return the share of sampled rows that hold the value of the row they refer to; None where too few values tell."""
        schema, table, column, key, ref_schema, ref_table, theirs, ref_key = question
        self._allow(ref_schema, ref_table, ref_key)
        read = f"select {self._name(column)} as v, {self._name(key)} as k from {self._table(schema, table)} limit {SAMPLED_ROWS}"
        sample = f"(select v, k from ({read}) r where v is not null and k is not null limit {SAMPLED_VALUES}) s"
        joined = f"{sample} join {self._table(ref_schema, ref_table)} p on p.{self._name(ref_key)} = s.k"
        count, distinct, same = self._one(
            f"select count(*), count(distinct s.v), sum(case when s.v = p.{self._name(theirs)} then 1 else 0 end) from {joined}"
        )
        return float(same or 0) / count if count >= _FEW_ROWS and distinct > 1 else None

    def _allow(self, schema: str, table: str, column: str) -> None:
        """Raise where looking into a table by this column would read all of a large one."""
        if not self._allowed(schema, table, column):
            raise _TooLargeError

    def _allowed(self, schema: str, table: str, column: str) -> bool:
        return (schema, table, column) in self._asked.indexed or self._is_small(schema, table)

    def _is_small(self, schema: str, table: str) -> bool:
        found = self._small.get((schema, table))
        if found is None:
            count = self._one(
                f"select count(*) from (select 1 as one from {self._table(schema, table)} limit {SAMPLED_ROWS + 1}) s"
            )
            found = self._small[schema, table] = bool(count[0] <= SAMPLED_ROWS)
        return found

    def _one(self, query: str) -> tuple[Any, ...]:
        return self._session.ask(query)

    def _name(self, name: str) -> str:
        return self._quote.format(name.replace(self._mark, self._mark * 2))

    def _table(self, schema: str, table: str) -> str:
        return f"{self._name(schema)}.{self._name(table)}" if schema else self._name(table)
