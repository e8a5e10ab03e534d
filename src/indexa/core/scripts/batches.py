"""Batches in which no terminator stands between the statements."""

from __future__ import annotations

from indexa.core.scripts.tokens import Statement


def parts_of_batch(statement: Statement) -> list[tuple[int, int]]:
    """Find the statements of a batch in which no terminator stands between them."""
    if _STARTS.isdisjoint(statement.up[1:]):
        return [(0, len(statement.up) - 1)]
    up, before = statement.up, statement.before
    cuts, depth, head_at = [0], 0, 0
    for at in range(1, len(up) - 1):
        token = up[at]
        if token == "(":
            depth += 1
        elif token == ")":
            depth = max(0, depth - 1)
        elif not depth and token in _STARTS and _starts_here(up, at, up[head_at], new_line="\n" in before[at]):
            cuts.append(at)
            head_at = at
    return list(zip(cuts, [*cuts[1:], len(up) - 1], strict=True))


_STARTS = frozenset(
    (
        "CREATE ALTER DROP EXEC EXECUTE SET INSERT PRINT IF BEGIN END USE GRANT DECLARE UPDATE DELETE COMMIT GO "
        "ELSE TRUNCATE DENY"
    ).split()
)
_OBJECTS = frozenset(
    (
        "TABLE INDEX VIEW PROC PROCEDURE FUNCTION TRIGGER SCHEMA TYPE SEQUENCE DATABASE UNIQUE CLUSTERED "
        "NONCLUSTERED USER ROLE LOGIN STATISTICS SYNONYM FULLTEXT XML SPATIAL PARTITION DEFAULT RULE "
        "AUTHORIZATION QUEUE SERVICE COLUMNSTORE PRIMARY CERTIFICATE"
    ).split()
)


def _starts_here(up: list[str], at: int, head: str, *, new_line: bool) -> bool:
    token, then = up[at], up[at + 1]
    if token in ("CREATE", "ALTER", "DROP"):
        return then in _OBJECTS and (then != "INDEX" or token != "DROP" or new_line) and up[at - 1] not in ("ON", "FOR")
    if not new_line and head not in ("IF", "BEGIN", "END", "ELSE"):
        return False
    if token == "SET":
        return up[at - 1] not in ("DELETE", "UPDATE") and then not in ("NULL", "DEFAULT", "(")
    if token in ("UPDATE", "DELETE"):
        return up[at - 1] not in ("ON", "FOR", "AFTER", ",")
    if token == "IF":
        return up[at - 1] not in ("TABLE", "VIEW", "INDEX")
    return True


def slice_of(statement: Statement, start: int, end: int) -> Statement:
    """Return some tokens of a statement as a statement of its own."""
    if start == 0 and end == len(statement.up) - 1:
        return statement
    part = Statement.__new__(Statement)
    part.dialect, part.file = statement.dialect, statement.file
    part.line = statement.line_of(start)
    part._lines = None
    part.known = statement.known
    part.before = ("", *statement.before[start + 1 : end], "")
    part.raw = (*statement.raw[start:end], "")
    part.up = [*statement.up[start:end], ""]
    part.text = "".join(a + b for a, b in zip(part.before, part.raw, strict=True))
    return part
