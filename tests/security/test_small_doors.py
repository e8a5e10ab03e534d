"""Guessing passwords, files that others could read, cells that run, undo at the same moment."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path
from threading import Barrier, Thread
from unittest.mock import patch

from django.db import connections
from django.test import Client, SimpleTestCase, TestCase, TransactionTestCase, override_settings
from django.urls import reverse

from indexa.changes.models import ChangeSet
from indexa.core.render.cells import neutral
from indexa.modeling import editing
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store

sys.path.insert(0, str(Path(__file__).resolve().parents[2] / "tools"))

import services


@override_settings(AXES_ENABLED=True)
class GuessingTests(TestCase):
    def sign_in(self, name: str, password: str, **headers: str) -> int:
        return self.client.post(reverse("sign-in"), {"username": name, "password": password}, **headers).status_code  # type: ignore[arg-type]

    def test_many_names_from_one_address_are_closed_and_other_addresses_are_not(self) -> None:
        person = make_person(make_area())
        for number in range(15):
            self.assertEqual(self.sign_in(f"person{number}", "summer2026"), 200)
        self.assertEqual(self.sign_in("person99", "summer2026"), 429)
        self.assertEqual(self.sign_in(person.username, PASSWORD), 429)
        self.assertEqual(self.sign_in(person.username, PASSWORD, REMOTE_ADDR="10.0.0.9"), 302)

    def test_the_address_behind_proxies_counts_and_can_not_be_made_up(self) -> None:
        for number in range(15):
            self.sign_in(f"person{number}", "x", HTTP_X_FORWARDED_FOR=f"10.7.7.{number}")
        self.assertEqual(self.sign_in("person99", "x", HTTP_X_FORWARDED_FOR="10.8.8.8"), 429)
        with override_settings(PROXIES=1):
            self.assertEqual(self.sign_in("person99", "x", HTTP_X_FORWARDED_FOR="127.0.0.1, 10.9.9.9"), 200)


class FileTests(SimpleTestCase):
    def test_what_lies_in_the_data_folder_is_its_owners_alone(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            run, logs = Path(folder) / "run", Path(folder) / "log"
            logs.mkdir(mode=0o755)
            (logs / "web.log").write_text("of an earlier version")
            (logs / "web.log").chmod(0o644)
            with patch.object(services, "RUN", run), patch.object(services, "LOGS", logs):
                services.make_folders()
                services.choose_port(None)
            modes = {
                path.name: oct(path.stat().st_mode & 0o777) for path in (run, logs, run / "web.port", logs / "web.log")
            }
        self.assertEqual(modes, {"run": "0o700", "log": "0o700", "web.port": "0o600", "web.log": "0o600"})


class CellTests(SimpleTestCase):
    def test_blanks_before_a_sign_hide_no_formula(self) -> None:
        for text in ("=1+1", " =1+1", "\u00a0\u00a0@x", "\n=1", " \t+1", "\u200b-1", "\uff1dcmd", "\x01=1", "  -x"):
            with self.subTest(repr(text)):
                self.assertEqual(neutral(text), "'" + text)
        for text in ("a=1", "", "x -1", " plain", "(-1)"):
            self.assertEqual(neutral(text), text)


class ParallelUndoTests(TransactionTestCase):
    def test_one_of_them_undoes_and_the_others_are_told(self) -> None:
        area = make_area()
        person = make_person(area)
        stored = store(area, make_model())
        place = editing.place_of(column(stored, "mtr.inst_dt"), only_here=False)
        made = editing.edit(area=area, person=person, place=place, field="definition", seen="", value="One.")
        assert made
        codes: list[int] = []
        together = Barrier(10)

        def undo() -> None:
            client = Client(raise_request_exception=False)
            client.force_login(person)
            together.wait()
            codes.append(client.post(reverse("changes:undo", args=[area.slug]), {"change_set": made.pk}).status_code)
            connections.close_all()

        threads = [Thread(target=undo) for _ in range(10)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(codes.count(200), 1, codes)
        self.assertLessEqual(set(codes), {200, 409, 422})
        self.assertEqual(ChangeSet.objects.filter(kind="undo").count(), 1)
