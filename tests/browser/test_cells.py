"""The dictionary's grid by keyboard: cells edited, pasted, filled down, and kept when the network or the sign-in is lost."""

from __future__ import annotations

from django.contrib.sessions.models import Session
from django.urls import reverse
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from indexa.areas.models import Role
from indexa.describing import aspects
from indexa.modeling import editing
from indexa.store.models import DescribedColumn, StoredColumn
from tests.browser.case import BrowserCase
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store

_PASTE = """
const data = new DataTransfer(); data.setData('text/plain', arguments[0]);
document.activeElement.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true}))"""


class CellTests(BrowserCase):
    expected_faults = ("status of 422", "401 (Unauthorized)", "Status Error Code 401", "ERR_INTERNET_DISCONNECTED")

    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area)
        self.model = store(self.area, make_model())
        aspects.begin(area=self.area, person=make_person(self.area, Role.ADMINISTRATOR))
        self.sign_in(self.person)
        self.page = f"{reverse('dictionary:page', args=[self.area.slug])}?q=mtr"
        self.day = column(self.model, "mtr.inst_dt")
        self.serial = column(self.model, "mtr.mtr_srl_no")
        self.addCleanup(self.go_online, True)

    def cell(self, one: StoredColumn, field: str = "definition") -> str:
        return f'tr[data-column="{one.pk}"] [data-field="{field}"]'

    def shown(self, one: StoredColumn, field: str = "definition") -> str:
        return str(getattr(DescribedColumn.objects.get(pk=one.pk), field))

    def is_saved(self, one: StoredColumn, text: str) -> None:
        self.until(lambda: self.shown(one) == text, f"{text} is not saved")
        self.until(lambda: not self.browser.find_elements("css selector", ".saving"), "the cell still waits")

    def go_online(self, online: bool) -> None:
        self.browser.execute_cdp_cmd("Network.enable", {})
        self.browser.execute_cdp_cmd(
            "Network.emulateNetworkConditions",
            {"offline": not online, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1},
        )

    def test_cells_are_edited_filled_down_pasted_refused_and_undone_by_keyboard(self) -> None:
        self.open(self.page)
        self.click(self.cell(self.serial))
        self.see("mtr_srl_no", "#margin h2")
        self.keys(Keys.ENTER + "Number on the body.")
        self.assert_accessible("dictionary with a cell being edited")
        self.keys(Keys.ENTER)
        self.is_saved(self.serial, "Number on the body.")
        self.see("Number on the body.", self.cell(self.serial))
        self.click(self.cell(self.serial))
        ActionChains(self.browser).key_down(Keys.SHIFT).send_keys(Keys.ARROW_DOWN).key_up(Keys.SHIFT).perform()
        ActionChains(self.browser).key_down(Keys.CONTROL).send_keys("d").key_up(Keys.CONTROL).perform()
        self.is_saved(self.day, "Number on the body.")
        self.keys("u")
        self.is_saved(self.day, "")
        self.until(lambda: "Number" not in self.text(self.cell(self.day)), "the undone cell is not shown")
        self.click(self.cell(self.serial, "business_name"))
        self.browser.execute_script(_PASTE, 'Serial number\t"Two\nlines, ""quoted"""\nInstalled on\tDay it was set.')
        self.is_saved(self.serial, 'Two\nlines, "quoted"')
        self.is_saved(self.day, "Day it was set.")
        self.assertEqual(self.shown(self.day, "business_name"), "Installed on")
        self.browser.execute_script(_PASTE, "x\n" * 30)
        self.see("had no row to go to")
        self.until(lambda: self.shown(self.day, "business_name") == "x", "the lines that fit are not pasted")
        self.until(lambda: not self.browser.find_elements("css selector", ".saving"), "the cell still waits")
        self.keys("u")
        self.confirm("Undo “Set 6 cells in the dictionary”")
        self.until(lambda: self.shown(self.day, "business_name") == "Installed on", "not undone")
        self.see("Installed on", self.cell(self.day, "business_name"))
        self.keys("j")
        self.until(lambda: self.text("tr.sel code") == "inst_dt", "j does not go to the next row")
        self.keys(Keys.ARROW_RIGHT + Keys.ENTER + "x" * 5 + Keys.ESCAPE)
        self.assertEqual(self.text(self.cell(self.day, "business_name")), "Installed on")

    def test_a_class_is_chosen_in_its_cell_and_one_that_is_none_is_refused(self) -> None:
        private = self.area.aspects.get(name="Personal data")
        self.open(f"{self.page}&show=stewardship")
        self.click(self.cell(self.serial, private.field))
        self.keys(Keys.ENTER + "Indirect" + Keys.ENTER)
        self.until(lambda: self.text(self.cell(self.serial, private.field)) == "Indirect", "not shown")
        self.click(self.cell(self.day, private.field))
        self.keys(Keys.ENTER + "Hush" + Keys.ENTER)
        self.see("“Hush” is not known")
        self.until(lambda: self.text(self.cell(self.day, private.field)) == "–", "what was refused stays")

    def test_what_was_typed_survives_a_lost_network_a_reload_and_a_sign_in_that_ended(self) -> None:
        self.open(self.page)
        self.click(self.cell(self.serial))
        self.see("mtr_srl_no", "#margin h2")
        self.go_online(False)
        self.keys(Keys.ENTER + "Typed in a tunnel." + Keys.ENTER)
        self.see("The server does not answer")
        self.see("1 not saved yet")
        self.assertEqual(self.text(self.cell(self.serial)), "Typed in a tunnel.")
        self.go_online(True)
        self.is_saved(self.serial, "Typed in a tunnel.")
        self.browser.execute_script("window.fetch = () => Promise.reject(new TypeError('no network'))")
        self.click(self.cell(self.day))
        self.keys(Keys.ENTER + "Typed before a reload." + Keys.ENTER)
        self.see("1 not saved yet")
        self.browser.refresh()
        self.is_saved(self.day, "Typed before a reload.")
        self.click(self.cell(self.day, "business_name"))
        self.see("inst_dt", "#margin h2")
        Session.objects.all().delete()
        self.keys(Keys.ENTER + "Day it was set" + Keys.ENTER)
        self.find("#sign-in-again [name=username]").send_keys(self.person.username)
        self.find("#sign-in-again [name=password]").send_keys(PASSWORD + Keys.ENTER)
        self.until(lambda: self.shown(self.day, "business_name") == "Day it was set", "not saved after signing in")

    def test_what_somebody_else_wrote_is_shown_beside_and_one_of_both_is_kept(self) -> None:
        self.open(self.page)
        self.click(self.cell(self.serial))
        place = editing.place_of(self.serial, only_here=False)
        editing.edit(area=self.area, person=self.person, place=place, field="definition", seen="", value="Theirs.")
        self.keys(Keys.ENTER + "Mine." + Keys.ENTER)
        self.see("changed here in the meantime")
        self.assertEqual(self.shown(self.serial), "Theirs.")
        self.keys(Keys.ARROW_UP + Keys.ESCAPE)
        self.see("Theirs.", self.cell(self.serial))
        self.keys(Keys.ENTER + "Both of us." + Keys.ENTER)
        self.is_saved(self.serial, "Both of us.")
