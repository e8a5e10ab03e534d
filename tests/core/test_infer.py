"""What a model does not declare: keys, references, parts, by example and by property."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from hypothesis import given, settings

from indexa.core.infer.asking import questions
from indexa.core.infer.data import DataSaid
from indexa.core.infer.joins import joined_columns
from indexa.core.infer.proposal import Proposal
from indexa.core.infer.proposing import propose
from indexa.core.model import Check, Column, ForeignKey, Index, IndexPart, Key, Model, Routine, Table
from indexa.core.naming.wordbook import Stack, Word, Wordbook
from tests.core.strategies import models

TYPES = {"d": "timestamp", "t": "varchar(80)", "c": "varchar(10)", "n": "numeric(9,2)", "b": "boolean"}


def made(name: str, columns: str, key: str = "", schema: str = "") -> Table:
    """A table out of words: `cust_id sts_cd:c nm:t?`, integers unless said otherwise, `?` where empty is allowed."""
    parts = []
    for place, word in enumerate(columns.split(), 1):
        own, _, kind = word.rstrip("?").partition(":")
        parts.append(Column(own, place, TYPES.get(kind, "integer"), word.endswith("?")))
    return Table(
        schema=schema, name=name, columns=parts, primary_key=Key(name="pk", columns=tuple(key.split())) if key else None
    )


def schema(*tables: Table, **more: Any) -> Model:
    return Model(name="m", platform="postgresql", tables=list(tables), **more)


def references(model: Model, least: float = 0.5, **more: Any) -> set[str]:
    return {
        f"{one.table}.{','.join(one.columns)}>{one.ref_table}"
        for one in propose(model, **more)
        if one.kind == "foreign_key" and one.confidence >= least
    }


def keys(model: Model) -> dict[str, tuple[str, ...]]:
    return {one.table: one.columns for one in propose(model) if one.kind == "primary_key" and one.confidence >= 0.5}


class ReferenceTests(TestCase):
    cases = {
        "table and id": (["customer|id name:t|id", "invoice|id customer_id total:n|id"], {"invoice.customer_id>customer"}),
        "the key's own name": (["customer|customer_id name:t|customer_id", "invoice|invoice_id customer_id|invoice_id"], {"invoice.customer_id>customer"}),
        "capitals": (["Customers|CustomerID Name:t|CustomerID", "Orders|OrderID CustomerID ShipDate:d|OrderID"], {"Orders.CustomerID>Customers"}),
        "short forms": (["usr|usr_id nm:t|usr_id", "ord|ord_id crt_usr_id sts_cd:c|ord_id"], {"ord.crt_usr_id>usr"}),
        "a role before it": (
            ["address|id street:t|id", "orders|id billing_address_id shipping_address_id?|id"],
            {"orders.billing_address_id>address", "orders.shipping_address_id>address"},
        ),
        "a parent": (["category|id parent_id? name:t|id"], {"category.parent_id>category"}),
        "people by what they did": (["users|id login:t|id", "issue|id created_by subject:t|id"], {"issue.created_by>users"}),
        "prefixes of tables": (["tbl_cust|id nm:t|id", "tbl_ord|id cust_id|id", "tbl_prod|id nm:t|id", "tbl_line|id ord_id prod_id|id"],
                               {"tbl_ord.cust_id>tbl_cust", "tbl_line.ord_id>tbl_ord", "tbl_line.prod_id>tbl_prod"}),
        "a composite key": (
            ["order_line|order_id line_no qty price:n|order_id line_no", "orders|order_id placed:d|order_id", "shipment_line|ship_id order_id line_no|ship_id"],
            {"order_line.order_id>orders", "shipment_line.order_id,line_no>order_line"},
        ),
        "a lookup named by the column": (
            ["order_status|name:c label:t|name", "orders|id order_status:c total:n|id", "line|id order_id order_status:c|id"],
            {"orders.order_status>order_status"},
        ),
        "the rest in the own name": (["account|id type_id? nm:t|id", "account_type|id nm:t|id", "price_type|id nm:t|id"], {"account.type_id>account_type"}),
        "initials": (
            ["identity_provider|id nm:t|id", "users|id idp_id? nm:t|id", "federation|id idp_id nm:t|id"], {"users.idp_id>identity_provider"},
        ),
        "marks of types": (
            ["t_sources|i_id_source v_name:t|i_id_source", "t_batches|i_id_batch i_id_source v_state:c b_done:b ts_made:d|i_id_batch"],
            {"t_batches.i_id_source>t_sources"},
        ),
        "a whole key of another's name": (["users|user_id nm:t|user_id", "user_profile|user_id bio:t|user_id"], {"user_profile.user_id>users"}),
        "a composite key with one column named after the table": (
            ["tenant|id nm:t|id", "document|tenant_id id title:t|tenant_id id", "document_tag|tenant_id document_id tag:c|tenant_id document_id tag"],
            {"document_tag.tenant_id,document_id>document"},
        ),
        "a role behind it": (["event|id at:d|id", "problem|id event_id_up? nm:t|id"], {"problem.event_id_up>event"}),
        "a table's name that is a key word": (["link|id url:t|id", "link_note|id link note:t|id"], {"link_note.link>link"}),
        "an edition behind the table's name": (["filters_2|id nm:t|id", "rule|id filter_id reg:t|id"], {"rule.filter_id>filters_2"}),
        "letters run together": (["usrgrp|usrgrpid nm:t|usrgrpid", "scripts|scriptid usrgrpid nm:t|scriptid"], {"scripts.usrgrpid>usrgrp"}),
        "a number kept as a text": (["stadium|stadium_id nm:t|stadium_id", "concert|concert_id stadium_id:t|concert_id"], {"concert.stadium_id>stadium"}),
        "initials and id": (["author|aid nm:t|aid", "paper|pid title:t|pid", "writes|aid pid|aid pid"], {"writes.aid>author", "writes.pid>paper"}),
        "the same beginning on each column, and another table's name behind": (
            ["appevt|appevt_id appevt_name:t appevt_at:d|appevt_id", "appsub|appsub_id appsub_name:t appsub_appevt_id appsub_at:d|appsub_id"],
            {"appsub.appsub_appevt_id>appevt"},
        ),
        "a table of heads": (
            ["sales_order_header|sales_order_id placed:d|sales_order_id", "sales_order_line|sales_order_id line_no qty:n|sales_order_id line_no"],
            {"sales_order_line.sales_order_id>sales_order_header"},
        ),
        "both ends of what joins rows": (["page|id title:t|id", "page_links|from_id to_id|from_id to_id"],
                                     {"page_links.from_id>page", "page_links.to_id>page"}),
        "edges of nodes": (["mem_node|id label:t|id", "mem_edge|id src dst weight:n|id"],
                           {"mem_edge.src>mem_node", "mem_edge.dst>mem_node"}),
        "no table that joins others": (
            ["auth_user|id login:t|id", "reports_report|id title:t|id", "reports_access|id user_id at:d|id",
             "reports_report_users|id report_id user_id|id", "reports_phone|id user_id no:t|id"],
            {"reports_access.user_id>auth_user", "reports_phone.user_id>auth_user", "reports_report_users.user_id>auth_user",
             "reports_report_users.report_id>reports_report"},
        ),
        "no number of people refers": (["member|id nm:t|id", "list|id max_num_members title:t|id"], set()),
        "no measure refers": (["track|id title:t|id", "disc|id track_count|id"], set()),
        "another type does not": (["customer|id name:t|id", "note|id customer_id:d|id"], set()),
    }  # fmt: skip

    def test_what_names_and_types_tell(self) -> None:
        for name, (tables, wanted) in self.cases.items():
            with self.subTest(name):
                model = schema(*(made(*text.split("|")) for text in tables))
                found = references(model)
                self.assertLessEqual(wanted, found)
                if not wanted:
                    self.assertEqual(found, set())

    def test_the_table_with_the_whole_name_is_preferred(self) -> None:
        model = schema(
            made("status", "id name:t", "id"),
            made("order_status", "id name:t", "id"),
            made("orders", "id order_status_id", "id"),
        )
        self.assertEqual(references(model), {"orders.order_status_id>order_status"})

    def test_the_table_of_the_own_schema_is_preferred(self) -> None:
        tables = [
            made(name, columns, "id", place)
            for place in ("papers", "editing")
            for name, columns in (("revisions", "id at:d"), ("revision_files", "id revision_id nm:t"))
        ]
        found = {
            (one.schema, one.ref_schema)
            for one in propose(schema(*tables))
            if one.kind == "foreign_key" and one.confidence >= 0.5
        }
        self.assertEqual(found, {("papers", "papers"), ("editing", "editing")})

    def test_what_is_declared_is_not_proposed_again_and_teaches(self) -> None:
        customer, order, note = (
            made("customer", "id name:t", "id"),
            made("orders", "id cust_ref", "id"),
            made("note", "id cust_ref", "id"),
        )
        order.foreign_keys = [
            ForeignKey(name="f", columns=("cust_ref",), ref_schema="", ref_table="customer", ref_columns=("id",))
        ]
        found = [one for one in propose(schema(customer, order, note)) if one.kind == "foreign_key"]
        self.assertEqual({one.table for one in found if one.confidence >= 0.5}, {"note"})
        self.assertIn("columns of this name refer there in declared keys", found[0].evidence)

    def test_joins_in_views_and_routines_are_evidence(self) -> None:
        point, sample = made("smppoint", "code:c name:t", "code"), made("sample", "no takenat:c", "no")
        view = Table(
            name="v",
            kind="view",
            definition_sql="select * from sample s join smppoint as p on s.takenat = p.code",
            columns=[],
        )
        routine = Routine(schema="", name="f", kind="function", arguments="", returns="", language="sql",
                          definition="select 1 from smppoint, sample x where x.takenat = smppoint.code")  # fmt: skip
        model = schema(point, sample, view, routines=[routine])
        self.assertEqual(joined_columns(model)[("sample", "takenat"), ("smppoint", "code")], 2)
        self.assertIn("sample.takenat>smppoint", references(model))

    def test_a_comment_that_says_so_and_a_wordbook_are_evidence(self) -> None:
        point, sample = made("smppoint", "code:c name:t", "code"), made("sample", "no place:c", "no")
        sample.columns[1].comment = "refers to smppoint"
        self.assertEqual(references(schema(point, made("sample", "no place:c", "no"))), set())
        stack = Stack([Wordbook(name="w", words=(Word(word="determinand", abbreviations=("qx",)),))])
        tables = schema(made("determinand", "id name:t", "id"), made("result", "id qx_id", "id"))
        self.assertEqual(references(tables, stack=stack), {"result.qx_id>determinand"})

    def test_the_rows_refute_or_support(self) -> None:
        model = schema(made("customer", "id name:t", "id"), made("invoice", "id customer_id", "id"))
        asked = ("", "invoice", ("customer_id",), "", "customer", ("id",))
        before = self.confidence(propose(model))
        self.assertLess(self.confidence(propose(model, data=DataSaid(included={asked: 0.4}))), before / 2)
        self.assertGreater(self.confidence(propose(model, data=DataSaid(included={asked: 1.0}))), before)

    def confidence(self, found: list[Proposal]) -> float:
        return max((one.confidence for one in found if one.kind == "foreign_key"), default=0.0)

    def test_small_numbers_stand_in_every_larger_table_and_lead_nowhere(self) -> None:
        model = schema(
            made("tickets", "ticket_id subject:t", "ticket_id"),
            made("ticket_messages", "message_id ticket_id body:t", "message_id"),
        )
        message = DataSaid(included={("", "tickets", ("ticket_id",), "", "ticket_messages", ("message_id",)): 1.0})
        self.assertEqual(references(model, data=message), {"ticket_messages.ticket_id>tickets"})

    def test_cardinality_and_optionality(self) -> None:
        model = schema(
            made("person", "id name:t", "id"),
            made("employee", "person_id hired:d", "person_id"),
            made("visit", "id person_id?", "id"),
        )
        found = {one.table: one for one in propose(model) if one.kind == "foreign_key"}
        self.assertEqual((found["employee"].cardinality, found["employee"].optional), ("one to one", False))
        self.assertEqual((found["visit"].cardinality, found["visit"].optional), ("many to one", True))

    def test_columns_of_one_way_share_a_pattern(self) -> None:
        model = schema(
            made("crm_usr", "usr_id nm:t", "usr_id"),
            made("a", "id crt_usr_id upd_usr_id", "id"),
            made("b", "id appr_usr_id", "id"),
        )
        patterns = {one.pattern for one in propose(model) if one.kind == "foreign_key" and one.ref_table == "crm_usr"}
        self.assertEqual(patterns, {"…_usr_id → crm_usr"})


class KeyTests(TestCase):
    def test_what_the_database_makes_up_is_a_key_and_what_has_its_value_beside_is_none(self) -> None:
        run, tag = made("run", "id status:c name:t"), made("run_tag", "key:c value:t run_id")
        run.columns[0].type, run.columns[0].default = "uuid", "gen_random_uuid()"
        found = keys(schema(run, tag))
        self.assertEqual(found["run"], ("id",))
        self.assertNotEqual(found.get("run_tag"), ("key",))

    cases = {
        "id": ("customer", "id name:t", ("id",)),
        "named after the table": ("customer", "customer_id name:t?", ("customer_id",)),
        "a number of the table": ("orders", "order_no placed:d?", ("order_no",)),
        "two references": ("member", "user_id team_id", ("user_id", "team_id")),
        "made of what it joins": ("link_trigger", "link_trigger_id link_id trigger_id", ("link_trigger_id",)),
        "a line within": ("order_line", "order_id line_no qty:n?", ("order_id", "line_no")),
        "a state and when it begins": ("user_rate", "user_id from_date:d to_date:d? rate:n?", ("user_id", "from_date")),
        "a key and its value within": ("user_attr", "user_id k:c v:t", ("user_id", "k")),
    }

    def test_each_kind_of_key(self) -> None:
        for name, (table, columns, wanted) in self.cases.items():
            with self.subTest(name):
                others = [
                    made("users", "id login:t", "id"),
                    made("team", "id name:t", "id"),
                    made("orders2", "id", "id"),
                ]
                if table == "order_line":
                    others.append(made("orders", "order_id placed:d", "order_id"))
                others = [other for other in others if other.name != table]
                self.assertEqual(keys(schema(made(table, columns), *others)).get(table), wanted)

    def test_two_columns_that_name_one_table_are_no_key_together(self) -> None:
        found = keys(schema(made("inv", "inv_id inv_no:c amt:n", "inv_id"), made("inv_arch", "inv_id inv_no:c amt:n")))
        self.assertNotEqual(found.get("inv_arch"), ("inv_id", "inv_no"))

    def test_a_copy_keeps_editions(self) -> None:
        found = keys(
            schema(made("current_road", "id name:t? lanes? version", "id"), made("road", "id name:t? lanes? version"))
        )
        self.assertEqual(found.get("road"), ("id", "version"))

    def test_keys_are_found_where_every_column_may_be_empty(self) -> None:
        """Schemas that never declared a key often declare nothing else either: there, emptiness speaks for no column."""
        loose = {
            "client": "client_id? name:t?",
            "visit": "visit_id? client_id? seen:d?",
            "visit_line": "visit_id? line_no? price:n?",
            "client_group": "client_id? group_id?",
            "groups": "group_id? name:t?",
        }
        found = keys(schema(*(made(name, columns) for name, columns in loose.items())))
        needed = keys(schema(*(made(name, columns.replace("?", "")) for name, columns in loose.items())))
        self.assertEqual(found, needed)
        self.assertEqual(found["visit"], ("visit_id",))
        self.assertEqual(found["visit_line"], ("visit_id", "line_no"))
        self.assertEqual(found["client_group"], ("client_id", "group_id"))

    def test_what_is_unique_beside_an_id_is_not_the_primary_key(self) -> None:
        member = made("member", "created_at:d id user_id team_id name:t?")
        member.indexes = [Index(name="u", unique=True, parts=(IndexPart("user_id"), IndexPart("team_id")))]
        others = made("user", "id login:t", "id"), made("team", "id name:t", "id")
        self.assertEqual(keys(schema(member, *others))["member"], ("id",))

    def test_a_unique_index_decides(self) -> None:
        table = made("reading", "meter:c taken:d value:n?")
        table.indexes = [Index(name="u", unique=True, parts=(IndexPart("meter"), IndexPart("taken")))]
        self.assertEqual(keys(schema(table)), {"reading": ("meter", "taken")})

    def test_rows_that_hold_it_twice_refute_it(self) -> None:
        model = schema(made("customer", "id name:t"))
        message = DataSaid(unique={("", "customer", ("id",)): 0})
        self.assertLess(
            max((one.confidence for one in propose(model, data=message) if one.columns == ("id",)), default=0), 0.3
        )

    def test_fewer_columns_that_hold_no_row_twice_are_preferred(self) -> None:
        model = schema(
            made("gene", "id nm:t", "id"), made("kind", "id nm:t", "id"), made("gene_kind", "gene_id kind_id")
        )
        self.assertEqual(keys(model)["gene_kind"], ("gene_id", "kind_id"))
        message = DataSaid(
            unique={("", "gene_kind", ("gene_id", "kind_id")): 500, ("", "gene_kind", ("gene_id",)): 500}
        )
        (found,) = [one for one in propose(model, data=message) if one.kind == "primary_key"]
        self.assertEqual(found.columns, ("gene_id",))
        asked = questions(model).unique
        self.assertIn(("", "gene_kind", ("gene_id",)), asked)


class UniqueKeyTests(TestCase):
    def uniques(self, data: DataSaid | None = None) -> dict[tuple[str, ...], float]:
        model = schema(
            made("customer", "id customer_no:c login:t email:t? name:t total_no", "id"),
            made("visit", "id customer_no:c", "id"),
        )
        return {(one.table, *one.columns): one.confidence for one in propose(model, data=data) if one.kind == "unique"}

    def test_a_code_of_the_table_and_what_tells_rows_apart(self) -> None:
        self.assertEqual(set(self.uniques()), {("customer", "customer_no"), ("customer", "login")})

    def test_rows_decide(self) -> None:
        message = {("", "customer", ("customer_no",)): 500, ("", "customer", ("login",)): 0}
        asked = self.uniques(DataSaid(unique=message))
        self.assertEqual(set(asked), {("customer", "customer_no")})
        self.assertGreater(asked["customer", "customer_no"], self.uniques()["customer", "customer_no"])


class PartTests(TestCase):
    def kinds(self, *tables: Table) -> dict[tuple[str, str], Proposal]:
        return {(one.kind, one.table): one for one in propose(schema(*tables))}

    def test_the_parts_that_tables_play(self) -> None:
        found = self.kinds(
            made("person", "id name:t", "id"), made("employee", "person_id hired:d", "person_id"), made("team", "id name:t", "id"),
            made("member", "person_id team_id", "person_id team_id"), made("role_type", "code:c description:t", "code"),
            made("visit", "id person_id role_type_code:c person_name:t", "id"),
        )  # fmt: skip
        self.assertIn(("many_to_many", "member"), found)
        self.assertEqual(found["subtype", "employee"].ref_table, "person")
        self.assertIn(("code_table", "role_type"), found)
        self.assertEqual(found["repeated_column", "visit"].ref_columns, ("name",))

    def test_few_rows_make_a_code_table_surer_and_many_refute_it(self) -> None:
        tables = [made("trade", "id name:t", "id"), made("crew", "id trade_id name:t", "id")]

        def told(rows: int | None) -> float:
            data = DataSaid(rows={} if rows is None else {("", "trade"): rows})
            return max(
                (one.confidence for one in propose(schema(*tables), data=data) if one.kind == "code_table"), default=0
            )

        self.assertLess(told(5_000), told(None))
        self.assertLess(told(None), told(12))
        self.assertEqual(questions(schema(*tables)).counted, [("", "trade")])

    def test_what_many_tables_have_is_repeated_by_none(self) -> None:
        tables = [made("zone", "id zone_no:c grade:t seen:t", "id")]
        tables += [made(name, "id zone_id zone_grade:t seen:t", "id") for name in ("pump", "well", "tank", "sluice")]
        found = [one for one in propose(schema(*tables)) if one.kind == "repeated_column"]
        self.assertEqual({one.columns for one in found}, {("zone_grade",)})

    def test_rows_decide_what_is_repeated(self) -> None:
        model = schema(made("zone", "id pressure:t size:t", "id"), made("pump", "id zone_id pressure:t maker:t", "id"))
        (asked,) = questions(model).repeated
        self.assertEqual(asked, ("", "pump", "pressure", "zone_id", "", "zone", "pressure", "id"))
        text = {
            share: [one.confidence > 0.8 for one in propose(model, data=DataSaid(repeated={asked: share})) if one.kind == "repeated_column"]
            for share in (1.0, 0.9, 0.3)
        }  # fmt: skip
        self.assertEqual(text, {1.0: [True], 0.9: [False], 0.3: []})
        self.assertEqual([one for one in propose(model) if one.kind == "repeated_column"], [])

    def test_what_others_refer_to_or_holds_texts_joins_nothing(self) -> None:
        tables = ("address|id town:t|id", "premise_type|id label:t|id", "premise|id address_id premise_type_id|id", "meter|id premise_id nm:t|id",
                  "users|id login:t|id", "address_note|id address_id user_id words:t|id",
                  "unit|id kind:t|id", "register|meter_id register_no unit_id|meter_id register_no")  # fmt: skip
        found = propose(schema(*(made(*text.split("|")) for text in tables)))
        self.assertEqual([one.table for one in found if one.kind == "many_to_many"], [])

    def test_one_column_that_points_to_different_tables(self) -> None:
        note = made("attachment", "id container_id container_type:t", "id")
        note.checks = [Check(name="c", expression="container_type in ('issue', 'wiki_page')")]
        found = [
            one
            for one in propose(schema(made("issue", "id title:t", "id"), made("wiki_page", "id title:t", "id"), note))
            if one.kind == "typed_reference"
        ]
        self.assertEqual(
            {(one.ref_table, one.type_value) for one in found}, {("issue", "issue"), ("wiki_page", "wiki_page")}
        )
        alone = [
            one
            for one in propose(schema(made("note", "id subject_id subject_type:t", "id")))
            if one.kind == "typed_reference"
        ]
        self.assertEqual([(one.ref_table, one.type_column) for one in alone], [("", "subject_type")])

    def test_a_type_beside_the_own_key_or_a_plain_reference_chooses_nothing(self) -> None:
        port = made("port", "port_id port_type:c name:t", "port_id")
        volume = made("volume_target", "id volume_id:c volume_type:c", "id")
        found = propose(schema(port, made("router_port", "id port_id port_type:c", "id"), volume))
        self.assertEqual([one for one in found if one.kind == "typed_reference"], [])


class Properties(TestCase):
    @given(models())
    @settings(max_examples=60)
    def test_any_model_is_taken_and_every_proposal_is_of_it(self, model: Model) -> None:
        tables = {(table.schema, table.name): {column.name for column in table.columns} for table in model.tables}
        for one in propose(model):
            self.assertLessEqual(set(one.columns), tables[one.schema, one.table])
            self.assertTrue(0 < one.confidence < 1)
            if one.ref_table:
                self.assertLessEqual(set(one.ref_columns), tables[one.ref_schema, one.ref_table])
        self.assertEqual(propose(model), propose(model))
