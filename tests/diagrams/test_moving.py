"""What people do by hand on a diagram: lines bent, cards made wider, frames moved with what lies in them; all undone."""

from __future__ import annotations

import json
from typing import Any

from django.urls import reverse

from indexa.changes import undoing
from indexa.core.diagram.parts import Line
from indexa.diagrams import moving, notes
from indexa.diagrams.drawing import drawing_of
from indexa.diagrams.models import Diagram
from tests.diagrams.test_diagrams import DiagramCase


class BendingTests(DiagramCase):
    def setUp(self) -> None:
        super().setUp()
        self.diagram = self.made("t0", "t1", "t2")
        places = {"t0": (0, 0), "t1": (400, 0), "t2": (800, 0)}
        moving.move(
            area=self.area, person=self.person, diagram=self.diagram,
            places={self.ids(name)[0]: place for name, place in places.items()},
        )  # fmt: skip

    def line(self, child: str) -> Line:
        drawing = drawing_of(Diagram.objects.get())
        return next(line for line in drawing.lines if line.child[1] == child)

    def bend(self, line: Line, bends: list[list[float]]) -> Any:
        url = reverse("diagrams:line", args=[self.area.slug, self.diagram.pk, int(line.id[1:])])
        return self.client.post(url, json.dumps({"bends": bends}), content_type="application/json")

    def test_corners_stay_while_an_end_moves_follow_when_both_do_and_are_undone(self) -> None:
        before = self.line("t1").points
        leaves, arrives = before[0][1], before[-1][1]
        corners = [[300.0, leaves], [300.0, 300.0], [260.0, 300.0], [260.0, arrives]]
        answer = self.bend(self.line("t1"), corners).json()
        self.assertEqual([line["ends"] for line in answer["lines"]], [list(self.line("t1").ends)])
        self.assertEqual([list(point) for point in self.line("t1").points[1:-1]], corners)
        (moved,) = self.ids("t1")
        moving.move(area=self.area, person=self.person, diagram=self.diagram, places={moved: (420, 50)})
        points = self.line("t1").points
        self.assertEqual((points[0][0], points[1]), (420.0, (300.0, leaves + 50)))
        self.assertEqual(points[2], (300.0, 300.0))
        both = dict(zip(self.ids("t0", "t1"), [(100, 100), (520, 150)], strict=True))
        moving.move(area=self.area, person=self.person, diagram=self.diagram, places=both)
        self.assertEqual(self.line("t1").points[2], (400.0, 400.0))
        for _ in range(3):
            undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.line("t1").points, before)
        self.assertFalse(self.diagram.bent_lines.exists())
        undoing.redo(area=self.area, person=self.person)
        self.assertEqual(self.line("t1").bends, [tuple(point) for point in corners])
        self.assertContains(
            self.client.get(reverse("diagrams:line", args=[self.area.slug, self.diagram.pk, self.line("t1").id[1:]])),
            "Straighten",
        )
        self.bend(self.line("t1"), [])
        self.assertEqual(self.line("t1").points, before)

    def test_corners_that_make_no_way_are_refused(self) -> None:
        for bends in ([[1, 2]], [[1, 2], [3, 4]], [[1, 2], [1, 9], [5, 8], [5, 3]], [[1e9, 0], [1e9, 5]], ["a"]):
            answer = self.bend(self.line("t1"), bends)  # type: ignore[arg-type]
            self.assertEqual(answer.status_code, 422, bends)
        self.assertFalse(self.diagram.bent_lines.exists())

    def test_a_corner_never_lies_on_its_own_card(self) -> None:
        y = self.line("t1").points[0][1]
        self.bend(self.line("t1"), [[450.0, y], [450.0, 300.0], [200.0, 300.0], [200.0, y]])
        points = self.line("t1").points
        self.assertLess(points[1][0], 400)
        self.assertEqual(points[1][0], points[2][0])

    def test_a_card_of_another_width_is_drawn_so_and_becomes_as_wide_as_its_content_again(self) -> None:
        (pk,) = self.ids("t1")
        url = reverse("diagrams:set-card", args=[self.area.slug, self.diagram.pk, pk])
        natural = next(card.width for card in drawing_of(self.diagram).cards if card.name == "t1")
        for given, width in (("330", 330.0), ("", natural)):
            self.assertEqual(self.client.post(url, {"width": given}).status_code, 204)
            self.assertEqual(next(c.width for c in drawing_of(self.diagram).cards if c.name == "t1"), width)
        for bad in ("5", "nan", "wide", "99999"):
            self.assertEqual(self.client.post(url, {"width": bad}).status_code, 422, bad)

    def test_a_frame_takes_along_what_lies_in_it_and_undo_puts_all_back(self) -> None:
        at = {"x": -20.0, "y": -20.0, "width": 640.0, "height": 200.0}
        frame = notes.create(
            area=self.area, person=self.person, diagram=self.diagram, kind="frame", text="Both", at=(0, 0), around=at
        )
        before = self.placed(self.diagram)

        def moved(**given: object) -> dict[str, tuple[float, float]]:
            frame.refresh_from_db()
            notes.change(
                area=self.area, person=self.person, diagram=self.diagram, note_id=frame.pk,
                given={"x": frame.x + 100, "y": frame.y + 10, **given},
            )  # fmt: skip
            return self.placed(self.diagram)

        self.assertEqual(moved(), before | {"t0": (100.0, 10.0), "t1": (500.0, 10.0)})
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.placed(self.diagram), before)
        self.assertEqual(moved(alone=1), before)

    def test_a_note_is_brought_to_the_front_and_sent_to_the_back(self) -> None:
        made = [
            notes.create(area=self.area, person=self.person, diagram=self.diagram, kind="note", text=text, at=(0, 0))
            for text in "abc"
        ]
        url = reverse("diagrams:note", args=[self.area.slug, self.diagram.pk, made[0].pk])
        for layer, order in (("front", "bca"), ("back", "abc")):
            self.client.post(url, {"layer": layer})
            self.assertEqual("".join(self.diagram.notes.values_list("text", flat=True)), order)
        self.assertEqual(self.client.post(url, {"layer": "sideways"}).status_code, 422)
