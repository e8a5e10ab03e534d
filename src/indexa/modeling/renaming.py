"""Giving tables, columns, keys, indexes, checks and sequences of a model other names: each time one change set.

Only the model changes; the source keeps its name beside it (`source_name`, or the properties of a part) until it is made to
follow. What a name stands in (keys, relationships, indexes, checks) follows by itself, since it is kept by ids.
"""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import nullcontext
from dataclasses import dataclass

from django.db import connection, transaction
from django.db.backends.utils import CursorWrapper

from indexa.areas.models import Area, Person
from indexa.changes.models import ChangeSet
from indexa.changes.recording import Recorder, record
from indexa.store.errors import EditError
from indexa.store.locks import try_for_editing

LONGEST = 200
OWN_NAME = "own name"
"""Field of a change in which a person's name of a table or column gave way to the source's."""
_FULL = "case when t.schema = '' then t.name else t.schema || '.' || t.name end"


@dataclass(frozen=True, slots=True)
class _Target:
    """How a kind of object is found: the label of its change, its join to a table and a model, and what its name must differ in."""

    label: str
    joins: str
    scope: str
    parks: str = ""
    """What keeps the source's name when another one is given; "" where the properties do."""


_OF_TABLE = "join model_table t on t.id = o.table_id join model m on m.id = t.model_id"
_SOURCE_NAME = "coalesce(nullif(o.source_name, ''), o.name)"
_READ_AS = f", source_name = case when v.after = {_SOURCE_NAME} then '' else {_SOURCE_NAME} end"
TARGETS = {
    "table": _Target(
        _FULL.replace("t.", "o."), "join model m on m.id = o.model_id", "o.model_id::text || ' ' || o.schema", _READ_AS
    ),
    "column": _Target(f"{_FULL} || '.' || o.name", _OF_TABLE, "o.table_id::text", _READ_AS),
    "key": _Target(f"{_FULL} || '.' || o.name", _OF_TABLE, "o.table_id::text"),
    "relationship": _Target(f"{_FULL} || '.' || o.name", _OF_TABLE, "o.table_id::text"),
    "index": _Target(f"{_FULL} || '.' || o.name", _OF_TABLE, "t.model_id::text || ' ' || t.schema"),
    "check": _Target(f"{_FULL} || '.' || o.name", _OF_TABLE, "o.table_id::text"),
    "object": _Target(
        "o.schema || '.' || o.name",
        "join model m on m.id = o.model_id",
        "o.model_id::text || ' ' || o.kind || o.schema",
    ),
}
"""By the target of a change. Whether a name is free is asked without regard to capitals, as most platforms see it."""
_ALIVE = {"table": "o.removed_at is null", "column": "o.removed_at is null"}


@dataclass(frozen=True, slots=True)
class Renamed:
    """What a renaming did: its change set (None where nothing changed), how many names, and the places whose name was taken."""

    change_set: ChangeSet | None
    count: int
    taken: list[tuple[str, str]]
    """Place and the name that something else there has already."""


@transaction.atomic
def rename_many(
    *,
    area: Area,
    person: Person,
    model_id: int,
    why: str,
    names: Iterable[tuple[str, int, str, str]],
    into: Recorder | None = None,
) -> Renamed:
    """Give many objects of a model other names, as one change set.

    `names` are target, id, the name that was seen, and the new one. What belongs elsewhere, has got another name since, or would
    take a name that something else keeps is left as it is; the last of these are reported. Two that change names with each other do.
    `into` are changes to go on with, of other objects.
    Raises EditError while the model is being read.
    """
    if not try_for_editing(model_id):
        raise EditError(
            "The model is being read again at this moment. Nothing was changed: try again in half a minute."
        )
    wanted = [row for row in names if row[2] != row[3] and 0 < len(row[3]) <= LONGEST]
    opened = nullcontext(into) if into else record(area=area, person=person, why=why, model_id=model_id)
    taken: list[tuple[str, str]] = []
    count = 0
    with opened as changes, connection.cursor() as cursor:
        cursor.execute(
            "create temporary table renaming (target text, id bigint, before text, after text) on commit drop"
        )
        with cursor.cursor.copy("copy renaming (target, id, before, after) from stdin") as copy:
            for row in wanted:
                copy.write_row(row)
        cursor.execute("analyze renaming")
        for target, how in TARGETS.items():
            cursor.execute(
                f"delete from renaming v using model_{target} x where v.target = %s and x.id = v.id and (x.name <> v.before "
                f"or not exists (select 1 from model_{target} o {how.joins} where o.id = x.id and m.area_id = %s and m.id = %s))",
                [target, area.pk, model_id],
            )
            taken += _drop_taken(cursor, target)
            cursor.execute(
                "insert into change (change_set_id, target, object_id, label, field, before, after) "
                f"select %s, v.target, o.id, {how.label}, 'name', to_jsonb(o.name), to_jsonb(v.after) from renaming v "
                f"join model_{target} o on o.id = v.id {how.joins} where v.target = %s returning object_id",
                [changes.change_set.pk, target],
            )
            renamed = [row[0] for row in cursor.fetchall()]
            changes.touch(target, renamed)
            count += len(renamed)
            write_names(cursor, target, changes.change_set)
        cursor.execute("drop table renaming")
    return Renamed(changes.change_set if count else None, count, taken)


def _drop_taken(cursor: CursorWrapper, target: str) -> list[tuple[str, str]]:
    """Take those out of `renaming` whose new name is not free; again and again, since one that stays keeps its old name."""
    how = TARGETS[target]
    taken: list[tuple[str, str]] = []
    alive = _ALIVE.get(target, "true")
    while True:
        cursor.execute(
            f"with touched as (select distinct {how.scope} as scope from renaming v join model_{target} o on o.id = v.id {how.joins} "
            f"where v.target = %(target)s), then_named as (select o.id, {how.scope} as scope, {how.label} as label, v.after, "
            "lower(coalesce(v.after, o.name)) as name, row_number() over (partition by "
            f"{how.scope}, lower(coalesce(v.after, o.name)) order by v.after is not null, o.id) as place "
            f"from model_{target} o {how.joins} left join renaming v on v.target = %(target)s and v.id = o.id "
            f"where m.id in (select distinct m.id from renaming v join model_{target} o on o.id = v.id {how.joins} where v.target = %(target)s) "
            f"and {alive} and {how.scope} in (select scope from touched)) "
            "delete from renaming v using then_named n where v.target = %(target)s and v.id = n.id and n.after is not null and n.place > 1 "
            "returning n.label, n.after",
            {"target": target},
        )
        found = cursor.fetchall()
        if not found:
            return taken
        taken += found


def write_names(cursor: CursorWrapper, target: str, change_set: ChangeSet) -> None:
    """Write the names of a change set; the source's own is kept beside those of tables and columns."""
    how = TARGETS[target]
    cursor.execute(
        f"update model_{target} o set name = v.after{how.parks} from "
        "(select object_id, after #>> '{}' as after from change where change_set_id = %s and target = %s and field = 'name') v "
        "where o.id = v.object_id",
        [change_set.pk, target],
    )


def names_taken(change_set: ChangeSet, target: str) -> list[tuple[str, str]]:
    """Return label and name of what can't have its name before a change set back, since something else has it now.

    Names that differ by capitals alone may both have stood in the source: the other one is in the way only if it was
    made or renamed since.
    """
    how = TARGETS[target]
    alive = _ALIVE.get(target, "true")
    with connection.cursor() as cursor:
        cursor.execute(
            f"with back as (select o.id, {how.scope} as scope, v.before #>> '{{}}' as name, {how.label} as label from change v "
            f"join model_{target} o on o.id = v.object_id {how.joins} where v.change_set_id = %(set)s and v.target = %(target)s and v.field = 'name') "
            "select back.label, back.name from back "
            f"join model_{target} o on lower(o.name) = lower(back.name) and o.id <> back.id {how.joins} "
            f"where {how.scope} = back.scope and {alive} and o.id not in (select id from back) and (o.name = back.name or exists ("
            "select from change since where since.target = %(target)s and since.object_id = o.id "
            "and since.change_set_id > %(set)s and (since.field = 'name' or since.operation = 'create'))) limit 200",
            {"set": change_set.pk, "target": target},
        )
        found: list[tuple[str, str]] = cursor.fetchall()
    return found
