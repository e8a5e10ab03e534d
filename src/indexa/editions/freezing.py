"""Everything that an edition will tell, read once and frozen: models, diagrams, what is said, terms, rules and code lists."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Sequence
from typing import Any

import msgspec
from django.db import connection
from django.db.models import Exists, OuterRef, Q

from indexa.adapters.graphviz import place_by_graphviz
from indexa.adapters.logos import logo_of
from indexa.areas.models import Area
from indexa.core.edition import parts
from indexa.core.edition.composing import sections_of
from indexa.core.edition.mentions import LeftOut, Mention, left_out_of, mentions
from indexa.core.edition.parts import Frozen, Picture
from indexa.core.edition.picturing import neighbourhood_pictures
from indexa.core.edition.withholding import picture_within, tells_of, without, without_definitions
from indexa.core.model import Model
from indexa.core.naming.standard import SEVERITIES
from indexa.describing.models import Aspect, Assignment
from indexa.describing.saying import in_words
from indexa.diagrams.pictures import shared_pictures
from indexa.editions.choices import Choices
from indexa.editions.composing import kept_private, left_out, tables_of_view, without_names
from indexa.editions.enclosing import enclosed
from indexa.editions.models import CoverLogo
from indexa.glossary.models import CodeList, Domain, Governed, Rule, Term
from indexa.jobs.errors import JobFailedError
from indexa.jobs.progress import Progress
from indexa.naming.standards.models import NameFinding, Waiver
from indexa.store.loading import load_model
from indexa.store.models import StoredModel

_MOST_PLACES = 200
"""Columns that are named under a term or code list."""
_MOST_FINDINGS = 5_000
"""By judgement: a longer list of names is work to do, not documentation."""


def collect(
    *, area: Area, title: str, note: str, models: Sequence[StoredModel], choices: Choices, progress: Progress
) -> tuple[Frozen, list[str], list[Mention]]:
    """Read what an edition of some models tells, as it is now.

    Returns it; what is left out for its class, by full names; and the texts that name some of that all the same.
    """
    contents, ids = choices.contents, [one.pk for one in models]
    loaded = []
    for number, one in enumerate(models):
        progress.report(f"Loading {one.name}", number, len(models))
        loaded.append(load_model(one, with_words=True))
    loaded, gone, words = _withheld(area, choices, loaded, ids)
    withheld = sorted(one.name for one in gone.values())
    tells = tells_of(withheld)
    scripts = enclosed(area, choices.scripts)
    for script in scripts:
        if withheld and tells(f"{script.text}\n{script.revert}"):
            raise JobFailedError(
                f"The change script “{script.title}” names what is left out for its class.",
                "Leave out the script, or nothing for its class.",
            )
    loaded = [_narrowed(model, choices.schemas, tables_of_view(area, choices.view)) for model in loaded]
    private, told = kept_private(area, choices.private, ids)
    loaded = [without_definitions(model, private) for model in loaded] if private else loaded
    tables_there = [table for model in loaded for table in model.tables]
    there = {table.id for table in tables_there} | {one.id for table in tables_there for one in table.columns}
    carried, places = _carried(ids, there)
    frozen = Frozen(
        area=area.name, title=title, note=note, contents=contents, models=loaded, pictures=_pictures(choices, loaded, ids, tells, progress),
        said=_said(area, ids, there) if contents.stewardship else {}, carried=carried, sections=sections_of(without_names(choices.text, gone)),
        left_out=" ".join(filter(None, (words, told))),
        terms=_terms(area, places["term"], drafts=contents.drafts) if contents.glossary else [],
        rules=_rules(area, there) if contents.glossary else [],
        lists=_lists(area, places["code_list"]) if contents.codes else [],
        scripts=scripts, audience=choices.audience, paper=choices.paper, foot=choices.foot,
        findings=_findings(models, loaded, tells) if contents.findings else [], logo=_logo(area) if contents.logo else None,
    )  # fmt: skip
    return frozen, withheld, mentions(frozen, gone.values())


def _withheld(
    area: Area, choices: Choices, loaded: list[Model], ids: Sequence[int]
) -> tuple[list[Model], dict[str, LeftOut], str]:
    """Return models without what is left out for its class, that by its ids, and the choice in words."""
    tables, columns, words = left_out(area, choices.above, ids)
    if not words:
        return loaded, {}, ""
    found = [without(model, tables, columns) for model in loaded]
    gone: dict[str, LeftOut] = {}
    for before, after in zip(loaded, found, strict=True):
        gone |= left_out_of(before, after)
    return found, gone, words


def _narrowed(model: Model, schemas: Collection[str], of_view: Collection[str] | None) -> Model:
    """Return a model with only the tables of some schemas, where any are named, and of a view, where one is chosen."""
    tables = [
        one for one in model.tables if (not schemas or one.schema in schemas) and (of_view is None or one.id in of_view)
    ]
    return msgspec.structs.replace(model, tables=tables)


def _pictures(
    choices: Choices, loaded: Sequence[Model], ids: Sequence[int], tells: Callable[[str], bool], progress: Progress
) -> list[Picture]:
    """Return the area's own diagrams, then those of neighbourhoods, model by model; without what the models do not have."""
    contents = choices.contents
    found = (
        shared_pictures({pk: place for place, pk in enumerate(ids)}, choices.only_diagrams) if contents.diagrams else []
    )
    found = [picture_within(picture, loaded[picture.model], tells) for picture in found]
    for place, model in enumerate(loaded if contents.neighbourhoods else ()):
        for number, picture in enumerate(neighbourhood_pictures(model, place, place_by_graphviz), 1):
            progress.report(f"Drawing {model.name}, diagram {number}")
            found.append(picture)
    return sorted(found, key=lambda picture: picture.model)


def _findings(
    models: Sequence[StoredModel], loaded: Sequence[Model], tells: Callable[[str], bool]
) -> list[parts.NameFound]:
    """Return what the last naming checks of some models found in what goes in, the gravest first; waived ones are none."""
    there = {model.pk: {table.full_name for table in own.tables} for model, own in zip(models, loaded, strict=True)}
    waived = Waiver.objects.filter(model=OuterRef("model"), fingerprint=OuterRef("fingerprint"))
    rows = NameFinding.objects.filter(~Exists(waived), model__in=models).select_related("model")
    found = [
        parts.NameFound(one.model.name, one.place, one.rule, one.severity, one.why, one.should)
        for one in rows.order_by("pk")
        if (one.place in there[one.model_id] or one.place.rpartition(".")[0] in there[one.model_id])
        and not tells(f"{one.place} {one.why} {one.should}")
    ]
    order: list[str] = list(SEVERITIES)
    return sorted(found, key=lambda one: (-order.index(one.severity), one.rule))[:_MOST_FINDINGS]


def _logo(area: Area) -> parts.Logo | None:
    kept = CoverLogo.objects.filter(area=area).first()
    return logo_of(bytes(kept.content)) if kept is not None else None


def _said(area: Area, models: Sequence[int], there: Collection[str]) -> dict[str, dict[str, str]]:
    """Return what holds for the tables and columns that are `there`, by "t3" and "c12"."""
    names = dict(Aspect.objects.filter(area=area).values_list("pk", "name"))
    rows: list[tuple[str, int, str]] = []
    with connection.cursor() as cursor:
        for sign, level in (("t", "table"), ("c", "column")):
            cursor.execute(
                f"select {level}_id, aspect_id, value from {level}_aspect where model_id = any(%s) and value <> ''",  # noqa: S608  two views
                [list(models)],
            )
            rows += [(f"{sign}{id_}", aspect, value) for id_, aspect, value in cursor.fetchall()]
    words = in_words(value for *_, value in rows)
    found: defaultdict[str, dict[str, str]] = defaultdict(dict)
    for key, aspect, value in sorted(rows):
        if aspect in names and key in there:
            found[key][names[aspect]] = words.get(value, value)
    return dict(found)


_CARRIED = """
select d.id, concat_ws('.', nullif(d.schema, ''), d.table_name, d.name), coalesce(own.term_id, shared.term_id),
  coalesce(own.domain_id, shared.domain_id), coalesce(own.code_list_id, shared.code_list_id, dm.code_list_id)
from described_column d left join meaning own on own.column_id = d.id left join meaning shared on shared.column_id = d.attribute_id
left join domain dm on dm.id = coalesce(own.domain_id, shared.domain_id)
where d.model_id = any(%s) and (own.id is not null or shared.id is not null) order by d.model_id, d.id"""


def _carried(
    models: Sequence[int], there: Collection[str]
) -> tuple[dict[str, dict[str, str]], dict[str, dict[int, list[str]]]]:
    """Return what the columns that are `there` carry, in words, by "c12"; and by kind the names of the columns that carry each."""
    with connection.cursor() as cursor:
        cursor.execute(_CARRIED, [list(models)])
        rows = [row for row in cursor.fetchall() if f"c{row[0]}" in there]
    kinds: dict[str, tuple[Any, str]] = {
        "term": (Term, "Term"),
        "domain": (Domain, "Domain"),
        "code_list": (CodeList, "Code list"),
    }
    places: dict[str, dict[int, list[str]]] = {kind: defaultdict(list) for kind in kinds}
    for _, name, *carried in rows:
        for kind, id_ in zip(kinds, carried, strict=True):
            if id_:
                places[kind][id_].append(name)
    names = {kind: dict(_names(model, places[kind])) for kind, (model, _) in kinds.items()}
    found: dict[str, dict[str, str]] = {}
    for id_, _, *carried in rows:
        found[f"c{id_}"] = {
            label: names[kind][one] for (kind, (_, label)), one in zip(kinds.items(), carried, strict=True) if one
        }
    return found, places


def _names(model: Any, ids: Iterable[int]) -> list[tuple[int, str]]:
    return list(model.objects.filter(pk__in=list(ids)).values_list("pk", "name"))


def _terms(area: Area, places: dict[int, list[str]], *, drafts: bool) -> list[parts.Term]:
    found = Term.objects.filter(area=area) if drafts else Term.objects.filter(area=area).exclude(state=Term.State.DRAFT)
    terms = list(found.select_related("broader").order_by("name"))
    owners = Assignment.objects.filter(aspect__area=area, aspect__kind=Aspect.Kind.OWNER, level="term").exclude(
        value=""
    )
    values = dict(owners.values_list("object_id", "value"))
    words = in_words(values.values())
    return [
        parts.Term(
            one.name, one.definition, tuple(one.synonyms), one.broader.name if one.broader else "",
            words.get(values.get(one.pk, ""), ""), tuple(places.get(one.pk, ())[:_MOST_PLACES]),
        )
        for one in terms
        if one.definition or one.pk in places
    ]  # fmt: skip


def _rules(area: Area, there: Collection[str]) -> list[parts.Rule]:
    """Return the rules that govern something which is `there`, itself or by the entity or attribute that it implements."""
    tables = [int(one[1:]) for one in there if one[0] == "t"]
    columns = [int(one[1:]) for one in there if one[0] == "c"]
    found = Governed.objects.filter(rule__area=area).filter(
        Q(target="table", object_id__in=_with_shared("model_table", "entity_id", tables))
        | Q(target="column", object_id__in=_with_shared("model_column", "attribute_id", columns))
    )
    rules = Rule.objects.filter(pk__in=found.values("rule")).order_by("name")
    return [parts.Rule(one.name, one.definition, one.reason) for one in rules]


def _with_shared(relation: str, shared: str, ids: Sequence[int]) -> list[int]:
    """Return ids with those of what they implement."""
    with connection.cursor() as cursor:
        cursor.execute(
            f"select distinct {shared} from {relation} where id = any(%s) and {shared} is not null",  # noqa: S608  two tables
            [list(ids)],
        )
        return [*ids, *(row[0] for row in cursor.fetchall())]


def _lists(area: Area, places: dict[int, list[str]]) -> list[parts.CodeList]:
    lists = CodeList.objects.filter(area=area, pk__in=list(places)).order_by("name")
    return [
        parts.CodeList(one.name, one.meaning, tuple(one.as_core), tuple(places[one.pk][:_MOST_PLACES])) for one in lists
    ]
