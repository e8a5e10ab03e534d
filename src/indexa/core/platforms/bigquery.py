"""BigQuery, from scripts."""

from __future__ import annotations

import re

from indexa.core.platforms import Platform
from indexa.core.scripts.dialect import Dialect

_OPTIONS = re.compile(r"\s*\bOPTIONS\s*\([^()]*\)", re.I)


def canonical_type(text: str) -> str:
    """Word a type in capitals, its members in brackets as written, without what describes them."""
    text = _OPTIONS.sub("", text)
    return text if "<" in text else " ".join(text.upper().split())


DIALECT = Dialect(
    name="bigquery",
    identifier_quotes="`",
    case_matters=True,
    double_quoted_strings=True,
    backslash=True,
    hash_comments=True,
    dotted_quotes=True,
    canonical_type=canonical_type,
    nicknames=("bigquery", "bq"),
    signs=(
        (r"\bINT64\b|\bFLOAT64\b", 15), (r"\bSTRING\b", 3), (r"\bOPTIONS\s*\(", 10), (r"\bSTRUCT<|\bARRAY<", 10), (r"`[\w-]+\.\w+\.\w+`", 15),
        (r"\bNOT ENFORCED\b", 5), (r"\bPARTITION BY (?:DATE|TIMESTAMP_TRUNC)\b", 5), (r"\bENGINE\s*=", -10),
    ),
    parser="bigquery",
)  # fmt: skip
PLATFORM = Platform(name="bigquery", label="BigQuery", dialect=DIALECT, kinds=("tables", "views", "routines"))
