"""CREATE TABLE in every form: columns, constraints between them, what follows the closing bracket."""

from __future__ import annotations

import copy
from typing import Any

from indexa.core.errors import CoreError
from indexa.core.model import Column, Exclusion, Index, IndexPart, Key, Partition, Table
from indexa.core.scripts.columns import ColumnReading, check, key_tail, references
from indexa.core.scripts.cursor import Cursor, NotUnderstoodError
from indexa.core.scripts.indexes import index_parts
from indexa.core.scripts.naming import name_constraints
from indexa.core.scripts.remarks import remark_columns
from indexa.core.scripts.sequences import owned_sequence
from indexa.core.scripts.state import Draft, Script

_COPIED = {"columns", "keys", "indexes", "checks"}


def create_table(cursor: Cursor, script: Script, modifiers: set[str]) -> Draft | None:
    """Read what follows CREATE ... TABLE. Returns the table, or None where one is there already."""
    cursor.take("IF", "NOT", "EXISTS")
    start = cursor.i
    schema, name = cursor.qualified()
    schema = script.schema_for(schema)
    cursor.take("IF", "NOT", "EXISTS")
    if "REPLACE" not in modifiers and script.exists(schema, name):  # as the server has it: the first one stays
        script.note("left out", "tables", "It was there already when the script made it again.", _place(cursor, start))
        return None
    kind: Any = "foreign table" if "FOREIGN" in modifiers else "table"
    table = Table(schema=schema, name=name, kind=kind, unlogged="UNLOGGED" in modifiers)
    draft = script.add(table, _place(cursor, start))
    draft.temporary = bool(modifiers & {"TEMP", "TEMPORARY", "VOLATILE"}) or name.startswith("#")
    if "VIRTUAL" in modifiers:
        _virtual(cursor, draft)
        return draft
    _take_table_words(cursor)
    options: list[str] = []
    if cursor.now == "CLUSTER":
        _placing(cursor, options)
        table.options = tuple(options)
    if cursor.take("PARTITION", "OF"):
        draft.partition_of = cursor.qualified()
        draft.query = "partition"
    elif cursor.take("OF"):
        _of_type(cursor, script, draft)
    elif cursor.take("LIKE") or cursor.take("CLONE"):
        _like(cursor, script, draft, {"all"})
    elif cursor.now == "AS" and cursor.ahead(1) not in ("NODE", "EDGE"):
        pass
    try:
        if cursor.now == "(":
            _body(cursor, script, draft)
    finally:
        if draft.columns and cursor.statement.has_comments():
            remark_columns(cursor.statement, draft)
    _after_body(cursor, script, draft)
    return draft


def _place(cursor: Cursor, at: int) -> str:
    file = f"{cursor.statement.file}, " if cursor.statement.file else ""
    return f"{file}line {cursor.statement.line_of(at)}"


def _take_table_words(cursor: Cursor) -> None:
    while cursor.now == "," or (cursor.now in ("FALLBACK", "NO", "SHARING", "DUPLICATE") and cursor.now != "("):
        # Words of a parallel platform between the name and the columns.
        before = cursor.i
        while cursor.now not in ("(", "AS", ""):
            cursor.i += 1
        if cursor.i == before:
            return
    if cursor.take("ON", "COMMIT") or cursor.take("USING"):
        cursor.i += 1


def _body(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Read the bracketed list of columns and constraints; one that can't be read costs no other."""
    opening = cursor.i
    cursor.i += 1
    if cursor.now in ("SELECT", "WITH"):  # a query in brackets, no columns
        cursor.i = opening
        return
    up = cursor.up
    while up[cursor.i] not in (")", ""):
        start = cursor.i
        try:
            _element(cursor, script, draft)
        except (NotUnderstoodError, IndexError) as error:
            cursor.i = start
            _note_lost_element(cursor, script, draft, str(error))
        if up[cursor.i] not in (",", ")", ""):
            cursor.skip_element()
        if up[cursor.i] != ",":
            break
        cursor.i += 1
    if not cursor.take(")"):
        script.note(
            "adapted", "tables", "Its list of columns is never closed; what could be read is kept.", draft.place
        )


def _note_lost_element(cursor: Cursor, script: Script, draft: Draft, why: str) -> None:
    start = cursor.i
    try:
        cursor.skip_element()
    except NotUnderstoodError:
        cursor.i = cursor.end
    if cursor.i == start:
        cursor.i = min(start + 1, cursor.end)
    words = cursor.text(start, cursor.i)[:60]
    place = f"{draft.table.full_name}, line {cursor.statement.line_of(start)}"
    script.note("left out", "clauses", f"Not understood ({why}): {words}", place)


def _element(cursor: Cursor, script: Script, draft: Draft) -> None:
    word = cursor.now
    if word not in _BEGIN_CONSTRAINT and word not in _BEGIN_OTHER:
        _column(cursor, script, draft)
    elif is_constraint(cursor, script):
        table_constraint(cursor, script, draft)
    elif cursor.now == "LIKE" and cursor.is_name(cursor.i + 1):
        cursor.i += 1
        _like(cursor, script, draft, set())
    elif (cursor.now == "PERIOD" and cursor.ahead(1) == "FOR") or (
        cursor.now == "SUPPLEMENTAL" and cursor.ahead(1) == "LOG"
    ):
        cursor.skip_element()
    else:
        ColumnReading(cursor, draft, script).read()


_LONGEST_PLAIN = 14
_MORE_THAN_PLAIN = frozenset(
    [
        "PRIMARY",
        "UNIQUE",
        "REFERENCES",
        "CHECK",
        "CONSTRAINT",
        "GENERATED",
        "IDENTITY",
        "AS",
        "ON",
        "KEY",
        "COMMENT",
        "AUTO_INCREMENT",
        "AUTOINCREMENT",
        "COMPUTED",
        "OPTIONS",
    ]
)


def _column(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Read one column. Most are said by a few tokens that come again and again: those are understood once."""
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
    behind = cursor.raw[start + 1 : end]
    known = script.plain_columns.get(behind) if end else None
    if known is not None:
        column = Column(cursor.name(), 0, known.type, known.nullable, known.default, "", "", None, known.collation)
        draft.add(column, script.dialect.key(column.name))
        cursor.i = end
        return
    noted = script.noted
    column = ColumnReading(cursor, draft, script).read()
    serial = up[start + 1].lower() in script.dialect.serials or column.identity
    if (
        end
        and cursor.i == end
        and noted == script.noted
        and not serial
        and _MORE_THAN_PLAIN.isdisjoint(up[start + 1 : end])
    ):
        script.plain_columns[behind] = copy.copy(column)


_BEGIN_CONSTRAINT = frozenset(
    ["CONSTRAINT", "PRIMARY", "UNIQUE", "FOREIGN", "CHECK", "EXCLUDE", "FULLTEXT", "SPATIAL", "VECTOR", "KEY", "INDEX"]
)
_BEGIN_OTHER = frozenset({"LIKE", "PERIOD", "SUPPLEMENTAL"})


def is_constraint(cursor: Cursor, script: Script) -> bool:
    """Say whether a table constraint begins here, and not a column that happens to be called like one."""
    word = cursor.now
    if word not in _BEGIN_CONSTRAINT:
        return False
    then = cursor.ahead(1)
    if word == "CONSTRAINT":
        return True
    if word == "PRIMARY":
        return then == "KEY"
    if word == "UNIQUE":
        return then in ("(", "KEY", "INDEX", "CLUSTERED", "NONCLUSTERED", "NULLS") or cursor.ahead(2) == "("
    if word == "FOREIGN":
        return then == "KEY"
    if word == "CHECK":
        return then == "("
    if word == "EXCLUDE":
        return then in ("USING", "(")
    if word in ("FULLTEXT", "SPATIAL", "VECTOR"):
        return then in ("KEY", "INDEX", "(") or cursor.ahead(2) == "("
    if word in ("KEY", "INDEX") and script.dialect.inline_indexes:
        at = 1 if then == "(" else 2
        if cursor.ahead(at) in ("USING", "UNIQUE", "CLUSTERED", "NONCLUSTERED", "TYPE"):
            return True
        return cursor.ahead(at) == "(" and not cursor.ahead(at + 1).isdigit()
    return False


def table_constraint(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Read one constraint or inline index of a table."""
    name = ""
    table = draft.table
    nameless = cursor.ahead(1) in ("PRIMARY", "UNIQUE", "FOREIGN", "CHECK") and cursor.ahead(2) in ("KEY", "(", "INDEX")
    if cursor.take("CONSTRAINT") and not nameless:
        name = cursor.path()[-1]
    word = cursor.now
    if word == "PRIMARY":
        cursor.i += 2
        _before_columns(cursor)
        table.primary_key = Key(name=name, columns=_columns(cursor, script, draft))
        key_tail(cursor, table.primary_key)
        if not script.dialect.primary_key_may_be_null:
            _make_mandatory(script, draft, table.primary_key.columns)
    elif word == "UNIQUE":
        cursor.i += 1
        _unique(cursor, script, draft, name)
    elif word == "FOREIGN":
        cursor.i += 2
        if cursor.now != "(":
            name = name or cursor.name()
        columns = cursor.names_group()
        cursor.expect("REFERENCES")
        references(cursor, script, draft, columns, name)
    elif word == "CHECK":
        cursor.i += 1
        table.checks.append(check(cursor, name))
    elif word == "EXCLUDE":
        cursor.i += 1
        table.exclusions.append(_exclusion(cursor, name))
    elif word in ("KEY", "INDEX", "FULLTEXT", "SPATIAL", "VECTOR"):
        _inline_index(cursor, script, draft)
    elif word == "NOT" and cursor.ahead(1) == "NULL":
        cursor.i += 2
        if cursor.is_name():
            _make_mandatory(script, draft, (cursor.name(),))
    else:
        raise NotUnderstoodError(f"no constraint that is known begins with “{cursor.raw[cursor.i][:40]}”", cursor.i)
    _name_behind(cursor, table)


def _name_behind(cursor: Cursor, table: Table) -> None:
    """Read a constraint's name that stands behind it, as Informix has it."""
    if cursor.now != "CONSTRAINT" or not cursor.is_name(cursor.i + 1):
        return
    cursor.i += 1
    name = cursor.path()[-1]
    parts = [
        one
        for one in (table.primary_key, *table.unique, *table.checks, *table.foreign_keys)
        if one is not None and not one.name
    ]
    if parts:
        parts[-1].name = name


def _columns(cursor: Cursor, script: Script, draft: Draft) -> tuple[str, ...]:
    names = cursor.names_group()
    return actual_names(script, draft, names)


def actual_names(script: Script, draft: Draft, names: tuple[str, ...]) -> tuple[str, ...]:
    """Return the names as the columns themselves are written; one that is not there stays as given."""
    columns, key = draft.columns, script.dialect.key
    return tuple(columns[k].name if (k := key(name)) in columns else name for name in names)


def _before_columns(cursor: Cursor) -> None:
    while cursor.now not in ("(", ""):
        if cursor.take("USING"):
            cursor.i += 1
        else:
            cursor.i += 1


def _make_mandatory(script: Script, draft: Draft, names: tuple[str, ...]) -> None:
    for name in names:
        if column := script.column(draft, name):
            column.nullable = False


def _unique(cursor: Cursor, script: Script, draft: Draft, name: str) -> None:
    distinct = True
    while cursor.now != "(":
        if cursor.take("NULLS"):
            distinct = not cursor.take("NOT")
            cursor.take("DISTINCT")
        elif cursor.take("KEY") or cursor.take("INDEX") or cursor.take_any(("CLUSTERED", "NONCLUSTERED", "HASH")):
            pass
        elif cursor.take("USING"):
            cursor.i += 1
        elif cursor.take("WHERE") or not cursor.now:
            raise NotUnderstoodError("a unique key without columns", cursor.i)
        else:
            given = cursor.name()
            name = name or given
    parts = index_parts(cursor, script, draft)
    if all(part.column and not part.length for part in parts):
        key = Key(name=name, columns=tuple(part.column for part in parts), nulls_distinct=distinct)
        draft.table.unique.append(key)
        key_tail(cursor, key)
    else:
        draft.table.indexes.append(Index(name=name, parts=parts, unique=True))
        key_tail(cursor, None)


def _exclusion(cursor: Cursor, name: str) -> Exclusion:
    method = "gist"
    if cursor.take("USING"):
        method = cursor.name()
    start = cursor.i + 1
    cursor.skip_group()
    elements, at = [], start
    depth = 0
    for place in range(start, cursor.i):
        token = cursor.up[place]
        depth += {"(": 1, ")": -1}.get(token, 0)
        if (token == "," and not depth) or depth < 0:
            elements.append(cursor.text(at, place))
            at = place + 1
    made = Exclusion(name=name, elements=tuple(elements), method=method)
    if cursor.take("WHERE"):
        made.predicate = cursor.group_text()
    key_tail(cursor, None)
    return made


def _inline_index(cursor: Cursor, script: Script, draft: Draft) -> None:
    method = ""
    kind = cursor.now
    cursor.i += 1
    if kind in ("FULLTEXT", "SPATIAL", "VECTOR"):
        method = kind.lower()
        cursor.take_any(("KEY", "INDEX"))
    name = ""
    unique = False
    while cursor.now != "(":
        if cursor.take_any(("USING", "TYPE")):
            method = cursor.name().lower()
        elif cursor.take("UNIQUE"):
            unique = True
        elif cursor.take_any(("CLUSTERED", "NONCLUSTERED", "IF", "NOT", "EXISTS", "HASH")):
            pass
        else:
            name = cursor.name()
    index = Index(name=name, parts=index_parts(cursor, script, draft), method=method, unique=unique)
    draft.table.indexes.append(index)
    _index_options(cursor, index)


def _index_options(cursor: Cursor, index: Index) -> None:
    while cursor.now not in (",", ")", ""):
        if cursor.take_any(("USING", "TYPE")):
            index.method = cursor.name().lower()
        elif cursor.take("COMMENT"):
            index.comment = cursor.label()
        elif cursor.now == "(":
            cursor.skip_group()
        else:
            cursor.i += 1


def _of_type(cursor: Cursor, script: Script, draft: Draft) -> None:
    schema, name = cursor.qualified()
    key = script.dialect.key
    for composite in script.model.composites:
        if key(composite.name) == key(name) and (not schema or key(composite.schema) == key(schema)):
            for field in composite.fields:
                column = Column(field.name, 0, field.type, comment=field.comment)
                draft.add(column, key(field.name))
            return
    script.note(
        "adapted", "tables", f"Its columns are those of the type {name}, which the script does not make.", draft.place
    )


def _like(cursor: Cursor, script: Script, draft: Draft, copied: set[str]) -> None:
    schema, name = cursor.qualified()
    while cursor.now in ("INCLUDING", "EXCLUDING"):
        including = cursor.now == "INCLUDING"
        what = cursor.ahead(1).lower()
        cursor.i += 2
        copied = copied | {what} if including else copied - {what}
    pattern = script.find(schema, name)
    if pattern is None:
        full = f"{schema}.{name}" if schema else name
        script.note(
            "adapted", "tables", f"Its columns are those of {full}, which the script does not make.", draft.place
        )
        return
    key = script.dialect.key
    everything = "all" in copied or script.dialect.inline_indexes
    if script.dialect.inline_indexes:
        draft.table.comment, draft.table.options = pattern.table.comment, pattern.table.options
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
            owned_sequence(script, draft, twin)
    table = draft.table
    name_constraints(script.dialect, pattern.table)
    if everything or "constraints" in copied:
        table.checks += [copy.copy(one) for one in pattern.table.checks]
    if everything or "indexes" in copied:
        if pattern.table.primary_key:
            table.primary_key = Key(name="", columns=pattern.table.primary_key.columns)
        keep = script.dialect.inline_indexes
        table.unique += [Key(name=one.name if keep else "", columns=one.columns) for one in pattern.table.unique]
        for one in pattern.table.indexes:
            twin_index = copy.copy(one)
            twin_index.name = one.name if keep else ""
            table.indexes.append(twin_index)


def _virtual(cursor: Cursor, draft: Draft) -> None:
    cursor.expect("USING")
    start = cursor.i
    module = cursor.name()
    draft.table.options = (f"USING {cursor.text(start, cursor.end).rstrip(';').strip()}",)
    if cursor.now != "(":
        return
    end = cursor.after_group(cursor.i)
    cursor.i += 1
    typed = module.lower() in ("rtree", "rtree_i32", "geopoly")
    while cursor.i < end - 1:
        if cursor.ahead(1) != "=" and cursor.is_name():
            name = cursor.name()
            draft.add(Column(name, 0, "REAL" if typed and draft.columns else ("INT" if typed else "")), name.lower())
        cursor.skip_element()
        if not cursor.take(","):
            break
    cursor.i = end


def _after_body(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Read what follows the columns: parents, partitions, keys of distribution, comment, a query."""
    table = draft.table
    options: list[str] = []
    lost: list[str] = []
    while cursor.now not in ("", ";"):
        try:
            if not _table_option(cursor, script, draft, options):
                start = cursor.i
                cursor.i += 1
                while cursor.now not in _OPTION_WORDS and cursor.now not in ("", ";"):
                    if cursor.now == "(":
                        cursor.skip_group()
                    else:
                        cursor.i += 1
                lost.append(cursor.text(start, cursor.i))
        except (CoreError, IndexError) as error:
            place = f"{table.full_name}, line {cursor.statement.line_of(cursor.i)}"
            script.note("left out", "clauses", f"Not understood ({error}), with all that follows it.", place)
            break
    table.options = (*table.options, *options)
    if lost:
        script.note("left out", "storage clauses", "A model does not hold how a table is stored.")


_OPTION_WORDS = frozenset(
    [
        "INHERITS",
        "PARTITION",
        "PARTITIONED",
        "STORED",
        "INDEX",
        "WITH",
        "COMMENT",
        "ENGINE",
        "AS",
        "SELECT",
        "DISTRIBUTED",
        "DISTSTYLE",
        "DISTKEY",
        "SORTKEY",
        "COMPOUND",
        "INTERLEAVED",
        "UNIQUE",
        "PRIMARY",
        "CLUSTER",
        "STRICT",
        "WITHOUT",
        "OPTIONS",
        "FOR",
        "SERVER",
        "IN",
        "DEFAULT",
        "COLLATE",
        "CHARSET",
        "CHARACTER",
        "AUTO_INCREMENT",
        "ROW_FORMAT",
        "DISTRIBUTE",
        "BACKUP",
        "ORGANIZE",
        "ON",
        "USING",
        "CONSTRAINT",
    ]
)


def _table_option(cursor: Cursor, script: Script, draft: Draft, options: list[str]) -> bool:
    table, word = draft.table, cursor.now
    if word == "INHERITS":
        cursor.i += 1
        _inherits(cursor, script, draft)
    elif word == "PARTITION" and cursor.ahead(1) == "BY":
        cursor.i += 2
        _partition_by(cursor, script, draft)
    elif word == "PARTITIONED" and cursor.ahead(1) == "BY" and cursor.ahead(2) == "(":
        cursor.i += 2
        _body(cursor, script, draft)
    elif word == "STORED":
        cursor.i += 3 if cursor.ahead(1) == "AS" else 2
    elif (word == "FOR" and cursor.ahead(1) == "VALUES") or (word == "DEFAULT" and draft.partition_of):
        _bound(cursor, script, draft)
    elif word == "COMMENT":
        cursor.i += 1
        cursor.take("=")
        table.comment = cursor.label()
    elif word in ("ENGINE", "ROW_FORMAT") and draft.columns:
        cursor.i += 1
        cursor.take("=")
        options.append(f"{word}={_ENGINES.get(cursor.now, cursor.raw[cursor.i]) if word == 'ENGINE' else cursor.now}")
        cursor.i += 1
    elif script.dialect.inline_indexes and word in _DATABASE_OPTIONS:
        _database_option(cursor, draft)
    elif word in ("STRICT",):
        cursor.i += 1
        options.append("STRICT")
    elif word == "WITHOUT" and cursor.ahead(1) == "ROWID":
        cursor.i += 2
        options.append("WITHOUT ROWID")
        if table.primary_key:
            _make_mandatory(script, draft, table.primary_key.columns)
    elif word == "OPTIONS" and cursor.ahead(1) == "(":
        _options_group(cursor, draft)
    elif word == "SERVER":
        cursor.i += 1
        table.server = cursor.name()
    elif word == "WITH" and cursor.ahead(1) == "(":
        cursor.i += 1
        start = cursor.i + 1
        cursor.skip_group()
        options += _with_options(cursor, start, cursor.i - 1)
    elif word in (
        "DISTRIBUTED",
        "DISTSTYLE",
        "DISTKEY",
        "SORTKEY",
        "COMPOUND",
        "INTERLEAVED",
        "CLUSTER",
        "DISTRIBUTE",
        "ORGANIZE",
    ):
        _placing(cursor, options)
    elif (word in ("UNIQUE", "PRIMARY") and "INDEX" in (cursor.ahead(1), cursor.ahead(2))) or (
        word == "INDEX" and "(" in (cursor.ahead(1), cursor.ahead(2))
    ):
        _primary_index(cursor, script, draft, options)
    elif word == "CONSTRAINT":
        table_constraint(cursor, script, draft)
    elif word in ("AS", "SELECT") or (word == "(" and cursor.ahead(1) in ("SELECT", "WITH")):
        if word == "AS":
            cursor.i += 1
        query = cursor.text(cursor.i, cursor.end)
        if not draft.columns or word == "AS":
            draft.declared = tuple(column.name for column in table.columns)
            draft.query = query.rstrip(";")
        cursor.i = cursor.end
    elif word in (",",):
        cursor.i += 1
    else:
        return False
    return True


_DATABASE_OPTIONS = frozenset(
    [
        "DEFAULT",
        "CHARSET",
        "CHARACTER",
        "COLLATE",
        "AUTO_INCREMENT",
        "MAX_ROWS",
        "MIN_ROWS",
        "AVG_ROW_LENGTH",
        "PACK_KEYS",
        "CHECKSUM",
        "DELAY_KEY_WRITE",
        "STATS_PERSISTENT",
        "KEY_BLOCK_SIZE",
        "STATS_AUTO_RECALC",
        "STATS_SAMPLE_PAGES",
        "PAGE_CHECKSUM",
        "TRANSACTIONAL",
        "COMPRESSION",
        "ENCRYPTED",
        "INSERT_METHOD",
        "TYPE",
    ]
)


_ENGINES = {"INNODB": "InnoDB", "MYISAM": "MyISAM", "HEAP": "MEMORY", "MEMORY": "MEMORY", "ARIA": "Aria"}


def _database_option(cursor: Cursor, draft: Draft) -> None:
    """Read an option of the form NAME = value; of these only the collation matters, for columns that repeat it."""
    word = cursor.now
    cursor.i += 1
    if word == "DEFAULT":
        word = cursor.now
        cursor.i += 1
    if word == "CHARACTER":
        cursor.take("SET")
    cursor.take("=")
    if word == "COLLATE":
        for column in draft.table.columns:
            if column.collation.lower() == cursor.raw[cursor.i].lower():
                column.collation = ""
    cursor.i += 1


def _with_options(cursor: Cursor, start: int, end: int) -> list[str]:
    found, at, depth = [], start, 0
    for place in range(start, end + 1):
        token = cursor.up[place] if place < end else ","
        depth += {"(": 1, ")": -1}.get(token, 0)
        if token == "," and depth == 0:
            if at < place:
                found.append(cursor.tight_text(at, place).replace(" = ", "=").replace("'", "").lower())
            at = place + 1
    return found


def _options_group(cursor: Cursor, draft: Draft) -> None:
    cursor.i += 1
    end = cursor.after_group(cursor.i)
    for place in range(cursor.i, end):
        if cursor.up[place] == "DESCRIPTION" and cursor.up[place + 1] == "=":
            cursor.i = place + 2
            draft.table.comment = cursor.label()
            break
    cursor.i = end


def _placing(cursor: Cursor, options: list[str]) -> None:
    start = cursor.i
    cursor.i += 1
    while cursor.now not in _OPTION_WORDS and cursor.now not in ("", ";"):
        if cursor.now == "(":
            cursor.skip_group()
            break
        cursor.i += 1
    if cursor.up[start] in ("COMPOUND", "INTERLEAVED", "DISTRIBUTE") and cursor.now in _OPTION_WORDS:
        cursor.i += 1
        if cursor.now == "(":
            cursor.skip_group()
    options.append(cursor.spaced_text(start, cursor.i))


def _primary_index(cursor: Cursor, script: Script, draft: Draft, options: list[str]) -> None:
    """Read the index by which a parallel platform spreads a table's rows; a unique one is a key."""
    start = cursor.i
    unique = cursor.take("UNIQUE")
    primary = cursor.take("PRIMARY")
    cursor.expect("INDEX")
    name = cursor.name() if cursor.now != "(" else ""
    columns = _columns(cursor, script, draft)
    if unique:
        draft.table.unique.append(Key(name=name, columns=columns))
    if primary:
        options.append(cursor.spaced_text(start, cursor.i))
    elif not unique:
        draft.table.indexes.append(Index(name=name, parts=tuple(IndexPart(column=column) for column in columns)))


def _inherits(cursor: Cursor, script: Script, draft: Draft) -> None:
    end = cursor.after_group(cursor.i)
    cursor.i += 1
    parents = []
    own = list(draft.table.columns)
    own_keys = dict(draft.columns)
    draft.table.columns.clear()
    draft.columns.clear()
    key = script.dialect.key
    while cursor.i < end - 1:
        schema, name = cursor.qualified()
        parent = script.find(schema, name)
        if parent:
            name_constraints(script.dialect, parent.table)
            parents.append(parent.table.full_name)
            for column in parent.table.columns:
                if key(column.name) not in draft.columns:
                    twin = copy.copy(column)
                    twin.comment = ""
                    twin.identity = ""
                    draft.add(twin, key(twin.name))
            draft.table.checks += [copy.copy(one) for one in parent.table.checks if one.inherited]
        else:
            parents.append(f"{schema}.{name}" if schema else name)
            script.note(
                "adapted", "tables", "Its parent is not in the script; columns from there are missing.", draft.place
            )
        if not cursor.take(","):
            break
    for column in own:
        wanted = key(column.name)
        if wanted in draft.columns:  # declared again: merged, as the platform does
            place = draft.table.columns.index(draft.columns[wanted])
            draft.table.columns[place] = column
            draft.columns[wanted] = column
        else:
            draft.add(column, wanted)
    assert own_keys.keys() <= draft.columns.keys()
    draft.renumber()
    draft.table.inherits = tuple(parents)
    cursor.i = end


def _partition_by(cursor: Cursor, script: Script, draft: Draft) -> None:
    start = cursor.i
    depth = 0
    while cursor.now not in ("", ";") and not (
        depth == 0
        and cursor.now in ("WITH", "TABLESPACE", "AS", "COMMENT", "OPTIONS", "CLUSTER", "ENGINE", "INDEX")
        and cursor.i > start
    ):
        if cursor.now == "(":
            cursor.skip_group()
            # What a definition of partitions holds is not part of the rule.
            if cursor.now in ("(", "PARTITIONS", "SUBPARTITION", "INTERVAL", "SUBPARTITIONS"):
                break
        else:
            cursor.i += 1
    if cursor.i == start:
        raise NotUnderstoodError("a rule was expected behind PARTITION BY", start)
    if draft.partition_of is None:
        draft.table.kind = "partitioned table"
    draft.table.partition_by = _rule_text(cursor, start)
    _listed_partitions(cursor, script, draft)


def _rule_text(cursor: Cursor, start: int) -> str:
    return cursor.tight_text(start, cursor.i).replace("(", " (", 1).replace("  ", " ").replace(",", ", ")


def _listed_partitions(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Read partitions that are listed behind their rule: PARTITION name VALUES ..., in brackets."""
    while cursor.now not in ("", ";", "("):
        if cursor.now in ("WITH", "AS", "COMMENT", "TABLESPACE", "ENABLE", "INDEX", "OPTIONS", "CLUSTER"):
            return
        if cursor.now in ("INTERVAL", "SUBPARTITION") and cursor.ahead(1) != "(":
            pass
        cursor.i += 1
        if cursor.now == "(" and cursor.ahead(1) not in ("PARTITION", "DEFAULT", "SUBPARTITION"):
            cursor.skip_group()
    if cursor.now == "(" and cursor.ahead(1) != "PARTITION":
        cursor.skip_group()
    if cursor.now != "(":
        return
    end = cursor.after_group(cursor.i)
    cursor.i += 1
    while cursor.i < end - 1:
        if cursor.take("PARTITION"):
            name = cursor.name() if cursor.is_name() and cursor.now != "VALUES" else ""
            start = cursor.i
            cursor.skip_element()
            stop = start
            while stop < cursor.i and cursor.up[stop] not in (
                "TABLESPACE",
                "ENGINE",
                "COMMENT",
                "SEGMENT",
                "PCTFREE",
                "NOCOMPRESS",
            ):
                stop += 1
            draft.table.partitions.append(Partition(draft.table.schema, name, cursor.text(start, stop)))
        else:
            cursor.skip_element()
        if not cursor.take(","):
            break
    cursor.i = end


def _bound(cursor: Cursor, script: Script, draft: Draft) -> None:
    start = cursor.i
    if cursor.take("DEFAULT"):
        pass
    else:
        cursor.i += 2
        while cursor.now not in ("", ";", "PARTITION", "WITH", "TABLESPACE"):
            if cursor.now == "(":
                cursor.skip_group()
            else:
                cursor.i += 1
    bound = cursor.text(start, cursor.i)
    assert draft.partition_of is not None
    become_partition(script, draft, *draft.partition_of, bound)


def become_partition(script: Script, draft: Draft, schema: str, name: str, bound: str) -> None:
    """Hang a table on its partitioned parent; at the end it is listed there and is no table of its own."""
    parent = script.find(schema, name)
    if parent is None:
        script.note("adapted", "partitions", "Its table is not in the script; it stands as a table.", draft.place)
        draft.partition_of = None
        return
    draft.partition_of = (parent.table.schema, parent.table.name)
    if not draft.columns:
        for column in parent.table.columns:
            draft.add(copy.copy(column), script.dialect.key(column.name))
    draft.query = ""
    parent.table.partitions.append(Partition(draft.table.schema, draft.table.name, bound, draft.table.partition_by))
