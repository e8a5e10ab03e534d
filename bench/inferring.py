"""Keys that schemas of real software declare, hidden and found again; and how long a large model takes."""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from pathlib import Path

from bench.fitting import hide
from bench.made_up_rows import said_by_made_up_rows
from bench.real_scripts import fetch, quiet
from indexa.core import platforms
from indexa.core.infer.data import DataSaid
from indexa.core.infer.proposing import propose
from indexa.core.model import Model
from indexa.core.scripts.reader import ScriptFile, read_scripts

ROOT = Path(__file__).resolve().parent.parent
# Package, the script in it, platform: scripts that declare a good part of their foreign keys.
SCHEMAS = [
    ("zabbix-server-pgsql", "schema.sql.gz", "postgresql"),
    ("icingaweb2-module-director", "schema/mysql.sql", "mysql"),
    ("roundcube-core", "mysql.initial.sql", "mysql"),
    ("glewlwyd", "database/init.mariadb.sql.gz", "mysql"),
    ("hibiscus", "mysql-create.sql", "mysql"),
    ("osmosis", "contrib/apidb_0.6.sql", "postgresql"),
    ("tt-rss", "ttrss_schema_mysql.sql", "mysql"),
    ("kea-admin", "dhcpdb_create.pgsql", "postgresql"),
    ("openqa", "001-auto.sql", "postgresql"),
    ("davical", "davical.sql", "postgresql"),
    ("goiardi", "goiardi-schema-postgres.sql", "postgresql"),
    ("pdns-backend-pgsql", "/schema.pgsql.sql", "postgresql"),
    ("gnumed-server", "gmDemographics.sql", "postgresql"),
    ("pgagent", "pgagent--4.2.sql", "postgresql"),
]
PARTS = Path(__file__).parent / "parts_read.json"
"""What a person who read these schemas holds for code tables, references by type and repeated columns."""
Score = tuple[int, int, int]
"""Right ones, proposed ones, declared ones."""


def main(arguments: list[str]) -> None:
    """Print a line a schema, the means, and the times."""
    tables = [int(one) for one in arguments] or [1000, 10_000]
    print(
        "| schema | declared | F1 | F1, no key declared | F1 with rows | keys | keys that may be empty | keys with rows |\n"
        "|---|---|---|---|---|---|---|---|"
    )
    shares: dict[str, list[float]] = defaultdict(list)
    text: list[tuple[float, bool]] = []
    parts: dict[str, list[tuple[float, bool]]] = defaultdict(list)
    with tempfile.TemporaryDirectory() as folder:
        for package, name, platform in SCHEMAS:
            content = fetch(Path(folder), package, name)
            if content is None:
                print(f"| {package} | could not be fetched ||||||")
                continue
            model, _ = read_scripts([ScriptFile(name, content)], platforms.get(platform).dialect, quiet, package)
            model.platform = platform
            names, confidences = judge(model, "foreign", None)
            bare, _ = judge(model, "all", None)
            rows, _ = judge(model, "foreign", said_by_made_up_rows(model, hide(model, "foreign")))
            keys = keys_found(model, None)
            loose = keys_found(model, None, "loose")
            keys_with_rows = keys_found(model, said_by_made_up_rows(model, hide(model, "all")))
            text += confidences
            for part, confidence, right in parts_told(model, package):
                parts[part].append((confidence, right))
            for kind, value in (
                ("names", f1(names)),
                ("no keys", f1(bare)),
                ("rows", f1(rows)),
                ("keys", keys[0] / max(1, keys[1])),
                ("keys that may be empty", loose[0] / max(1, loose[1])),
                ("keys with rows", keys_with_rows[0] / max(1, keys_with_rows[1])),
            ):
                shares[kind].append(value)
            print(
                f"| {package} | {names[2]} | {f1(names):.2f} | {f1(bare):.2f} | {f1(rows):.2f} | {keys[0]} of {keys[1]} "
                f"| {loose[0]} | {keys_with_rows[0]} |"
            )
    print("means:", {kind: round(sum(values) / len(values), 3) for kind, values in shares.items()})
    for low, high in ((0.5, 0.7), (0.7, 0.8), (0.8, 0.9), (0.9, 1.0), (0.8, 1.0)):
        part = [right for value, right in text if low <= value < high]
        print(f"told at {low} to {high}: {sum(part)} of {len(part)} right")
    for part, found in sorted(parts.items()):
        expected = sum(confidence for confidence, _ in found)
        print(
            f"{part}: {len(found)} told, {expected:.1f} of them right by their confidence, {sum(right for _, right in found)} as read"
        )
    for count in tables:
        large(count)


def f1(score: Score) -> float:
    """Return the harmonic mean of precision and recall."""
    return 2 * score[0] / max(1, score[1] + score[2])


def wanted_of(model: Model) -> set[tuple[str, frozenset[str], str]]:
    """Return the foreign keys that a model declares to tables that it holds."""
    there = {table.full_name.lower() for table in model.tables}
    return {
        (table.full_name.lower(), frozenset(c.lower() for c in key.columns), ref)
        for table in model.tables
        for key in table.foreign_keys
        if (ref := (f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table).lower()) in there
    }


def judge(model: Model, what: str, data: DataSaid | None) -> tuple[Score, list[tuple[float, bool]]]:
    """Hide the keys, propose, and compare; also each proposal's confidence and whether it is right."""
    wanted, found, judged = wanted_of(model), set(), []
    for one in propose(hide(model, what), data=data):
        if one.kind == "foreign_key":
            ref = f"{one.ref_schema}.{one.ref_table}" if one.ref_schema else one.ref_table
            key = (one.full_name.lower(), frozenset(c.lower() for c in one.columns), ref.lower())
            judged.append((one.confidence, key in wanted))
            if one.confidence >= 0.5:
                found.add(key)
    return (len(found & wanted), len(found), len(wanted)), judged


def parts_told(model: Model, package: str) -> list[tuple[str, float, bool]]:
    """Return each part that is proposed where keys are declared, its confidence, and whether a person who reads it agrees."""
    read = json.loads(PARTS.read_text()).get(package, {})
    return [
        (
            one.kind,
            one.confidence,
            (one.table if one.kind == "code_table" else f"{one.table}.{one.columns[0]}") in read.get(one.kind, ()),
        )
        for one in propose(model)
        if one.kind in ("code_table", "typed_reference", "repeated_column")
    ]


def keys_found(model: Model, data: DataSaid | None, what: str = "all") -> tuple[int, int]:
    """Hide the primary and unique keys; return how many are the likeliest proposal, and how many there are."""
    declared = {table.full_name: frozenset(table.primary_key.columns) for table in model.tables if table.primary_key}
    found = {
        one.full_name: frozenset(one.columns)
        for one in propose(hide(model, what), data=data)
        if one.kind == "primary_key"
    }
    return sum(found.get(name) == columns for name, columns in declared.items()), len(declared)


def large(count: int) -> None:
    """Propose for a made-up schema of so many tables."""
    script = subprocess.run(
        [sys.executable, str(ROOT / "bench" / "schemas.py"), str(count)], stdout=subprocess.PIPE, check=True
    )
    model, _ = read_scripts([ScriptFile("s", script.stdout)], platforms.get("postgresql").dialect, quiet, "s")
    model.platform = "postgresql"
    hidden = hide(model, "foreign")
    began = time.perf_counter()
    found = propose(hidden)
    seconds = time.perf_counter() - began
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"{len(model.tables):,} tables: {len(found):,} proposals in {seconds:.1f} s, peak {peak:,.0f} MB")
