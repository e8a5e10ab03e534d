"""The parts that tables and columns play: code tables, many-to-many tables, subtypes, repeated columns."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterator

import msgspec

from indexa.core.infer.foreign import Weigher
from indexa.core.infer.keys import KeyChoice
from indexa.core.infer.names import KEY_WORDS, SchemaNames
from indexa.core.infer.proposal import Proposal
from indexa.core.model import Table

_SURE = 0.5
# How often such a proposal is right where its references are: counted in 100 schemas that declare what is plain.
_PAIR_ALONE, _PAIR, _ALONE = 0.97, 0.94, 0.88
_SUBTYPE, _SUBTYPE_BY_GUESS = 0.8, 0.7
_TEXT = re.compile(r"text|clob|n?(var)?char|character|string|json|xml", re.I)
_CODE_WORDS = frozenset(
    "type status kind category code class state reason level priority role method unit currency country language lookup lkp ref".split()
)
_LABELS = frozenset(
    "name description desc label title text caption meaning display short long abbreviation symbol sort order active".split()
)
_PLAIN = frozenset(
    "id name description created updated modified status type date note comment active version code title deleted by at time on "
    "user timestamp value number key position order uuid enabled flag remark text label state last first start end "
    "crt cre crtd upd mod chg ts dt tm usr cd nm nbr desc sts typ".split()
)


class Reference(msgspec.Struct, frozen=True):
    """A reference that was found, or is declared: numbers of the two tables and their columns."""

    table: int
    columns: tuple[str, ...]
    ref_table: int
    ref_columns: tuple[str, ...]
    confidence: float


def roles(names: SchemaNames, weigher: Weigher, keys: list[list[KeyChoice]], found: list[Reference]) -> list[Proposal]:
    """Return the parts that tables play, given the references found besides those declared."""
    references = [one for one in found if one.confidence >= _SURE]
    for number, one in enumerate(names.tables):
        for key in one.table.foreign_keys:
            target = weigher.by_full.get(
                (f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table).lower()
            )
            if target is not None:
                references.append(Reference(number, key.columns, target, key.ref_columns, 1.0))
    out: dict[int, list[Reference]] = defaultdict(list)
    incoming: Counter[int] = Counter()
    for reference in references:
        out[reference.table].append(reference)
        incoming[reference.ref_table] += 1
    made: list[Proposal] = []
    for number, one in enumerate(names.tables):
        table = one.table
        columns = _key(table, keys[number])
        made += _many_to_many(names, table, columns, out[number], incoming[number])
        made += _subtype(names, table, columns, out[number])
        made += _code_table(names, number, columns, out[number], incoming[number])
        made += _repeated(names, number, out[number])
    return made


def _key(table: Table, keys: list[KeyChoice]) -> tuple[str, ...]:
    if table.primary_key:
        return table.primary_key.columns
    return keys[0].columns if keys and keys[0].confidence >= _SURE else ()


def _many_to_many(
    names: SchemaNames, table: Table, key: tuple[str, ...], out: list[Reference], incoming: int
) -> Iterator[Proposal]:
    parents = {one.ref_table: one for one in out}
    covered = {column for one in out for column in one.columns}
    own = [column for column in table.columns if column.name not in covered]
    rest = [column.name for column in own]
    unique = [set(key)] + [set(one.columns) for one in table.unique]
    pair = next((columns for columns in unique if columns and columns <= covered and len(columns) > 1), None)
    # What others refer to, what holds texts, or what is known by more than references, is something itself.
    alone = len(rest) - (len(key) == 1 and key[0] in rest) <= 2 and len(parents) == 2
    if pair is None and (
        len(key) > 1 or incoming or any(_TEXT.match(column.type) for column in own if column.name not in key)
    ):
        return
    if len(parents) >= 2 and (pair or alone):
        joined = [names.tables[number].table.full_name for number in parents]
        confidence = _PAIR_ALONE if pair and alone else _PAIR if pair else _ALONE
        yield Proposal(
            kind="many_to_many", schema=table.schema, table=table.name, columns=tuple(sorted(pair or covered)),
            confidence=round(confidence * min(one.confidence for one in parents.values()), 3),
            evidence=(
                f"it joins {' and '.join(f'`{name}`' for name in joined[:3])}",
                "its key is made of references" if pair else "it has hardly any other column",
            ),
            pattern="tables that join two others",
        )  # fmt: skip


def _subtype(names: SchemaNames, table: Table, key: tuple[str, ...], out: list[Reference]) -> Iterator[Proposal]:
    for one in out:
        if key and set(one.columns) == set(key) and names.tables[one.ref_table].table is not table:
            parent = names.tables[one.ref_table].table
            share = _SUBTYPE if table.primary_key else _SUBTYPE_BY_GUESS
            yield Proposal(
                kind="subtype", schema=table.schema, table=table.name, columns=key, ref_schema=parent.schema,
                ref_table=parent.name, ref_columns=one.ref_columns, confidence=round(share * one.confidence, 3),
                evidence=("its whole key refers to that table's key",), pattern=f"parts of {parent.full_name}",
                cardinality="one to one",
            )  # fmt: skip


def _code_table(
    names: SchemaNames, number: int, key: tuple[str, ...], out: list[Reference], incoming: int
) -> Iterator[Proposal]:
    one = names.tables[number]
    table = one.table
    if len(key) != 1 or len(table.columns) > 6 or len(out) > 1 or incoming < 1:
        return
    rest = [one.columns[column.name] for column in table.columns if column.name != key[0]]
    labels = [words for words in rest if set(words) & _LABELS]
    if not labels or len(labels) < len(rest) / 2:
        return
    named = bool({*one.words, *one.marks} & _CODE_WORDS)
    yield Proposal(
        kind="code_table", schema=table.schema, table=table.name, columns=key,
        confidence=round(min(0.95, 0.55 + 0.2 * named + 0.05 * min(incoming, 3) + (0.1 if len(table.columns) <= 3 else 0)), 3),
        evidence=(
            f"{incoming} {'reference leads' if incoming == 1 else 'references lead'} to it",
            "it holds a key and what it is called",
            *(("its name is a code table's",) if named else ()),
        ),
        pattern="tables of codes and their meaning",
    )  # fmt: skip


def _repeated(names: SchemaNames, number: int, out: list[Reference]) -> Iterator[Proposal]:
    """Find columns that hold again what the table they refer to holds: customer_name beside customer_id."""
    one = names.tables[number]
    keys = {column for reference in out for column in reference.columns}
    for reference in out:
        if reference.ref_table == number or names.tables[reference.ref_table].table.full_name in one.table.inherits:
            continue
        theirs = names.tables[reference.ref_table]
        their_keys = set(theirs.table.primary_key.columns) if theirs.table.primary_key else set()
        by_words = {
            words: name for name, words in theirs.columns.items() if name not in their_keys | set(reference.ref_columns)
        }
        types = {column.name: column.type.lower() for column in theirs.table.columns}
        for column in one.table.columns:
            words = one.columns[column.name]
            if column.name in keys or set(words) <= KEY_WORDS:
                continue
            same, how = by_words.get(words), "it has the name of a column there"
            if same is not None and set(words) <= _PLAIN:
                same = None
            if same is None:
                for alias in theirs.aliases:
                    if words[: len(alias)] == alias and (found := by_words.get(words[len(alias) :])):
                        same, how = found, "its name is that table's and a column's there"
            if same is not None and types[same] == column.type.lower():
                yield Proposal(
                    kind="repeated_column", schema=one.table.schema, table=one.table.name, columns=(column.name,),
                    ref_schema=theirs.table.schema, ref_table=theirs.table.name, ref_columns=(same,),
                    confidence=round((0.75 if words[: len(theirs.words)] == theirs.words else 0.6) * reference.confidence, 3),
                    evidence=(how, f"`{', '.join(reference.columns)}` refers to that table", "the types are the same"),
                    pattern=f"columns of {theirs.table.full_name} again",
                )  # fmt: skip
