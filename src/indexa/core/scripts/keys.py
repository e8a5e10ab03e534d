"""What follows PRIMARY KEY, UNIQUE, REFERENCES and CHECK, at a column or between columns."""

from __future__ import annotations

from indexa.core.model import Check, ForeignKey, Key
from indexa.core.model.parts import NO_ACTION, KeyAction, MatchType
from indexa.core.scripts.cursor import Cursor
from indexa.core.scripts.state import Draft, Script

_QUIET = frozenset(
    "CLUSTERED NONCLUSTERED ENABLE DISABLE VALIDATE NOVALIDATE RELY NORELY ENFORCED ASC DESC VISIBLE INVISIBLE HASH".split()
)
"""Words behind a key that say nothing of its structure."""
_ENDS = frozenset({"", ",", ")", ";"})


def references(cursor: Cursor, script: Script, draft: Draft, columns: tuple[str, ...], name: str) -> ForeignKey:
    """Read what follows REFERENCES and add the foreign key."""
    cursor.take("WITH", "NO", "CHECK", "OPTION") or cursor.take("WITH", "CHECK", "OPTION")
    schema, table = cursor.qualified()
    ref_columns = cursor.names_group() if cursor.now == "(" else ()
    foreign = ForeignKey(name=name, columns=columns, ref_schema=schema, ref_table=table, ref_columns=ref_columns)
    _foreign_tail(cursor, foreign)
    if script.dialect.names_constraints == "mysql":  # the engine knows no default to set
        foreign.on_delete = NO_ACTION if foreign.on_delete == "set default" else foreign.on_delete
        foreign.on_update = NO_ACTION if foreign.on_update == "set default" else foreign.on_update
    if script.dialect.restrict_is_no_action:
        foreign.on_delete = NO_ACTION if foreign.on_delete == "restrict" else foreign.on_delete
        foreign.on_update = NO_ACTION if foreign.on_update == "restrict" else foreign.on_update
    script.refer(draft, foreign, schema, table)
    return foreign


def _foreign_tail(cursor: Cursor, foreign: ForeignKey) -> None:
    matches: dict[str, MatchType] = {"FULL": "full", "PARTIAL": "partial", "SIMPLE": "simple"}
    while cursor.now not in _ENDS:
        if cursor.take("ON", "DELETE"):
            foreign.on_delete = _action(cursor)
        elif cursor.take("ON", "UPDATE"):
            foreign.on_update = _action(cursor)
        elif cursor.now == "MATCH" and cursor.ahead(1) in matches:
            foreign.match = matches[cursor.ahead(1)]
            cursor.i += 2
        elif (
            cursor.take("NOT", "DEFERRABLE")
            or cursor.take("NOT", "ENFORCED")
            or cursor.take("NOT", "FOR", "REPLICATION")
        ):
            pass
        elif cursor.take("DEFERRABLE"):
            foreign.deferrable = True
        elif cursor.take("INITIALLY", "DEFERRED"):
            foreign.deferrable = foreign.initially_deferred = True
        elif cursor.take("INITIALLY", "IMMEDIATE"):
            pass
        elif cursor.take("NOT", "VALID") or cursor.take("DISABLE") or cursor.take("NOVALIDATE"):
            foreign.validated = False
        elif cursor.now in ("ENABLE", "VALIDATE", "RELY", "NORELY", "ENFORCED") or (
            cursor.now in ("DISABLE", "ENABLE") and cursor.ahead(1) == "QUERY"
        ):
            cursor.i += 1
        elif cursor.take("WITH", "NO", "CHECK", "OPTION") or cursor.take("WITH", "CHECK", "OPTION"):
            pass
        else:
            return


def _action(cursor: Cursor) -> KeyAction:
    if cursor.take("CASCADE"):
        return "cascade"
    if cursor.take("SET", "NULL"):
        if cursor.now == "(":
            cursor.skip_group()
        return "set null"
    if cursor.take("SET", "DEFAULT"):
        if cursor.now == "(":
            cursor.skip_group()
        return "set default"
    if cursor.take("RESTRICT"):
        return "restrict"
    cursor.take("NO", "ACTION")
    return NO_ACTION


def key_tail(cursor: Cursor, key: Key | None, *, inline: bool = False) -> None:
    """Read what may follow a primary or unique key: its index, its options, when it is checked."""
    while (word := cursor.now) not in _ENDS:
        if word == "USING" and "INDEX" in (cursor.ahead(1), cursor.ahead(2)):
            cursor.i += 2 if cursor.ahead(1) == "INDEX" else 3
            cursor.take("TABLESPACE")
            if cursor.now == "(":
                cursor.skip_group()
            elif cursor.is_name() and cursor.now not in ("ENABLE", "DISABLE", "PCTFREE", "STORAGE", "LOCAL", "GLOBAL"):
                cursor.qualified()
            _storage_words(cursor)
        elif word == "USING":
            cursor.i += 2
        elif (word == "WITH" and cursor.ahead(1) == "(") or (word == "INCLUDE" and cursor.ahead(1) == "("):
            cursor.i += 1
            cursor.skip_group()
        elif word == "WITH" and cursor.ahead(1) == "FILLFACTOR":
            cursor.i += 4
        elif word == "ON" and cursor.ahead(1) not in ("DELETE", "UPDATE", "CONFLICT", "COMMIT"):
            cursor.i += 2  # a file group
            if cursor.now == "(":
                cursor.skip_group()
        elif word == "ON" and cursor.ahead(1) == "CONFLICT":
            cursor.i += 3
        elif word == "NOT" and cursor.ahead(1) in ("DEFERRABLE", "ENFORCED"):
            cursor.i += 2
        elif word == "DEFERRABLE":
            cursor.i += 1
            if key:
                key.deferrable = True
        elif word == "INITIALLY":
            if key and cursor.ahead(1) == "DEFERRED":
                key.deferrable = key.initially_deferred = True
            cursor.i += 2
        elif word == "NOT" and cursor.ahead(1) == "VALID":
            cursor.i += 2
        elif word == "COMMENT" and cursor.ahead(1)[:1] == "'" and not inline:
            cursor.i += 1
            message = cursor.string()
            if key:
                key.comment = message
        elif word == "KEY_BLOCK_SIZE":
            cursor.i += 1
            cursor.take("=")
            cursor.i += 1
        elif word in _QUIET:
            cursor.i += 1
        else:
            return


def _storage_words(cursor: Cursor) -> None:
    stop = {
        ",",
        ")",
        "",
        "ENABLE",
        "DISABLE",
        "DEFERRABLE",
        "NOT",
        "INITIALLY",
        "CONSTRAINT",
        "REFERENCES",
        "CHECK",
        "DEFAULT",
    }
    while cursor.now not in stop:
        if cursor.now == "(":
            cursor.skip_group()
        else:
            cursor.i += 1


def check(cursor: Cursor, name: str) -> Check:
    """Read what follows CHECK."""
    cursor.take("NOT", "FOR", "REPLICATION")
    made = Check(name=name, expression=cursor.group_text())
    while True:
        if cursor.take("NOT", "VALID") or cursor.take("NOVALIDATE"):
            made.validated = False
        elif cursor.take("NO", "INHERIT"):
            made.inherited = False
        elif not (
            cursor.take("NOT", "ENFORCED")
            or cursor.take("NOT", "DEFERRABLE")
            or cursor.take("INITIALLY", "IMMEDIATE")
            or cursor.take("INITIALLY", "DEFERRED")
            or cursor.take_any(("ENFORCED", "ENABLE", "DISABLE", "VALIDATE", "DEFERRABLE", "RELY"))
        ):
            return made
