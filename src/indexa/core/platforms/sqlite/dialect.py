"""SQLite's SQL: any words are a type, names keep their case."""

from __future__ import annotations

from indexa.core.scripts.dialect import Dialect

DIALECT = Dialect(
    name="sqlite",
    default_schema="main",
    identifier_quotes='"`[',
    commands=r"\.\w",
    primary_key_may_be_null=True,
    signs=(
        (r"\bPRAGMA\b", 10), (r"\bAUTOINCREMENT\b", 10), (r"\bWITHOUT ROWID\b", 10), (r"\bsqlite_", 10), (r"^BEGIN TRANSACTION;", 3),
        (r"\bUSING fts\d\b", 10), (r"\bCREATE VIRTUAL TABLE\b", 8), (r"INTEGER PRIMARY KEY\b", 2), (r"\bENGINE\s*=", -8), (r"\bOWNER TO\b", -8),
    ),
    parser="sqlite",
)  # fmt: skip
