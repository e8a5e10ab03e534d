"""Takes the pictures in docs/screenshots from the running demo: tools/screenshots.py [--out DIR] [NAME...].

Needs the demo (./indexa start) and what the tests need (chromium and its driver). The last one brings the demo's billing
database to its later state.
"""

from __future__ import annotations

import argparse
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

ROOT = Path(__file__).resolve().parent.parent
PASSWORD = "tarnbeck water"  # noqa: S105  the demo's
FLAGS = [
    "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--hide-scrollbars",
    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage",
    "--force-device-scale-factor=1", "--lang=en-GB",
]  # fmt: skip
Browser = webdriver.Chrome


def open_browser(profile: str) -> Browser:
    options = Options()
    options.binary_location = "/usr/bin/chromium"
    for flag in [*FLAGS, f"--user-data-dir={profile}"]:
        options.add_argument(flag)
    browser = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    size = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    return browser


def sign_in(browser: Browser, home: str, name: str) -> None:
    browser.delete_all_cookies()
    browser.get(f"{home}sign-in/")
    browser.find_element(By.NAME, "username").send_keys(name)
    browser.find_element(By.NAME, "password").send_keys(PASSWORD + Keys.ENTER)
    time.sleep(0.8)


def click(css: str) -> Callable[[Browser], None]:
    return lambda browser: browser.find_element(By.CSS_SELECTOR, css).click()


def follow(text: str) -> Callable[[Browser], None]:
    return lambda browser: browser.find_element(By.LINK_TEXT, text).click()


def typed(field: str, text: str) -> Callable[[Browser], None]:
    return lambda browser: browser.find_element(By.ID, field).send_keys(text)


def press(keys: str) -> Callable[[Browser], None]:
    return lambda browser: browser.switch_to.active_element.send_keys(keys)


def script(source: str) -> Callable[[Browser], None]:
    return lambda browser: browser.execute_script(source)


def wait(seconds: float) -> Callable[[Browser], None]:
    return lambda browser: time.sleep(seconds)


def later(browser: Browser) -> None:
    """Let the demo's billing database change, if it has not yet."""
    subprocess.run([ROOT / "indexa", "manage", "billing_state", "later"], capture_output=True, check=False)


PICK = "document.querySelectorAll('tr.row-of-column .pick')[%d].click()"
FLY = "document.querySelectorAll('[data-fly]')[3].click()"
FIT = "document.querySelector('[data-zoom=fit]').click()"
AREA = "document.querySelector('#area-list button').click()"
CARD = (
    "document.querySelectorAll('#table-list [data-fly]')[1].click(); document.querySelector('[data-zoom=fit]').click()"
)
VIEWS: dict[str, tuple[str, list[Callable[[Browser], None]]]] = {
    "desk": ("a/billing/", []),
    "sources": ("a/billing/sources/", [follow("billing"), wait(3)]),
    "stewardship": ("a/billing/dictionary/?show=stewardship&schema=cust", [script(PICK % 9)]),
    "dictionary": ("a/billing/dictionary/?q=mtr", [script(PICK % 9)]),
    "model": ("a/billing/models/", [follow("billing")]),
    "diagram": (
        "a/billing/models/",
        [follow("billing"), follow("Diagrams"), follow("Meter to cash"), wait(2), script(FLY), wait(1), script(FIT), wait(1)],
    ),
    "map": (
        "a/billing/models/",
        [follow("billing"), follow("Diagrams"), follow("Map of the whole model"), wait(2), script(AREA), wait(1), script(FIT), wait(1)],
    ),
    "drawing": (
        "a/billing/models/",
        [follow("Customer care"), follow("Diagrams"), follow("Contacts and complaints"), wait(2), script(CARD), wait(2)],
    ),
    "ddl": ("a/billing/models/", [follow("customer care, Oracle"), follow("See and save the DDL"), wait(1)]),
    "table": ("a/billing/dictionary/?q=metering.mtr_rdg", [click(".band a"), script(PICK % 3)]),
    "wordbook": ("a/billing/names/", [script(PICK % 14)]),
    "naming-pass": ("a/billing/names/passes/1/", [script("document.querySelectorAll('.dec .pick')[0].click()")]),
    "standard": ("a/billing/names/standards/1/", [click("#rule-index"), click("[value=try]")]),
    "findings": ("a/billing/names/findings/", []),
    "proposals": ("a/works/models/", [follow("lab"), follow("Proposals"), script("document.querySelectorAll('article.case .pick')[1].click()")]),
    "reconcile": (
        "a/billing/reconcile/",
        [click("table.list a"), wait(1), script("document.querySelectorAll('.case.recon .pick')[3].click()"), wait(1)],
    ),
    "edition-pages": (
        "a/billing/editions/",
        [click("table.list:last-of-type a"), follow("Open the pages"), follow("Meter to cash")],
    ),
    "edition": ("a/billing/editions/", [click("table.list a")]),
    "read-again": (
        "a/billing/sources/",
        [follow("billing"), later, click("#choice .btn.main"), wait(12), script("document.querySelector('.case.waits .pick').click()"),
         script("document.querySelector('.case.waits').scrollIntoView({block: 'center'})")],
    ),
}  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--out", type=Path, default=ROOT / "docs" / "screenshots")
    parser.add_argument("names", nargs="*", help=f"of {', '.join(VIEWS)}")
    options = parser.parse_args()
    home = f"http://127.0.0.1:{(ROOT / '.local' / 'run' / 'web.port').read_text()}/"
    options.out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as profile:
        browser = open_browser(profile)
        try:
            for name in options.names or VIEWS:
                address, steps = VIEWS[name]
                sign_in(browser, home, "administrator" if name == "members" else "steward")
                browser.get(home + address)
                for step in steps:
                    time.sleep(0.5)
                    step(browser)
                time.sleep(1.2)
                browser.save_screenshot(str(options.out / f"{name}.png"))
                faults = [entry["message"] for entry in browser.get_log("browser") if entry["level"] == "SEVERE"]
                print(name, *faults, sep="\n  ")
        finally:
            browser.quit()


if __name__ == "__main__":
    main()
