"""Models built by hand: the key goes along a relationship, follows the parent through generations, and leaves with it."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.building.changing import (
    add_column,
    add_table,
    associate,
    change_column,
    change_relationship,
    delete_column,
    delete_table,
    relate,
    set_key,
    unrelate,
)
from indexa.core.building.consequences import consequences
from indexa.core.building.parts import BuildError, Part, Table


def entity(part: Part, name: str, *key: str) -> Table:
    table = add_table(part, name)
    for column in key:
        add_column(part, table.id, column, "bigint", in_key=True)
    return table


def names(table: Table) -> list[str]:
    return [column.name for column in table.columns]


def key(table: Table) -> list[str]:
    return [table.column(id_).name for id_ in table.key]


class MigrationTests(TestCase):
    def setUp(self) -> None:
        self.part = Part({}, {})

    def test_an_identifying_relationship_brings_the_key_into_the_key_and_another_one_beside_it(self) -> None:
        order, line, note = (
            entity(self.part, *one) for one in (("Order", "Order No"), ("Line", "Line No"), ("Note", "Note No"))
        )
        relate(self.part, order.id, line.id, identifying=True)
        relate(self.part, order.id, note.id, optional=True)
        self.assertEqual((names(line), key(line)), (["Line No", "Order No"], ["Line No", "Order No"]))
        self.assertEqual((names(note), key(note)), (["Note No", "Order No"], ["Note No"]))
        self.assertFalse(line.columns[1].nullable)
        self.assertTrue(note.columns[1].nullable)

    def test_type_name_and_further_key_columns_follow_through_all_generations(self) -> None:
        top = entity(self.part, "Site", "Site Code")
        middle, low = entity(self.part, "Tank", "Tank No"), entity(self.part, "Valve", "Valve No")
        relate(self.part, top.id, middle.id, identifying=True)
        relate(self.part, middle.id, low.id)
        change_column(self.part, top.id, top.key[0], type_="varchar(8)", name="Site Id")
        self.assertEqual(names(low), ["Valve No", "Tank No", "Site Id"])
        self.assertEqual(low.columns[2].type, "varchar(8)")
        add_column(self.part, top.id, "Region", "char(2)", in_key=True)
        self.assertEqual(names(low), ["Valve No", "Tank No", "Site Id", "Region"])
        delete_column(self.part, top.id, top.key[0])
        self.assertEqual((names(low), key(middle)), (["Valve No", "Tank No", "Region"], ["Tank No", "Region"]))

    def test_a_key_that_comes_twice_or_to_itself_has_another_name_and_a_shared_one_is_one_column(self) -> None:
        person, visit = entity(self.part, "Person", "Person No"), entity(self.part, "Visit", "Visit No")
        relate(self.part, person.id, visit.id)
        relate(self.part, person.id, visit.id, role="Guide")
        relate(self.part, person.id, person.id, optional=True)
        self.assertEqual(names(visit), ["Visit No", "Person No", "Guide Person No"])
        self.assertEqual(names(person), ["Person No", "Parent Person No"])
        stop, leg = entity(self.part, "Stop", "Stop No"), entity(self.part, "Leg", "Leg No")
        relate(self.part, visit.id, stop.id, identifying=True)
        relate(self.part, visit.id, leg.id, identifying=True)
        report = entity(self.part, "Report", "Report No")
        relate(self.part, stop.id, report.id)
        relate(self.part, leg.id, report.id)
        self.assertEqual(names(report), ["Report No", "Stop No", "Visit No", "Leg No"])

    def test_what_a_relationship_brought_goes_with_it_unless_another_one_needs_it(self) -> None:
        a, b, c = (entity(self.part, name, f"{name} No") for name in "ABC")
        first = relate(self.part, a.id, b.id, identifying=True)
        second = relate(self.part, b.id, c.id)
        before = self.part.copy()
        unrelate(self.part, first.id)
        self.assertEqual((names(b), names(c)), (["B No"], ["C No", "B No"]))
        told = consequences(before, self.part, but=frozenset({first.id}))
        self.assertEqual(told, ["B.A No goes.", "C.A No goes."])
        delete_table(self.part, b.id)
        self.assertEqual((names(c), self.part.relationships), (["C No"], {}))
        self.assertNotIn(second.id, self.part.relationships)

    def test_many_to_many_makes_a_table_whose_key_is_both_keys(self) -> None:
        a, b = entity(self.part, "Agent", "Agent No"), entity(self.part, "Skill", "Skill No")
        between = associate(self.part, a.id, b.id)
        self.assertEqual((between.name, key(between)), ("Agent Skill", ["Agent No", "Skill No"]))
        again = associate(self.part, a.id, a.id)
        self.assertEqual((again.name, key(again)), ("Agent Agent", ["Agent No", "Other Agent No"]))
        self.assertEqual(associate(self.part, a.id, b.id).name, "Agent Skill 2")

    def test_identifying_can_be_changed_and_circles_are_refused(self) -> None:
        a, b = entity(self.part, "A", "A No"), entity(self.part, "B", "B No")
        one = relate(self.part, a.id, b.id)
        change_relationship(self.part, one.id, identifying=True)
        self.assertEqual(key(b), ["B No", "A No"])
        with self.assertRaisesRegex(BuildError, "each be part of the other's key"):
            relate(self.part, b.id, a.id, identifying=True)
        with self.assertRaisesRegex(BuildError, "by itself"):
            relate(self.part, a.id, a.id, identifying=True)
        change_relationship(self.part, one.id, identifying=False, optional=True)
        self.assertEqual((key(b), b.columns[1].nullable), (["B No"], True))

    def test_what_others_depend_on_is_refused_in_words(self) -> None:
        a, b, bare = entity(self.part, "A", "A No"), entity(self.part, "B", "B No"), add_table(self.part, "Bare")
        relate(self.part, a.id, b.id, identifying=True)
        for work, why in (
            (lambda: set_key(self.part, a.id, []), "B refer to the key of A"),
            (lambda: set_key(self.part, b.id, b.key[:1]), "which identifies it"),
            (lambda: delete_column(self.part, b.id, b.key[1]), "by the relationship to A"),
            (lambda: change_column(self.part, b.id, b.key[1], type_="text"), "has its type from A.A No"),
            (lambda: relate(self.part, bare.id, b.id), "has no key"),
            (lambda: add_table(self.part, "a"), "There is a A already"),
            (lambda: add_column(self.part, a.id, "a no"), "has a no already"),
            (lambda: add_table(self.part, "  "), "A name is missing"),
        ):
            with self.assertRaisesRegex(BuildError, why):
                work()

    def test_a_chain_of_a_thousand_tables_follows(self) -> None:
        tables = [entity(self.part, "T0", "No"), *(entity(self.part, f"T{at}") for at in range(1, 1_000))]
        for parent, child in pairwise(tables):
            relate(self.part, parent.id, child.id, identifying=True)
        change_column(self.part, tables[0].id, tables[0].key[0], type_="uuid", name="Id")
        add_column(self.part, tables[0].id, "Region", "char(2)", in_key=True)
        self.assertEqual([(c.name, c.type) for c in tables[-1].columns], [("Id", "uuid"), ("Region", "char(2)")])


@st.composite
def steps(draw: st.DrawFn) -> list[tuple[int, int, bool, bool]]:
    return draw(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 5), st.booleans(), st.booleans()), max_size=12))


def change(part: Part, ids: list[int], what: str, at: int) -> None:
    found = part.tables.get(ids[at % len(ids)])
    if what == "unrelate" and part.relationships:
        unrelate(part, list(part.relationships)[at % len(part.relationships)])
    elif what == "key" and found:
        add_column(part, found.id, f"More {at}", "int", in_key=True)
    elif what == "drop" and found and found.columns:
        delete_column(part, found.id, found.columns[-1].id)
    elif what == "delete" and found:
        delete_table(part, found.id)


class InvariantTests(TestCase):
    @settings(max_examples=60)
    @given(
        steps(),
        st.lists(st.tuples(st.sampled_from(["unrelate", "key", "drop", "delete"]), st.integers(0, 9)), max_size=6),
    )
    def test_whatever_is_done_every_relationship_meets_its_parents_key(
        self, relations: list[tuple[int, int, bool, bool]], then: list[tuple[str, int]]
    ) -> None:
        part = Part({}, {})
        tables = [entity(part, f"T{at}", f"No {at}") for at in range(6)]
        ids = [table.id for table in tables]
        works: list[Callable[[Part], object]] = [
            lambda part, r=one: relate(part, ids[r[0]], ids[r[1]], identifying=r[2], optional=r[3])  # type: ignore[misc]
            for one in relations
        ]
        works += [lambda part, w=what, n=at: change(part, ids, w, n) for what, at in then]  # type: ignore[misc]
        for work in works:
            tried = part.copy()
            try:
                work(tried)
            except BuildError:
                continue
            part = tried
        for one in part.relationships.values():
            parent_table, child_table = part.tables[one.parent], part.tables[one.child]
            self.assertEqual(one.ref_columns, parent_table.key)
            own = {column.id: column for column in child_table.columns}
            for column, ref in zip(one.columns, one.ref_columns, strict=True):
                self.assertEqual(own[column].type, parent_table.column(ref).type)
                self.assertNotEqual(column, ref)
            if one.identifying:
                self.assertLessEqual(set(one.columns), set(child_table.key))
        for table in part.tables.values():
            self.assertEqual(len({name.lower() for name in names(table)}), len(table.columns))
            self.assertLessEqual(set(table.key), {column.id for column in table.columns})
            self.assertFalse([column for column in table.columns if column.id in table.key and column.nullable])
