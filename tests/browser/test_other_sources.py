"""A script and a kit's result through the pages, with what goes wrong on the way."""

from __future__ import annotations

import tempfile
from pathlib import Path

from selenium.webdriver.support.ui import Select

from tests.browser.case import BrowserCase
from tests.core.test_kit import text
from tests.factories import make_area, make_person

SCRIPT = """CREATE TABLE [dbo].[tblMeter]([MeterID] [int] IDENTITY(1,1) NOT NULL, -- on the plate
 CONSTRAINT [PK_tblMeter] PRIMARY KEY CLUSTERED ([MeterID] ASC)) ON [PRIMARY]
GO
CREATE TABLE [dbo].[tblVisit]([VisitID] [int] NOT NULL)
GO
CREATE GIBBERISH [x]
GO
"""


class OtherSourceTests(BrowserCase):
    expected_faults = ("status of 422",)

    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.area = make_area("Works")
        self.sign_in(make_person(self.area))

    def file(self, name: str, content: str) -> str:
        path = self.folder / name
        path.write_text(content)
        return str(path)

    def test_a_script_is_handed_in_narrowed_kept_as_preset_and_read(self) -> None:
        self.follow("Enter a source")
        self.follow("An SQL script")
        self.find("[name=name]").send_keys("meters")
        self.find("[name=encoding]").send_keys("klingon")
        self.find("[name=uploads]").send_keys(self.file("meters.sql", SCRIPT))
        self.press("Save and scan")
        self.see("There is no encoding", ".errorlist")
        self.find("[name=encoding]").clear()
        self.find("[name=uploads]").send_keys(self.file("meters.sql", SCRIPT))
        self.press("Save and scan")
        self.see("It is read as SQL Server")
        self.see("Queued: scanning the source", "#choice")
        self.work()
        self.see("2 tables will be read", "#taken")
        self.find("#include").send_keys("*meter")
        self.see("1 table will be read", "#taken")
        self.assert_accessible("what to read")
        self.click(".save-preset summary")
        self.find("#preset-name").send_keys("Meters only")
        self.press("Save the preset")
        self.see("The preset “Meters only” is saved")
        Select(self.find("#preset")).select_by_visible_text("Meters only")
        self.see("1 table will be read", "#taken")
        self.press("Import selection")
        self.see("Queued")
        self.work()
        self.see("Receipt of meters", "h1")
        self.see("GIBBERISH")
        self.see("line 6")

    def test_among_many_schemas_one_is_found_and_all_are_ticked_or_none(self) -> None:
        made = "".join(f"CREATE TABLE district_{number:02}.meter (id int);\n" for number in range(30))
        self.follow("Enter a source")
        self.follow("An SQL script")
        self.find("[name=name]").send_keys("districts")
        self.find("[name=uploads]").send_keys(self.file("districts_pg.sql", made))
        self.press("Save and scan")
        self.see("It is read as PostgreSQL")
        self.work()
        self.see("30 tables will be read", "#taken")
        self.click("[data-tick-all]")
        self.see("0 tables will be read", "#taken")
        self.find("[data-find-rows]").send_keys("_2")
        self.click("[data-tick-all]")
        self.see("10 tables will be read", "#taken")
        self.assert_accessible("many schemas")

    def test_a_letter_is_no_result_of_a_kit_and_the_result_is(self) -> None:
        self.follow("Enter a source")
        self.follow("The result of a field kit")
        self.find("form[method=post] [name=name]").send_keys("legacy")
        Select(self.find("form[method=post] [name=platform]")).select_by_visible_text("Oracle")
        self.find("[name=uploads]").send_keys(self.file("letter.csv", "Dear Ines, here it is."))
        self.press("Save and scan")
        self.work()
        self.see("Save the result with its column names", "[data-failure=scan-failed]")
        self.follow("Change")
        self.find("[name=uploads]").send_keys(self.file("result.csv", text(";")))
        self.press("Save and scan")
        self.see("Queued: scanning the source")
        self.work()
        self.see("2 tables and 1 view will be read", "#taken")
