"""Parts of a dimensional model by name and shape: facts with their measures, dimensions, bridges, aggregates."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from indexa.core.infer.names import SchemaNames, TableNames
from indexa.core.infer.proposal import Proposal, ProposalKind
from indexa.core.infer.reference import Reference

_MARKS: dict[str, tuple[ProposalKind, str]] = {
    "fact": ("fact", "fact"), "fct": ("fact", "fact"), "dim": ("dimension", "dimension"), "dimension": ("dimension", "dimension"),
    "bridge": ("bridge", "bridge"), "brg": ("bridge", "bridge"), "agg": ("aggregate", "aggregate"), "aggregate": ("aggregate", "aggregate"),
}  # fmt: skip
"""Words before or behind a name that say which part a table plays."""
_NUMBER = re.compile(r"dec|num|float|double|real|money|int", re.IGNORECASE)
_EXACT = re.compile(r"dec|num|float|double|real|money", re.IGNORECASE)
_FROM_TO = (
    frozenset({"from", "start", "begin", "effective", "eff", "strt"}),
    frozenset({"to", "end", "until", "expiry", "expires", "thru"}),
)
# By judgement: a name that says it is hardly ever wrong, a star of keys and amounts often is only a large transaction table.
_NAMED, _STAR, _AROUND_A_FACT = 0.93, 0.45, 0.8
_FEWEST_DIMENSIONS, _FEWEST_MEASURES = 3, 2


def dimensional(
    names: SchemaNames,
    keys: Sequence[tuple[str, ...]],
    references: Mapping[int, list[Reference]],
    incoming: Mapping[int, int],
) -> list[Proposal]:
    """Return the parts that tables play in stars: named so, of that shape, or around a fact that is named so."""
    made: list[Proposal] = []
    facts: set[int] = set()
    told: set[int] = set()
    for number, one in enumerate(names.tables):
        out = references.get(number, [])
        word = next((w for w in (*one.marks, *one.words[:1], *one.words[-1:]) if w in _MARKS), "")
        if word and len(one.words) + len(one.marks) > 1:
            kind, part = _MARKS[word]
            made.append(_proposal(one, kind, _NAMED, (f"its name says {part}", *_shape(one, kind, out, keys[number]))))
            told.add(number)
            if kind == "fact":
                facts.add(number)
        elif _is_star(one, out, keys[number], incoming.get(number, 0)):
            made.append(_proposal(one, "fact", _STAR, _shape(one, "fact", out, keys[number])))
            told.add(number)
    around = {reference.ref_table for number in facts for reference in references.get(number, [])} - told
    for number in sorted(around):
        one = names.tables[number]
        evidence = ("a fact refers to it", *_shape(one, "dimension", references.get(number, []), keys[number]))
        made.append(_proposal(one, "dimension", _AROUND_A_FACT, evidence))
    return made


def _proposal(one: TableNames, kind: ProposalKind, confidence: float, evidence: tuple[str, ...]) -> Proposal:
    plural = {"fact": "facts", "dimension": "dimensions", "bridge": "bridges", "aggregate": "aggregates"}[kind]
    return Proposal(
        kind=kind, schema=one.table.schema, table=one.table.name, confidence=confidence, evidence=evidence, pattern=f"{plural} of a star"
    )  # fmt: skip


def _measures(one: TableNames, out: list[Reference], key: tuple[str, ...], kind: re.Pattern[str]) -> list[str]:
    used = {column for reference in out for column in reference.columns} | set(key)
    return [column.name for column in one.table.columns if column.name not in used and kind.match(column.type)]


def _is_star(one: TableNames, out: list[Reference], key: tuple[str, ...], incoming: int) -> bool:
    """Say whether a key is made of references to several tables and what is beside it are mostly amounts."""
    refers = {column for reference in out for column in reference.columns}
    amounts = _measures(one, out, key, _EXACT)
    rest = [column for column in one.table.columns if column.name not in refers and column.name not in key]
    return (
        not incoming
        and len({reference.ref_table for reference in out}) >= _FEWEST_DIMENSIONS
        and len(set(key) & refers) >= _FEWEST_DIMENSIONS
        and len(amounts) >= max(_FEWEST_MEASURES, len(rest) / 2)
    )


def _shape(one: TableNames, kind: str, out: list[Reference], key: tuple[str, ...]) -> tuple[str, ...]:
    if kind in ("fact", "aggregate"):
        measures = _measures(one, out, key, _NUMBER)
        said = [f"it refers to {len({reference.ref_table for reference in out})} tables"] if out else []
        if measures:
            said.append(f"it measures {', '.join(f'`{name}`' for name in measures[:4])}")
        return tuple(said)
    if kind == "dimension":
        begins, ends = ([c for c, words in one.columns.items() if set(words) & marks] for marks in _FROM_TO)
        if begins and ends:
            return (f"`{begins[0]}` and `{ends[0]}` say from when to when a row holds: history is kept as rows",)
    return ()
