"""Sheets out to colleagues and back: what they wrote is told cell by cell, three-way, and taken as one change set."""

from __future__ import annotations

import io
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from django.utils import timezone
from openpyxl import Workbook, load_workbook

from indexa.areas.models import Role
from indexa.changes import undoing
from indexa.dictionary import concepts, coverage, search, setting
from indexa.dictionary.models import CoverageDay, DictionaryCoverage, SavedView, SheetReview
from indexa.modeling import editing
from indexa.store.models import StoredColumn
from tests.describing.test_saying import DescribingCase
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, table

Sheet = Any


class SheetTests(DescribingCase):
    def exported(self, **given: str) -> Workbook:
        answer = self.client.get(reverse("dictionary:export", args=[self.area.slug, "sheet"]), given)
        return load_workbook(io.BytesIO(b"".join(answer.streaming_content)))

    def place(self, sheet: Sheet, key: str, title: str) -> Any:
        titles = {cell.value: cell.column for cell in sheet[3]}
        row = next(cell.row for cell in sheet["A"] if cell.value == key)
        return sheet.cell(row, titles[title])

    def back(self, book: Workbook, name: str = "back.xlsx") -> Any:
        stream = io.BytesIO()
        book.save(stream)
        return self.hand_in(stream.getvalue(), name)

    def hand_in(self, content: bytes, name: str) -> Any:
        return self.client.post(
            reverse("dictionary:hand-in", args=[self.area.slug]),
            {"file": SimpleUploadedFile(name, content)},
            follow=True,
        )

    def act(self, view: str, review: SheetReview, **given: Any) -> Any:
        return self.client.post(reverse(f"dictionary:{view}", args=[self.area.slug, review.pk]), given, follow=True)

    def define(self, name: str, value: str, seen: str = "") -> None:
        place = editing.place_of(column(self.model, name), only_here=False)
        editing.edit(area=self.area, person=self.person, place=place, field="definition", seen=seen, value=value)

    def edited(self, work: Callable[[Sheet, str, str], object]) -> Any:
        """Export, edit the sheet of the meter's number and its table, and hand it in."""
        book = self.exported()
        serial, own = column(self.model, "mtr.mtr_srl_no"), table(self.model, "mtr")
        work(book.active, f"c{serial.pk}", f"t{own.pk}")
        return self.back(book)

    def test_what_colleagues_wrote_is_reviewed_and_applied_as_one_change(self) -> None:
        def work(sheet: Sheet, serial: str, own: str) -> None:
            self.place(sheet, serial, "Definition").value = "Number on the body.\nSix signs."
            self.place(sheet, serial, "Confidentiality").value = "secret"
            self.place(sheet, own, "Owner").value = self.person.display_name
            self.place(sheet, own, "Business name").value = "Meter"

        page = self.edited(work)
        self.assertContains(page, "Number on the body.")
        review = SheetReview.objects.get()
        self.assertEqual(review.cells.count(), 4)
        self.assertContains(self.act("apply", review), "4 cells taken")
        serial = column(self.model, "mtr.mtr_srl_no")
        assert serial.attribute is not None
        self.assertEqual(serial.attribute.definition, "Number on the body.\nSix signs.")
        self.assertEqual(self.holds("column", serial.pk, "Confidentiality"), ("Secret", "its attribute"))
        coverage = DictionaryCoverage.objects.get(table_id=table(self.model, "mtr").pk)
        self.assertEqual((coverage.described, coverage.owned), (1, coverage.columns))
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(StoredColumn.objects.exclude(definition="").count(), 0)
        self.assertEqual(self.holds("column", serial.pk, "Owner")[0], "")

    def test_sorted_moved_inserted_hidden_and_retyped_does_no_harm(self) -> None:
        book = self.exported()
        sheet, serial = book.active, column(self.model, "mtr.mtr_srl_no")
        self.place(sheet, f"c{serial.pk}", "Definition").value = "Number on the body."
        rows = [[cell.value for cell in row] for row in sheet.iter_rows(min_row=4)]
        moved = Workbook()
        turned = moved.active
        turned.append(["a note of ours"])
        turned.append([sheet["A1"].value])
        order = list(reversed(range(len(rows[0]))))
        turned.append([[cell.value for cell in sheet[3]][at] for at in order] + ["Our own column"])
        for row in sorted(rows, key=lambda one: str(one[3]), reverse=True):
            turned.append([row[at] for at in order] + [7])
        turned.append([None, None, "a stray remark"])
        turned.column_dimensions["B"].hidden = True
        self.back(moved)
        review = SheetReview.objects.get()
        self.assertEqual([(one.key, one.field) for one in review.cells.all()], [(f"c{serial.pk}", "definition")])

    def test_what_was_changed_here_meanwhile_is_a_conflict_that_a_person_decides(self) -> None:
        book = self.exported()
        serial, made = column(self.model, "mtr.mtr_srl_no"), column(self.model, "mtr.inst_dt")
        self.place(book.active, f"c{serial.pk}", "Definition").value = "Theirs."
        self.place(book.active, f"c{made.pk}", "Definition").value = "The same."
        self.define("mtr.mtr_srl_no", "Ours.")
        self.define("mtr.inst_dt", "The same.")
        page = self.back(book)
        self.assertContains(page, "changed here too 1")
        review = SheetReview.objects.get()
        cell = review.cells.get()
        self.assertEqual((cell.now, cell.decision), ("Ours.", "keep"))
        self.assertContains(self.act("apply", review), "Nothing of the sheet is to be taken")
        self.act("decide", review, number=cell.number, decision="take")
        self.assertContains(self.act("apply", review), "1 cell taken")
        serial.refresh_from_db()
        assert serial.attribute is not None
        self.assertEqual(serial.attribute.definition, "Theirs.")
        self.assertContains(self.act("apply", review), "is decided already")

    def test_what_can_not_be_taken_is_told_and_left(self) -> None:
        def work(sheet: Sheet, serial: str, own: str) -> None:
            self.place(sheet, serial, "Confidentiality").value = "Hush"
            self.place(sheet, serial, "Retention").value = "1 year"
            self.place(sheet, own, "Definition").value = "x" * 20_001
            self.place(sheet, own, "Business name").value = '=HYPERLINK("https://a.example")'
            sheet.append(["c999999999", *[""] * 6, "Nothing"])

        page = self.edited(work)
        review = SheetReview.objects.get()
        problems = {one.field: one.problem for one in review.cells.exclude(problem="")}
        self.assertIn("“Hush” is not known", problems[f"a{self.aspect('Confidentiality').pk}"])
        self.assertIn("20,000 are kept", problems["definition"])
        self.assertContains(page, "the key c999999999 is none of this sheet")
        self.assertContains(page, "Retention can&#x27;t be said of columns")
        self.act("decide", review, decision="take")
        self.assertEqual(review.cells.filter(decision="take").count(), review.cells.filter(problem="").count())

    def test_two_texts_for_one_attribute_are_refused_as_a_whole(self) -> None:
        logical = self.model.logical
        assert logical is not None
        second = store(self.area, make_model("other"), logical=logical)
        book = self.exported()
        for number, model in enumerate((self.model, second)):
            self.place(book.active, f"c{column(model, 'mtr.mtr_srl_no').pk}", "Definition").value = f"Text {number}"
        self.back(book)
        self.assertContains(self.act("apply", SheetReview.objects.get()), "is the same attribute")
        self.assertEqual(StoredColumn.objects.exclude(definition="").count(), 0)

    def test_files_that_are_none_are_refused_with_what_to_do(self) -> None:
        book = self.exported()
        stream = io.BytesIO()
        book.save(stream)
        twice = load_workbook(io.BytesIO(stream.getvalue()))
        twice.active.append(["c" + str(column(self.model, "mtr.mtr_srl_no").pk), *[""] * 6, "Other"])
        for content, name, told in (
            (b"a,b\n1,2\n", "x.csv", "no sheet that was exported here"), (b"\x00\x01\x02", "x.bin", "x.bin"), (b"PK\x03\x04broken", "x.xlsx", "x.xlsx"),
            (b"", "empty.csv", "file"),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertContains(self.hand_in(content, name), told)
        self.assertContains(self.back(twice), "with different texts")
        other = make_area("other")
        stranger = make_person(other)
        self.client.login(username=stranger.username, password=PASSWORD)
        answer = self.client.post(
            reverse("dictionary:hand-in", args=[other.slug]),
            {"file": SimpleUploadedFile("x.xlsx", stream.getvalue())},
            follow=True,
        )
        self.assertContains(answer, "was exported in another area")
        self.assertFalse(SheetReview.objects.exists())

    def test_a_csv_that_a_program_saved_is_read_too(self) -> None:
        sheet = self.exported().active
        serial = column(self.model, "mtr.mtr_srl_no")
        self.place(sheet, f"c{serial.pk}", "Definition").value = "Number; on the body"
        lines = [";".join(f'"{cell.value or ""}"' for cell in row) for row in sheet.iter_rows()]
        self.hand_in("\r\n".join(lines).encode("utf-8-sig"), "back.csv")
        self.assertEqual(SheetReview.objects.get().cells.get().written, "Number; on the body")

    def test_readers_hand_nothing_in(self) -> None:
        self.edited(lambda sheet, serial, own: None)
        review = SheetReview.objects.get()
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertEqual(self.hand_in(b"x", "x.csv").status_code, 403)
        for view in ("decide", "apply", "discard"):
            self.assertEqual(self.act(view, review).status_code, 403)


class OnceTests(DescribingCase):
    def test_what_stands_in_many_places_is_described_once_and_undone(self) -> None:
        models = [store(self.area, make_model(f"m{number}")) for number in range(3)]
        page = self.client.get(reverse("dictionary:concepts", args=[self.area.slug]), {"q": "MTR_SRL"})
        self.assertContains(page, "mtr_srl_no")
        ids = [column(model, "mtr.mtr_srl_no").attribute_id for model in models]
        where = f"{reverse('dictionary:concept', args=[self.area.slug])}?name=mtr_srl_no&family=text"
        self.assertContains(
            self.client.post(where, {"member": ids, "written": " "}), "Write or choose a definition", status_code=422
        )
        self.client.post(where, {"member": ids, "written": "Number on the body."})
        self.assertEqual(StoredColumn.objects.filter(definition="Number on the body.").count(), 3)
        left = column(self.model, "mtr.mtr_srl_no")
        margin = self.client.get(reverse("modeling:column-margin", args=[self.area.slug, left.pk]))
        self.assertContains(margin, "mtr_srl_no in 6 other places")
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(StoredColumn.objects.exclude(definition="").count(), 0)

    def test_keys_and_business_names_bring_others_to_it_that_are_not_chosen_by_themselves(self) -> None:
        number, other = column(self.model, "mtr.mtr_id"), column(self.model, "mtr.mtr_srl_no")
        reading = column(self.model, "mtr_rdg.mtr_id").attribute_id
        StoredColumn.objects.filter(pk=reading).update(name="meter")
        day = column(self.model, "mtr.inst_dt")
        for one, word in ((number, "Meter key"), (other, "Badge"), (day, "Badge")):
            StoredColumn.objects.filter(pk=one.attribute_id).update(business_name=word, family="number")
        found = concepts.members(self.area, "mtr_id", "number").columns
        told = {one.column.pk: (one.is_sure, one.reason) for one in found}
        self.assertEqual(told[number.attribute_id], (True, "the same name"))
        self.assertEqual(told[reading], (False, "it refers to mtr"))
        groups = {(one.name, one.by_words) for one in concepts.concepts(self.area)}
        self.assertIn(("Badge", True), groups)
        page = self.client.get(
            f"{reverse('dictionary:concept', args=[self.area.slug])}?name=Badge&family=number&by=words"
        )
        self.assertContains(page, "the same business name", count=2)


class ShowingTests(DescribingCase):
    def test_views_are_kept_private_or_shared(self) -> None:
        save = reverse("dictionary:save-view", args=[self.area.slug])
        self.client.post(f"{save}?q=mtr&show=stewardship&schema=x", {"name": " Meters ", "shared": "1"})
        self.client.post(f"{save}?q=inv", {"name": "Mine"})
        own = SavedView.objects.get(name="Meters")
        self.assertEqual(own.address, "q=mtr&show=stewardship&schema=x")
        self.assertContains(self.client.get(reverse("dictionary:page", args=[self.area.slug])), "Meters")
        self.assertContains(self.client.post(f"{save}?q=inv", {"name": " "}, follow=True), "The view needs a name")
        self.client.login(username=self.approver.username, password=PASSWORD)
        page = self.client.get(reverse("dictionary:page", args=[self.area.slug]))
        self.assertContains(page, "Meters")
        self.assertNotContains(page, ">Mine<")
        self.assertEqual(
            self.client.post(reverse("dictionary:delete-view", args=[self.area.slug, own.pk])).status_code, 404
        )
        reader = make_person(self.area, Role.READER)
        self.client.login(username=reader.username, password=PASSWORD)
        self.client.post(f"{save}?q=x", {"name": "Theirs", "shared": "1"})
        self.assertFalse(SavedView.objects.get(name="Theirs").is_shared)

    def test_sets_of_columns_and_coverage_day_by_day(self) -> None:
        self.say("Owner", "table", table(self.model, "mtr").pk, self.person.display_name)
        page = self.client.get(
            reverse("dictionary:page", args=[self.area.slug]), {"show": "stewardship", "q": "mtr_srl"}
        )
        for told in ("Confidentiality", self.person.display_name, "Internal"):
            self.assertContains(page, told)
        self.assertContains(
            self.client.get(reverse("dictionary:page", args=[self.area.slug]), {"show": "technical"}),
            "Default and comment",
        )
        self.assertEqual(coverage.keep_today(), CoverageDay.objects.count())
        self.assertEqual(coverage.keep_today(), 0)
        CoverageDay.objects.update(day=timezone.localdate() - timedelta(days=3))
        self.define_all()
        coverage.keep_today()
        desk = self.client.get(reverse("desk:page", args=[self.area.slug]))
        self.assertContains(desk, "Coverage by day")
        self.assertContains(desk, "100 % described")

    def define_all(self) -> None:
        setting.set_for_all(
            area=self.area,
            person=self.person,
            query=search.Query(self.area.pk),
            field="definition",
            value="x",
            only_missing=True,
        )


class SettingTests(DescribingCase):
    def set(self, given: str, **posted: Any) -> Any:
        return self.client.post(f"{reverse('dictionary:set', args=[self.area.slug])}?{given}", posted, follow=True)

    def test_one_value_for_all_that_the_filters_show(self) -> None:
        form = self.client.get(
            reverse("dictionary:set", args=[self.area.slug]), {"q": "mtr_srl", "field": f"a{self.aspect('Owner').pk}"}
        )
        self.assertContains(form, "1 column<")
        self.assertContains(form, self.person.display_name)
        self.assertContains(self.set("q=mtr_srl", field="definition", value="Number on the body."), "1 changed")
        self.assertContains(self.set("q=mtr", field="definition", value="Other.", only_missing="1"), "changed. Press u")
        serial = column(self.model, "mtr.mtr_srl_no")
        assert serial.attribute is not None
        self.assertEqual(serial.attribute.definition, "Number on the body.")
        owner = self.aspect("Owner")
        self.set("", field=f"a{owner.pk}", value=f"p{self.person.pk}", only_missing="1")
        self.assertEqual(self.holds("column", serial.pk, "Owner"), (self.person.display_name, "its attribute"))
        self.assertContains(self.set("", field="a999", value="x"), "is no field", status_code=422)
        self.assertContains(self.set("", field=f"a{owner.pk}", value="Nobody"), "is not known", status_code=422)
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.holds("column", serial.pk, "Owner")[0], "")
