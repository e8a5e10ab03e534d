"""Key roles, what a relationship means, and the logical model that is derived from a physical one."""

from __future__ import annotations

from django.test import SimpleTestCase
from hypothesis import given, settings

from indexa.core.dictionary.key_roles import Role, key_roles, short_forms
from indexa.core.logical.derive import derive_logical, migrate_keys
from indexa.core.model import Column, ForeignKey, Index, IndexPart, Key, Model, Table
from indexa.core.model.relationships import Relationship, relationship
from tests.core.strategies import models


def child(primary: str, keys: str, nullable: str = "", unique: str = "") -> Table:
    """A table with columns a, b, c; `keys` are those of its foreign key."""
    return Table(
        name="t",
        columns=[Column(name, n, "int", name in nullable) for n, name in enumerate("abc", 1)],
        primary_key=Key(name="pk", columns=tuple(primary)) if primary else None,
        unique=[Key(name="uq", columns=tuple(unique))] if unique else [],
        foreign_keys=[
            ForeignKey(name="fk", columns=tuple(keys), ref_schema="", ref_table="p", ref_columns=tuple(keys))
        ],
    )


class RelationshipTests(SimpleTestCase):
    cases = {
        "part of the key": (child("ab", "a"), Relationship(identifying=True, optional=False, one_to_one=False)),
        "the whole key": (child("a", "a"), Relationship(identifying=True, optional=False, one_to_one=True)),
        "beside the key": (child("a", "b"), Relationship(identifying=False, optional=False, one_to_one=False)),
        "may be empty": (
            child("a", "b", nullable="b"),
            Relationship(identifying=False, optional=True, one_to_one=False),
        ),
        "unique": (child("a", "b", unique="b"), Relationship(identifying=False, optional=False, one_to_one=True)),
        "half in the key": (child("ab", "bc"), Relationship(identifying=False, optional=False, one_to_one=False)),
        "no key at all": (child("", "a"), Relationship(identifying=False, optional=False, one_to_one=False)),
    }

    def test_what_a_foreign_key_means(self) -> None:
        for name, (table, meaning) in self.cases.items():
            with self.subTest(name):
                self.assertEqual(relationship(table, table.foreign_keys[0]), meaning)


class KeyRoleTests(SimpleTestCase):
    def test_roles_stand_together_and_a_unique_index_counts(self) -> None:
        table = child("ab", "a", unique="a")
        table.indexes.append(Index(name="ix", unique=True, parts=(IndexPart("c"), IndexPart(expression="lower(a)"))))
        roles = key_roles(table)
        self.assertEqual(short_forms(roles["a"]), ["PK", "FK", "UQ"])
        self.assertEqual(roles, {"a": Role(7), "b": Role.PRIMARY, "c": Role.UNIQUE})


def with_ids(model: Model) -> Model:
    number = 0
    for table in model.tables:
        for part in [table, *table.columns]:
            number += 1
            part.id = f"i{number}"
    return model


class LogicalTests(SimpleTestCase):
    @given(models())
    @settings(max_examples=60)
    def test_every_table_is_realised_and_no_attribute_comes_from_itself(self, model: Model) -> None:
        physical = with_ids(model)
        logical = derive_logical(physical, "logical")
        attributes = {column.id: column for entity in logical.tables for column in entity.columns}
        self.assertEqual(len(logical.tables), len(physical.tables))
        for table in physical.tables:
            for column in table.columns:
                self.assertEqual(attributes[column.realises].name, column.name)
        for attribute in attributes.values():
            if attribute.migrated_from:
                self.assertIn(attribute.migrated_from, attributes)
                self.assertNotEqual(attribute.migrated_from, attribute.id)

    def test_a_chain_of_keys_is_followed_to_its_origin_and_a_view_is_no_entity(self) -> None:
        def table(name: str, ref: str = "", kind: str = "table") -> Table:
            keys = (
                [ForeignKey(name="fk", columns=("k",), ref_schema="", ref_table=ref, ref_columns=("k",))] if ref else []
            )
            return Table(
                name=name, kind=kind, columns=[Column("k", 1, "int", id=f"{name}.k")], foreign_keys=keys, id=name
            )

        model = Model(name="m", tables=[table("a"), table("b", "a"), table("c", "b"), table("v", kind="view")])
        logical = derive_logical(model, "l")
        self.assertEqual([entity.name for entity in logical.tables], ["a", "b", "c"])
        self.assertEqual([entity.columns[0].migrated_from for entity in logical.tables], ["", "~a.k", "~a.k"])
        self.assertEqual(model.tables[3].columns[0].realises, "")

    def test_an_entity_has_a_schema_only_where_its_name_needs_one(self) -> None:
        def table(schema: str, name: str, ref: str = "") -> Table:
            keys = (
                [ForeignKey(name="fk", columns=("k",), ref_schema="b", ref_table=ref, ref_columns=("k",))]
                if ref
                else []
            )
            id_ = f"{schema}.{name}"
            return Table(
                schema=schema, name=name, columns=[Column("k", 1, "int", id=f"{id_}.k")], foreign_keys=keys, id=id_
            )

        model = Model(name="m", tables=[table("a", "x"), table("b", "x"), table("b", "y"), table("a", "z", "y")])
        logical = derive_logical(model, "l")
        self.assertEqual(
            [(entity.schema, entity.name) for entity in logical.tables], [("a", "x"), ("b", "x"), ("", "y"), ("", "z")]
        )
        self.assertEqual(logical.tables[3].foreign_keys[0].ref_schema, "")
        self.assertEqual(logical.tables[3].columns[0].migrated_from, "~b.y.k")

    def test_a_circle_of_keys_ends(self) -> None:
        def entity(name: str, ref: str) -> Table:
            key = ForeignKey(name="fk", columns=("k",), ref_schema="", ref_table=ref, ref_columns=("k",))
            return Table(name=name, columns=[Column("k", 1, "int", id=name)], foreign_keys=[key])

        circle = [entity("a", "b"), entity("b", "c"), entity("c", "a")]
        migrate_keys(circle)
        self.assertTrue(all(one.columns[0].migrated_from for one in circle))
