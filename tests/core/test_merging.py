"""Three states put together: people's changes and the source's both stay; where both touched one thing, a decision does it."""

from __future__ import annotations

import copy
from unittest import TestCase

from hypothesis import given, settings

from indexa.core.compare.comparing import compare
from indexa.core.compare.matching import KnownRenames
from indexa.core.compare.merging import in_the_way, merge, own_changes
from indexa.core.model import Column, Index, IndexPart, Model
from tests.core.strategies import models
from tests.factories import make_model


def differences(one: Model, other: Model) -> list[str]:
    return [found.id for found in compare(one, other, renames=KnownRenames()).differences]


class MergeTests(TestCase):
    def setUp(self) -> None:
        self.reading, self.model, self.source = make_model(), make_model(), make_model()

    def merged(self, renames: KnownRenames | None = None, **decided: set[str]) -> Model:
        return merge(self.reading, self.model, self.source, renames or KnownRenames(), **decided).applied.model

    def test_changes_of_both_sides_stay(self) -> None:
        mine, theirs = self.model.tables[0], self.source.tables[0]
        mine.columns.append(Column("note", 4, "text"))
        mine.indexes.append(Index(name="by_day", parts=(IndexPart("inst_dt"),)))
        del self.model.tables[1].columns[2]
        theirs.columns[1].type = "text"
        theirs.columns.append(Column("maker", 4, "text"))
        merged = self.merged()
        table = merged.tables[0]
        self.assertEqual(sorted(c.name for c in table.columns), ["inst_dt", "maker", "mtr_id", "mtr_srl_no", "note"])
        self.assertEqual(table.columns[1].type, "text")
        self.assertEqual([one.name for one in table.indexes], ["by_day"])
        self.assertEqual([c.name for c in merged.tables[1].columns], ["mtr_id", "rdg_ts"])

    def test_a_table_renamed_by_the_source_keeps_what_people_added(self) -> None:
        self.model.tables[1].columns.append(Column("note", 4, "text"))
        self.source.tables[1].name = "reading"
        renames = KnownRenames([(("metering", "mtr_rdg"), ("metering", "reading"))])
        table = next(one for one in self.merged(renames).tables if one.name == "reading")
        self.assertEqual(table.columns[-1].name, "note")

    def test_what_both_changed_is_told_and_decided(self) -> None:
        self.model.tables[0].columns[1].type = "varchar(40)"
        self.source.tables[0].columns[1].type = "text"
        own = own_changes(self.reading, self.model)
        [theirs] = compare(self.reading, self.source).differences
        self.assertEqual([one.after for one in in_the_way(theirs, own)], ["varchar(40)"])
        self.assertEqual(self.merged().tables[0].columns[1].type, "varchar(40)")
        self.assertEqual(self.merged(give_way={theirs.id}).tables[0].columns[1].type, "text")

    def test_a_column_changed_here_and_gone_there_is_kept_or_goes(self) -> None:
        self.model.tables[0].columns[2].type = "timestamp"
        del self.source.tables[0].columns[2]
        [theirs] = compare(self.reading, self.source).differences
        self.assertTrue(in_the_way(theirs, own_changes(self.reading, self.model)))
        self.assertEqual(len(self.merged(kept={theirs.id}).tables[0].columns), 3)
        self.assertEqual(len(self.merged().tables[0].columns), 2)

    @settings(max_examples=60)
    @given(models(), models())
    def test_a_side_that_did_nothing_changes_nothing(self, reading: Model, other: Model) -> None:
        took = merge(reading, copy.deepcopy(reading), other, KnownRenames()).applied.model
        self.assertEqual(differences(took, other), [])
        kept = merge(reading, other, copy.deepcopy(reading), KnownRenames()).applied.model
        self.assertEqual(differences(kept, other), [])
