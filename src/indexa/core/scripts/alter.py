"""ALTER TABLE: actions in one statement by the dozen, in any dialect; RENAME and DROP beside it."""

from __future__ import annotations

import copy

from indexa.core.errors import CoreError
from indexa.core.model import Check, Column, Key
from indexa.core.scripts.columns import ColumnReading, begins_action, expression_end, set_default, type_end
from indexa.core.scripts.constraints import is_constraint, table_constraint
from indexa.core.scripts.cursor import Cursor, MisfitError, NotUnderstoodError, worded
from indexa.core.scripts.naming import index_foreign_key
from indexa.core.scripts.remarks import remark_columns
from indexa.core.scripts.sequences import identity_sequence, widen_sequence
from indexa.core.scripts.state import Draft, Script
from indexa.core.scripts.table_options import (
    add_partitions,
    become_partition,
    partition_by,
    storage_option,
    with_options,
)

_SILENT = frozenset(
    (
        "OWNER ENABLE DISABLE CLUSTER REPLICA FORCE NOFORCE ALLOW LOCK ALGORITHM ENGINE AUTO_INCREMENT DEFAULT "
        "CONVERT ORDER SET RESET CHECK NOCHECK MOVE LOGGING NOLOGGING PARALLEL NOPARALLEL CACHE NOCACHE "
        "COMPRESS NOCOMPRESS TABLESPACE PCTFREE REBUILD APPEND ROW_FORMAT CHARACTER COLLATE VALIDATE INITRANS "
        "STORAGE ACTIVATE DATA PCTUSED MONITORING SWITCH READ LOCKSIZE VOLATILE LOG TYPE UNSET SUSPEND RESUME "
        "SHRINK TOUCH UPGRADE DISCARD IMPORT OPTIMIZE ANALYZE REPAIR COALESCE TRUNCATE EXCHANGE SPLIT MERGE "
        "QUERY PARTITION GRANT REVOKE STATISTICS ROW CHECKSUM DISTSTYLE"
    ).split()
)


def alter_table(cursor: Cursor, script: Script) -> None:
    """Read what follows ALTER TABLE and carry its actions out one after the other."""
    only_if_there = cursor.take("IF", "EXISTS")
    cursor.take("ONLY")
    start = cursor.i
    schema, name = cursor.qualified()
    cursor.take("*")
    draft = script.find(schema, name)
    if draft is None:
        if not only_if_there and cursor.now not in _SILENT:
            full = f"{schema}.{name}" if schema else name
            words = cursor.spaced_text(cursor.i, min(cursor.i + 6, cursor.end))
            place = f"{full}, line {cursor.statement.line_of(start)}"
            script.note("left out", "statements", f"It changes a table that is not in the script: {words[:60]}", place)
        return
    script.name_parts(draft)  # the names that an action may speak of
    while cursor.now not in ("", ";"):
        at = cursor.i
        try:
            _action(cursor, script, draft)
        except (CoreError, IndexError, ValueError) as error:
            _lost(cursor, script, draft, at, error)
        if cursor.i == at:
            cursor.i += 1
        cursor.take(",")
        if draft.number not in script.drafts:
            return
    if script.dialect.names_constraints == "postgresql":
        script.name_parts(draft)
        script.own_keys(draft)


def _lost(cursor: Cursor, script: Script, draft: Draft, at: int, error: Exception) -> None:
    cursor.i = at + 1
    try:
        cursor.skip_element()
    except NotUnderstoodError:
        cursor.i = cursor.end
    words = cursor.spaced_text(at, cursor.i)[:60]
    place = f"{draft.table.full_name}, line {cursor.statement.line_of(at)}"
    script.note("left out", "clauses", f"{worded(error)}: {words}", place)


def _action(cursor: Cursor, script: Script, draft: Draft) -> None:
    if cursor.now == "WITH" and cursor.ahead(1) in ("CHECK", "NOCHECK"):
        cursor.i += 2
    word = cursor.now
    if word == "ADD":
        cursor.i += 1
        _add(cursor, script, draft)
    elif word == "DROP":
        cursor.i += 1
        _drop(cursor, script, draft)
    elif word == "ALTER" or (word == "COLUMN" and cursor.up[cursor.i - 1] == ","):
        cursor.i += 1
        _alter(cursor, script, draft)
    elif word in ("MODIFY", "CHANGE"):
        cursor.i += 1
        _modify(cursor, script, draft, change=word == "CHANGE")
    elif word == "RENAME":
        cursor.i += 1
        _rename(cursor, script, draft)
    elif word == "ATTACH" and cursor.ahead(1) == "PARTITION":
        cursor.i += 2
        _attach(cursor, script, draft)
    elif word == "DETACH" and cursor.ahead(1) == "PARTITION":
        cursor.i += 2
        _detach(cursor, script, draft)
    elif word == "SET" and cursor.ahead(1) == "SCHEMA":
        cursor.i += 2
        script.rename(draft, cursor.name(), draft.table.name)
    elif word == "COMMENT" or (word == "SET" and cursor.ahead(1) == "COMMENT"):
        cursor.i += 1 if word == "COMMENT" else 2
        cursor.take("=")
        draft.table.comment = cursor.label()
    elif word == "SET" and cursor.ahead(1) == "OPTIONS":
        cursor.i += 2
        _described(cursor, draft)
    elif word in ("INHERIT", "NO") and "INHERIT" in (word, cursor.ahead(1)):
        _inherit(cursor, script, draft)
    elif word == "SET" and cursor.ahead(1) in ("LOGGED", "UNLOGGED"):
        draft.table.unlogged = cursor.ahead(1) == "UNLOGGED"
        cursor.i += 2
    elif word == "SET" and cursor.ahead(1) == "UNUSED":
        cursor.i += 2
        _drop(cursor, script, draft)
    elif word == "CONVERT" and script.dialect.inline_indexes:
        for column in draft.table.columns:
            column.collation = ""
        cursor.skip_element()
    elif word == "REMOVE" and cursor.ahead(1) == "PARTITIONING":
        cursor.i += 2
        draft.table.kind, draft.table.partition_by, draft.table.partitions = "table", "", []
    elif word == "SWAP" and cursor.ahead(1) == "WITH":
        cursor.i += 2
        _swap(cursor, script, draft)
    elif word in ("SET", "RESET") and cursor.ahead(1) == "(":
        cursor.i += 1
        message = with_options(cursor)
        named = {one.partition("=")[0] for one in message}
        stays = [one for one in draft.table.options if one.partition("=")[0] not in named]
        draft.table.options = (*stays, *(message if word == "SET" else ()))
    elif word in ("ENGINE", "ROW_FORMAT"):
        kept = tuple(one for one in draft.table.options if not one.startswith(f"{word}="))
        draft.table.options = (*kept, storage_option(cursor))
    elif word == "PARTITION" and cursor.ahead(1) == "BY":
        cursor.i += 2
        draft.table.partitions = []
        partition_by(cursor, script, draft)
    elif word in ("CONSTRAINT", "PRIMARY", "FOREIGN") and is_constraint(cursor, script):
        table_constraint(cursor, script, draft)  # a client that leaves the second ADD out
    elif word in _SILENT:
        cursor.i += 1
        cursor.skip_element()
    else:
        raise NotUnderstoodError(f"no action that is known begins with “{cursor.raw[cursor.i][:40]}”", cursor.i)


def _described(cursor: Cursor, draft: Draft) -> None:
    draft.table.comment = cursor.description_in_group(draft.table.comment)


def _add(cursor: Cursor, script: Script, draft: Draft) -> None:
    if cursor.now == "PARTITION":
        add_partitions(cursor, draft)
        return
    if cursor.now == "(":  # several columns or constraints in brackets
        end = cursor.after_group(cursor.i)
        cursor.i += 1
        while cursor.i < end - 1:
            _add_one(cursor, script, draft)
            if cursor.now not in (",", ")", ""):
                cursor.skip_element()
            cursor.take(",")
        cursor.i = end
        return
    while True:
        _add_one(cursor, script, draft)
        # "ADD a int, b int" goes on without a second ADD in some dialects.
        if cursor.now == "," and cursor.ahead(1) not in _ACTIONS and cursor.is_name(cursor.i + 1):
            cursor.i += 1
            continue
        return


_ACTIONS = frozenset(
    (
        "ADD DROP ALTER MODIFY CHANGE RENAME SET OWNER ENABLE DISABLE ENGINE AUTO_INCREMENT DEFAULT CONVERT "
        "COMMENT ALGORITHM LOCK ORDER VALIDATE ATTACH DETACH INHERIT NO CLUSTER REPLICA FORCE CHARACTER COLLATE "
        "ROW_FORMAT"
    ).split()
)


def _add_one(cursor: Cursor, script: Script, draft: Draft) -> None:
    if cursor.now == "DEFAULT" or (cursor.now == "CONSTRAINT" and cursor.ahead(2) == "DEFAULT"):
        _add_default(cursor, script, draft)
        return
    if cursor.now == "CONSTRAINT" and cursor.ahead(1) == "(":  # the name stands behind
        cursor.i += 2
        table_constraint(cursor, script, draft)
        cursor.take(")")
        return
    if is_constraint(cursor, script) or (cursor.now in ("INDEX", "KEY") and cursor.ahead(2) == "("):
        if _using_index(cursor, script, draft):
            return
        before = list(draft.table.checks)
        table_constraint(cursor, script, draft)
        _hand_down_checks(script, draft, before)
        return
    if cursor.now in ("PERIOD", "SUPPLEMENTAL") or (cursor.now == "SYSTEM" and cursor.ahead(1) == "VERSIONING"):
        cursor.skip_element()
        return
    if cursor.now == "COLUMN" and (cursor.is_name(cursor.i + 1) or cursor.ahead(1) == "("):
        cursor.i += 1
    if cursor.now == "(":
        _add(cursor, script, draft)
        return
    if cursor.take("IF", "NOT", "EXISTS") and script.column(draft, cursor.plain_name(cursor.raw[cursor.i])):
        cursor.skip_element()
        return
    reading = ColumnReading(cursor, draft, script)
    if script.dialect.adding_changes and script.column(draft, reading.column.name):
        cursor.i -= 1
        _modify_one(cursor, script, draft, change=False, keeps=True)
        return
    if script.column(draft, reading.column.name):
        raise MisfitError(f"the column {reading.column.name} is there already", cursor.i - 1)
    before = list(draft.table.checks)
    column = reading.read()
    _hand_down_checks(script, draft, before)
    for child in script.children(draft.table.full_name):
        if not script.column(child, column.name):
            child.add(copy.copy(column), script.dialect.key(column.name))
    if cursor.statement.has_comments():
        remark_columns(cursor.statement, draft)
    if cursor.now in ("FIRST", "AFTER"):
        _place_column(cursor, script, draft, column.name)


def _hand_down_checks(script: Script, draft: Draft, before: list[Check]) -> None:
    """Give the tables that inherit from one the conditions that were added to it, under its names."""
    descendants = script.descendants(draft)
    added = [one for one in draft.table.checks if one not in before and one.inherited] if descendants else []
    if added:
        script.name_parts(draft)
        for descendant in descendants:
            descendant.table.checks += [copy.copy(one) for one in added]


def _using_index(cursor: Cursor, script: Script, draft: Draft) -> bool:
    """Read a key that takes over an index made before; say whether it is one."""
    at = 2 if cursor.now == "CONSTRAINT" else 0
    kind = cursor.ahead(at)
    behind = at + (2 if kind == "PRIMARY" else 1)
    if kind not in ("PRIMARY", "UNIQUE") or cursor.ahead(behind) != "USING" or cursor.ahead(behind + 1) != "INDEX":
        return False
    name = ""
    if at:
        cursor.i += 1
        name = cursor.name()
    cursor.i += behind - at + 2
    wanted = script.dialect.key(cursor.name())
    for index in draft.table.indexes:
        if script.dialect.key(index.name) == wanted:
            key = Key(name=name or index.name, columns=tuple(part.column for part in index.parts))
            draft.table.indexes.remove(index)
            if kind == "PRIMARY":
                draft.table.primary_key = key
                for one in key.columns:
                    if column := script.column(draft, one):
                        column.nullable = False
            else:
                draft.table.unique.append(key)
            return True
    raise MisfitError("the index it takes over is not in the script", cursor.i - 1)


def _add_default(cursor: Cursor, script: Script, draft: Draft) -> None:
    if cursor.take("CONSTRAINT"):
        cursor.name()
    cursor.expect("DEFAULT")
    start = cursor.i
    cursor.i = expression_end(cursor)
    text = cursor.text(start, cursor.i)
    cursor.expect("FOR")
    name = cursor.name()
    column = script.column(draft, name)
    if column is None:
        raise MisfitError(f"there is no column {name}", cursor.i - 1)
    set_default(script, column, text)
    cursor.take("WITH", "VALUES")


def _place_column(cursor: Cursor, script: Script, draft: Draft, name: str) -> None:
    column = script.column(draft, name)
    assert column is not None
    columns = draft.table.columns
    columns.remove(column)
    if cursor.take("FIRST"):
        columns.insert(0, column)
    else:
        cursor.expect("AFTER")
        after = script.column(draft, cursor.name())
        columns.insert(columns.index(after) + 1 if after in columns else len(columns), column)
    draft.renumber()


def _drop(cursor: Cursor, script: Script, draft: Draft) -> None:
    table, key = draft.table, script.dialect.key
    if cursor.take("PRIMARY", "KEY"):
        table.primary_key = None
        cursor.take_any(("CASCADE", "RESTRICT"))
    elif cursor.now in ("CONSTRAINT", "INDEX", "CHECK") or (
        cursor.now in ("KEY", "FOREIGN", "UNIQUE") and cursor.ahead(1) != "("
    ):
        cursor.i += 2 if cursor.now == "FOREIGN" else 1
        while True:
            cursor.take("IF", "EXISTS")
            _drop_named(script, draft, key(cursor.path()[-1]))
            cursor.take_any(("CASCADE", "RESTRICT"))
            if not (cursor.now == "," and cursor.ahead(1) not in _ACTIONS):
                break
            cursor.i += 1
            if cursor.take("COLUMN"):
                _drop_column(cursor, script, draft)
                break
    elif cursor.take("PARTITION"):
        cursor.take("IF", "EXISTS")
        gone = {key(cursor.name())}
        while cursor.now == "," and cursor.ahead(1) not in _ACTIONS and cursor.take(","):
            gone.add(key(cursor.name()))
        table.partitions = [one for one in table.partitions if key(one.name) not in gone]
    elif cursor.now == "UNIQUE":
        cursor.i += 1
        columns = {key(one) for one in cursor.names_group()}
        table.unique = [one for one in table.unique if {key(name) for name in one.columns} != columns]
        cursor.take_any(("CASCADE", "KEEP", "DROP"))
    elif cursor.now == "(":
        for name in cursor.names_group():
            script.drop_column(draft, name)
    else:
        if cursor.now == "COLUMN" and (cursor.ahead(1) == "(" or cursor.is_name(cursor.i + 1)):
            cursor.i += 1
        if cursor.now == "(":
            for name in cursor.names_group():
                script.drop_column(draft, name)
        else:
            _drop_column(cursor, script, draft)
            while cursor.now == "," and cursor.ahead(1) not in _ACTIONS and cursor.is_name(cursor.i + 1):
                cursor.i += 1
                if cursor.now == "CONSTRAINT" and cursor.is_name(cursor.i + 1):
                    _drop(cursor, script, draft)
                    return
                cursor.take("COLUMN")
                _drop_column(cursor, script, draft)


def _drop_column(cursor: Cursor, script: Script, draft: Draft) -> None:
    missing_is_fine = cursor.take("IF", "EXISTS")
    name = cursor.name()
    if cursor.take("CASCADE") and script.dialect.names_constraints == "postgresql":
        script.drop_views_of(draft, name)
    cursor.take("CONSTRAINTS")
    cursor.take("RESTRICT")
    if not script.drop_column(draft, name) and not missing_is_fine:
        raise MisfitError(f"there is no column {name}", cursor.i - 1)


def _drop_named(script: Script, draft: Draft, wanted: str) -> None:
    table, key = draft.table, script.dialect.key
    if table.primary_key and key(table.primary_key.name) == wanted:
        table.primary_key = None
        return
    table.unique = [one for one in table.unique if key(one.name) != wanted]
    gone = [one for one in table.checks if key(one.name) == wanted]
    for one in (draft, *(script.descendants(draft) if gone else ())):
        one.table.checks = [check for check in one.table.checks if key(check.name) != wanted]
    table.exclusions = [one for one in table.exclusions if key(one.name) != wanted]
    table.indexes = [one for one in table.indexes if key(one.name) != wanted]
    for ref in [ref for ref in draft.references if key(ref.key.name) == wanted]:
        index_foreign_key(script.dialect, table, ref.key)  # the index that was made for it stays
        draft.references.remove(ref)
        table.foreign_keys.remove(ref.key)


def _alter(cursor: Cursor, script: Script, draft: Draft) -> None:
    if cursor.now == "CONSTRAINT" and cursor.is_name(cursor.i + 1):
        _alter_constraint(cursor, script, draft)
        return
    if cursor.now in ("INDEX", "CHECK", "KEY") and cursor.is_name(cursor.i + 1):
        cursor.skip_element()
        return
    if cursor.now == "COLUMN" and (cursor.is_name(cursor.i + 1) or cursor.ahead(1) == "IF"):
        cursor.i += 1
    cursor.take("IF", "EXISTS")
    name = cursor.name()
    column = script.column(draft, name)
    if column is None:
        raise MisfitError(f"there is no column {name}", cursor.i - 1)
    if cursor.take("TO"):
        script.rename_column(draft, column.name, cursor.name())
        return
    before = {member: getattr(column, member) for member in _INHERITED}
    _alter_column(cursor, script, draft, column)
    changed = {member: now for member in _INHERITED if (now := getattr(column, member)) != before[member]}
    for descendant in script.descendants(draft):
        if twin := script.column(descendant, column.name):
            for member, now in changed.items():
                setattr(twin, member, now)


_INHERITED = ("type", "nullable", "default", "collation")
"""What tables that inherit a column take over when it is altered."""


def _alter_constraint(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Read when a foreign key is checked from now on."""
    cursor.i += 1
    wanted = script.dialect.key(cursor.name())
    start = cursor.i
    cursor.skip_element()
    message = cursor.up[start : cursor.i]
    for foreign in draft.table.foreign_keys:
        if script.dialect.key(foreign.name) == wanted:
            foreign.initially_deferred = "DEFERRED" in message
            foreign.deferrable = foreign.initially_deferred or ("DEFERRABLE" in message and message[:1] != ["NOT"])


def _alter_column(cursor: Cursor, script: Script, draft: Draft, column: Column) -> None:
    """Carry out what is said of one column, word by word."""
    while cursor.now not in (",", "", ";"):
        if cursor.take("SET", "NOT", "NULL") or cursor.take("NOT", "NULL"):
            column.nullable = False
        elif cursor.take("DROP", "NOT", "NULL") or cursor.take("NULL") or cursor.take("SET", "NULL"):
            column.nullable = True
        elif cursor.take("SET", "DEFAULT") or cursor.take("SET", "WITH", "DEFAULT") or cursor.take("DEFAULT"):
            start = cursor.i
            cursor.i = expression_end(cursor)
            if cursor.i == start:
                cursor.i += 1
            set_default(script, column, cursor.text(start, cursor.i))
        elif cursor.take("DROP", "DEFAULT"):
            column.default = None
        elif cursor.take("DROP", "IDENTITY"):
            if column.identity:
                script.sequences.drop_of(f"{draft.table.full_name}.{column.name}")
            column.identity = ""
            cursor.take("IF", "EXISTS")
        elif cursor.take("DROP", "EXPRESSION"):
            column.generated = None
            cursor.take("IF", "EXISTS")
        elif cursor.take("ADD", "GENERATED") or cursor.take("SET", "GENERATED"):
            always = cursor.take("ALWAYS")
            cursor.take("BY", "DEFAULT")
            added = cursor.take("AS", "IDENTITY")
            column.identity = "always" if always else "by default"
            start = cursor.i
            if cursor.now == "(":
                cursor.skip_group()
            if added and script.dialect.names_constraints == "postgresql":
                identity_sequence(script, draft, column, cursor, start)
        elif cursor.take("UNSET", "COMMENT"):
            column.comment = ""
        elif cursor.take("COMMENT") or cursor.take("SET", "COMMENT"):
            column.comment = cursor.label()
        elif begins_action(cursor):
            return
        elif cursor.take("SET", "OPTIONS"):
            column.comment = cursor.description_in_group(column.comment)
        elif cursor.now in ("SET", "ADD", "DROP", "RESTART", "POSITION", "RESET") and not (
            cursor.ahead(1) == "DATA" or cursor.ahead(1) == "TYPE"
        ):
            cursor.skip_element()
        else:
            _change_type(cursor, script, draft, column.name)


def _change_type(cursor: Cursor, script: Script, draft: Draft, name: str) -> None:
    column = script.column(draft, name)
    assert column is not None
    if script.dialect.names_constraints == "postgresql":
        column.collation = ""
    cursor.take("SET", "DATA") or cursor.take("SET")
    cursor.take("TYPE")
    start = cursor.i
    end = type_end(cursor)
    if end == start:
        raise NotUnderstoodError(f"what becomes of the column {name} is not clear", start)
    cursor.i = end
    column.type = script.dialect.canonical_type(cursor.tight_text(start, end))
    if column.identity:
        widen_sequence(script, f"{draft.table.full_name}.{column.name}", column.type)
    if cursor.take("COLLATE"):
        column.collation = ".".join(cursor.path())
    if cursor.take("NOT", "NULL"):
        column.nullable = False
    elif cursor.take("NULL") or script.dialect.bodies == "go":
        column.nullable = True
    if cursor.take("USING"):
        cursor.skip_element()


def _modify(cursor: Cursor, script: Script, draft: Draft, *, change: bool) -> None:
    if cursor.now == "(":
        end = cursor.after_group(cursor.i)
        cursor.i += 1
        while cursor.i < end - 1:
            _modify_one(cursor, script, draft, change=False, keeps=True)
            if cursor.now not in (",", ")", ""):
                cursor.skip_element()
            cursor.take(",")
        cursor.i = end
        return
    if cursor.now == "COLUMN" and cursor.is_name(cursor.i + 1):
        cursor.i += 1
    if cursor.now in ("CONSTRAINT", "PARTITION", "LOB", "DEFAULT") and cursor.is_name(cursor.i + 1):
        cursor.skip_element()
        return
    cursor.take("IF", "EXISTS")
    _modify_one(cursor, script, draft, change=change, keeps=not script.dialect.inline_indexes)
    while cursor.now == "," and cursor.ahead(1) not in _ACTIONS and cursor.is_name(cursor.i + 1):
        cursor.i += 1
        cursor.take("COLUMN")
        _modify_one(cursor, script, draft, change=change, keeps=not script.dialect.inline_indexes)


def _modify_one(cursor: Cursor, script: Script, draft: Draft, *, change: bool, keeps: bool) -> None:
    """Read a column's new definition. Where `keeps`, what is not said stays; else it is all there is."""
    old = cursor.name()
    column = script.column(draft, old)
    if column is None and draft.query and cursor.take("COMMENT"):
        script.later_comments.append((draft.number, old, cursor.label()))
        return
    if column is None:
        raise MisfitError(f"there is no column {old}", cursor.i - 1)
    if cursor.now in ("SET", "DROP", "UNSET", "COMMENT") and keeps:
        _alter_column(cursor, script, draft, column)
        return
    if not change:
        cursor.i -= 1
    reading = ColumnReading(cursor, draft, script)
    new_name = reading.column.name
    reading.column = column
    kept_type, kept_primary = column.type, draft.table.primary_key
    if not keeps:
        column.default, column.comment, column.generated, column.identity, column.nullable = None, "", None, "", True
        column.collation = ""
        if script.dialect.names_constraints == "mysql":  # a condition that is said with the column is its definition's
            draft.table.checks = [one for one in draft.table.checks if one.name != column.name]
    reading.read_type()
    if not column.type:
        column.type = kept_type
    reading.read_clauses()
    if kept_primary and script.dialect.key(column.name) in {script.dialect.key(one) for one in kept_primary.columns}:
        column.nullable = False
    if change and new_name != column.name:
        former = column.name
        script.rename_column(draft, former, new_name)
        for check in draft.table.checks if script.dialect.names_constraints == "mysql" else ():
            check.name = new_name if check.name == former else check.name
    if cursor.now in ("FIRST", "AFTER"):
        _place_column(cursor, script, draft, column.name)


def _rename(cursor: Cursor, script: Script, draft: Draft) -> None:
    if cursor.now in ("CONSTRAINT", "INDEX", "KEY") and cursor.ahead(2) == "TO":
        cursor.i += 1
        old = script.dialect.key(cursor.name())
        cursor.expect("TO")
        rename_part(script, draft, old, cursor.name())
    elif cursor.now in ("TO", "AS") or (cursor.now != "COLUMN" and cursor.ahead(1) in ("", ";", ",")):
        cursor.take_any(("TO", "AS"))
        schema, name = cursor.qualified()
        script.rename(draft, schema or draft.table.schema, name)
    else:
        if cursor.now == "COLUMN" and cursor.ahead(1) != "TO":
            cursor.i += 1
        cursor.take("IF", "EXISTS")
        old = cursor.name()
        cursor.expect("TO")
        if not script.rename_column(draft, old, cursor.name()):
            raise MisfitError(f"there is no column {old}", cursor.i - 1)


def rename_part(script: Script, draft: Draft, old: str, new: str) -> None:
    """Rename a constraint or index of a table."""
    table = draft.table
    parts = [*table.unique, *table.checks, *table.indexes, *table.foreign_keys, *table.exclusions]
    for part in [*parts, *([table.primary_key] if table.primary_key else [])]:
        if script.dialect.key(part.name) == old:
            part.name = new


def _swap(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Give two tables each other's name; keys that refer to them refer to the rows they referred to."""
    other = script.find(*cursor.qualified())
    if other is None:
        raise MisfitError("the table to swap with is not in the script", cursor.i - 1)
    mine, theirs = ((one.table.schema, one.table.name) for one in (draft, other))
    script.rename(draft, mine[0], f"{mine[1]}, swapped")
    script.rename(other, *mine)
    script.rename(draft, *theirs)


def _attach(cursor: Cursor, script: Script, draft: Draft) -> None:
    part = script.find(*cursor.qualified())
    start = cursor.i
    cursor.i = cursor.end
    if part is None:
        raise MisfitError("the partition is not in the script", start)
    become_partition(script, part, draft.table.schema, draft.table.name, cursor.text(start, cursor.end).rstrip("; \n"))


def _detach(cursor: Cursor, script: Script, draft: Draft) -> None:
    part = script.find(*cursor.qualified())
    if part:
        script.leave_whole(part)
    cursor.skip_element()


def _inherit(cursor: Cursor, script: Script, draft: Draft) -> None:
    leaves = cursor.take("NO")
    cursor.expect("INHERIT")
    schema, name = cursor.qualified()
    full = f"{script.schema_for(schema)}.{name}"
    kept = tuple(one for one in draft.table.inherits if one != full)
    script.inherit(draft, kept if leaves else (*kept, full))
    draft.adopted = not leaves


def rename_tables(cursor: Cursor, script: Script) -> None:
    """Read what follows RENAME TABLE: pairs, or one name TO another."""
    while True:
        schema, old = cursor.qualified()
        cursor.expect("TO")
        new_schema, new = cursor.qualified()
        if draft := script.find(schema, old):
            script.rename(draft, new_schema or draft.table.schema, new)
        if not cursor.take(","):
            return
