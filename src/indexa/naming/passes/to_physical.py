"""Naming passes from business to physical names under the standard that governs the model."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from django.db import connection

from indexa.adapters.templates import render_confined
from indexa.core.model import Model
from indexa.core.naming.checking import Checker
from indexa.core.naming.making import Maker
from indexa.core.naming.objects import Named, named_objects
from indexa.core.naming.shortening import Shortener, unsettled, words_of
from indexa.core.naming.splitting import Splitter
from indexa.jobs.progress import Progress
from indexa.naming.errors import PassError
from indexa.naming.passes.models import LockedName, NamingPass, PassName, PassWord
from indexa.naming.standards import services as standards
from indexa.naming.wordbooks import services as wordbooks
from indexa.store.bulk import copy_rows
from indexa.store.loading import load_model
from indexa.store.models import StoredColumn, StoredModel, StoredTable

_KINDS = {"table": "tables", "view": "tables", "entity": "tables", "column": "columns", "attribute": "columns"}
_COLUMNS = (
    "naming_pass_id", "target", "object_id", "place", "name", "before", "after", "parts", "open", "words", "context_words", "notes",
    "confidence", "written", "locked", "scope", "kind",
)  # fmt: skip


class _Asked(NamedTuple):
    """A name to make: whose, for which business name, and among which others it must be the only one."""

    kind: str
    id: int
    name: str
    business_name: str
    scope: str


class _Answer(NamedTuple):
    name: str
    notes: tuple[str, ...]
    open: list[str]


def fill(made: NamingPass, progress: Progress) -> None:
    """Work out physical names for the pass's model and store them in it. Raises PassError without a standard."""
    progress.report("Reading the names")
    model = load_model(made.model, with_words=True)
    maker = _maker(made.model)
    locked = set(LockedName.objects.filter(direction=made.direction).values_list("target", "object_id"))
    named = [one for one in named_objects(model) if one.kind in _KINDS]
    progress.report("Making names", 1, 4)
    broken = _broken(maker, model) if made.only_missing else None
    asked: dict[str, tuple[_Asked, Named]] = {}
    taken: dict[str, set[str]] = defaultdict(set)
    nameless = 0
    for one in named:
        scope = f"c{one.table_id[1:]}" if one.kind in ("column", "attribute") else f"t{one.scope}"
        wanted = (
            _KINDS[one.kind] in made.kinds and one.kind in maker.standard.rules
            and (_target(one.id), int(one.id[1:])) not in locked and (broken is None or one.place in broken)
        )  # fmt: skip
        if wanted and one.business_name:
            asked[one.id] = _Asked(one.kind, int(one.id[1:]), one.name, one.business_name, scope), one
        else:
            nameless += wanted
            taken[scope].add(one.name)
    answers = _answers(maker, (pair[0] for pair in asked.values()), taken)
    progress.report("Gathering what is open", 2, 4)
    rows: list[tuple[object, ...]] = []
    open_words = Counter[str]()
    for id_, (what, one) in asked.items():
        answer = answers[what.kind, what.id]
        if answer.name == one.name and not answer.open:
            continue
        open_words.update(answer.open)
        rows.append((
            made.pk, _target(id_), what.id, one.place, what.business_name, one.name, answer.name or one.name, "[]", answer.open,
            list(dict.fromkeys(words_of(what.business_name))), [], list(answer.notes), 0.5 if answer.open else 1.0, False, False,
            what.scope, what.kind,
        ))  # fmt: skip
    shortener = _shortener(maker, named)
    PassWord.objects.bulk_create(
        [
            PassWord(
                naming_pass=made, short=word[:200], count=count,
                options=[[one.short, one.confidence, [one.evidence]] for one in shortener.options(word)],
            )
            for word, count in open_words.items()
        ],
        batch_size=2_000,
    )  # fmt: skip
    if nameless:
        made.left_out = (
            "1 name is left out: it has no business name to be made from."
            if nameless == 1
            else f"{nameless:,} names are left out: they have no business name to be made from."
        )
        made.save(update_fields=["left_out"])
    copy_rows("naming_pass_name", _COLUMNS, rows, progress, "Storing proposals", len(rows))


def rewrite(naming_pass: NamingPass, words: Sequence[str]) -> int:
    """Make the names anew that have one of the words, and those beside them, by what the wordbooks say now. Returns how many had it."""
    touched = naming_pass.names.filter(words__overlap=list(words))
    count = touched.filter(written=False).count()
    scopes = list(touched.values_list("scope", flat=True).distinct())
    names = list(naming_pass.names.filter(scope__in=scopes).order_by("pk"))
    maker = _maker(naming_pass.model)
    taken = _kept_names(naming_pass, scopes)
    for one in names:
        if one.written:
            taken[one.scope].add(one.after)
    asked = [_Asked(one.kind, one.object_id, one.before, one.name, one.scope) for one in names if not one.written]
    answers = _answers(maker, asked, taken)
    changed = []
    for one in names:
        if one.written:
            continue
        answer = answers[one.kind, one.object_id]
        one.after, one.notes, one.open = answer.name or one.before, list(answer.notes), answer.open
        one.confidence = 0.5 if answer.open else 1.0
        changed.append(one)
    _write(changed)
    return count


def _write(names: Sequence[PassName]) -> None:
    with connection.cursor() as cursor:
        cursor.execute(
            "create temporary table answer (id bigint, after text, notes text[], open text[], confidence float8) on commit drop"
        )
        with cursor.cursor.copy("copy answer (id, after, notes, open, confidence) from stdin") as copy:
            for one in names:
                copy.write_row((one.pk, one.after, one.notes, one.open, one.confidence))
        cursor.execute(
            "update naming_pass_name n set after = a.after, notes = a.notes, open = a.open, confidence = a.confidence "
            "from answer a where n.id = a.id"
        )
        cursor.execute("drop table answer")


def _maker(model: StoredModel) -> Maker:
    stored = standards.standard_of(model)
    if stored is None:
        raise PassError(f"No naming standard governs {model.name} now: choose one under Standard.")
    return Maker(standards.core_standard(stored, model), wordbooks.stack_of(model.area))


def _answers(maker: Maker, asked: Iterable[_Asked], taken: Mapping[str, set[str]]) -> dict[tuple[str, int], _Answer]:
    """Make names, scope by scope, each different from the others and from those that are taken there."""
    by_scope: dict[tuple[str, str], list[_Asked]] = defaultdict(list)
    for one in asked:
        by_scope[one.scope, one.kind].append(one)
    answers = {}
    used: dict[str, set[str]] = defaultdict(set)
    for (scope, kind), ones in by_scope.items():
        made = maker.make_all(kind, [one.business_name for one in ones], taken.get(scope, set()) | used[scope])  # type: ignore[arg-type]
        used[scope].update(one.name for one in made)
        rule = maker.rule(kind)  # type: ignore[arg-type]
        for one, answer in zip(ones, made, strict=True):
            answers[kind, one.id] = _Answer(answer.name, answer.notes, unsettled(rule, maker.stack, one.business_name))
    return answers


def _kept_names(naming_pass: NamingPass, scopes: Sequence[str]) -> dict[str, set[str]]:
    """Return, by scope, the names of the model that this pass leaves alone."""
    kept: dict[str, set[str]] = defaultdict(set)
    tables = [int(scope[1:]) for scope in scopes if scope[0] == "c"]
    mine = set(naming_pass.names.filter(scope__in=scopes).values_list("target", "object_id"))
    for table_id, pk, name in StoredColumn.objects.filter(table_id__in=tables, removed_at__isnull=True).values_list(
        "table_id", "pk", "name"
    ):
        if ("column", pk) not in mine:
            kept[f"c{table_id}"].add(name)
    schemas = [scope[1:] for scope in scopes if scope[0] == "t"]
    for schema, pk, name in StoredTable.objects.filter(
        model=naming_pass.model, schema__in=schemas, removed_at__isnull=True
    ).values_list("schema", "pk", "name"):
        if ("table", pk) not in mine:
            kept[f"t{schema}"].add(name)
    return kept


def _broken(maker: Maker, model: Model) -> set[str]:
    """Return the places whose name the standard speaks against."""
    return {
        one.place
        for one in Checker(maker.standard, maker.stack, renderer=render_confined).check(model)
        if one.kind in _KINDS
    }


def _shortener(maker: Maker, named: Sequence[Named]) -> Shortener:
    splitter = Splitter(maker.stack.abbreviations())
    splitter.learn(one.name for one in named)
    return Shortener(((one.name, one.business_name) for one in named if one.business_name), splitter, maker.stack)


def _target(id_: str) -> str:
    return "table" if id_[0] == "t" else "column"
