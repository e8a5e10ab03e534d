"""A naming pass in the browser: words settled by mouse and keys, names written, applied, seen in the dictionary, undone."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from indexa.core.naming.standard import Kind, Rule
from indexa.modeling import editing
from indexa.naming.standards import services as standards
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import BookWord
from indexa.store.models import StoredColumn
from tests.browser.case import BrowserCase
from tests.factories import column, make_area, make_model, make_person, store


class NamingPassTests(BrowserCase):
    expected_faults = ("status of 422",)

    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area)
        store(self.area, make_model())
        self.sign_in(self.person)

    def test_words_are_settled_applied_seen_in_the_dictionary_and_undone(self) -> None:
        self.open(f"/a/{self.area.slug}/names/")
        self.see("An empty wordbook")
        self.click("summary.btn")
        self.press("Propose words")
        self.work()
        self.open(f"/a/{self.area.slug}/names/?status=proposed")
        self.see("Meter", "#words .is-proposed")
        self.click("#words .pick")
        self.see("Found by Indexa", "#margin")
        BookWord.objects.all().delete()
        self.open(f"/a/{self.area.slug}/names/")
        self.follow("Start a naming pass")
        self.press("Propose names")
        self.work()
        self.open(f"/a/{self.area.slug}/names/passes/")
        self.click("table.list tbody a")
        self.see("waiting for a word")
        self.keys("j")
        self.see("Where it is used", "#margin")
        self.assertEqual(self.text("article.dec.sel .short code"), "mtr")
        self.keys("1")
        self.see("Meter", "article.dec.sel .outcome")
        self.see("names follow", "#toast")
        self.keys("r")
        self.see("Meter", "article.dec.sel .opt")
        self.keys("o")
        self.keys("Water Meter" + Keys.ENTER)
        self.see("Water Meter", "article.dec.sel .outcome")
        self.assertEqual(list(BookWord.objects.values_list("word", flat=True)), ["Water Meter"])
        self.keys("j")
        self.until(lambda: self.text("article.dec.sel .short code") != "mtr", "the next word is not selected")
        self.keys("s")
        self.see("skipped", "article.dec.is-left")
        self.click(".within a:nth-child(2)")
        self.see("waits for")
        self.click("[aria-label='Write the name of metering.mtr.mtr_srl_no']")
        self.find("[name=after]").clear()
        self.find("[name=after]").send_keys(Keys.ENTER)
        self.see("Say a name", ".conflict")
        self.find("[name=after]").clear()
        self.find("[name=after]").send_keys("Serial Number" + Keys.ENTER)
        self.see("locked")
        self.click(".acts .btn.main")
        self.see("applied")
        self.open(f"/a/{self.area.slug}/dictionary/?q=mtr_id")
        self.see("Water Meter ID", "table.dictionary")
        self.open(f"/a/{self.area.slug}/dictionary/")
        self.see("Serial Number", "table.dictionary")
        self.keys("u")
        self.confirm("business names in billing?")
        self.see("Undone", "#toast")
        self.until(lambda: "Serial Number" not in self.text("table.dictionary"), "the names are still there")

    def test_a_word_is_added_and_a_fault_keeps_what_was_typed(self) -> None:
        BookWord.objects.create(wordbook=wordbooks.books_of(self.area)[0], word="Reading", abbreviations=["rdg"])
        self.open(f"/a/{self.area.slug}/names/")
        self.press("New word")
        self.find("#w-word").send_keys("reading")
        self.find("#w-abbreviations").send_keys("rd")
        self.press("Save")
        self.see("is in", "#margin .conflict")
        self.assertEqual(self.find("#w-abbreviations").get_attribute("value"), "rd")
        self.find("#w-word").send_keys(" Day")
        self.press("Save")
        self.see("is saved", "#margin")
        self.see("reading Day", "#words")
        self.click("#words .pick")
        self.see("word · agreed", "#margin")


class BackwardsTests(BrowserCase):
    expected_faults = ("status of 422",)

    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area)
        self.stored = store(self.area, make_model())
        book = wordbooks.own_book(self.area)
        for word, short in (("Meter", "met"), ("Identifier", "id"), ("Number", "nbr")):
            BookWord.objects.create(wordbook=book, word=word, abbreviations=[short])
        for name, text in (("mtr.mtr_id", "Meter Identifier"), ("mtr.mtr_srl_no", "Meter Serial Number")):
            place = editing.place_of(column(self.stored, name), only_here=False)
            editing.edit(area=self.area, person=self.person, place=place, field="business_name", seen="", value=text)
        rules: dict[Kind, Rule] = {
            "column": Rule(),
            "index": Rule(pattern="x"),
            "primary key": Rule(pattern="pk_{{ table }}"),
        }
        standard = standards.make(area=self.area, person=self.person, name="Plain", rules=rules)
        standards.govern(stored=standard, models=[self.stored])
        self.sign_in(self.person)

    def columns(self) -> list[str]:
        return list(StoredColumn.objects.filter(table__model=self.stored, table__name="mtr").order_by("position").values_list("name", flat=True))  # fmt: skip

    def test_physical_names_are_made_settled_applied_and_undone(self) -> None:
        self.open(f"/a/{self.area.slug}/names/passes/")
        self.click("[name=direction][value=physical]")
        self.see("keys and indexes", ".only-physical")
        self.click("[name=names][value=all]")
        self.press("Propose names")
        self.work()
        self.open(f"/a/{self.area.slug}/names/passes/")
        self.click("table.list tbody a")
        self.keys("j")
        self.until(lambda: self.text("article.dec.sel .biz-name") == "serial", "the word is not selected")
        self.keys("o")
        self.keys("s r l" + Keys.ENTER)
        self.see("letters and digits only", "article.dec .conflict")
        self.see("serial", "article.dec.sel .short")
        self.keys("1")
        self.see("srl", "article.dec.sel .outcome")
        self.click(".acts .btn.main")
        self.see("applied", ".acts .tag")
        self.assertEqual(self.columns(), ["met_id", "met_srl_nbr", "inst_dt"])
        self.keys("u")
        self.confirm("names in billing?")
        self.see("Undone", "#toast")
        self.assertEqual(self.columns(), ["mtr_id", "mtr_srl_no", "inst_dt"])

    def test_a_finding_is_mended_by_keyboard_and_a_word_is_edited_in_the_grid(self) -> None:
        self.open(f"/a/{self.area.slug}/names/findings/")
        self.see("pk_mtr")
        button = self.find("[aria-label='Change metering.mtr.mtr_pkey to pk_mtr']")
        self.browser.execute_script("arguments[0].focus()", button)
        self.keys(Keys.ENTER)
        self.see("changed", "tr .tag.accent")
        self.keys("u")
        self.see("Undone", "#toast")
        self.find("[aria-label='Change metering.mtr.mtr_pkey to pk_mtr']")
        self.open(f"/a/{self.area.slug}/names/")
        self.keys("j")
        self.see("word · agreed", "#margin")
        self.keys("e")
        self.find(".word-fields [name=word]").clear()
        self.find(".word-fields [name=word]").send_keys("Key" + Keys.ENTER)
        self.see("Key", "#words")
        self.keys("u")
        self.until(lambda: "Identifier" in self.text("#words"), "the word is not back")
