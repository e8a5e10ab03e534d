"""Codes with their meanings: pasted or read from a table of two columns, and found in check constraints and enum types."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence

import msgspec

from indexa.core.errors import CoreError

MOST_CODES = 5_000
_LONGEST_CODE, _LONGEST_MEANING = 200, 500
_LITERAL = re.compile(r"'((?:[^']|'')*)'|(-?\d+(?:\.\d+)?)")
_CAST = re.compile(
    r"::(?:\"[^\"]+\"|character varying|double precision|time(?:stamp)? with(?:out)? time zone|[a-z_]\w*(?:\.[a-z_]\w*)?)"
    r"(?:\(\d+(?:,\d+)?\))?(?:\[\])?",
    re.I,
)
_NAME = r"(?:\"(?:[^\"]|\"\")+\"|`[^`]+`|\[[^\]]+\]|[A-Za-z_]\w*)"
_LISTED = re.compile(rf"^({_NAME}) (?:IN|= ANY) \(+(?:ARRAY)?[\[(]*(.+?)[\])]*\)$", re.I | re.S)


class Code(msgspec.Struct, frozen=True):
    """A code with what it means; a retired one is no longer given but may stand in rows."""

    code: str
    meaning: str = ""
    retired: bool = False


class CodeProblem(CoreError):
    """Codes that can't be kept; the message says which line and why."""

    code = "codes"


def read_codes(text: str) -> list[Code]:
    """Read codes from lines, code and meaning with a tab, semicolon, comma or equals sign between them.

    A line that begins with “(retired)” in its meaning is retired. Raises CodeProblem for a code twice, or too many.
    """
    lines = [line for line in text.replace("\x00", "").splitlines() if line.strip()]
    if len(lines) > MOST_CODES:
        raise CodeProblem(f"{len(lines):,} codes are too many; {MOST_CODES:,} are kept.")
    sign = next((one for one in "\t;,=" if any(one in line for line in lines)), "\t")
    rows = csv.reader(io.StringIO("\n".join(lines)), delimiter=sign, skipinitialspace=True)
    try:
        return codes_of((number, row) for number, row in enumerate(rows, 1))
    except csv.Error as error:
        raise CodeProblem(f"Line {rows.line_num} can't be read: {error}.") from error


def codes_of(rows: Iterable[tuple[int, Sequence[str]]]) -> list[Code]:
    """Return the codes of rows with a number each: code, then meaning. Raises CodeProblem."""
    found: dict[str, Code] = {}
    for number, row in rows:
        code = row[0].strip() if row else ""
        meaning = " ".join(" ".join(row[1:]).split())
        if not code and not meaning:
            continue
        if not code:
            raise CodeProblem(f"Line {number} has a meaning but no code.")
        if len(code) > _LONGEST_CODE or len(meaning) > _LONGEST_MEANING:
            raise CodeProblem(
                f"Line {number} is too long: {_LONGEST_CODE} letters of a code, {_LONGEST_MEANING} of a meaning."
            )
        if code in found:
            raise CodeProblem(f"Line {number}: the code {code} stands there twice.")
        retired = meaning.lower().startswith("(retired)")
        found[code] = Code(code, meaning[len("(retired)") :].strip() if retired else meaning, retired)
    return list(found.values())


def as_text(codes: Iterable[Code]) -> str:
    """Return codes as lines that `read_codes` reads."""
    out = io.StringIO()
    writer = csv.writer(out, delimiter="\t", lineterminator="\n")
    for one in codes:
        writer.writerow([one.code, f"(retired) {one.meaning}".strip() if one.retired else one.meaning])
    return out.getvalue()


def codes_of_check(expression: str) -> tuple[str, list[str]] | None:
    """Return the column and the codes of a check that lists them and says nothing else, as `status IN ('A', 'B')`; else None."""
    plain = _CAST.sub("", expression)
    plain = " ".join(plain.split())
    while plain.startswith("(") and _closes_at_end(plain):
        plain = plain[1:-1].strip()
    plain = re.sub(rf"^\(({_NAME})\)", r"\1", plain)
    found = _LISTED.match(plain)
    if found is None:
        return None
    listed = found[2].strip()
    rest = _LITERAL.sub("", listed)
    if rest.strip(" ,()[]"):
        return None
    codes = [one[0].replace("''", "'") if one[0] or not one[1] else one[1] for one in _LITERAL.findall(listed)]
    name = found[1].strip('"`[]').replace('""', '"')
    return (name, list(dict.fromkeys(codes))) if codes else None


def _closes_at_end(text: str) -> bool:
    """Return whether the parenthesis that opens a text is the one that ends it; those in texts do not count."""
    depth, quoted = 0, False
    for at, letter in enumerate(text):
        if letter == "'":
            quoted = not quoted
        elif not quoted:
            depth += (letter == "(") - (letter == ")")
            if depth == 0:
                return at == len(text) - 1
    return False
