"""All names of a model: each once, written in every place, out to a spreadsheet and back for review."""

from __future__ import annotations

import csv
import io

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.changes import undoing
from indexa.changes.models import ChangeSet
from indexa.naming.passes import name_sheet as all_names
from indexa.naming.passes import services as passes
from indexa.naming.passes.models import LockedName, NamingPass
from indexa.store.models import DescribedColumn
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store


class AllNamesTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.model = store(self.area, make_model())
        self.client.login(username=self.person.username, password=PASSWORD)

    def at(self, name: str, *more: object) -> str:
        return reverse(f"naming:{name}", args=[self.area.slug, *more])

    def write(self, name: str, business_name: str, target: str = "column") -> int:
        return self.client.post(
            self.at("all-write", self.model.pk), {"target": target, "name": name, "business_name": business_name}
        ).status_code

    def shown(self, name: str) -> str:
        return str(DescribedColumn.objects.get(pk=column(self.model, name).pk).business_name)

    def test_each_name_stands_once_with_its_places_and_is_written_in_all(self) -> None:
        rows = {(row.target, row.name): row for row in all_names.find(self.model)}
        self.assertEqual(rows["column", "mtr_id"].count, 3)
        self.assertEqual(self.write("mtr_id", " Meter   ID "), 200)
        self.assertEqual({self.shown(f"{table}.mtr_id") for table in ("mtr", "mtr_rdg", "v_mtr")}, {"Meter ID"})
        self.assertEqual(ChangeSet.objects.filter(kind="edit").count(), 1)
        for name, business_name, target, status in (
            ("mtr_id", "", "column", 422),
            ("mtr_id", "x" * 201, "column", 422),
            ("nope", "X", "column", 404),
        ):
            self.assertEqual(self.write(name, business_name, target), status)
        self.assertNotIn("mtr_id", [row.name for row in all_names.find(self.model, which="missing")])
        self.assertEqual([row.name for row in all_names.find(self.model, "METER", "column")], ["mtr_id"])
        self.assertEqual(all_names.find(self.model, "m%"), [])
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.shown("mtr.mtr_id"), "")

    def test_a_sheet_goes_out_comes_back_and_is_looked_through_before_it_is_applied(self) -> None:
        self.write("mtr_id", "Meter ID")
        LockedName.objects.create(target="column", object_id=column(self.model, "mtr.inst_dt").attribute_id or 0)
        book = openpyxl.load_workbook(io.BytesIO(self.client.get(self.at("all-export", self.model.pk, "xlsx")).content))
        sheet = book.active
        assert sheet
        for row in sheet.iter_rows(min_row=2):
            row[3].value = {"mtr_id": "Meter Number", "rdg_ts": "Reading Moment", "inst_dt": "Locked"}.get(
                str(row[1].value), row[3].value
            )
        out = io.BytesIO()
        book.save(out)
        answer = self.client.post(
            self.at("all-import", self.model.pk), {"sheet": SimpleUploadedFile("n.xlsx", out.getvalue())}
        )
        made = NamingPass.objects.get()
        self.assertRedirects(answer, self.at("pass-names", made.pk))
        text = {(name.place, name.before, name.after) for name in made.names.all()}
        self.assertIn(("metering.mtr.mtr_id", "Meter ID", "Meter Number"), text)
        self.assertNotIn("Locked", {after for _, _, after in text})
        self.assertEqual(self.shown("mtr_rdg.rdg_ts"), "")
        passes.apply(area=self.area, person=self.person, pass_id=made.pk)
        self.assertEqual((self.shown("mtr.mtr_id"), self.shown("mtr_rdg.rdg_ts")), ("Meter Number", "Reading Moment"))
        rows = list(
            csv.reader(
                io.StringIO(self.client.get(self.at("all-export", self.model.pk, "csv")).content.decode("utf-8-sig"))
            )
        )
        self.assertIn(["column", "mtr_id", "3", "Meter Number", "", "Meter Number"], rows)
        same = "\r\n".join(",".join(row) for row in rows).encode()
        self.client.post(self.at("all-import", self.model.pk), {"sheet": SimpleUploadedFile("n.csv", same)})
        self.assertEqual(NamingPass.objects.count(), 1)

    def test_what_was_changed_since_the_export_is_decided_by_a_person_and_strangers_are_named(self) -> None:
        self.write("mtr_id", "Meter ID")
        self.write("rdg_ts", "Read At")
        out = self.client.get(self.at("all-export", self.model.pk, "csv")).content.decode("utf-8-sig")
        rows = list(csv.DictReader(io.StringIO(out)))
        for row in rows:
            row["Business name"] = {"mtr_id": "Meter Number"}.get(row["Name"], row["Business name"])
        rows.append({**rows[0], "Kind": "column", "Name": "no_such", "Business name": "Stranger", "Exported name": ""})
        self.write("mtr_id", "Identifier of the Meter")
        self.write("rdg_ts", "Reading Time")
        sheet = io.StringIO()
        writer = csv.DictWriter(sheet, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
        answer = self.client.post(
            self.at("all-import", self.model.pk),
            {"sheet": SimpleUploadedFile("n.csv", sheet.getvalue().encode())},
            follow=True,
        )
        self.assertContains(answer, "no_such")
        self.assertContains(answer, "changed to “Identifier of the Meter” since")
        names = NamingPass.objects.get().names
        self.assertEqual(set(names.values_list("name", flat=True)), {"mtr_id"})
        self.assertFalse(names.filter(open=[]).exists())

    def test_a_file_that_is_something_else_is_told_and_changes_nothing(self) -> None:
        for content in (
            b"a,b\n1,2\n",
            b"\0\1",
            b"PK\x03\x04 no",
            b"Kind,Name,Business name\nview,a,b\n",
            b"",
            b"Kind,Name,Business name\ntable,a," + b"x" * 201,
        ):
            answer = self.client.post(
                self.at("all-import", self.model.pk), {"sheet": SimpleUploadedFile("n.csv", content)}, follow=True
            )
            self.assertEqual(answer.redirect_chain[-1][0], f"{self.at('all')}?model={self.model.pk}")
        self.assertFalse(NamingPass.objects.exists())

    def test_a_reader_looks_and_others_see_nothing(self) -> None:
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertContains(self.client.get(self.at("all")), "mtr_srl_no")
        self.assertEqual(
            (self.write("mtr_id", "X"), self.client.post(self.at("all-import", self.model.pk)).status_code), (403, 403)
        )
        elsewhere = make_area("Elsewhere")
        self.client.login(username=make_person(elsewhere, Role.ADMINISTRATOR).username, password=PASSWORD)
        self.assertEqual(
            self.client.get(reverse("naming:all-export", args=[elsewhere.slug, self.model.pk, "csv"])).status_code, 404
        )
