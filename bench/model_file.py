"""Writing and reading the model file of 10,000 tables, beside msgspec's bare records of the same size."""

from __future__ import annotations

import msgspec

from bench.common import compare, schema_database
from bench.reading import read
from indexa.core.model import Column, file

_FIELDS = [(field.name, field.type, field.default) for field in msgspec.structs.fields(Column)]
_REQUIRED = [(name, type_) for name, type_, default in _FIELDS if default is msgspec.NODEFAULT]
_OPTIONAL = [field for field in _FIELDS if field[2] is not msgspec.NODEFAULT]
# A record with the members of a column and nothing around it.
_Record = msgspec.defstruct("Record", [*_REQUIRED, *_OPTIONAL], omit_defaults=True, gc=False)


def main(arguments: list[str]) -> None:
    model = read(schema_database(10000))
    content = file.write(model)
    records = [_Record(*msgspec.structs.astuple(column)) for table in model.tables for column in table.columns]
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
