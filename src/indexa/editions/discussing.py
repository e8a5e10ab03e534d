"""What changed in an edition, and what of it names things left out: each with the object concerned, where it is discussed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

import msgspec
from django.db.models import Count
from django.urls import reverse

from indexa.areas.models import Area
from indexa.core.edition.book import Book
from indexa.core.edition.facts import Difference
from indexa.core.edition.mentions import Mention
from indexa.reviewing.models import Comment
from indexa.store.models import StoredTable


class Concerned(NamedTuple):
    """A difference with the address of its table or column, "" where it has none any more, and its comments."""

    difference: Difference
    address: str = ""
    comments: int = 0


def with_objects(area: Area, book: Book, found: Sequence[Difference]) -> list[Concerned]:
    """Return differences with the objects they concern, and what was said of these, in three queries."""
    wanted = {one.path for one in found if one.path}
    pages = {page.path: page.table for page in book.pages if page.path in wanted}
    tables = {path: int(table.id[1:]) for path, table in pages.items()}
    columns = {(path, one.name): int(one.id[1:]) for path, table in pages.items() for one in table.columns}
    there = set(
        StoredTable.objects.filter(pk__in=tables.values(), model__area=area, removed_at__isnull=True).values_list(
            "pk", flat=True
        )
    )
    said: dict[tuple[str, int], int] = {}
    for target, ids in (("table", list(tables.values())), ("column", list(columns.values()))):
        counted = Comment.objects.filter(area=area, target=target, object_id__in=ids).order_by()
        said |= {
            (target, row["object_id"]): row["count"] for row in counted.values("object_id").annotate(count=Count("pk"))
        }

    def concerned(one: Difference) -> Concerned:
        table = tables.get(one.path)
        if table not in there or table is None:
            return Concerned(one)
        address = reverse("modeling:table", args=[area.slug, table])
        column = columns.get((one.path, one.column)) if one.object == "column" else None
        if column is not None:
            return Concerned(one, f"{address}?column={column}", said.get(("column", column), 0))
        return Concerned(one, address, said.get(("table", table), 0))

    return [concerned(one) for one in found]


def with_addresses(area: Area, kept: Iterable[Any]) -> list[tuple[Mention, str]]:
    """Return texts that name something left out, as they were kept, with the address where each is changed, "" for none."""
    found = []
    for one in msgspec.convert(list(kept), list[Mention]):
        address = reverse("modeling:table", args=[area.slug, one.table]) if one.table else ""
        found.append((one, f"{address}?column={one.column}" if one.column else address))
    return found
