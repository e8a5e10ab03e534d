"""A naming standard: rules for each kind of object, as data that is read from and written to JSON."""

from __future__ import annotations

from typing import Literal, TypeAlias

import msgspec

from indexa.core.errors import CoreError
from indexa.core.naming.wordbook import Word, Wordbook

Kind: TypeAlias = Literal[
    "table", "view", "column", "primary key", "unique key", "foreign key", "index", "check", "sequence", "trigger", "routine",
    "entity", "attribute", "relationship",
]  # fmt: skip
KINDS: tuple[Kind, ...] = Kind.__args__  # type: ignore[attr-defined]
Case: TypeAlias = Literal["lower", "upper", "camel", "pascal", "title", "any"]
CASES: tuple[Case, ...] = Case.__args__  # type: ignore[attr-defined]
Severity: TypeAlias = Literal["note", "warning", "error"]
SEVERITIES: tuple[Severity, ...] = ("note", "warning", "error")
Step: TypeAlias = Literal["connecting words", "short forms", "vowels", "cut"]
"""A way to make a name shorter; a standard says in which order they are taken."""

_LONGEST_PATTERN = 500


class Rule(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True, forbid_unknown_fields=True):
    """What holds for the names of one kind of object."""

    case: Case = "lower"
    separator: str = "_"
    form: Literal["short", "full", "any"] = "short"
    """Whether words stand in their short form, in full, or as they come."""
    number: Literal["any", "singular", "plural"] = "any"
    """What the last word but for a class word is."""
    prefix: str = ""
    suffix: str = ""
    class_words: tuple[str, ...] = ()
    """Words in full, in small letters, with one of which each name ends; empty where names need none."""
    max_length: int = 0
    """0 stands for the platform's own limit."""
    allowed: str = "A-Za-z0-9_"
    """Letters that names may have, as a set of a regular expression."""
    pattern: str = ""
    """The template of keys, indexes and the like, which are made from what they are about, not from words."""
    known_words: bool = False
    """Whether each word must stand in the wordbooks."""
    leave_server_names: bool = False
    """Whether names that the server made up, since nobody gave one, are left alone."""
    severity: Severity = "warning"


class Standard(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True, forbid_unknown_fields=True):
    """Rules per kind of object, and the wordbook that comes with them in a file."""

    name: str
    version: int = 1
    platform: str = ""
    rules: dict[Kind, Rule] = {}
    shorten: tuple[Step, ...] = ("connecting words", "short forms", "vowels", "cut")
    severities: dict[str, Severity | Literal["off"]] = {}
    """By the id of a rule, where it differs from the object kind's own severity."""
    words: tuple[Word, ...] = ()

    @property
    def wordbook(self) -> Wordbook:
        """The words that the standard's own file holds."""
        return Wordbook(name=self.name, words=self.words)


class StandardFileError(CoreError):
    """A file is no naming standard; the message says where."""

    code = "standard.file"


DEFAULT = Standard(
    name="Plain",
    rules={
        "table": Rule(form="any"),
        "view": Rule(form="any"),
        "column": Rule(form="any"),
        "check": Rule(form="any", severity="note"),
        "sequence": Rule(form="any", severity="note"),
    },
)
"""What holds where nothing else was said: small letters, and words parted by underscores."""


def read_standard(data: bytes) -> Standard:
    """Read a standard from JSON. Raises StandardFileError that says what is wrong and where."""
    from indexa.core.naming.patterns import PatternError, check_pattern

    try:
        standard = msgspec.json.decode(data, type=Standard)
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise StandardFileError(f"This is no naming standard: {error}.") from None
    for kind, rule in standard.rules.items():
        if len(rule.pattern) > _LONGEST_PATTERN:
            raise StandardFileError(f"The pattern of {kind} has more than {_LONGEST_PATTERN} letters.")
        try:
            if rule.pattern:
                check_pattern(rule.pattern)
        except PatternError as error:
            raise StandardFileError(f"The pattern of {kind}: {error}") from None
        check_allowed(rule.allowed, kind)
        if not 0 <= rule.max_length <= 1000:
            raise StandardFileError(f"The longest name of {kind} is {rule.max_length}; it is between 0 and 1000.")
    return standard


def write_standard(standard: Standard) -> bytes:
    """Write a standard as JSON."""
    return msgspec.json.format(msgspec.json.encode(standard), indent=2)


def check_allowed(allowed: str, kind: str) -> None:
    """Raise StandardFileError unless the letters make a set of a regular expression."""
    import re

    if len(allowed) > 200 or "]" in allowed.replace(r"\]", "") or "[" in allowed:
        raise StandardFileError(f"The allowed letters of {kind} are a set such as A-Za-z0-9_, without brackets.")
    try:
        re.compile(f"[{allowed}]")
    except re.error as error:
        raise StandardFileError(f"The allowed letters of {kind} are no set of letters: {error}.") from None
