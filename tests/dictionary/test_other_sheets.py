"""Sheets of terms and codes: out, edited and added to, and back, as one change set."""

from __future__ import annotations

import io
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from openpyxl import Workbook, load_workbook

from indexa.areas.models import Role
from indexa.changes import undoing
from indexa.changes.models import ChangeSet
from indexa.dictionary.models import SheetReview
from indexa.glossary import services as glossary
from indexa.glossary.models import CodeList, Term
from tests.describing.test_saying import DescribingCase
from tests.factories import PASSWORD, make_person


class OtherSheetTests(DescribingCase):
    def setUp(self) -> None:
        super().setUp()
        self.meter = self.term("Meter", definition="What measures.", synonyms="device")
        self.codes = glossary.save(
            area=self.area, person=self.person, kind=CodeList, item=None, given={"name": "State", "codes": "A\tActive\nB\tBlocked"}
        )  # fmt: skip

    def term(self, name: str, **given: Any) -> Term:
        return glossary.save(area=self.area, person=self.person, kind=Term, item=None, given={"name": name} | given)

    def exported(self, kind: str) -> Workbook:
        answer = self.client.get(reverse("dictionary:export-all", args=[self.area.slug, kind]))
        return load_workbook(io.BytesIO(b"".join(answer.streaming_content)))

    def place(self, sheet: Any, row: int, title: str) -> Any:
        return sheet.cell(row, {cell.value: cell.column for cell in sheet[3]}[title])

    def back(self, book: Workbook) -> SheetReview:
        stream = io.BytesIO()
        book.save(stream)
        self.client.post(
            reverse("dictionary:hand-in", args=[self.area.slug]), {"file": SimpleUploadedFile("back.xlsx", stream.getvalue())}
        )  # fmt: skip
        return SheetReview.objects.first()  # type: ignore[return-value]

    def apply(self, review: SheetReview) -> Any:
        return self.client.post(reverse("dictionary:apply", args=[self.area.slug, review.pk]), follow=True)

    def test_what_nobody_wrote_says_nothing(self) -> None:
        for kind in ("terms", "codes"):
            review = self.back(self.exported(kind))
            self.assertEqual((review.cells.count(), review.remarks), (0, []), kind)

    def test_terms_are_changed_added_owned_and_undone_at_once(self) -> None:
        book = self.exported("terms")
        sheet = book.active
        self.place(sheet, 4, "Definition").value = "What measures water."
        self.place(sheet, 4, "Owner").value = self.person.display_name
        self.place(sheet, 4, "Broader term").value = "Device of ours"
        self.place(sheet, 4, "State").value = "Agreed"
        self.place(sheet, 5, "Term").value = "Device of ours"
        self.place(sheet, 5, "Definition").value = "=1+1"
        glossary.save(
            area=self.area, person=self.person, kind=Term, item=self.meter, given={"name": "Meter", "definition": "Theirs."}
        )  # fmt: skip
        review = self.back(book)
        cells = {(one.label, one.title): one for one in review.cells.all()}
        self.assertEqual(cells["Meter", "State"].problem, "Only an approver agrees to a term.")
        self.assertTrue(cells["Meter", "Definition"].conflict)
        review.cells.filter(conflict=True).update(decision="take")
        sets = ChangeSet.objects.count()
        self.assertContains(self.apply(review), "taken")
        self.assertEqual(ChangeSet.objects.count(), sets + 1)
        self.meter.refresh_from_db()
        self.assertEqual((self.meter.definition, self.meter.broader.name), ("What measures water.", "Device of ours"))
        self.assertEqual(self.area.aspects.get(name="Owner").assignments.get().object_id, self.meter.pk)
        undoing.undo(area=self.area, person=self.person)
        self.meter.refresh_from_db()
        self.assertEqual((self.meter.definition, self.meter.broader, Term.objects.count()), ("Theirs.", None, 1))

    def test_codes_are_changed_retired_and_added_also_to_new_lists(self) -> None:
        book = self.exported("codes")
        sheet = book.active
        self.place(sheet, 4, "Meaning").value = "In use"
        self.place(sheet, 5, "Retired").value = "yes"
        for row, values in enumerate((("state", "C", "Closed"), ("Colour", "R", "red"), ("Colour", "G", "green")), 6):
            for title, value in zip(("Code list", "Code", "Meaning"), values, strict=True):
                self.place(sheet, row, title).value = value
        self.apply(self.back(book))
        self.codes.refresh_from_db()
        self.assertEqual(
            [(one.code, one.meaning, one.retired) for one in self.codes.as_core],
            [("A", "In use", False), ("B", "Blocked", True), ("C", "Closed", False)],
        )
        self.assertEqual([one.code for one in CodeList.objects.get(name="Colour").as_core], ["R", "G"])
        book = self.exported("codes")
        self.place(book.active, 4, "Code").value = "G"
        self.place(book.active, 20, "Meaning").value = "of nothing"
        review = self.back(book)
        self.assertContains(self.apply(review), "a new row needs the name of its list and a code")
        review.cells.filter(title="Meaning").update(decision="keep")
        self.assertContains(self.apply(review), "the code G stands there twice")

    def test_readers_export_nothing_and_another_area_takes_nothing(self) -> None:
        book = self.exported("terms")
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertEqual(
            self.client.get(reverse("dictionary:export-all", args=[self.area.slug, "terms"])).status_code, 403
        )
        self.assertEqual(book.active["A1"].value[:12], "Indexa sheet")
