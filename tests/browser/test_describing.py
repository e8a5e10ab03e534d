"""From a table without an owner to a sheet that came back, as a steward does it: classified, seen, filtered, exported, reviewed, applied."""

from __future__ import annotations

from django.urls import reverse
from openpyxl import load_workbook
from selenium.webdriver.support.ui import Select

from indexa.areas.models import Role
from indexa.describing import aspects
from indexa.describing.models import Aspect
from tests.browser.case import BrowserCase
from tests.factories import column, make_area, make_model, make_person, store, table


class DescribingTests(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area)
        self.model = store(self.area, make_model())
        aspects.begin(area=self.area, person=make_person(self.area, Role.ADMINISTRATOR))
        aspects.save_team(area=self.area, team=None, name="Metering", people=[self.person.pk])
        self.sign_in(self.person)

    def set_in_margin(self, level: str, object_id: int, aspect: str, words: str) -> None:
        css = f"#sayings-{level}-{object_id}-"
        label = f"//div[@id='{css[1:]}']//dt[.='{aspect}']/following-sibling::dd[1]//button"
        self.until(lambda: bool(self.browser.find_elements("xpath", label)), f"no {aspect} in {css}")
        self.browser.find_element("xpath", label).click()
        field = f"{css} select"
        Select(self.find(field)).select_by_visible_text(words)
        self.click(f"{css} .btn.main")
        self.until(lambda: not self.browser.find_elements("css selector", field), "the form stays")
        self.see(words, css)

    def test_a_table_is_owned_classified_filtered_exported_edited_and_taken_back(self) -> None:
        own, serial = table(self.model, "mtr"), column(self.model, "mtr.mtr_srl_no")
        self.open(reverse("modeling:table", args=[self.area.slug, own.pk]))
        self.set_in_margin("table", own.pk, "Owner", "Metering")
        self.set_in_margin("table", own.pk, "Personal data", "Indirect")
        self.assert_accessible("table margin")
        self.open(f"{reverse('dictionary:page', args=[self.area.slug])}?show=stewardship&q=mtr_srl")
        self.see("Metering")
        self.see("Indirect")
        self.click(f"#pick-{serial.pk}")
        self.see("its entity", "#margin")
        self.open(reverse("diagrams:list", args=[self.area.slug, self.model.pk]))
        owner = Aspect.objects.get(area=self.area, name="Owner")
        self.open(f"{reverse('dictionary:page', args=[self.area.slug])}?a{owner.pk}=none")
        self.see("3 columns")
        self.open(reverse("dictionary:page", args=[self.area.slug]))
        self.click(".acts summary.btn.main")
        self.click("#export-sheet")
        path = self.downloaded(".xlsx")
        book = load_workbook(path)
        sheet = book.active
        titles = {cell.value: cell.column for cell in sheet[3]}
        row = next(cell.row for cell in sheet["A"] if cell.value == f"c{serial.pk}")
        sheet.cell(row, titles["Definition"]).value = "Number on the body."
        sheet.cell(row, titles["Confidentiality"]).value = "Hush"
        book.save(path)
        self.open(reverse("dictionary:sheets", args=[self.area.slug]))
        self.find("#sheet-file").send_keys(str(path))
        self.press("Import sheet")
        self.see("Number on the body.")
        self.see("“Hush” is not known")
        self.assert_accessible("sheet")
        self.press("keep ours: Definition of metering.mtr.mtr_srl_no")
        self.see("0 to be taken")
