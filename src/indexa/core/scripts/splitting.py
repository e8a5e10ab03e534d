"""From the bytes of a script to its statements, client commands and blocks of data.

Works on bytes (or a memory map) in any encoding that keeps ASCII as it is, so that a dump of any size takes
no memory, and rows of data are passed over by one expression in C. A string that never ends costs its own
statement only.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache
from mmap import mmap
from typing import Literal, NamedTuple, TypeAlias

from indexa.core.scripts.dialect import Dialect
from indexa.core.scripts.tokens import comments, strings

Buffer: TypeAlias = bytes | mmap
Kind = Literal["statement", "command", "rows"]


class Piece(NamedTuple):
    """Where one piece of the script lies, in bytes, and the line on which it begins."""

    kind: Kind
    start: int
    end: int
    line: int


class _Patterns(NamedTuple):
    between: re.Pattern[bytes]
    body: re.Pattern[bytes]
    statement: re.Pattern[bytes]
    """As body, and ends where a line begins another statement, since terminators are forgotten."""
    command: re.Pattern[bytes] | None
    common: re.Pattern[bytes]
    """What lies between, and one of the statements that a script is mostly made of: all at once."""


_ROWS = re.compile(
    rb"(?:INSERT|REPLACE(?=\s+(?:LOW_PRIORITY\s+|DELAYED\s+)?INTO\b)|UPDATE|DELETE|MERGE|UPSERT|VALUES|LOCK|UNLOCK)\b",
    re.I,
)
_ROWS_BEGIN = frozenset(bytes([letter]) for letter in b"IRUDMVLirudmvl")
_COPY = re.compile(rb"COPY\b.{0,10000}?\bFROM\s+STDIN\b", re.I | re.S)
_COPY_END = re.compile(rb"^\\\.[ \t\r]*$", re.M)
_DOLLAR = re.compile(rb"\$(?:[A-Za-z_\x80-\xff][\w\x80-\xff]*)?\$")
_CONDITION = re.compile(rb"^/\*M?!\d*\s*")
_MAY_HAVE_BODY = frozenset(
    {
        b"CREATE ",
        b"CREATE\n",
        b"CREATE\t",
        b"CREATE\r",
        b"ALTER",
        b"REPLACE",
        b"RECREAT",
        b"DECLARE",
        b"BEGIN",
        b"EXECUTE",
    }
)
_ROUTINE = re.compile(
    rb"(?:CREATE|ALTER|REPLACE|RECREATE)\s+(?:OR\s+(?:REPLACE|ALTER)\s+)?"
    rb"(?:(?:NON)?EDITIONABLE\s+|FORCE\s+|AGGREGATE\s+|TEMP(?:ORARY)?\s+|DBA\s+|DEFINER\s*=\s*\S+\s+|SECURE\s+)*"
    rb"(?:PROC(?:EDURE)?|FUNCTION|TRIGGER|PACKAGE|EVENT|TYPE\s+BODY|LIBRARY|JAVA)\b",
    re.I,
)
_ANONYMOUS = re.compile(rb"(?:DECLARE|BEGIN)\b(?!\s*(?:;|TRAN|WORK))|EXECUTE\s+BLOCK\b", re.I)
_TO_GO = re.compile(rb"(?:CREATE|ALTER)\s+(?:OR\s+ALTER\s+)?(?:PROC|PROCEDURE|FUNCTION|TRIGGER|VIEW)\b", re.I)
_SLASH = re.compile(rb"^[ \t]*/[ \t\r]*$", re.M)
_AFTER_END = re.compile(
    rb"\bEND\b[ \t]*[\w\"$#.]*[ \t]*;\s*(?=^[ \t]*(?:CREATE|ALTER|COMMENT|INSERT|DROP|GRANT|COMMIT|REM|PROMPT)\b)",
    re.I | re.M,
)
_END_ROUTINE = re.compile(rb"\bEND\s+(?:PROCEDURE|FUNCTION)\b", re.I)
_BLOCK_WORDS = re.compile(
    rb"'(?:[^']|'')*'|--[^\n]*|/\*.*?\*/|\b(BEGIN|CASE|END(?:\s+(?:IF|LOOP|WHILE|REPEAT|CASE|FOR|FOREACH))?)\b",
    re.I | re.S,
)
_DELIMITER = re.compile(rb"DELIMITER[ \t]+(\S+)", re.I)
_SET_TERM = re.compile(rb"SET[ \t]+TERM(?:INATOR)?[ \t]+(\S+)", re.I)
_HASH_SET = re.compile(rb"--#SET[ \t]+TERMINATOR[ \t]+(\S+)", re.I)
_LINE_END = re.compile(rb"\r?\n|\Z")
_TSQL_ROWS = re.compile(
    rb"(?:[^';\n]++|'(?:[^']++|'')*+'|\n(?![ \t]*+(?:INSERT|CREATE|ALTER|DROP|EXEC|EXECUTE|SET|GO|PRINT|UPDATE|DELETE|IF|END|"
    rb"DECLARE|USE|GRANT|COMMIT|TRUNCATE|DBCC)\b))*+",
    re.I,
)


_ANOTHER = (
    r"(?![ \t]*+(?:CREATE\s+(?:OR\s+REPLACE\s+|(?:GLOBAL|LOCAL|TEMP|TEMPORARY|UNIQUE|CLUSTERED|BITMAP|MULTISET|SET)\s+)*"
    r"(?:TABLE|INDEX|VIEW|MATERIALIZED|SEQUENCE|TRIGGER|PROCEDURE|FUNCTION|PACKAGE|TYPE|DOMAIN|SCHEMA)\s|"
    r"(?:ALTER|DROP)\s+(?:TABLE|VIEW|SEQUENCE)\s|COMMENT\s+ON\s|DECLARE\s+\w+\s[^;]{0,200}+;))"
)
"""What begins a statement wherever a line begins with it, and so ends one whose terminator was forgotten."""
_HOLDS_OTHERS = re.compile(
    rb"(?:(?:CREATE|REPLACE)\s+(?:OR\s+REPLACE\s+)?(?:SCHEMA|MACRO|TASK|RULE)|PREPARE|EXPLAIN|EXEC(?:UTE)?|IF|WHILE|DO|FOR|"
    rb"BEGIN|DECLARE|GRANT|REVOKE|DENY|AUDIT)\b",
    re.I,
)
"""Statements within which others may begin on a line of their own."""


@lru_cache(maxsize=64)
def _patterns(dialect: Dialect, delimiter: bytes) -> _Patterns:
    known = comments(dialect)
    if dialect.conditional_comments:
        known = [part.replace(r"/\*", r"/\*(?!M?!(?!9{5}))", 1) for part in known]
    end = re.escape(delimiter.decode("latin-1"))
    last_lines = []
    if dialect.bodies == "slash":
        last_lines.append(r"[ \t]*+/[ \t\r]*+(?:\n|\Z)")
    if dialect.bodies == "go":
        last_lines.append(r"[ \t]*+GO\b[ \t\d]*+;?[ \t\r]*+(?:--[^\n]*+)?(?:\n|\Z)")
    special = {delimiter.decode("latin-1")[0], *"'\"`\n/-#$[{"}
    plain = "[^" + "".join(sorted(re.escape(letter) for letter in special)) + "]++"
    newline = r"\n(?!" + "|".join(last_lines) + ")" if last_lines else r"\n"
    dollar = r"\$(?![A-Za-z_\x80-\xff]?[\w\x80-\xff]*+\$)" if dialect.dollar_quotes else rf"(?!{end})\$"
    quoted = [part for part in strings(dialect) if not part.startswith("[eE]")]
    # What stands before the quote was taken as an ordinary letter already.
    quoted = [part.replace("[nN]?[qQ]'", "(?<=[qQ])'", 1) for part in quoted]
    if not dialect.backslash:
        quoted.insert(0, r"(?<=[eE])'(?:[^'\\]++|\\.|'')*+'" if dialect.dollar_quotes else quoted[0])
    lines = [rf"^{line}" for line in last_lines]
    notes = [] if end.startswith(r"\#") else [r"#[^\n]*+"]  # no statement begins with it in any dialect
    whole = dialect.bodies == "go" or delimiter != b";"  # whoever chose another one did not forget it
    another = newline if whole else newline + _ANOTHER

    between = "(?:" + "|".join([r"\s++", *known, end, *lines, *notes]) + ")*+"

    def body(newline: str) -> str:
        return "(?:" + "|".join([plain, *quoted, *known, newline, dollar, rf"(?!{end})[^\n$]"]) + ")*+"

    def compiled(pattern: str) -> re.Pattern[bytes]:
        return re.compile(pattern.encode("latin-1"), re.M | re.S | re.I)

    return _Patterns(
        compiled(between),
        compiled(body(newline)),
        compiled(body(another)),
        re.compile(f"(?:{dialect.commands})[^\\n]*+".encode("latin-1"), re.I) if dialect.commands else None,
        compiled(f"{between}({_COMMON}{body(another)})"),
    )


_COMMON = r"(?:COMMENT\s+ON|CREATE\s+TABLE|CREATE\s+(?:UNIQUE\s+)?INDEX|ALTER\s+TABLE)\s"


class Splitter:
    """Cuts one script into pieces."""

    def __init__(self, buffer: Buffer, dialect: Dialect) -> None:
        self._buffer, self._dialect = buffer, dialect
        self._line, self._counted = 1, 0
        self._end_with(self._usual_delimiter())

    def _end_with(self, delimiter: bytes) -> None:
        self._delimiter = delimiter
        self._patterns = _patterns(self._dialect, delimiter)

    def pieces(self) -> Iterator[Piece]:
        """Yield the pieces in their order."""
        buffer, length, at = self._buffer, len(self._buffer), 0
        if buffer[:3] == b"\xef\xbb\xbf":
            at = 3
        while True:
            if (common := self._patterns.common.match(buffer, at)) and self._is_whole(common, at):
                start, at = common.span(1)
                yield Piece("statement", start, at, self._line_at(start))
                continue
            at = self._between(at)
            if at >= length:
                return
            patterns = self._patterns
            head = buffer[at : at + 300]
            if patterns.command and (command := patterns.command.match(buffer, at)):
                end = max(command.end(), at + 1)
                self._obey(buffer[at:end])
                yield Piece("command", at, end, self._line_at(at))
                at = end
                continue
            if head[:1] in _ROWS_BEGIN and (rows := _ROWS.match(head)):
                end = self._rows_end(at, rows[0].upper())
                yield Piece("rows", at, end, self._line_at(at))
            else:
                end = self._statement_end(at, head)
                yield Piece("statement", at, end, self._line_at(at))
                if head[:4].upper() == b"COPY" and _COPY.match(head):
                    line = self._line_at(end)
                    data_end = _COPY_END.search(buffer, end)
                    end = data_end.end() if data_end else length
                    yield Piece("rows", min(end, length), end, line)
            at = max(end, at + 1)

    def _is_whole(self, common: re.Match[bytes], at: int) -> bool:
        """Say whether nothing before or behind a common statement asks for a closer look."""
        start, end = common.span(1)
        if self._dialect.dollar_quotes and self._buffer[end : end + 1] == b"$":
            return False
        return self._dialect.bodies != "blocks" or start - at < 4 or not _HASH_SET.search(self._buffer, at, start)

    def _between(self, at: int) -> int:
        while True:
            found = self._patterns.between.match(self._buffer, at)
            end = found.end() if found else at
            if self._dialect.bodies == "blocks" and end > at and (change := _HASH_SET.search(self._buffer, at, end)):
                self._end_with(change[1])
                at = change.end()
                continue
            return end

    def _usual_delimiter(self) -> bytes:
        """Return ";", or "@" where a script that was run with another terminator shows it."""
        if "@" in self._dialect.commands:
            return b";"
        start = self._buffer[:200_000]
        at_signs = len(re.findall(rb"@[ \t\r]*$", start, re.M))
        return b"@" if at_signs > 2 and at_signs > len(re.findall(rb";[ \t\r]*$", start, re.M)) else b";"

    def _obey(self, command: bytes) -> None:
        if found := _DELIMITER.match(command):
            self._end_with(found[1])
        elif found := _SET_TERM.match(command):
            wanted, now = found[1], self._delimiter
            if wanted.endswith(now) and len(wanted) > len(now):  # the command itself ends with the terminator
                wanted = wanted[: -len(now)]
            self._end_with(wanted)

    def _line_at(self, at: int) -> int:
        if at > self._counted:
            buffer = self._buffer
            lines = (
                buffer.count(b"\n", self._counted, at)
                if isinstance(buffer, bytes)
                else buffer[self._counted : at].count(b"\n")
            )
            self._line += lines
            self._counted = at
        return self._line

    def _statement_end(self, at: int, head: bytes) -> int:
        bodies = self._dialect.bodies
        if bodies == "go" and _TO_GO.match(head):
            found = re.compile(rb"^[ \t]*GO\b[ \t\d]*;?[ \t\r]*(?:--[^\n]*)?$", re.M | re.I).search(self._buffer, at)
            return found.start() if found else len(self._buffer)
        if head[:2] == b"/*":
            head = _CONDITION.sub(b"", head)
        within = self._patterns.body if _HOLDS_OTHERS.match(head) else self._patterns.statement
        if head[:7].upper() not in _MAY_HAVE_BODY and head[:5].upper() not in _MAY_HAVE_BODY:
            return self._body_end(at, within)
        routine = _ROUTINE.match(head)
        if routine and bodies == "slash" and head[:5].upper() == b"ALTER":
            routine = None
        if bodies == "slash" and (routine or _ANONYMOUS.match(head)):
            return self._slash_end(at)
        end = self._body_end(at, self._patterns.body if routine else within)
        if routine and bodies == "end" and (last := _END_ROUTINE.search(self._buffer, at)):
            return self._body_end(last.end(), self._patterns.body)
        # An unusual delimiter was chosen so that bodies may hold ";".
        if ((routine or _ANONYMOUS.match(head)) and bodies == "blocks" and self._delimiter == b";") or (
            self._dialect.dollar_quotes and routine and re.search(rb"\bBEGIN\s+ATOMIC\b", self._buffer[at:end], re.I)
        ):
            end = self._block_end(at, end)
        return end

    def _slash_end(self, at: int) -> int:
        slash = _SLASH.search(self._buffer, at)
        end = slash.start() if slash else len(self._buffer)
        after = _AFTER_END.search(self._buffer, at, end)
        return after.end() if after else end

    def _block_end(self, at: int, end: int) -> int:
        depth, counted = 0, at
        while True:
            for word in _BLOCK_WORDS.findall(self._buffer[counted:end]):
                if not word:
                    continue
                kind = word.upper().split()
                if kind[0] != b"END":
                    depth += 1
                elif len(kind) == 1 or kind[1] == b"CASE":
                    depth -= 1
            if depth <= 0 or end >= len(self._buffer):
                return end
            counted = end
            end = self._body_end(end + len(self._delimiter), self._patterns.body)

    def _rows_end(self, at: int, word: bytes) -> int:
        if self._dialect.bodies == "go" and word in (b"INSERT", b"UPDATE", b"DELETE"):
            found = _TSQL_ROWS.match(self._buffer, at)
            return found.end() if found else at + 1
        return self._body_end(at, self._patterns.statement)

    def _body_end(self, at: int, body: re.Pattern[bytes]) -> int:
        """Return where the terminator begins, or the end of the script."""
        length = len(self._buffer)
        while at < length:
            found = body.match(self._buffer, at)
            at = found.end() if found else at
            tag = (
                _DOLLAR.match(self._buffer, at)
                if self._dialect.dollar_quotes and self._buffer[at : at + 1] == b"$"
                else None
            )
            if tag is None:
                return at
            close = self._buffer.find(tag[0], tag.end())
            at = close + len(tag[0]) if close >= 0 else tag.end()
        return length
