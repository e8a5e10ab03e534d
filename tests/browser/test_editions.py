"""Editions by the interface: models put in order by the keyboard, a draft changed beside its pages, a wrong choice told where it is."""

from __future__ import annotations

from django.urls import reverse
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from indexa.areas.models import Role
from indexa.editions.models import Edition
from tests.browser.case import BrowserCase
from tests.factories import make_area, make_model, make_person, store


class EditionPageTests(BrowserCase):
    expected_faults = ("status of 422",)

    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        for name in ("accounts", "billing"):
            store(self.area, make_model(name))
        self.person = make_person(self.area, Role.STEWARD)
        self.sign_in(self.person)

    def in_preview(self, words: str, css: str = "body") -> None:
        """See words in the pages that are shown beside the choices."""
        frame = self.find("iframe.preview")
        self.browser.switch_to.frame(frame)
        self.see(words, css)
        self.browser.switch_to.default_content()

    def at_the_focus(self) -> str:
        """Name the field that is seen where the focus is: what stays at the foot could cover it."""
        return str(
            self.browser.execute_script(
                "const box = document.activeElement.getBoundingClientRect();"
                "return document.elementFromPoint(box.x + box.width / 2, box.y + box.height / 2).name"
            )
        )

    def order(self) -> list[str]:
        return [
            one.text.split(" (")[0] for one in self.browser.find_elements(By.CSS_SELECTOR, "[data-order-row] label")
        ]

    def test_models_are_ordered_by_keyboard_and_a_draft_is_changed_beside_its_pages(self) -> None:
        self.open(reverse("editions:new", args=[self.area.slug]))
        self.assertEqual(self.order()[:2], ["accounts", "billing"])
        self.find("[aria-label='Move billing (physical) up']").send_keys(Keys.ENTER)
        self.assertEqual(self.order()[:2], ["billing", "accounts"])
        self.find("[name=schemas]").send_keys("nowhere")
        self.press("Make the draft")
        self.see("No model here has a schema nowhere.")
        self.assertEqual(self.order()[:2], ["billing", "accounts"])
        self.find("[name=schemas]").clear()
        self.press("Make the draft")
        self.see("Making")
        self.work()
        self.see("Change what goes in")
        self.in_preview("billing", "main")
        mention = {
            "place": "metering.mtr.inst_dt",
            "text": "definition",
            "names": ["metering.mtr.mtr_srl_no"],
            "table": 1,
            "column": 2,
        }
        Edition.objects.update(
            mentions=[mention, mention | {"place": "Read this first", "table": 0, "column": 0, "more": 3}]
        )
        self.browser.refresh()
        self.find(".notice summary").send_keys(Keys.ENTER)
        self.see("metering.mtr.mtr_srl_no", ".notice")
        self.assert_accessible("a draft whose texts name what is left out")
        self.follow("Change what goes in")
        self.in_preview("Draft", ".cover-line")
        self.find("[name=surroundings]").send_keys(Keys.SPACE)
        self.assertEqual(self.at_the_focus(), "surroundings")
        self.find("[name=foot]").send_keys("For members only")
        self.press("Make it again")
        self.see("Making")
        self.work()
        self.in_preview("For members only", ".foot")
        edition = Edition.objects.get()
        self.open(reverse("editions:read-file", args=[self.area.slug, edition.pk, "tables/billing-metering-mtr.html"]))
        self.find(".around a[href$='billing-metering-mtr-rdg.html']").send_keys(Keys.ENTER)
        self.see("metering.mtr_rdg", "main")
