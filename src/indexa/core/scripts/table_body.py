"""The bracketed list of a table: columns, constraints between them, columns copied from elsewhere."""

from __future__ import annotations

import copy
from collections.abc import Callable

from msgspec.structs import replace

from indexa.core.model import Column, Key
from indexa.core.scripts.columns import ColumnReading
from indexa.core.scripts.constraints import BEGIN_CONSTRAINT, is_constraint, table_constraint
from indexa.core.scripts.cursor import Cursor, NotUnderstoodError, worded
from indexa.core.scripts.known_columns import MARK
from indexa.core.scripts.naming import name_foreign_indexes
from indexa.core.scripts.remarks import LONGEST, cleaned
from indexa.core.scripts.sequences import like_sequence
from indexa.core.scripts.state import Draft, Script


def read_columns(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Read the bracketed list of columns and constraints; one that can't be read costs no other."""
    opening = cursor.i
    cursor.i += 1
    if cursor.now in ("SELECT", "WITH"):  # a query in brackets, no columns
        cursor.i = opening
        return
    up = cursor.up
    while up[cursor.i] not in (")", ""):
        if up[cursor.i] == MARK:
            _add_known(cursor, script, draft)
            continue
        start = cursor.i
        try:
            _element(cursor, script, draft)
        except (NotUnderstoodError, IndexError, ValueError) as error:
            cursor.i = start
            _note_lost_element(cursor, script, draft, error)
        if up[cursor.i] not in (",", ")", ""):
            cursor.skip_element()
        if up[cursor.i] != ",":
            break
        cursor.i += 1
    if not cursor.take(")"):
        script.note(
            "adapted", "tables", "Its list of columns is never closed; what could be read is kept.", draft.place
        )


def _note_lost_element(cursor: Cursor, script: Script, draft: Draft, error: Exception) -> None:
    start = cursor.i
    try:
        cursor.skip_element()
    except NotUnderstoodError:
        cursor.i = cursor.end
    if cursor.i == start:
        cursor.i = min(start + 1, cursor.end)
    words = cursor.spaced_text(start, cursor.i)[:60]
    place = f"{draft.table.full_name}, line {cursor.statement.line_of(start)}"
    script.note("left out", "clauses", f"{worded(error)}: {words}", place)


def _element(cursor: Cursor, script: Script, draft: Draft) -> None:
    word = cursor.now
    if word not in BEGIN_CONSTRAINT and word not in _BEGIN_OTHER:
        _column(cursor, script, draft)
    elif is_constraint(cursor, script):
        table_constraint(cursor, script, draft)
    elif cursor.now == "LIKE" and cursor.is_name(cursor.i + 1):
        cursor.i += 1
        copy_columns(cursor, script, draft, set())
    elif (cursor.now == "PERIOD" and cursor.ahead(1) == "FOR") or (
        cursor.now == "SUPPLEMENTAL" and cursor.ahead(1) == "LOG"
    ):
        cursor.skip_element()
    else:
        ColumnReading(cursor, draft, script).read()


_BEGIN_OTHER = frozenset({"LIKE", "PERIOD", "SUPPLEMENTAL"})
_LONGEST_PLAIN = 14
_MORE_THAN_PLAIN = frozenset(
    (
        "PRIMARY UNIQUE REFERENCES CHECK CONSTRAINT GENERATED IDENTITY AS ON KEY COMMENT AUTO_INCREMENT "
        "AUTOINCREMENT COMPUTED OPTIONS"
    ).split()
)


_FOLDS: dict[str, Callable[[str], str]] = {"lower": str.lower, "upper": str.upper, "keep": str}


def _add_known(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Add the columns that were taken out of the text where the mark stands."""
    cursor.i += 1
    dialect, listed = script.dialect, draft.table.columns
    fold, by_key, position = _FOLDS[dialect.fold], draft.columns, len(listed)
    fold_quoted = fold if dialect.fold_quoted else str
    for written, like, message, context_words in cursor.statement.known.pop(0):
        name = fold_quoted(written[1:-1]) if written[0] in '"`[' else fold(written)
        position += 1
        made = Column(name, position, like.type, like.nullable, like.default, message, "", None, like.collation)
        if context_words:
            plain = context_words[0].isalnum() and context_words[-1].isalnum() and len(context_words) <= LONGEST
            made.remark = context_words if plain else cleaned(context_words)
        by_key[name if dialect.case_matters else name.lower()] = made
        listed.append(made)


def _column(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Read one column, and remember what the tokens behind its name say, for those that are all said by them."""
    start, up, depth = cursor.i, cursor.up, 0
    end = 0
    for at in range(start + 1, min(start + _LONGEST_PLAIN, cursor.end)):
        token = up[at]
        if token == "(":
            depth += 1
        elif token == ")":
            depth -= 1
        if (token == "," and not depth) or depth < 0:
            end = at
            break
    noted = script.noted
    column = ColumnReading(cursor, draft, script).read()
    text = 2 if up[end - 2] == "COMMENT" else 0  # a comment of its own
    serial = up[start + 1].lower() in script.dialect.serials or column.identity
    if (
        end
        and cursor.i == end
        and noted == script.noted
        and not serial
        and _MORE_THAN_PLAIN.isdisjoint(up[start + 1 : end - text])
    ):
        script.plain_columns[cursor.text(start + 1, end - text)] = copy.copy(column)


ALL_COPIED = frozenset(
    "defaults identity generated comments constraints indexes storage statistics compression".split()
)
"""What LIKE may copy beside names, types and what is not empty."""


def copy_columns(cursor: Cursor, script: Script, draft: Draft, copied: frozenset[str] | set[str]) -> None:
    schema, name = cursor.qualified()
    while cursor.now in ("INCLUDING", "EXCLUDING"):
        including = cursor.now == "INCLUDING"
        what = cursor.ahead(1).lower()
        cursor.i += 2
        named = ALL_COPIED if what == "all" else {what}
        copied = copied | named if including else copied - named
    pattern = script.find(schema, name)
    if pattern is None:
        full = f"{schema}.{name}" if schema else name
        script.note(
            "adapted", "tables", f"Its columns are those of {full}, which the script does not make.", draft.place
        )
        return
    key = script.dialect.key
    everything = script.dialect.inline_indexes
    if script.dialect.inline_indexes:
        draft.table.comment, draft.table.options = pattern.table.comment, pattern.table.options
        draft.table.kind, draft.table.partition_by = pattern.table.kind, pattern.table.partition_by
        draft.table.partitions = [copy.copy(one) for one in pattern.table.partitions]
    for column in pattern.table.columns:
        twin = copy.copy(column)
        if not (everything or "defaults" in copied) and not script.dialect.inline_indexes:
            twin.default = None
        if not (everything or "identity" in copied):
            twin.identity = ""
        if not (everything or "generated" in copied):
            twin.generated = None
        if not (everything or "comments" in copied):
            twin.comment = ""
        draft.add(twin, key(twin.name))
        if twin.identity and script.dialect.names_constraints == "postgresql":
            like_sequence(script, draft, twin, f"{pattern.table.full_name}.{column.name}")
    table = draft.table
    script.name_parts(pattern)
    name_foreign_indexes(script.dialect, pattern.table)  # they are copied as well
    if everything or "constraints" in copied:
        table.checks += [copy.copy(one) for one in pattern.table.checks]
    if everything or "indexes" in copied:
        if pattern.table.primary_key:
            table.primary_key = Key(name="", columns=pattern.table.primary_key.columns)
        keep = script.dialect.inline_indexes
        table.unique += [replace(one, name=one.name if keep else "") for one in pattern.table.unique]
        table.exclusions += [copy.copy(exclusion) for exclusion in pattern.table.exclusions]
        for exclusion in table.exclusions:
            exclusion.name = ""
        for one in pattern.table.indexes:
            twin_index = copy.deepcopy(one)  # its parts too, for each table's columns may be renamed
            twin_index.name = one.name if keep else ""
            table.indexes.append(twin_index)
