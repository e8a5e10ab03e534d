"""Diagrams in the store: made, moved, filled, arranged, undone; the model is never touched; private ones are private."""

from __future__ import annotations

import json
from typing import Any

from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from indexa.areas.models import Role
from indexa.changes import undoing
from indexa.changes.errors import ConflictsError
from indexa.core.model import Column, ForeignKey, Key, Model, Table
from indexa.diagrams import moving, services
from indexa.diagrams.drawing import drawing_of
from indexa.diagrams.errors import DiagramError
from indexa.diagrams.models import Diagram, DiagramCard
from indexa.diagrams.suggestions import FIRST, suggestions
from indexa.proposals.models import StoredProposal
from indexa.store.models import StoredRelationship, StoredTable
from tests.factories import PASSWORD, make_area, make_person, store, table


def chain(length: int = 8) -> Model:
    """Tables of which each refers to the one before; the last refers to itself as well."""
    made = []
    for number in range(length):
        columns = [
            Column(f"t{number}_id", 1, "bigint", nullable=False),
            Column("up_id", 2, "bigint"),
            Column("note", 3, "text"),
        ]
        one = Table(
            schema="s",
            name=f"t{number}",
            columns=columns,
            primary_key=Key(name=f"pk{number}", columns=(f"t{number}_id",)),
        )
        to = number - 1 if number else None
        if to is not None:
            one.foreign_keys = [
                ForeignKey(
                    name=f"fk{number}",
                    columns=("up_id",),
                    ref_schema="s",
                    ref_table=f"t{to}",
                    ref_columns=(f"t{to}_id",),
                )
            ]
        made.append(one)
    return Model(name="chain", platform="postgresql", tables=made)


class DiagramCase(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.model = store(self.area, chain())
        self.client.login(username=self.person.username, password=PASSWORD)

    def ids(self, *names: str) -> list[int]:
        return [table(self.model, name).pk for name in names]

    def made(self, *names: str, **given: Any) -> Diagram:
        return services.create(
            area=self.area, person=self.person, model=self.model, name="Chain", table_ids=self.ids(*names), **given
        )

    def post(self, diagram: Diagram, name: str, **given: Any) -> Any:
        return self.client.post(reverse(f"diagrams:{name}", args=[self.area.slug, diagram.pk]), given)

    def placed(self, diagram: Diagram) -> dict[str, tuple[float, float]]:
        return {one.table.name: (one.x, one.y) for one in diagram.cards.select_related("table")}


class DiagramTests(DiagramCase):
    def test_one_click_makes_the_suggested_diagram_laid_out(self) -> None:
        page = reverse("diagrams:list", args=[self.area.slug, self.model.pk])
        self.assertContains(self.client.get(reverse("diagrams:suggested", args=[self.area.slug, self.model.pk])), FIRST)
        answer = self.client.post(
            reverse("diagrams:new", args=[self.area.slug, self.model.pk]), {"suggestion": FIRST}, follow=True
        )
        self.assertContains(answer, '"svg": "\\u003Cg')
        self.assertContains(answer, "Each t1 refers to at most one t0 by up_id")
        self.assertContains(self.client.get(page), FIRST)
        made = Diagram.objects.get()
        self.assertEqual(set(made.cards.values_list("table_id", flat=True)), set(suggestions(self.model)[0].table_ids))
        self.assertEqual(len({(one.x, one.y) for one in made.cards.all()}), made.cards.count())

    def test_a_moved_table_is_kept_with_its_lines_and_undo_puts_it_back(self) -> None:
        diagram = self.made("t0", "t1", "t2")
        before = self.placed(diagram)
        (pk,) = self.ids("t1")
        url = reverse("diagrams:move", args=[self.area.slug, diagram.pk])
        answer = self.client.post(
            url, json.dumps({"places": {pk: [1500, 900]}}), content_type="application/json"
        ).json()
        self.assertEqual([card["id"] for card in answer["cards"]], [f"t{pk}"])
        self.assertEqual(len(answer["lines"]), 2)
        self.assertEqual(self.placed(diagram)["t1"], (1500.0, 900.0))
        drawing = drawing_of(Diagram.objects.get())
        ends = {point for line in drawing.lines for point in (line.points[0], line.points[-1])}
        self.assertTrue(any(abs(y - 900) < 80 and x >= 1500 for x, y in ends))
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.placed(diagram), before)
        undoing.redo(area=self.area, person=self.person)
        self.assertEqual(self.placed(diagram)["t1"], (1500.0, 900.0))

    def test_neighbours_are_added_beside_and_removing_leaves_the_model_alone(self) -> None:
        diagram = self.made("t3")
        answer = self.post(diagram, "add", table=self.ids("t3"), neighbours="both").json()
        self.assertEqual(answer["message"], "2 tables added.")
        self.assertEqual(set(self.placed(diagram)), {"t2", "t3", "t4"})
        self.assertEqual(len(drawing_of(diagram).lines), 2)
        self.assertIn("already", self.post(diagram, "add", table=self.ids("t3"), neighbours="both").json()["message"])
        tables = StoredTable.objects.filter(model=self.model, removed_at__isnull=True).count()
        self.post(diagram, "remove", table=self.ids("t3", "t4"))
        self.assertEqual(set(self.placed(diagram)), {"t2"})
        self.assertEqual(StoredTable.objects.filter(model=self.model, removed_at__isnull=True).count(), tables)
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(set(self.placed(diagram)), {"t2", "t3", "t4"})

    def test_the_path_between_two_tables_and_two_steps_are_added(self) -> None:
        diagram = self.made("t0", "t4")
        self.assertEqual(
            self.post(diagram, "add", table=self.ids("t0", "t4"), neighbours="path").json()["message"],
            "3 tables added.",
        )
        self.assertEqual(set(self.placed(diagram)), {"t0", "t1", "t2", "t3", "t4"})
        self.post(diagram, "add", table=self.ids("t4"), neighbours="two steps")
        self.assertEqual(set(self.placed(diagram)), {"t0", "t1", "t2", "t3", "t4", "t5", "t6"})
        StoredRelationship.objects.filter(table_id__in=self.ids("t7")).delete()
        self.assertEqual(self.post(diagram, "add", table=self.ids("t0", "t7"), neighbours="path").status_code, 422)

    def test_undo_of_a_move_does_not_take_what_a_colleague_moved_since(self) -> None:
        diagram = self.made("t0", "t1")
        (first, second) = self.ids("t0", "t1")
        moving.move(area=self.area, person=self.person, diagram=diagram, places={first: (5, 5), second: (900, 5)})
        other = make_person(self.area)
        moving.move(area=self.area, person=other, diagram=diagram, places={second: (900, 700)})
        with self.assertRaises(ConflictsError) as caught:
            undoing.undo(area=self.area, person=self.person)
        self.assertIn("has changed it since", caught.exception.conflicts[0].why)
        self.assertEqual(self.placed(diagram), {"t0": (5.0, 5.0), "t1": (900.0, 700.0)})
        moving.move(area=self.area, person=self.person, diagram=diagram, places={first: (5, 300)})
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.placed(diagram), {"t0": (5.0, 5.0), "t1": (900.0, 700.0)})

    def test_another_depth_makes_room_and_is_undone(self) -> None:
        diagram = self.made("t0", "t1", "t2", depth="names")
        self.post(diagram, "arrange", style="grid")
        self.post(diagram, "view", depth="full", naming="physical", notation="uml")
        diagram.refresh_from_db()
        self.assertEqual((diagram.depth, diagram.notation), ("full", "uml"))
        cards = drawing_of(diagram).cards
        for one in cards:
            for other in cards:
                self.assertTrue(
                    one is other
                    or one.right <= other.x
                    or other.right <= one.x
                    or one.bottom <= other.y
                    or other.bottom <= one.y
                )
        self.assertContains(self.client.get(reverse("diagrams:page", args=[self.area.slug, diagram.pk])), "0..*")
        self.post(diagram, "view", depth="everything")
        undoing.undo(area=self.area, person=self.person)
        diagram.refresh_from_db()
        self.assertEqual((diagram.depth, diagram.notation), ("names", "crows-foot"))

    def test_a_deleted_diagram_comes_back_whole(self) -> None:
        diagram = self.made("t0", "t1", "t2")
        before = self.placed(diagram)
        self.post(diagram, "delete")
        self.assertFalse(DiagramCard.objects.exists())
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.placed(Diagram.objects.get()), before)
        undoing.redo(area=self.area, person=self.person)
        self.assertFalse(Diagram.objects.exists())

    def test_others_get_only_what_is_new_and_a_private_one_is_not_theirs(self) -> None:
        shared, private = self.made("t0", "t1"), self.made("t2", private=True)
        colleague = make_person(self.area, Role.READER)
        self.client.login(username=colleague.username, password=PASSWORD)
        url = reverse("diagrams:content", args=[self.area.slug, shared.pk])
        whole = self.client.get(url).json()
        self.assertEqual(len(whole["pieces"]["cards"]), 2)
        self.assertEqual(self.client.get(url, {"state": whole["state"]}).json(), {"state": whole["state"]})
        self.assertEqual(self.client.get(reverse("diagrams:page", args=[self.area.slug, private.pk])).status_code, 404)
        self.assertEqual(self.post(shared, "remove", table=self.ids("t0")).status_code, 403)
        self.assertNotContains(
            self.client.get(reverse("diagrams:list", args=[self.area.slug, self.model.pk])), private.name + "<"
        )

    def test_bad_input_is_refused_in_words(self) -> None:
        diagram = self.made("t0")
        url = reverse("diagrams:move", args=[self.area.slug, diagram.pk])
        for body in (
            "[]",
            '{"places": {"x": [1, 2]}}',
            '{"places": {"1": [1]}}',
            '{"places": {"1": [1e9, 2]}}',
            "nonsense",
        ):
            answer = self.client.post(url, body, content_type="application/json")
            self.assertEqual(answer.status_code, 422, body)
            self.assertTrue(answer.json()["message"])
        self.assertEqual(self.post(diagram, "arrange", style="spiral").status_code, 422)
        with self.assertRaisesMessage(DiagramError, "needs a name"):
            services.create(area=self.area, person=self.person, model=self.model, name="  ", table_ids=[])

    def test_files_hold_every_table_and_no_name_becomes_markup(self) -> None:
        StoredTable.objects.filter(pk__in=self.ids("t0")).update(business_name='<script>"&')
        diagram = self.made("t0", "t1")
        binary = (("png", b"\x89PNG"), ("pdf?paper=a4", b"%PDF"), ("png?times=4", b"\x89PNG"))
        for form, magic in binary:
            form, _, query = form.partition("?")
            url = reverse("diagrams:export", args=[self.area.slug, diagram.pk, form])
            self.assertTrue(self.client.get(f"{url}?{query}").content.startswith(magic), form)
        for form, sign in (("svg", "<svg"), ("mmd", "erDiagram"), ("dot", "digraph")):
            answer = self.client.get(reverse("diagrams:export", args=[self.area.slug, diagram.pk, form]))
            text = answer.content.decode()
            self.assertIn(sign, text)
            self.assertIn("t1", text)
            self.assertNotIn("<script>", text)
            self.assertIn("attachment", answer["Content-Disposition"])
        page = self.client.get(reverse("diagrams:page", args=[self.area.slug, diagram.pk])).content.decode()
        self.assertNotIn('<script>"&', page)
        self.assertEqual(
            self.client.get(reverse("diagrams:export", args=[self.area.slug, diagram.pk, "exe"])).status_code, 404
        )

    def test_diagrams_are_made_of_a_filtered_list_of_what_is_around_a_table_and_of_a_selection(self) -> None:
        new = reverse("diagrams:new", args=[self.area.slug, self.model.pk])
        self.client.post(new, {"matching": "t3"})
        self.assertEqual(set(self.placed(Diagram.objects.get(name="t3"))), {"t3"})
        self.client.post(new, {"around": self.ids("t3")})
        around = Diagram.objects.get(name="Around t3")
        self.assertEqual(set(self.placed(around)), {"t2", "t3", "t4"})
        self.client.post(new, {"like": around.pk, "name": "part", "table": self.ids("t3", "t4")})
        part, whole = self.placed(Diagram.objects.get(name="part")), self.placed(around)
        self.assertEqual(part, {name: whole[name] for name in ("t3", "t4")})
        page = self.client.get(reverse("modeling:table", args=[self.area.slug, self.ids("t3")[0]]))
        self.assertContains(page, "Make a diagram of it")
        small = self.client.get(reverse("diagrams:around", args=[self.area.slug, self.ids("t3")[0]]))
        self.assertContains(small, "data-card", 3)

    def test_a_selection_is_copied_to_another_diagram_and_keeps_its_arrangement(self) -> None:
        source, target = self.made("t0", "t1", "t2", style="layered"), self.made("t5", "t1")
        url = reverse("diagrams:new", args=[self.area.slug, self.model.pk])
        given = {"like": source.pk, "into": target.pk, "table": self.ids("t0", "t1", "t2")}
        answer = self.client.post(url, given, follow=True)
        self.assertContains(answer, "2 of 3 tables added")
        was, now = self.placed(source), self.placed(target)
        shifts = {(now[name][0] - was[name][0], now[name][1] - was[name][1]) for name in ("t0", "t2")}
        self.assertEqual(len(shifts), 1)
        self.client.post(url, {"like": source.pk, "name": "Names", "depth": "names", "table": self.ids("t0", "t1")})
        self.assertEqual(Diagram.objects.get(name="Names").depth, "names")

    def test_a_table_can_have_a_depth_of_its_own(self) -> None:
        diagram = self.made("t0", "t1", depth="names")
        url = reverse("diagrams:set-card", args=[self.area.slug, diagram.pk, self.ids("t1")[0]])
        self.assertEqual(self.client.post(url, {"depth": "everything"}).status_code, 422)
        self.assertIn("words-changed", self.client.post(url, {"depth": "columns"})["HX-Trigger"])
        rows = {card.name: len(card.rows) for card in drawing_of(diagram).cards}
        self.assertEqual(rows, {"t0": 0, "t1": 3})
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual({len(card.rows) for card in drawing_of(diagram).cards}, {0})

    def test_a_proposed_relationship_is_shown_and_decided_on_the_diagram(self) -> None:
        diagram = self.made("t0", "t5")
        child, parent = table(self.model, "t5"), table(self.model, "t0")
        note, key = (one.columns.order_by("position").all() for one in (child, parent))
        proposal = StoredProposal.objects.create(
            model=self.model, kind="foreign_key", identity="x", pattern="", table_id=child.pk, table_name="s.t5", columns=["note"],
            column_ids=[note[2].pk], ref_table_id=parent.pk, ref_table_name="s.t0", ref_columns=["t0_id"], ref_column_ids=[key[0].pk],
            confidence=0.87,
        )  # fmt: skip
        page = reverse("diagrams:page", args=[self.area.slug, diagram.pk])
        self.assertContains(self.client.get(page), "1 proposed")
        (line,) = drawing_of(diagram).lines
        self.assertEqual((line.confidence, line.columns), (0.87, ("note",)))
        self.assertContains(self.client.get(line.address), "Accept")
        url = reverse("proposals:decide-on-diagram", args=[self.area.slug, self.model.pk, proposal.pk])
        self.assertIn("words-changed", self.client.post(url, {"act": "accept"})["HX-Trigger"])
        (line,) = drawing_of(diagram).lines
        self.assertTrue(line.asserted and not line.confidence)
        self.assertNotContains(self.client.get(page), "1 proposed")

    def test_notes_and_frames_are_written_moved_deleted_and_undone(self) -> None:
        diagram = self.made("t0", "t1")
        self.assertEqual(self.post(diagram, "new-note", kind="note", text=" ").status_code, 422)
        self.assertEqual(self.post(diagram, "new-note", kind="balloon", text="x").status_code, 422)
        self.post(diagram, "new-note", kind="frame", text="<b>Where & why", table=self.ids("t0", "t1"))
        frame = diagram.notes.get()
        cards = drawing_of(diagram).cards
        self.assertTrue(all(frame.x < card.x and card.right < frame.x + frame.width for card in cards))
        self.assertTrue(all(frame.y < card.y and card.bottom < frame.y + frame.height for card in cards))
        svg = self.client.get(reverse("diagrams:export", args=[self.area.slug, diagram.pk, "svg"])).content.decode()
        self.assertIn("&lt;b&gt;Where &amp; why", svg)
        url = reverse("diagrams:note", args=[self.area.slug, diagram.pk, frame.pk])
        self.assertContains(self.client.get(url), "Title")
        self.assertEqual(self.client.post(url, {"width": "nan"}).status_code, 422)
        self.assertEqual(self.client.post(url, {"x": 900, "y": 700, "text": "Elsewhere"}).status_code, 204)
        self.client.post(reverse("diagrams:delete-note", args=[self.area.slug, diagram.pk, frame.pk]))
        self.assertFalse(diagram.notes.exists())
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(diagram.notes.values_list("text", "x").get(), ("Elsewhere", 900.0))
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(diagram.notes.values_list("text", "x").get(), ("<b>Where & why", frame.x))
        self.post(diagram, "delete")
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(Diagram.objects.get().notes.get().text, "<b>Where & why")

    def test_the_page_takes_as_many_queries_for_many_tables_as_for_few(self) -> None:
        few, many = self.made("t0", "t1"), self.made(*(f"t{number}" for number in range(8)))
        self.client.get(reverse("diagrams:page", args=[self.area.slug, few.pk]))
        counts = []
        for diagram in (few, many):
            with self.subTest(diagram=diagram.name):
                with CaptureQueriesContext(connection) as queries:
                    self.client.get(reverse("diagrams:page", args=[self.area.slug, diagram.pk]))
                counts.append(len(queries))
        self.assertEqual(counts[0], counts[1])


class ChangedMarkTests(DiagramCase):
    def test_a_diagram_shows_what_the_last_reading_added_and_changed(self) -> None:
        diagram = self.made("t0", "t1", "t2")
        diagram.colour = "changed"
        self.assertEqual(drawing_of(diagram).legend, [])
        later = chain(9)
        later.tables[1].columns.append(Column("since", 4, "date"))
        store(self.area, later, into=self.model)
        services.add(area=self.area, person=self.person, diagram=diagram, table_ids=self.ids("t8"))
        marks = {card.name: card.mark for card in drawing_of(diagram).cards}
        same = "as before the last reading"
        self.assertEqual(
            marks,
            {"t0": same, "t1": "changed by the last reading", "t2": same, "t8": "new in the last reading"},
        )
