"""Cells that a spreadsheet must never take for a formula."""

import re

_FORMULA = re.compile(r"[\s\x00-\x1f\u200b\ufeff\u00a0]*[=+\-@\uff0b\uff0d\uff1d\uff20\u2212]|[\t\r\n]")
"""What a program may run: a sign with or without blanks before it, in its wide form too, or a cell that begins with a
tab or a line end."""


def neutral(value: str | int) -> str | int:
    """Put an apostrophe before a text that a spreadsheet could run as a formula (OWASP, CSV injection)."""
    if isinstance(value, str) and _FORMULA.match(value):
        return "'" + value
    return value
