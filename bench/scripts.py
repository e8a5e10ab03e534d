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
from typing import TYPE_CHECKING

from bench.common import compare, peak_megabytes
from indexa.core import platforms
from indexa.core.scripts.reader import ScriptFile, read_scripts

if TYPE_CHECKING:
    from sqlglot.expressions import Expression

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
    """Return the 1,000-table script in a dialect, as the general parser words it and people write it.

    Descriptions are extended properties on SQL Server and stand beside the columns on MySQL; no index is over an
    expression that only imitates another platform's place for nulls.
    """
    import sqlglot
    from sqlglot import exp

    if dialect == "postgresql":
        return _script()
    ends = "\nGO\n" if dialect == "sqlserver" else ";\n"
    words = []
    trees = [tree for tree in sqlglot.parse(_script(), read="postgres", error_level=sqlglot.ErrorLevel.IGNORE) if tree]
    if dialect == "mysql":
        trees = with_comments_inline(trees)
    for tree in trees:
        for ordered in tree.find_all(exp.Ordered):
            ordered.set("nulls_first", dialect != "oracle")
        described = isinstance(tree, exp.Comment) and dialect == "sqlserver"
        words.append(extended_property(tree) if described else tree.sql(TARGETS[dialect]))
    return ends.join(words) + ends


_COLUMN_LINE = re.compile(r"^ {2,}[^\n]*,$", re.M)


def with_remarks(text: str) -> str:
    """Put a line comment of its own behind every line that ends with a comma: what people write beside their columns."""
    count = 0

    def said(line: re.Match[str]) -> str:
        nonlocal count
        count += 1
        return f"{line[0]} -- number {count} of what the crews wrote down"

    return _COLUMN_LINE.sub(said, text)


def with_comments_inline(trees: list[Expression]) -> list[Expression]:
    """Put the comments of columns beside them, where MySQL has them, and leave out the statements."""
    from sqlglot import exp

    message = {
        tuple(part.name for part in tree.this.parts): tree.expression for tree in trees if isinstance(tree, exp.Comment)
    }
    for tree in trees:
        if not isinstance(tree, exp.Create) or not isinstance(tree.this, exp.Schema):
            continue
        for column in tree.this.find_all(exp.ColumnDef):
            comment = message.get((*(part.name for part in tree.this.this.parts), column.name))
            if comment is not None:
                kind = exp.CommentColumnConstraint(this=comment.copy())
                column.append("constraints", exp.ColumnConstraint(kind=kind))
    return [tree for tree in trees if not isinstance(tree, exp.Comment)]


def extended_property(comment: Expression) -> str:
    """Word a comment on a table or column as SQL Server's tools do."""
    names = [part.name for part in comment.this.parts]
    levels = zip((("SCHEMA", 0), ("TABLE", 1), ("COLUMN", 2)), names, strict=False)
    where = ", ".join(f"@level{number}type=N'{kind}',@level{number}name=N'{name}'" for (kind, number), name in levels)
    value = comment.expression.name.replace("'", "''")
    return f"EXEC sys.sp_addextendedproperty @name=N'MS_Description', @value=N'{value}' , {where}"


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
    """Parse the script with the compiled general parser, which drops what stands behind GO: it is given semicolons."""
    import sqlglot

    text = text.replace("\nGO\n", ";\n")
    return len(sqlglot.parse(text, read=TARGETS[dialect], error_level=sqlglot.ErrorLevel.IGNORE))


def dump(path: Path, megabytes: int) -> None:
    """Write a dump with rows: every table of the script, then inserts and a block of COPY until the size is reached."""
    row = "(1234567,'It''s a line; with -- all that','2026-01-01 12:00:00',NULL,3.1415,'" + "x" * 60 + "'),\n"
    with path.open("w") as file:
        file.write(_script())
        while file.tell() < megabytes * 1_000_000:
            file.write("INSERT INTO sales.acct VALUES\n" + row * 2000 + row[:-2] + ";\n")
            file.write("COPY sales.acct (a, b) FROM stdin;\n" + "12345\tIt's; a line\t\\N\t3.14\n" * 5000 + "\\.\n")


def script_of_changes(tables: int) -> str:
    """Return a script that makes so many tables and changes each: three columns, a key, a name, an index, a view that follows."""
    made = []
    for number in range(tables):
        name = f"t{number}"
        made += [
            f"CREATE TABLE {name} (id serial PRIMARY KEY, a integer, b text)",
            f"CREATE INDEX {name}_a ON {name} (a)",
            f"CREATE VIEW {name}_v AS SELECT id, a FROM {name}",
            f"ALTER TABLE {name} ADD COLUMN c integer REFERENCES t{number // 2} (id), DROP COLUMN b",
            f"ALTER TABLE {name} RENAME COLUMN a TO d",
            f"ALTER TABLE {name} RENAME TO {name}_now"
            if number % 10 == 9
            else f"ALTER TABLE {name} ALTER d SET NOT NULL",
        ]
    return ";\n".join(made) + ";\n"


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
    remarked = with_remarks(script_in("postgresql"))
    print(f"postgresql with a line comment beside every column: {len(remarked) / 1e6:.1f} MB")
    compare({"one expression, one pass": lambda: one_pass(remarked), "Indexa": lambda: ours(remarked, "postgresql")})
    few, many = script_of_changes(1_000), script_of_changes(10_000)
    seconds = []
    for text in (few, many):
        started = time.perf_counter()
        ours(text, "postgresql")
        seconds.append(time.perf_counter() - started)
    print(
        f"60,000 statements that change 10,000 tables: {seconds[1]:.1f} s, {seconds[1] / seconds[0]:.1f} times a tenth of them"
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
