"""What somebody typed is not lost: another row, Escape, another page, a sign-in that ended."""

from __future__ import annotations

from django.contrib.sessions.models import Session
from django.urls import reverse
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from indexa.areas.models import Role
from indexa.store.models import StoredColumn
from tests.browser.case import BrowserCase
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, table


class DraftTests(BrowserCase):
    expected_faults = ("401 (Unauthorized)", "Status Error Code 401", "422 (Unprocessable")

    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area, Role.STEWARD)
        self.stored = store(self.area, make_model())
        self.sign_in(self.person)
        self.open(reverse("modeling:table", args=[self.area.slug, table(self.stored, "mtr").pk]))
        self.column = column(self.stored, "mtr.inst_dt")
        self.click(f"#pick-{self.column.pk}")
        self.see("inst_dt", "#margin h2")
        self.click("#margin [data-key-edit]")
        self.find("#value-definition").send_keys("Day it was set")

    def typed(self) -> str:
        return str(self.find("#value-definition").get_attribute("value"))

    def definition(self) -> str:
        return StoredColumn.objects.get(pk=self.column.attribute_id).definition

    def test_another_row_and_escape_ask_before_it_is_dropped(self) -> None:
        other = column(self.stored, "mtr.mtr_id").pk
        self.click(f"#pick-{other}")
        self.see("What you typed is not saved.", "#ask")
        self.press("Keep editing")
        self.assertEqual(self.typed(), "Day it was set")
        self.until(
            lambda: self.find("tr.sel .pick").get_attribute("id") == f"pick-{self.column.pk}", "another is selected"
        )
        self.find("#value-definition").send_keys(Keys.ESCAPE)
        self.see("What you typed is not saved.", "#ask")
        self.keys(Keys.ESCAPE)
        self.assertEqual(self.typed(), "Day it was set")
        self.click(f"#pick-{other}")
        self.see("What you typed is not saved.", "#ask")
        self.press("Discard")
        self.see("mtr_id", "#margin h2")

    def test_what_was_not_touched_is_left_without_a_question(self) -> None:
        self.find("#value-definition").clear()
        self.click(f"#pick-{column(self.stored, 'mtr.mtr_id').pk}")
        self.see("mtr_id", "#margin h2")

    def test_a_sign_in_that_ended_is_renewed_on_the_spot_and_the_text_is_saved(self) -> None:
        Session.objects.all().delete()
        self.find("#value-definition").send_keys(Keys.CONTROL, Keys.ENTER)
        self.see("Sign in again", "#sign-in-again")
        self.find("#sign-in-again [name=username]").send_keys(self.person.username)
        self.find("#sign-in-again [name=password]").send_keys("wrong" + Keys.ENTER)
        self.see("Please enter a correct", "#sign-in-again")
        self.find("#sign-in-again [name=username]").clear()
        self.find("#sign-in-again [name=username]").send_keys(self.person.username)
        self.find("#sign-in-again [name=password]").send_keys(PASSWORD + Keys.ENTER)
        self.until(lambda: self.definition() == "Day it was set", "the definition was not saved")
        self.see("Day it was set", "#margin")
        self.assertFalse(self.browser.find_elements(By.CSS_SELECTOR, "dialog[open]"))
