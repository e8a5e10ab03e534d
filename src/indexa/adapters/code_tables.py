"""Reading the codes of a lookup table: two columns of a small table, in one bounded query. Only where somebody allowed it."""

from __future__ import annotations

import json

from indexa.adapters.profiling import SECONDS_OF_ONE, Session
from indexa.core.platforms import RefusedError

MOST_ROWS = 2_000
"""A table with more rows is no lookup table."""
_PAIRS = {
    "postgresql": "select json_agg(json_build_array(k::text, v::text)) from ({rows}) s",
    "mysql": "select json_arrayagg(json_array(cast(k as char), cast(v as char))) from ({rows}) s",
    "sqlite": "select json_group_array(json_array(cast(k as text), cast(v as text))) from ({rows}) s",
    "duckdb": "select to_json(list([cast(k as varchar), cast(v as varchar)])) from ({rows}) s",
}
"""All rows of a query as one JSON text, by platform: a session answers with one row."""
PLATFORMS = frozenset(_PAIRS)


def read_codes(
    session: Session, platform: str, schema: str, table: str, code: str, meaning: str
) -> list[tuple[str, str]]:
    """Return the codes of a table with their meanings ("" where there is none), by code.

    Raises RefusedError where the source refuses it, the platform can't be asked, or the table is too large.
    """
    if platform not in _PAIRS:
        raise RefusedError(f"the rows of this kind of source ({platform}) can't be read")
    mark = "`" if platform in ("mysql", "sqlite") else '"'

    def named(name: str) -> str:
        return f"{mark}{name.replace(mark, mark * 2)}{mark}"

    place = f"{named(schema)}.{named(table)}" if schema else named(table)
    shown = named(meaning) if meaning else "''"
    rows = f"select {named(code)} as k, {shown} as v from {place} where {named(code)} is not null limit {MOST_ROWS + 1}"  # noqa: S608  names are quoted
    session.bound(SECONDS_OF_ONE)
    (found,) = session.ask(_PAIRS[platform].format(rows=rows))
    pairs = json.loads(found) if isinstance(found, (str, bytes)) else found or []
    if len(pairs) > MOST_ROWS:
        raise RefusedError(f"it has more than {MOST_ROWS:,} rows: that is no lookup table")
    return sorted((str(one), str(other or "").strip()) for one, other in pairs or [])
