"""The definition of one column: its type, and the clauses behind it in any dialect."""

from __future__ import annotations

import re
from collections.abc import Callable
from sys import intern
from typing import TypeAlias

from indexa.core.model import Column, ForeignKey, Key
from indexa.core.scripts.constraints import columns_of, make_mandatory
from indexa.core.scripts.cursor import Cursor
from indexa.core.scripts.keys import check, key_tail, references
from indexa.core.scripts.sequences import identity_sequence, serial_sequence
from indexa.core.scripts.state import Draft, Script

_ENDS_TYPE = frozenset(
    (
        "NOT NULL DEFAULT PRIMARY UNIQUE REFERENCES CHECK CONSTRAINT COLLATE GENERATED IDENTITY AUTO_INCREMENT "
        "AUTOINCREMENT COMMENT AS ON CHARSET ENCODE DISTKEY SORTKEY KEY VISIBLE INVISIBLE FORMAT TITLE COMPRESS "
        "CASESPECIFIC UPPERCASE OPTIONS MASKING MASKED TAG SPARSE ROWGUIDCOL FILESTREAM COMPUTED COMPUTE STORED "
        "VIRTUAL PERSISTED STORAGE COMPRESSION ENABLE DISABLE INLINE LOGGED USING HIDDEN "
        "IMPLICITLY AUTO_RANDOM SRID COLUMN_FORMAT POLICY EXTERNAL PUT RELY NORELY DEFERRABLE INITIALLY FOREIGN "
        "PROJECTION EPHEMERAL START SORT CODEC TTL ANNOTATIONS , )"
    ).split()
) | {""}
_GOES_ON = frozenset(
    (
        "PRECISION VARYING UNSIGNED SIGNED ZEROFILL LARGE OBJECT TIME ZONE WITH WITHOUT LOCAL YEAR MONTH DAY "
        "HOUR MINUTE SECOND FRACTION TO FOR SBCS MIXED BIT DATA RAW VARCHAR VARBINARY CHARACTER CHAR INT BIG "
        "SUB_TYPE TEXT BINARY SEGMENT SIZE ARRAY OF LATIN BYTE ASCII UNICODE LONG OCTETS CODEUNITS32 CCSID "
        "EBCDIC INTEGER DOUBLE ROWID SETOF"
    ).split()
)
"""Words that may follow the first of a type; any other word begins a clause."""
_ENDS_DEFAULT = frozenset(
    (
        "NOT NULL PRIMARY UNIQUE REFERENCES CHECK CONSTRAINT COLLATE GENERATED IDENTITY AUTO_INCREMENT "
        "AUTOINCREMENT COMMENT ON CHARSET ENCODE DISTKEY SORTKEY KEY VISIBLE INVISIBLE FORMAT TITLE COMPRESS "
        "CASESPECIFIC UPPERCASE OPTIONS MASKING TAG SPARSE ROWGUIDCOL STORAGE COMPRESSION ENABLE DISABLE INLINE "
        "INVISIBLE HIDDEN FOREIGN COLUMN_FORMAT AFTER FIRST RELY NORELY DEFERRABLE FOR EXTERNAL ANNOTATIONS , )"
    ).split()
) | {""}
_SEQUENCE_WORDS = frozenset(
    (
        "MINVALUE MAXVALUE START INCREMENT CACHE NOCACHE ORDER NOORDER CYCLE NOCYCLE KEEP NOKEEP SCALE NOSCALE "
        "NOMINVALUE NOMAXVALUE"
    ).split()
)
_TIME_WORDS = frozenset({"TIME", "LOCAL", "TIMEZONE"})
_QUIET = frozenset(
    (
        "VISIBLE INVISIBLE HIDDEN ENABLE DISABLE VALIDATE NOVALIDATE RELY NORELY ENFORCED SPARSE ROWGUIDCOL "
        "FILESTREAM KEY CASESPECIFIC UPPERCASE STORED PERSISTED VIRTUAL LOGGED COMPACT IMPLICITLY CLUSTERED "
        "NONCLUSTERED HASH ASC DESC DEFERRED IMMEDIATE DISTKEY SORTKEY DROP LOCAL ALWAYS INTERNAL ASCENDING "
        "DESCENDING"
    ).split()
)
_WITH_ARGUMENT = frozenset(
    [
        "IN",
        "ENCODE",
        "STORAGE",
        "COMPRESSION",
        "FORMAT",
        "TITLE",
        "COLUMN_FORMAT",
        "SRID",
        "TAG",
        "POLICY",
        "FILLFACTOR",
    ]
)
_ENDS_COLUMN = frozenset({",", ")", "", ";", "AFTER", "FIRST", "ADD", "ALTER", "DROP"})

Handler: TypeAlias = Callable[["ColumnReading"], None]


class ColumnReading:
    """Reads one column from its name on. What it can't make out is noted, and the column stays."""

    __slots__ = ("column", "constraint", "cursor", "draft", "foreign", "script")

    def __init__(self, cursor: Cursor, draft: Draft, script: Script) -> None:
        self.cursor, self.draft, self.script = cursor, draft, script
        self.constraint = ""
        self.foreign: ForeignKey | None = None
        name = cursor.name()
        self.column = Column(name, 0, "")

    def read(self) -> Column:
        """Read type and clauses up to the comma or bracket behind the column, and add it to its table."""
        self.read_type()
        self.draft.add(self.column, self.script.dialect.key(self.column.name))
        self.read_clauses()
        return self.column

    def read_type(self) -> None:
        """Read the type as far as it goes."""
        cursor = self.cursor
        start = cursor.i
        end = type_end(cursor)
        if end == start:
            return
        cursor.i = end
        self.set_type(cursor.tight_text(start, end))

    def set_type(self, text: str) -> None:
        """Take a type in the wording of the platform's catalog, with what it brings along."""
        known = self.script.types.get(text)
        if known is not None:
            self.column.type = known
            return
        dialect, column = self.script.dialect, self.column
        bare = text.lower()
        serial = dialect.serials.get(bare)
        if serial:
            column.type = serial
            column.nullable = False
            if dialect.names_constraints == "postgresql":
                serial_sequence(self.script, self.draft, column)
            else:
                column.identity = "by default"
            return
        column.type = intern(dialect.canonical_type(text))
        if bare.split("(")[0] in dialect.identity_types:
            column.identity = "by default"
            if dialect.names_constraints == "mysql":
                column.nullable = False
                self.draft.table.unique.append(Key(name="", columns=(column.name,)))
        else:
            self.script.types[text] = column.type

    def read_clauses(self) -> None:
        """Read clause after clause."""
        cursor, up = self.cursor, self.cursor.up
        while (word := up[cursor.i]) not in _ENDS_COLUMN and not begins_action(cursor):
            handler = _CLAUSES.get(word)
            if handler:
                cursor.i += 1
                handler(self)
            else:
                self._unknown(word)

    def _unknown(self, word: str) -> None:
        cursor = self.cursor
        if word in _QUIET:
            cursor.i += 1
        elif word in _WITH_ARGUMENT:
            cursor.i += 1
            cursor.take("=")
            if cursor.now == "(":
                cursor.skip_group()
            elif cursor.now not in (",", ")", ""):
                cursor.i += 1
        else:
            start = cursor.i
            cursor.i += 1
            up = cursor.up
            while up[cursor.i] not in _CLAUSES and up[cursor.i] not in (",", ")", ""):
                if up[cursor.i] == "(":
                    cursor.skip_group()
                else:
                    cursor.i += 1
            words = cursor.spaced_text(start, cursor.i)[:60]
            self.script.note(
                "adapted",
                "columns",
                f"A clause was not understood and is left out: {words}",
                f"{self.draft.table.full_name}.{self.column.name}, line {cursor.statement.line_of(start)}",
            )

    def take_constraint_name(self) -> str:
        """Return the name given by CONSTRAINT just before, once."""
        name, self.constraint = self.constraint, ""
        return name


def type_end(cursor: Cursor) -> int:
    """Return the place behind the type that begins at the cursor; the same place where there is none."""
    up, at = cursor.up, cursor.i
    first, any_words = up[at], cursor.dialect.any_type_words
    if first in _ENDS_TYPE and not (first == "ENUM" or (first == "SET" and up[at + 1] == "(")):
        return at
    while True:
        token = up[at]
        if token == "(":
            at = cursor.after_group(at)
        elif token == "<":
            at = _after_angle(cursor, at)
        else:
            at += 1
        token = up[at]
        if token in _ENDS_TYPE:
            return at
        if token[0].isalpha() and token not in _GOES_ON and not any_words and up[at - 1] != ".":
            return at
        if token == "WITH" and up[at + 1] not in _TIME_WORDS:
            return at
        if (token in ("CHARACTER", "CHAR") and up[at + 1] == "SET") or (token == "FOR" and up[at + 2] != "DATA"):
            return at
        if token == "SET" or (token in ("AFTER", "FIRST") and up[at + 1] != "TO"):
            return at


def _after_angle(cursor: Cursor, at: int) -> int:
    depth = 0
    while at < cursor.end:
        token = cursor.up[at]
        depth += {"<": 1, ">": -1, ">>": -2}.get(token, 0)
        at += 1
        if depth <= 0:
            return at
    return at


def begins_action(cursor: Cursor, at: int | None = None) -> bool:
    """Say whether the next action of ALTER TABLE begins here, without a comma between, as some dialects have it."""
    place = cursor.i if at is None else at
    return cursor.up[place] in _ACTIONS and cursor.up[place + 1] in _ACTED_ON


_ACTIONS = frozenset({"ADD", "DROP", "ALTER"})
_ACTED_ON = frozenset({"COLUMN", "CONSTRAINT", "PRIMARY", "FOREIGN", "UNIQUE", "CHECK"})


def expression_end(cursor: Cursor) -> int:
    """Return the place behind the expression of a default that begins at the cursor."""
    up, at = cursor.up, cursor.i
    first = True
    while True:
        token = up[at]
        if token == "(":
            at = cursor.after_group(at)
            first = False
            continue
        if token == "[":  # the values of an array
            while up[at] not in ("]", ""):
                at += 1
            first = False
            continue
        if token in _ENDS_DEFAULT and not (first and token in ("NULL", "NOT", "USER")):
            return at
        if not first and (
            begins_action(cursor, at)
            or (token == "WITH" and up[at + 1] not in _TIME_WORDS and up[at + 1] != "LOCAL")
            or (token in ("CHARACTER", "CHAR") and up[at - 1] not in ("::", "AS") and up[at + 1] == "SET")
            or (token == "AUTO_INCREMENT")
        ):
            return at
        if token == "FOR" and up[at - 1] != "VALUE":
            return at
        first = False
        at += 1
        if up[at] == "FOR" and up[at - 1] == "VALUE":  # NEXT VALUE FOR a sequence
            at += 1


def _not(reading: ColumnReading) -> None:
    cursor = reading.cursor
    if cursor.take("NULL"):
        reading.column.nullable = False
        reading.take_constraint_name()
    elif cursor.take("VALID"):
        if reading.foreign:
            reading.foreign.validated = False
    elif (
        cursor.take("DEFERRABLE")
        or cursor.take("CASESPECIFIC")
        or cursor.take("ENFORCED")
        or cursor.take("LOGGED")
        or cursor.take("FOR", "REPLICATION")
        or cursor.take("VISIBLE")
        or cursor.take("HIDDEN")
    ):
        pass
    else:
        cursor.i += 1


def _null(reading: ColumnReading) -> None:
    key = reading.draft.table.primary_key
    counts = bool(reading.column.identity) and reading.script.dialect.names_constraints == "mysql"
    reading.column.nullable = not counts and not (key and reading.column.name in key.columns)


def _default(reading: ColumnReading) -> None:
    cursor = reading.cursor
    reading.take_constraint_name()
    cursor.take("=")
    if cursor.take("ON", "NULL"):
        pass
    start = cursor.i
    end = expression_end(cursor)
    cursor.i = end
    if end > start:
        set_default(reading.script, reading.column, cursor.text(start, end))
    elif reading.script.dialect.bare_default:
        reading.column.default = reading.script.dialect.bare_default


def set_default(script: Script, column: Column, text: str) -> None:
    """Take a default over in the catalog's wording; a default of NULL is none."""
    canonical = script.dialect.canonical_default
    if text.lower().startswith('"identity"('):
        column.identity = "always"
        return
    if text.upper() == "NULL" or text.upper().startswith("NULL::"):
        column.default = None
        return
    column.default = canonical(text, column.type) if canonical else text


def _primary(reading: ColumnReading) -> None:
    reading.cursor.take("KEY")
    table = reading.draft.table
    table.primary_key = Key(name=reading.take_constraint_name(), columns=_key_columns(reading))
    if not reading.script.dialect.primary_key_may_be_null:
        make_mandatory(reading.script, reading.draft, table.primary_key.columns)
    key_tail(reading.cursor, table.primary_key, inline=True)


def _unique(reading: ColumnReading) -> None:
    reading.cursor.take("KEY")
    key = Key(name=reading.take_constraint_name(), columns=_key_columns(reading))
    if reading.cursor.take("NULLS"):
        key.nulls_distinct = not reading.cursor.take("NOT")
        reading.cursor.take("DISTINCT")
    key_tail(reading.cursor, key, inline=True)
    reading.draft.table.unique.append(key)


def _key(reading: ColumnReading) -> None:
    """Read a lone KEY, which stands for PRIMARY KEY where KEY may stand between columns."""
    if reading.script.dialect.inline_indexes:
        _primary(reading)


def _key_columns(reading: ColumnReading) -> tuple[str, ...]:
    """Return the column itself, or those in brackets: a key of the table whose comma was forgotten."""
    cursor = reading.cursor
    cursor.take_any(("CLUSTERED", "NONCLUSTERED"))
    if cursor.now == "(" and cursor.is_name(cursor.i + 1):
        return columns_of(cursor, reading.script, reading.draft)
    return (reading.column.name,)


def _references(reading: ColumnReading, columns: tuple[str, ...] = ()) -> None:
    reading.foreign = references(
        reading.cursor,
        reading.script,
        reading.draft,
        columns or (reading.column.name,),
        reading.take_constraint_name(),
    )


def _check(reading: ColumnReading) -> None:
    name = reading.take_constraint_name()
    if not name and reading.script.dialect.names_constraints == "mysql":
        name = reading.column.name
        reading.draft.table.checks = [one for one in reading.draft.table.checks if one.name != name]
    reading.draft.table.checks.append(check(reading.cursor, name))


def _constraint(reading: ColumnReading) -> None:
    cursor = reading.cursor
    if (
        cursor.now in ("CHECK", "PRIMARY", "UNIQUE", "REFERENCES", "FOREIGN", "NOT", "DEFAULT")
        and cursor.ahead(1) != "CHECK"
    ):
        return  # a constraint without a name
    reading.constraint = cursor.path()[-1]


def _collate(reading: ColumnReading) -> None:
    cursor = reading.cursor
    if cursor.is_string():
        reading.column.collation = cursor.string()
    else:
        reading.column.collation = ".".join(cursor.path())
    if reading.script.dialect.names_constraints == "mysql" and not _HOLDS_TEXT.match(reading.column.type):
        reading.column.collation = ""  # allowed, and without a meaning


_HOLDS_TEXT = re.compile(r"(?:var)?char|\w*text|enum|set\b|json", re.I)


def _character_set(reading: ColumnReading) -> None:
    reading.cursor.take("SET")
    _charset(reading)


def _charset(reading: ColumnReading) -> None:
    """Read a character set; the collation it brings is the platform's usual one for it."""
    cursor = reading.cursor
    cursor.take("=")
    charset = cursor.raw[cursor.i].strip("'\"").lower()
    cursor.i += 1
    charset = "utf8mb3" if charset == "utf8" else charset
    if charset == "binary":
        reading.column.type = in_bytes(reading.column.type)
    elif reading.script.dialect.inline_indexes:
        binary = cursor.take("BINARY")
        reading.column.collation = (
            f"{charset}_bin" if binary else {"latin1": "latin1_swedish_ci"}.get(charset, f"{charset}_general_ci")
        )


def in_bytes(type_: str) -> str:
    """Return what a type of letters is called where its character set is binary."""
    for letters, bytes_ in (("varchar(", "varbinary("), ("char(", "binary("), ("text", "blob")):
        if type_.startswith(letters) or (letters == "text" and type_ in ("tinytext", "text", "mediumtext", "longtext")):
            return type_.replace(letters, bytes_, 1)
    return type_


def _generated(reading: ColumnReading) -> None:
    cursor, column = reading.cursor, reading.column
    by_default = cursor.take("BY", "DEFAULT")
    if not by_default:
        cursor.take("ALWAYS")
    cursor.take("ON", "NULL")
    if cursor.take("FOR", "EACH", "ROW", "ON", "UPDATE"):
        column.nullable = False
    if not cursor.take("AS"):
        return
    if cursor.take("IDENTITY"):
        column.identity = "by default" if by_default else "always"
        column.nullable = False
        start = cursor.i
        if cursor.now == "(":
            cursor.skip_group()
        if reading.script.dialect.names_constraints == "postgresql":
            identity_sequence(reading.script, reading.draft, column, cursor, start)
        while cursor.take_any(_SEQUENCE_WORDS):
            cursor.take_any(("WITH", "BY", "VALUE"))
            cursor.take("-")
            if cursor.now.isdigit():
                cursor.i += 1
    elif cursor.take("ROW"):
        cursor.take_any(("START", "END", "CHANGE"))
        cursor.take_any(("TIMESTAMP",))
        column.generated = "row period"
    elif cursor.now == "(":
        column.generated = cursor.group_text()
        cursor.take_any(("STORED", "VIRTUAL", "PERSISTENT", "PERSISTED"))


def _as(reading: ColumnReading) -> None:
    cursor = reading.cursor
    if cursor.take("IDENTITY"):
        reading.column.identity = "always"
        if cursor.now == "(":
            cursor.skip_group()
    elif cursor.now == "(":
        reading.column.generated = cursor.group_text()
    else:
        start = cursor.i
        cursor.i = expression_end(cursor)
        for word in ("PERSISTED", "STORED", "VIRTUAL"):
            if word in cursor.up[start : cursor.i]:
                cursor.i = start + cursor.up[start : cursor.i].index(word)
        reading.column.generated = cursor.text(start, cursor.i)
    cursor.take_any(("STORED", "VIRTUAL", "PERSISTENT", "PERSISTED"))


def _computed(reading: ColumnReading) -> None:
    reading.cursor.take("BY")
    reading.column.generated = reading.cursor.group_text()


def _identity(reading: ColumnReading) -> None:
    cursor = reading.cursor
    reading.column.identity = reading.script.dialect.identity_default
    reading.column.nullable = False
    if cursor.now == "(":
        cursor.skip_group()
    elif cursor.take("START"):
        cursor.i += 1
        if cursor.take("INCREMENT"):
            cursor.i += 1
    cursor.take_any(("ORDER", "NOORDER"))


def _auto_increment(reading: ColumnReading) -> None:
    reading.column.identity = "by default"
    if reading.script.dialect.names_constraints == "mysql":
        reading.column.nullable = False
    if reading.cursor.now == "(":
        reading.cursor.skip_group()
    while reading.cursor.take_any(("START", "INCREMENT")):
        reading.cursor.take_any(("WITH", "BY"))
        reading.cursor.take("-")
        reading.cursor.i += 1
    reading.cursor.take_any(("ORDER", "NOORDER"))


def _comment(reading: ColumnReading) -> None:
    reading.cursor.take("=")
    if reading.cursor.is_string():
        reading.column.comment = reading.cursor.label()


def _on(reading: ColumnReading) -> None:
    cursor = reading.cursor
    if cursor.take("UPDATE"):
        start = cursor.i
        cursor.i = expression_end(cursor)
        text = cursor.text(start, cursor.i)
        canonical = reading.script.dialect.canonical_default
        worded = canonical(text, reading.column.type) if canonical else text
        reading.column.default = f"{reading.column.default or 'NULL'} on update {worded}"
    elif cursor.take("CONFLICT"):
        cursor.i += 1
    elif cursor.take("NULL"):
        pass
    else:
        cursor.i += 1  # a file group


def _options(reading: ColumnReading) -> None:
    cursor = reading.cursor
    if cursor.now != "(":
        return
    reading.column.comment = cursor.description_in_group(reading.column.comment)


def _compress(reading: ColumnReading) -> None:
    cursor = reading.cursor
    if cursor.now == "(":
        cursor.skip_group()
    elif cursor.is_string() or cursor.now.isdigit() or cursor.now == "NULL":
        cursor.i += 1


def _masking(reading: ColumnReading) -> None:
    cursor = reading.cursor
    cursor.take("POLICY")
    if cursor.take("WITH"):
        pass
    if cursor.now == "(":
        cursor.skip_group()
    elif cursor.is_name():
        cursor.path()
        if cursor.take("USING"):
            cursor.skip_group()


def _with(reading: ColumnReading) -> None:
    cursor = reading.cursor
    if cursor.take("DEFAULT"):  # WITH DEFAULT is another way to say DEFAULT
        _default(reading)
    elif cursor.now == "(":
        cursor.skip_group()
    elif cursor.now == "FILLFACTOR":
        cursor.i += 3
    elif cursor.take("TAG") and cursor.now == "(":
        cursor.skip_group()


def _deferrable(reading: ColumnReading) -> None:
    if reading.foreign:
        reading.foreign.deferrable = True


def _initially(reading: ColumnReading) -> None:
    if reading.cursor.take("DEFERRED"):
        if reading.foreign:
            reading.foreign.initially_deferred = reading.foreign.deferrable = True
    else:
        reading.cursor.take("IMMEDIATE")


def _inline(reading: ColumnReading) -> None:
    if reading.cursor.take("LENGTH"):
        reading.cursor.i += 1


def _foreign(reading: ColumnReading) -> None:
    reading.cursor.take("KEY")
    columns = _key_columns(reading)
    if reading.cursor.take("REFERENCES"):
        _references(reading, columns)


_CLAUSES: dict[str, Handler] = {
    "NOT": _not,
    "NULL": _null,
    "DEFAULT": _default,
    "PRIMARY": _primary,
    "UNIQUE": _unique,
    "KEY": _key,
    "REFERENCES": _references,
    "CHECK": _check,
    "CONSTRAINT": _constraint,
    "COLLATE": _collate,
    "CHARACTER": _character_set,
    "CHARSET": _charset,
    "CHAR": _character_set,
    "GENERATED": _generated,
    "AS": _as,
    "COMPUTED": _computed,
    "IDENTITY": _identity,
    "AUTO_INCREMENT": _auto_increment,
    "AUTOINCREMENT": _auto_increment,
    "COMMENT": _comment,
    "ON": _on,
    "OPTIONS": _options,
    "COMPRESS": _compress,
    "MASKING": _masking,
    "PROJECTION": _masking,
    "MASKED": _masking,
    "WITH": _with,
    "DEFERRABLE": _deferrable,
    "INITIALLY": _initially,
    "INLINE": _inline,
    "FOREIGN": _foreign,
}
