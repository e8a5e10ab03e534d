"""Values of fields by their type: what a person enters, checked, and as it is kept."""

from __future__ import annotations

import datetime as dt
import re
from decimal import Decimal, InvalidOperation
from typing import Literal, TypeAlias, get_args
from urllib.parse import urlsplit

from indexa.core.errors import CoreError

FieldType: TypeAlias = Literal["text", "number", "date", "choice", "person", "link", "yes or no"]
FIELD_TYPES: tuple[FieldType, ...] = get_args(FieldType)
LONGEST = 2_000
_YES, _NO = frozenset({"yes", "y", "true", "1"}), frozenset({"no", "n", "false", "0"})
_DATE = re.compile(r"^\d{4}-\d{2}-\d{2}$")


class ValueProblem(CoreError):
    """A value that a field can't hold; the message says why and what it takes."""

    code = "field.value"


def checked(type_: FieldType, text: str) -> str:
    """Return a value as it is kept, "" for none: a number without blanks, a date as 2026-12-01, yes or no.

    Choices and people are looked up by whoever knows them, and pass as they are. Raises ValueProblem.
    """
    text = text.replace("\r\n", "\n").replace("\x00", "").strip()
    if not text:
        return ""
    if len(text) > LONGEST:
        raise ValueProblem(f"{len(text):,} characters are too many; {LONGEST:,} are kept.")
    match type_:
        case "number":
            return _number(text)
        case "date":
            return _date(text)
        case "link":
            return _link(text)
        case "yes or no":
            return _yes_or_no(text)
        case _:
            return text


def _number(text: str) -> str:
    plain = text.replace(" ", "").replace("\u00a0", "")
    try:
        value = Decimal(plain)
    except InvalidOperation:
        raise ValueProblem(f"“{text[:40]}” is no number. Write it as 1234.5.") from None
    if not value.is_finite() or len(plain) > 60:
        raise ValueProblem(f"“{text[:40]}” is no number that can be kept. Write it as 1234.5.")
    return format(value, "f")


def _date(text: str) -> str:
    day = text[:10] if text[10:].strip(" T0:") == "" else text
    if _DATE.match(day):
        try:
            return dt.date.fromisoformat(day).isoformat()
        except ValueError:
            pass
    raise ValueProblem(f"“{text[:40]}” is no date. Write it as 2026-12-01.")


def _link(text: str) -> str:
    try:
        parts = urlsplit(text)
    except ValueError:
        parts = urlsplit("")
    if parts.scheme.lower() not in ("http", "https", "mailto") or not (parts.netloc or parts.path) or " " in text:
        raise ValueProblem(f"“{text[:60]}” is no address. It begins with https://, http:// or mailto:.")
    return text


def _yes_or_no(text: str) -> str:
    word = text.lower()
    if word in _YES:
        return "yes"
    if word in _NO:
        return "no"
    raise ValueProblem(f"“{text[:40]}” is neither yes nor no.")
