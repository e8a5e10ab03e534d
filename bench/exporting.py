"""A spreadsheet of 200,000 columns beside CSV of the same, and the memory it takes."""

from __future__ import annotations

import argparse
import datetime as dt
import io
import sys
import tempfile
from collections.abc import Iterator

from bench.common import compare, peak_megabytes
from bench.schemas import build
from indexa.core.dictionary.entry import Entry
from indexa.core.render import csv_file, xlsx


def entries(count: int) -> Iterator[Entry]:
    tables = build(1000)
    made = 0
    while made < count:
        for table in tables:
            for position, column in enumerate(table.columns, 1):
                made += 1
                yield Entry(
                    "bench", table.schema, f"{table.name}_{made // 20_000}", "", "table", position,
                    1 if column.name in table.pk else 0, column.name, column.logical, column.type, column.nullable,
                    column.comment or "", "",
                )  # fmt: skip
                if made == count:
                    return


def spreadsheet(count: int) -> None:
    cover = xlsx.Cover("Bench", "Bench", dt.datetime(2026, 1, 1, tzinfo=dt.UTC))
    with tempfile.TemporaryFile() as stream:
        xlsx.write(stream, entries(count), cover)


def csv(count: int) -> None:
    sink = io.BytesIO()
    sink.writelines(csv_file.pieces(entries(count)))


def main(arguments: list[str]) -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--rows", type=int, default=200_000)
    options = parser.parse_args(arguments)
    print(f"\n**{options.rows:,} rows of 13 cells**\n")
    compare({"CSV": lambda: csv(options.rows), "XLSX": lambda: spreadsheet(options.rows)}, runs=1)
    print(f"\npeak MB of the XLSX: {peak_megabytes('bench.exporting', '--one', str(options.rows)):.0f}")


if __name__ == "__main__" and sys.argv[1:2] == ["--one"]:
    spreadsheet(int(sys.argv[2]))
