"""Scripts of real software, fetched as Debian packages: read, loaded into a server, and compared with what that says."""

from __future__ import annotations

import gzip
import os
import sqlite3
import subprocess
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import psycopg

from bench.common import address as bench_address
from indexa.adapters.address import Address, parse_address
from indexa.adapters.live import open_source
from indexa.adapters.postgresql import parse_url
from indexa.core import platforms
from indexa.core.intake.choice import Choice
from indexa.core.model import Model
from indexa.core.scripts.reader import ScriptFile, read_scripts

ROOT = Path(__file__).resolve().parent.parent
DATABASE = "bench_real"
# Package, the script in it, platform. None has to do with the project; each is read as it is.
SCRIPTS = [
    ("zabbix-server-pgsql", "schema.sql.gz", "postgresql"),
    ("ledgersmb", "Pg-database.sql", "postgresql"),
    ("icinga2-ido-pgsql", "schema/pgsql.sql", "postgresql"),
    ("icingadb", "pgsql/schema.sql", "postgresql"),
    ("pdns-backend-pgsql", "/schema.pgsql.sql", "postgresql"),
    ("roundcube-core", "postgres.initial.sql", "postgresql"),
    ("zabbix-server-mysql", "schema.sql.gz", "mysql"),
    ("cacti", "cacti.sql", "mysql"),
    ("icinga2-ido-mysql", "schema/mysql.sql", "mysql"),
    ("icingadb", "mysql/schema.sql", "mysql"),
    ("roundcube-core", "mysql.initial.sql", "mysql"),
    ("pdns-backend-mysql", "schema.mysql.sql", "mysql"),
    ("zabbix-proxy-sqlite3", "schema.sql.gz", "sqlite"),
    ("roundcube-core", "sqlite.initial.sql", "sqlite"),
    ("pdns-backend-sqlite3", "schema.sqlite3.sql", "sqlite"),
    ("goiardi", "goiardi-schema-postgres.sql", "postgresql"),
    ("icingaweb2-module-director", "schema/pgsql.sql", "postgresql"),
    ("glewlwyd", "database/init.postgre.sql.gz", "postgresql"),
    ("osmosis", "contrib/apidb_0.6.sql", "postgresql"),
    ("request-tracker4", "etc/schema.Pg", "postgresql"),
    ("tt-rss", "ttrss_schema_pgsql.sql", "postgresql"),
    ("sql-ledger", "Pg-tables.sql", "postgresql"),
    ("kea-admin", "dhcpdb_create.pgsql", "postgresql"),
    ("icingaweb2-module-director", "schema/mysql.sql", "mysql"),
    ("glewlwyd", "database/init.mariadb.sql.gz", "mysql"),
    ("hibiscus", "mysql-create.sql", "mysql"),
    ("ejabberd", "share/ejabberd/sql/mysql.new.sql", "mysql"),
    ("request-tracker4", "etc/schema.mysql", "mysql"),
    ("tt-rss", "ttrss_schema_mysql.sql", "mysql"),
    ("kea-admin", "dhcpdb_create.mysql", "mysql"),
    ("ocsinventory-reports", "files/ocsbase.sql", "mysql"),
    ("libpreludedb7-mysql", "classic/mysql.sql", "mysql"),
    ("glewlwyd", "database/init.sqlite3.sql.gz", "sqlite"),
    ("ejabberd", "share/ejabberd/sql/lite.new.sql", "sqlite"),
    ("calibre", "metadata_sqlite.sql", "sqlite"),
]
_QUARTZ, _ACL = "org/quartz/impl/jdbcjobstore/tables_", "examples/schema/"
# Package, a script for a platform of which no server runs here, and the same software's script for one that is compared
# with its server: their tables, columns and keys have to have the same names.
TWINS = [
    ("libquartz2-java", f"{_QUARTZ}oracle.sql", "oracle", f"{_QUARTZ}postgres.sql", "postgresql"),
    ("libquartz2-java", f"{_QUARTZ}db2.sql", "db2", f"{_QUARTZ}postgres.sql", "postgresql"),
    ("libquartz2-java", f"{_QUARTZ}db2_v72.sql", "db2", f"{_QUARTZ}postgres.sql", "postgresql"),
    ("libquartz2-java", f"{_QUARTZ}sqlServer.sql", "sqlserver", f"{_QUARTZ}postgres.sql", "postgresql"),
    ("libquartz2-java", f"{_QUARTZ}firebird.sql", "firebird", f"{_QUARTZ}postgres.sql", "postgresql"),
    ("php-symfony-security-acl", f"{_ACL}oracle.sql", "oracle", f"{_ACL}postgresql.sql", "postgresql"),
    ("php-symfony-security-acl", f"{_ACL}db2.sql", "db2", f"{_ACL}postgresql.sql", "postgresql"),
    ("php-symfony-security-acl", f"{_ACL}mssql.sql", "sqlserver", f"{_ACL}postgresql.sql", "postgresql"),
    ("roundcube-core", "oracle.initial.sql", "oracle", "postgres.initial.sql", "postgresql"),
    ("roundcube-core", "mssql.initial.sql", "sqlserver", "postgres.initial.sql", "postgresql"),
]


def quiet(*_: object) -> None:
    """Take no notice of progress."""


def main(_: list[str]) -> None:
    """Fetch, load, read, compare, print a line a script."""
    started = subprocess.run(
        [ROOT / "tools" / "mariadb", "start", "test"], stdout=subprocess.PIPE, text=True, check=True
    )
    os.environ["INDEXA_BENCH_MARIADB_URL"] = started.stdout.strip()
    totals = dict.fromkeys(("tables", "columns", "keys"), (0, 0, 0))
    print("| script | platform | tables | columns | keys | invented | not understood |\n|---|---|---|---|---|---|---|")
    try:
        with tempfile.TemporaryDirectory() as folder:
            for package, name, platform in SCRIPTS:
                content = fetch(Path(folder), package, name)
                if content is None:
                    print(f"| {package} {name} | {platform} | could not be fetched ||||||")
                    continue
                row = compare(name, content, platform, totals)
                print(f"| {package} {Path(name).name} | {platform} | {row} |")
            print("\n| script | platform | tables | columns | keys | not understood |\n|---|---|---|---|---|---|")
            for package, name, platform, other_name, other in TWINS:
                mine, yardstick = fetch(Path(folder), package, name), fetch(Path(folder), package, other_name)
                if mine is not None and yardstick is not None:
                    row = twins(mine, platform, yardstick, other)
                    print(f"| {package} {Path(name).name} | {platform} | {row} |")
    finally:
        subprocess.run([ROOT / "tools" / "mariadb", "stop", "test"], check=True)
    shares = {kind: f"{found / held:.2%} of {held:,}" for kind, (held, found, _invented) in totals.items() if held}
    print("in all:", shares, "invented:", {kind: invented for kind, (_, _, invented) in totals.items()})


def fetch(folder: Path, package: str, name: str) -> bytes | None:
    """Download a package and return the script in it, be it in a Java archive."""
    target = folder / package
    if not target.exists():
        subprocess.run(
            ["apt-get", "download", "-q", package],
            cwd=folder,
            capture_output=True,
            check=False,
        )
        files = list(folder.glob(f"{package}_*.deb"))
        if not files:
            return None
        subprocess.run(["dpkg", "-x", files[0], target], check=True)
    for path in target.rglob("*"):
        if str(path).endswith(name):
            return gzip.decompress(path.read_bytes()) if path.suffix == ".gz" else path.read_bytes()
        if path.suffix == ".jar" and path.is_file():
            with zipfile.ZipFile(path) as archive:
                if name in archive.namelist():
                    return archive.read(name)
    return None


def twins(content: bytes, platform: str, yardstick: bytes, other: str) -> str:
    """Word how much of one platform's script has the names of the other's."""
    (mine, receipt), (theirs, _) = (
        read_scripts([ScriptFile("script", text)], platforms.get(name).dialect, quiet, "script")
        for text, name in ((content, platform), (yardstick, other))
    )
    cells = []
    for found, held in zip(named_parts(mine), named_parts(theirs), strict=True):
        more = f", {len(found - held)} others" if found - held else ""
        cells.append(f"{len(found & held)} of {len(held)}{more}")
    lost = sum(note.reason.startswith("Not understood") for note in receipt.notes)
    return " | ".join([*cells, str(lost)])


def named_parts(model: Model) -> tuple[set[object], set[object], set[object]]:
    """Return the names of tables, of columns, and of the columns of primary and foreign keys, in small letters."""

    def small(names: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(name.lower() for name in names)

    tables: set[object] = {table.name.lower() for table in model.tables}
    columns: set[object] = {(t.name.lower(), column.name.lower()) for t in model.tables for column in t.columns}
    keys: set[object] = {
        (t.name.lower(), small(key.columns), small((key.ref_table,))) for t in model.tables for key in t.foreign_keys
    }
    keys |= {(t.name.lower(), small(t.primary_key.columns)) for t in model.tables if t.primary_key}
    return tables, columns, keys


def compare(name: str, content: bytes, platform: str, totals: dict[str, tuple[int, int, int]]) -> str:
    """Load a script, read it and the database, and word how much of it was found."""
    with loaded(platform, content) as (source, password, schema), open_source(platform, source, password) as opened:
        schemas = schemas_made() if platform == "postgresql" else (schema,)
        live, _receipt = opened.read(Choice(schemas), quiet, "live")
    default = schema if platform == "mysql" else None
    read, receipt = read_scripts(
        [ScriptFile(name, content)], platforms.get(platform).dialect, quiet, "script", default_schema=default
    )
    cells = []
    invented = 0
    for kind in totals:
        held, found = parts(live, kind), parts(read, kind)
        more = len(found - held)
        invented += more
        before = totals[kind]
        totals[kind] = (before[0] + len(held), before[1] + len(held & found), before[2] + more)
        cells.append(f"{len(held & found):,} of {len(held):,}")
    lost = sum(note.reason.startswith("Not understood") for note in receipt.notes)
    return " | ".join([*cells, str(invented), str(lost)])


def schemas_made() -> tuple[str, ...]:
    """Return the schemas that a script made in PostgreSQL, and the one that was there."""
    with psycopg.connect(bench_address(DATABASE)) as database:
        rows = database.execute(
            "select nspname from pg_namespace where nspname !~ '^pg_' and nspname <> 'information_schema'"
        )
        return tuple(row[0] for row in rows)


def parts(model: Model, kind: str) -> set[object]:
    """Return what is compared: tables; columns with type, nullability and default or not; keys with their columns."""
    found: set[object] = set()
    for table in model.tables:
        if table.kind in ("view", "materialized view"):
            continue
        name = (table.schema, table.name)
        if kind == "tables":
            found.add((*name, table.kind))
        elif kind == "columns":
            found |= {(*name, c.name, c.position, c.type, c.nullable, c.default is None) for c in table.columns}
        else:
            found |= {(*name, "unique", key.columns) for key in table.unique}
            found |= {
                (*name, "foreign", key.columns, key.ref_table, key.ref_columns, key.on_delete)
                for key in table.foreign_keys
            }
            if table.primary_key:
                found.add((*name, "primary", table.primary_key.columns))
    return found


@contextmanager
def loaded(platform: str, content: bytes) -> Iterator[tuple[Address, str, str]]:
    """Load a script into a fresh database and yield where it is and the schema to read."""
    if platform == "postgresql":
        with psycopg.connect(bench_address("postgres"), autocommit=True) as server:
            server.execute(f"drop database if exists {DATABASE}")
            server.execute(f"create database {DATABASE}")
        url = bench_address(DATABASE)
        subprocess.run(["psql", "-q", url], input=content, capture_output=True, check=False)
        yield *parse_url(url), "public"
    elif platform == "mysql":
        _, address, password = parse_address(os.environ["INDEXA_BENCH_MARIADB_URL"])
        command = [
            "mariadb",
            "--no-defaults",
            "-f",
            "-h",
            address.host,
            "-P",
            str(address.port),
            f"-u{address.user}",
            f"-p{password}",
        ]
        subprocess.run(
            command, input=f"drop database if exists {DATABASE}; create database {DATABASE}".encode(), check=True
        )
        subprocess.run([*command, DATABASE], input=content, capture_output=True, check=False)
        yield address, password, DATABASE
    else:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "real.db"
            made = sqlite3.connect(path)
            with suppress(sqlite3.Error):  # as far as the engine takes it
                made.executescript(content.decode())
            made.close()
            yield Address("", 0, str(path)), "", "main"
