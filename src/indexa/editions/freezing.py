"""Everything that an edition will tell, read once and frozen: models, diagrams, what is said, terms, rules and code lists."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Sequence
from typing import Any

import msgspec
from django.db import connection

from indexa.areas.models import Area
from indexa.core.edition import parts
from indexa.core.edition.composing import sections_of
from indexa.core.edition.parts import Contents, EnclosedScript, Frozen, Paper
from indexa.core.edition.withholding import picture_within, without
from indexa.describing.models import Aspect, Assignment
from indexa.describing.saying import in_words
from indexa.diagrams.pictures import shared_pictures
from indexa.editions.composing import left_out
from indexa.glossary.models import CodeList, Domain, Governed, Rule, Term
from indexa.jobs.progress import Progress
from indexa.store.loading import load_model
from indexa.store.models import StoredModel

_MOST_PLACES = 200
"""Columns that are named under a term or code list."""


def collect(
    *, area: Area, title: str, note: str, models: Sequence[StoredModel], contents: Contents, progress: Progress, text: str = "", above: str = "",
    schemas: Collection[str] = (), scripts: Sequence[EnclosedScript] = (), audience: str = "", paper: Paper = "a4"
) -> Frozen:  # fmt: skip
    """Read what an edition of some models tells, as it is now.

    `text` is its own text, with names kept as `composing.keep_names` has them; what is classified `above` a threshold is left
    out, and so are other schemas than `schemas` where any are named.
    """
    loaded = []
    for number, one in enumerate(models):
        progress.report(f"Loading {one.name}", number, len(models))
        loaded.append(load_model(one, with_words=True))
    tables, columns, words = left_out(area, above, [one.pk for one in models])
    loaded = [without(model, tables, columns) for model in loaded] if words else loaded
    if schemas:
        loaded = [
            msgspec.structs.replace(model, tables=[one for one in model.tables if one.schema in schemas])
            for model in loaded
        ]
    ids = [one.pk for one in models]
    pictures = shared_pictures({pk: place for place, pk in enumerate(ids)}) if contents.diagrams else []
    pictures = [picture_within(picture, loaded[picture.model]) for picture in pictures]
    tables_there = [table for model in loaded for table in model.tables]
    there = {table.id for table in tables_there} | {one.id for table in tables_there for one in table.columns}
    carried, places = _carried(ids, there)
    return Frozen(
        area=area.name, title=title, note=note, contents=contents, models=loaded, pictures=pictures,
        said=_said(area, ids, there) if contents.stewardship else {}, carried=carried,
        sections=sections_of(text), left_out=words, terms=_terms(area, places["term"], drafts=contents.drafts) if contents.glossary else [],
        rules=_rules(area, ids) if contents.glossary else [],
        lists=_lists(area, places["code_list"]) if contents.codes else [],
        scripts=list(scripts), audience=audience, paper=paper,
    )  # fmt: skip


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


def _rules(area: Area, models: Sequence[int]) -> list[parts.Rule]:
    governed = Governed.objects.filter(rule__area=area)
    with connection.cursor() as cursor:
        cursor.execute("select id from model_table where model_id = any(%s)", [list(models)])
        tables = {row[0] for row in cursor.fetchall()}
        cursor.execute(
            "select entity_id from model_table where model_id = any(%s) and entity_id is not null", [list(models)]
        )
        tables |= {row[0] for row in cursor.fetchall()}
        columns = [row.object_id for row in governed if row.target == "column"]
        cursor.execute(
            "select c.id from model_column c join model_table t on t.id = c.table_id where t.model_id = any(%s) and c.id = any(%s) "
            "union select attribute_id from model_column c join model_table t on t.id = c.table_id "
            "where t.model_id = any(%s) and c.attribute_id = any(%s)",
            [list(models), columns, list(models), columns],
        )
        own = {row[0] for row in cursor.fetchall()}
    ids = {row.rule_id for row in governed if row.object_id in (tables if row.target == "table" else own)}
    return [
        parts.Rule(one.name, one.definition, one.reason) for one in Rule.objects.filter(pk__in=ids).order_by("name")
    ]


def _lists(area: Area, places: dict[int, list[str]]) -> list[parts.CodeList]:
    lists = CodeList.objects.filter(area=area, pk__in=list(places)).order_by("name")
    return [
        parts.CodeList(one.name, one.meaning, tuple(one.as_core), tuple(places[one.pk][:_MOST_PLACES])) for one in lists
    ]
