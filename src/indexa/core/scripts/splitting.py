"""From the bytes of a script to its statements, client commands and blocks of data.

Works on bytes (or a memory map) in any encoding that keeps ASCII as it is, so that a dump of any size takes
no memory, and rows of data are passed over by one expression in C. A string that never ends costs its own
statement only.

The time is linear in the length, whatever was left open: where a quote or comment turns out never to be closed, so is
every later one that begins like it, and it is not looked for again.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Iterator
from functools import lru_cache
from mmap import mmap
from typing import Literal, NamedTuple, TypeAlias

from indexa.core.scripts.dialect import Dialect
from indexa.core.scripts.tokens import BLOCK_COMMENT, Dead, comments, strings

Buffer: TypeAlias = bytes | mmap
Kind = Literal["statement", "command", "rows"]
Within = Literal["body", "statement"]
"""Whether a line that begins another statement may stand within this one, or ends it."""


class Piece(NamedTuple):
    """Where one piece of the script lies, in bytes, and the line on which it begins."""

    kind: Kind
    start: int
    end: int
    line: int
    unclosed: tuple[tuple[int, Dead], ...] = ()
    """From which byte on which kinds of quotes and comments are never closed; empty where all are."""


class _Patterns(NamedTuple):
    between: re.Pattern[bytes]
    body: re.Pattern[bytes]
    statement: re.Pattern[bytes]
    """As body, and ends where a line begins another statement, since terminators are forgotten."""
    command: re.Pattern[bytes] | None
    common: re.Pattern[bytes]
    """What lies between, and one of the statements that a script is mostly made of: all at once."""
    opener: re.Pattern[bytes] | None
    """What begins a quote or comment that is closed somewhere: where a body stops before it, it is not."""
    openers: tuple[str, ...]
    """The kind that each group of `opener` stands for."""


_ROWS = re.compile(
    rb"(?:INSERT|REPLACE(?=\s+(?:LOW_PRIORITY\s+|DELAYED\s+)?INTO\b)|UPDATE|DELETE|MERGE|UPSERT|VALUES|LOCK|UNLOCK)\b",
    re.I,
)
_ROWS_BEGIN = frozenset(bytes([letter]) for letter in b"IRUDMVLirudmvl")
_COPY = re.compile(rb"COPY\b.{0,10000}?\bFROM\s+STDIN\b", re.I | re.S)
_COPY_END = re.compile(rb"^\\\.[ \t\r]*$", re.M)
_ANY_DOLLAR = re.compile(rb"(?=(\$(?:[A-Za-z_\x80-\xff][\w\x80-\xff]*)?\$))")
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
_PLAIN_COMMENT = re.compile(BLOCK_COMMENT.encode())
_MOST_UNBALANCED = 50
"""Comments that hold others and are never closed; of a script with more of them none is looked for any more."""
_SMALL = 4_000
"""Bytes of a statement in which nothing can take long, whatever is left open."""
_GO = re.compile(rb"^[ \t]*GO\b[ \t\d]*;?[ \t\r]*(?:--[^\n]*)?$", re.M | re.I)
_SLASH = re.compile(rb"^[ \t]*/[ \t\r]*$", re.M)
_AFTER_END = re.compile(
    rb"\bEND\b[ \t]*[\w\"$#.]*[ \t]*;\s*(?=^[ \t]*(?:CREATE|ALTER|COMMENT|INSERT|DROP|GRANT|COMMIT|REM|PROMPT)\b)",
    re.I | re.M,
)
_END_ROUTINE = re.compile(rb"\bEND\s+(?:PROCEDURE|FUNCTION)\b", re.I)
_BLOCK_WORDS = re.compile(
    rb"'(?:[^']++|'')*+'|--[^\n]*|/\*.*?\*/|\b(BEGIN|CASE|END(?:\s+(?:IF|LOOP|WHILE|REPEAT|CASE|FOR|FOREACH))?)\b",
    re.I | re.S,
)


def _block_words(text: bytes) -> list[bytes]:
    """Return the words that begin and end blocks, "" for strings and comments. A comment left open hides nothing."""
    closed = text.rfind(b"*/") + 2
    return _BLOCK_WORDS.findall(text[:closed]) + _BLOCK_WORDS.findall(text[closed:].replace(b"/*", b"  "))


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


@lru_cache(maxsize=256)
def _patterns(dialect: Dialect, delimiter: bytes, dead: Dead) -> _Patterns:
    known = comments(dialect, dead)
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
    quoted = strings(dialect, dead)
    openers = {kind: re.escape(kind) for kind in quoted if kind != "["}
    # What stands before a quote was taken as an ordinary letter already.
    for kind in [kind for kind in openers if kind[0] in "qe" and kind != "e'"]:
        quoted[kind] = quoted[kind].replace("[nN]?[qQ]'", "(?<=[qQ])'", 1)
        openers[kind] = "(?<=[qQ])" + re.escape(kind[1:])
    if "e'" in openers:
        if dialect.dollar_quotes:
            quoted["e'"] = quoted["e'"].replace("[eE]", "(?<=[eE])", 1)
            openers["e'"] = "(?<=[eE])'"
        else:
            del quoted["e'"], openers["e'"]
    if "'" in quoted and (own := "|".join(opener for kind, opener in openers.items() if kind[0] in "qe")):
        quoted["'"] = f"(?!{own})" + quoted["'"]
    nested = dialect.nested_comments and "/*/*" not in dead
    if "/*" not in dead:
        openers["/*/*" if nested else "/*"] = known[-1][: known[-1].index("[^*]*+")]
    if nested:  # a comment that holds others and is never closed is looked at before it is taken for a plain one
        known.remove(BLOCK_COMMENT)
    if dialect.brace_comments and "{" not in dead:
        openers["{"] = r"\{"
    lines = [rf"^{line}" for line in last_lines]
    notes = [] if end.startswith(r"\#") else [r"#[^\n]*+"]  # no statement begins with it in any dialect
    whole = dialect.bodies == "go" or delimiter != b";"  # whoever chose another one did not forget it
    another = newline if whole else newline + _ANOTHER

    between = "(?:" + "|".join([r"\s++", *known, end, *lines, *notes]) + ")*+"

    def body(newline: str) -> str:
        stop = "|".join([end, *openers.values()])
        return "(?:" + "|".join([plain, *quoted.values(), *known, newline, dollar, rf"(?!{stop})[^\n$]"]) + ")*+"

    def compiled(pattern: str) -> re.Pattern[bytes]:
        return re.compile(pattern.encode("latin-1"), re.M | re.S | re.I)

    return _Patterns(
        compiled(between),
        compiled(body(newline)),
        compiled(body(another)),
        re.compile(f"(?:{dialect.commands})[^\\n]*+".encode("latin-1"), re.I) if dialect.commands else None,
        compiled(f"{between}({_COMMON}{body(another)})"),
        compiled("|".join(f"({opener})" for opener in openers.values())) if openers else None,
        tuple(openers),
    )


_COMMON = r"(?:COMMENT\s+ON|CREATE\s+TABLE|CREATE\s+(?:UNIQUE\s+)?INDEX|ALTER\s+TABLE)\s"


class Splitter:
    """Cuts one script into pieces."""

    def __init__(self, buffer: Buffer, dialect: Dialect) -> None:
        self._buffer, self._dialect = buffer, dialect
        self._line, self._counted = 1, 0
        self._unclosed: list[tuple[int, Dead]] = [(0, frozenset())]
        self._unbalanced = 0
        self._searched = False
        """Whether the end of the statement at hand was searched for, and nothing before it was gone through."""
        self._tags: dict[bytes, list[int]] | None = None
        self._found: dict[re.Pattern[bytes], tuple[int, int]] = {}
        self._end_with(self._usual_delimiter())

    def _end_with(self, delimiter: bytes) -> None:
        self._delimiter = delimiter
        self._patterns = _patterns(self._dialect, delimiter, self._unclosed[-1][1])

    def _opener_at(self, at: int, end: int) -> str:
        """Return the kind of quote or comment that begins here and is never closed, "" where none does."""
        patterns = self._patterns
        opener = patterns.opener.match(self._buffer, at, end) if patterns.opener else None
        if (
            opener is None
            or opener.lastindex is None
            or self._buffer[at : at + len(self._delimiter)] == self._delimiter
        ):
            return ""
        return patterns.openers[opener.lastindex - 1]

    def _past_opener(self, at: int, end: int) -> int | None:
        """Return where to go on behind what begins here and is never closed; None where no such thing begins.

        From now on nothing of its kind is looked for, but for comments that hold others: some of them are let pass as plain ones.
        """
        kind = self._opener_at(at, end)
        if not kind:
            return None
        dead = {kind}
        if kind == "/*/*":
            self._unbalanced += 1
            plain = _PLAIN_COMMENT.match(self._buffer, at, end)
            if plain and self._unbalanced < _MOST_UNBALANCED:
                return plain.end()
            dead |= set() if plain else {"/*"}
        self._unclosed.append((at, self._unclosed[-1][1] | dead))
        self._end_with(self._delimiter)
        return at

    def _unclosed_within(self, start: int, end: int) -> tuple[tuple[int, Dead], ...]:
        """Return what is never closed within a statement that was not gone through to find its end."""
        outer = (self._unclosed, self._unbalanced)
        self._unclosed, self._unbalanced = [(start, self._unclosed[-1][1])], 0
        at = start
        while at < end:
            found = self._patterns.body.match(self._buffer, at, end)
            at = found.end() if found else at
            past = self._past_opener(at, end)
            tag = _DOLLAR.match(self._buffer, at, end) if self._dialect.dollar_quotes else None
            if past is not None:
                at = past
            elif tag:
                close = self._closing_tag(tag)
                at = close + len(tag[0]) if 0 <= close < end else tag.end()
            else:
                at += 1
        within = tuple(dict(self._unclosed).items())
        self._unclosed, self._unbalanced = outer
        self._end_with(self._delimiter)
        return within if within[-1][1] else ()

    def _statement(self, start: int, end: int, line: int) -> Piece:
        """Return a statement with what is never closed in it."""
        if self._searched and end - start > _SMALL:
            return Piece("statement", start, end, line, self._unclosed_within(start, end))
        kept = self._unclosed
        if not kept[-1][1]:
            return Piece("statement", start, end, line)
        within = [(max(start, at), dead) for at, dead in kept if at < end]
        self._unclosed = kept[-1:]
        return Piece("statement", start, end, line, tuple(dict(within).items()))

    def pieces(self) -> Iterator[Piece]:
        """Yield the pieces in their order."""
        buffer, length, at = self._buffer, len(self._buffer), 0
        if buffer[:3] == b"\xef\xbb\xbf":
            at = 3
        while True:
            if (common := self._patterns.common.match(buffer, at)) and self._is_whole(common, at):
                self._searched = False
                start, at = common.span(1)
                yield self._statement(start, at, self._line_at(start))
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
                yield self._statement(at, end, self._line_at(at))
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
        if self._opener_at(end, len(self._buffer)):
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
            if self._opener_at(end, len(self._buffer)) == "/*/*":
                at = self._past_opener(end, len(self._buffer)) or end
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
        self._searched = False
        if bodies == "go" and _TO_GO.match(head):
            self._searched = True
            found = self._search(_GO, at)
            return found[0] if found else len(self._buffer)
        if head[:2] == b"/*":
            head = _CONDITION.sub(b"", head)
        within: Within = "body" if _HOLDS_OTHERS.match(head) else "statement"
        if head[:7].upper() not in _MAY_HAVE_BODY and head[:5].upper() not in _MAY_HAVE_BODY:
            return self._body_end(at, within)
        routine = _ROUTINE.match(head)
        if routine and bodies == "slash" and head[:5].upper() == b"ALTER":
            routine = None
        if bodies == "slash" and (routine or _ANONYMOUS.match(head)):
            return self._slash_end(at)
        end = self._body_end(at, "body" if routine else within)
        if routine and bodies == "end" and (last := self._search(_END_ROUTINE, at)):
            self._searched = True
            return self._body_end(last[1], "body")
        # An unusual delimiter was chosen so that bodies may hold ";".
        if ((routine or _ANONYMOUS.match(head)) and bodies == "blocks" and self._delimiter == b";") or (
            self._dialect.dollar_quotes and routine and re.search(rb"\bBEGIN\s+ATOMIC\b", self._buffer[at:end], re.I)
        ):
            end = self._block_end(at, end)
        return end

    def _slash_end(self, at: int) -> int:
        self._searched = True
        slash = self._search(_SLASH, at)
        end = slash[0] if slash else len(self._buffer)
        after = _AFTER_END.search(self._buffer, at, end)
        return after.end() if after else end

    def _block_end(self, at: int, end: int) -> int:
        depth, counted = 0, at
        while True:
            for word in _block_words(self._buffer[counted:end]):
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
            end = self._body_end(end + len(self._delimiter), "body")

    def _rows_end(self, at: int, word: bytes) -> int:
        if self._dialect.bodies == "go" and word in (b"INSERT", b"UPDATE", b"DELETE"):
            found = _TSQL_ROWS.match(self._buffer, at)
            return found.end() if found else at + 1
        return self._body_end(at, "statement")

    def _body_end(self, at: int, within: Within) -> int:
        """Return where the terminator begins, or the end of the script."""
        length = len(self._buffer)
        while at < length:
            body = self._patterns.body if within == "body" else self._patterns.statement
            found = body.match(self._buffer, at)
            at = found.end() if found else at
            if (past := self._past_opener(at, length)) is not None:
                at = past
                continue
            tag = (
                _DOLLAR.match(self._buffer, at)
                if self._dialect.dollar_quotes and self._buffer[at : at + 1] == b"$"
                else None
            )
            if tag is None:
                return at
            close = self._closing_tag(tag)
            at = close + len(tag[0]) if close >= 0 else tag.end()
        return length

    def _closing_tag(self, tag: re.Match[bytes]) -> int:
        """Return where a dollar tag stands again, -1 where it does not.

        After the first that does not, all places of all tags are noted at once.
        """
        if self._tags is None:
            close = self._buffer.find(tag[0], tag.end())
            if close >= 0:
                return close
            self._tags = {}
            for found in _ANY_DOLLAR.finditer(self._buffer, tag.end()):
                self._tags.setdefault(found[1], []).append(found.start())
            return -1
        places = self._tags.get(tag[0], [])
        at = bisect_left(places, tag.end())
        return places[at] if at < len(places) else -1

    def _search(self, pattern: re.Pattern[bytes], at: int) -> tuple[int, int] | None:
        """Search from here on. A result that lies ahead is kept, so that nothing is searched through twice."""
        asked, found = self._found.get(pattern, (-1, -1))
        if not (0 <= asked <= at <= found):
            match = pattern.search(self._buffer, at)
            found = match.start() if match else len(self._buffer) + 1
            self._found[pattern] = (at, found)
        again = pattern.match(self._buffer, found) if found <= len(self._buffer) else None
        return again.span() if again else None
