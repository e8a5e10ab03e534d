"""All proposals for a model: keys first, then what refers to them, then the parts that tables play."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from indexa.core.collector import gc_paused
from indexa.core.infer.choice import Choice, role_of
from indexa.core.infer.composite import CompositeChoice, CompositeWeigher
from indexa.core.infer.data import DataSaid
from indexa.core.infer.declared import Widespread, declared_references, undeclared_share, with_odds
from indexa.core.infer.evidence import words_for
from indexa.core.infer.foreign import Weigher
from indexa.core.infer.joins import joined_columns
from indexa.core.infer.key_signs import is_flag
from indexa.core.infer.keys import KeyChoice, all_choices
from indexa.core.infer.matching import Matcher, stem_of
from indexa.core.infer.names import SchemaNames
from indexa.core.infer.proposal import LEAST, Proposal
from indexa.core.infer.reference import Reference
from indexa.core.infer.roles import key_of, references_of, roles
from indexa.core.infer.typed import typed_references
from indexa.core.infer.uniques import unique_keys
from indexa.core.model import Model, Table
from indexa.core.naming.wordbook import Stack

Tell = Callable[[str, int, int], None]
_MOSTLY_DECLARED = 0.5
"""Share of references that are not declared below which that is told as evidence against."""
_ITS_OWN_IDENTIFIER = 0.5
"""By judgement: where most references are declared, a column that is called id alone identifies its own table's rows."""
_NAMED_ALIKE_ONLY = 0.85
"""By judgement: there, a column that is called like a key but not after its table is not among the sure ones."""
_WITHOUT_AMONG_KEYED = 0.6
"""By judgement: a table without a key among tables with one, whose likeliest key may be empty, may well have none."""


def propose(
    model: Model, stack: Stack | None = None, data: DataSaid | None = None, report: Tell | None = None
) -> list[Proposal]:
    """Return what a model does not declare, table by table, each with evidence and a confidence.

    `stack` are wordbooks that tell short forms, `data` what a source's rows said; `tell` hears step, done and total.
    """
    with gc_paused():
        return Proposing(model, stack, data, report).all()


def _quiet(*_: object) -> None:
    """Take no notice of progress."""


class Proposing:
    """The names, likely keys and weighed columns of one model, and what they propose."""

    def __init__(
        self, model: Model, stack: Stack | None = None, data: DataSaid | None = None, report: Tell | None = None
    ) -> None:
        report = self._tell = report or _quiet
        self._data = data
        report("Comparing names", 0, 0)
        self.names = SchemaNames(model, stack)
        matcher = Matcher(self.names)
        self.keys = all_choices(self.names, matcher, data, lambda done, whole: report("Looking for keys", done, whole))
        report("Reading joins in views and routines", 0, 0)
        self.weigher = Weigher(self.names, matcher, self.keys, joined_columns(model), model.platform, data)
        self.weigher.look_at_all(lambda done, whole: report("Weighing what columns refer to", done, whole))
        report("Looking for composite references", 0, 0)
        self.composites = CompositeWeigher(self.weigher, self.keys, data)
        keyed = sum(one.table.primary_key is not None for one in self.names.tables)
        self._others_declare_keys = keyed > len(self.names.tables) / 2
        self._widespread = Widespread(model)
        self._undeclared = self._share_undeclared(model)

    def _share_undeclared(self, model: Model) -> float:
        declared = declared_references(model)
        if not declared:
            return 1.0
        numbers = range(len(self.names.tables))
        single = (choice.confidence for number in numbers for choice in self.weigher.chosen(number).values())
        composite = (made[0].confidence for number in numbers for made in self.composites.choices(number))
        return undeclared_share(declared, [*single, *composite])

    def _sure_of(self, number: int, choice: Choice) -> float:
        """Return how sure a reference is beside what the schema declares by itself."""
        speaks_of_table = choice.match is not None and choice.match.how != "ending"
        limit = self._widespread.limit(choice.column, choice.target.column, speaks_of_table=speaks_of_table)
        if self._undeclared < _MOSTLY_DECLARED:
            named = self.names.tables[number]
            if not stem_of(named.columns[choice.column]).words:
                limit = min(limit, _ITS_OWN_IDENTIFIER)
            elif choice.match is None:
                limit = min(limit, _NAMED_ALIKE_ONLY)
        return min(with_odds(choice.confidence, self._undeclared), limit)

    def all(self) -> list[Proposal]:
        """Return all proposals, by table."""
        found: list[Proposal] = []
        composite: list[Reference] = []
        total = len(self.names.tables)
        for number, one in enumerate(self.names.tables):
            if number % 100 == 0:
                self._tell("Looking for relationships", number, total)
            found += self._primary(number)
            found += unique_keys(self.names, number, self.key_of(number), self._data)
            for choice in self.weigher.chosen(number).values():
                if self._sure_of(number, choice) < LEAST:
                    continue
                found.append(self._single(number, choice))
            for made in self.composites.choices(number):
                if with_odds(made[0].confidence, self._undeclared) >= LEAST:
                    found.append(self._composite(number, made[0]))
                    composite.append(
                        Reference(
                            number,
                            made[0].columns,
                            made[0].target,
                            made[0].ref_columns,
                            with_odds(made[0].confidence, self._undeclared),
                        )
                    )
            found += typed_references(self.names, one, self.key_of(number))
        self._tell("Looking at the parts that tables play", 0, 0)
        references = references_of(self.weigher, [*self.references(), *composite])
        found += roles(self.names, self.keys, references, self._data)
        return sorted(found, key=lambda one: (one.schema.lower(), one.table.lower(), one.kind, -one.confidence))

    def references(self) -> Iterator[Reference]:
        """Yield the likeliest reference of each column that has one."""
        for number in range(len(self.names.tables)):
            for column, choice in self.weigher.chosen(number).items():
                yield Reference(
                    number, (column,), choice.target.table, (choice.target.column,), self._sure_of(number, choice)
                )

    def key_of(self, number: int) -> tuple[str, ...]:
        """Return the primary key of a table: the declared one, or the likeliest."""
        return key_of(self.names.tables[number].table, self.keys[number])

    def _primary(self, number: int) -> list[Proposal]:
        table = self.names.tables[number].table
        if table.primary_key or not self.keys[number]:
            return []
        best = self.keys[number][0]
        named, columns = self.names.tables[number], {column.name: column for column in table.columns}
        if len(best.columns) == 1 and is_flag(named, columns[best.columns[0]]):
            return []
        confidence, evidence = best.confidence, words_for(best.features, "key")
        if self._others_declare_keys and {"may be empty", "may be empty, composite"} & best.features.keys():
            confidence *= _WITHOUT_AMONG_KEYED
            evidence = (*evidence, "most tables here declare a key, and this one does not")
        if confidence < LEAST:
            return []
        return [
            Proposal(
                kind="primary_key", schema=table.schema, table=table.name, columns=best.columns,
                confidence=_rounded(confidence), evidence=evidence, pattern=_key_pattern(best),
            )
        ]  # fmt: skip

    def _single(self, number: int, choice: Choice) -> Proposal:
        own, theirs = self.names.tables[number].table, self.names.tables[choice.target.table].table
        one_to_one = self._unique(number, own, (choice.column,))
        return Proposal(
            kind="foreign_key", schema=own.schema, table=own.name, columns=(choice.column,),
            ref_schema=theirs.schema, ref_table=theirs.name, ref_columns=(choice.target.column,),
            confidence=_rounded(self._sure_of(number, choice)), evidence=self._evidence(choice),
            pattern=_pattern(choice, theirs), cardinality="one to one" if one_to_one else "many to one",
            optional=any(column.nullable for column in own.columns if column.name == choice.column),
        )  # fmt: skip

    def _evidence(self, choice: Choice) -> tuple[str, ...]:
        found = words_for(choice.features, "reference", role_of(choice.match))
        if self._undeclared < _MOSTLY_DECLARED:
            found = (*found, "most references here are declared, and this one is not")
        return found

    def _composite(self, number: int, choice: CompositeChoice) -> Proposal:
        own, theirs = self.names.tables[number].table, self.names.tables[choice.target].table
        one_to_one = self._unique(number, own, choice.columns)
        return Proposal(
            kind="foreign_key", schema=own.schema, table=own.name, columns=choice.columns,
            ref_schema=theirs.schema, ref_table=theirs.name, ref_columns=choice.ref_columns,
            confidence=_rounded(with_odds(choice.confidence, self._undeclared)), evidence=words_for(choice.features, "composite"),
            pattern=f"{', '.join(choice.columns)} → {theirs.full_name}",
            cardinality="one to one" if one_to_one else "many to one",
            optional=any(column.nullable for column in own.columns if column.name in choice.columns),
        )  # fmt: skip

    def _unique(self, number: int, table: Table, columns: tuple[str, ...]) -> bool:
        wanted = set(columns)
        declared = [set(table.primary_key.columns)] if table.primary_key else []
        declared += [set(key.columns) for key in table.unique]
        declared += [
            {part.column for part in index.parts} for index in table.indexes if index.unique and index.predicate is None
        ]
        if not table.primary_key and self.keys[number] and self.keys[number][0].confidence >= 0.5:
            declared.append(set(self.keys[number][0].columns))
        return wanted in declared


def _rounded(confidence: float) -> float:
    """Return a confidence as it is told: nothing that was not declared is certain."""
    return min(0.99, round(confidence, 3))


def _pattern(choice: Choice, theirs: Table) -> str:
    """Word what the references to one table by like names have in common: `…_usr_id → crm.usr`."""
    name = choice.column
    match = choice.match
    if match is not None and match.how in ("name", "ending", "key") and match.extra:
        words = match.role
        joined = "".join(words)
        letters = 0
        for at, letter in enumerate(name):
            letters += letter.isalnum()
            if letters == len(joined):
                rest = name[at + 1 :]
                if rest:
                    return f"…{rest} → {theirs.full_name}"
                break
    if match is not None and match.how in ("person", "self"):
        return f"{'roles of people' if match.how == 'person' else 'rows of the same table'} → {theirs.full_name if match.how == 'person' else 'itself'}"
    return f"{name} → {theirs.full_name}"


def _key_pattern(best: KeyChoice) -> str:
    if len(best.columns) > 1:
        return "keys of several columns"
    if "numbers itself" in best.features:
        return "columns that number themselves"
    if "id" in best.features:
        return f"{best.columns[0]} in every table"
    if "id of table" in best.features or "code of table" in best.features:
        return "named after their table"
    return "other keys"
