"""A dictionary as Markdown: a section a table, a line a column."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby

from indexa.core.dictionary.entry import Entry

_COLUMNS = ("#", "Key", "Column", "Business name", "Type", "Null", "References", "Definition")


def escape(text: str) -> str:
    """Keep text within one table cell and free of markup; its lines stay lines."""
    for sign in "\\|`*_<>[]":
        text = text.replace(sign, "\\" + sign)
    return "<br>".join(" ".join(line.split()) for line in text.strip().splitlines())


def code(text: str) -> str:
    """Return a machine name as code, within one table cell."""
    # A code span can't hold a pipe inside a table unless it is escaped, nor its own fence.
    return "`" + text.replace("`", "'").replace("|", "\\|") + "`"


def pieces(entries: Iterable[Entry], title: str, subtitle: str, more: Sequence[str] = ()) -> Iterator[bytes]:
    """Yield the file a table at a time; entries must come table by table to be grouped.

    `more` are headings of what else entries hold.
    """
    columns = (*_COLUMNS, *map(escape, more))
    yield f"# {escape(title)}\n\n{escape(subtitle)}\n".encode()
    for (model, schema, table, business_name, definition), of_table in groupby(
        entries, key=lambda e: (e.model, e.schema, e.table, e.table_business_name, e.table_definition)
    ):
        name = f"{schema}.{table}" if schema else table
        words = f" {escape(business_name)}" if business_name else ""
        lines = [f"\n## {code(name)}{words}\n", f"Model {escape(model)}\n"]
        if definition:
            lines.append(f"{escape(definition)}\n")
        lines.append("| " + " | ".join(columns) + " |")
        lines.append("|" + "---|" * len(columns))
        for entry in of_table:
            cells = (
                str(entry.position),
                entry.role_text,
                code(entry.column),
                escape(entry.business_name),
                code(entry.type),
                "yes" if entry.nullable else "no",
                escape(entry.references),
                escape(entry.definition) or (f"(comment) {escape(entry.comment)}" if entry.comment else ""),
                *map(escape, entry.more),
            )
            lines.append("| " + " | ".join(cells) + " |")
        yield ("\n".join(lines) + "\n").encode()
