"""Undo and redo by key on every main page, and out of the history."""

from __future__ import annotations

from django.urls import reverse
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from indexa.areas.models import Role
from indexa.modeling import editing
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import BookWord
from indexa.store.models import StoredColumn
from tests.browser.case import BrowserCase
from tests.factories import column, make_area, make_model, make_person, store, table


class UndoTests(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area, Role.STEWARD)
        self.stored = store(self.area, make_model())
        self.sign_in(self.person)

    def described(self) -> str:
        return StoredColumn.objects.get(pk=column(self.stored, "mtr.inst_dt").attribute_id).definition

    def press(self, key: str) -> None:
        self.browser.find_element(By.TAG_NAME, "body").send_keys(key)

    def test_by_key_wherever_one_is(self) -> None:
        slug, meter = self.area.slug, table(self.stored, "mtr").pk
        place = editing.place_of(column(self.stored, "mtr.inst_dt"), only_here=False)
        editing.edit(area=self.area, person=self.person, place=place, field="definition", seen="", value="Put in.")
        pages = [
            reverse("desk:page", args=[slug]), reverse("modeling:table", args=[slug, meter]), reverse("dictionary:page", args=[slug]),
            reverse("modeling:overview", args=[slug, self.stored.pk]),
        ]  # fmt: skip
        for page in pages:
            with self.subTest(page):
                self.open(page)
                self.press("u")
                self.see("Undone: definition of", "#toast")
                self.assertEqual(self.described(), "")
                self.press("U")
                self.see("Redone: definition of", "#toast")
                self.assertEqual(self.described(), "Put in.")

    def test_out_of_the_history(self) -> None:
        place = editing.place_of(column(self.stored, "mtr.inst_dt"), only_here=False)
        editing.edit(area=self.area, person=self.person, place=place, field="definition", seen="", value="Put in.")
        self.open(reverse("modeling:history", args=[self.area.slug, self.stored.pk]))
        self.click("[data-undo]")
        self.see("Undone: Definition of", ".worklist")
        self.assert_accessible("history")
        self.click("[data-redo]")
        self.see("Redone: Definition of", ".worklist")
        self.assertEqual(self.described(), "Put in.")

    def test_words_and_names_go_back_in_the_order_in_which_they_were_made(self) -> None:
        place = editing.place_of(column(self.stored, "mtr.inst_dt"), only_here=False)
        editing.edit(area=self.area, person=self.person, place=place, field="definition", seen="", value="Put in.")
        wordbooks.save(
            area=self.area, person=self.person, word_id=None, book_id=wordbooks.own_book(self.area).pk, word="Meter",
            abbreviations=["mtr"], context_words=[], status="agreed", meaning="",
        )  # fmt: skip
        self.open(reverse("naming:wordbook", args=[self.area.slug]))
        self.press("u")
        self.see("Undone: word of Meter", "#toast")
        self.assertFalse(BookWord.objects.filter(word="Meter").exists())
        self.press("u")
        self.see("Undo definition of mtr.inst_dt in billing logical?", "#ask")
        self.assert_accessible("the question")
        self.browser.switch_to.active_element.send_keys(Keys.ESCAPE)
        self.until(lambda: not self.find("#ask").is_displayed(), "the question stays")
        self.assertEqual(self.described(), "Put in.")
        self.press("u")
        self.see("Undo definition of", "#ask")
        self.browser.switch_to.active_element.send_keys(Keys.ENTER)
        self.see("Undone: definition of", "#toast")
        self.assertEqual(self.described(), "")
