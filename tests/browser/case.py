"""A real headless Chromium against a real server and a real worker."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
from collections.abc import Callable
from multiprocessing.util import Finalize
from pathlib import Path
from typing import Any

from asgiref.sync import SyncToAsync
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.db import connections
from procrastinate.contrib.django import app
from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException, WebDriverException
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from indexa.areas.models import Person
from tests.factories import PASSWORD

FLAGS = [
    "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-sync",
    "--disable-background-networking", "--disable-component-update", "--disable-dev-shm-usage", "--lang=en-GB",
    "--force-device-scale-factor=1", "--hide-scrollbars",
]  # fmt: skip
AXE = (Path(__file__).resolve().parents[1] / "vendor" / "axe.min.js").read_text()
AXE_RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
_BROKEN_OFF = ('"htmx:afterRequest', '"htmx:sendError', '"htmx:sendAbort')
"""What htmx says of a request that going to the next page broke off; a failed one shows its status as well."""
_open: dict[str, Any] = {}


WIDE = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}


def browser() -> webdriver.Chrome:
    """One browser for each test process, ended with it."""
    if _open.get("pid") != os.getpid():
        home = tempfile.mkdtemp(prefix="indexa-chromium-")
        downloads = Path(home) / "downloads"
        downloads.mkdir()
        options = Options()
        options.binary_location = "/usr/bin/chromium"
        for flag in [*FLAGS, f"--user-data-dir={home}/profile"]:
            options.add_argument(flag)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        options.add_experimental_option("prefs", {"download.default_directory": str(downloads)})
        driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
        driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", WIDE)
        still = {"features": [{"name": "prefers-reduced-motion", "value": "reduce"}]}
        driver.execute_cdp_cmd("Emulation.setEmulatedMedia", still)
        _open.update(pid=os.getpid(), driver=driver, downloads=downloads)

        def end(pid: int = os.getpid()) -> None:
            if os.getpid() == pid:
                driver.quit()
                shutil.rmtree(home, ignore_errors=True)

        Finalize(None, end, exitpriority=100)
    driver = _open["driver"]
    assert isinstance(driver, webdriver.Chrome)
    return driver


class BrowserCase(StaticLiveServerTestCase):
    """Signs in, clicks, waits; fails on anything the browser's console complains of."""

    expected_faults: tuple[str, ...] = ()

    @property
    def browser(self) -> webdriver.Chrome:
        # Not kept on the test: a failed one is sent between processes, and a browser can't be.
        return browser()

    def setUp(self) -> None:
        self.browser.delete_all_cookies()
        self.browser.get_log("browser")

    def tearDown(self) -> None:
        faults = [entry["message"] for entry in self.browser.get_log("browser") if entry["level"] == "SEVERE"]
        known = (*_BROKEN_OFF, *self.expected_faults)
        faults = [fault for fault in faults if not any(words in fault for words in known)]
        self.browser.get("about:blank")
        self.assertEqual(faults, [])

    def make_narrow(self, width: int = 400) -> None:
        """Show pages in a window of a width, until the test ends."""
        self.browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", WIDE | {"width": width})
        self.addCleanup(self.browser.execute_cdp_cmd, "Emulation.setDeviceMetricsOverride", WIDE)

    def sign_in(self, person: Person) -> None:
        """Sign in, whoever was signed in before: a late answer to the page before would bring its cookies back."""
        self.until(lambda: not self.browser.find_elements(By.CSS_SELECTOR, ".htmx-request"), "a request does not end")
        self.browser.get("about:blank")
        self.browser.execute_cdp_cmd("Network.clearBrowserCookies", {})
        self.open("/sign-in/")
        self.find("[name=username]").send_keys(person.username)
        self.find("[name=password]").send_keys(PASSWORD + Keys.ENTER)
        self.see(person.initials, ".own")

    def open(self, address: str) -> None:
        self.browser.get(f"{self.live_server_url}{address}")

    def find(self, css: str) -> WebElement:
        self.until(lambda: bool(self.browser.find_elements(By.CSS_SELECTOR, css)), f"nothing matches {css}")
        return self.browser.find_element(By.CSS_SELECTOR, css)

    def click(self, css: str) -> None:
        """Click in the middle of the page, clear of what stays at its ends; again if the page replaced the thing then."""

        def clicked() -> bool:
            found = self.find(css)
            self.browser.execute_script("arguments[0].scrollIntoView({block: 'center', behavior: 'instant'})", found)
            found.click()
            return True

        self.until(clicked, f"{css} could not be clicked")

    def follow(self, text: str) -> None:
        self.until(lambda: bool(self.browser.find_elements(By.LINK_TEXT, text)), f"no link {text}")
        self.browser.find_element(By.LINK_TEXT, text).click()

    def press(self, text: str) -> None:
        """Press the button with this text."""
        xpath = f"//button[normalize-space()='{text}']"
        self.until(lambda: bool(self.browser.find_elements(By.XPATH, xpath)), f"no button {text}")
        self.browser.find_element(By.XPATH, xpath).click()

    def keys(self, keys: str) -> None:
        ActionChains(self.browser).send_keys(keys).perform()

    def text(self, css: str = "body") -> str:
        return self.browser.find_element(By.CSS_SELECTOR, css).text

    def is_loaded(self) -> bool:
        """Say whether the page is all there, its scripts included: a key that is pressed before goes nowhere."""
        return bool(self.browser.execute_script("return document.readyState") == "complete")

    def see(self, words: str, css: str = "body") -> None:
        def there() -> bool:
            return any(words in one.text for one in self.browser.find_elements(By.CSS_SELECTOR, css))

        self.until(there, f"“{words}” is not in {css}")

    def until(self, what: Callable[[], bool], complaint: str, seconds: float = 10) -> None:
        deadline = time.monotonic() + seconds
        while True:
            try:
                if what():
                    return
            except WebDriverException as error:
                # What the page replaced at this very moment: the driver has two ways of saying so.
                if not isinstance(
                    error, StaleElementReferenceException
                ) and "does not belong to the document" not in str(error):
                    raise
            if time.monotonic() > deadline:
                self.fail(f"{complaint}; the page says: {self.text()[:1500]}")
            time.sleep(0.05)

    def confirm(self, question: str) -> None:
        """Answer a question at the foot of the page with Enter."""
        self.see(question, "#ask")
        self.browser.switch_to.active_element.send_keys(Keys.ENTER)

    def downloaded(self, ending: str) -> Path:
        """Wait for a file to arrive and move it out of the way of later ones."""
        folder: Path = _open["downloads"]
        self.until(lambda: any(folder.glob(f"*{ending}")), f"no {ending} arrived")
        found = next(folder.glob(f"*{ending}"))
        kept = Path(tempfile.mkdtemp(prefix="indexa-file-")) / found.name
        shutil.move(found, kept)
        self.addCleanup(shutil.rmtree, kept.parent)
        return kept

    def work(self) -> None:
        """Let a worker do everything that waits."""
        with app.with_connector(app.connector.get_worker_connector()) as with_worker:  # type: ignore[attr-defined]
            with_worker.run_worker(wait=False, install_signal_handlers=False, listen_notify=False)
        # Jobs run in a thread that goes on; its connection would keep the test database from being dropped.
        SyncToAsync.single_thread_executor.submit(connections.close_all).result()

    def assert_accessible(self, where: str) -> None:
        """axe finds nothing by the rules of WCAG 2.2 AA."""
        self.browser.execute_script(AXE)
        found = self.browser.execute_async_script(
            "const done = arguments[arguments.length - 1];"
            f"axe.run(document, {{preload: false, runOnly: {AXE_RULES}}}).then(done);"
        )
        text = [
            f"{rule['id']}: {rule['help']}: {[node['html'][:160] for node in rule['nodes'][:3]]}"
            for rule in found["violations"]
        ]
        self.assertEqual(text, [], where)
