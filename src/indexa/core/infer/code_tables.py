"""Tables of codes and their meaning: a key, what it is called, and references that lead there."""

from __future__ import annotations

from collections.abc import Iterator

from indexa.core.infer.data import DataSaid
from indexa.core.infer.matching import stem_of
from indexa.core.infer.names import SchemaNames
from indexa.core.infer.proposal import Proposal
from indexa.core.infer.reference import Reference

_NAMED = frozenset(
    "type status sts kind category class state reason priority unit currency country language gender method".split()
)
"""Last words of what tables of codes are called."""
_MARKS = frozenset("lookup lkp lkup ref enum code".split())
"""Words before or behind a name that say that a table holds codes."""
_CODES = frozenset("code cd cod".split())
_LABELS = frozenset(
    "name nm description desc descr dsc label lbl title text caption meaning display short long abbreviation symbol".split()
)
_BESIDE = frozenset("sort order active".split())
"""Words of columns that stand beside what a code is called."""
_MOST_COLUMNS, _FEW_COLUMNS = 6, 3
# How often such a table is one of codes, as a person reads it: counted in some 250 tables of 100 schemas. What refers on is
# more often something itself, and so is what has no such name.
_BY_NAME, _BY_NAME_REFERRING, _BY_KEY, _SMALL = 0.95, 0.7, 0.85, 0.35
SIZED = 1_000
"""No table of codes has more rows; what has more is not counted on."""
_FEW_ROWS = 200
_WITH_FEW_ROWS, _WITH_MANY_ROWS = 0.5, 0.4
"""By judgement: the share of the doubt that few rows take away, and what is left of the confidence where there are many."""


def code_table(
    names: SchemaNames, number: int, key: tuple[str, ...], out: list[Reference], incoming: int, data: DataSaid | None
) -> Iterator[Proposal]:
    """Yield that a table is one of codes, if it looks so; `incoming` counts the references that lead to it."""
    one = names.tables[number]
    table = one.table
    refers = any(reference.ref_table != number for reference in out)
    if len(key) != 1 or len(table.columns) > _MOST_COLUMNS or len(out) > 1 or incoming < 1:
        return
    rest = [one.columns[column.name] for column in table.columns if column.name != key[0]]
    labels = [words for words in rest if not _LABELS.isdisjoint(words)]
    context_words = [words for words in rest if words not in labels and not _BESIDE.isdisjoint(words)]
    if not labels or len(labels) + len(context_words) < len(rest) / 2:
        return
    named = one.words[-1] in _NAMED or not _MARKS.isdisjoint((*one.marks, one.words[-1]))
    coded = not _CODES.isdisjoint(stem_of(one.columns[key[0]]).key_words)
    evidence = [
        f"{incoming} {'reference leads' if incoming == 1 else 'references lead'} to it",
        "it holds a key and what it is called",
    ]
    if named:
        confidence = _BY_NAME_REFERRING if refers else _BY_NAME
        evidence.append("its name is a code table's")
    elif coded and not refers:
        confidence = _BY_KEY
        evidence.append("its key is a code")
    elif len(table.columns) <= _FEW_COLUMNS and not refers:
        confidence = _SMALL
    else:
        return
    if refers:
        evidence.append("but it refers to another table itself")
    rows = data.rows.get((table.schema, table.name)) if data is not None else None
    if rows is not None and 0 < rows <= _FEW_ROWS:
        confidence += _WITH_FEW_ROWS * (1 - confidence)
        evidence.append(f"it has {rows:,} {'row' if rows == 1 else 'rows'}")
    elif rows is not None and rows > SIZED:
        confidence *= _WITH_MANY_ROWS
        evidence.append(f"but it has more than {SIZED:,} rows")
    yield Proposal(
        kind="code_table", schema=table.schema, table=table.name, columns=key, confidence=round(min(0.98, confidence), 3),
        evidence=tuple(evidence), pattern="tables of codes and their meaning",
    )  # fmt: skip
