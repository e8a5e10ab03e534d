"""A diagram in the browser: suggested, dragged, added to, undone; by keyboard alone; two people at once."""

from __future__ import annotations

from django.urls import reverse
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from indexa.areas.models import Role
from indexa.diagrams import moving, services
from indexa.diagrams.models import Diagram
from tests.browser.case import BrowserCase
from tests.diagrams.test_diagrams import chain
from tests.factories import make_area, make_person, store, table


class DiagramPageTests(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area, Role.STEWARD)
        self.stored = store(self.area, chain())
        self.sign_in(self.person)

    def made(self, *names: str) -> Diagram:
        return services.create(
            area=self.area,
            person=self.person,
            model=self.stored,
            name="Chain",
            table_ids=[table(self.stored, name).pk for name in names],
        )

    def open_diagram(self, diagram: Diagram) -> None:
        self.open(reverse("diagrams:page", args=[self.area.slug, diagram.pk]))
        self.until(lambda: self.find("#view").get_attribute("transform"), "nothing is drawn")

    def card(self, name: str) -> str:
        return f'[data-card="t{table(self.stored, name).pk}"]'

    def place(self, diagram: Diagram, name: str) -> tuple[float, float]:
        return diagram.cards.values_list("x", "y").get(table__name=name)

    def drag(self, name: str, x: int, y: int) -> None:
        handle = self.find(f"{self.card(name)} .name")
        ActionChains(self.browser).move_to_element(handle).click_and_hold().move_by_offset(
            x // 2, y // 2
        ).move_by_offset(x - x // 2, y - y // 2).release().perform()

    def press(self, css: str, *keys: str) -> None:
        self.find(css).send_keys(*keys)

    def test_suggested_dragged_added_to_saved_undone_and_shared(self) -> None:
        self.open(reverse("modeling:overview", args=[self.area.slug, self.stored.pk]))
        self.browser.find_element(By.LINK_TEXT, "Diagrams").click()
        self.see("Suggested")
        self.assert_accessible("list of diagrams")
        self.click(".suggested button")
        self.see("Most connected tables", "h1")
        diagram = Diagram.objects.get()
        removed = table(self.stored, "t7")
        services.remove(area=self.area, person=self.person, diagram=diagram, table_ids=[removed.pk])
        self.open_diagram(diagram)
        self.assert_accessible("diagram")
        before = self.place(diagram, "t0")
        self.drag("t0", 60, 40)
        self.until(lambda: self.place(diagram, "t0") != before, "the move is not saved")
        moved = self.place(diagram, "t0")
        self.browser.refresh()
        self.until(lambda: self.browser.find_elements(By.CSS_SELECTOR, self.card("t0")), "nothing is drawn")
        self.assertIn(f"translate({moved[0]:g} {moved[1]:g})", self.find(self.card("t0")).get_attribute("transform"))
        self.press("body", "u")
        self.see("Undone", "#toast")
        self.until(lambda: self.place(diagram, "t0") == before, "the move is not undone")
        shown = f"translate({before[0]:g} {before[1]:g})"
        self.until(
            lambda: shown in self.find(self.card("t0")).get_attribute("transform"), "the card stays where it was"
        )
        self.click(f"{self.card('t6')} .name")
        self.see("Referenced by", "#margin")
        self.assert_accessible("a table on a diagram")
        self.click("[data-add-neighbours=referred]")
        self.see("1 table added", "#toast")
        self.until(lambda: self.browser.find_elements(By.CSS_SELECTOR, self.card("t7")), "the neighbour is not drawn")
        self.assertEqual(self.find("#shown-tables").text, "8")

    def test_everything_by_keyboard(self) -> None:
        diagram = self.made("t0", "t1")
        self.open_diagram(diagram)
        before = self.place(diagram, "t1")
        self.browser.execute_script("document.querySelector(arguments[0]).focus()", self.card("t1"))
        active = self.browser.switch_to.active_element
        active.send_keys(Keys.ARROW_DOWN, Keys.ARROW_DOWN, Keys.ARROW_RIGHT)
        self.until(lambda: self.place(diagram, "t1") == (before[0] + 10, before[1] + 20), "the keys do not move it")
        self.browser.execute_script("document.querySelector(arguments[0]).focus()", self.card("t1"))
        self.browser.switch_to.active_element.send_keys("n")
        self.until(lambda: self.browser.find_elements(By.CSS_SELECTOR, self.card("t2")), "the neighbour is not drawn")
        self.browser.execute_script("document.querySelector(arguments[0]).focus()", self.card("t0"))
        self.browser.switch_to.active_element.send_keys(Keys.DELETE)
        self.see("The model keeps them", "#toast")
        self.until(lambda: diagram.cards.count() == 2, "it is not removed")
        share = self.find("#zoom-share").text
        self.browser.execute_script("document.getElementById('drawing').focus()")
        self.browser.switch_to.active_element.send_keys("+")
        self.until(lambda: self.find("#zoom-share").text != share, "it does not zoom")

    def test_a_note_is_written_and_a_frame_dragged(self) -> None:
        diagram = self.made("t0", "t1")
        self.open_diagram(diagram)
        self.browser.find_element(By.XPATH, "//summary[text()='Add text']").click()
        self.press("#new-note-text", "Read once a quarter")
        self.click("#new-note [value=note]")
        self.see("Note added", "#toast")
        self.until(lambda: self.browser.find_elements(By.CSS_SELECTOR, ".note-box.note"), "the note is not drawn")
        self.assertIn("Read once", self.find(".note-box.note").text)
        note = diagram.notes.get()
        slip = self.find(".note-box.note .slip")
        ActionChains(self.browser).move_to_element(slip).click_and_hold().move_by_offset(40, 50).release().perform()
        self.until(lambda: diagram.notes.get().y != note.y, "the note did not move")
        self.until(lambda: self.browser.find_elements(By.CSS_SELECTOR, ".note-box.note"), "the note is gone")
        self.click(".note-box.note .slip")
        self.see("Note", "#margin h2")
        self.find("#note-text").send_keys(" only")
        self.click("#margin .btn.main")
        self.until(lambda: diagram.notes.get().text == "Read once a quarter only", "the text is not saved")
        self.assert_accessible("a note")

    def test_two_people_see_each_others_saves(self) -> None:
        diagram = self.made("t0", "t1", "t2")
        self.open_diagram(diagram)
        colleague = make_person(self.area, Role.STEWARD)
        there = table(self.stored, "t2").pk
        moving.move(area=self.area, person=colleague, diagram=diagram, places={there: (1200, 640)})
        before = self.place(diagram, "t0")
        self.drag("t0", 30, 90)
        self.until(lambda: self.place(diagram, "t0") != before, "the own move is lost")
        shown = "translate(1200 640)"
        self.until(
            lambda: shown in self.find(self.card("t2")).get_attribute("transform"), "the colleague's move is not shown"
        )
        self.assertEqual(self.place(diagram, "t2"), (1200.0, 640.0))

    def test_tables_are_found_and_put_on_an_empty_diagram(self) -> None:
        diagram = self.made()
        self.open_diagram(diagram)
        self.see("An empty diagram")
        self.browser.find_element(By.XPATH, "//summary[text()='Add tables']").click()
        self.press("#add-find", "t5")
        self.see("s.t5", "#found-tables")
        self.until(lambda: "s.t4" not in self.text("#found-tables"), "others are listed still")
        self.click("#found-tables [data-add-table]")
        self.until(lambda: self.browser.find_elements(By.CSS_SELECTOR, self.card("t5")), "the table is not drawn")
        self.assertNotIn("An empty diagram", self.find("#canvas").text)

    def test_a_map_is_searched_and_a_neighbourhood_becomes_a_diagram(self) -> None:
        self.open(reverse("diagrams:map", args=[self.area.slug, self.stored.pk]))
        self.until(lambda: self.browser.find_elements(By.CSS_SELECTOR, "#map[data-ready]"), "the map is not drawn")
        self.assert_accessible("map")
        self.press("#find-on-map", "t7")
        self.see("1 found", "#map-words")
        self.press("#find-on-map", Keys.ENTER)
        self.see("t7", "#margin h2")
        self.press("#map", "0", "+", Keys.ARROW_LEFT, Keys.ESCAPE)
        self.click("#area-list button")
        self.click("#margin form button")
        self.see("Arrange", ".acts")
        made = Diagram.objects.get()
        self.assertGreater(made.cards.count(), 1)

    def test_a_line_is_bent_by_dragging_moved_by_keys_and_straightened(self) -> None:
        diagram = self.made("t0", "t1")
        places = {table(self.stored, "t0").pk: (40, 60), table(self.stored, "t1").pk: (440, 60)}
        moving.move(area=self.area, person=self.person, diagram=diagram, places=places)
        self.open_diagram(diagram)

        def bends() -> list[list[float]]:
            return next(iter(diagram.bent_lines.values_list("bends", flat=True)), [])

        x, y = self.browser.execute_script(
            "const run = document.querySelector('#drawing .rel-line .run');"
            "const at = run.getPointAtLength(run.getTotalLength() / 2).matrixTransform(run.getScreenCTM());"
            "return [Math.round(at.x), Math.round(at.y)];"
        )
        chain = ActionChains(self.browser)
        chain.w3c_actions.pointer_action.move_to_location(x, y)
        chain.click_and_hold().move_by_offset(30, 60).move_by_offset(30, 40).release().perform()
        self.until(lambda: len(bends()) >= 2, "the bends are not saved")
        before = bends()
        self.see("Straighten", "#margin")
        self.assert_accessible("a line in the margin")
        self.until(lambda: self.browser.switch_to.active_element.get_attribute("data-line"), "the line has no focus")
        self.browser.switch_to.active_element.send_keys(Keys.ARROW_DOWN, Keys.ARROW_RIGHT)
        self.until(lambda: bends() and bends() != before, "the keys do not move it")
        self.click("[data-straighten]")
        self.until(lambda: not bends(), "it keeps its bends")

    def test_a_card_is_made_wider_by_its_edge(self) -> None:
        diagram = self.made("t0", "t1")
        self.open_diagram(diagram)
        edge = self.find(f"{self.card('t0')} .edge")
        ActionChains(self.browser).move_to_element(edge).click_and_hold().move_by_offset(40, 0).move_by_offset(
            40, 0
        ).release().perform()
        self.until(lambda: diagram.cards.get(table__name="t0").width > 150, "the width is not saved")
