"""Exports: what is on screen, in its order; at once where small, by a job where large."""

from __future__ import annotations

import csv
import io
from unittest.mock import patch

from django.http import QueryDict
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone
from openpyxl import load_workbook

from indexa.areas.models import Role
from indexa.core.dictionary.entry import HEADINGS
from indexa.describing import aspects, saying
from indexa.dictionary import exports, search
from indexa.dictionary.forms import read_query
from indexa.glossary import services as glossary
from indexa.glossary.models import Term
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.store.models import DescribedColumn, StoredRelationship, StoredTable
from tests.dictionary.test_search import random_model
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, table


class ExportTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.stored = store(self.area, random_model(20, 8))
        self.person = make_person(self.area, Role.READER)
        self.client.login(username=self.person.username, password=PASSWORD)

    def wanted(self, address: str) -> list[str]:
        ids = search.page(read_query(self.area, QueryDict(address)), 0, 1000)
        columns = DescribedColumn.objects.in_bulk(ids)
        return [columns[id_].name for id_ in ids]

    def download(self, kind: str, address: str) -> bytes:
        response = self.client.get(f"{reverse('dictionary:export', args=[self.area.slug, kind])}?{address}")
        self.assertEqual(response.status_code, 200)
        self.assertIn(f".{exports.KINDS[kind].suffix}", response.headers["Content-Disposition"])
        return b"".join(response.streaming_content)

    def test_a_file_has_the_rows_of_the_view_in_its_order(self) -> None:
        for address in ("", "q=mtr&schema=bill", "q=rdg&sort=-column", "key=pk&key=fk"):
            with self.subTest(address):
                wanted = self.wanted(address)
                rows = list(csv.DictReader(io.StringIO(self.download("csv", address).decode(), newline="")))
                self.assertEqual([row["Column"] for row in rows], wanted)
                sheet = load_workbook(io.BytesIO(self.download("xlsx", address)), read_only=True)["Dictionary"]
                place = HEADINGS.index("Column")
                self.assertEqual([row[place] for row in sheet.iter_rows(min_row=4, values_only=True)], wanted)
                self.assertEqual(self.download("md", address).decode().count("\n| "), len(wanted) + self.bands(address))

    def test_what_columns_mean_and_who_owns_them_stands_in_every_file(self) -> None:
        stored = store(self.area, make_model("other"))
        steward = make_person(self.area)
        aspects.begin(area=self.area, person=steward)
        owner = self.area.aspects.get(name="Owner")
        subject = saying.Subject("table", table(stored, "mtr").pk)
        saying.say(area=self.area, person=steward, subject=subject, aspect=owner, given=steward.display_name)
        term = glossary.save(area=self.area, person=steward, kind=Term, item=None, given={"name": "Serial | number"})
        serial = column(stored, "mtr.mtr_srl_no").pk
        glossary.carry(area=self.area, person=steward, column_ids=[serial], carried={"term": term})
        address = f"model={stored.pk}&q=mtr_srl"
        [row] = csv.DictReader(io.StringIO(self.download("csv", address).decode(), newline=""))
        self.assertEqual(
            (row["Term"], row["Owner"], row.get("Retention", "")),
            ("Serial | number", steward.display_name, ""),
        )
        sheet = load_workbook(io.BytesIO(self.download("xlsx", address)), read_only=True)["Dictionary"]
        heads, values = list(sheet.iter_rows(min_row=3, max_row=4, values_only=True))
        self.assertEqual(values[heads.index("Term")], "Serial | number")
        self.assertIn("Serial \\| number", self.download("md", address).decode())

    def test_a_table_has_its_definition_and_a_foreign_key_what_it_refers_to(self) -> None:
        stored = store(self.area, make_model())
        StoredTable.objects.filter(pk=table(stored, "mtr_rdg").entity_id).update(definition="A value read.")
        content = self.download("csv-bom", f"model={stored.pk}").decode()
        self.assertTrue(content.startswith("\ufeff"))
        rows = {(row["Table"], row["Column"]): row for row in csv.DictReader(io.StringIO(content[1:], newline=""))}
        reading = rows["mtr_rdg", "mtr_id"]
        self.assertEqual(
            (reading["Table's definition"], reading["References"]), ("A value read.", "metering.mtr.mtr_id")
        )
        StoredRelationship.objects.filter(table__model=stored).update(asserted_at=timezone.now())
        self.assertIn("metering.mtr.mtr_id (asserted)", self.download("csv", f"model={stored.pk}").decode())

    def test_a_spreadsheet_leads_from_its_summary_to_tables_and_from_there_to_their_columns(self) -> None:
        book = load_workbook(io.BytesIO(self.download("xlsx", "")))
        summary, tables, rows = book["Summary"], book["Tables"], book["Dictionary"]
        place = HEADINGS.index("Table") + 1
        for number in range(2, tables.max_row + 1):
            link = tables.cell(number, 3)
            row = int(link.hyperlink.location.rsplit("!A", 1)[1])
            self.assertEqual(rows.cell(row, place).value, link.value)
            self.assertEqual(rows.cell(row, place).hyperlink.location, f"'Tables'!C{number}")
        leads = [cell.hyperlink.location for (cell,) in summary.iter_rows(max_col=1) if cell.hyperlink]
        self.assertEqual(leads[0], "'Tables'!A2")
        self.assertEqual(len(leads), len({cell.value for (cell,) in tables.iter_rows(min_row=2, min_col=2, max_col=2)}))

    def bands(self, address: str) -> int:
        """Head rows of the Markdown tables: one for each run of rows of the same table."""
        ids = search.page(read_query(self.area, QueryDict(address)), 0, 1000)
        columns = DescribedColumn.objects.in_bulk(ids)
        tables = [columns[id_].table_id for id_ in ids]
        return sum(one != before for one, before in zip(tables, [None, *tables], strict=False))

    def test_a_large_one_is_made_by_a_job_and_kept_for_the_person_who_asked(self) -> None:
        with patch.object(exports, "AT_ONCE", 10):
            response = self.client.get(f"{reverse('dictionary:export', args=[self.area.slug, 'csv'])}?q=mtr")
        job = Job.objects.get()
        self.assertRedirects(response, reverse("jobs:page", args=[self.area.slug, job.pk]))
        address = exports.export_in_background(job, Silent())
        content = self.client.get(address).content.decode()
        self.assertEqual(len(content.splitlines()), 1 + len(self.wanted("q=mtr")))
        other = make_person(self.area, Role.ADMINISTRATOR)
        self.client.login(username=other.username, password=PASSWORD)
        self.assertEqual(self.client.get(address).status_code, 404)
