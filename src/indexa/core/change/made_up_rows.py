"""Made-up rows that fit types and keys, so that a rehearsal shows what becomes of rows. No real value is in them."""

from __future__ import annotations

from collections.abc import Iterator

from indexa.core.ddl.names import Namer
from indexa.core.ddl.tables_made import in_order
from indexa.core.ddl.types import plain
from indexa.core.model import VIEW_KINDS, Column, Model, Table

ROWS = 3
_TEXTS = frozenset({"varchar", "char", "text"})


def inserts(model: Model, platform: str) -> Iterator[tuple[Table, str]]:
    """Yield a table and a statement that puts a row into it, parents first, some for each table."""
    namer = Namer(platform, model.platform)
    enums = {f"{one.schema}.{one.name}".lower(): one.values for one in model.enums} | {
        one.name.lower(): one.values for one in model.enums
    }
    domains = {f"{one.schema}.{one.name}".lower(): one.type for one in model.domains}
    has_schemas = platform not in ("sqlite",)
    for table in in_order([one for one in model.tables if one.kind not in VIEW_KINDS]):
        columns = [one for one in table.columns if one.generated is None and one.identity != "always"]
        if not columns:
            continue
        path = namer.path(table.schema if has_schemas else "", table.name)
        names = ", ".join(namer.quoted(one.name) for one in columns)
        for number in range(1, ROWS + 1):
            values = ", ".join(_value(one, number, platform, enums, domains, namer) for one in columns)
            yield table, f"INSERT INTO {path} ({names}) VALUES ({values})"


def _value(
    column: Column, number: int, platform: str, enums: dict[str, tuple[str, ...]], domains: dict[str, str], namer: Namer
) -> str:
    type_ = domains.get(column.type.lower(), column.type)
    if values := enums.get(type_.lower()):
        return namer.text(values[(number - 1) % len(values)])
    if type_.lower().startswith("enum("):
        return type_[5:].partition(",")[0].rstrip(")")
    kind = plain(type_, platform)
    if kind is None:
        return "NULL" if column.nullable else namer.text(str(number))
    if kind.kind in _TEXTS:
        return namer.text(str(number))  # a number in letters outlives a change to a number
    if kind.kind == "boolean":
        return "1" if platform in ("sqlite", "mysql", "sqlserver", "oracle") else "TRUE"
    if kind.kind == "date":
        return namer.text(f"2026-01-{number:02}")
    if kind.kind == "time":
        return namer.text(f"0{number}:00:00")
    if kind.kind in ("timestamp", "instant"):
        return namer.text(f"2026-01-{number:02} 00:00:00")
    if kind.kind == "uuid":
        return namer.text(f"00000000-0000-4000-8000-00000000000{number}")
    if kind.kind == "interval":
        return namer.text(f"{number} hours")
    if kind.kind in ("binary", "json", "xml"):
        return "NULL" if column.nullable else namer.text("{}" if kind.kind == "json" else "x")
    return str(number)
