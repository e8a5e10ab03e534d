"""Searching the dictionary: the answer is the one that a plain look through all columns gives."""

from __future__ import annotations

import random

from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.core.model import Column, ForeignKey, Key, Model, Table
from indexa.dictionary import search
from indexa.dictionary.models import DictionaryRow
from indexa.dictionary.search import Query
from indexa.modeling import editing
from indexa.store.models import DescribedColumn
from tests.factories import PASSWORD, make_area, make_model, make_person, store

PARTS = ["mtr", "rdg", "acct", "bal", "dt", "cd", "50%", "a_b", "Zähler", "svc"]


def random_model(tables: int, columns: int) -> Model:
    rnd = random.Random(3)
    made = []
    for number in range(tables):
        names = {f"{rnd.choice(PARTS)}_{rnd.choice(PARTS)}_{n}": None for n in range(columns)}
        made.append(
            Table(
                schema=rnd.choice(["bill", "Cust"]),
                name=f"{rnd.choice(PARTS)}_{number}",
                columns=[
                    Column(
                        name, position, rnd.choice(["bigint", "text", "date"]), rnd.random() < 0.5,
                        comment=rnd.choice(["", "Größe", "see mtr"]),
                    )
                    for position, name in enumerate(names, 1)
                ],
                primary_key=Key(name="pk", columns=(next(iter(names)),)),
            )
        )  # fmt: skip
        first = made[0]
        made[-1].foreign_keys = [
            ForeignKey(name="fk", columns=(list(names)[1],), ref_schema=first.schema, ref_table=first.name,
                       ref_columns=(first.columns[0].name,))
        ]  # fmt: skip
    return Model(name="random", platform="postgresql", tables=made)


class SearchTests(TestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        cls.area = make_area()
        person = make_person(cls.area)
        cls.stored = store(cls.area, random_model(40, 12))
        store(make_area("Other"), random_model(3, 5))
        for one in DescribedColumn.objects.filter(model=cls.stored, position__in=[3, 4]):
            place = editing.Place("column", one.attribute_id)
            editing.edit(
                area=cls.area, person=person, place=place, field="definition", seen="", value=f"What {one.type} means"
            )
        cls.columns = list(DescribedColumn.objects.filter(model=cls.stored))

    def plain(self, *terms: str, **wanted: object) -> list[int]:
        """Look through all columns one by one, in the order in which the dictionary stands."""

        def fits(c: DescribedColumn) -> bool:
            text = "\n".join(
                [c.name, c.table_full_name, c.business_name, c.table_business_name, c.definition, c.comment]
            )
            return all(term in text.lower() for term in terms) and all(
                getattr(c, name) in value if isinstance(value, list) else getattr(c, name) == value
                for name, value in wanted.items()
            )

        found = [c for c in self.columns if fits(c)]
        return [c.pk for c in sorted(found, key=lambda c: (c.schema.lower(), c.table_name.lower(), c.position))]

    def query(self, text: str = "", **filters: tuple[str, ...]) -> Query:
        return Query(self.area.pk, text=text, filters=filters)

    def test_any_part_of_any_name_from_one_letter_up(self) -> None:
        for text in [
            "m",
            "mt",
            "mtr",
            "RDG",
            "mtr bal",
            "50%",
            "a_b",
            "%",
            "_",
            "zähl",
            "größe",
            "means",
            "bill.",
            "\\",
            "nosuch",
        ]:
            with self.subTest(text):
                wanted = self.plain(*text.lower().split())
                self.assertEqual(search.page(self.query(text), 0, 1000), wanted)
                self.assertEqual(search.page(self.query(text), 5, 10), wanted[5:15])
                self.assertEqual(search.first_hits(self.query(text)).ids, wanted)
                self.assertEqual(search.exact_hits(self.query(text)).count, len(wanted))

    def test_filters_combine_and_their_counts_are_those_of_the_choice_they_offer(self) -> None:
        query = self.query("mtr", schema=("bill",), family=("number", "text"), null=("yes",))
        wanted = self.plain("mtr", schema="bill", family=["number", "text"], nullable=True)
        self.assertEqual(search.page(query, 0, 1000), wanted)
        for hits in (search.first_hits(query), search.exact_hits(query)):
            self.assertEqual(hits.count, len(wanted))
            self.assertEqual(hits.tables, len({c.table_id for c in self.columns if c.pk in wanted}))
            self.assertEqual(
                hits.facets["schema"]["Cust"],
                len(self.plain("mtr", schema="Cust", family=["number", "text"], nullable=True)),
            )
            self.assertEqual(
                hits.facets["family"]["date and time"],
                len(self.plain("mtr", schema="bill", family="date and time", nullable=True)),
            )

    def test_key_roles_and_described(self) -> None:
        self.assertEqual(len(search.page(self.query(key=("pk",)), 0, 100)), 40)
        self.assertEqual(len(search.page(self.query(key=("pk", "fk")), 0, 100)), 80)
        none = search.first_hits(self.query(key=("none",)))
        self.assertEqual((none.count, none.facets["key"]["fk"]), (400, 40))
        self.assertEqual(search.first_hits(self.query(described=("yes",))).count, 80)

    def test_more_than_a_thousand_hits_are_counted_exactly_only_when_asked(self) -> None:
        DictionaryRow.objects.bulk_create(
            DictionaryRow(
                column_id=10**9 + n, area_id=self.area.pk, model_id=10**6, table_id=n // 20 + 10**6, layer="physical",
                sort_key=f"x\x01t{n // 20:05}\x01{n % 20:05}", name=f"wide_{n}", schema="x", kind="table",
                family="text", roles=0, nullable=True, named=False, described=False, text=f"wide_{n}",
            )
            for n in range(1500)
        )  # fmt: skip
        hits = search.first_hits(self.query("wide"))
        self.assertEqual((hits.count, hits.more), (1000, True))
        self.assertEqual(search.exact_hits(self.query("wide")).count, 1500)
        self.assertEqual(search.page(self.query("wide"), 1400, 3), [10**9 + n for n in (1400, 1401, 1402)])

    def test_sorting_and_letters(self) -> None:
        by_name = search.page(Query(self.area.pk, sort="column"), 0, 1000)
        names = dict(DictionaryRow.objects.values_list("pk", "name"))
        self.assertEqual([names[pk] for pk in by_name], sorted(names[c.pk] for c in self.columns))
        letters = search.exact_hits(self.query()).letters or {}
        self.assertEqual(sum(letters.values()), 40)
        self.assertEqual(letters, search.first_hits(self.query()).letters)
        self.assertFalse("a" <= self.table_at(search.offset_of_letter(self.query(), "#"))[0] <= "z")
        first_m = search.offset_of_letter(self.query(), "M")
        self.assertTrue(self.table_at(first_m).startswith("m"))

    def table_at(self, offset: int) -> str:
        (shown,) = search.page(self.query(), offset, 1)
        return DescribedColumn.objects.get(pk=shown).table_name.lower()


class DictionaryPageTests(TestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        cls.area = make_area()
        cls.stored = store(cls.area, random_model(30, 10))
        cls.person = make_person(cls.area, Role.READER)
        cls.url = reverse("dictionary:page", args=[cls.area.slug])

    def setUp(self) -> None:
        self.client.login(username=self.person.username, password=PASSWORD)

    def test_a_page_takes_the_same_few_queries_however_many_rows_it_has(self) -> None:
        self.client.get(self.url)
        with self.assertNumQueries(11):
            self.client.get(self.url)
        with self.assertNumQueries(10):
            self.client.get(self.url, {"q": "mtr_1"}, headers={"HX-Request": "true"})
        with self.assertNumQueries(6):
            self.client.get(reverse("dictionary:rows", args=[self.area.slug]), {"offset": "100"})

    def test_the_address_holds_the_state_and_a_bad_one_narrows_nothing(self) -> None:
        page = self.client.get(self.url, {"q": "mtr", "schema": ["bill"], "sort": "-column"})
        self.assertContains(page, 'value="mtr"')
        self.assertContains(page, "schema=bill")
        self.assertContains(page, 'aria-sort="descending"')
        for bad in (
            {"model": "x"},
            {"model": "9" * 40},
            {"table": "²"},
            {"offset": "9" * 40},
            {"key": "zz"},
            {"null": "perhaps"},
            {"sort": "drop table"},
            {"layer": "third"},
            {"q": "\x00"},
        ):
            with self.subTest(bad):
                self.assertEqual(self.client.get(self.url, bad).status_code, 200)

    def test_matched_letters_are_marked_and_nothing_is_markup(self) -> None:
        page = self.client.get(self.url, {"q": "<script>alert(1)</script>"})
        self.assertNotContains(page, "<script>alert")
        self.assertContains(self.client.get(self.url, {"q": "rdg"}), "<mark>rdg</mark>")


class LogicalLayerTests(TestCase):
    def test_attributes_are_listed_in_their_own_layer(self) -> None:
        area = make_area()
        store(area, make_model())
        physical, logical = (search.page(Query(area.pk, layer=layer), 0, 99) for layer in ("physical", "logical"))
        self.assertEqual((len(physical), len(logical)), (7, 6))
        self.assertFalse(set(physical) & set(logical))
