"""Where a table or column appears: each app tells of its own places, in a module `panels`; the margin lists them with the way there."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from django.http import HttpRequest
from django.urls import reverse

from indexa.core.model import VIEW_KINDS
from indexa.store.models import StoredColumn, StoredIndex, StoredKey, StoredRelationship, StoredTable

MOST = 15
"""Places of one kind that are told."""


class Use(NamedTuple):
    """A place where something appears: what it is called, its address, and how it appears there."""

    name: str
    address: str
    how: str
    is_machine_name: bool = True


Uses = Callable[[HttpRequest, StoredTable, StoredColumn | None], Iterable[Use]]
"""Returns the places of a table, or of one of its columns."""
_found: dict[str, tuple[int, Uses]] = {}


def uses(*, order: int) -> Callable[[Uses], Uses]:
    """Register a function that tells of places; they are listed in the order of their functions."""

    def register(function: Uses) -> Uses:
        _found[f"{function.__module__}.{function.__qualname__}"] = order, function
        return function

    return register


def all_uses(request: HttpRequest, table: StoredTable, column: StoredColumn | None = None) -> list[Use]:
    """Return every place that is known of a table or column."""
    ordered = sorted(_found.values(), key=lambda one: one[0])
    return [use for _, function in ordered for use in function(request, table, column)]


def table_address(request: HttpRequest, table: StoredTable, part: str = "") -> str:
    """Return the page of a table, at one of its parts."""
    area = request.area  # type: ignore[attr-defined]
    return reverse("modeling:table", args=[area.slug, table.pk]) + (f"#{part}" if part else "")


@uses(order=10)
def in_structure(request: HttpRequest, table: StoredTable, column: StoredColumn | None) -> Iterator[Use]:
    """Tell of keys, indexes and foreign keys, and of tables that refer to it."""
    incoming = StoredRelationship.objects.filter(ref_table=table, table__removed_at__isnull=True)
    if column is not None:
        for key in StoredKey.objects.filter(table=table, column_ids__contains=[column.pk])[:MOST]:
            yield Use(
                key.name or "key",
                table_address(request, table, "keys"),
                f"{key.get_kind_display().lower()} of its table",
            )
        for index in StoredIndex.objects.filter(table=table)[:MOST]:
            if column.name in str(index.properties):
                yield Use(index.name, table_address(request, table, "indexes"), "index of its table")
        for own in StoredRelationship.objects.filter(table=table, column_ids__contains=[column.pk])[:MOST]:
            yield Use(own.name or "relationship", table_address(request, table), "foreign key of its table")
        incoming = incoming.filter(ref_column_ids__contains=[column.pk])
    for one in incoming.select_related("table")[:MOST]:
        yield Use(one.table.full_name, table_address(request, one.table), "references it")


@uses(order=20)
def in_models(request: HttpRequest, table: StoredTable, column: StoredColumn | None) -> Iterator[Use]:
    """Tell of what implements the same entity or attribute, and of that itself."""
    if column is None:
        shared = table.entity_id
        tables = StoredTable.objects.filter(entity=shared or table.pk, removed_at__isnull=True).exclude(pk=table.pk)
        if table.entity is not None:
            yield Use(table.entity.full_name, table_address(request, table.entity), "the entity it implements")
        for same in tables.select_related("model")[:MOST]:
            yield Use(same.full_name, table_address(request, same), f"{same.model.name}, same entity")
        return
    if column.attribute is not None:
        above = column.attribute
        yield Use(
            f"{above.table.full_name}.{above.name}", _column_address(request, above), "the attribute it implements"
        )
    columns = StoredColumn.objects.filter(attribute=column.attribute_id or column.pk, removed_at__isnull=True)
    for other in columns.exclude(pk=column.pk).select_related("table__model")[:MOST]:
        name = f"{other.table.full_name}.{other.name}"
        yield Use(name, _column_address(request, other), f"{other.table.model.name}, same attribute")


def _column_address(request: HttpRequest, column: StoredColumn) -> str:
    return f"{table_address(request, column.table)}?column={column.pk}"


@uses(order=30)
def in_views(request: HttpRequest, table: StoredTable, column: StoredColumn | None) -> Iterator[Use]:
    """Tell of views whose query names the table (and the column)."""
    views = StoredTable.objects.filter(model=table.model_id, kind__in=VIEW_KINDS, removed_at__isnull=True)
    views = views.exclude(pk=table.pk).filter(definition_sql__iregex=_as_word(table.name))
    if column is not None:
        views = views.filter(definition_sql__iregex=_as_word(column.name))
    for view in views[:MOST]:
        yield Use(
            view.full_name,
            table_address(request, view),
            "view that reads it" if column is None else "view that names it",
        )


def _as_word(name: str) -> str:
    escaped = "".join(sign if sign.isalnum() or sign == "_" else f"\\{sign}" for sign in name)
    return rf"(^|\W){escaped}(\W|$)"
