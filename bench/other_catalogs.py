"""Reading MariaDB and SQLite into a Model, beside their bare catalog queries, and starting the headless command."""

from __future__ import annotations

import os
import sqlite3
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from bench.common import compare
from bench.scripts import script_in
from indexa.adapters.address import Address, parse_address
from indexa.adapters.live import PlatformReading, open_source
from indexa.core import platforms
from indexa.core.intake.choice import Choice
from indexa.core.platforms.mysql import queries
from indexa.core.platforms.sqlite import build
from indexa.core.scripts.reader import ScriptFile, read_scripts

ROOT = Path(__file__).resolve().parent.parent
DATABASE = "bench_1000"
_CHECKS = queries.CHECKS_MARIADB
MARIADB = [queries.TABLES, queries.VIEWS, queries.COLUMNS, queries.INDEXES.format(expression="null"), queries.FOREIGN_KEYS, _CHECKS,
           queries.PARTITIONS, queries.TRIGGERS, queries.ROUTINES, queries.EVENTS]  # fmt: skip
SQLITE = [
    query.replace("{only}", "")
    for query in (build.TABLES, build.COLUMNS, build.FOREIGN_KEYS, build.INDEXES, build.TRIGGERS)
]


def quiet(*_: object) -> None:
    """Take no notice of progress."""


def tables_for(platform: str) -> list[str]:
    """Word the bench schema's tables in a platform's plainest SQL."""
    file = ScriptFile("x", script_in("postgresql").encode())
    model, _ = read_scripts([file], platforms.get("postgresql").dialect, quiet, "x")
    quote = "`" if platform == "mysql" else '"'
    words = []
    for number, table in enumerate(model.tables):
        if table.kind == "view":
            continue
        name = f"{quote}{table.name[:50]}_{number}{quote}"
        columns = [f"{quote}{c.name}{quote} {_type(c.type)}{'' if c.nullable else ' not null'}" for c in table.columns]
        if table.primary_key:
            columns.append(f"primary key ({', '.join(quote + c + quote for c in table.primary_key.columns)})")
        words.append(f"create table {name} ({', '.join(columns)})")
        for at, index in enumerate(table.indexes):
            keys = [part.column for part in index.parts if part.column]
            if keys:
                words.append(
                    f"create index {quote}ix_{number}_{at}{quote} on {name} ({', '.join(quote + k + quote for k in keys)})"
                )
    return words


def _type(type_: str) -> str:
    base = type_.split("(")[0]
    known = {"bigint": "bigint", "integer": "int", "smallint": "smallint", "numeric": "decimal(14,2)", "boolean": "tinyint(1)", "date": "date",
             "double precision": "double"}  # fmt: skip
    return known.get(base, "datetime" if base.startswith("timestamp") else "varchar(60)")


def main(_: list[str]) -> None:
    """Print the comparisons."""
    started = subprocess.run(
        [ROOT / "tools" / "mariadb", "start", "test"], stdout=subprocess.PIPE, text=True, check=True
    )
    _, address, password = parse_address(started.stdout.strip())
    try:
        _fill_mariadb(address, password)
        print("MariaDB, 1,000 tables")
        compare(_cases("mysql", address, password, DATABASE, [(query, {"schemas": (DATABASE,)}) for query in MARIADB]))
    finally:
        subprocess.run([ROOT / "tools" / "mariadb", "stop", "test"], check=True)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "bench.db"
        with sqlite3.connect(path) as made:
            made.executescript(";\n".join(tables_for("sqlite")))
        made.close()
        print("SQLite, 1,000 tables")
        compare(_cases("sqlite", Address("", 0, str(path)), "", "main", [(query, {}) for query in SQLITE]))
    script = ROOT / "tests" / "core" / "scripts" / "cases" / "mysql.sql"
    print("Starting the headless command, whole process")
    compare({
        "python -c pass": lambda: subprocess.run([sys.executable, "-c", "pass"], check=True),
        "read a small script": lambda: subprocess.run(
            [sys.executable, "-m", "indexa.cli", "read", script, "-d", "mysql", "-q", "-o", os.devnull],
            check=True, env=os.environ | {"PYTHONPATH": str(ROOT / "src")},
        ),
    })  # fmt: skip


def _fill_mariadb(address: Address, password: str) -> None:
    command = [
        "mariadb",
        "--no-defaults",
        "-h",
        address.host,
        "-P",
        str(address.port),
        f"-u{address.user}",
        f"-p{password}",
    ]
    words = [
        f"drop database if exists {DATABASE}",
        f"create database {DATABASE}",
        f"use {DATABASE}",
        *tables_for("mysql"),
    ]
    subprocess.run(command, input=";\n".join(words) + ";\n", text=True, check=True)


def _cases(
    platform: str, address: Address, password: str, schema: str, asked: list[tuple[str, dict[str, object]]]
) -> dict[str, Callable[[], object]]:
    def bare() -> None:
        with open_source(platform, address, password) as opened:
            assert isinstance(opened, PlatformReading)
            for query, parameters in asked:
                list(opened._session.fetch(query, parameters))

    def whole() -> None:
        with open_source(platform, address, password) as opened:
            model, _ = opened.read(Choice((schema,)), quiet, "bench")
        assert len(model.tables) >= 900

    return {"bare catalog queries": bare, "Indexa": whole}
