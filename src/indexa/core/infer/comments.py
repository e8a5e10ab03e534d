"""Comments that say what something is, proposed as its definition; those that only repeat the structure are none."""

from __future__ import annotations

import re
from collections.abc import Iterator

from indexa.core.infer.proposal import Proposal
from indexa.core.model import Column, Model, Table
from indexa.core.type_families import family

BESIDE_COLUMNS = "written beside columns"
OF_COLUMNS = "the database's comments on columns"
OF_TABLES = "the database's comments on tables"
_FROM_DATABASE = 0.85
"""By judgement: a comment that the database holds was written to be read, but not by this area's rules."""
_FROM_SCRIPT = 0.7
"""By judgement: one beside a column may also speak of the line, of a change, or of several columns."""
_ONE_WORD = 0.4
"""By judgement: what a single word says is seldom a definition."""
_STRUCTURE = frozenset(
    "primary foreign key keys pk fk uk ak pfk unique uniq index indexed idx constraint not null nullable nullability mandatory required optional "
    "auto autoincrement increment identity serial generated sequence surrogate default reference references referencing refers ref "
    "refer points point link links linked to from of the a an this and or for by in on is with table column field col fld "
    "alternate candidate natural composite part id relation relationship one many unsigned signed precision scale length max size "
    "bytes chars characters true false yes no current_timestamp now sysdate todo fixme tbd xxx na none".split()
)
_WORD = re.compile(r"[^\W\d_]+|\d+")
_PIECE = re.compile(r"[^\W\d_][^\W_]*|_")
_CODE = re.compile(
    r"^\W*\w+\s+(?:\w+\s*\([\d, ]+\)|(?:var)?char|int(?:eger)?|bigint|numeric|decimal|date|timestamp|text|boolean)\b[^.]*[,;]\s*$",
    re.IGNORECASE,
)
"""A column definition that was commented out."""


def comment_definitions(model: Model) -> Iterator[Proposal]:
    """Yield a proposal of kind "definition" for each table and column that has none, but a comment that is worth one."""
    names = _words_of_names(model)
    for table in model.tables:
        if not table.definition and _says_more(table.comment, names, table.name):
            yield _proposal(table, None, table.comment, OF_TABLES)
        for column in table.columns:
            if column.definition:
                continue
            for text, pattern in ((column.comment, OF_COLUMNS), (column.remark, BESIDE_COLUMNS)):
                if _says_more(text, names, column.name):
                    yield _proposal(table, column, text, pattern)
                    break


def _proposal(table: Table, column: Column | None, text: str, pattern: str) -> Proposal:
    text = text.strip()
    confidence = _FROM_SCRIPT if pattern == BESIDE_COLUMNS else _FROM_DATABASE
    if len(text.split()) == 1:
        confidence = _ONE_WORD
    where = "written beside it in the script" if pattern == BESIDE_COLUMNS else "the comment that the source holds"
    return Proposal(
        kind="definition", schema=table.schema, table=table.name, columns=(column.name,) if column else (),
        confidence=confidence, evidence=(where,), pattern=pattern, text=text,
    )  # fmt: skip


def _words_of_names(model: Model) -> set[str]:
    """Return the names of tables as they may stand in "FK to account": whole, and as pieces."""
    found: set[str] = set()
    for table in model.tables:
        found.add(table.name.lower())
        found.update(_pieces(table.name))
    return found


def _pieces(name: str) -> set[str]:
    return {piece.lower() for piece in _PIECE.findall(name)}


def _says_more(text: str, names: set[str], own_name: str) -> bool:
    """Return whether a comment says more than a key, a type, or the name that it stands beside."""
    text = text.strip()
    if not text or _CODE.match(text):
        return False
    words = [word.lower() for word in _WORD.findall(text)]
    own = _pieces(own_name) | {own_name.lower()}
    if set(words) <= own or "".join(words) == re.sub(r"[\W_]", "", own_name).lower():
        return False
    states_structure = any(word in _STRUCTURE or _is_type(word) for word in words)
    left = [word for word in words if word not in _STRUCTURE and not word.isdigit() and not _is_type(word)]
    if not left:
        return False
    return not (states_structure and set(left) <= names | own)


def _is_type(word: str) -> bool:
    return word not in ("name", "date", "year", "point", "line") and family(word, {}) != "other"
