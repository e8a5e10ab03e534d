"""What can be said in an area: owners and stewards, classification schemes, fields of its own, and teams."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import NamedTuple

from django.db import IntegrityError, transaction
from django.db.models import Max

from indexa.areas.models import Area, Membership, Person
from indexa.core.describing.starter import STARTERS
from indexa.core.describing.values import FIELD_TYPES
from indexa.describing.models import LEVELS, Aspect, AspectValue, Assignment, Team
from indexa.describing.signals import aspects_changed
from indexa.store.errors import EditError

_MOST_ASPECTS, _MOST_VALUES = 40, 200
_PEOPLE = ((Aspect.Kind.OWNER, "Owner", "Who answers for it."), (Aspect.Kind.STEWARD, "Steward", "Who looks after it."))


class GivenValue(NamedTuple):
    """A row of the sheet in which the values of an aspect are edited: its id, or 0 for a new one."""

    id: int
    name: str
    meaning: str


@transaction.atomic
def begin(*, area: Area, person: Person | None) -> None:
    """Let owners, stewards and the starter schemes be said in an area that has nothing of that kind."""
    for position, (kind, name, meaning) in enumerate(_PEOPLE):
        Aspect.objects.get_or_create(
            area=area, name=name,
            defaults={"kind": kind, "meaning": meaning, "type": "person", "applies": list(LEVELS), "position": position},
        )  # fmt: skip
    for position, scheme in enumerate(STARTERS, len(_PEOPLE)):
        made, is_new = Aspect.objects.get_or_create(
            area=area, name=scheme.name,
            defaults={
                "kind": Aspect.Kind.CLASS, "meaning": scheme.meaning, "type": "choice", "raises": scheme.raises, "position": position,
                "applies": [level for level in LEVELS if level in ("area", "model", "schema") or level in scheme.kinds],
            },
        )  # fmt: skip
        if is_new:
            values = [
                AspectValue.objects.create(aspect=made, name=name, meaning=meaning, rank=rank)
                for rank, (name, meaning) in enumerate(scheme.values)
            ]
            default = next((one for one in values if one.name == scheme.default), None)
            made.default_value = default.token if default else ""
            made.save(update_fields=["default_value"])
    _tell(area, person)


@transaction.atomic
def save_aspect(
    *, area: Area, person: Person, aspect: Aspect | None, kind: str, name: str, meaning: str = "", type_: str = "choice",
    applies: Collection[str] = (), inherited: bool = True, raises: bool = False,
) -> Aspect:  # fmt: skip
    """Save a scheme or a field. Raises EditError for a name that is none or taken, a type that is none, or nothing it applies to."""
    name, meaning = " ".join(name.split())[:60], " ".join(meaning.split())[:300]
    levels = [level for level in LEVELS if level in applies]
    if not name:
        raise EditError("It needs a name.")
    if kind not in (Aspect.Kind.CLASS, Aspect.Kind.FIELD) and aspect is None:
        raise EditError(f"“{kind[:20]}” is nothing that can be added.")
    if type_ not in FIELD_TYPES:
        raise EditError(f"“{type_[:20]}” is no type. Types: {', '.join(FIELD_TYPES)}.")
    if not levels:
        raise EditError(f"Choose what {name} applies to.")
    if aspect is None and Aspect.objects.filter(area=area).count() >= _MOST_ASPECTS:
        raise EditError(f"There are {_MOST_ASPECTS} of them already. Remove one that nobody uses.")
    last = Aspect.objects.filter(area=area).aggregate(last=Max("position"))["last"]
    made = aspect or Aspect(area=area, kind=kind, position=(last or 0) + 1)
    if aspect is None or not aspect.assignments.exclude(value="").exists():
        made.type = "choice" if kind == Aspect.Kind.CLASS else type_
        made.type = "person" if kind in (Aspect.Kind.OWNER, Aspect.Kind.STEWARD) else made.type
    elif aspect.type != type_ and aspect.kind == Aspect.Kind.FIELD:
        raise EditError(f"{aspect.name} has values; its type stays {aspect.type}.")
    made.name, made.meaning, made.applies = name, meaning, levels
    made.inherited, made.raises = inherited, raises and made.type == "choice"
    try:
        with transaction.atomic():
            made.save()
    except IntegrityError as error:
        raise EditError(f"There is a {name} already.") from error
    _tell(area, person)
    return made


@transaction.atomic
def save_values(*, aspect: Aspect, person: Person, values: Sequence[GivenValue], default: str = "") -> None:
    """Save the values of an aspect as a whole, in their order; `default` is the name of one of them, or "".

    Raises EditError where a name is missing or twice, or one goes that is in use.
    """
    rows = [(one.id, " ".join(one.name.split())[:60], " ".join(one.meaning.split())[:300]) for one in values]
    rows = [row for row in rows if row[1] or row[2]]
    names = [name.casefold() for _, name, _ in rows]
    if len(rows) > _MOST_VALUES:
        raise EditError(f"{len(rows)} values are too many; {_MOST_VALUES} are kept. Use a code list.")
    if "" in names:
        raise EditError("Each value needs a name.")
    if twice := next((name for _, name, _ in rows if names.count(name.casefold()) > 1), ""):
        raise EditError(f"“{twice}” stands there twice.")
    own = {one.pk: one for one in aspect.values.select_for_update()}
    going = set(own) - {id_ for id_, _, _ in rows}
    used = Assignment.objects.filter(aspect=aspect, value__in=[own[pk].token for pk in going]).order_by("pk").first()
    if used is not None:
        name = next(own[pk].name for pk in going if own[pk].token == used.value)
        raise EditError(f"{name} is in use and stays. Give what has it another value first.")
    AspectValue.objects.filter(pk__in=going).delete()
    for rank, (id_, _, _) in enumerate(rows):
        # Two values may change their names with each other: all get one that nobody has first.
        AspectValue.objects.filter(pk=id_, aspect=aspect).update(name=f"\x1f{rank}", rank=rank)
    for rank, (id_, name, meaning) in enumerate(rows):
        value = own.get(id_) or AspectValue(aspect=aspect)
        value.name, value.meaning, value.rank = name, meaning, rank
        value.save()
    chosen = aspect.values.filter(name=default).first() if default else None
    aspect.default_value = chosen.token if chosen else ""
    aspect.save(update_fields=["default_value"])
    _tell(aspect.area, person)


@transaction.atomic
def remove_aspect(*, aspect: Aspect, person: Person) -> int:
    """Remove a scheme or field with all that was said under it; returns how much that was. Owners and stewards stay."""
    if aspect.kind in (Aspect.Kind.OWNER, Aspect.Kind.STEWARD):
        raise EditError(f"{aspect.name} can't be removed.")
    area, count = aspect.area, aspect.assignments.exclude(value="").count()
    aspect.delete()
    _tell(area, person)
    return count


@transaction.atomic
def save_team(*, area: Area, team: Team | None, name: str, people: Collection[int]) -> Team:
    """Save a team of members of the area. Raises EditError for a name that is none or taken."""
    name = " ".join(name.split())[:80]
    if not name:
        raise EditError("The team needs a name.")
    made = team or Team(area=area)
    made.name = name
    try:
        with transaction.atomic():
            made.save()
    except IntegrityError as error:
        raise EditError(f"There is a team {name} already.") from error
    members = Membership.objects.filter(area=area, person_id__in=list(people)).values_list("person_id", flat=True)
    made.members.set(members)
    return made


@transaction.atomic
def remove_team(team: Team) -> None:
    """Remove a team that owns nothing. Raises EditError where it is said of something."""
    if Assignment.objects.filter(aspect__area=team.area_id, value=f"t{team.pk}").exists():
        raise EditError(f"{team.name} owns something. Give that another owner first.")
    team.delete()


def _tell(area: Area, person: Person | None) -> None:
    aspects_changed.send(Aspect, area=area, person=person)
