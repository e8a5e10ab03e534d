"""Every screen by the rules of accessibility, in light and dark; two writers; a cancelled job; long lists."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.urls import reverse
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from indexa.adapters.rehearsing import Rehearsal
from indexa.areas.models import Role
from indexa.changes.models import Change
from indexa.core.compare.comparing import compare
from indexa.core.edition.parts import Contents
from indexa.core.model import Column, Model, Table
from indexa.core.naming.mining import Found
from indexa.core.naming.standard import Rule
from indexa.describing import aspects
from indexa.describing.models import Aspect
from indexa.dictionary.models import SheetCell, SheetReview
from indexa.editions import services as editions
from indexa.editions.building import build_edition
from indexa.editions.choices import Choices
from indexa.editions.models import Edition, SigningRule
from indexa.glossary import services as glossary
from indexa.glossary.models import CodeList, Domain, Term
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.modeling import editing
from indexa.naming.passes import decisions as settling
from indexa.naming.passes import services as passes
from indexa.naming.standards import services as standards
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks import term_issues
from indexa.proposals import discovery
from indexa.reconcile import comparing, scripts, versions
from indexa.reconcile import drifting as drift
from indexa.reconcile import services as reconciliations
from indexa.reconcile.models import ModelComparison, Reconciliation, ScriptRun
from indexa.reconcile.other_sides import of_content
from indexa.reviewing import services as reviewing
from indexa.sources.models import Intake, Source
from indexa.store.storing import keep_snapshot, read_snapshot
from tests.browser.case import BrowserCase
from tests.dictionary.test_search import random_model
from tests.factories import column, make_area, make_model, make_person, store, table


class AccessibilityTests(BrowserCase):
    expected_faults = ("status of 404",)

    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area, Role.ADMINISTRATOR)
        self.stored = store(self.area, make_model())
        place = editing.place_of(column(self.stored, "mtr.inst_dt"), only_here=False)
        editing.edit(
            area=self.area, person=self.person, place=place, field="definition", seen="", value="Day it was set."
        )
        source = Source.objects.create(
            area=self.area, name="billing", host="127.0.0.1", port=1, database="d", user="u", model=self.stored
        )
        assert self.stored.snapshot
        note = {"fate": "left out", "kind": "operators", "reason": "Not held.", "count": 3, "place": ""}
        receipt = {"arrived": {"tables": 3, "columns": 7}, "notes": [note], "schemas": ["metering"],
                   "changed": {"new tables": 1},
                   "reading_seconds": 1.0, "storing_seconds": 2.0, "source_version": "15"}  # fmt: skip
        intake = Intake.objects.create(
            source=source, model=self.stored, snapshot=self.stored.snapshot, receipt=receipt, person=self.person
        )
        SigningRule.objects.create(area=self.area, lists_openly=True)
        failed = Job.objects.create(
            area=self.area, kind="intake", title="Reading", state="failed", reason="No.", hint="Again."
        )
        made = passes.make_pass(
            model=self.stored, person=self.person, kinds=["tables", "columns"], only_missing=True, progress=Silent()
        )
        book = wordbooks.books_of(self.area)[0]
        settling.settle(area=self.area, person=self.person, pass_id=made.pk, short="mtr", word="Meter", book=book)
        standard = standards.make(
            area=self.area, person=self.person, name="Plain", rules={"column": Rule(known_words=True)}
        )
        standards.govern(stored=standard, models=[self.stored])
        term_issues.keep(
            self.area, [Found(short="recieved", word="received", confidence=0.9, evidence=("a slip",), count=2, kind="misspelling")]
        )  # fmt: skip
        physical = passes.make_pass(
            model=self.stored, person=self.person, kinds=["tables", "columns", "keys"], only_missing=False,
            direction="physical", progress=Silent(),
        )  # fmt: skip
        reconciliation = self.read_again(intake)
        discovery.find(Job(area=self.area, arguments={"model": self.stored.pk}), Silent())
        compared = self.compared()
        earlier, edition = self.editions(compared)
        link = editions.share(edition=earlier, person=self.person, label="Auditors", passphrase="long enough")
        aspects.begin(area=self.area, person=self.person)
        team = aspects.save_team(area=self.area, team=None, name="Metering", people=[self.person.pk])
        aspect = Aspect.objects.filter(area=self.area, kind="class").first()
        sheet = self.sheet()
        term, listed, domain = self.meanings()
        drifting = drift.watch(source=source, person=self.person, ignore=[], schemas=[])
        run = ScriptRun.objects.create(
            script=compared.scripts.get(), source=source, source_label="billing", checksum="x", text="BEGIN;", state="stopped", by=self.person,
            message="Stopped.", steps=[{"what": "Add", "state": "stopped", "milliseconds": 1.5, "error": "no"}], left=["one"],
        )  # fmt: skip
        slug, model = self.area.slug, self.stored.pk
        self.pages = {
            "desk": reverse("desk:page", args=[slug]),
            "sources": reverse("sources:list", args=[slug]),
            "new source": reverse("sources:new", args=[slug]),
            "new database": reverse("sources:new-of", args=[slug, "live"]),
            "new script": reverse("sources:new-of", args=[slug, "script"]),
            "new kit": reverse("sources:new-of", args=[slug, "kit"]),
            "new file": reverse("sources:new-of", args=[slug, "file"]),
            "presets": reverse("sources:presets", args=[slug]),
            "source": reverse("sources:page", args=[slug, source.pk]),
            "receipt": reverse("sources:receipt", args=[slug, intake.pk]),
            "models": reverse("modeling:list", args=[slug]),
            "model": reverse("modeling:overview", args=[slug, model]),
            "tables": reverse("modeling:tables", args=[slug, model]),
            "history": reverse("modeling:history", args=[slug, model]),
            "objects": reverse("modeling:objects", args=[slug, model]),
            "gone": reverse("modeling:gone", args=[slug, model]),
            "proposals": reverse("proposals:page", args=[slug, model]),
            "proposals by table": reverse("proposals:page", args=[slug, model]) + "?by=table",
            "read again": reverse("reconcile:page", args=[slug, reconciliation.pk]),
            "table": reverse("modeling:table", args=[slug, table(self.stored, "mtr").pk]),
            "dictionary": reverse("dictionary:page", args=[slug]) + "?q=mtr",
            "nothing found": reverse("dictionary:page", args=[slug]) + "?q=nosuchthing",
            "wordbook": reverse("naming:wordbook", args=[slug]),
            "stack of wordbooks": reverse("naming:books", args=[slug]),
            "words in doubt": reverse("naming:doubts", args=[slug]),
            "pass to physical names": reverse("naming:pass", args=[slug, physical.pk]),
            "list of words": reverse("naming:import", args=[slug]),
            "naming passes": reverse("naming:passes", args=[slug]),
            "naming pass": reverse("naming:pass", args=[slug, made.pk]),
            "names of a pass": reverse("naming:pass-names", args=[slug, made.pk]),
            "naming standard": reverse("naming:standard", args=[slug, standard.pk]),
            "naming standards": reverse("naming:standards", args=[slug]) + "?all",
            "all names": reverse("naming:all", args=[slug]),
            "findings": reverse("naming:findings", args=[slug]),
            "checks": reverse("building:checks", args=[slug, model]),
            "grid of columns": reverse("building:columns", args=[slug, model]),
            "new index": reverse("building:new-object", args=[slug, model, "index"])
            + f"?table={table(self.stored, 'mtr').pk}",
            "new sequence": reverse("building:new-object", args=[slug, model, "sequence"]),
            "DDL templates": reverse("building:templates", args=[slug]),
            "DDL": reverse("building:ddl", args=[slug, model]),
            "new model": reverse("building:new-model", args=[slug]),
            "derive": reverse("building:derive", args=[slug, self.stored.logical_id]),
            "side by side": reverse("building:side-by-side", args=[slug, self.stored.logical_id]),
            "comparisons": reverse("reconcile:comparisons", args=[slug]),
            "comparison": reverse("reconcile:comparison", args=[slug, compared.pk]),
            "glossary": reverse("glossary:list", args=[slug, "terms"]),
            "term": reverse("glossary:item", args=[slug, "terms", term.pk]),
            "new term": reverse("glossary:new", args=[slug, "terms"]),
            "code lists": reverse("glossary:list", args=[slug, "lists"]),
            "code list": reverse("glossary:item", args=[slug, "lists", listed.pk]),
            "domain": reverse("glossary:item", args=[slug, "domains", domain.pk]),
            "edit domain": reverse("glossary:edit", args=[slug, "domains", domain.pk]),
            "concepts": reverse("dictionary:concepts", args=[slug]),
            "reviews": reverse("reviewing:waiting", args=[slug]),
            "aspects": reverse("describing:aspects", args=[slug]),
            "aspect": reverse("describing:aspect", args=[slug, aspect.pk]),
            "team": reverse("describing:team", args=[slug, team.pk]),
            "dictionary, stewardship": reverse("dictionary:page", args=[slug]) + "?show=stewardship",
            "set for all": reverse("dictionary:set", args=[slug]),
            "sheets": reverse("dictionary:sheets", args=[slug]),
            "sheet": reverse("dictionary:sheet", args=[slug, sheet.pk]),
            "report": reverse("reconcile:report", args=[slug, compared.pk, "html"]),
            "drift": reverse("reconcile:drift", args=[slug, drifting.source_id]),
            "run": reverse("reconcile:run", args=[slug, run.pk]),
            "versions": reverse("reconcile:versions", args=[slug, model]),
            "change script": reverse("reconcile:script", args=[slug, compared.pk]),
            "entity": reverse("modeling:table", args=[slug, table(self.stored.logical, "mtr").pk]),
            "editions": reverse("editions:list", args=[slug]),
            "new edition": reverse("editions:new", args=[slug]),
            "edition": reverse("editions:page", args=[slug, edition.pk]),
            "choices of an edition": reverse("editions:choices", args=[slug, edition.pk]),
            "passphrase": reverse("reading-link", args=[link]),
            **{
                f"edition, {path}": reverse("editions:read-file", args=[slug, edition.pk, path])
                for path in edition.files.filter(path__endswith=".html").values_list("path", flat=True)
            },
            "changes of an edition": reverse("editions:differences", args=[slug, edition.pk]),
            "destinations": reverse("editions:destinations", args=[slug]),
            "open editions": reverse("open-editions", args=[slug]),
            "rules": reverse("glossary:list", args=[slug, "rules"]),
            "new rule": reverse("glossary:new", args=[slug, "rules"]),
            "jobs": reverse("jobs:list", args=[slug]),
            "job": reverse("jobs:page", args=[slug, failed.pk]),
            "person": reverse("desk:person", args=[slug, self.person.pk]),
            "members": reverse("areas:members", args=[slug]),
            "password": reverse("password"),
            "areas": reverse("home") + "?choose",
            "error": "/nowhere/",
        }

    def editions(self, compared: ModelComparison) -> tuple[Edition, Edition]:
        """A published edition, and a draft that follows it and holds something of everything."""
        for title, contents, scripts_ in (
            ("First", Contents(undescribed=False), []),
            ("Second", Contents(findings=True, neighbourhoods=True, surroundings=True), [compared.scripts.get().pk]),
        ):
            choices = Choices(models=[self.stored.pk], contents=contents, scripts=scripts_, text="# Read\n\nThis.")
            edition, job = editions.prepare(
                area=self.area, person=self.person, title="Meters", note=title, choices=choices
            )
            with transaction.atomic():
                build_edition(job, Silent())
            edition.refresh_from_db()
            if not Edition.objects.filter(number=1).exists():
                Edition.objects.filter(pk=edition.pk).update(state=Edition.State.PUBLISHED, number=1)
                earlier = Edition.objects.get(pk=edition.pk)
        return earlier, edition

    def meanings(self) -> tuple[Term, CodeList, Domain]:
        """A term, a code list and a domain that a column carries, whose definition is proposed and commented."""
        serial = column(self.stored, "mtr.mtr_srl_no")
        made: list[Any] = []
        for kind, field, given in (
            (Term, "term", {"definition": "A number.", "state": "proposed", "synonyms": "badge"}), (CodeList, "code_list", {"codes": "A\tActive"}),
            (Domain, "domain", {"base_type": "text", "least": "1"}),
        ):  # fmt: skip
            item = glossary.save(
                area=self.area, person=self.person, kind=kind, item=None, given={"name": "Badge", **given}
            )
            glossary.carry(area=self.area, person=self.person, column_ids=[serial.pk], carried={field: item})
            made.append(item)
        editing.edit(
            area=self.area, person=self.person, place=editing.place_of(serial, only_here=False), field="definition", seen="", value="A number."
        )  # fmt: skip
        serial.refresh_from_db()
        reviewing.propose(area=self.area, person=self.person, item=serial)
        reviewing.comment(area=self.area, person=self.person, item=serial, text="Is it?")
        return made[0], made[1], made[2]

    def sheet(self) -> SheetReview:
        """A sheet that came back, with a conflict and a problem."""
        review = SheetReview.objects.create(
            area=self.area, name="back.xlsx", by=self.person, state="waiting", remarks=["Line 9"]
        )
        for number, (conflict, problem) in enumerate(((False, ""), (True, ""), (False, "no"))):
            SheetCell.objects.create(
                review=review, number=number, line=4, key="c1", label="metering.mtr", field="definition", title="Definition", written="x",
                conflict=conflict, problem=problem,
            )  # fmt: skip
        return review

    def compared(self) -> ModelComparison:
        """A comparison with a file, of which a script was written."""
        content = make_model()
        content.tables[0].columns[1].type = "text"
        del content.tables[1].columns[2]
        made = comparing.start(
            area=self.area, person=self.person, model=self.stored, other=of_content(content, "old.sql")
        )
        comparing.decide(made=made, person=self.person, numbers=[0, 1], decision="keep")
        versions.keep_version(model=self.stored, person=self.person, label="First", note="As it was read.")
        script = scripts.write(made=made, person=self.person, allow_drops=False)
        scripts.keep_rehearsal(script, Rehearsal(way="reader", why_not="No server.", left=["one"], steps=[]))
        return made

    def read_again(self, intake: Intake) -> Reconciliation:
        """A later reading that found something of everything, a conflict too."""
        after = make_model()
        after.tables[0].columns[2].comment = "set on"
        after.tables[0].columns[1].type = "text"
        after.tables[1].name = "reading"
        after.tables.append(Table(schema="metering", name="tag", columns=[Column("id", 1, "bigint")]))
        second = Intake.objects.create(
            source=intake.source, model=self.stored, snapshot=keep_snapshot(after), receipt=intake.receipt, person=self.person
        )  # fmt: skip
        reconciliation = reconciliations.keep_differences(second, compare(read_snapshot(self.stored.snapshot), after))
        assert reconciliation
        return reconciliation

    def test_axe_finds_nothing_on_any_page_in_light_and_dark(self) -> None:
        self.open("/sign-in/")
        self.assert_accessible("sign-in")
        self.sign_in(self.person)
        for name, address in self.pages.items():
            self.open(address)
            for theme in ("light", "dark"):
                self.browser.execute_script("document.documentElement.dataset.bsTheme = arguments[0]", theme)
                with self.subTest(name, theme=theme):
                    self.assert_accessible(f"{name}, {theme}")
                    wide = self.browser.execute_script("return document.documentElement.scrollWidth")
                    self.assertLessEqual(wide, 1280, f"{name} scrolls sideways")

    def test_what_opens_is_accessible_too(self) -> None:
        self.sign_in(self.person)
        self.open(self.pages["dictionary"])
        self.click(".pick")
        self.see("mtr_id", "#margin h2")
        self.assert_accessible("margin")
        self.keys("e")
        self.find("#value-definition")
        self.assert_accessible("editing")
        self.click("[data-cancel]")
        self.click("#facet-family-summary")
        self.assert_accessible("filter")
        self.browser.find_element(By.TAG_NAME, "body").send_keys("?")
        self.see("Look up anything", "dialog")
        self.assert_accessible("keys")


class TwoWritersTests(BrowserCase):
    expected_faults = ("status of 409", "Response Status Error Code 409")

    def test_the_second_is_told_keeps_their_text_and_decides(self) -> None:
        area = make_area()
        anna, bert = make_person(area, name="anna"), make_person(area, name="bert")
        stored = store(area, make_model())
        self.sign_in(bert)
        self.open(reverse("dictionary:page", args=[area.slug]) + "?q=inst_dt")
        self.click(".pick")
        self.see("inst_dt", "#margin h2")
        self.keys("e")
        self.find("#value-definition").send_keys("Bert's text.")
        place = editing.place_of(column(stored, "mtr.inst_dt"), only_here=False)
        editing.edit(area=area, person=anna, place=place, field="definition", seen="", value="Anna's text.")
        self.press("Save")
        self.see("Anna's text.", ".conflict")
        self.see("Anna saved this", ".conflict")
        self.assertEqual(self.find("#value-definition").get_attribute("value"), "Bert's text.")
        self.press("Save mine")
        self.see("Bert's text.", "#edit-definition .prose")
        self.see("Bert's text.", "tr.sel")
        self.assertEqual(Change.objects.count(), 2)


class CancelTests(BrowserCase):
    def test_a_waiting_reading_is_called_off(self) -> None:
        area = make_area()
        self.sign_in(make_person(area))
        job = Job.objects.create(area=area, kind="intake", title="Reading billing")
        self.open(reverse("jobs:page", args=[area.slug, job.pk]))
        self.press("Cancel")
        self.see("Run it again")
        job.refresh_from_db()
        self.assertEqual(job.state, Job.State.CANCELLED)


class LongListTests(BrowserCase):
    def test_thousands_of_rows_scroll_in_a_window_of_some_hundred(self) -> None:
        area = make_area()
        model = random_model(150, 20)
        store(area, Model(name="long", platform="postgresql", tables=model.tables))
        self.sign_in(make_person(area, Role.READER))
        self.open(reverse("dictionary:page", args=[area.slug]))
        self.see("3,000 columns", "#count")
        self.see("This list", "#margin")
        self.see("3,000", "#margin dd")
        scroller = "document.querySelector('[data-rows-url]')"
        rows = f"return [...{scroller}.querySelectorAll('tr.row-of-column .pick')].map(row => row.id)"
        first = self.browser.execute_script(rows)
        self.assertEqual(len(first), 50)
        self.browser.execute_script(f"{scroller}.scrollTop = {scroller}.scrollHeight")
        self.until(lambda: self.browser.execute_script(rows)[0] != first[0], "the end was not fetched")
        self.until(
            lambda: self.browser.execute_script(f"return {scroller}.scrollHeight") > 60_000, "the list lost its height"
        )
        self.assertLessEqual(len(self.browser.execute_script(rows)), 600)
        self.browser.execute_script(f"{scroller}.scrollTop = 0")
        self.until(lambda: self.browser.execute_script(rows)[0] == first[0], "the beginning did not come back")
        self.browser.find_element(By.TAG_NAME, "body").send_keys("jjj")
        self.until(lambda: len(self.browser.find_elements(By.CSS_SELECTOR, "tr.sel")) == 1, "nothing is selected")
        self.find("#margin h2")
        self.click(".thumb button[aria-label^=S]")
        self.until(lambda: self.browser.execute_script(f"return {scroller}.scrollTop") > 1000, "the letter led nowhere")


class KeyboardTests(BrowserCase):
    def test_a_steward_works_through_a_table_without_a_mouse(self) -> None:
        area = make_area()
        stored = store(area, make_model())
        self.sign_in(make_person(area))
        self.open(reverse("modeling:table", args=[area.slug, table(stored, "mtr").pk]))
        self.keys("jj")
        self.see("mtr_srl_no", "#margin h2")
        self.keys("k")
        self.see("mtr_id", "#margin h2")
        self.keys("e")
        self.find("#value-definition").send_keys("Names a meter.")
        self.keys(Keys.ESCAPE)
        self.see("What you typed is not saved.", "#ask")
        self.keys(Keys.ENTER)
        self.until(lambda: not self.browser.find_elements(By.CSS_SELECTOR, ".edit-form"), "Esc does not close the form")
        self.assertEqual(Change.objects.count(), 0)
        self.keys("e")
        self.find("#value-definition").send_keys("Names a meter." + Keys.CONTROL + Keys.ENTER)
        self.see("Names a meter.", "tr.sel")
        self.keys("u")
        self.see("Undone", "#toast")
        self.until(lambda: "Names a meter." not in self.text("#columns"), "undo is not shown in the list")
        self.keys("?")
        self.see("Undo your last change; redo it", "dialog")
        self.keys(Keys.ESCAPE)
        self.keys("/")
        self.keys("rdg_val")
        self.see("rdg_val", "#found")
        self.keys(Keys.ESCAPE)
        self.assertEqual(self.text("#found"), "")

    def test_dark_is_kept_from_page_to_page(self) -> None:
        area = make_area()
        self.sign_in(make_person(area))
        self.click(".own summary")
        self.press("Light or dark")
        theme = "return document.documentElement.dataset.bsTheme"
        chosen = self.browser.execute_script(theme)
        self.follow("Sources")
        self.see("Nothing is read yet")
        self.assertEqual(self.browser.execute_script(theme), chosen)
