"""Asking rows in rounds: what names suggest, then what the answers left open, each question once and within the time."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from unittest import TestCase

from indexa.adapters import profiling
from indexa.adapters.files import SQLiteReading
from indexa.core.infer.asking import ROUNDS, ask_in_rounds
from indexa.core.infer.data import DataSaid
from indexa.core.infer.proposal import Proposal
from indexa.core.infer.proposing import propose
from indexa.core.infer.questions import Questions
from indexa.core.model import Model
from tests.core.test_infer import made, schema


class AskingCase(TestCase):
    def setUp(self) -> None:
        self.rows = sqlite3.connect(":memory:")
        self.addCleanup(self.rows.close)

    def fill(self, model: Model, **tables: Iterable[tuple[object, ...]]) -> None:
        for table in model.tables:
            self.rows.execute(f"create table {table.name} ({', '.join(column.name for column in table.columns)})")
            rows = list(tables[table.name])
            self.rows.executemany(f"insert into {table.name} values ({', '.join('?' * len(rows[0]))})", rows)

    def ask(self, model: Model) -> DataSaid:
        session = SQLiteReading(self.rows)
        return ask_in_rounds(
            model, None, lambda asked, seconds: profiling.ask(session, "sqlite", asked, seconds=seconds)
        )

    def found(self, model: Model, kind: str = "foreign_key") -> dict[str, Proposal]:
        likely = [one for one in propose(model, data=self.ask(model)) if one.kind == kind and one.confidence >= 0.5]
        return {f"{one.table}.{'.'.join(one.columns)}": one for one in likely}


class RoundTests(AskingCase):
    def test_a_column_whose_name_says_nothing_is_looked_for_in_every_key(self) -> None:
        model = schema(
            made("keeper", "id name:t", "id"), made("weir", "id name:t", "id"), made("round", "id ref_id", "id")
        )
        self.fill(
            model,
            keeper=[(5 * n, f"k{n}") for n in range(1, 90)],
            weir=[(n, f"w{n}") for n in range(1, 40)],
            round=[(n, 5 * (1 + n % 89)) for n in range(1, 300)],
        )
        (one,) = self.found(model).values()
        self.assertEqual((one.columns, one.ref_table), (("ref_id",), "keeper"))
        self.assertIn("nothing in its name says so", one.evidence)

    def test_numbers_that_stand_in_several_tables_lead_to_the_one_that_ends_where_they_do(self) -> None:
        model = schema(
            made("small", "id name:t", "id"), made("large", "id name:t", "id"), made("tour", "id ref_id", "id")
        )
        self.fill(
            model,
            small=[(n, f"s{n}") for n in range(1, 121)],
            large=[(n, f"l{n}") for n in range(1, 4_001)],
            tour=[(n, 1 + n % 120) for n in range(1, 900)],
        )
        self.assertEqual(self.found(model)["tour.ref_id"].ref_table, "small")

    def test_what_stands_in_a_part_of_a_table_refers_to_the_part(self) -> None:
        model = schema(
            made("event", "event_id name:t", "event_id"),
            made("alarm", "event_id severity", "event_id"),
            made("call", "id event_id", "id"),
        )
        self.fill(
            model,
            event=[(n, f"e{n}") for n in range(1, 2_000)],
            alarm=[(3 * n, n % 4) for n in range(1, 600)],
            call=[(n, 3 * (1 + n % 599)) for n in range(1, 900)],
        )
        found = self.found(model)
        self.assertEqual(found["alarm.event_id"].ref_table, "event")
        self.assertEqual(found["call.event_id"].ref_table, "alarm")

    def test_a_key_that_no_name_tells_is_tried(self) -> None:
        model = schema(made("mix", "blend:c grade:c share step", ""))
        self.fill(model, mix=[(f"b{n // 20}", "x", n % 3, n % 20) for n in range(400)])
        self.assertEqual(list(self.found(model, "primary_key")), ["mix.blend.step"])

    def test_a_composite_reference_is_refuted_by_its_rows(self) -> None:
        model = schema(made("plot", "land patch name:t", "land patch"), made("crop", "id land patch", "id"))
        self.fill(
            model,
            plot=[(n, n % 5, f"p{n}") for n in range(200)],
            crop=[(n, n % 200, (n + 1) % 5) for n in range(400)],
        )
        self.assertNotIn("crop.land.patch", self.found(model))


class BoundTests(AskingCase):
    model = schema(made("customer", "id name:t", "id"), made("invoice", "id customer_id ref_id", "id"))

    def test_no_question_is_put_twice_and_rounds_end(self) -> None:
        asked: list[Questions] = []

        def ask(questions: Questions, seconds: float) -> DataSaid:
            asked.append(questions)
            return DataSaid()

        ask_in_rounds(self.model, None, ask)
        self.assertLessEqual(len(asked), ROUNDS)
        every = [one for round_ in asked for one in (*round_.unique, *round_.included, *round_.counted)]
        self.assertEqual(len(every), len(set(every)))
        self.assertGreater(len(every), 0)

    def test_what_can_not_be_asked_is_said_once(self) -> None:
        refused = DataSaid(said=["This kind of source can't be asked."])
        message = ask_in_rounds(self.model, None, lambda asked, seconds: refused)
        self.assertEqual(message.said, refused.said)
