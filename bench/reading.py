"""Reading 1,000 and 10,000 tables: our Model beside the bare catalog queries, and SQLAlchemy's reflection."""

from __future__ import annotations

import argparse
import json
import subprocess
import sys
from typing import Any

from bench.common import compare, peak_megabytes, schema_database
from indexa.adapters.postgresql import open_reading, parse_url
from indexa.core import platforms
from indexa.core.intake.choice import Choice
from indexa.core.model import Model

SCHEMAS = ("bill", "cust", "meter", "asset", "work", "lab", "fin", "gis", "public")


class _Recorder:
    """Passes queries on and notes them, so that the bare run asks exactly the same."""

    def __init__(self, session: Any) -> None:
        self._session, self.asked = session, []

    def begin_snapshot(self) -> None:
        self._session.begin_snapshot()

    def fetch(self, query: str, parameters: Any) -> Any:
        self.asked.append((query, parameters))
        return self._session.fetch(query, parameters)


def read(url: str) -> Model:
    where, password = parse_url(url)
    platform = platforms.get("postgresql")
    with open_reading(where, password) as session:
        return platform.read(session, Choice(schemas=SCHEMAS), lambda *_: None, "bench")[0]


def queries(url: str) -> list[tuple[str, Any]]:
    where, password = parse_url(url)
    platform = platforms.get("postgresql")
    with open_reading(where, password) as session:
        recorder = _Recorder(session)
        platform.read(recorder, Choice(schemas=SCHEMAS), lambda *_: None, "bench")
    return recorder.asked


def bare(url: str, asked: list[tuple[str, Any]]) -> list[list[tuple[Any, ...]]]:
    where, password = parse_url(url)
    with open_reading(where, password) as session:
        return [list(session.fetch(query, parameters)) for query, parameters in asked]


def reflect(url: str) -> None:
    from sqlalchemy import MetaData, create_engine

    engine = create_engine(url.replace("postgresql://", "postgresql+psycopg://"))
    metadata = MetaData()
    for found in SCHEMAS:
        metadata.reflect(engine, schema=found, views=True)
    engine.dispose()


def main(arguments: list[str]) -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--tables", type=int, nargs="*", default=[1000, 10000])
    parser.add_argument("--no-reflection", action="store_true")
    options = parser.parse_args(arguments)
    for tables in options.tables:
        url = schema_database(tables)
        asked = queries(url)
        print(f"\n**Reading {tables:,} tables**\n")
        cases: dict[str, Any] = {
            "bare queries, to tuples": lambda u=url, a=asked: bare(u, a),
            "Indexa, to a Model": lambda u=url: read(u),
        }
        compare(cases, runs=5)
        if not options.no_reflection:
            print()
            compare(
                {"Indexa, to a Model": lambda u=url: read(u), "SQLAlchemy reflect": lambda u=url: reflect(u)},
                runs=3 if tables <= 1000 else 1,
            )
        peaks = {
            kind: peak_megabytes("bench.reading", "--one", kind, str(tables)) for kind in ("nothing", "bare", "read")
        }
        print(
            f"\npeak MB: {', '.join(f'{kind} {peak:.0f}' for kind, peak in peaks.items())}; "
            f"ratio {peaks['read'] / peaks['bare']:.2f}"
        )


def _asked_elsewhere(tables: str) -> list[tuple[str, Any]]:
    """Learn in a process of its own what is asked, so that its memory is not counted."""
    command = [sys.executable, "-m", "bench.reading", "--one", "asked", tables]
    text = subprocess.run(command, stdout=subprocess.PIPE, check=True)
    return [(query, parameters) for query, parameters in json.loads(text.stdout)]


if __name__ == "__main__" and sys.argv[1:2] == ["--one"]:
    _, _, kind, count = sys.argv
    target = schema_database(int(count))
    if kind == "asked":
        print(json.dumps(queries(target)))
    elif kind == "bare":
        rows = bare(target, _asked_elsewhere(count))
    elif kind == "read":
        model = read(target)
