"""A large edition as several documents, which a person can open and a machine can set: each holds some tables, the first all else."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from indexa.core.edition.book import Book, Page


def volumes_of(book: Book, most: int) -> list[Book]:
    """Return a book as volumes of at most `most` tables, in their order; the book itself where one is enough.

    The first holds the texts, diagrams, terms and code lists, and says which tables the others hold.
    """
    if len(book.pages) <= most:
        return [book]
    pieces = [book.pages[start : start + most] for start in range(0, len(book.pages), most)]
    told = [f"Volume {number}: {_span(pages)}" for number, pages in enumerate(pieces, 1)]
    found = []
    for number, pages in enumerate(pieces, 1):
        only_tables: dict[str, list[object]] = {}
        if number > 1:
            only_tables = {
                name: []
                for name in ("plates", "terms", "rules", "lists", "sections", "scripts", "coverage", "findings")
            }
        found.append(
            msgspec.structs.replace(
                book, pages=pages, volume=f"Volume {number} of {len(pieces)}", volumes=told if number == 1 else [], **only_tables
            )
        )  # fmt: skip
    return found


def _span(pages: Sequence[Page]) -> str:
    return f"{pages[0].table.full_name} to {pages[-1].table.full_name}"
