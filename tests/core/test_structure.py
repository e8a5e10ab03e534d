"""Checks of a model's structure: each rule finds what it is about, where it is, and nothing in a model that is sound."""

from __future__ import annotations

from unittest import TestCase

from indexa.core.checks.structure import RULES, check_structure
from indexa.core.model import Column, ForeignKey, Index, IndexPart, Key, Model, Table


def table(name: str, *columns: str, key: tuple[str, ...] = (), **more: object) -> Table:
    made = [
        Column(*column.split(":", 1)[:1], at, column.partition(":")[2], False) for at, column in enumerate(columns, 1)
    ]
    primary = Key(name=f"pk_{name}", columns=key) if key else None
    return Table(schema="s", name=name, columns=made, primary_key=primary, **more)  # type: ignore[arg-type]


def reference(columns: tuple[str, ...], to: str, ref: tuple[str, ...], name: str = "fk") -> ForeignKey:
    return ForeignKey(name=name, columns=columns, ref_schema="s", ref_table=to, ref_columns=ref)


class StructureTests(TestCase):
    def found(self, *tables: Table, platform: str = "postgresql", layer: str = "physical") -> set[tuple[str, str]]:
        model = Model(name="m", platform=platform, layer=layer, tables=list(tables))  # type: ignore[arg-type]
        return {(fault.rule, fault.place) for fault in check_structure(model)}

    def test_a_sound_model_has_no_fault(self) -> None:
        site = table("site", "site_id:bigint", key=("site_id",))
        tank = table(
            "tank",
            "tank_id:bigint",
            "site_id:bigint",
            key=("tank_id",),
            foreign_keys=[reference(("site_id",), "site", ("site_id",))],
        )
        self.assertEqual(self.found(site, tank), set())

    def test_each_rule_finds_its_fault(self) -> None:
        site = table("site", "site_id:bigint", "code:char(3)", key=("site_id",))
        bad = table(
            "bad", "order:", "code:text", "gone_id:bigint", "shape:s.shape",
            foreign_keys=[reference(("code",), "site", ("code",)), reference(("gone_id",), "nowhere", ("id",), "out")],
            indexes=[
                Index(name="one", parts=(IndexPart("code"), IndexPart("gone_id"))), Index(name="two", parts=(IndexPart("code"),)),
                Index(name="same", parts=(IndexPart("code"), IndexPart("gone_id"))),
            ],
        )  # fmt: skip
        left = table(
            "left_one", "a:int", "b:int", key=("a", "b"), foreign_keys=[reference(("b",), "right_one", ("b",))]
        )
        right = table("right_one", "b:int", "a:int", key=("b",), foreign_keys=[reference(("b",), "left_one", ("a",))])
        found = self.found(
            site,
            bad,
            left,
            right,
            table("alone", "x:int", key=("x",)),
            table("bare"),
            table("n" * 70, "x:int", key=("x",)),
        )
        for fault in (
            ("no-key", "s.bad"), ("no-type", "s.bad.order"), ("reserved", "s.bad.order"), ("meets-no-key", "s.bad.fk"),
            ("meets-no-key", "s.bad.out"), ("types-differ", "s.bad.code"), ("double-index", "s.bad.two"), ("double-index", "s.bad.same"),
            ("circle", "s.left_one"), ("circle", "s.right_one"), ("orphan", "s.alone"), ("no-columns", "s.bare"),
            ("too-long", f"s.{'n' * 70}.{'n' * 70}"),
        ):  # fmt: skip
            self.assertIn(fault, found)
        self.assertEqual({rule.id for rule in RULES} - {rule for rule, _ in found}, {"unknown-type"})
        logical = table("Thing", "Colour:paint", key=("Colour",))
        self.assertIn(("unknown-type", "s.Thing.Colour"), self.found(logical, platform="", layer="logical"))

    def test_a_rule_that_is_not_asked_finds_nothing_and_another_weight_is_told(self) -> None:
        model = Model(name="m", platform="postgresql", tables=[table("bare")])
        faults = check_structure(model, {"no-key": "off", "no-columns": "error", "orphan": "off"})
        self.assertEqual([(one.rule, one.severity) for one in faults], [("no-columns", "error")])
