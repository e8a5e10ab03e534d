"""Asking a source's rows whether columns are unique and whether their values stand elsewhere: sampled, bounded, counted.

No value ever leaves the source: every query returns counts. A query looks at the first rows of a table only, and into another
table through an index; where there is none, only if that table is small. What was not asked for that reason is told.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, Protocol

from indexa.core.infer.asking import Questions
from indexa.core.infer.code_tables import SIZED
from indexa.core.infer.data import DataSaid, Inclusion, Repeat, Uniqueness
from indexa.core.platforms import RefusedError

SAMPLED_ROWS = 20_000
SAMPLED_VALUES = 500
SECONDS = 120
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

    def fetch(self, query: str, parameters: Mapping[str, Any]) -> Iterable[tuple[Any, ...]]:
        """Run a query and return its rows."""


def ask(
    session: Session, platform: str, asked: Questions, tell: Tell | None = None, seconds: float = SECONDS
) -> DataSaid:
    """Ask until all is answered or the time is up; `DataSaid.said` words what was left unasked."""
    if platform not in PLATFORMS:
        return DataSaid(said=[NOT_ASKED.format(platform=platform)])
    return _Asking(session, platform, asked, tell or _quiet, time.monotonic() + seconds).all()


def _quiet(*_: object) -> None:
    """Take no notice of progress."""


class _Asking:
    def __init__(self, session: Session, platform: str, asked: Questions, tell: Tell, until: float) -> None:
        self._session, self._asked, self._tell, self._until = session, asked, tell, until
        self._quote = "`{}`" if platform == "mysql" else '"{}"'
        self._mark = self._quote[0]
        self._doubled = platform in ("mysql", "postgresql")
        self._small: dict[tuple[str, str], bool] = {}

    def all(self) -> DataSaid:
        said = DataSaid()
        refused = large = 0
        asked = self._asked
        rounds: list[tuple[Sequence[Any], Callable[[Any], Any], dict[Any, Any]]] = [
            (asked.unique, self._is_unique, said.unique),
            (asked.included, self._share, said.included),
            (asked.counted, self._rows, said.rows),
            (asked.repeated, self._repeats, said.repeated),
        ]
        total = sum(len(questions) for questions, _, _ in rounds)
        every = ((one, how, into) for questions, how, into in rounds for one in questions)
        for done, (question, answer, answers) in enumerate(every):
            if time.monotonic() > self._until:
                said.said.append(f"{total - done:,} of {total:,} questions were not asked: the time allowed was up.")
                break
            if done % 20 == 0:
                self._tell("Asking the rows", done, total)
            try:
                found = answer(question)
            except RefusedError:
                refused += 1
            except _TooLargeError:
                large += 1
            else:
                if found is not None:
                    answers[question] = found
        if large:
            said.said.append(
                f"{large:,} {'column was' if large == 1 else 'columns were'} not compared: the other table has more than "
                f"{SAMPLED_ROWS:,} rows and no index on the key, so that all of it would have been read."
            )
        if refused:
            said.said.append(f"{refused:,} questions were refused by the source.")
        return said

    def _is_unique(self, question: Uniqueness) -> bool | None:
        """Say whether sampled rows hold no value twice and none that is empty; None where there are too few."""
        schema, table, columns = question
        names = ", ".join(map(self._name, columns))
        sample = f"(select {names} from {self._table(schema, table)} limit {SAMPLED_ROWS}) s"
        empty = " or ".join(f"{self._name(column)} is null" for column in columns)
        rows = self._one(f"select count(*), sum(case when {empty} then 1 else 0 end) from {sample}")
        if rows[0] < 2:
            return None
        if rows[1]:
            return False
        distinct = self._one(f"select count(*) from (select distinct {names} from {sample}) d")
        return bool(distinct[0] == rows[0])

    def _share(self, question: Inclusion) -> float | None:
        """Return the share of sampled values that stand in the other table; None where there are none."""
        schema, table, column, ref_schema, ref_table, ref_column = question
        self._allow(ref_schema, ref_table, ref_column)
        name = self._name(column)
        sample = f"(select {name} as v from {self._table(schema, table)} limit {SAMPLED_ROWS}) r"
        values = f"(select distinct v from {sample} where v is not null limit {SAMPLED_VALUES}) s"
        there = f"exists (select 1 from {self._table(ref_schema, ref_table)} p where p.{self._name(ref_column)} = s.v)"
        count, found = self._one(f"select count(*), sum(case when {there} then 1 else 0 end) from {values}")
        return float(found or 0) / count if count else None

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
        if (schema, table, column) not in self._asked.indexed and not self._is_small(schema, table):
            raise _TooLargeError

    def _is_small(self, schema: str, table: str) -> bool:
        found = self._small.get((schema, table))
        if found is None:
            count = self._one(
                f"select count(*) from (select 1 as one from {self._table(schema, table)} limit {SAMPLED_ROWS + 1}) s"
            )
            found = self._small[schema, table] = bool(count[0] <= SAMPLED_ROWS)
        return found

    def _one(self, query: str) -> tuple[Any, ...]:
        return next(iter(self._session.fetch(query, {})))

    def _name(self, name: str) -> str:
        written = self._quote.format(name.replace(self._mark, self._mark * 2))
        return written.replace("%", "%%") if self._doubled else written

    def _table(self, schema: str, table: str) -> str:
        return f"{self._name(schema)}.{self._name(table)}" if schema else self._name(table)
