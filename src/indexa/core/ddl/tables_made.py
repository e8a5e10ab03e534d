"""Tables with their columns, keys, checks and partitions, and foreign keys."""

from __future__ import annotations

import re
from collections.abc import Sequence

from indexa.core.ddl.columns import Columns
from indexa.core.ddl.draft import Draft
from indexa.core.model import Exclusion, ForeignKey, Key, Partition, Table


def in_order(tables: Sequence[Table]) -> list[Table]:
    """Return tables after those that they refer to; circles are broken where they are met."""
    by_key = {(table.schema, table.name): table for table in tables}
    done: dict[tuple[str, str], None] = {}
    for table in tables:
        waiting: list[tuple[Table, bool]] = [(table, False)]
        open_: set[tuple[str, str]] = set()
        while waiting:
            at, ready = waiting.pop()
            key = (at.schema, at.name)
            if key in done:
                continue
            if ready:
                done[key] = None
                continue
            if key in open_:
                continue
            open_.add(key)
            waiting.append((at, True))
            parents = [by_key.get((one.ref_schema, one.ref_table)) for one in at.foreign_keys]
            waiting += [(parent, False) for parent in parents if parent is not None and parent is not at]
    return [by_key[key] for key in done]


def make_table(draft: Draft, columns: Columns, table: Table) -> None:
    """Make a table with all that stands within it."""
    if table.kind == "foreign table":
        draft.note(table.full_name, f"a foreign table of the server {table.server}")
        return
    virtual = next((one for one in table.options if one.startswith("USING ")), "")
    if draft.same and draft.target.name == "sqlite" and virtual:
        draft.add(
            "table",
            table.schema,
            table.name,
            f"CREATE VIRTUAL TABLE {draft.path_of(table)} {virtual}",
        )
        return
    columns.extra_checks.clear()
    primary = table.primary_key
    alone = primary.columns[0] if primary and len(primary.columns) == 1 else ""
    lines = [columns.line(table, column, alone_in_key=column.name == alone) for column in table.columns]
    counts_alone = any(column.name == alone and column.identity for column in table.columns)
    if primary and not (draft.target.name == "sqlite" and counts_alone):
        named = draft.constraint("" if primary.name == "PRIMARY" else draft.free_name(table, primary.name))
        words = f"PRIMARY KEY ({draft.namer.listed(primary.columns)})"
        lines.append(f"{named}{words}{_when(draft, primary)}{draft.target.keys_suffix}")
    for key in table.unique:
        if draft.target.unique_keys:
            distinct = "" if key.nulls_distinct or not draft.same else " NULLS NOT DISTINCT"
            lines.append(
                f"{draft.constraint(draft.free_name(table, key.name))}UNIQUE{distinct} ({draft.namer.listed(key.columns)}){_when(draft, key)}"
                f"{draft.beside(key.comment)}"
            )
        else:
            draft.note(table.full_name, f"the unique key {key.name}")
    lines += _checks(draft, table)
    lines += [f"CHECK ({condition})" for condition in columns.extra_checks]
    lines += _exclusions(draft, table)
    if not draft.target.adds_foreign_keys:
        draft.made.add((table.schema, table.name))
        for foreign in table.foreign_keys:
            if draft.target.name == "duckdb" and foreign.ref_schema != table.schema:
                draft.note(table.full_name, f"the foreign key {foreign.name}: it leads to another schema")
            elif draft.target.name == "duckdb" and (foreign.ref_schema, foreign.ref_table) not in draft.made:
                draft.note(
                    table.full_name, f"the foreign key {foreign.name}: it closes a circle, and can't be added later"
                )
            elif words := foreign_key(draft, table, foreign):
                lines.append(words)
    unlogged = "UNLOGGED " if table.unlogged and draft.same and draft.target.name == "postgresql" else ""
    body = ",\n".join(f"    {line}" for line in lines)
    draft.add(
        "table", table.schema, table.name,
        f"CREATE {unlogged}TABLE {draft.unless_there}{draft.path_of(table)} (\n{body}\n){_after_table(draft, table)}",
    )  # fmt: skip
    _make_partitions(draft, table)


def inherit(draft: Draft, table: Table) -> None:
    """Have a table inherit from its parents, once all are there: so its columns keep the order that they have."""
    if draft.is_same("postgresql", "greenplum"):
        for one in table.inherits:
            words = f"ALTER TABLE {draft.path_of(table)} INHERIT {draft.path(*schema_and_name(one))}"
            draft.add("table", table.schema, table.name, words)


def _after_table(draft: Draft, table: Table) -> str:
    parts = []
    if draft.same and draft.target.name in ("postgresql", "greenplum"):
        if table.partition_by:
            parts.append(f"PARTITION BY {table.partition_by}")
        if table.options and not table.partition_by:
            parts.append(f"WITH ({', '.join(table.options)})")
    elif draft.same and draft.target.name == "mysql":
        parts.append(" ".join(table.options))
        if table.partition_by:
            each = ", ".join(
                f"PARTITION {draft.namer.quoted(one.name)} {one.bound}".rstrip() for one in table.partitions
            )
            parts.append(f"PARTITION BY {table.partition_by} ({each})")
    elif draft.same and draft.target.name == "sqlite" and table.options:
        parts.append(", ".join(table.options))
    elif table.partition_by or table.inherits:
        draft.note(
            table.full_name, f"its partitions: {table.partition_by}" if table.partition_by else "its parent tables"
        )
    if table.comment and draft.options.comments:
        if draft.target.comments == "inline":
            parts.insert(0, f"COMMENT = {draft.namer.text(table.comment)}")
        elif draft.target.comments == "options":
            parts.append(f"OPTIONS(description={draft.namer.text(table.comment)})")
    return "".join(f"\n{part}" for part in parts if part)


def _make_partitions(draft: Draft, table: Table) -> None:
    if not (draft.is_same("postgresql") and table.partition_by):
        return
    for one in sorted(table.partitions, key=lambda one: (not one.partition_by, one.schema, one.name)):
        parent = draft.path(*_whole_of(table, one))
        again = f" PARTITION BY {one.partition_by}" if one.partition_by else ""
        path = draft.path(one.schema, one.name)
        words = f"CREATE TABLE {draft.unless_there}{path} PARTITION OF {parent} {one.bound}{again}"
        draft.add("table", one.schema, one.name, words)


_STRATEGIES = {"IN": "list", "FROM": "range", "WITH": "hash"}


def _whole_of(table: Table, part: Partition) -> tuple[str, str]:
    """Return what a partition is a part of: a partition that is parted again in the way its bound says, or the table.

    A model has all partitions with their table; of several that could be it, the one whose name it begins with is.
    """
    words = part.bound.split()
    strategy = _STRATEGIES.get(words[2] if len(words) > 2 else "", "")

    def fits(partition_by: str) -> bool:
        return not strategy or partition_by.lower().startswith(strategy)

    inner = [one for one in table.partitions if one.partition_by and one is not part and fits(one.partition_by)]
    named = [one for one in inner if part.name.startswith(one.name)]
    if named:
        best = max(named, key=lambda one: len(one.name))
        return best.schema, best.name
    if fits(table.partition_by) or not inner:
        return table.schema, table.name
    return inner[0].schema, inner[0].name


def _when(draft: Draft, key: Key | ForeignKey | Exclusion) -> str:
    only_references = draft.target.name == "sqlite" and not isinstance(key, ForeignKey)
    if not (draft.target.deferrable and key.deferrable) or only_references:
        return ""
    return " DEFERRABLE INITIALLY DEFERRED" if key.initially_deferred else " DEFERRABLE"


def _checks(draft: Draft, table: Table) -> list[str]:
    if not draft.target.checks:
        for check in table.checks:
            draft.note(table.full_name, f"the check {check.name}")
        return []
    lines = []
    counted = {column.name for column in table.columns if column.identity} if draft.target.name == "mysql" else set()
    for check in table.checks:
        if counted & set(re.findall(r"\w+", check.expression)):
            draft.note(table.full_name, f"the check {check.name}: there is none of a column that counts by itself")
            continue
        if not draft.same and re.search(r"::|~|`|\[|\bany\s*\(|similar to|regexp", check.expression, re.IGNORECASE):
            draft.note(table.full_name, f"the check {check.name}: {check.expression}")
            continue
        inherited = "" if check.inherited or not draft.same else " NO INHERIT"
        lines.append(f"{draft.constraint(check.name)}CHECK ({check.expression}){inherited}")
    return lines


def _exclusions(draft: Draft, table: Table) -> list[str]:
    lines = []
    for one in table.exclusions:
        if not (draft.same and draft.target.name == "postgresql"):
            draft.note(table.full_name, f"the exclusion {one.name}")
            continue
        where = f" WHERE ({one.predicate})" if one.predicate else ""
        lines.append(
            f"{draft.constraint(one.name)}EXCLUDE USING {one.method} ({', '.join(one.elements)}){where}{_when(draft, one)}"
        )
    return lines


def foreign_key(draft: Draft, table: Table, key: ForeignKey) -> str:
    """Return the words of a foreign key; none, with a remark, where it can not be made."""
    if key.asserted:
        draft.note(
            table.full_name,
            f"the relationship {key.name or 'by ' + ', '.join(key.columns)}: a person asserts it, the source does not declare it",
        )
        return ""
    if (key.ref_schema, key.ref_table) not in draft.shown:
        draft.note(table.full_name, f"the foreign key {key.name}: {key.ref_table} is not in this script")
        return ""
    target = draft.target
    words = f"{draft.constraint(key.name)}FOREIGN KEY ({draft.namer.listed(key.columns)}) REFERENCES {draft.path(key.ref_schema, key.ref_table)}"
    words += f" ({draft.namer.listed(key.ref_columns)})" if key.ref_columns else ""
    if key.match == "full" and draft.same:
        words += " MATCH FULL"
    for event, action in (("DELETE", key.on_delete), ("UPDATE", key.on_update)):
        if action == "no action" or (event == "UPDATE" and action == "restrict"):
            continue
        if action in target.foreign_key_actions and (event == "DELETE" or target.update_actions):
            words += f" ON {event} {target.foreign_key_actions[action]}"
        elif action != "restrict":
            draft.note(table.full_name, f"{key.name} on {event.lower()} {action}")
    if _restricts_updates(key) and "restrict" in target.foreign_key_actions and target.update_actions:
        words += " ON UPDATE RESTRICT"
    words += _when(draft, key) + target.keys_suffix
    return words + (" NOT VALID" if not key.validated and draft.same and target.name == "postgresql" else "")


def _restricts_updates(key: ForeignKey) -> bool:
    """Return whether an update of the parent is restricted, which is not the same as no action."""
    return key.on_update == "restrict"


def schema_and_name(path: str) -> tuple[str, str]:
    """Part a full name."""
    schema, _, name = path.rpartition(".")
    return schema, name
