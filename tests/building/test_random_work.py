"""What people do to a model, at random: nothing fails, all is undone to the letter, and done again to the letter."""

from __future__ import annotations

import json
import os
import random
from collections.abc import Callable
from typing import Any

from django.test import TestCase
from django.urls import reverse

from indexa.building import services
from indexa.changes import undoing
from indexa.changes.models import ChangeSet
from indexa.core.model.file import write
from indexa.diagrams import services as diagrams
from indexa.diagrams.models import Diagram
from indexa.dictionary.models import DictionaryRow
from indexa.store.loading import load_model
from indexa.store.models import StoredColumn, StoredModel, StoredRelationship, StoredTable
from tests.factories import PASSWORD, make_area, make_model, make_person, store

_WALKS, _STEPS = int(os.environ.get("INDEXA_RANDOM_WALKS", "2")), 25
_NAMES = ("Customer", "meter", "mtr", "Größe", "a b", "x" * 70, "", "order", "Customer Number", "note")
_TYPES = ("integer", "varchar(20)", "numeric(10,2)", "date", "", "no such type")


class RandomWorkTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.client.login(username=self.person.username, password=PASSWORD)

    def test_whatever_is_done_by_hand_is_undone_and_done_again(self) -> None:
        for seed in range(_WALKS):
            with self.subTest(seed=seed):
                self.walk(random.Random(seed), by_hand=seed % 2 == 0)

    def walk(self, draw: random.Random, *, by_hand: bool) -> None:
        if by_hand:
            self.model = services.create_model(area=self.area, name=f"Care {draw.random()}", layer="logical")
        else:
            self.model = store(self.area, make_model(f"Metering {draw.random()}"))
        ids = list(self.model.tables.values_list("pk", flat=True)[:3])
        self.diagram = diagrams.create(area=self.area, person=self.person, model=self.model, name="D", table_ids=ids)
        self.draw = draw
        first = ChangeSet.objects.filter(area=self.area).count()
        states, steps = [self.state()], 0
        while steps < _STEPS:
            steps += 1
            sets = ChangeSet.objects.filter(area=self.area).count()
            answer = draw.choice(self.steps())()
            self.assertIn(answer.status_code, (200, 204, 302, 404, 409, 422), answer.content[:300])
            if ChangeSet.objects.filter(area=self.area).count() > sets:
                states.append(self.state())
            else:
                self.assertEqual(self.state(), states[-1], "it changed something without a change set")
        done = ChangeSet.objects.filter(area=self.area).count() - first
        self.assertEqual(done, len(states) - 1)
        for state in reversed(states[:-1]):
            undoing.undo(area=self.area, person=self.person)
            self.assertEqual(self.state(), state)
        for state in states[1:]:
            undoing.redo(area=self.area, person=self.person)
            self.assertEqual(self.state(), state)

    def state(self) -> tuple[Any, ...]:
        """Return all that is said of the model: its content with words, its cards, and what the dictionary tells of it."""
        rows = DictionaryRow.objects.filter(model_id=self.model.pk).order_by("column_id")
        return (
            write(load_model(StoredModel.objects.get(pk=self.model.pk), with_words=True)),
            list(Diagram.objects.filter(pk=self.diagram.pk).values_list("depth", "naming", "notation")),
            sorted(self.diagram.cards.values_list("table_id", "x", "y", "depth", "width")),
            sorted(self.diagram.notes.values_list("kind", "text", "x", "y", "width", "height")),
            list(rows.values_list("column_id", "name", "table_id", "schema", "roles", "nullable", "text")),
        )

    # what can be done -------------------------------------------------------------------------------------------

    def steps(self) -> list[Callable[[], Any]]:
        table = self.some(StoredTable.objects.filter(model=self.model, removed_at__isnull=True))
        steps: list[Callable[[], Any]] = [self.add_table] * 3
        if table is None:
            return steps
        column = self.some(StoredColumn.objects.filter(table=table, removed_at__isnull=True))
        relationship = self.some(StoredRelationship.objects.filter(table__model=self.model))
        steps += [lambda: self.add_column(table)] * 5 + [lambda: self.relate(table)] * 4
        steps += [lambda: self.post("delete-table", table.pk), lambda: self.unique(table), lambda: self.rename(table)]
        steps += [lambda: self.write_object(table), lambda: self.denormalise(table), lambda: self.copy(table)]
        steps += [lambda: self.draw_on_it(table)] * 6 + [self.set_cells, lambda: self.set_part(table)]
        steps += [lambda: self.write_words("table", table.pk)] * 2
        if column is not None:
            steps += [lambda: self.change_column(table, column)] * 6
            steps += [lambda: self.write_words("column", column.pk)] * 2
        if relationship is not None:
            steps += [lambda: self.change_relationship(relationship)] * 3
        return steps

    def some(self, found: Any) -> Any:
        listed = list(found.order_by("pk"))
        return self.draw.choice(listed) if listed else None

    def post(self, view: str, /, *args: object, **given: Any) -> Any:
        return self.client.post(reverse(f"building:{view}", args=[self.area.slug, *args]), given)

    def add_table(self) -> Any:
        given = {"diagram": self.diagram.pk, "x": 10, "y": 20} if self.draw.random() < 0.5 else {}
        return self.post("add-table", self.model.pk, name=self.draw.choice(_NAMES), **given)

    def add_column(self, table: StoredTable) -> Any:
        given = {"in_key": "on"} if self.draw.random() < 0.4 else {"required": "on"} if self.draw.random() < 0.3 else {}
        return self.post("add-column", table.pk, name=self.draw.choice(_NAMES), type=self.draw.choice(_TYPES), **given)

    def change_column(self, table: StoredTable, column: StoredColumn) -> Any:
        given: dict[str, Any] = {"what": self.draw.choice(("save", "save", "up", "down", "key", "delete", "odd"))}
        if given["what"] == "save":
            given |= {
                "name": self.draw.choice(_NAMES),
                "type": self.draw.choice(_TYPES),
                "default": self.draw.choice(("", "0")),
            }
        return self.post("column", table.pk, column.pk, **given)

    def relate(self, table: StoredTable) -> Any:
        other = self.some(StoredTable.objects.filter(model=self.model, removed_at__isnull=True))
        kind = self.draw.choice(("identifying", "mandatory", "optional", "many", "subtype", ""))
        return self.post(
            "relate", self.model.pk, parent=table.pk, child=other.pk, kind=kind, diagram=self.diagram.pk,
            role=self.draw.choice(("", "", "payer")),
        )  # fmt: skip

    def change_relationship(self, one: StoredRelationship) -> Any:
        kind = self.draw.choice(("identifying", "mandatory", "optional", "words", "delete"))
        given = (
            {"on_delete": self.draw.choice(("cascade", "no action", "odd")), "phrase": "pays"}
            if kind == "words"
            else {}
        )
        return self.post("relationship", self.model.pk, one.pk, kind=kind, **given)

    def unique(self, table: StoredTable) -> Any:
        columns = list(table.columns.filter(removed_at__isnull=True).values_list("pk", flat=True))
        return self.post("unique", table.pk, column=self.draw.sample(columns, min(len(columns), 2)))

    def rename(self, table: StoredTable) -> Any:
        return self.post(
            "rename-table", table.pk, name=self.draw.choice(_NAMES), schema=self.draw.choice(("", "billing"))
        )

    def write_words(self, target: str, pk: int) -> Any:
        field = self.draw.choice(("business_name", "definition"))
        address = reverse("modeling:edit", args=[self.area.slug, target, pk, field])
        return self.client.post(address, {"value": self.draw.choice(("", "Meter", "What it is", "ß <b>")), "was": ""})

    def write_object(self, table: StoredTable) -> Any:
        column = self.some(table.columns.filter(removed_at__isnull=True))
        name = column.name if column else "none"
        kind = self.draw.choice(("index", "check"))
        given = {"columns": f'"{name}"'} if kind == "index" else {"expression": f'"{name}" is not null'}
        return self.post("new-object", self.model.pk, kind, name=self.draw.choice(_NAMES), table=table.pk, **given)

    def set_cells(self) -> Any:
        found = StoredColumn.objects.filter(
            table__model=self.model, removed_at__isnull=True, table__removed_at__isnull=True
        )
        columns = list(found.order_by("pk").values_list("pk", flat=True))
        field = self.draw.choice(("name", "type", "definition", "nullable", "odd"))
        chosen = self.draw.sample(columns, min(len(columns), 2))
        cells = [{"column": pk, "field": field, "value": self.draw.choice(_NAMES)} for pk in chosen]
        return self.post("set-cells", self.model.pk, cells=json.dumps(cells))

    def denormalise(self, table: StoredTable) -> Any:
        other = self.some(StoredTable.objects.filter(model=self.model, removed_at__isnull=True))
        column = self.some(StoredColumn.objects.filter(table=other, removed_at__isnull=True))
        own = list(table.columns.filter(removed_at__isnull=True).order_by("pk").values_list("pk", flat=True))
        given: dict[str, Any] = self.draw.choice((
            {"other": other.pk}, {"repeat": column.pk if column else 0},
            {"name": self.draw.choice(_NAMES), "column": self.draw.sample(own, min(len(own), 1))},
        ))  # fmt: skip
        return self.post("denormalise", table.pk, **given)

    def copy(self, table: StoredTable) -> Any:
        return self.post("copy-table", table.pk, model=self.model.pk, name=self.draw.choice(_NAMES))

    def set_part(self, table: StoredTable) -> Any:
        return self.post("set-part", table.pk, part=self.draw.choice(("dimension", "fact", "", "odd")), history="")

    def draw_on_it(self, table: StoredTable) -> Any:
        """Do something on the diagram: move, add, remove and set cards, write notes."""

        def send(view: str, *args: object, **given: Any) -> Any:
            return self.client.post(reverse(f"diagrams:{view}", args=[self.area.slug, self.diagram.pk, *args]), given)

        draw, note = self.draw, self.some(self.diagram.notes)
        steps: list[Callable[[], Any]] = [
            lambda: send("add", table=table.pk, neighbours=draw.choice(("", "both", "path", "odd"))),
            lambda: send("remove", table=table.pk),
            lambda: send("arrange", style=draw.choice(("grid", "layers", "spiral"))),
            lambda: send("view", depth=draw.choice(("full", "names")), naming="both", notation="uml"),
            lambda: send("set-card", table.pk, depth=draw.choice(("columns", ""))),
            lambda: send("set-card", table.pk, width=draw.choice((300, 0, -5))),
            lambda: send("new-note", kind=draw.choice(("note", "frame")), text=draw.choice(("Why", "")), x=5, y=6),
        ]
        if note is not None:
            steps += [lambda: send("note", note.pk, text="Other", x=70), lambda: send("delete-note", note.pk)]
        return draw.choice(steps)()
