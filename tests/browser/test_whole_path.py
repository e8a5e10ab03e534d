"""From signing in to an edition opened from disk, in a real browser, against a real database."""

from __future__ import annotations

import csv
import zipfile
from pathlib import Path

from django.urls import reverse
from openpyxl import load_workbook
from selenium.webdriver.common.keys import Keys

from indexa.areas.models import Role
from indexa.editions import services as editions
from indexa.editions.models import Edition
from indexa.store.models import StoredModel
from tests.browser.case import BrowserCase
from tests.factories import database, make_area, make_person, server_address

BILLING = (Path(__file__).resolve().parents[2] / "src/indexa/demo/billing.sql").read_text()


class WholePathTests(BrowserCase):
    expected_faults = ("status of 422",)

    def test_from_a_live_database_to_an_edition_opened_from_disk(self) -> None:
        area = make_area("Billing")
        self.signer = make_person(area, Role.APPROVER, "Ada Second")
        self.sign_in(make_person(area, Role.APPROVER))
        with database(BILLING) as name:
            self.enter_the_source(name)
            self.read_it()
        self.find_columns()
        self.describe_one()
        self.hand_out_a_spreadsheet()
        self.publish()
        self.open_from_disk()

    def enter_the_source(self, name: str) -> None:
        own = server_address()
        self.follow("Enter a source")
        self.follow("A database you can connect to")
        self.find("[name=name]").send_keys("billing")
        self.find("[name=url]").send_keys(f"postgresql://{name}@{own['host']}:{own['port']}/{name}")
        self.find("[name=password]").send_keys("a wrong one")
        self.press("Try the connection and save")
        self.see("did not accept the password", "[data-failure=password]")
        self.find("[name=password]").send_keys(f"reader of {name}")
        self.press("Try the connection and save")
        self.see("The connection works")

    def read_it(self) -> None:
        self.see("metering", ".list")
        self.see("+ 4 partitions")
        self.press("Import selection")
        self.see("Queued")
        self.work()
        self.see("Receipt of billing", "h1")
        self.see("4 partitions")
        self.assertIn("48", self.text(".arrived"))
        self.follow("Its dictionary")

    def find_columns(self) -> None:
        self.see("274 columns in 52 tables", "#count")
        self.keys("f")
        self.keys("mtr")
        self.see("53 columns in 9 tables contain mtr", "#count")
        self.assertIn("q=mtr", self.browser.current_url)
        self.click("#facet-key-summary")
        self.click("#facet-key-values input[value=pk]")
        self.see("9 columns", "#count")
        shared = self.browser.current_url
        self.open(reverse("dictionary:page", args=["billing"]))
        self.browser.get(shared)
        self.see("9 columns", "#count")
        self.assertTrue(self.find("#facet-key-values input[value=pk]").is_selected())
        self.keys("/")
        self.keys("srl_no")
        self.see("mtr_srl_no", "#found")
        self.keys(Keys.ARROW_DOWN)
        self.keys(Keys.ENTER)
        self.see("metering.mtr", "h1")

    def describe_one(self) -> None:
        self.see("mtr_srl_no", "#margin h2")
        self.see("as stamped by maker", ".suggest")
        self.keys("n")
        self.find("#value-business_name").send_keys("Meter Serial Number" + Keys.ENTER)
        self.see("Meter Serial Number", "#margin .biz")
        self.keys("e")
        self.find("#value-definition").send_keys("Serial number as the maker stamped it.")
        self.find("#value-definition").send_keys(Keys.CONTROL + Keys.ENTER)
        self.see("Serial number as the maker stamped it.", "#edit-definition .prose")
        self.follow("Dictionary")
        self.keys("f")
        self.keys("maker stamped")
        self.see("1 column in 1 table", "#count")
        self.keys(Keys.TAB)  # Escape would empty the field, and the list would fill again behind it
        self.click(".pick")
        self.see("mtr_srl_no", "#margin h2")
        self.keys("u")
        self.see("Undone: definition", "#toast")
        self.see("as stamped by maker", ".suggest")
        self.press("Use")
        self.see("as stamped by maker", "#edit-definition .prose")

    def hand_out_a_spreadsheet(self) -> None:
        self.open(reverse("dictionary:page", args=["billing"]) + "?q=mtr&schema=metering")
        self.see("metering", "#facet-schema-summary")
        self.click("#exports summary")
        self.click("#export-xlsx")
        sheet = load_workbook(self.downloaded(".xlsx"))["Dictionary"]
        self.assertEqual({row[1].value for row in sheet.iter_rows(min_row=4)}, {"metering"})
        self.assertIn("Meter Serial Number", {row[9].value for row in sheet.iter_rows(min_row=4)})
        self.click("#export-csv")
        with self.downloaded(".csv").open(newline="") as file:
            self.assertEqual(len(list(csv.reader(file))) - 1, sheet.max_row - 3)

    def publish(self) -> None:
        self.follow("Editions")
        self.follow("Prepare the first edition")
        self.press("Make the draft")
        self.see("Queued")
        self.work()
        self.see("Look it through below")
        self.sign_off()
        self.click("details.ask-first summary.main")
        self.press("Publish this edition")
        self.see("Queued")
        self.work()
        self.see("published")
        self.find("[name=label]").send_keys("Auditors")
        self.press("Make a reading link")
        link = self.find("#new-link code").text
        self.click(".acts details summary.main")
        self.click(".acts a[href$='/zip/']")
        self.archive = self.downloaded(".zip")
        self.browser.delete_all_cookies()
        self.browser.get(link)
        self.see("Billing data dictionary", "h1")

    def sign_off(self) -> None:
        self.click(f"input[name=people][value='{self.signer.pk}']")
        self.press("Ask for sign-off")
        self.see("It is being reviewed")
        edition = Edition.objects.get()
        editions.decide(edition_id=edition.pk, area=edition.area, person=self.signer, approve=True)
        self.browser.refresh()
        self.see("It is signed off")

    def open_from_disk(self) -> None:
        with zipfile.ZipFile(self.archive) as archive:
            archive.extractall(self.archive.parent)
        index = next(self.archive.parent.rglob("index.html"))
        self.browser.get(index.as_uri())
        self.see("52 tables")
        self.assert_accessible("overview of the edition")
        self.find("#find").send_keys("srl_no" + Keys.ENTER)
        self.see("2 columns", "#count")
        self.see("as stamped by maker")
        self.assert_accessible("dictionary of the edition")
        self.follow("metering.mtr")
        self.see("Referenced by")
        self.assert_accessible("table of the edition")
        self.follow("metering.mtr_xchg")
        self.see("metering.mtr_xchg", ".page-head")
        self.see("signed off by Ada Second", ".seal")
        self.assertTrue(self.browser.current_url.startswith("file://"))
        self.assertEqual(Edition.objects.get().number, 1)
        self.assertEqual(StoredModel.objects.count(), 2)
