"""Commons in a browser: found by the keyboard, read from catalog to column, by the rules of accessibility at any width."""

from __future__ import annotations

import datetime as dt
import urllib.request

from selenium.webdriver.common.keys import Keys

from indexa.core.edition.book import book_of
from indexa.core.edition.open import dcat
from indexa.core.edition.parts import Contents, Frozen, Imprint
from tests.browser.case import BrowserCase
from tests.editions.servers import commons
from tests.factories import make_model

_LONG = "Readings of all meters, as the field crews and the network bring them in; " * 6


class CommonsPageTests(BrowserCase):
    def deliver(self, address: str, token: str, number: int, words: str) -> None:
        """Deliver a catalog, as an edition of its own."""
        model = make_model()
        model.tables[1].definition = words
        frozen = Frozen("Metering", "Meters & <readings>", "", Contents(), [model])
        imprint = Imprint(frozen.title, "Metering", "", "Ines", dt.datetime(2026, 12, number, tzinfo=dt.UTC), number)
        request = urllib.request.Request(
            f"{address}/api/catalogs/billing/", data=dcat.write(book_of(frozen, imprint), "urn:x:", "json-ld"), method="PUT",
            headers={"Authorization": f"Bearer {token}", "Content-Type": "application/ld+json"},
        )  # fmt: skip
        urllib.request.urlopen(request, timeout=30).close()

    def test_a_dataset_is_found_and_read_with_its_versions(self) -> None:
        with commons() as (address, token, _):
            self.browser.get(address)
            self.see("No catalog was delivered yet")
            self.assert_accessible("empty")
            self.deliver(address, token, 1, "What a meter showed.")
            self.deliver(address, token, 2, _LONG)
            self.browser.get(address)
            self.assert_accessible("catalogs")
            self.follow("Meters & <readings>")
            self.see("metering.mtr_rdg")
            self.assert_accessible("a catalog")
            self.find("#find").send_keys("field crews" + Keys.ENTER)
            self.see("1 found")
            self.assert_accessible("what was found")
            self.follow("metering.mtr_rdg")
            self.see("What a meter showed.")
            self.see("rdg_val")
            self.assert_accessible("a dataset")
            self.make_narrow()
            wider = "return document.documentElement.scrollWidth - window.innerWidth"
            self.assertLessEqual(self.browser.execute_script(wider), 0)
