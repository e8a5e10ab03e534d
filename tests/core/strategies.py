"""Random models for property tests."""

from __future__ import annotations

from hypothesis import strategies as st

from indexa.core.model import Check, Column, ForeignKey, Index, IndexPart, Key, Model, Table

# No NUL: neither PostgreSQL's catalogs nor its text type can hold one.
TEXTS = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\x00"), max_size=12)
NAMES = st.text("abcdefgh_XYZ é\"'", min_size=1, max_size=8)
TYPES = st.sampled_from(["bigint", "text", "numeric(12,2)", "date", "boolean", "bill.amt_t", "text[]"])


@st.composite
def tables(draw: st.DrawFn, schema: str, name: str) -> Table:
    names = draw(st.lists(NAMES, min_size=1, max_size=5, unique=True))
    columns = [
        Column(
            own,
            position,
            draw(TYPES),
            draw(st.booleans()),
            draw(st.none() | TEXTS),
            draw(TEXTS),
            origin=str(position),
        )
        for position, own in enumerate(names, 1)
    ]
    some = st.lists(st.sampled_from(names), min_size=1, max_size=3, unique=True).map(tuple)
    return Table(
        schema=schema,
        name=name,
        kind=draw(st.sampled_from(["table", "partitioned table", "foreign table"])),
        comment=draw(TEXTS),
        columns=columns,
        primary_key=draw(st.none() | st.builds(Key, name=NAMES, columns=some)),
        unique=draw(st.lists(st.builds(Key, name=NAMES, columns=some), max_size=2)),
        checks=draw(st.lists(st.builds(Check, name=NAMES, expression=TEXTS), max_size=2)),
        indexes=draw(
            st.lists(
                st.builds(
                    Index, name=NAMES, unique=st.booleans(),
                    parts=some.map(lambda columns: tuple(IndexPart(column) for column in columns)),
                ),
                max_size=2,
            )
        ),
    )  # fmt: skip


@st.composite
def models(draw: st.DrawFn) -> Model:
    names = draw(st.lists(st.tuples(st.sampled_from(["a", "b"]), NAMES), min_size=1, max_size=5, unique=True))
    made = [draw(tables(schema, name)) for schema, name in names]
    for number, table in enumerate(made):
        table.origin = str(1000 + number)
        for key in range(draw(st.integers(0, 2))):
            parent = draw(st.sampled_from(made))
            width = min(len(table.columns), len(parent.columns), 2)
            table.foreign_keys.append(
                ForeignKey(
                    name=f"fk{key}",
                    columns=tuple(column.name for column in table.columns[:width]),
                    ref_schema=parent.schema,
                    ref_table=parent.name,
                    ref_columns=tuple(column.name for column in parent.columns[:width]),
                )
            )
    return Model(name="random", platform="postgresql", tables=made)
