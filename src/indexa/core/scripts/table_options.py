"""What follows the columns of a table: parents, partitions, keys of distribution, comment, a query."""

from __future__ import annotations

import copy

from indexa.core.errors import CoreError
from indexa.core.model import Index, IndexPart, Key, Partition
from indexa.core.scripts.columns import in_bytes
from indexa.core.scripts.constraints import columns_of, counts_rows, make_mandatory, table_constraint
from indexa.core.scripts.cursor import Cursor, MisfitError, NotUnderstoodError, worded
from indexa.core.scripts.state import Draft, Script
from indexa.core.scripts.table_body import read_columns

STORAGE = "A model does not hold how a table is stored."


def after_body(cursor: Cursor, script: Script, draft: Draft) -> None:
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
        except (CoreError, IndexError, ValueError) as error:
            place = f"{table.full_name}, line {cursor.statement.line_of(cursor.i)}"
            script.note("left out", "clauses", f"{worded(error)}, with all that follows it.", place)
            break
    table.options = (*table.options, *options)
    if lost:
        script.note("left out", "storage clauses", STORAGE)


_OPTION_WORDS = frozenset(
    (
        "INHERITS PARTITION PARTITIONED STORED INDEX WITH COMMENT ENGINE AS SELECT DISTRIBUTED DISTSTYLE "
        "DISTKEY SORTKEY COMPOUND INTERLEAVED UNIQUE PRIMARY CLUSTER STRICT WITHOUT OPTIONS FOR SERVER IN "
        "DEFAULT COLLATE CHARSET CHARACTER AUTO_INCREMENT ROW_FORMAT DISTRIBUTE BACKUP ORGANIZE ON USING "
        "CONSTRAINT"
    ).split()
)


def _table_option(cursor: Cursor, script: Script, draft: Draft, options: list[str]) -> bool:
    table, word = draft.table, cursor.now
    if word == "INHERITS":
        cursor.i += 1
        _inherits(cursor, script, draft)
    elif word == "PARTITION" and cursor.ahead(1) == "BY":
        cursor.i += 2
        partition_by(cursor, script, draft)
    elif word == "PARTITIONED" and cursor.ahead(1) == "BY" and cursor.ahead(2) == "(":
        cursor.i += 2
        if cursor.is_name(cursor.i + 1) and script.column(draft, cursor.plain_name(cursor.raw[cursor.i + 1])):
            cursor.skip_group()  # it names columns that are there
        else:
            read_columns(cursor, script, draft)
    elif word == "STORED":
        cursor.i += 3 if cursor.ahead(1) == "AS" else 2
    elif (word == "FOR" and cursor.ahead(1) == "VALUES") or (word == "DEFAULT" and draft.partition_of):
        _bound(cursor, script, draft)
    elif word == "COMMENT":
        cursor.i += 1
        cursor.take("=")
        table.comment = cursor.label()
    elif word in ("ENGINE", "ROW_FORMAT") and draft.columns:
        options.append(storage_option(cursor))
    elif script.dialect.inline_indexes and word in _DATABASE_OPTIONS:
        _database_option(cursor, draft)
    elif word in ("STRICT",):
        cursor.i += 1
        options.append("STRICT")
        if table.primary_key and not counts_rows(draft, table.primary_key, script):
            make_mandatory(script, draft, table.primary_key.columns)
    elif word == "WITHOUT" and cursor.ahead(1) == "ROWID":
        cursor.i += 2
        options.append("WITHOUT ROWID")
        if table.primary_key:
            make_mandatory(script, draft, table.primary_key.columns)
    elif word == "OPTIONS" and cursor.ahead(1) == "(":
        _options_group(cursor, draft)
    elif word == "SERVER":
        cursor.i += 1
        table.server = cursor.name()
    elif word == "WITH" and cursor.ahead(1) == "PARTITION" and cursor.ahead(2) == "COLUMNS":
        cursor.i += 3
        if cursor.now == "(":
            read_columns(cursor, script, draft)
    elif word == "WITH" and cursor.ahead(1) == "(":
        cursor.i += 1
        options += with_options(cursor)
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
        placing(cursor, options)
    elif (word in ("UNIQUE", "PRIMARY") and "INDEX" in (cursor.ahead(1), cursor.ahead(2))) or (
        word == "INDEX" and "(" in (cursor.ahead(1), cursor.ahead(2))
    ):
        _primary_index(cursor, script, draft, options)
    elif word == "CONSTRAINT":
        table_constraint(cursor, script, draft)
    elif word in ("AS", "SELECT") or (word == "(" and cursor.ahead(1) in ("SELECT", "WITH")):
        if word == "AS":
            cursor.i += 1
        start, end = cursor.i, cursor.end
        if cursor.now == "(":
            end = cursor.after_group(start)
        query = cursor.text(start, end)
        draft.declared = tuple(column.name for column in table.columns)
        script.await_query(draft, query.rstrip(";"))
        cursor.i = end
    elif word == "NO" and cursor.ahead(1) == "PRIMARY":
        cursor.i += 3
    elif word in (",",):
        cursor.i += 1
    else:
        return False
    return True


_DATABASE_OPTIONS = frozenset(
    (
        "DEFAULT CHARSET CHARACTER COLLATE AUTO_INCREMENT MAX_ROWS MIN_ROWS AVG_ROW_LENGTH PACK_KEYS CHECKSUM "
        "DELAY_KEY_WRITE STATS_PERSISTENT KEY_BLOCK_SIZE STATS_AUTO_RECALC STATS_SAMPLE_PAGES PAGE_CHECKSUM "
        "TRANSACTIONAL COMPRESSION ENCRYPTED INSERT_METHOD TYPE"
    ).split()
)


_ENGINES = {"INNODB": "InnoDB", "MYISAM": "MyISAM", "HEAP": "MEMORY", "MEMORY": "MEMORY", "ARIA": "Aria"}


def storage_option(cursor: Cursor) -> str:
    """Read ENGINE or ROW_FORMAT with its value; return both as the catalog words them."""
    word = cursor.now
    cursor.i += 1
    cursor.take("=")
    value = _ENGINES.get(cursor.now, cursor.raw[cursor.i]) if word == "ENGINE" else cursor.now
    cursor.i += 1
    return f"{word}={value}"


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
    elif word in ("CHARSET", "CHARACTER") and cursor.now.strip("'\"") == "BINARY":
        for column in draft.table.columns:
            if not column.collation:
                column.type = in_bytes(column.type)
    cursor.i += 1


def with_options(cursor: Cursor) -> tuple[str, ...]:
    """Read the bracketed options behind WITH, in small letters and without spaces."""
    start = cursor.i + 1
    cursor.skip_group()
    end = cursor.i - 1
    found, at, depth = [], start, 0
    for place in range(start, end + 1):
        token = cursor.up[place] if place < end else ","
        depth += {"(": 1, ")": -1}.get(token, 0)
        if token == "," and depth == 0:
            if at < place:
                found.append(cursor.tight_text(at, place).replace(" = ", "=").replace("'", "").lower())
            at = place + 1
    return tuple(found)


def _options_group(cursor: Cursor, draft: Draft) -> None:
    cursor.i += 1
    draft.table.comment = cursor.description_in_group(draft.table.comment)


def placing(cursor: Cursor, options: list[str]) -> None:
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
    columns = columns_of(cursor, script, draft)
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
            script.name_parts(parent)
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
            inherited = draft.columns[wanted]
            column.nullable = column.nullable and inherited.nullable
            column.default = inherited.default if column.default is None else column.default
            place = draft.table.columns.index(inherited)
            draft.table.columns[place] = column
            draft.columns[wanted] = column
        else:
            draft.add(column, wanted)
    assert own_keys.keys() <= draft.columns.keys()
    draft.renumber()
    script.inherit(draft, tuple(parents))
    cursor.i = end


def partition_by(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Read the rule that stands behind PARTITION BY, and the partitions that are listed with it."""
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


_MOST = 8192
"""How many partitions a table may have."""


def _listed_partitions(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Read partitions that are listed behind their rule: PARTITION name VALUES ..., in brackets; or how many there are."""
    counted = 0
    while cursor.now not in ("", ";", "("):
        if cursor.now in ("WITH", "AS", "COMMENT", "TABLESPACE", "ENABLE", "INDEX", "OPTIONS", "CLUSTER"):
            return
        if cursor.now == "PARTITIONS" and cursor.ahead(1).isdecimal():
            counted = int(cursor.ahead(1))
        cursor.i += 1
        if cursor.now == "(" and cursor.ahead(1) not in ("PARTITION", "DEFAULT", "SUBPARTITION"):
            cursor.skip_group()
    if cursor.now == "(" and cursor.ahead(1) != "PARTITION":
        cursor.skip_group()
    if cursor.now != "(":
        if script.dialect.names_constraints == "mysql":
            draft.table.partitions = [
                Partition(draft.table.schema, f"p{n}", "") for n in range(min(counted or 1, _MOST))
            ]
        return
    _partitions_in_brackets(cursor, draft)


def _partitions_in_brackets(cursor: Cursor, draft: Draft) -> None:
    end = cursor.after_group(cursor.i)
    cursor.i += 1
    while cursor.i < end - 1:
        if cursor.now == "PARTITION":
            _partition(cursor, draft)
        else:
            cursor.skip_element()
        if not cursor.take(","):
            break
    cursor.i = end


_BEHIND_BOUND = frozenset("TABLESPACE ENGINE COMMENT SEGMENT PCTFREE NOCOMPRESS".split())


def _partition(cursor: Cursor, draft: Draft) -> None:
    """Read PARTITION with a name and its bound."""
    cursor.expect("PARTITION")
    name = cursor.name() if cursor.is_name() and cursor.now != "VALUES" else ""
    start = cursor.i
    cursor.skip_element()
    stop = start
    while stop < cursor.i and cursor.up[stop] not in _BEHIND_BOUND:
        stop += 1
    draft.table.partitions.append(Partition(draft.table.schema, name, cursor.text(start, stop)))


def add_partitions(cursor: Cursor, draft: Draft) -> None:
    """Read what follows ADD in ALTER TABLE: PARTITION with a name and a bound, or with several of them in brackets."""
    following = 1
    while cursor.ahead(following) in ("IF", "NOT", "EXISTS"):
        following += 1
    if cursor.ahead(following) == "(" and cursor.ahead(following + 1) == "PARTITION":
        cursor.i += following
        _partitions_in_brackets(cursor, draft)
    elif draft.table.partitions and following == 1 and "VALUES" in cursor.up[cursor.i : cursor.i + 4]:
        _partition(cursor, draft)
    else:
        cursor.skip_element()  # what it adds has no name, or is of files


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
        script.note("adapted", "partitions", "Its table is not in the script; it is kept as a table.", draft.place)
        draft.partition_of = None
        return
    if parent is draft or any(one is draft for one in script.partition_ancestors(parent)):
        draft.partition_of = None
        raise MisfitError("a table can't be a part of itself", 0)
    draft.partition_of = (parent.table.schema, parent.table.name)
    if not draft.columns:
        for column in parent.table.columns:
            draft.add(copy.copy(column), script.dialect.key(column.name))
    draft.query = ""
    part = Partition(draft.table.schema, draft.table.name, bound, draft.table.partition_by)
    for whole in script.partition_ancestors(draft):
        whole.table.partitions.append(part)
