"""Keeping terms, code lists, domains and rules, and saying which columns carry them; every change a change set."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import Any, TypeVar

import msgspec
from django.db import IntegrityError, transaction
from django.db.models import Q

from indexa.areas.models import Area, Person
from indexa.changes.recording import Recorder, record
from indexa.core.glossary import codes, proposals
from indexa.core.glossary.codes import Code, CodeProblem
from indexa.core.glossary.proposals import Named, ProposedTerm
from indexa.describing import saying, subjects
from indexa.glossary.change_targets import KINDS
from indexa.glossary.models import CodeList, Domain, Governed, Meaning, Rule, Term, record_of
from indexa.store.errors import EditError
from indexa.store.models import DescribedColumn, StoredCheck, StoredColumn, StoredObject, StoredTable

Kept = TypeVar("Kept", Term, CodeList, Domain, Rule)
CARRIED = ("term", "domain", "code_list")
_MOST_SYNONYMS = 40


@transaction.atomic
def save(*, area: Area, person: Person, kind: type[Kept], item: Kept | None, given: dict[str, Any]) -> Kept:
    """Save a term, code list, domain or rule. Raises EditError for a name that is missing or taken, and for values that can't be."""
    with record(area=area, person=person) as changes:
        return save_into(changes, area=area, kind=kind, item=item, given=given)


def save_into(changes: Recorder, *, area: Area, kind: type[Kept], item: Kept | None, given: dict[str, Any]) -> Kept:
    """Save one within a change set, as `save` does."""
    name = " ".join(str(given.get("name", "")).replace("\x00", "").split())[:120]
    if not name:
        raise EditError("It needs a name.")
    made = item or kind(area=area)
    before = record_of(made) if item is not None else None
    for field, value in (_checked(area, kind, made, given) | {"name": name}).items():
        setattr(made, field, value)
    try:
        with transaction.atomic():
            made.save()
    except IntegrityError as error:
        raise EditError(f"There is a {KINDS[kind][1].lower()} {name} already.") from error
    _note(changes, made, before)
    return made


def _note(changes: Recorder, item: Any, before: dict[str, Any] | None) -> None:
    target = KINDS[type(item)][0]
    after = record_of(item)
    if before is None:
        changes.create(target, item.pk, str(item), "record", after)
    elif before != after:
        changes.update(target, item.pk, str(item), "record", before, after)


def _checked(area: Area, kind: type[Any], item: Any, given: dict[str, Any]) -> dict[str, Any]:
    text = {
        name: str(value).replace("\r\n", "\n").replace("\x00", "").strip()
        for name, value in given.items()
        if isinstance(value, str)
    }
    if kind is Term:
        return _checked_term(area, item, given, text)
    if kind is CodeList:
        try:
            found = codes.read_codes(text.get("codes", ""))
        except CodeProblem as error:
            raise EditError(str(error)) from error
        return {"meaning": text.get("meaning", "")[:2_000], "codes": msgspec.to_builtins(found)}
    if kind is Rule:
        return {"definition": text.get("definition", "")[:20_000], "reason": text.get("reason", "")[:2_000]}
    return _checked_domain(area, text)


def _checked_term(area: Area, item: Term, given: dict[str, Any], text: dict[str, str]) -> dict[str, Any]:
    broader = Term.objects.filter(area=area, pk=given.get("broader") or 0).first()
    above = broader
    while above is not None:
        if above.pk == item.pk:
            raise EditError(f"{broader} is narrower than this term; it can't be broader too.")
        above = above.broader
    state = text.get("state", item.state)
    if state not in Term.State.values:
        raise EditError(f"“{state[:20]}” is no state.")
    synonyms = [
        " ".join(one.split())[:120] for one in text.get("synonyms", "").replace(";", ",").split(",") if one.strip()
    ]
    related = list(
        Term.objects.filter(area=area, pk__in=given.get("related", ())).exclude(pk=item.pk).values_list("pk", flat=True)
    )
    return {
        "definition": text.get("definition", "")[:20_000], "examples": text.get("examples", "")[:2_000], "state": state, "broader": broader,
        "synonyms": list(dict.fromkeys(synonyms))[:_MOST_SYNONYMS], "related": sorted(related),
    }  # fmt: skip


_LONGEST = {"base_type": 60, "least": 60, "most": 60, "pattern": 200, "unit": 40, "default": 120, "masked": 120}


def _checked_domain(area: Area, text: dict[str, str]) -> dict[str, Any]:
    import re

    try:
        re.compile(text.get("pattern", ""))
    except re.error as error:
        raise EditError(f"The pattern is none that can be used: {error}.") from error
    listed = CodeList.objects.filter(area=area, pk=text.get("code_list") or 0).first()
    fields = {name: text.get(name, "")[:most] for name, most in _LONGEST.items()}
    return fields | {"meaning": text.get("meaning", "")[:2_000], "code_list": listed}


@transaction.atomic
def delete(*, area: Area, person: Person, item: Any) -> None:
    """Delete a term, code list or domain; columns carry it no more. Undo brings all of it back."""
    field = KINDS[type(item)][0]
    with record(area=area, person=person, why=f"Deleted {item}") as changes:
        if isinstance(item, Rule):
            for one in item.carriers.all():
                changes.delete("governed", one.pk, str(item), "record", record_of(one))
                one.delete()
        meanings = Meaning.objects.filter(**{field: item}) if field in CARRIED else Meaning.objects.none()
        for meaning in meanings.select_related("column__table"):
            before = record_of(meaning)
            setattr(meaning, field, None)
            meaning.save()
            changes.update("meaning", meaning.pk, _label(meaning.column), "record", before, record_of(meaning))
        if isinstance(item, Term):
            for other in Term.objects.filter(broader=item):
                before = record_of(other)
                other.broader = None
                other.save()
                _note(changes, other, before)
        if isinstance(item, CodeList):
            for domain in Domain.objects.filter(code_list=item):
                before = record_of(domain)
                domain.code_list = None
                domain.save()
                _note(changes, domain, before)
        changes.delete(field, item.pk, str(item), "record", record_of(item))
        item.delete()


@transaction.atomic
def carry(
    *, area: Area, person: Person, column_ids: Collection[int], carried: Mapping[str, Any | None], why: str = ""
) -> int:
    """Say that columns carry a term, domain or code list, by kind (None: none of that kind), as one change set.

    What columns implement carries it, where they do. Returns how many changed. Raises EditError for a kind that is none.
    """
    with record(area=area, person=person, why=why) as changes:
        return carry_into(changes, area=area, column_ids=column_ids, carried=carried)


def carry_into(changes: Recorder, *, area: Area, column_ids: Collection[int], carried: Mapping[str, Any | None]) -> int:
    """Say what columns carry within a change set, as `carry` does."""
    for field, item in carried.items():
        if field not in CARRIED or (item is not None and (KINDS[type(item)][0] != field or item.area_id != area.pk)):
            raise EditError("That can't be carried by columns.")
    own = StoredColumn.objects.filter(pk__in=column_ids, table__model__area=area).select_related("table")
    wanted = {one.attribute_id or one.pk for one in own}
    there = {one.column_id: one for one in Meaning.objects.select_for_update(of=("self",)).filter(column__in=wanted)}
    count = 0
    for column in StoredColumn.objects.filter(pk__in=wanted).select_related("table"):
        meaning = there.get(column.pk) or Meaning(column=column)
        before = record_of(meaning) if meaning.pk else None
        for field, item in carried.items():
            setattr(meaning, field, item)
        if before is None and not any(carried.values()):
            continue
        meaning.save()
        after = record_of(meaning)
        if before is None:
            changes.create("meaning", meaning.pk, _label(column), "record", after)
        elif before != after:
            changes.update("meaning", meaning.pk, _label(column), "record", before, after)
        else:
            continue
        count += 1
    return count


@transaction.atomic
def govern(*, area: Area, person: Person, rule: Rule | None, target: str, object_id: int, on: bool = True) -> None:
    """Say that a rule governs a table or column (`on` False: no more); what it implements, where it does, so that all others share it."""
    label = subjects.label_of(area, target, object_id)
    if rule is None:
        raise EditError("Choose a rule.")
    shared = saying.shared_subject(target, object_id).object_id
    with record(
        area=area, person=person, why=f"{rule} governs {label}" if on else f"{rule} governs {label} no more"
    ) as changes:
        if on:
            made, is_new = Governed.objects.get_or_create(rule=rule, target=target, object_id=shared)
            if is_new:
                changes.create("governed", made.pk, f"{label}: {rule}", "record", record_of(made))
            return
        for one in Governed.objects.filter(rule=rule, target=target, object_id__in={object_id, shared}):
            changes.delete("governed", one.pk, f"{label}: {rule}", "record", record_of(one))
            one.delete()


def rules_of(target: str, object_id: int) -> list[Rule]:
    """Return the rules that govern a table or column, itself or by what it implements."""
    ids = {object_id, saying.shared_subject(target, object_id).object_id}
    return list(Rule.objects.filter(carriers__target=target, carriers__object_id__in=ids).distinct())


def governed(rule: Rule) -> tuple[list[StoredTable], list[DescribedColumn]]:
    """Return the tables and columns that a rule governs, with those that implement them."""
    ids: dict[str, list[int]] = {"table": [], "column": []}
    for target, object_id in rule.carriers.values_list("target", "object_id"):
        ids[target].append(object_id)
    tables = StoredTable.objects.filter(Q(pk__in=ids["table"]) | Q(entity__in=ids["table"]), removed_at__isnull=True)
    return list(tables.select_related("model", "entity").order_by("model__name", "schema", "name")), _described(
        ids["column"]
    )


def _label(column: StoredColumn) -> str:
    return f"{column.table.full_name}.{column.name}"


def meaning_of(column: StoredColumn) -> tuple[Meaning | None, bool]:
    """Return what a column carries, and whether that comes from its attribute."""
    ids = [column.pk, *([column.attribute_id] if column.attribute_id else [])]
    found = {
        one.column_id: one
        for one in Meaning.objects.filter(column__in=ids).select_related("term", "domain__code_list", "code_list")
    }
    if column.pk in found:
        return found[column.pk], False
    return found.get(column.attribute_id or 0), True


def carriers(item: Any) -> list[DescribedColumn]:
    """Return every column of every model that carries a term, domain or code list, itself or by its attribute."""
    return _described(item.carriers.values_list("column_id", flat=True))


def _described(column_ids: Iterable[int]) -> list[DescribedColumn]:
    ids = list(column_ids)
    below = StoredColumn.objects.filter(attribute__in=ids, removed_at__isnull=True).values_list("pk", flat=True)
    found = DescribedColumn.objects.filter(pk__in=[*ids, *below]).select_related("model")
    return list(found.order_by("model__layer", "model__name", "schema", "table_name", "position"))


def _named(area: Area) -> Iterable[Named]:
    """Return columns of logical models, and those of physical ones that implement nothing."""
    rows = DescribedColumn.objects.filter(area=area, attribute__isnull=True)
    for id_, business_name, name, type_ in rows.values_list("pk", "business_name", "name", "type").iterator(2_000):
        yield Named(id_, business_name or "", name, type_)


def proposed_terms(area: Area) -> list[ProposedTerm]:
    """Return terms that business names suggest and that the glossary has not."""
    known = [name for term in Term.objects.filter(area=area) for name in (term.name, *term.synonyms)]
    return proposals.propose_terms(_named(area), known)


@transaction.atomic
def accept_terms(*, area: Area, person: Person, names: Collection[str]) -> int:
    """Make proposed terms, drafts that the columns of that name carry, as one change set. Returns how many."""
    chosen = [one for one in proposed_terms(area) if one.name in set(names)]
    with record(area=area, person=person, why=f"{len(chosen)} terms from business names") as changes:
        for one in chosen:
            term = Term.objects.create(area=area, name=one.name[:120])
            _note(changes, term, None)
            carry_into(changes, area=area, column_ids=one.columns, carried={"term": term})
    return len(chosen)


def members_to_propose(domain: Domain) -> list[tuple[DescribedColumn, str]]:
    """Return columns that look like members of a domain, each with the reason."""
    members = set(domain.carriers.values_list("column_id", flat=True))
    every = list(_named(domain.area))
    taken = set(
        Meaning.objects.filter(domain__isnull=False, column__table__model__area=domain.area).values_list(
            "column_id", flat=True
        )
    )
    found = proposals.likely_members(
        [one for one in every if one.id in members],
        (one for one in every if one.id not in members and one.id not in taken),
    )
    columns = DescribedColumn.objects.select_related("model").in_bulk([id_ for id_, _ in found])
    return [(columns[id_], why) for id_, why in found if id_ in columns]


class FoundList(msgspec.Struct, frozen=True):
    """A list of codes that a check or an enum type holds: what it may be called, where it was found, its columns."""

    name: str
    origin: str
    codes: tuple[str, ...]
    columns: tuple[int, ...]


def found_lists(area: Area) -> list[FoundList]:
    """Return the code lists that checks and enum types of the area hold and that nobody made one of yet."""
    known = set(CodeList.objects.filter(area=area).exclude(origin="").values_list("origin", flat=True))
    found: dict[str, FoundList] = {}
    checks = StoredCheck.objects.filter(table__model__area=area, table__removed_at__isnull=True).select_related("table")
    listed = []
    for check in checks:
        codes_found = codes.codes_of_check(str(check.properties.get("expression", "")))
        if codes_found is not None:
            listed.append((check, *codes_found))
    names = {(one.table_id, one.name.lower()): one.pk for one in StoredColumn.objects.filter(
        table__in=[check.table_id for check, _, _ in listed], removed_at__isnull=True
    )}  # fmt: skip
    for check, column, values in listed:
        origin = f"check {check.name} of {check.table.full_name}"
        id_ = names.get((check.table_id, column.lower()))
        if origin not in known and id_ is not None:
            found[origin] = FoundList(f"{check.table.name}.{column}", origin, tuple(values), (id_,))
    for enum in StoredObject.objects.filter(model__area=area, kind=StoredObject.Kind.ENUM).select_related("model"):
        full = f"{enum.schema}.{enum.name}" if enum.schema else enum.name
        origin = f"type {full} of {enum.model.name}"
        if origin in known or not enum.properties.get("values"):
            continue
        columns = StoredColumn.objects.filter(table__model=enum.model_id, type=full, removed_at__isnull=True)
        found[origin] = FoundList(
            enum.name, origin, tuple(enum.properties["values"]), tuple(columns.values_list("pk", flat=True))
        )
    return sorted(found.values(), key=lambda one: one.origin)


@transaction.atomic
def accept_lists(*, area: Area, person: Person, origins: Collection[str]) -> int:
    """Make code lists of what checks and enum types hold; their columns carry them. Returns how many."""
    chosen = [one for one in found_lists(area) if one.origin in set(origins)]
    for one in chosen:
        name, number = one.name[:110], 1
        while CodeList.objects.filter(area=area, name=name).exists():
            number += 1
            name = f"{one.name[:110]} {number}"
        with record(area=area, person=person, why=f"Code list of {one.origin}"[:300]) as changes:
            made = CodeList.objects.create(
                area=area,
                name=name,
                origin=one.origin[:300],
                codes=msgspec.to_builtins([Code(code) for code in one.codes]),
            )
            _note(changes, made, None)
            carry_into(changes, area=area, column_ids=one.columns, carried={"code_list": made})
    return len(chosen)
