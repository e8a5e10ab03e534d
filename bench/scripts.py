"""Reading scripts: against one pass of one expression, against a general SQL parser, and a large dump with data."""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import time
from functools import lru_cache
from mmap import ACCESS_READ, mmap
from pathlib import Path

from bench.common import compare, peak_megabytes
from indexa.core import platforms
from indexa.core.scripts.reader import ScriptFile, read_scripts

TOKEN = re.compile(
    r"""--[^\n]*|/\*.*?\*/|\s+|'(?:[^']|'')*'|"(?:[^"]|"")*"|`[^`]*`|\[[^\]]*\]|[A-Za-z_][\w$]*|\d[\w.]*|::|<=|>=|<>|\|\||.""",
    re.S,
)
TARGETS = {"postgresql": "postgres", "mysql": "mysql", "sqlserver": "tsql", "oracle": "oracle", "teradata": "teradata"}


@lru_cache(maxsize=1)
def _script() -> str:
    made = subprocess.run(
        [sys.executable, str(Path(__file__).parent / "schemas.py"), "1000"],
        stdout=subprocess.PIPE,
        check=True,
        text=True,
    )
    return made.stdout


@lru_cache(maxsize=8)
def script_in(dialect: str) -> str:
    """Return the 1,000-table script in a dialect, as the general parser words it."""
    import sqlglot

    if dialect == "postgresql":
        return _script()
    ends = "\nGO\n" if dialect == "sqlserver" else ";\n"
    words = sqlglot.transpile(_script(), read="postgres", write=TARGETS[dialect], error_level=sqlglot.ErrorLevel.IGNORE)
    return ends.join(words) + ends


def one_pass(text: str) -> int:
    """Split the script into statements and tokens with one expression, and keep none of them."""
    tokens = statements = 0
    for found in TOKEN.finditer(text):
        token = found.group()
        if token == ";":
            statements += 1
        elif not token.isspace():
            tokens += 1
    return tokens


def ours(text: str, dialect: str) -> int:
    """Read the script into a model."""
    file = ScriptFile("bench.sql", text.encode())
    model, _ = read_scripts([file], platforms.get(dialect).dialect, lambda *_: None, "bench")
    return len(model.tables)


def general(text: str, dialect: str) -> int:
    """Parse the script with the compiled general parser."""
    import sqlglot

    return len(sqlglot.parse(text, read=TARGETS[dialect], error_level=sqlglot.ErrorLevel.IGNORE))


def dump(path: Path, megabytes: int) -> None:
    """Write a dump with rows: every table of the script, then inserts and a block of COPY until the size is reached."""
    row = "(1234567,'It''s a line; with -- all that','2026-01-01 12:00:00',NULL,3.1415,'" + "x" * 60 + "'),\n"
    with path.open("w") as file:
        file.write(_script())
        while file.tell() < megabytes * 1_000_000:
            file.write("INSERT INTO sales.acct VALUES\n" + row * 2000 + row[:-2] + ";\n")
            file.write("COPY sales.acct (a, b) FROM stdin;\n" + "12345\tIt's; a line\t\\N\t3.14\n" * 5000 + "\\.\n")


def large(path: str) -> None:
    """Read a dump of any size through a memory map."""
    with Path(path).open("rb") as file, mmap(file.fileno(), 0, access=ACCESS_READ) as content:
        model, _ = read_scripts(
            [ScriptFile(path, content)], platforms.get("postgresql").dialect, lambda *_: None, "dump"
        )
    assert len(model.tables) >= 1000


def main(_: list[str]) -> None:
    """Print the comparisons."""
    import logging

    logging.disable(logging.CRITICAL)  # the general parser warns of what it does not know
    for dialect in TARGETS:
        text = script_in(dialect)
        print(f"{dialect}: {len(text) / 1e6:.1f} MB, {ours(text, dialect)} tables and views")
        compare(
            {
                "one expression, one pass": lambda text=text: one_pass(text),
                "Indexa": lambda text=text, dialect=dialect: ours(text, dialect),
                "general parser, compiled": lambda text=text, dialect=dialect: general(text, dialect),
            }
        )
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "dump.sql"
        dump(path, 200)
        started = time.perf_counter()
        large(str(path))
        print(f"a dump of {path.stat().st_size / 1e6:.0f} MB: {time.perf_counter() - started:.1f} s")
        print(f"most memory: {peak_megabytes('bench.scripts', str(path)):.0f} MB")


if __name__ == "__main__":
    large(sys.argv[1])
