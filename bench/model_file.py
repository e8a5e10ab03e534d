"""Writing and reading the model file of 10,000 tables, beside msgspec's bare records of the same size."""

from __future__ import annotations

import msgspec

from bench.common import compare, schema_database
from bench.reading import read
from indexa.core.model import file


class _Record(msgspec.Struct):
    """As many plain members as a column has, nothing else."""

    name: str
    position: int
    type: str
    nullable: bool
    comment: str
    origin: str


def main(arguments: list[str]) -> None:
    model = read(schema_database(10000))
    content = file.write(model)
    records = [
        _Record(c.name, c.position, c.type, c.nullable, c.comment, c.origin) for t in model.tables for c in t.columns
    ]
    # The bare file is filled up to the model file's size with more of the same records.
    plain = msgspec.json.encode(records)
    records = (records * (len(content) // len(plain) + 1))[: len(records) * len(content) // len(plain)]
    plain = msgspec.json.encode(records)
    print(f"\n**Model file of {len(content) / 1e6:.0f} MB, bare records of {len(plain) / 1e6:.0f} MB**\n")
    compare(
        {
            "bare records, written": lambda: msgspec.json.encode(records),
            "model file, written": lambda: file.write(model),
        },
        runs=5,
    )
    print()
    compare(
        {
            "bare records, read": lambda: msgspec.json.decode(plain, type=list[_Record]),
            "model file, read": lambda: file.read(content),
        },
        runs=5,
    )
