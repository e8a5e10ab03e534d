"""Editions pushed to Commons, which runs as the process it is, and to a folder: idempotent, told before, logged, refused in plain words."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from threading import Thread
from unittest.mock import patch

import boto3
import psycopg
from cheroot import wsgi
from django.db import transaction
from django.test import TransactionTestCase, override_settings
from django.urls import reverse
from dulwich.object_store import tree_lookup_path
from dulwich.repo import Repo
from moto.server import ThreadedMotoServer
from wsgidav.wsgidav_app import WsgiDAVApp

from indexa.areas.models import Role
from indexa.editions import pushing, services
from indexa.editions.building import build_edition, publish_edition
from indexa.editions.choices import Choices
from indexa.editions.files import content_of
from indexa.editions.models import Destination, Edition, Push, SigningRule
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.modeling import editing
from indexa.store.models import StoredTable
from tests.editions.servers import ROOT, commons, free_port, git_over_https, until_open
from tests.factories import (
    PASSWORD,
    column,
    make_area,
    make_model,
    make_person,
    store,
    text_of,
)


class Quiet(SimpleHTTPRequestHandler):
    """Serves without a word on standard error."""

    def log_message(self, *_: object) -> None:
        """Say nothing."""


@contextmanager
def served(files: dict[str, bytes]) -> Iterator[str]:
    """Serve files on loopback; yields the address."""
    with tempfile.TemporaryDirectory() as folder:
        for name, content in files.items():
            (Path(folder) / name).write_bytes(content)
        server = ThreadingHTTPServer(("127.0.0.1", 0), partial(Quiet, directory=folder))
        Thread(target=server.serve_forever, daemon=True).start()
        try:
            yield f"http://127.0.0.1:{server.server_port}"
        finally:
            server.shutdown()
            server.server_close()


def harvested(environment: dict[str, str], name: str, address: str, *more: str) -> str:
    """Have Commons harvest a catalog; returns what it says."""
    command = [sys.executable, "manage.py", "commons", "--harvest", name, address, *more]
    done = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, text=True, check=False, timeout=60)
    return done.stdout + done.stderr


def read_of_git(repository: Path, path: str) -> bytes | None:
    """Return a file of the area's folder on the branch main, None where there is none."""
    with Repo(str(repository)) as repo:
        try:
            _, blob = tree_lookup_path(
                repo.__getitem__, repo[repo.refs[b"refs/heads/main"]].tree, f"billing/{path}".encode()
            )
        except KeyError:
            return None
        return bytes(repo[blob].data)


def page(address: str) -> str:
    with urllib.request.urlopen(address, timeout=10) as answer:
        return str(answer.read().decode())


class PushCase(TransactionTestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.people = {role: make_person(self.area, role) for role in Role}
        self.stored = store(self.area, make_model())
        SigningRule.objects.create(area=self.area, approvals=0)
        self.client.login(username=self.people[Role.ADMINISTRATOR].username, password=PASSWORD)

    def define(self, text: str, seen: str = "") -> None:
        place = editing.place_of(column(self.stored, "mtr.inst_dt"), only_here=False)
        editing.edit(
            area=self.area, person=self.people[Role.STEWARD], place=place, field="definition", seen=seen, value=text
        )

    def published(self) -> Edition:
        edition, job = services.prepare(
            area=self.area,
            person=self.people[Role.STEWARD],
            title="Meters",
            note="",
            choices=Choices(models=[self.stored.pk]),
        )
        with transaction.atomic():
            build_edition(job, Silent())
        signed = services.publish(edition_id=edition.pk, area=self.area, person=self.people[Role.APPROVER])
        with transaction.atomic():
            publish_edition(signed, Silent())
        edition.refresh_from_db()
        return edition

    def enter(self, **given: str) -> str:
        url = reverse("editions:destination-new", args=[self.area.slug])
        return text_of(self.client.post(url, {"label": "There", "name": "billing"} | given, follow=True))  # type: ignore[arg-type]

    def push(self, edition: Edition, destination: Destination) -> str:
        job = pushing.start(destination=destination, edition=edition, person=self.people[Role.APPROVER])
        pushing.push_in_background(job, Silent())
        return Push.objects.latest("pk").outcome


class CommonsTests(PushCase):
    def test_editions_arrive_change_go_and_are_read_there(self) -> None:
        self.define("Day it was set.")
        with commons() as (address, token, environment):
            api = f"{address}/api/catalogs/"
            self.assertIn("refuses the token", self.enter(kind="catalog", address=api, secret="wrong"))
            self.assertIn("takes the token", self.enter(kind="catalog", address=api, secret=token))
            there = Destination.objects.get()
            self.assertNotIn(token, there.sealed_secret)
            first = self.published()
            told = self.client.get(reverse("editions:push", args=[self.area.slug, first.pk]), {"destination": there.pk})
            self.assertEqual(told.context["outcome"].words, "3 added, 0 changed, 0 as before, 0 gone")
            self.assertContains(told, "<code>billing/metering.mtr</code>")
            self.assertEqual(self.push(first, there), "3 added, 0 changed, 0 as before, 0 gone")
            self.assertEqual(self.push(first, there), "0 added, 0 changed, 3 as before, 0 gone")
            catalog = content_of(first.files.select_related("stored").get(path="open/catalog.ttl"))
            with served({"catalog.ttl": catalog, "other.ttl": b"<a"}) as elsewhere:
                for name, told in (
                    ("catalog.ttl", "3 added, 0 changed, 0 unchanged, 0 gone"),
                    ("catalog.ttl", "0 added, 0 changed, 3 unchanged, 0 gone"),
                    ("other.ttl", "can't be read as text/turtle"),
                    ("nowhere.ttl", "answers 404"),
                ):
                    self.assertIn(told, harvested(environment, "found", f"{elsewhere}/{name}"))
                self.assertIn(f"harvested from {elsewhere}/catalog.ttl", page(f"{address}/catalogs/found/"))
                self.fetched_by_a_clock(address, environment, elsewhere)
            self.define("Day it was installed.", seen="Day it was set.")
            StoredTable.objects.filter(model=self.stored, name="v_mtr").delete()
            self.assertEqual(self.push(self.published(), there), "0 added, 1 changed, 1 as before, 1 gone")
            dataset = page(f"{address}/catalogs/billing/datasets/billing/metering.mtr")
            for words in (
                "Day it was installed.",
                "mtr_srl_no",
                "/editions/latest/tables/billing-metering-mtr.html",
                "Indexa",
            ):
                self.assertIn(words, dataset)
            self.assertEqual(dataset.count("columns</") + dataset.count('<td class="num">3</td>'), 2)
            self.assertIn("gone since", page(f"{address}/catalogs/billing/"))
            self.assertIn("metering.mtr", page(f"{address}/?q=installed+day"))
            self.assertIn("Nothing holds", page(f"{address}/?q=%00nowhere"))
            with self.assertRaises(urllib.error.HTTPError):
                page(f"{address}/catalogs/nothing/")
            for content, kind in (
                (b'{"@context": "https://elsewhere.example/"}', "application/ld+json"),
                (b"x", "text/plain"),
                (b"<a", "text/turtle"),
            ):
                request = urllib.request.Request(
                    f"{api}billing/", data=content, method="PUT", headers={"Authorization": f"Bearer {token}", "Content-Type": kind}
                )  # fmt: skip
                with self.assertRaises(urllib.error.HTTPError) as caught:
                    urllib.request.urlopen(request, timeout=10)
                self.assertEqual(caught.exception.code, 422)
        with patch("indexa.adapters.pushing.http_catalog._PAUSES", (0.0, 0.0)):
            job = pushing.start(destination=there, edition=Edition.objects.get(number=2), person=None)
            with self.assertRaisesMessage(JobFailedError, "can't be reached"):
                pushing.push_in_background(job, Silent())
        self.assertEqual(Push.objects.latest("pk").state, Push.State.FAILED)

    def fetched_by_a_clock(self, address: str, environment: dict[str, str], elsewhere: str) -> None:
        """Have Commons fetch two catalogs when their time has come, of which one is not there any more."""
        self.assertIn("--every takes", harvested(environment, "clock", f"{elsewhere}/catalog.ttl", "--every", "0"))
        for name in ("clock", "lost"):
            self.assertIn("every 3 hours", harvested(environment, name, f"{elsewhere}/catalog.ttl", "--every", "3"))
        self.assertIn("not yet by the clock", page(f"{address}/"))
        with psycopg.connect(environment["INDEXA_DATABASE_URL"], autocommit=True) as database_:
            database_.execute(
                "update commons.origin set address = replace(address, 'catalog', 'gone') where name = 'lost'"
            )
            database_.execute("update commons.origin set next_at = now()")
            for _ in range(100):
                found = database_.execute("select count(*) from commons.origin where tried_at is not null").fetchone()
                if found == (2,):
                    break
                time.sleep(0.1)
        told = page(f"{address}/")
        self.assertIn("0 added, 0 changed, 3 unchanged, 0 gone", told)
        self.assertIn("answers 404", told)
        command = [sys.executable, "manage.py", "commons", "--forget", "lost"]
        for status in (0, 1):
            done = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, check=False, timeout=60)
            self.assertEqual(done.returncode, status)


class FolderTests(PushCase):
    def test_a_folder_holds_the_latest_edition_and_nothing_else_is_touched(self) -> None:
        with tempfile.TemporaryDirectory() as folder, override_settings(PUSH_FOLDERS=[folder]):
            self.assertIn("not below a folder", self.enter(kind="folder", address="/etc"))
            self.assertIn("not below a folder", self.enter(kind="folder", address=f"{folder}/../x"))
            self.assertIn("can be written to", self.enter(kind="folder", address=folder, at_publication="1"))
            (Path(folder) / "billing" / "own.txt").write_text("ours")
            first = self.published()
            pushing.push_in_background(Job.objects.get(kind="push"), Silent())
            files = first.files.count()
            made = Push.objects.get()
            self.assertEqual(len(made.details), files)
            log = self.client.get(reverse("editions:pushed", args=[self.area.slug, made.pk]))
            self.assertContains(log, "<code>documents/edition.pdf</code>")
            self.assertEqual(Push.objects.get().outcome, f"{files} added, 0 changed, 0 as before, 0 gone")
            there = Path(folder) / "billing"
            self.assertIn(b"Edition 1", (there / "index.html").read_bytes())
            self.assertTrue((there / "documents" / "edition.pdf").read_bytes().startswith(b"%PDF"))
            StoredTable.objects.filter(model=self.stored, name="v_mtr").delete()
            self.published()
            pushing.push_in_background(Job.objects.filter(kind="push").latest("pk"), Silent())
            self.assertFalse((there / "tables" / "billing-metering-v-mtr.html").exists())
            self.assertEqual((there / "own.txt").read_text(), "ours")

    def test_only_administrators_enter_and_approvers_push(self) -> None:
        with tempfile.TemporaryDirectory() as folder, override_settings(PUSH_FOLDERS=[folder]):
            self.enter(kind="folder", address=folder)
            edition, there = self.published(), Destination.objects.get()
            addresses = {
                reverse("editions:destination-new", args=[self.area.slug]): Role.ADMINISTRATOR,
                reverse("editions:destination", args=[self.area.slug, there.pk]): Role.ADMINISTRATOR,
                f"{reverse('editions:push', args=[self.area.slug, edition.pk])}?destination={there.pk}": Role.APPROVER,
                reverse("editions:destinations", args=[self.area.slug]): Role.READER,
            }
            for role in Role:
                self.client.login(username=self.people[role].username, password=PASSWORD)
                for address, least in addresses.items():
                    self.assertEqual(
                        self.client.get(address).status_code, 200 if role >= least else 403, (role, address)
                    )
            self.client.login(
                username=make_person(make_area("Elsewhere"), Role.ADMINISTRATOR).username, password=PASSWORD
            )
            for address in addresses:
                self.assertEqual(self.client.get(address).status_code, 404)


class FileStoreTests(PushCase):
    """Real servers from the registries, on loopback."""

    def round_trip(self, destination: Destination, read: Callable[[str], bytes | None]) -> None:
        """Push two editions: the second changes a page and takes one away; the same again changes nothing."""
        self.define("Day it was set.")
        first = self.published()
        files = first.files.count()
        told = pushing.plan(destination, first)
        self.assertEqual(tuple(told)[:4], (files, 0, 0, 0))
        self.assertEqual(self.push(first, destination), f"{files} added, 0 changed, 0 as before, 0 gone")
        self.assertEqual(self.push(first, destination), f"0 added, 0 changed, {files} as before, 0 gone")
        page = read("tables/billing-metering-mtr.html")
        assert page is not None
        self.assertIn(b"Day it was set.", page)
        self.define("Day it was installed.", seen="Day it was set.")
        StoredTable.objects.filter(model=self.stored, name="v_mtr").delete()
        self.assertIn("1 gone", self.push(self.published(), destination))
        self.assertIn(b"Day it was installed.", read("tables/billing-metering-mtr.html") or b"")
        self.assertIsNone(read("tables/billing-metering-v-mtr.html"))

    def test_a_bucket(self) -> None:
        with free_port() as port:
            server = ThreadedMotoServer(ip_address="127.0.0.1", port=port, verbose=False)
            server.start()
            self.addCleanup(server.stop)
            address = f"http://127.0.0.1:{port}"
            client = boto3.client(
                "s3", endpoint_url=address, aws_access_key_id="k", aws_secret_access_key="s", region_name="us-east-1"
            )
            client.create_bucket(Bucket="documents")
            self.assertIn("NoSuchBucket", self.enter(kind="s3", address=f"{address}/nowhere", secret="k:s"))
            self.assertIn("with a colon between", self.enter(kind="s3", address=f"{address}/documents", secret="k"))
            self.assertIn("can be written to", self.enter(kind="s3", address=f"{address}/documents", secret="k:s"))

            def read(path: str) -> bytes | None:
                try:
                    return bytes(client.get_object(Bucket="documents", Key=f"billing/{path}")["Body"].read())
                except client.exceptions.NoSuchKey:
                    return None

            self.round_trip(Destination.objects.get(), read)

    def test_a_webdav_folder(self) -> None:
        with free_port() as port, tempfile.TemporaryDirectory() as folder:
            users = {"user_mapping": {"*": {"ines": {"password": "dav"}}}}
            app = WsgiDAVApp(
                {"provider_mapping": {"/": folder}, "simple_dc": users, "verbose": 0, "logging": {"enable": False}}
            )
            server = wsgi.Server(("127.0.0.1", port), app)
            Thread(target=server.safe_start, daemon=True).start()
            self.addCleanup(server.stop)
            address = f"http://127.0.0.1:{port}"
            until_open(port)
            self.assertIn(
                "refuses the name or password", self.enter(kind="webdav", address=address, secret="ines:wrong")
            )
            self.assertIn("can be written to", self.enter(kind="webdav", address=address, secret="ines:dav"))

            def read(path: str) -> bytes | None:
                file = Path(folder) / "billing" / path
                return file.read_bytes() if file.exists() else None

            self.round_trip(Destination.objects.get(), read)

    def test_a_git_repository_over_https(self) -> None:
        with tempfile.TemporaryDirectory() as name, git_over_https(Path(name), "ines:token") as (address, certificate):
            repository = Path(name) / "catalog.git"
            Repo.init_bare(str(repository), mkdir=True).close()
            given = {"kind": "git", "address": f"{address}/catalog.git"}
            self.assertIn(
                "can't be used", self.enter(**given, secret="ines:token"), "its certificate is not trusted yet"
            )
            with patch.dict(os.environ, SSL_CERT_FILE=str(certificate)):
                self.assertIn("refuses the name or token", self.enter(**given, secret="ines:wrong"))
                self.assertIn("empty so far", self.enter(**given, secret="ines:token"))
                self.round_trip(Destination.objects.get(), partial(read_of_git, repository))

    def test_a_git_repository(self) -> None:
        with tempfile.TemporaryDirectory() as folder, override_settings(PUSH_FOLDERS=[folder]):
            Repo.init_bare(f"{folder}/catalog.git", mkdir=True).close()
            self.assertIn("can't be used", self.enter(kind="git", address=f"{folder}/nowhere.git"))
            self.assertIn("not below a folder", self.enter(kind="git", address="/etc"))
            self.assertIn("empty so far", self.enter(kind="git", address=f"{folder}/catalog.git"))

            self.round_trip(Destination.objects.get(), partial(read_of_git, Path(folder) / "catalog.git"))
            self.assertIn(["changed", "tables/billing-metering-mtr.html"], Push.objects.latest("pk").details)
            with Repo(f"{folder}/catalog.git") as repo:
                commits = [one.commit for one in repo.get_walker(include=[repo.refs[b"refs/heads/main"]])]
            self.assertEqual(len(commits), 2)
