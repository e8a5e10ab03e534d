"""Where a source may lead: hosts, sockets and files that a URL names in any way, and where a stored password goes."""

from __future__ import annotations

import socket
import time
from threading import Thread
from unittest import TestCase
from unittest.mock import patch

from django.test import TransactionTestCase, override_settings
from django.urls import reverse

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.adapters.hosts import HostRules
from indexa.adapters.live import OTHER, open_source
from indexa.adapters.postgresql import parse_url
from indexa.adapters.sqlalchemy_urls import parse_other
from indexa.sources import opening, scanning
from indexa.sources.models import Source
from indexa.sources.services import save
from tests.factories import PASSWORD, database, make_area, make_person, server_address
from tests.security.hostile_mysql import HostileServer


class OtherUrlTests(TestCase):
    def test_settings_that_reach_other_hosts_sockets_and_files_are_refused_by_name(self) -> None:
        refused = {
            "postgresql+psycopg://u@127.0.0.1/d?host=10.9.9.9": "host",
            "postgresql+psycopg://u@127.0.0.1/d?hostaddr=10.9.9.9": "hostaddr",
            "postgresql+psycopg://u@127.0.0.1/d?passfile=/etc/passwd": "passfile",
            "postgresql+psycopg://u@127.0.0.1/d?service=x": "service",
            "postgresql+psycopg://u@127.0.0.1/d?options=-c%20x": "options",
            "mysql+pymysql://u@127.0.0.1/d?unix_socket=/run/s": "unix_socket",
            "mysql+pymysql://u@127.0.0.1/d?read_default_file=/etc/my.cnf": "read_default_file",
            "mysql+pymysql://u@127.0.0.1/d?local_infile=1": "local_infile",
            "mysql+pymysql://u@127.0.0.1/d?ssl_key=/etc/x": "ssl_key",
            "mysql+pymysql://u@127.0.0.1/d?host=evil&charset=utf8mb4": "host",
            "sqlite:///x.db?uri=true": "uri",
            "firebird+firebird://u@127.0.0.1//x.fdb?fb_library_name=/tmp/x.so": "fb_library_name",
            "mssql+pymssql://u@127.0.0.1/d?server=evil": "server",
        }
        for url, name in refused.items():
            with self.subTest(url), self.assertRaises(SourceError) as caught:
                parse_other(url)
            if caught.exception.code == "url-setting":
                self.assertIn(f"“{name}”", caught.exception.message)
            else:  # a dialect that is not installed here
                self.assertIn(url.split("+")[0].split(":")[0], ("mssql", "firebird", "sqlite"))

    def test_what_harms_nothing_is_let_through(self) -> None:
        found = parse_other("mysql+pymysql://u@127.0.0.1:3307/d?charset=utf8mb4")
        self.assertEqual((found.host, found.port, found.settings["local_infile"]), ("127.0.0.1", 3307, False))
        self.assertIn("set session transaction read only", found.statements)

    def test_the_host_is_the_one_that_the_driver_is_told(self) -> None:
        # This dialect leaves the host out, and its driver would open the file of this machine.
        found = parse_other("firebird+firebird://u@127.0.0.1:3051//srv/x.fdb")
        self.assertEqual((found.host, found.settings["database"]), ("127.0.0.1", "127.0.0.1/3051:/srv/x.fdb"))
        for url in (
            "firebird+firebird://u@127.0.0.1/evil:/x.fdb",
            "mysql+pymysql://u@127.0.0.1,evil/d",
            "mysql+pymysql://u:p@127.0.0.1@evil/d",
            "postgresql+psycopg:///d",
            "postgresql+psycopg://u@127.0.0.1/d;host=evil",
            "postgresql+asyncpg://u@127.0.0.1/d",
        ):
            with self.subTest(url), self.assertRaises(SourceError):
                HostRules(["127.0.0.1"]).check(parse_other(url).host, 1)

    def test_a_hostile_server_gets_no_file(self) -> None:
        server = HostileServer()
        self.addCleanup(server.close)
        url = f"mysql+pymysql://u:p@127.0.0.1:{server.port}/d"
        sources = [(OTHER, Address(database=url)), ("mysql", Address("127.0.0.1", server.port, "d", "u", "disable"))]
        for platform, address in sources:
            with self.subTest(platform), self.assertRaises(SourceError), open_source(platform, address, "p") as opened:
                opened.count()
        self.assertGreaterEqual(server.asked, 2)
        self.assertEqual(server.received.strip(b"\0"), b"")

    def test_an_other_session_is_read_only_and_bounded(self) -> None:
        address = server_address()
        url = f"postgresql+psycopg://{address['user']}@127.0.0.1:{address['port']}/postgres"
        with open_source(OTHER, Address(database=url), str(address["password"])) as opened:
            connection = opened._inspector.bind  # type: ignore[attr-defined]
            shown = {
                name: connection.exec_driver_sql(f"show {name}").scalar()
                for name in ("default_transaction_read_only", "statement_timeout", "lock_timeout")
            }
            with self.assertRaises(Exception) as caught:
                connection.exec_driver_sql("create table x (i int)")
        self.assertEqual(
            shown, {"default_transaction_read_only": "on", "statement_timeout": "5min", "lock_timeout": "3s"}
        )
        self.assertIn("read-only", str(caught.exception))


class HostTests(TestCase):
    RULES = HostRules(["127.0.0.1", "localhost", "::1", "10.1.0.0/16", "db.example:5432", "rebound.example"])

    def test_names_addresses_networks_and_ports(self) -> None:
        allowed = [("127.0.0.1", 1), ("LocalHost", 2), ("[::1]", 3), ("10.1.2.3", 4), ("db.example", 5432)]
        refused = [("10.2.0.1", 4), ("db.example", 5433), ("evil.example", 5432), ("127.0.0.2", 1), ("", 1), ("0.0.0.0", 1),
                   ("127.0.0.1.evil", 1), ("169.254.169.254", 80)]  # fmt: skip
        for host, port in allowed:
            self.RULES.check(host, port)
        for host, port in refused:
            with self.subTest(host), self.assertRaises(SourceError):
                self.RULES.check(host, port)

    def test_each_address_that_a_name_stands_for_is_looked_at(self) -> None:
        for address in ("169.254.169.254", "127.0.0.2", "0.0.0.0", "::ffff:169.254.169.254", "fe80::1"):
            found = [(0, 0, 0, "", ("93.184.216.34", 1)), (0, 0, 0, "", (address, 1))]
            with (
                self.subTest(address),
                patch("socket.getaddrinfo", return_value=found),
                self.assertRaises(SourceError) as caught,
            ):
                self.RULES.check("rebound.example", 1)
            self.assertEqual(caught.exception.code, "host-not-allowed")


class PostgresqlLineTests(TestCase):
    def test_files_of_the_server_and_passwords_in_lines_are_refused(self) -> None:
        for line in (
            "service=billing", "host=h passfile=/root/.pgpass", "host=h password=x", "postgresql://u@h/d?passfile=/x",
            "host=h sslkey=/etc/ssl/private/key.pem", "postgresql://u@h/d?service=x",
        ):  # fmt: skip
            with self.subTest(line), self.assertRaises(SourceError):
                parse_url(line)
        self.assertEqual(parse_url("postgresql://u:p@h/d")[1], "p")

    def test_settings_of_a_driver_can_not_be_smuggled_in_through_a_name(self) -> None:
        for platform in ("db2", "oracle"):
            for address in (
                Address("127.0.0.1", 1, "d;HOSTNAME=evil", "u"),
                Address("127.0.0.1", 1, "d", "u)(HOST=evil"),
            ):
                with (
                    self.subTest(platform),
                    self.assertRaises(SourceError) as caught,
                    open_source(platform, address, "p"),
                ):
                    pass
                self.assertEqual(caught.exception.code, "address")


class StoredPasswordTests(TransactionTestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.client.login(username=make_person(self.area).username, password=PASSWORD)

    def post(self, source: Source, **changed: object) -> object:
        entered = {
            "name": source.name, "platform": source.platform, "host": source.host, "port": source.port, "database": source.database,
            "user": source.user, "tls": source.tls, "password": "", "url": "",
        }  # fmt: skip
        return self.client.post(reverse("sources:edit", args=[self.area.slug, source.pk]), entered | changed)

    def test_it_is_asked_for_again_when_anything_changes_that_decides_where_it_goes(self) -> None:
        with database("create table t (i int primary key)") as name:
            own = server_address()
            source = save(
                Source(
                    area=self.area,
                    name="s",
                    host="127.0.0.1",
                    port=own["port"],
                    database=name,
                    user=name,
                    tls="disable",
                ),
                password=f"reader of {name}",
            )
            changes: list[dict[str, object]] = [
                {"host": "localhost"}, {"port": 1}, {"platform": "mysql"}, {"user": "another"}, {"tls": "prefer"},
                {"url": f"postgresql://{name}@localhost/{name}"},
                {"platform": "other", "url": f"postgresql+psycopg://{name}@127.0.0.1:{own['port']}/{name}"},
            ]  # fmt: skip
            for changed in changes:
                with self.subTest(changed), patch.object(scanning, "probe") as probed:
                    self.assertContains(self.post(source, **changed), "Enter the password again", status_code=422)
                    probed.assert_not_called()
            self.assertEqual(self.post(source, name="renamed").status_code, 302)  # type: ignore[attr-defined]
            source.refresh_from_db()
            self.assertEqual(opening.password_of(source, None), f"reader of {name}")
            source.host = "localhost"  # however it came to be another one
            with self.assertRaises(SourceError) as caught:
                opening.password_of(source, None)
            self.assertEqual(caught.exception.code, "seal")

    def test_a_password_in_a_line_of_settings_is_not_shown_again(self) -> None:
        entered = {
            "name": "x",
            "platform": "postgresql",
            "url": "host=127.0.0.1 password=sesame dbname=d",
            "tls": "prefer",
        }
        answer = self.client.post(reverse("sources:new-of", args=[self.area.slug, "live"]), entered)
        self.assertContains(answer, "may not hold a password", status_code=422)
        self.assertNotContains(answer, "sesame", status_code=422)


class SilentServerTests(TransactionTestCase):
    """Servers that take a connection and never say a word."""

    def setUp(self) -> None:
        self.listener = socket.create_server(("127.0.0.1", 0), backlog=50)
        self.addCleanup(self.listener.close)
        self.area = make_area()
        port = self.listener.getsockname()[1]
        self.source = Source(
            area=self.area, name="x", host="127.0.0.1", port=port, database="d", user="u", tls="disable"
        )

    def test_a_page_waits_for_a_limited_time(self) -> None:
        for platform in ("postgresql", "mysql"):
            self.source.platform = platform
            began = time.monotonic()
            with patch.object(scanning, "PROBE_SECONDS", 1.5), self.assertRaises(SourceError) as caught:
                scanning.probe(self.source, "p")
            self.assertEqual(caught.exception.code, "time-out")
            self.assertLess(time.monotonic() - began, 4)

    @override_settings()
    def test_a_few_at_once_wait_and_the_others_are_told(self) -> None:
        codes: list[str] = []

        def probe() -> None:
            from django.db import connections

            try:
                scanning.probe(self.source, "p")
            except SourceError as error:
                codes.append(error.code)
            finally:
                connections.close_all()

        with patch.object(scanning, "PROBE_SECONDS", 3):
            threads = [Thread(target=probe) for _ in range(scanning.PROBES_OF_AREA + 3)]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
        self.assertEqual(sorted(codes), ["busy"] * 3 + ["time-out"] * scanning.PROBES_OF_AREA)
