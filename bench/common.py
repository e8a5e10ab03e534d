"""Side-by-side timing: cases run in turn, so that a drift of the machine touches all alike."""

from __future__ import annotations

import gc
import os
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar
from urllib.parse import urlsplit

import psycopg

T = TypeVar("T")


def address(database: str) -> str:
    """Return the URL of another database on the benchmark cluster."""
    return urlsplit(os.environ["INDEXA_DATABASE_URL"])._replace(path=f"/{database}").geturl()


def schema_database(tables: int) -> str:
    """Return the URL of a database with a made-up schema of so many tables; make it the first time."""
    name = f"bench_{tables}"
    with psycopg.connect(address("postgres"), autocommit=True) as server:
        if server.execute("select 1 from pg_database where datname = %s", [name]).fetchone():
            return address(name)
        server.execute(f'create database "{name}"')
    print(f"making {name}", file=sys.stderr)
    script = subprocess.run(
        [sys.executable, str(Path(__file__).parent / "schemas.py"), str(tables)],
        stdout=subprocess.PIPE,
        check=True,
    )
    with psycopg.connect(address(name), autocommit=True) as database:
        for statement in script.stdout.decode().split(";\n"):
            if statement.strip():
                database.execute(statement.encode())
        database.execute("analyze")
    return address(name)


def peak_megabytes(module: str, *arguments: str) -> float:
    """Run `python -m module arguments` and return the most memory it held."""
    # Not getrusage: what it says of a new process begins with what its parent held.
    code = (
        "import runpy, sys; sys.argv[:1] = []; runpy.run_module(sys.argv[0], run_name='__main__'); "
        "print([int(line.split()[1]) / 1024 for line in open('/proc/self/status') if line.startswith('VmHWM')][0])"
    )
    root = Path(__file__).resolve().parent.parent
    done = subprocess.run(
        [sys.executable, "-c", code, module, *arguments], cwd=root, stdout=subprocess.PIPE, check=True, text=True,
        env=os.environ | {"PYTHONPATH": f"{root / 'src'}:{root}", "DJANGO_SETTINGS_MODULE": "indexa.config.settings.base"},
    )  # fmt: skip
    return float(done.stdout.strip().splitlines()[-1])


def compare(cases: dict[str, Callable[[], object]], runs: int = 3) -> dict[str, list[float]]:
    """Time cases in turn and print a table; the first is what the others are measured against."""
    seconds: dict[str, list[float]] = {name: [] for name in cases}
    for _ in range(runs):
        for name, case in cases.items():
            gc.collect()
            began = time.perf_counter()
            case()
            seconds[name].append(time.perf_counter() - began)
    first = next(iter(cases))
    print("| case | median s | min to max | ratio |\n|---|---|---|---|")
    for name, taken in seconds.items():
        ratio = statistics.median(a / b for a, b in zip(taken, seconds[first], strict=True))
        print(f"| {name} | {statistics.median(taken):.2f} | {min(taken):.2f} to {max(taken):.2f} | {ratio:.2f} |")
    return seconds


def timed(work: Callable[[], T]) -> tuple[T, float]:
    """Return what work returns, and how many seconds it took."""
    began = time.perf_counter()
    result = work()
    return result, time.perf_counter() - began
