"""Changes of a model as values: exact there and back, refused where they do not fit, and whole with what they bring along."""

from __future__ import annotations

import copy
from unittest import TestCase

import msgspec
from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.model import (
    Check,
    Column,
    Enum,
    ForeignKey,
    Index,
    IndexPart,
    Key,
    Model,
    Routine,
    Sequence,
    Table,
    Trigger,
)
from indexa.core.model.consequences import Plan, consequences
from indexa.core.model.operations import (
    MEMBERS,
    AlreadyThereError,
    ChangedError,
    Create,
    Delete,
    NotThereError,
    Operation,
    Ref,
    Update,
    apply,
    invert,
    invert_all,
    ref_of,
    shell,
)
from tests.core.strategies import NAMES, models


def a_model() -> Model:
    customer = Table(
        schema="s", name="customer", columns=[Column("id", 1, "int", False), Column("kind", 2, "kind_t"), Column("born", 3, "date")],
        primary_key=Key(name="customer_pk", columns=("id",)), checks=[Check(name="ck", expression="born > '1900-01-01'")],
        indexes=[Index(name="ix", parts=(IndexPart("kind"),)), Index(name="ix2", parts=(IndexPart("born"),), predicate="kind is not null")],
    )  # fmt: skip
    customer.columns.append(Column("age", 4, "int", generated="year(born)"))
    order = Table(
        schema="s", name="order", columns=[Column("no", 1, "int", default="nextval('s.order_no')"), Column("customer_id", 2, "int")],
        foreign_keys=[ForeignKey(name="fk", columns=("customer_id",), ref_schema="s", ref_table="customer", ref_columns=("id",))],
        triggers=[Trigger(name="tr", definition="execute function s.note() -- customer", routine="s.note")],
    )  # fmt: skip
    view = Table(
        schema="s",
        name="v",
        kind="view",
        definition_sql="select c.born from s.customer c",
        columns=[Column("born", 1, "date")],
    )
    descendant = Table(schema="s", name="descendant", inherits=("s.customer",), columns=[Column("id", 1, "int")])
    return Model(
        name="m", tables=[customer, order, view, descendant], enums=[Enum(schema="s", name="kind_t", values=("a",))],
        sequences=[Sequence(schema="s", name="order_no", type="bigint", start=1, increment=1, minimum=1, maximum=9, owned_by="s.order.no")],
        routines=[Routine(schema="s", name="note", kind="function", arguments="", returns="trigger", language="sql", definition="x")],
    )  # fmt: skip


def column_of(table: str, name: str) -> Ref:
    return Ref("column", "s", name, table)


def part(model: Model, table: str, name: str) -> Column:
    (found,) = [c for t in model.tables if t.name == table for c in t.columns if c.name == name]
    return found


def dangling(model: Model) -> set[tuple[str, str, str]]:
    """Return what is kept by a name that stands for nothing."""
    there = {(table.schema, table.name): {column.name for column in table.columns} for table in model.tables}
    lost = set()
    for table in model.tables:
        own = there[table.schema, table.name]
        keys = [key for key in (table.primary_key, *table.unique) if key]
        for one in keys:
            lost |= {(table.name, one.name, column) for column in one.columns if column not in own}
        for index in table.indexes:
            lost |= {(table.name, index.name, p.column) for p in index.parts if p.column and p.column not in own}
        for key in table.foreign_keys:
            lost |= {(table.name, key.name, column) for column in key.columns if column not in own}
            other = there.get((key.ref_schema, key.ref_table), set())
            lost |= {(table.name, key.name, column) for column in key.ref_columns if column not in other}
    return lost


@st.composite
def changes(draw: st.DrawFn) -> tuple[Model, Operation]:
    """A model, and a change that fits it."""
    model = draw(models())
    table = draw(st.sampled_from(model.tables))
    place = draw(st.integers(0, len(table.columns) - 1))
    column = table.columns[place]
    fresh = draw(NAMES.filter(lambda name: all(name != other.name for other in table.columns)))
    free = draw(NAMES.filter(lambda name: all(name != other.name for other in model.tables)))
    at = model.tables.index(table)
    choices: list[Operation] = [
        Delete(ref_of("table", None, table), table, at),
        Update(
            ref_of("table", None, table), shell(table), shell(msgspec.structs.replace(table, name=free, comment="x"))
        ),
        Create(Ref("table", table.schema, free), Table(schema=table.schema, name=free), draw(st.integers(-1, 3))),
        Delete(ref_of("column", table, column), column, place),
        Update(ref_of("column", table, column), column, msgspec.structs.replace(column, name=fresh)),
        Update(ref_of("column", table, column), column, msgspec.structs.replace(column, type="other", default=None)),
        Create(Ref("column", table.schema, fresh, table.name), Column(fresh, 99, "int"), draw(st.integers(-1, 3))),
    ]
    for kind, listed in MEMBERS.items():
        parts = getattr(table, listed)
        choices += [
            Delete(ref_of(kind, table, one, sum(other.name == one.name for other in parts[:number])), one, number)
            for number, one in enumerate(parts)
            if kind != "column"
        ]
    if table.primary_key:
        choices.append(Delete(ref_of("primary key", table, table.primary_key), table.primary_key))
    return model, draw(st.sampled_from(choices))


class PropertyTests(TestCase):
    @given(changes())
    @settings(max_examples=300)
    def test_a_change_and_its_inverse_leave_the_model_as_it_was(self, drawn: tuple[Model, Operation]) -> None:
        model, operation = drawn
        before = copy.deepcopy(model)
        after = apply(model, [operation])
        self.assertEqual(model, before)
        self.assertEqual(apply(after, [invert(operation)]), before)
        self.assertEqual(apply(apply(after, [invert(operation)]), [invert(invert(operation))]), after)

    @given(changes())
    @settings(max_examples=300)
    def test_with_what_it_brings_along_nothing_is_left_dangling_and_all_of_it_goes_back(
        self, drawn: tuple[Model, Operation]
    ) -> None:
        model, operation = drawn
        before = copy.deepcopy(model)
        plan = consequences(model, operation)
        after = apply(model, plan.operations)
        self.assertLessEqual(dangling(after), dangling(before) | dangling(model))
        self.assertEqual(apply(after, invert_all(plan.operations)), before)


class RefusalTests(TestCase):
    def test_what_does_not_fit_is_refused_and_the_model_stays(self) -> None:
        model, id_ = a_model(), part(a_model(), "customer", "id")
        before = copy.deepcopy(model)
        cases: list[tuple[type[Exception], Operation]] = [
            (NotThereError, Delete(column_of("customer", "nosuch"), id_)),
            (NotThereError, Delete(column_of("nosuch", "id"), id_)),
            (ChangedError, Delete(column_of("customer", "id"), Column("id", 1, "bigint"))),
            (ChangedError, Update(column_of("customer", "id"), Column("id", 1, "bigint"), id_)),
            (AlreadyThereError, Create(column_of("customer", "id"), id_)),
            (AlreadyThereError, Update(column_of("customer", "id"), id_, msgspec.structs.replace(id_, name="born"))),
            (AlreadyThereError, Create(Ref("table", "s", "order"), Table(schema="s", name="order"))),
            (AlreadyThereError, Create(Ref("primary key", "s", "x", "customer"), Key(name="x", columns=("id",)))),
            (NotThereError, Delete(Ref("primary key", "s", "x", "order"), Key(name="x", columns=("no",)))),
        ]
        first = Create(column_of("order", "fresh"), Column("fresh", 3, "int"))
        for error, operation in cases:
            with self.subTest(operation=operation), self.assertRaises(error):
                apply(model, [first, operation])
            self.assertEqual(model, before)

    def test_null_and_empty_are_two_things(self) -> None:
        model, born = a_model(), part(a_model(), "customer", "born")
        empty = msgspec.structs.replace(born, default="")
        after = apply(model, [Update(column_of("customer", "born"), born, empty)])
        self.assertEqual(part(after, "customer", "born").default, "")
        with self.assertRaises(ChangedError):
            apply(after, [Update(column_of("customer", "born"), born, empty)])


class ConsequenceTests(TestCase):
    def plan(self, operation: Operation) -> Plan:
        return consequences(a_model(), operation)

    def delete_column(self, table: str, name: str) -> Plan:
        return self.plan(Delete(column_of(table, name), part(a_model(), table, name)))

    def told(self, plan: Plan) -> tuple[list[str], list[str], list[str]]:
        along = [str(one.ref) for one in (*plan.first, *plan.then)]
        return along, [str(one.ref) for one in plan.blocked], [str(one) for one in plan.mentions]

    def test_what_goes_with_a_column(self) -> None:
        cases = {
            ("customer", "id"): (["primary key s.customer.customer_pk", "foreign key s.order.fk"], [], []),
            ("customer", "kind"): (["index s.customer.ix2", "index s.customer.ix"], [], []),
            ("customer", "born"): (["index s.customer.ix2", "check s.customer.ck"], ["column s.customer.age", "table s.v"], ["table s.v"]),
            ("order", "no"): (["sequence s.order_no"], [], []),
        }  # fmt: skip
        for (table, name), wanted in cases.items():
            with self.subTest(f"{table}.{name}"):
                self.assertEqual(self.told(self.delete_column(table, name)), wanted)

    def test_what_goes_with_a_table_and_what_is_in_the_way(self) -> None:
        customer = a_model().tables[0]
        plan = self.plan(Delete(ref_of("table", None, customer), customer, 0))
        self.assertEqual(
            self.told(plan),
            (["foreign key s.order.fk"], ["table s.v", "table s.descendant"], ["trigger s.order.tr", "table s.v"]),
        )

    def test_what_is_in_the_way_of_keys_types_sequences_and_routines(self) -> None:
        model = a_model()
        key = model.tables[0].primary_key
        assert key
        cases: list[tuple[Operation, str]] = [
            (Delete(ref_of("primary key", model.tables[0], key), key), "foreign key s.order.fk"),
            (Delete(ref_of("enum", None, model.enums[0]), model.enums[0]), "column s.customer.kind"),
            (Delete(ref_of("sequence", None, model.sequences[0]), model.sequences[0]), "column s.order.no"),
            (Delete(ref_of("routine", None, model.routines[0]), model.routines[0]), "trigger s.order.tr"),
        ]
        for operation, blocked in cases:
            with self.subTest(operation.ref):
                self.assertEqual(self.told(self.plan(operation))[1], [blocked])

    def test_a_new_name_goes_wherever_the_old_one_is_kept(self) -> None:
        model = a_model()
        id_ = part(model, "customer", "id")
        plan = self.plan(Update(column_of("customer", "id"), id_, msgspec.structs.replace(id_, name="customer_no")))
        after = apply(model, plan.operations)
        self.assertEqual(after.tables[1].foreign_keys[0].ref_columns, ("customer_no",))
        assert after.tables[0].primary_key
        self.assertEqual(after.tables[0].primary_key.columns, ("customer_no",))
        born = part(model, "customer", "born")
        plan = self.plan(Update(column_of("customer", "born"), born, msgspec.structs.replace(born, name="birth")))
        after = apply(model, plan.operations)
        self.assertEqual(after.tables[0].checks[0].expression, "birth > '1900-01-01'")
        self.assertEqual(part(after, "customer", "age").generated, "year(birth)")
        self.assertEqual([str(one) for one in plan.mentions], ["table s.v"])

    def test_a_table_takes_its_name_along(self) -> None:
        model = a_model()
        customer, order = model.tables[0], model.tables[1]
        to = shell(msgspec.structs.replace(customer, schema="t", name="client"))
        after = apply(model, self.plan(Update(ref_of("table", None, customer), shell(customer), to)).operations)
        self.assertEqual(
            (after.tables[1].foreign_keys[0].ref_schema, after.tables[1].foreign_keys[0].ref_table), ("t", "client")
        )
        self.assertEqual(after.tables[3].inherits, ("t.client",))
        self.assertEqual(len(after.tables[0].columns), 4)
        to = shell(msgspec.structs.replace(order, name="orders"))
        after = apply(model, self.plan(Update(ref_of("table", None, order), shell(order), to)).operations)
        self.assertEqual(after.sequences[0].owned_by, "s.orders.no")
