"""SQLite's SQL: any words are a type, names keep their case."""

from __future__ import annotations

from indexa.core.scripts.dialect import Dialect

_QUOTES = frozenset({"[]", '""', "``", "''"})
_STANDARD = frozenset({"ANY", "BLOB", "INT", "INTEGER", "REAL", "TEXT"})


def canonical_type(text: str) -> str:
    """Keep a type as it is written, but for quotes and the engine's own words, which it writes in capitals."""
    if text[:1] + text[-1:] in _QUOTES:
        text = text[1:-1]
    return text.upper() if text.upper() in _STANDARD else text


def canonical_default(text: str, type_: str) -> str:
    """Take off the brackets around an expression, as the engine does."""
    del type_
    inner = text[1:-1]
    if not (text.startswith("(") and text.endswith(")")):
        return text
    depth = 0
    for letter in inner:
        depth += {"(": 1, ")": -1}.get(letter, 0)
        if depth < 0:
            return text
    return inner.strip()


def affinity(text: str) -> str:
    """Return what is left of a type in a table that is made by a query (the rules of the engine's manual, "Type affinity")."""
    upper = text.upper()
    if "INT" in upper:
        return "INT"
    if any(word in upper for word in ("CHAR", "CLOB", "TEXT")):
        return "TEXT"
    if not upper or "BLOB" in upper:
        return ""
    return "REAL" if any(word in upper for word in ("REAL", "FLOA", "DOUB")) else "NUM"


DIALECT = Dialect(
    name="sqlite",
    default_schema="main",
    identifier_quotes='"`[',
    commands=r"\.\w",
    any_type_words=True,
    primary_key_may_be_null=True,
    keeps_references=True,
    views_follow=True,
    queries_follow_names=True,
    views_spell_as_tables=True,
    merges_twin_keys=True,
    query_type=affinity,
    query_keeps_collation=False,
    canonical_type=canonical_type,
    canonical_default=canonical_default,
    nicknames=("sqlite", "lite"),
    signs=(
        (r"\bPRAGMA\b", 10), (r"\bAUTOINCREMENT\b", 10), (r"\bWITHOUT ROWID\b", 10), (r"\bsqlite_", 10), (r"^BEGIN TRANSACTION;", 3),
        (r"\bUSING fts\d\b", 10), (r"\bCREATE VIRTUAL TABLE\b", 8), (r"\bINTEGER (?:NOT NULL )?PRIMARY KEY\b", 2), (r"^CREATE SCHEMA\b", -15),
        (r"\bENGINE\s*=", -8), (r"\bOWNER TO\b", -8),
    ),
    parser="sqlite",
)  # fmt: skip
