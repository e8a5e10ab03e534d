"""What an edition tells beside columns, as rows: relationships, terms, rules, codes, changes, steps of change scripts."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from indexa.core.edition.book import Book
from indexa.core.edition.facts import Difference

Row = tuple[str, ...]


class Sheet(NamedTuple):
    """Rows of one kind under their headings; `file` is what they are called as a file, without its ending."""

    name: str
    file: str
    headings: Row
    rows: Sequence[Row]


def sheets_of(book: Book, changes: Sequence[Difference]) -> list[Sheet]:
    """Return a sheet for each kind that the edition holds."""
    codes = [
        (one.name, code.code, code.meaning, "yes" if code.retired else "no") for one in book.lists for code in one.codes
    ]
    found = [
        Sheet(
            "Relationships", "relationships",
            ("Model", "Table", "Columns", "Referenced table", "Referenced columns", "Kind", "Declared"),
            list(_relationships(book)),
        ),
        Sheet(
            "Terms", "terms", ("Term", "Definition", "Synonyms", "Broader", "Owner", "Columns"),
            [
                (one.name, one.definition, ", ".join(one.synonyms), one.broader, one.owner, ", ".join(one.columns))
                for one in book.terms
            ],
        ),
        Sheet(
            "Business rules", "rules", ("Rule", "What must hold", "Why"),
            [(one.name, one.definition, one.reason) for one in book.rules],
        ),
        Sheet("Code lists", "codes", ("List", "Code", "Meaning", "Retired"), codes),
        Sheet(
            "Naming findings", "findings", ("Model", "Name", "Rule", "Severity", "Why", "Should be"),
            [(one.model, one.place, one.rule, one.severity, one.why, one.should) for one in book.findings],
        ),
        Sheet("What changed", "changes", ("What", "Kind", "Name", "Field", "Before", "Now"), list(_changes(changes))),
        Sheet(
            "Change scripts", "scripts", ("Script", "Step", "Risk", "Statements"),
            [(script.title, step.what, step.risk, step.text) for script in book.scripts for step in script.steps],
        ),
    ]  # fmt: skip
    return [one for one in found if one.rows]


def _relationships(book: Book) -> Iterator[Row]:
    for page in book.pages:
        for key, means, _ in page.refers:
            target = f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table
            yield (
                page.model.name, page.table.full_name, ", ".join(key.columns), target, ", ".join(key.ref_columns),
                "identifying" if means.identifying else "non-identifying",
                "asserted by a person" if key.asserted else "in the database",
            )  # fmt: skip


def _changes(changes: Sequence[Difference]) -> Iterator[Row]:
    for one in changes:
        for field in one.fields or (None,):
            yield one.kind, one.label, one.name, *((field.field, field.before, field.after) if field else ("", "", ""))
