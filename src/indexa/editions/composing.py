"""What an edition holds beside models: own text that names objects, what is left out by class, and templates that keep all choices."""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from typing import Any

from django.db import IntegrityError, connection, transaction
from django.http import QueryDict

from indexa.areas.models import Area
from indexa.core.edition.starters import STARTERS
from indexa.describing.models import Aspect
from indexa.dictionary.forms import read_query
from indexa.dictionary.models import SavedView
from indexa.dictionary.search import tables_found
from indexa.editions.choices import Choices
from indexa.editions.models import EditionTemplate
from indexa.editions.services import EditionError
from indexa.store.models import StoredColumn, StoredTable

LONGEST_TEXT = 60_000
_TYPED = re.compile(r"\[\[([^\]\[|\n]{1,400})\]\]")
_KEPT = re.compile(r"\[\[([tc])(\d{1,18})\|([^\]\n]*)\]\]")


def keep_names(area: Area, text: str) -> str:
    """Return a text in which names as typed, [[bill.inv]] or [[bill.inv.amt]], stand for objects, whatever these are called later.

    Raises EditionError for a name that is none, or stands for several models' tables.
    """
    text = text.replace("\r\n", "\n").replace("\x00", "")
    if len(text) > LONGEST_TEXT:
        raise EditionError(f"The text has {len(text):,} characters; {LONGEST_TEXT:,} are kept.")

    def kept(match: re.Match[str]) -> str:
        name = match[1].strip()
        tables = StoredTable.objects.filter(model__area=area, model__layer="physical", removed_at__isnull=True)
        schema, _, table = name.rpartition(".")
        found: list[Any] = list(tables.filter(schema=schema, name=table)[:2])
        sign = "t"
        if not found:
            place, _, column = name.rpartition(".")
            schema, _, table = place.rpartition(".")
            columns = StoredColumn.objects.filter(table__in=tables.filter(schema=schema, name=table), name=column)
            found, sign = list(columns.filter(removed_at__isnull=True)[:2]), "c"
        if len(found) != 1:
            raise EditionError(
                f"[[{name[:80]}]] is the name of {'several tables' if found else 'no table or column'} here."
            )
        return f"[[{sign}{found[0].pk}|{name}]]"

    return _TYPED.sub(kept, text)


def shown_names(text: str) -> str:
    """Return a text with its objects called as they are now, to be edited."""
    ids: dict[str, set[int]] = {"t": set(), "c": set()}
    for sign, id_, _ in _KEPT.findall(text):
        ids[sign].add(int(id_))
    names = {f"t{one.pk}": one.full_name for one in StoredTable.objects.filter(pk__in=ids["t"])}
    columns = StoredColumn.objects.filter(pk__in=ids["c"]).select_related("table")
    names |= {f"c{one.pk}": f"{one.table.full_name}.{one.name}" for one in columns}
    return _KEPT.sub(lambda match: f"[[{names.get(match[1] + match[2], match[3])}]]", text)


def without_names(text: str, gone: Collection[str]) -> str:
    """Return a kept text in which tables and columns that are left out ("t3", "c12") have no name."""
    return _KEPT.sub(lambda match: "*(left out)*" if match[1] + match[2] in gone else match[0], text)


def thresholds(area: Area) -> list[tuple[str, str]]:
    """Return what can be left out for its class: the value of the choice, and its words."""
    found = [("", "nothing")]
    aspects = Aspect.objects.filter(area=area, kind=Aspect.Kind.CLASS, type="choice").prefetch_related("values")
    for aspect in aspects:
        values = list(aspect.values.all())
        found += [(f"{aspect.pk}:{one.rank}", f"{aspect.name} above {one.name}") for one in values[:-1]]
    return found


def left_out(area: Area, threshold: str, models: Sequence[int]) -> tuple[set[int], set[int], str]:
    """Return the ids of tables and columns whose class lies above a threshold, and it in words.

    A table that has its class only from one of its columns loses that column, not itself.
    """
    words = dict(thresholds(area)).get(threshold)
    if not threshold or words is None:
        return set(), set(), ""
    aspect, _, rank = threshold.partition(":")
    tokens = [one.token for one in Aspect.objects.get(pk=aspect, area=area).values.filter(rank__gt=int(rank))]
    ids: list[set[int]] = []
    with connection.cursor() as cursor:
        for level in ("table", "column"):
            cursor.execute(
                f"select {level}_id from {level}_aspect where aspect_id = %s and value = any(%s) and model_id = any(%s) and origin <> 'raised'",  # noqa: S608  two views
                [int(aspect), tokens, list(models)],
            )
            ids.append({row[0] for row in cursor.fetchall()})
    return ids[0], ids[1], f"Left out: {words}."


def fields_of_privacy(area: Area) -> list[tuple[int, str]]:
    """Return the yes-or-no fields of an area, one of which may keep definitions from leaving it: id and name."""
    return [(0, "nothing"), *Aspect.objects.filter(area=area, type="yes or no").values_list("pk", "name")]


def kept_private(area: Area, field: int, models: Sequence[int]) -> tuple[set[str], str]:
    """Return the tables and columns ("t3", "c12") of which a field says yes, and the choice in words."""
    name = dict(fields_of_privacy(area)).get(field, "") if field else ""
    if not name:
        return set(), ""
    found: set[str] = set()
    with connection.cursor() as cursor:
        for sign, level in (("t", "table"), ("c", "column")):
            cursor.execute(
                f"select {level}_id from {level}_aspect where aspect_id = %s and value = 'yes' and model_id = any(%s)",  # noqa: S608  two views
                [field, list(models)],
            )
            found |= {f"{sign}{row[0]}" for row in cursor.fetchall()}
    return found, f"Definitions are left out where {name} is yes."


def tables_of_view(area: Area, view: int) -> set[str] | None:
    """Return the tables ("t3") in which a saved view of the dictionary finds something; None where there is no such view."""
    kept = SavedView.objects.filter(area=area, pk=view).first() if view else None
    if kept is None:
        return None
    return {f"t{pk}" for pk in tables_found(read_query(area, QueryDict(kept.address)))}


def templates(area: Area) -> list[EditionTemplate]:
    """Return the templates of an area; the starters where it has none yet."""
    if not EditionTemplate.objects.filter(area=area).exists():
        EditionTemplate.objects.bulk_create(
            [
                EditionTemplate(
                    area=area, name=one.name, purpose=one.purpose,
                    choices=Choices(contents=one.contents, text=one.text).as_template(),
                )
                for one in STARTERS
            ],
            ignore_conflicts=True,
        )  # fmt: skip
    return list(EditionTemplate.objects.filter(area=area))


def save_template(*, area: Area, name: str, purpose: str, choices: Choices) -> EditionTemplate:
    """Keep the choices of an edition under a name; one of that name gets them instead. Raises EditionError for no name."""
    name = " ".join(name.split())[:80]
    if not name:
        raise EditionError("The template needs a name.")
    try:
        with transaction.atomic():
            made, _ = EditionTemplate.objects.update_or_create(
                area=area, name=name, defaults={"purpose": purpose[:300], "choices": choices.as_template()}
            )
    except IntegrityError as error:
        raise EditionError(f"There is a template {name} already.") from error
    return made
