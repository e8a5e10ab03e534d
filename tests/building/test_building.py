"""Models built by hand in the store: each change is one that is undone as one; who may, and what is refused."""

from __future__ import annotations

from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from indexa.areas.models import Role
from indexa.building import checks, deriving, services
from indexa.changes import undoing
from indexa.changes.models import ChangeSet
from indexa.core.building import changing
from indexa.core.building.parts import BuildError, Part
from indexa.core.model.file import write
from indexa.diagrams import services as diagrams
from indexa.dictionary.models import DictionaryRow
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.modeling.renaming import rename_many
from indexa.naming.standards import services as standards
from indexa.store.loading import load_model
from indexa.store.models import StoredColumn, StoredKey, StoredModel, StoredRelationship, StoredTable
from tests.factories import PASSWORD, make_area, make_model, make_person, store


class BuildingCase(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.model = services.create_model(area=self.area, name="Care", layer="logical")
        self.client.login(username=self.person.username, password=PASSWORD)

    def post(self, view: str, /, *args: object, **given: Any) -> Any:
        return self.client.post(reverse(f"building:{view}", args=[self.area.slug, *args]), given)

    def entity(self, name: str, *columns: tuple[str, str], key: int = 1) -> StoredTable:
        made = self.post("add-table", self.model.pk, name=name).json()["table"]
        for at, (column, type_) in enumerate(columns):
            self.post("add-column", made[1:], name=column, type=type_, **({"in_key": "on"} if at < key else {}))
        return StoredTable.objects.get(pk=made[1:])

    def relate(self, parent: StoredTable, child: StoredTable, kind: str = "mandatory") -> Any:
        return self.post("relate", self.model.pk, parent=parent.pk, child=child.pk, kind=kind)

    def columns(self, table: StoredTable) -> list[tuple[str, str]]:
        found = StoredColumn.objects.filter(table=table, removed_at__isnull=True).order_by("position")
        return list(found.values_list("name", "type"))

    def run_job(self) -> Job:
        job = Job.objects.latest("pk")
        job.result_url = deriving.derive(job, Silent())
        return job

    def undo(self) -> None:
        undoing.undo(area=self.area, person=self.person)


class BuildingTests(BuildingCase):
    def test_a_key_goes_along_follows_its_parent_is_undone_and_redone_as_one(self) -> None:
        customer = self.entity("Customer", ("Customer Number", "varchar(12)"), ("Name", "varchar(80)"))
        complaint = self.entity("Complaint", ("Complaint Number", "bigint"))
        answer = self.relate(customer, complaint, "identifying")
        self.assertIn("Complaint gets Customer Number", answer.json()["message"])
        key, _ = customer.columns.order_by("position")
        before = self.columns(complaint)
        told = self.post("column", customer.pk, key.pk, what="save", name="Customer Id", type="uuid", default="")
        self.assertContains(told, "Complaint.Customer Number becomes uuid")
        self.assertEqual(self.columns(complaint)[1], ("Customer Id", "uuid"))
        row = DictionaryRow.objects.get(name="customer id", table_id=complaint.pk)
        self.assertEqual(row.table_id, complaint.pk)
        self.undo()
        self.assertEqual(self.columns(complaint), before)
        self.undo()
        self.assertEqual(self.columns(complaint), before[:1])
        self.assertFalse(StoredRelationship.objects.exists())
        self.assertFalse(DictionaryRow.objects.filter(name="customer number", table_id=complaint.pk).exists())
        undoing.redo(area=self.area, person=self.person)
        self.assertEqual(self.columns(complaint), before)
        model = load_model(self.model)
        child = next(table for table in model.tables if table.name == "Complaint")
        self.assertEqual(
            child.primary_key.columns if child.primary_key else (), ("Complaint Number", "Customer Number")
        )
        self.assertEqual(child.foreign_keys[0].ref_columns, ("Customer Number",))
        self.assertTrue(StoredRelationship.objects.get().identifying)

    def test_what_goes_along_is_told_before_a_table_is_deleted_and_undo_brings_all_back(self) -> None:
        customer = self.entity("Customer", ("Customer Number", "varchar(12)"))
        complaint = self.entity("Complaint", ("Complaint Number", "bigint"))
        self.relate(customer, complaint)
        url = reverse("building:delete-table", args=[self.area.slug, customer.pk])
        self.assertContains(self.client.get(url), "Complaint.Customer Number goes.")
        self.assertEqual(len(self.columns(complaint)), 2)
        self.assertEqual(self.client.post(url).status_code, 204)
        self.assertEqual(self.columns(complaint), [("Complaint Number", "bigint")])
        self.assertEqual([table.name for table in load_model(self.model).tables], ["Complaint"])
        self.undo()
        self.assertEqual(len(self.columns(complaint)), 2)
        self.assertEqual(
            len(load_model(self.model).tables[1].foreign_keys) + len(load_model(self.model).tables[0].foreign_keys), 1
        )

    def test_many_to_many_puts_a_table_between_them_on_the_diagram_and_is_undone_as_one(self) -> None:
        agent, skill = self.entity("Agent", ("Agent No", "int")), self.entity("Skill", ("Skill No", "int"))
        diagram = diagrams.create(
            area=self.area, person=self.person, model=self.model, name="D", table_ids=[agent.pk, skill.pk]
        )
        answer = self.post(
            "relate", self.model.pk, parent=agent.pk, child=skill.pk, kind="many", diagram=diagram.pk
        ).json()
        between = StoredTable.objects.get(pk=answer["table"][1:])
        self.assertEqual(self.columns(between), [("Agent No", "int"), ("Skill No", "int")])
        self.assertEqual(diagram.cards.count(), 3)
        self.undo()
        self.assertEqual(diagram.cards.count(), 2)
        self.assertEqual(len(load_model(self.model).tables), 2)
        undoing.redo(area=self.area, person=self.person)
        self.assertEqual(diagram.cards.count(), 3)

    def test_unique_keys_come_lose_a_column_that_goes_and_are_undone(self) -> None:
        customer = self.entity("Customer", ("Number", "int"), ("Mail", "text"), ("Phone", "text"))
        _, mail, phone = customer.columns.order_by("position")
        self.assertContains(self.post("unique", customer.pk, column=[mail.pk, phone.pk]), "Mail, Phone")
        self.assertContains(
            self.post("unique", customer.pk, column=[phone.pk, mail.pk]), "has a key of these columns already"
        )
        self.assertContains(self.post("unique", customer.pk), "Choose the columns")
        self.post("column", customer.pk, phone.pk, what="delete")

        def unique() -> list[tuple[str, ...]]:
            return [key.columns for key in load_model(self.model).tables[0].unique]

        self.assertEqual(unique(), [("Mail",)])
        self.undo()
        self.assertEqual(unique(), [("Mail", "Phone")])
        self.undo()
        self.assertEqual(unique(), [])

    def test_bad_input_is_refused_in_words_and_changes_nothing(self) -> None:
        customer = self.entity("Customer", ("Customer Number", "varchar(12)"))
        bare = self.entity("Bare")
        before = ChangeSet.objects.count()
        for answer, why in (
            (self.post("add-table", self.model.pk, name="customer"), "There is a Customer already"),
            (self.post("add-table", self.model.pk, name=" "), "A name is missing"),
            (self.relate(bare, customer), "has no key"),
            (self.relate(customer, customer, "identifying"), "identified by itself"),
        ):
            self.assertEqual(answer.status_code, 422)
            self.assertIn(why, answer.json()["message"])
        self.assertContains(self.post("add-column", customer.pk, name="customer number"), "has customer number already")
        self.assertContains(self.post("add-column", customer.pk, name="x" * 300), "300 characters")
        self.assertEqual(ChangeSet.objects.count(), before)
        self.assertContains(self.post("new-model", name="Care", layer="logical"), "already", status_code=422)

    def test_who_may_what(self) -> None:
        customer = self.entity("Customer", ("Customer Number", "varchar(12)"))
        reader, stranger = make_person(self.area, Role.READER), make_person(make_area("Elsewhere"))
        for person, status in ((reader, 403), (stranger, 404)):
            self.client.login(username=person.username, password=PASSWORD)
            for name, *args in (
                ("new-model",), ("add-table", self.model.pk), ("relate", self.model.pk), ("add-column", customer.pk),
                ("delete-table", customer.pk), ("derive", self.model.pk), ("decide-fault", self.model.pk),
            ):  # fmt: skip
                self.assertEqual(self.post(name, *args).status_code, status, name)

    def test_a_table_that_is_gone_does_not_mind_that_its_columns_were_called_otherwise(self) -> None:
        physical = store(self.area, make_model("Metering"))
        meter = StoredTable.objects.get(model=physical, name="mtr")
        column = meter.columns.get(name="inst_dt")
        self.post("column", meter.pk, column.pk, what="save", name="installed", type="date", default="")
        self.assertEqual(self.post("delete-table", meter.pk).status_code, 204)
        self.assertEqual([one.name for one in load_model(physical).tables], ["mtr_rdg", "v_mtr"])

    def test_work_that_fails_half_way_leaves_nothing(self) -> None:
        def work(part: Part) -> None:
            changing.add_table(part, "Half")
            raise BuildError("No.")

        with self.assertRaises(BuildError):
            services.change(area=self.area, person=self.person, model=self.model, tables=[], why="x", work=work)
        self.assertFalse(StoredTable.objects.filter(name="Half").exists())


class DerivingTests(BuildingCase):
    def test_two_physical_models_are_derived_each_in_its_platforms_words_and_linked(self) -> None:
        customer = self.entity("Customer", ("Customer Number", "varchar(12)"), ("Credit Limit", "decimal(9,2)"))
        self.relate(customer, self.entity("Complaint", ("Complaint Number", "bigint")))
        for platform, type_, name in (
            ("postgresql", "numeric(9,2)", "customer"),
            ("oracle", "number(9,2)", "CUSTOMER"),
        ):
            answer = self.post("derive", self.model.pk, platform=platform, name=f"care {platform}", schema="care")
            self.assertEqual(answer.status_code, 302)
            job = self.run_job()
            made = StoredModel.objects.get(name=f"care {platform}")
            self.assertEqual(made.logical, self.model)
            table = made.tables.get(name=name)
            self.assertEqual(table.entity, customer)
            self.assertIn(type_, [column.type.lower() for column in table.columns.all()])
            page = self.client.get(job.result_url)
            self.assertContains(page, ">FOREIGN<")
            saved = self.client.get(reverse("building:ddl-file", args=[self.area.slug, made.pk]) + "?dialect=sqlserver")
            self.assertIn("CREATE TABLE", saved.content.decode())
            zipped = self.client.get(reverse("building:ddl-file", args=[self.area.slug, made.pk]) + "?form=zip")
            self.assertTrue(zipped.content.startswith(b"PK"))
        self.assertContains(
            self.post("derive", self.model.pk, platform="oracle", name="care oracle"), "already", status_code=422
        )

    def test_no_name_becomes_markup_in_a_script(self) -> None:
        evil = self.entity("<img src=x>", ("</pre><b>", "varchar(3)"))
        self.post("derive", self.model.pk, platform="postgresql", name="evil")
        self.run_job()
        made = StoredModel.objects.get(name="evil")
        made.tables.update(comment="</span><script>alert(1)</script>", name="a<b>")
        page = self.client.get(reverse("building:ddl", args=[self.area.slug, made.pk])).content.decode()
        self.assertNotIn("<script>alert", page)
        self.assertNotIn("a<b>", page)
        self.assertTrue(evil.pk)


class CheckTests(BuildingCase):
    def test_faults_are_found_let_stand_with_a_reason_counted_again_and_weighed(self) -> None:
        bare = self.entity("Bare")
        url = reverse("building:checks", args=[self.area.slug, self.model.pk])
        self.assertContains(self.client.get(url), "Nothing tells its rows apart")
        self.post("decide-fault", self.model.pk, fault="no-key|Bare", reason="", rule="no-key")
        self.assertContains(self.client.get(url), "Say why it may stand.")
        self.post("decide-fault", self.model.pk, fault="no-key|Bare", reason="A sketch", rule="no-key")
        page = self.client.get(f"{url}?rule=no-key")
        self.assertContains(page, "“A sketch”")
        self.assertEqual(checks.check(self.model).waived[0][0].place, "Bare")
        self.post("decide-fault", self.model.pk, again=checks.check(self.model).waived[0][1].pk)
        self.assertEqual(len(checks.check(self.model).waived), 0)
        self.post("decide-fault", self.model.pk, of="no-key", weight="off")
        self.assertNotIn("no-key", {fault.rule for fault in checks.check(self.model).faults})
        self.post("add-column", bare.pk, name="Number", type="int", in_key="on")
        self.assertEqual({fault.rule for fault in checks.check(self.model).faults}, {"orphan"})


class BeginningTests(BuildingCase):
    def test_a_model_begins_as_a_copy_or_with_a_file_words_included(self) -> None:
        customer = self.entity("Customer", ("Customer Number", "varchar(12)"))
        self.relate(customer, self.entity("Complaint", ("Complaint Number", "bigint")), "identifying")
        customer.columns.update(business_name="Number of the customer", definition="Given at the first contact.")
        file = SimpleUploadedFile("m.json", write(load_model(self.model, with_words=True)))
        for name, given in (("Copy", {"from": self.model.pk}), ("From file", {"file": file})):
            answer = self.post("new-model", name=name, layer="logical", **given)
            self.assertEqual(answer.status_code, 302, name)
            made = load_model(StoredModel.objects.get(name=name))
            child, parent = made.tables
            self.assertEqual(parent.columns[0].definition, "Given at the first contact.")
            self.assertEqual(child.foreign_keys[0].ref_columns, ("Customer Number",))
            self.assertEqual(child.columns[1].migrated_from, parent.columns[0].id)
            self.assertEqual(StoredModel.objects.get(name=name).diagrams.get().cards.count(), 2)
        before = StoredModel.objects.count()
        for given, why in (
            ({"from": self.model.pk, "layer": "physical"}, "That is a logical model"),
            ({"file": SimpleUploadedFile("m.json", b"{"), "layer": "logical"}, "This is no model file"),
        ):
            self.assertContains(self.post("new-model", name="No", **given), why, status_code=422)
        self.assertEqual(StoredModel.objects.count(), before)

    def test_physical_models_are_seen_side_by_side_in_as_many_queries_for_many_entities(self) -> None:
        url = reverse("building:side-by-side", args=[self.area.slug, self.model.pk])

        def queries() -> int:
            with CaptureQueriesContext(connection) as caught:
                self.assertEqual(self.client.get(url).status_code, 200)
            return len(caught)

        self.entity("Customer", ("Customer Number", "varchar(12)"))
        for platform in ("postgresql", "oracle"):
            self.post("derive", self.model.pk, platform=platform, name=platform)
            self.run_job()
        few = queries()
        for at in range(8):
            self.entity(f"Thing {at}", ("Number", "int"))
        self.assertEqual(queries(), few)
        page = self.client.get(url)
        self.assertContains(page, "CUSTOMER_NUMBER")
        self.assertContains(page, "character varying(12)")
        self.assertContains(page, "not there")


class KeyNameTests(BuildingCase):
    def setUp(self) -> None:
        super().setUp()
        self.model = services.create_model(area=self.area, name="Care PG", layer="physical", platform="postgresql")

    def names(self) -> set[str]:
        found = load_model(StoredModel.objects.get(pk=self.model.pk))
        keys = {
            key.name for one in found.tables for key in (*([one.primary_key] if one.primary_key else []), *one.unique)
        }
        return keys | {key.name for one in found.tables for key in one.foreign_keys}

    def test_keys_are_named_by_the_pattern_and_follow_their_table_unless_a_person_chose_a_name(self) -> None:
        customer = self.entity("customer", ("customer_no", "bigint"))
        order = self.entity("orders", ("order_no", "bigint"))
        self.relate(customer, order)
        self.assertEqual(self.names(), {"pk_customer", "pk_orders", "fk_orders_customer"})
        self.undo()
        self.assertEqual(self.names(), {"pk_customer", "pk_orders"})
        self.relate(customer, order)
        key = StoredKey.objects.get(name="pk_orders")
        rename_many(
            area=self.area, person=self.person, model_id=self.model.pk, why="", names=[("key", key.pk, "pk_orders", "own_name")]
        )  # fmt: skip

        def rename(table: StoredTable, name: str) -> None:
            services.change(
                area=self.area, person=self.person, model=self.model, tables=[table.pk], why="x",
                work=lambda part: changing.rename_table(part, table.pk, name),
            )  # fmt: skip

        rename(customer, "client")
        rename(order, "purchase")
        self.assertEqual(self.names(), {"pk_client", "own_name", "fk_purchase_client"})
        self.undo()
        self.undo()
        self.assertEqual(self.names(), {"pk_customer", "own_name", "fk_orders_customer"})


class DeriveChoicesTests(BuildingCase):
    def test_choices_are_kept_as_a_preset_and_unknown_ones_are_refused(self) -> None:
        self.entity("Customer", ("Customer Number", "integer"))
        given = {"platform": "postgresql", "name": "Care PG", "numbering": "identity", "preset_name": "ours"}
        self.assertEqual(self.post("derive", self.model.pk, **given).status_code, 302)
        self.run_job()
        made = StoredModel.objects.get(name="Care PG")
        self.assertTrue(StoredColumn.objects.get(table__model=made).identity)
        preset = self.area.derive_presets.get()
        page = self.client.get(reverse("building:derive", args=[self.area.slug, self.model.pk]), {"preset": preset.pk})
        self.assertContains(page, '<option value="identity" selected>')
        self.assertEqual(
            self.post("derive", self.model.pk, name="X", platform="postgresql", enums="magic").status_code, 422
        )


class StarterTests(BuildingCase):
    def test_a_starter_is_offered_first_and_brings_its_standard_and_choices_of_diagram(self) -> None:
        self.entity("Customer", ("Customer Number", "integer"))
        standard = standards.make(area=self.area, person=self.person, name="Plain", rules={})
        standards.govern(stored=standard, models=[self.model])
        diagrams.create(area=self.area, person=self.person, model=self.model, name="All", table_ids=[], depth="keys")
        self.assertEqual(self.post("set-starter", self.model.pk).status_code, 302)
        self.assertContains(
            self.client.get(reverse("building:new-model", args=[self.area.slug])), "Care, logical, starter"
        )
        self.post("new-model", name="Sales", layer="logical", **{"from": self.model.pk})
        made = StoredModel.objects.get(name="Sales")
        self.assertEqual((standards.standard_of(made), made.diagrams.get().depth), (standard, "keys"))
