"""Cells that a spreadsheet must never take for a formula."""

_FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


def neutral(value: str | int) -> str | int:
    """Put an apostrophe before a text that a spreadsheet could run as a formula (OWASP, CSV injection)."""
    if isinstance(value, str) and value.startswith(_FORMULA_STARTS):
        return "'" + value
    return value
