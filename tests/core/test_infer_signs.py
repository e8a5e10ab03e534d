"""The signs that inference reads: joins in queries, words of names, stems of columns, and how signs are told."""

from __future__ import annotations

from unittest import TestCase

from indexa.core.infer.evidence import words_for
from indexa.core.infer.joins import joined_columns
from indexa.core.infer.key_signs import begins_span
from indexa.core.infer.matching import Matcher, stem_of
from indexa.core.infer.names import SchemaNames
from indexa.core.infer.proposing import propose
from indexa.core.infer.surroundings import Surroundings
from indexa.core.model import Model, Table, Trigger
from tests.core.test_infer import made, schema


class JoinTests(TestCase):
    """Each query joins sample.pt to point.code, in a way that people write it."""

    queries = (
        "select * from sample s join point p on s.pt = p.code",
        "SELECT * FROM sample AS s, point AS p WHERE p.code=s.pt",
        'select * from "sample" inner join "point" on ("sample"."pt" = "point"."code")',
        "select * from lab.sample s left join lab.point on s.pt = point.code",
        "select * from `sample` s join `point` p on `s`.`pt` = `p`.`code`",
        "select * from [sample] s join [point] p on [s].[pt] = [p].[code]",
        "update sample set x = 1 from point where sample.pt = point.code",
        "select * -- from nothing n\n from sample s /* join point q */ join point p on s.pt = p.code",
    )

    def model(self, query: str) -> Model:
        sample, point = made("sample", "no pt:c kind:c", schema="lab"), made("point", "code:c kind:c", schema="lab")
        return schema(sample, point, Table(schema="lab", name="v", kind="view", columns=[], definition_sql=query))

    def test_joins_are_read_however_they_are_written(self) -> None:
        for query in self.queries:
            with self.subTest(query):
                self.assertEqual(joined_columns(self.model(query))[("lab.sample", "pt"), ("lab.point", "code")], 1)

    def test_using_and_what_is_no_join(self) -> None:
        found = joined_columns(self.model("select * from sample join point using (kind)"))
        self.assertEqual(found[("lab.point", "kind"), ("lab.sample", "kind")], 1)
        for query in (
            "select 'sample.pt = point.code'",
            "select * from other o where o.pt = o.code",
            "select s.pt = s.no from sample s",
            "((((" * 500,
        ):
            with self.subTest(query[:40]):
                found = joined_columns(self.model(query))
                self.assertFalse(
                    {pair for pair in found if pair[0][0] != pair[1][0]}
                    - {(("lab.sample", "pt"), ("lab.point", "code"))}
                )

    def test_triggers_are_read_too(self) -> None:
        model = self.model("select 1")
        body = "create trigger t after insert on sample begin select 1 from sample s join point p on s.pt = p.code; end"
        model.tables[0].triggers = [Trigger(name="t", definition=body)]
        self.assertTrue(joined_columns(model))


class NameTests(TestCase):
    def test_stems_are_columns_without_what_only_identifies(self) -> None:
        cases = {
            ("customer", "id"): (("customer",), ("id",)), ("id",): ((), ("id",)), ("fk", "customer"): (("customer",), ("fk",)),
            ("id", "identity"): (("identity",), ("id",)), ("order", "line", "no"): (("order", "line"), ("no",)),
            ("customer",): (("customer",), ()), ("number",): ((), ("number",)), ("country", "code"): (("country",), ("code",)),
            ("trigger", "id", "up"): (("up", "trigger"), ("id",)), ("concept", "id", "1"): (("1", "concept"), ("id",)),
        }  # fmt: skip
        for words, (stem, key) in cases.items():
            with self.subTest(words):
                found = stem_of(words)
                self.assertEqual((found.words, found.key_words), (stem, key))

    def test_what_all_tables_share_is_no_part_of_their_names(self) -> None:
        names = SchemaNames(
            schema(*(made(f"app_{name}", "id nm:t") for name in ("customer", "invoice", "payment", "order_line")))
        )
        self.assertEqual(
            [one.words for one in names.tables], [("customer",), ("invoice",), ("payment",), ("order", "line")]
        )

    def test_a_prefix_of_columns_names_their_table(self) -> None:
        names = SchemaNames(
            schema(made("customer", "cus_id cus_name:t cus_street:t"), made("orders", "ord_id ord_cus_id ord_date:d"))
        )
        self.assertEqual(names.tables[0].aliases, [("customer",), ("cus",)])
        self.assertEqual(names.tables[1].columns["ord_cus_id"], ("cus", "id"))

    def test_a_table_is_found_by_all_of_its_name_before_a_part_of_it(self) -> None:
        names = SchemaNames(schema(made("order", "id x"), made("order_line", "id x"), made("customer_order", "id x")))
        found = [(names.tables[one.table].table.name, one.how) for one in Matcher(names).matches(("order",))]
        self.assertEqual(found[0], ("order", "name"))
        self.assertEqual(dict(found)["customer_order"], "ending")
        roles = Matcher(names).matches(("parent", "order"))
        self.assertEqual((roles[0].extra, roles[0].role), (1, ("parent",)))


class SurroundingsTests(TestCase):
    """What tables tell of each other's columns, and what a column tells of its table's rows."""

    def around(self, *tables: Table) -> tuple[SchemaNames, Surroundings]:
        names = SchemaNames(schema(*tables))
        return names, Surroundings(names, Matcher(names))

    def test_a_copy_with_editions_is_known_by_its_twin(self) -> None:
        columns = "id name:t? lanes? version"
        _, around = self.around(made("current_road", columns), made("road", columns), made("bridge", columns))
        self.assertEqual([around.edition(number) for number in range(3)], ["", "version", ""])
        _, around = self.around(
            made("host", "uuid name:t? port?"), made("branched_host", "uuid branch_uuid name:t? port?"), made("branch", "uuid name:t")
        )  # fmt: skip
        self.assertEqual([around.edition(number) for number in range(3)], ["", "branch_uuid", ""])

    def test_columns_are_counted_where_they_stand_together(self) -> None:
        triple = "sched:c job:c grp:c"
        _, around = self.around(
            made("jobs", triple), made("cron", triple), made("simple", triple), made("other", "id sched:c")
        )
        self.assertEqual(around.holding(0, ("sched", "job")), 2)
        self.assertEqual(around.holding(0, ("sched",)), 3)
        self.assertEqual(around.holding(3, ("id", "sched")), 0)

    def test_what_the_first_table_knows_follows_from_it(self) -> None:
        _, around = self.around(
            made("event", "id monitor_id at:d", "id"), made("event_day", "event_id monitor_id size")
        )
        self.assertTrue(around.known_there(1, "event_id", "monitor_id"))
        self.assertFalse(around.known_there(1, "event_id", "size"))
        self.assertFalse(around.known_there(1, "size", "monitor_id"))

    def test_a_state_begins_where_another_column_says_when_it_ends(self) -> None:
        table = made("rate", "emp_id from_date:d to_date:d valid_from:d start_no end_no")
        names = SchemaNames(schema(table))
        found = {column.name: begins_span(names.tables[0], column) for column in table.columns}
        self.assertEqual({name: end for name, end in found.items() if end}, {"from_date": "to_date"})

    def test_rows_are_joined_by_tables_that_are_called_so(self) -> None:
        names = SchemaNames(
            schema(*(made(name, "id x") for name in ("page", "page_link", "mem_node", "mem_edge", "page_text")))
        )
        matcher = Matcher(names)
        called = [[names.tables[one].table.name for one in matcher.joined_by(number)] for number in range(5)]
        self.assertEqual(called, [[], ["page"], [], ["mem_node"], []])
        self.assertEqual(matcher.other_end("source"), {"target", "destination"})


class EvidenceTests(TestCase):
    def test_signs_are_told_in_words_and_unknown_ones_not_at_all(self) -> None:
        text = words_for(
            {"same type": 1.0, "name whole": 1.0, "any": 1.0, "no such sign": 1.0, "joined": 0.0},
            "reference",
            "billing",
        )
        self.assertEqual(text, ("its name is that table's with a key word", "the types are the same", "role: billing"))


class DimensionalTests(TestCase):
    """Parts of a star: by name, by shape, and around a fact; a plain schema has none."""

    def parts(self, *tables: str) -> dict[str, str]:
        found = [made(*one.split("|")) for one in tables]
        dimensional = {"fact", "dimension", "bridge", "aggregate"}
        return {one.table: one.kind for one in propose(schema(*found)) if one.kind in dimensional}

    def test_a_star_is_found_by_name_and_around_its_fact(self) -> None:
        self.assertEqual(
            self.parts(
                "fact_sale|day_id customer_id product_id amount:n tax:n|day_id customer_id product_id", "day|day_id name:t|day_id",
                "dim_customer|customer_id name:t valid_from:d valid_to:d|customer_id", "product|product_id name:t|product_id",
                "agg_month|month_id amount:n|month_id",
            ),
            {"fact_sale": "fact", "day": "dimension", "dim_customer": "dimension", "product": "dimension", "agg_month": "aggregate"},
        )  # fmt: skip

    def test_a_star_without_such_names_is_found_by_its_shape(self) -> None:
        tables = (
            "sale|day_id customer_id product_id amount:n tax:n|day_id customer_id product_id", "day|day_id name:t|day_id",
            "customer|customer_id name:t|customer_id", "product|product_id name:t|product_id",
        )  # fmt: skip
        self.assertEqual(self.parts(*tables), {"sale": "fact"})

    def test_plain_tables_are_no_star(self) -> None:
        self.assertEqual(
            self.parts(
                "customer|id name:t|id", "invoice|id customer_id total:n tax:n|id", "factory|id name:t|id", "dimmer|id level:n|id"
            ),
            {},
        )  # fmt: skip
