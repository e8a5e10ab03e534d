"""A place in a statement, and the reading of what every statement is made of: names, groups, expressions, types."""

from __future__ import annotations

from collections.abc import Container

from indexa.core.errors import CoreError
from indexa.core.scripts.dialect import Dialect
from indexa.core.scripts.tokens import Statement

_CLOSERS = {"(": ")", "[": "]", "{": "}"}
_NO_SPACE_BEFORE = frozenset({",", ")", "(", "]", "[", ".", ";", "::", ">", "%", "<"})
_NO_SPACE_AFTER = frozenset({"(", "[", ".", "::", "<", ","})


class NotUnderstoodError(CoreError):
    """A statement or clause does not read as expected. `place` is the number of the token."""

    code = "script.not-understood"

    def __init__(self, message: str, place: int) -> None:
        super().__init__(message)
        self.place = place


class MisfitError(NotUnderstoodError):
    """A statement reads well, but what it changes is not as it expects it at that place of the script."""

    code = "script.misfit"


def worded(error: Exception) -> str:
    """Say for the receipt what became of a statement or clause."""
    message = "Does not fit what comes before it" if isinstance(error, MisfitError) else "Not understood"
    return f"{message} ({error or 'it ends too early'})"


class Cursor:
    """Walks over one statement's tokens. `i` is the place of the next token; past the end stands an empty one."""

    __slots__ = ("_fold", "before", "dialect", "end", "i", "raw", "statement", "up")

    def __init__(self, statement: Statement) -> None:
        self.statement = statement
        self.raw: tuple[str, ...] = statement.raw
        self.up: list[str] = statement.up
        self.before: tuple[str, ...] = statement.before
        self.dialect: Dialect = statement.dialect
        self._fold = statement.dialect.fold
        self.i, self.end = 0, len(statement.up) - 1

    @property
    def now(self) -> str:
        """The next token, in capitals."""
        return self.up[self.i]

    def ahead(self, steps: int) -> str:
        """Return a later token in capitals, "" past the end."""
        place = self.i + steps
        return self.up[place] if place <= self.end else ""

    def take(self, *words: str) -> bool:
        """Step over the words if all of them come next."""
        at = self.i
        if self.up[at] != words[0]:
            return False
        if len(words) > 1 and tuple(self.up[at : at + len(words)]) != words:
            return False
        self.i = at + len(words)
        return True

    def take_any(self, words: Container[str]) -> str:
        """Step over one token if it is one of the words, and return it."""
        now = self.up[self.i]
        if now and now in words:
            self.i += 1
            return now
        return ""

    def expect(self, word: str) -> None:
        """Step over the word. Raises NotUnderstoodError if another comes."""
        if self.up[self.i] != word:
            raise NotUnderstoodError(f"“{word}” was expected before “{self.raw[self.i][:40]}”", self.i)
        self.i += 1

    def is_name(self, place: int | None = None) -> bool:
        """Say whether the token can be a name: a word or anything in the dialect's quotes."""
        raw = self.raw[self.i if place is None else place]
        if not raw:
            return False
        first = raw[0]
        return (
            first.isalpha()
            or first in "_@#"
            or (first == "`" and len(raw) > 1)
            or (first in "$&{" and len(raw) > 1)
            or (first in self.dialect.identifier_quotes and len(raw) > 1)
            or (first == "'" and len(raw) > 2)
            or (first.isdigit() and not raw.isdigit() and "." not in raw)
        )

    def plain_name(self, raw: str) -> str:
        """Return the name that a token stands for: unquoted, or folded as the dialect folds."""
        return self.dialect.plain_name(raw)

    def name(self) -> str:
        """Read one name."""
        raw = self.raw[self.i]
        first = raw[:1]
        if first.isalpha() or first == "_":
            self.i += 1
            fold = self._fold
            return raw if fold == "keep" else raw.lower() if fold == "lower" else raw.upper()
        if not self.is_name():
            raise NotUnderstoodError(f"a name was expected before “{raw[:40]}”", self.i)
        self.i += 1
        if not self.dialect.fold_quoted and raw[-1] not in raw[1:-1]:
            return raw[1:-1] if first in "\"`['" else self.dialect.folded(raw)
        return self.plain_name(raw)

    def path(self) -> list[str]:
        """Read a name with what qualifies it, the last part being the name itself."""
        quoted = self.raw[self.i][:1] == "`"
        parts = [self.name()]
        while self.up[self.i] == ".":
            self.i += 1
            parts.append("" if self.up[self.i] == "." else self.name())
        if self.dialect.dotted_quotes:
            if quoted and len(parts) == 1:
                parts = parts[0].split(".")
            while self.up[self.i] == "-" and self.is_name(self.i + 1):  # a project's name may hold dashes
                self.i += 1
                parts[-1] += "-" + self.name()
                while self.take("."):
                    parts.append(self.name())
        return parts

    def qualified(self) -> tuple[str, str]:
        """Read a name; return schema ("" where none is given) and name."""
        parts = self.path()
        return (parts[-2] if len(parts) > 1 else ""), parts[-1]

    def after_group(self, start: int) -> int:
        """Return the place behind the group whose opening bracket stands at start. Raises if it never closes."""
        up, depth, at, end = self.up, 0, start, self.end
        while at < end:
            token = up[at]
            if token == "(":
                depth += 1
            elif token == ")":
                depth -= 1
                if not depth:
                    return at + 1
            at += 1
        raise NotUnderstoodError("a bracket is never closed", start)

    def skip_group(self) -> None:
        """Step over a bracketed group."""
        self.i = self.after_group(self.i)

    def group_text(self) -> str:
        """Read a bracketed group; return the text between its brackets as written."""
        start = self.i
        self.skip_group()
        return self.text(start + 1, self.i - 1)

    def text(self, start: int, end: int) -> str:
        """Return the tokens from start to before end as they are written; a comment between them becomes a space."""
        if start >= end:
            return ""
        pieces = [self.raw[start]]
        for place in range(start + 1, end):
            before = self.before[place]
            pieces.append(before if not before or before.isspace() else " ")
            pieces.append(self.raw[place])
        return "".join(pieces).strip()

    def tight_text(self, start: int, end: int) -> str:
        """Return the tokens with one space between words and none around brackets, as catalogs write types."""
        pieces: list[str] = []
        last = ""
        for token in self.raw[start:end]:
            if last and token not in _NO_SPACE_BEFORE and last not in _NO_SPACE_AFTER:
                pieces.append(" ")
            pieces.append(token)
            last = token
        return "".join(pieces)

    def spaced_text(self, start: int, end: int) -> str:
        """Return the tokens as written, with single spaces."""
        return " ".join(self.text(start, end).split())

    def names_group(self) -> tuple[str, ...]:
        """Read a bracketed list of names; order, length and collation behind a name are passed over."""
        self.expect("(")
        found = []
        while True:
            found.append(self.name())
            if self.up[self.i] not in (",", ")"):
                self._to_comma_or_close()
            if not self.take(","):
                break
        self.expect(")")
        return tuple(found)

    def _to_comma_or_close(self) -> None:
        up = self.up
        while (token := up[self.i]) not in (",", ")", ""):
            if token == "(":
                self.skip_group()
            else:
                self.i += 1

    def skip_element(self) -> None:
        """Step to the next comma or closing bracket of this level, or to the end."""
        self._to_comma_or_close()

    def string(self) -> str:
        """Read a string and return what it says."""
        raw = self.raw[self.i]
        self.i += 1
        return unquoted_string(raw, backslash=self.dialect.backslash)

    def is_string(self) -> bool:
        """Say whether a string comes next."""
        raw = self.raw[self.i]
        return raw[-1:] == "'" or (self.dialect.double_quoted_strings and raw[:1] == '"') or raw[:2] == "$$"

    def description_in_group(self, before: str) -> str:
        """Step over a bracketed list of options and return its description, the one from before where it has none."""
        end, message = self.after_group(self.i), before
        for place in range(self.i, end):
            if self.up[place] == "DESCRIPTION" and self.up[place + 1] == "=":
                self.i = place + 2
                message = "" if self.now == "NULL" else self.label()
                break
        self.i = end
        return message

    def label(self) -> str:
        """Read a string, or several in a row joined by a plus or bars, as comments are written."""
        message = self.string()
        while self.now in ("||", "+") or (self.is_string() and self.now):
            self.take_any(("||", "+"))
            if not self.is_string():
                break
            message += self.string()
        return message


_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "0": "\0", "b": "\b", "Z": "\x1a"}


def unquoted_string(raw: str, *, backslash: bool) -> str:
    """Return what a string token says. A prefix such as N or E is taken off; E has backslashes in any dialect."""
    if raw.startswith("$$"):
        return raw[2:-2]
    if raw[:1] in "nNqQ" and raw.lower().lstrip("n").startswith("q'"):
        return raw[raw.index("'") + 2 : -2]
    if raw[:1] not in "'\"":
        backslash = backslash or raw[0] in "eE"
        raw = raw[1:]
    quote, inner = raw[:1], raw[1:-1]
    if backslash and "\\" in inner:
        pieces, at = [], 0
        while (found := inner.find("\\", at)) >= 0 and found + 1 < len(inner):
            letter = inner[found + 1]
            pieces += [inner[at:found].replace(quote * 2, quote), _ESCAPES.get(letter, letter)]
            at = found + 2
        return "".join(pieces) + inner[at:].replace(quote * 2, quote)
    return inner.replace(quote * 2, quote)
