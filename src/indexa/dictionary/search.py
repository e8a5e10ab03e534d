"""Finding columns: text, filters, order and their counts over the dictionary's narrow table.

Measured on 1,000,000 rows (docs/performance.md): the count stops at 1,000, and the first page of a
frequent term comes from a walk along the dictionary's order, which meets its hits soon; only where
it does not are all hits gathered and sorted.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from dataclasses import dataclass, field, replace
from typing import Any

from django.db import connection

from indexa.core.dictionary.key_roles import LABELS, Role
from indexa.ui.parameters import parse_ints

COUNTED = 1_000
"""Counts are exact up to here; beyond, "1,000+" until the exact ones have been asked for."""
_WALKED = 20_000
"""Rows along the dictionary's order that are looked at before all hits are gathered instead."""
_MOST_TERMS = 8

FACETS: dict[str, str] = {
    "model": "Model",
    "schema": "Schema",
    "table": "Table",
    "kind": "Kind",
    "key": "Key role",
    "family": "Type",
    "null": "Empty",
    "described": "Described",
}
"""Filters by name in the address, with their label. What is said of columns has filters of its own: "a" and the aspect's id."""
NOTHING_SAID = "none"
_ASPECT = re.compile(r"^a([1-9][0-9]{0,17})$")
_COLUMNS = {
    "model": "model_id",
    "schema": "schema",
    "table": "table_id",
    "kind": "kind",
    "family": "family",
    "null": "nullable",
    "described": "described",
}
SORTS: dict[str, str] = {
    "": "model_id, sort_key",
    "column": "name, model_id, sort_key",
    "-column": "name desc, model_id, sort_key",
    "type": "family, name, model_id, sort_key",
    "-type": "family desc, name, model_id, sort_key",
}
COLUMN_SETS = {"": "Business", "technical": "Technical", "stewardship": "Stewardship"}
"""What a row shows beside its names: definitions, what the database says of it, or what people say of it."""
KEY_VALUES: dict[str, Role] = {short.lower(): role for role, (short, _) in LABELS.items()}
Values = tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Query:
    """What is looked for in one area's dictionary. Values of one filter are alternatives."""

    area_id: int
    layer: str = "physical"
    text: str = ""
    filters: dict[str, Values] = field(default_factory=dict)
    sort: str = ""
    show: str = ""
    """Which set of columns the page shows, one of COLUMN_SETS."""

    @property
    def terms(self) -> list[str]:
        """The words of the text in lower case; a column must contain each of them somewhere."""
        return self.text.lower().split()[:_MOST_TERMS]

    @property
    def narrows(self) -> bool:
        """False if every column of the area's layer fits."""
        return bool(self.terms or self.filters)

    def without(self, facet: str) -> Query:
        """Return the query with one filter left off."""
        return replace(self, filters={name: v for name, v in self.filters.items() if name != facet})


@dataclass(frozen=True, slots=True)
class Hits:
    """A count, whether it is only a lower bound, and the counts of every filter's values.

    Where all hits were met, `letters` counts their tables by first letter; where they were also few,
    `ids` has them in order.
    """

    count: int
    more: bool
    facets: dict[str, Counter[str]]
    letters: Counter[str] | None = None
    ids: list[int] | None = None

    @property
    def tables(self) -> int:
        """Number of tables that the hits stand in, where all hits were met."""
        return sum(self.letters.values()) if self.letters else 0


def conditions_of(query: Query) -> tuple[str, list[Any]]:
    """Word the query's conditions; every value goes as a parameter."""
    conditions, parameters = ["area_id = %s", "layer = %s"], [query.area_id, query.layer]
    for term in query.terms:
        conditions.append("text like %s")
        parameters.append("%" + term.replace("\\", r"\\").replace("%", r"\%").replace("_", r"\_") + "%")
    for name, values in query.filters.items():
        if name == "key":
            mask = sum(KEY_VALUES[value] for value in values if value in KEY_VALUES)
            alternatives = ["roles & %s <> 0"] * bool(mask) + ["roles = 0"] * ("none" in values)
            conditions.append(f"({' or '.join(alternatives) or 'false'})")
            parameters.extend([mask] if mask else [])
        elif name in ("null", "described"):
            conditions.append(f"{_COLUMNS[name]} = any(%s)")
            parameters.append([value == "yes" for value in values])
        elif name in ("model", "table"):
            conditions.append(f"{_COLUMNS[name]} = any(%s)")
            parameters.append(parse_ints(values))
        elif name in _COLUMNS:
            conditions.append(f"{_COLUMNS[name]} = any(%s)")
            parameters.append(list(values))
        elif aspect := aspect_of(name):
            conditions.append("said && %s::text[]")
            parameters.append([f"{aspect}:{'' if value == NOTHING_SAID else value}" for value in values])
    return " and ".join(conditions), parameters


def aspect_of(name: str) -> int:
    """Return the id of the aspect that a filter is for; 0 for any other filter."""
    found = _ASPECT.match(name)
    return int(found[1]) if found else 0


def _run(sql: str, parameters: list[Any]) -> list[tuple[Any, ...]]:
    with connection.cursor() as cursor:
        cursor.execute(sql, parameters)
        found: list[tuple[Any, ...]] = cursor.fetchall()
        return found


def page(query: Query, offset: int, size: int) -> list[int]:
    """Return the ids of a page's columns, in order."""
    where, parameters = conditions_of(query)
    order = SORTS[query.sort]
    if query.narrows and not query.sort and offset < COUNTED:
        walked = _run(
            "select column_id from (select * from dictionary_row where area_id = %s and layer = %s "
            f"order by {order} limit {_WALKED}) walked where {where} order by {order} limit %s",
            [query.area_id, query.layer, *parameters, offset + size],
        )
        if len(walked) == offset + size:
            return [row[0] for row in walked[offset:]]
    # "offset 0" keeps the planner from walking the whole order in the hope of early hits.
    rows = f"(select * from dictionary_row where {where} offset 0) hits" if query.terms else _source(query, where)
    found = _run(f"select column_id from {rows} order by {order} offset %s limit %s", [*parameters, offset, size])
    return [row[0] for row in found]


def tables_found(query: Query) -> list[int]:
    """Return the ids of the tables in which a query finds something."""
    where, parameters = conditions_of(query)
    return [row[0] for row in _run(f"select distinct table_id from {_source(query, where)}", parameters)]


def _source(query: Query, where: str) -> str:
    """Return the rows that a query finds as the source of a statement: planned as a whole where they stand together, whatever
    number of them is wanted."""
    if any(aspect_of(name) for name in query.filters):
        return f"(with found as materialized (select * from dictionary_row where {where}) select * from found) found"
    return f"dictionary_row where {where}"


_GROUPED = ("model_id", "schema", "kind", "roles", "family", "nullable", "described", "said")
_GROUPED_FACETS = ("model", "schema", "kind", "key", "family", "null", "described", "said")
_HIT_COLUMNS = "model_id::text, schema, table_id::text, kind, roles, family, nullable, described, said"
_HIT_FACETS = ("model", "schema", "table", "kind", "key", "family", "null", "described", "said")


def first_hits(query: Query) -> Hits:
    """Count hits, filter values and letters up to COUNTED hits: quick whatever is looked for."""
    where, parameters = conditions_of(query)
    rows = _run(
        f"select {_HIT_COLUMNS}, column_id, sort_key from "
        f"(select * from {_source(query, where)} limit {COUNTED + 1}) hits order by {SORTS[query.sort]}",
        parameters,
    )
    more = len(rows) > COUNTED
    facets = _count_values([row[:-2] for row in rows[:COUNTED]])
    for active in query.filters:
        where, parameters = conditions_of(query.without(active))
        others = _run(f"select {_HIT_COLUMNS} from {_source(query.without(active), where)} limit {COUNTED}", parameters)
        facets[active] = _count_values(others)[active]
    if more:
        return Hits(COUNTED, True, facets)
    tables = {row[2]: row[-1].split("\x01")[1][:1].upper() for row in rows}
    letters = Counter(letter if "A" <= letter <= "Z" else "#" for letter in tables.values())
    return Hits(len(rows), False, facets, letters, [row[-2] for row in rows])


def _count_values(rows: list[tuple[Any, ...]]) -> dict[str, Counter[str]]:
    """Count filter values of hits, given as _HIT_COLUMNS."""
    columns = list(zip(*rows, strict=True)) or [()] * len(_HIT_FACETS)
    totals = _no_counts()
    for name, column in zip(_HIT_FACETS, columns, strict=True):
        for value, count in Counter(tuple(one) if name == "said" else one for one in column).items():
            for facet, shown in _facet_values(name, value):
                totals[facet][shown] += count
    return totals


def _no_counts() -> defaultdict[str, Counter[str]]:
    return defaultdict(Counter, {name: Counter() for name in FACETS})


def _facet_values(facet: str, value: Any) -> list[tuple[str, str]]:
    """Return the filters and their values that a value in the table counts for: several where keys meet, one for each aspect."""
    if facet == "key":
        return [(facet, name) for name, role in KEY_VALUES.items() if value & role] or [(facet, "none")]
    if facet == "said":
        pairs = (one.partition(":") for one in value)
        return [(f"a{aspect}", shown or NOTHING_SAID) for aspect, _, shown in pairs]
    return [(facet, ("yes" if value else "no") if facet in ("null", "described") else str(value))]


def exact_hits(query: Query) -> Hits:
    """Count all hits, filter values and letters, however many there are: two passes, and two a filter that narrows."""
    facets, count, letters = _exact_values(query)
    for active in query.filters:
        facets[active] = _exact_values(query.without(active))[0][active]
    return Hits(count, False, facets, letters)


def _exact_values(query: Query) -> tuple[dict[str, Counter[str]], int, Counter[str]]:
    where, parameters = conditions_of(query)
    sets = ", ".join(f"({column})" for column in _GROUPED)
    rows = _run(
        f"select grouping({', '.join(_GROUPED)}), {', '.join(_GROUPED)}, count(*) "
        f"from dictionary_row where {where} group by grouping sets ({sets})",
        parameters,
    )
    totals = _no_counts()
    for absent, *values, count in rows:
        # One bit of `absent` is clear, that of the column this row counts; the others are empty in it.
        (place,) = (n for n in range(len(_GROUPED)) if not absent >> (len(_GROUPED) - 1 - n) & 1)
        for facet, value in _facet_values(_GROUPED_FACETS[place], values[place]):
            totals[facet][value] += count
    tables = _run(
        "select table_id::text, min(upper(left(split_part(sort_key, chr(1), 2), 1))), count(*) "
        f"from dictionary_row where {where} group by 1",
        parameters,
    )
    totals["table"] = Counter({table: count for table, _, count in tables})
    letters = Counter(letter if "A" <= letter <= "Z" else "#" for _, letter, _ in tables)
    return totals, sum(totals["table"].values()), letters


def offset_of_letter(query: Query, letter: str) -> int:
    """Return how many hits stand before the first table whose name begins with letter.

    "#" stands for any other sign. Tables are ordered by model and schema first, so the letter is
    looked for from the top; 0 where no table has it.
    """
    where, parameters = conditions_of(query)
    begins = "name !~ '^[a-z]'" if letter == "#" else "left(name, 1) = %s"
    rows = _run(
        f"select min(place) from (select split_part(sort_key, chr(1), 2) as name, "
        f"row_number() over (order by {SORTS['']}) - 1 as place from dictionary_row where {where}) places "
        f"where {begins}",
        [*parameters, *([letter.lower()] if letter != "#" else [])],
    )
    return int(rows[0][0] or 0)


def count(query: Query) -> int:
    """Count all hits exactly."""
    where, parameters = conditions_of(query)
    return int(_run(f"select count(*) from dictionary_row where {where}", parameters)[0][0])


def named(query: Query, limit: int) -> list[int]:
    """Return ids of columns for a quick look-up: the name itself first, then names that begin so, then others."""
    first = _run(
        "select column_id from dictionary_row where area_id = %s and layer = %s and name ~>=~ %s and name ~<~ %s "
        "order by name, sort_key limit %s",
        [query.area_id, query.layer, query.text.lower(), query.text.lower() + "\U0010ffff", limit],
    )
    ids = [row[0] for row in first]
    if len(ids) < limit:
        where, parameters = conditions_of(query)
        more = _run(f"select column_id from dictionary_row where {where} limit %s", [*parameters, 2 * limit])
        ids += [row[0] for row in more if row[0] not in ids]
    return ids[:limit]
