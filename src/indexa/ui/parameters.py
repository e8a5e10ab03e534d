"""Reading numbers from addresses and forms, which anybody can write anything into."""

_MOST_DIGITS = 18  # what a bigint holds for certain


def parse_int(text: str | None, otherwise: int = 0) -> int:
    """Return the number that text is in plain digits, or otherwise what is given for anything else."""
    if text and text.isascii() and text.isdigit() and len(text) <= _MOST_DIGITS:
        return int(text)
    return otherwise


def parse_ints(texts: list[str] | tuple[str, ...] | set[str]) -> list[int]:
    """Return the numbers among some texts."""
    return [number for text in texts if (number := parse_int(text, -1)) >= 0]
