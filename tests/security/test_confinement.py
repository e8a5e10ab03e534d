"""What people hand in runs where memory and time are bounded: templates, spreadsheets, archives, scripts."""

from __future__ import annotations

import gzip
import io
import os
import struct
import tempfile
import time
import zipfile
from pathlib import Path
from unittest import TestCase
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase, override_settings
from django.urls import reverse

from indexa.adapters import archives, confined, confined_child, script_files
from indexa.adapters.confined import Child, ConfinedError
from indexa.adapters.errors import SourceError
from indexa.adapters.kit_files import kit_rows
from indexa.adapters.script_files import open_scripts, peek_scripts
from indexa.adapters.templates import render_confined
from indexa.core import platforms
from indexa.core.naming.patterns import Pattern, PatternError
from indexa.core.naming.standard import read_standard
from indexa.core.scripts.reader import ScriptFile, read_scripts
from indexa.jobs.models import Job
from indexa.sources.models import Source
from tests.adapters.test_files import FolderCase
from tests.factories import PASSWORD, make_area, make_person

PARTS = {"table": "mtr_rdg", "columns": ["a"], "column": "a", "number": 1, "unique": False, "kind": "ix"}
DOUBLING = "|replace('a','aaaaaaaaaaaaaaaa')" * 12


class TemplateTests(TestCase):
    def test_one_that_grows_ends_soon_with_a_reason(self) -> None:
        for source in (
            f"{{{{ 'a'{DOUBLING} }}}}",
            f"{{{{ (table ~ 'a'){DOUBLING} }}}}",
            f"{{% if 'a'{DOUBLING} %}}x{{% endif %}}",
        ):
            began = time.monotonic()
            with self.subTest(source[:40]), self.assertRaises(PatternError):
                Pattern(source, render_confined).name(PARTS)
            self.assertLess(time.monotonic() - began, 5)

    def test_checking_a_standard_runs_none_of_it(self) -> None:
        pattern = f"{{{{ 'a'{DOUBLING} }}}}"
        began = time.process_time()
        read_standard(b'{"name": "x", "rules": {"index": {"pattern": "%s"}}}' % pattern.encode())
        self.assertLess(time.process_time() - began, 1)

    def test_the_child_is_warm_and_knows_no_secret(self) -> None:
        render_confined("{{ table }}", [PARTS])
        (child,) = confined._kept.idle[256][:1]
        process = child._process
        assert process
        for _ in range(5):
            self.assertEqual(render_confined("{{ table }}_{{ number }}", [PARTS]), [("mtr_rdg_1", "")])
        self.assertIs(confined._kept.idle[256][0]._process, process)
        environment = Path(f"/proc/{process.pid}/environ").read_bytes()
        self.assertNotIn(b"INDEXA_", environment)
        self.assertIn(b"HOME=/nonexistent", environment)

    def test_time_and_memory_of_a_child_are_bounded_and_the_next_call_works(self) -> None:
        tasks = {"sleep": "time:sleep", "fill": "builtins:bytearray", "length": "builtins:len"}
        script = f"import indexa.adapters.confined_child as c; c.TASKS.update({tasks!r}); c.main(200)"
        with Child(200) as child, patch.object(confined.subprocess, "Popen", _child_of(script)):
            with self.assertRaises(ConfinedError) as caught:
                child.call("sleep", 30, seconds=0.5)
            self.assertEqual(caught.exception.reason, "time")
            with self.assertRaises(ConfinedError) as caught:
                child.call("fill", 1 << 30, seconds=10)
            self.assertEqual(caught.exception.reason, "memory")
            self.assertEqual(child.call("length", "abc", seconds=10), 3)
        self.assertEqual(set(confined_child.TASKS), {"render", "word", "spreadsheet", "probe"})


def _child_of(script: str) -> object:
    real = confined.subprocess.Popen

    def start(command: list[str], **options: object) -> object:
        return real([command[0], "-c", script], **options)  # type: ignore[call-overload]

    return start


class ArchiveTests(FolderCase):
    def refused(self, name: str, content: bytes) -> str:
        with self.assertRaises(SourceError) as caught, open_scripts([(name, self.file(name, content))]):
            pass
        return caught.exception.code

    def test_what_unpacks_too_far_is_not_unpacked(self) -> None:
        zeros = b"\0" * (archives.FREE_OF_RATIO + 40 * 1024**2)
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("a.sql", zeros)
        self.assertEqual(self.refused("a.zip", packed.getvalue()), "packed-too-far")
        self.assertEqual(self.refused("a.sql.gz", gzip.compress(zeros)), "packed-too-far")
        with patch.object(script_files, "LARGEST", 1000):
            self.assertEqual(self.refused("b.sql.gz", gzip.compress(os.urandom(5000))), "too-large")

    def test_a_directory_of_too_many_entries_is_not_read(self) -> None:
        end = struct.pack("<4s4H2LH", b"PK\x05\x06", 0, 0, 0xFFFF, 0xFFFF, 10, 10, 0)
        self.assertEqual(self.refused("a.zip", b"PK\x03\x04" + b"x" * 50 + end), "too-many")

    def test_a_look_at_the_beginning_unpacks_no_more_than_that(self) -> None:
        path = self.file("a.sql.gz", gzip.compress(b"create table t (i int);\n" * 3_000_000))
        with peek_scripts([("a.sql.gz", path)]) as (beginning,):
            self.assertEqual(len(beginning.content), 400_000)

    def test_a_spreadsheet_with_a_cell_at_its_far_end_is_refused(self) -> None:
        import openpyxl

        book = openpyxl.Workbook()
        book.active.append(["table_name"])  # type: ignore[union-attr]
        plain = io.BytesIO()
        book.save(plain)
        far = io.BytesIO()
        with zipfile.ZipFile(plain) as source, zipfile.ZipFile(far, "w") as target:
            for name in source.namelist():
                content = source.read(name)
                if name.endswith("sheet1.xml"):
                    content = content.replace(b"</row>", b'</row><row r="1048576"><c r="XFD1048576"><v>1</v></c></row>')
                target.writestr(name, content)
        began = time.monotonic()
        with self.assertRaises(SourceError) as caught:
            list(kit_rows("far.xlsx", self.file("far.xlsx", far.getvalue())))
        self.assertEqual(caught.exception.code, "too-large")
        self.assertLess(time.monotonic() - began, 30)


class ReaderTests(TestCase):
    """Quadratic, each of these took half a minute and more."""

    CASES = {
        "dollar tags": ("postgresql", lambda n: "".join(f" $t{i}$ x;\n" for i in range(n))),
        "comments": ("mysql", lambda n: "create /* x;\n" * n),
        "comments that hold others": ("postgresql", lambda n: "/* /* x */ ;\n" * n),
        "comments in one statement": ("sqlserver", lambda n: "create table t (a int " + "/* " * n),
        "comments in a routine": ("oracle", lambda n: "create procedure p() begin /* x;\n" * n),
        "braces": ("informix", lambda n: "select { x;\n" * n),
        "escaped quotes": ("bigquery", lambda n: "x\\'y;\n" * n),
        "escaped quotes in one statement": ("mysql", lambda n: "create table t (a int default " + "\\'" * n),
        "quotes of a kind": ("oracle", lambda n: "select q'[x' y;\n" * n),
        "routines": ("informix", lambda n: "create procedure p() x;\n" * n),
    }

    def test_whatever_is_left_open_is_read_in_linear_time(self) -> None:
        for name, (dialect, make) in self.CASES.items():
            text = make(30_000).encode()
            began = time.process_time()
            with self.subTest(name):
                read_scripts([ScriptFile("x.sql", text)], platforms.get(dialect).dialect, lambda *_: None, "x")
                self.assertLess(time.process_time() - began, 12)

    def test_what_is_left_open_hides_nothing_that_comes_after_it(self) -> None:
        text = b"create table a (i int);\nselect $x$ /* q ;\ncreate table b (i int); -- it's\ncreate table c (i int);"
        model, _ = read_scripts([ScriptFile("x.sql", text)], platforms.get("postgresql").dialect, lambda *_: None, "x")
        self.assertEqual([table.name for table in model.tables], ["a", "b", "c"])


class UploadTests(TransactionTestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        own = override_settings(UPLOAD_DIR=Path(folder.name))
        own.enable()
        self.addCleanup(own.disable)
        self.area = make_area()
        self.client.login(username=make_person(self.area).username, password=PASSWORD)

    def upload(self, **entered: object) -> object:
        return self.client.post(reverse("sources:new-of", args=[self.area.slug, "script"]), {"name": "x"} | entered)

    def test_the_web_process_reads_no_upload(self) -> None:
        content = b"create table t (i int);" * 1000
        with (
            patch.object(script_files, "open_scripts", side_effect=AssertionError),
            patch("indexa.sources.uploads.read_scripts", side_effect=AssertionError),
        ):
            self.upload(uploads=SimpleUploadedFile("x.sql", content))
            source = Source.objects.get()
            page = self.client.get(reverse("sources:choose", args=[self.area.slug, source.pk]))
        self.assertContains(page, "Queued: scanning the source")
        self.assertEqual(Job.objects.get().kind, "scan")

    def test_encodings_that_hold_no_text_are_refused(self) -> None:
        for encoding in ("base64", "zlib", "rot13", "hex", "uu", "idna", "punycode", "undefined", "unicode_escape"):
            answer = self.upload(uploads=SimpleUploadedFile("x.sql", b"select 1"), encoding=encoding)
            with self.subTest(encoding):
                self.assertContains(answer, "There is no encoding", status_code=422)
        self.assertFalse(Source.objects.exists())
