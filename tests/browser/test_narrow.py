"""A phone: nothing scrolls sideways, and rows of lists are whole. Keys: the list of keys, and the way to the margin."""

from __future__ import annotations

from django.urls import reverse
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from indexa.areas.models import Role
from tests.browser.case import BrowserCase
from tests.factories import make_area, make_model, make_person, store, table


class NarrowTests(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.stored = store(self.area, make_model())
        self.sign_in(make_person(self.area, Role.STEWARD))
        self.meter = table(self.stored, "mtr").pk

    def test_main_pages_fit_a_phone(self) -> None:
        slug, model = self.area.slug, self.stored.pk
        self.make_narrow()
        pages = [
            reverse("desk:page", args=[slug]), reverse("dictionary:page", args=[slug]), reverse("modeling:list", args=[slug]),
            reverse("modeling:overview", args=[slug, model]), reverse("modeling:tables", args=[slug, model]),
            reverse("modeling:table", args=[slug, self.meter]), reverse("proposals:page", args=[slug, model]),
            reverse("sources:list", args=[slug]), reverse("naming:wordbook", args=[slug]),
        ]  # fmt: skip
        for page in pages:
            with self.subTest(page):
                self.open(page)
                self.assertLessEqual(self.browser.execute_script("return document.documentElement.scrollWidth"), 400)
        self.open(pages[5])
        name = self.find(".row-of-column .pick code")
        self.assertGreater(name.size["width"], 40)
        self.assertEqual(
            self.browser.execute_script("return document.querySelector('td[data-label]').dataset.label"), "Key"
        )
        self.assert_accessible("a table on a phone")

    def test_keys_that_are_listed_work_here(self) -> None:
        self.open(reverse("modeling:table", args=[self.area.slug, self.meter]))
        body = self.browser.find_element(By.TAG_NAME, "body")
        body.send_keys("?")
        self.see("Go to the margin", "#key-help")
        self.assertNotIn("Decide the selected row", self.find("#key-help").text)
        self.browser.switch_to.active_element.send_keys(Keys.ESCAPE)
        body.send_keys("j")
        self.until(lambda: self.browser.find_elements(By.CSS_SELECTOR, "tr.sel"), "no row is selected")
        self.see("mtr_id", "#margin")
        body.send_keys(".")
        inside = "return document.activeElement.closest('#margin') !== null"
        self.until(lambda: self.browser.execute_script(inside), "the margin has no focus")
        self.browser.switch_to.active_element.send_keys(Keys.ESCAPE)
        self.until(lambda: not self.browser.execute_script(inside), "the focus stays in the margin")
        self.assertEqual(self.browser.switch_to.active_element.get_attribute("class"), "pick")
