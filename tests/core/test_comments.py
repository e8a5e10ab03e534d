"""Which comments are proposed as definitions."""

from __future__ import annotations

from unittest import TestCase

from indexa.core.infer.comments import BESIDE_COLUMNS, OF_COLUMNS, OF_TABLES, comment_definitions
from indexa.core.model import Column, Model, Table


def model(*columns: Column, comment: str = "") -> Model:
    """One table of these columns beside one called account."""
    return Model(
        name="m",
        platform="sqlite",
        tables=[Table(name="meter", comment=comment, columns=list(columns)), Table(name="account")],
    )


def texts(*given: str) -> list[str]:
    """What is proposed of these comments, each beside a column of its own."""
    columns = [Column(f"column_{place}", place, "int", remark=text) for place, text in enumerate(given, 1)]
    return [one.text for one in comment_definitions(model(*columns))]


class CommentTests(TestCase):
    def test_what_only_states_a_key_a_type_or_the_name_is_no_definition(self) -> None:
        stated = (
            "PK", "primary key", "FK to account", "Foreign key -> account.id", "references account (id)", "varchar(20)", "NOT NULL",
            "unique, auto increment", "int", "default 0", "column 7", "old_name varchar(40) not null,", "***", "TODO",
        )  # fmt: skip
        self.assertEqual(texts(*stated), [])

    def test_what_says_what_a_column_holds_is(self) -> None:
        said = (
            "Number on the meter's plate", "The account that pays", "PK, given by the maker", "in litres", "1 = read, 2 = estimated",
            "Name of the person who reads", "date of the first reading",
        )  # fmt: skip
        self.assertEqual(texts(*said), list(said))

    def test_the_databases_comment_goes_before_the_scripts_and_a_definition_before_both(self) -> None:
        found = list(comment_definitions(model(
            Column("a", 1, "int", comment="From the database", remark="From the script"),
            Column("b", 2, "int", remark="Only in the script"),
            Column("c", 3, "int", remark="Not needed any more", definition="Described by a person"),
            comment="What measures water",
        )))  # fmt: skip
        self.assertEqual(
            [(one.columns, one.text, one.pattern) for one in found],
            [
                ((), "What measures water", OF_TABLES), (("a",), "From the database", OF_COLUMNS),
                (("b",), "Only in the script", BESIDE_COLUMNS),
            ],
        )  # fmt: skip
        self.assertLess(max(one.confidence for one in found), 0.9)
