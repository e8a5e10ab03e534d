"""A model built by hand in the browser: drawn, related, retyped, undone, derived for two platforms, its DDL seen."""

from __future__ import annotations

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from indexa.areas.models import Role
from indexa.store.models import StoredColumn, StoredModel, StoredRelationship
from tests.browser.case import BrowserCase
from tests.factories import make_area, make_model, make_person, store


class BuildingTests(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area, Role.STEWARD)
        self.sign_in(self.person)

    def columns(self, table: str) -> list[str]:
        found = StoredColumn.objects.filter(table__name=table, removed_at__isnull=True, table__removed_at__isnull=True)
        return list(found.order_by("position").values_list("name", flat=True))

    def card(self, name: str) -> object:
        found = [one for one in self.browser.find_elements(By.CSS_SELECTOR, ".card-box") if name in one.text]
        return found[0]

    def type_column(self, *words: str) -> None:
        """Type a column and its type into the margin, the first as the key."""
        self.until(
            lambda: self.browser.switch_to.active_element.get_attribute("id") == "build-new-name",
            "no field for a column",
        )
        name, type_, *key = words
        self.find("#build-new-name").send_keys(name)
        self.find("#build-new-type").send_keys(type_)
        if key:
            self.find(".build-new [name=in_key]").click()
        self.find("#build-new-type").send_keys(Keys.ENTER)
        self.until(lambda: name in self.find("#margin .build-columns").text, f"{name} is not there")

    def test_two_entities_and_a_relationship_are_drawn_and_become_scripts_for_two_platforms(self) -> None:
        self.open(f"/a/{self.area.slug}/models/")
        self.click(".acts .btn.main")
        self.assert_accessible("new model")
        self.find("#new-model-name").send_keys("Customer care")
        self.click(".form-end .btn.main")
        self.see("An empty diagram")
        self.click("[data-draw=table]")
        canvas = self.find("#drawing")
        ActionChains(self.browser).move_to_element_with_offset(canvas, -200, -60).click().perform()
        self.find("#draw-name").send_keys("Customer", Keys.ENTER)
        self.type_column("Customer Number", "varchar(12)", "key")
        self.type_column("Name", "varchar(80)")
        self.assert_accessible("an entity in the margin")
        self.find("#drawing").send_keys(Keys.ESCAPE)
        self.find("#drawing").send_keys("t")
        self.find("#draw-name").send_keys("Complaint", Keys.ENTER)
        self.type_column("Complaint Number", "bigint", "key")
        self.find("#drawing").send_keys("r")
        self.find("#draw-parent").send_keys("Customer")
        self.find("#draw-child").send_keys("Complaint")
        self.find("#draw-child").send_keys(Keys.ENTER)
        self.until(lambda: StoredRelationship.objects.exists(), "the relationship is not saved")
        self.assertEqual(self.columns("Complaint"), ["Complaint Number", "Customer Number"])
        self.see("Customer Number", "#margin .build-columns")

        self.browser.execute_script("document.querySelector('[data-show-diagram]').click()")
        self.see("Complaint", "#table-list")
        self.press("Customer")
        self.until(lambda: "Customer" in self.find("#margin h2").text, "the customer is not shown")
        self.until(lambda: self.browser.find_elements(By.CSS_SELECTOR, "#margin .build-columns summary"), "no editor")
        self.find("#margin .build-columns summary").click()
        field = self.find("#margin .build-columns [name=type]")
        field.clear()
        field.send_keys("uuid")
        self.click("#margin .build-columns [value=save]")
        self.see("Complaint.Customer Number becomes uuid", "#margin")
        self.find("#drawing").send_keys(Keys.ESCAPE)
        self.find("#drawing").send_keys("u")
        self.confirm("Customer Number")
        self.see("Undone", "#toast")
        types = set(StoredColumn.objects.filter(name="Customer Number").values_list("type", flat=True))
        self.assertEqual(types, {"varchar(12)"})

        logical = StoredModel.objects.get()
        for platform, sign in (("postgresql", "character varying(12)"), ("oracle", "VARCHAR2(12 CHAR)")):
            self.open(f"/a/{self.area.slug}/models/{logical.pk}/derive/")
            self.assert_accessible("derive")
            self.browser.execute_script(f"document.getElementById('derive-platform').value = '{platform}'")
            self.click(".form-end .btn.main")
            self.see("Queued")  # the job is there before a worker looks for it
            self.work()
            self.see("DDL of", "h1")
            self.see(sign, "#ddl-text")
            self.assert_accessible("DDL")


class GridTests(BrowserCase):
    expected_faults = ("status of 422",)

    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.sign_in(make_person(self.area, Role.STEWARD))
        self.model = store(self.area, make_model())

    def cell(self, column: str, field: str) -> str:
        pk = StoredColumn.objects.get(table__model=self.model, table__name="mtr", name=column, removed_at=None).pk
        return f'tr[data-column="{pk}"] [data-field="{field}"]'

    def types(self) -> list[str]:
        found = StoredColumn.objects.filter(table__model=self.model, table__name="mtr").order_by("position")
        return list(found.values_list("type", flat=True))

    def keys(self, *keys: str) -> None:
        ActionChains(self.browser).send_keys(*keys).perform()

    def test_cells_are_edited_filled_down_pasted_refused_and_undone_by_keyboard(self) -> None:
        self.open(f"/a/{self.area.slug}/models/{self.model.pk}/columns/")
        self.assert_accessible("grid of columns")
        serial = self.cell("mtr_srl_no", "type")
        self.click(serial)
        self.keys(Keys.ENTER, "text", Keys.ENTER)
        self.until(lambda: self.types() == ["bigint", "text", "date"], "the type is not saved")
        self.keys(Keys.ARROW_UP)
        ActionChains(self.browser).key_down(Keys.SHIFT).send_keys(Keys.ARROW_DOWN).key_up(Keys.SHIFT).perform()
        ActionChains(self.browser).key_down(Keys.CONTROL).send_keys("d").key_up(Keys.CONTROL).perform()
        self.until(lambda: self.types() == ["bigint", "text", "text"], "not filled down")
        self.keys("u")
        self.until(lambda: self.types() == ["bigint", "text", "date"], "not undone")
        self.until(lambda: self.find(self.cell("inst_dt", "type")).text == "date", "the undone cell is not shown")
        self.click(serial)
        self.browser.execute_script(
            "const data = new DataTransfer(); data.setData('text/plain', arguments[0]);"
            "document.activeElement.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true}))",
            "varchar(30)\tyes\ntimestamp\tmaybe\n",
        )
        self.see("says neither yes nor no")
        self.assertEqual(self.types(), ["bigint", "text", "date"])
        self.assertEqual(self.find(serial).text, "text")
        self.browser.execute_script(
            "const data = new DataTransfer(); data.setData('text/plain', arguments[0]);"
            "document.activeElement.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true}))",
            "varchar(30)\tyes\ntimestamp\tyes\n",
        )
        self.until(lambda: self.types() == ["bigint", "varchar(30)", "timestamp"], "the block is not pasted")
