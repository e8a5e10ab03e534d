"""The promise that nothing is lost: random words, random changes in the source, and every word is still there."""

from __future__ import annotations

import copy

from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from indexa.core.model import Column, Model
from indexa.modeling import editing
from indexa.store.models import StoredColumn, StoredTable
from tests.core.strategies import models
from tests.factories import make_area, make_person, store


def change_source(draw: st.DrawFn, model: Model) -> Model:
    """Rename, drop, add and retype, as a source does between two readings; handles stay with their object."""
    changed = copy.deepcopy(model)
    for table in changed.tables:
        table.foreign_keys, table.unique, table.indexes, table.primary_key = [], [], [], None
    if len(changed.tables) > 1 and draw(st.booleans()):
        changed.tables.pop(draw(st.integers(0, len(changed.tables) - 1)))
    for number, table in enumerate(changed.tables):
        match draw(
            st.sampled_from(["nothing", "rename table", "rename column", "drop column", "add column", "retype"])
        ):
            case "rename table":
                table.name = f"{table.name}_renamed{number}~"
            case "rename column":
                table.columns[0].name = f"{table.columns[0].name}_renamed~"
            case "drop column":
                table.columns.pop()
            case "add column":
                table.columns.append(Column("added~", len(table.columns) + 1, "text", origin="900"))
            case "retype":
                table.columns[0].type = "uuid"
    return changed


@st.composite
def two_states(draw: st.DrawFn) -> tuple[Model, Model]:
    first = draw(models())
    return first, change_source(draw, first)


class KeepingWordsTests(TestCase):
    @given(two_states())
    @settings(max_examples=40)
    def test_no_human_word_is_lost_and_each_stays_with_its_column(self, states: tuple[Model, Model]) -> None:
        first, second = states
        area = make_area()
        person = make_person(area)
        stored = store(area, copy.deepcopy(first))
        for column in StoredColumn.objects.filter(table__model=stored).select_related("table"):
            place = editing.Place("column", column.pk)
            words = f"{column.table.origin}/{column.origin}"
            editing.edit(area=area, person=person, place=place, field="definition", seen="", value=words)
        for table in StoredTable.objects.filter(model=stored):
            place = editing.Place("table", table.pk)
            editing.edit(area=area, person=person, place=place, field="definition", seen="", value=table.origin)
        columns_before = set(StoredColumn.objects.filter(table__model=stored).values_list("pk", "definition"))
        tables_before = set(StoredTable.objects.filter(model=stored).values_list("pk", "definition"))
        store(area, copy.deepcopy(second), into=stored)
        columns = StoredColumn.objects.filter(table__model=stored).select_related("table")
        self.assertLessEqual(columns_before, set(columns.values_list("pk", "definition")))
        self.assertLessEqual(
            tables_before, set(StoredTable.objects.filter(model=stored).values_list("pk", "definition"))
        )
        living = {
            (c.table.full_name, c.name): c for c in columns if c.removed_at is None and c.table.removed_at is None
        }
        self.assertEqual(set(living), {(t.full_name, c.name) for t in second.tables for c in t.columns})
        for (name, _), column in living.items():
            # A word that is shown belongs to the table it was written at.
            if column.definition:
                self.assertEqual(column.definition.split("/")[0], column.table.origin, name)
