"""What is said of objects: looked up with where it comes from, and said, one at a time or for any number in one statement."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from django.db import connection, transaction
from django.db.models import Q

from indexa.areas.models import Area, Membership, Person
from indexa.changes.models import ChangeSet
from indexa.changes.recording import Recorder, record
from indexa.core.describing.values import ValueProblem, checked
from indexa.describing import subjects
from indexa.describing.change_targets import ASSIGNMENT
from indexa.describing.models import Aspect, AspectValue, Assignment, Team
from indexa.store.errors import EditError, StaleEditError
from indexa.store.models import StoredColumn, StoredModel, StoredTable


class Subject(NamedTuple):
    """What something is said of: its level, its id, and for a schema its name (`object_id` is then the model)."""

    level: str
    object_id: int
    schema: str = ""


@dataclass(frozen=True, slots=True)
class Saying:
    """What holds for an object under an aspect: the value as it is kept, in words, and where it comes from.

    `origin` is the level it was said at, "default", or "" for nothing; `own` is what is said of the object itself.
    """

    aspect: Aspect
    value: str
    words: str
    origin: str
    own: str

    @property
    def is_inherited(self) -> bool:
        """True where it was said of something above."""
        return bool(self.value) and not self.own


_ORIGINS = {
    "own": "", "attribute": "its attribute", "entity": "its entity", "table": "its table", "schema": "its schema", "model": "the model",
    "logical": "the logical model", "area": "the area", "default": "by default", "raised": "its columns", "": "",
}  # fmt: skip


def origin_in_words(origin: str) -> str:
    """Return where a value comes from, in words; "" for the object itself."""
    return _ORIGINS.get(origin, origin)


def sayings_of(area: Area, level: str, object_id: int, schema: str = "") -> list[Saying]:
    """Return what holds for a column, table, schema, model or area, an aspect each; a fixed number of queries."""
    aspects = list(Aspect.objects.filter(area=area, applies__contains=[level]))
    if not aspects:
        return []
    above = level not in ("column", "table")
    found = _from_above(area, level, object_id, schema, aspects) if above else _from_view(level, [object_id])
    own = dict(
        Assignment.objects.filter(level=level, object_id=object_id, schema=schema).values_list("aspect_id", "value")
    )
    held = {aspect.pk: found.get((object_id, aspect.pk), ("", "")) for aspect in aspects}
    words = in_words(value for value, _ in held.values())
    return [
        Saying(aspect, value, words.get(value, value), origin if value else "", own.get(aspect.pk, ""))
        for aspect in aspects
        for value, origin in [held[aspect.pk]]
    ]


def _from_above(
    area: Area, level: str, object_id: int, schema: str, aspects: Sequence[Aspect]
) -> dict[tuple[int, int], tuple[str, str]]:
    """Return what holds for a schema, model or area: its own, else of the nearest thing above, else the default."""
    chain: list[tuple[str, int, str, str]] = [(level, object_id, schema, "own")]
    if level == "schema":
        chain.append(("model", object_id, "", "model"))
    logical = (
        StoredModel.objects.filter(pk=object_id).values_list("logical_id", flat=True).first()
        if level in ("model", "schema")
        else None
    )
    if logical:
        chain.append(("model", logical, "", "logical"))
    if level != "area":
        chain.append(("area", area.pk, "", "area"))
    wanted = Q(pk__in=[])
    for at, id_, name, _ in chain:
        wanted |= Q(level=at, object_id=id_, schema=name)
    rows = Assignment.objects.filter(wanted, aspect__in=aspects).exclude(value="")
    said = {(one.aspect_id, one.level, one.object_id, one.schema): one.value for one in rows}
    found = {}
    for aspect in aspects:
        reach = chain if aspect.inherited else chain[:1]
        held = ((said.get((aspect.pk, at, id_, name), ""), origin) for at, id_, name, origin in reach)
        default = (aspect.default_value, "default" if aspect.default_value else "")
        found[object_id, aspect.pk] = next((one for one in held if one[0]), default)
    return found


def _from_view(level: str, ids: Sequence[int]) -> dict[tuple[int, int], tuple[str, str]]:
    with connection.cursor() as cursor:
        cursor.execute(
            f"select {level}_id, aspect_id, value, origin from {level}_aspect where {level}_id = any(%s)",  # noqa: S608  two views
            [list(ids)],
        )
        return {(object_id, aspect_id): (value, origin) for object_id, aspect_id, value, origin in cursor.fetchall()}


def said_of_tables(aspect: Aspect, table_ids: Sequence[int]) -> dict[int, str]:
    """Return in words what holds for each of some tables under an aspect."""
    found = {
        table: value
        for (table, aspect_id), (value, _) in _from_view("table", table_ids).items()
        if aspect_id == aspect.pk
    }
    words = in_words(found.values())
    return {table: words.get(value, value) for table, value in found.items() if value}


def in_words(values: Iterable[str]) -> dict[str, str]:
    """Return listed values, people and teams by how they are kept, in words; at most three queries."""
    wanted = set(values)
    ids = {sign: [int(v[1:]) for v in wanted if v[:1] == sign and v[1:].isdigit()] for sign in "cpt"}
    words: dict[str, str] = {}
    if ids["c"]:
        words |= {f"c{pk}": name for pk, name in AspectValue.objects.filter(pk__in=ids["c"]).values_list("pk", "name")}
    if ids["p"]:
        words |= {f"p{one.pk}": one.display_name for one in Person.objects.filter(pk__in=ids["p"])}
    if ids["t"]:
        words |= {f"t{pk}": name for pk, name in Team.objects.filter(pk__in=ids["t"]).values_list("pk", "name")}
    return words


def choices_of(aspect: Aspect) -> list[tuple[str, str]]:
    """Return what an aspect can be given, as it is kept and in words; [] where it is entered."""
    if aspect.has_choices:
        return [(one.token, one.name) for one in aspect.values.all()]
    if aspect.is_people:
        teams = [(f"t{one.pk}", one.name) for one in Team.objects.filter(area=aspect.area_id)]
        members = Membership.objects.filter(area=aspect.area_id, person__is_active=True).select_related("person")
        return teams + sorted(
            ((f"p{one.person_id}", one.person.display_name) for one in members), key=lambda pair: pair[1]
        )
    return []


def kept(aspect: Aspect, given: str) -> str:
    """Return a value as it is kept: of listed ones and people by what is kept or by name. Raises EditError for what it can't be."""
    if not (aspect.has_choices or aspect.is_people):
        try:
            return checked(aspect.type, given)  # type: ignore[arg-type]
        except ValueProblem as error:
            raise EditError(f"{aspect.name}: {error}") from error
    given = " ".join(given.split())
    if not given:
        return ""
    choices = choices_of(aspect)
    if given in dict(choices):
        return given
    named = [token for token, name in choices if name.casefold() == given.casefold()]
    if len(named) == 1:
        return named[0]
    some = ", ".join(name for _, name in choices[:8]) or "nothing yet"
    why = "is the name of several" if named else "is not known"
    raise EditError(f"{aspect.name}: “{given[:60]}” {why}. It can be: {some}.")


def shared_subject(level: str, object_id: int) -> Subject:
    """Return where something is said by default: of what a column or table implements, which all others share."""
    shared: int | None = None
    if level == "column":
        shared = StoredColumn.objects.filter(pk=object_id).values_list("attribute_id", flat=True).first()
    elif level == "table":
        shared = StoredTable.objects.filter(pk=object_id).values_list("entity_id", flat=True).first()
    return Subject(level, shared or object_id)


def shared_value(aspect: Aspect, level: str, object_id: int) -> str | None:
    """Return what is said of what a column or table implements, as it is kept; None where it implements nothing."""
    subject = shared_subject(level, object_id)
    if subject.object_id == object_id:
        return None
    own = Assignment.objects.filter(aspect=aspect, level=level, object_id=subject.object_id, schema="")
    return own.values_list("value", flat=True).first() or ""


def label_of(area: Area, subject: Subject) -> str:
    """Return what a subject is called. Raises EditError where it is not in the area."""
    level, id_, schema = subject
    found: str | None = None
    if level == "area" and id_ == area.pk:
        found = area.name
    elif level in ("model", "schema"):
        model = StoredModel.objects.filter(area=area, pk=id_).first()
        known = not schema or StoredTable.objects.filter(model=id_, schema=schema).exists()
        found = (f"{model.name}: {schema}" if schema else model.name) if model and known else None
    elif level == "table":
        table = StoredTable.objects.filter(model__area=area, pk=id_).first()
        found = table.full_name if table else None
    elif level == "column":
        column = StoredColumn.objects.select_related("table").filter(table__model__area=area, pk=id_).first()
        found = f"{column.table.full_name}.{column.name}" if column else None
    elif subjects.is_known(level):
        return subjects.label_of(area, level, id_)
    if found is None:
        raise EditError("What this is said of is no longer there. Load the page again.")
    return found


@transaction.atomic
def say(
    *, area: Area, person: Person, subject: Subject, aspect: Aspect, given: str, seen: str | None = None, why: str = ""
) -> ChangeSet | None:
    """Say something of an object, or with "" no longer; returns None where nothing changes.

    Raises EditError for what can't be said, StaleEditError where somebody said something else since `seen`.
    """
    if aspect.area_id != area.pk or subject.level not in aspect.applies:
        raise EditError(f"{aspect.name} can't be said of this.")
    label, value = label_of(area, subject), kept(aspect, given)
    row, _ = Assignment.objects.get_or_create(
        aspect=aspect, level=subject.level, object_id=subject.object_id, schema=subject.schema
    )
    row = Assignment.objects.select_for_update().get(pk=row.pk)
    if row.value == value:
        return None
    if seen is not None and row.value != seen:
        words = in_words([row.value, value])
        raise StaleEditError(theirs=words.get(row.value, row.value), yours=words.get(value, value), by="Somebody")
    with record(area=area, person=person, why=why, model_id=_model_of(subject)) as changes:
        _write(changes, row, f"{label}: {aspect.name}", value)
    return changes.change_set


def say_one_into(changes: Recorder, *, area: Area, subject: Subject, aspect: Aspect, given: str) -> None:
    """Say something of one object within a change set. Raises EditError for what can't be said."""
    if aspect.area_id != area.pk or subject.level not in aspect.applies:
        raise EditError(f"{aspect.name} can't be said of this.")
    label, value = label_of(area, subject), kept(aspect, given)
    row, _ = Assignment.objects.get_or_create(
        aspect=aspect, level=subject.level, object_id=subject.object_id, schema=subject.schema
    )
    if row.value != value:
        _write(changes, row, f"{label}: {aspect.name}", value)


def _write(changes: Recorder, row: Assignment, label: str, value: str) -> None:
    changes.update(ASSIGNMENT, row.pk, label, "value", before=row.value, after=value)
    Assignment.objects.filter(pk=row.pk).update(value=value)


def _model_of(subject: Subject) -> int | None:
    if subject.level in ("model", "schema"):
        return subject.object_id
    if subject.level == "table":
        return StoredTable.objects.values_list("model_id", flat=True).get(pk=subject.object_id)
    if subject.level == "column":
        return StoredColumn.objects.values_list("table__model_id", flat=True).get(pk=subject.object_id)
    return None


@transaction.atomic
def say_of_many(
    *, area: Area, person: Person, aspect: Aspect, level: str, values: Mapping[int, str] | None = None, given: str = "",
    ids_sql: str = "", parameters: Sequence[Any] = (), why: str,
) -> int:  # fmt: skip
    """Say something of many tables or columns as one change set; returns how many it changed.

    Either `values` holds what is said of each by id, already as it is kept, or `ids_sql` is a query of ids of which all get
    `given`. What belongs to another area is left as it is.
    """
    with record(area=area, person=person, why=why, model_id=None) as changes:
        return say_into(
            changes,
            area=area,
            aspect=aspect,
            level=level,
            values=values,
            given=given,
            ids_sql=ids_sql,
            parameters=parameters,
        )


def say_into(
    changes: Recorder, *, area: Area, aspect: Aspect, level: str, values: Mapping[int, str] | None = None, given: str = "",
    ids_sql: str = "", parameters: Sequence[Any] = (),
) -> int:  # fmt: skip
    """Say something of many tables or columns within a change set; returns how many it changed. Arguments are those of
    `say_of_many`."""
    if aspect.area_id != area.pk or level not in aspect.applies or level not in ("table", "column"):
        raise EditError(f"{aspect.name} can't be said of these.")
    one_value = kept(aspect, given) if values is None else ""
    with connection.cursor() as cursor:
        cursor.execute("create temporary table said (object_id bigint, value text) on commit drop")
        if values is not None:
            with cursor.cursor.copy("copy said (object_id, value) from stdin") as copy:
                for row in values.items():
                    copy.write_row(row)
        else:
            cursor.execute(f"insert into said select id, %s from ({ids_sql}) wanted(id)", [one_value, *parameters])  # noqa: S608  our own query
        cursor.execute("analyze said")
        cursor.execute(
            "insert into aspect_assignment (aspect_id, level, object_id, schema, value) "
            "select %s, %s, object_id, '', '' from said where value <> '' on conflict do nothing",
            [aspect.pk, level],
        )
        cursor.execute(
            f"insert into change (change_set_id, target, object_id, label, field, before, after) "  # noqa: S608  constants
            f"select %s, %s, a.id, {_LABELS[level]} || ': ' || %s, 'value', to_jsonb(a.value), to_jsonb(s.value) "
            f"from said s join aspect_assignment a on a.aspect_id = %s and a.level = %s and a.object_id = s.object_id and a.schema = '' "
            f"{_JOINS[level]} join model m on m.id = t.model_id where m.area_id = %s and a.value <> s.value returning object_id",
            [changes.change_set.pk, ASSIGNMENT, aspect.name, aspect.pk, level, area.pk],
        )
        touched = [row[0] for row in cursor.fetchall()]
        changes.touch(ASSIGNMENT, touched)
        cursor.execute(
            "update aspect_assignment a set value = c.after #>> '{}' from change c "
            "where c.change_set_id = %s and c.target = %s and a.id = c.object_id and a.aspect_id = %s",
            [changes.change_set.pk, ASSIGNMENT, aspect.pk],
        )
        cursor.execute("drop table said")
    return len(touched)


_TABLE = "case when t.schema = '' then t.name else t.schema || '.' || t.name end"
_LABELS = {"table": _TABLE, "column": f"{_TABLE} || '.' || o.name"}
_JOINS = {
    "table": "join model_table t on t.id = s.object_id",
    "column": "join model_column o on o.id = s.object_id join model_table t on t.id = o.table_id",
}
