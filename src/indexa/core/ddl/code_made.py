"""Views, routines and triggers: what runs, in the source's own words."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from indexa.core.ddl.draft import Draft
from indexa.core.ddl.indexes_made import make_index
from indexa.core.model import Routine, Table

_WORD = re.compile(r"\w+")


def make_views(draft: Draft) -> None:
    """Make views, those that others use first."""
    for view in views_in_order(draft.views):
        if not draft.same or not view.definition_sql:
            why = "its query is in the words of another platform" if view.definition_sql else "its query is not known"
            draft.note(view.full_name, f"a view: {why}")
            continue
        kind = "MATERIALIZED VIEW" if view.kind == "materialized view" else "VIEW"
        names = (
            f" ({draft.namer.listed(tuple(column.name for column in view.columns))})"
            if view.columns and draft.target.name != "bigquery"
            else ""
        )
        options = f" WITH ({', '.join(view.options)})" if view.options and draft.is_same("postgresql") else ""
        query = view.definition_sql.strip().rstrip(";")
        draft.add(
            "view",
            view.schema,
            view.name,
            f"CREATE {kind} {draft.path(view.schema, view.name)}{names}{options} AS\n{query}",
        )
        for index in view.indexes:
            make_index(draft, view, index)


def routines_by_need(draft: Draft) -> tuple[list[Routine], list[Routine], list[Routine]]:
    """Part routines: those that tables need, those that views need, and the others."""
    wanted = [one for one in draft.model.routines if draft.wanted(one.schema)]
    if not draft.same:
        for one in wanted:
            draft.note(f"{one.schema}.{one.name}", f"a {one.kind}: it is in the words of another platform")
        return [], [], []
    in_tables = _words_of(
        part
        for table in draft.tables
        for part in (
            *(column.default or "" for column in table.columns), *(column.generated or "" for column in table.columns),
            *(check.expression for check in table.checks), *(part.expression for index in table.indexes for part in index.parts),
        )
    )  # fmt: skip
    in_views = _words_of(view.definition_sql for view in draft.views)
    first = [one for one in wanted if one.name.lower() in in_tables]
    second = [one for one in wanted if one not in first and one.name.lower() in in_views]
    return first, second, [one for one in wanted if one not in first and one not in second]


def make_routines(draft: Draft, routines: Iterable[Routine]) -> None:
    """Make routines."""
    for one in routines:
        if statement := _routine(draft, one):
            draft.add("routine", one.schema, one.name, statement)
        else:
            draft.note(f"{one.schema}.{one.name}", f"a {one.kind}: its whole statement is not known")


def _routine(draft: Draft, one: Routine) -> str:
    """Return the statement that makes a routine; catalogs of some platforms keep only what follows its head."""
    definition = one.definition.strip()
    if not definition or re.match(r"(create|alter)\b", definition, re.IGNORECASE):
        return definition
    path = draft.path(one.schema, one.name)
    if draft.target.name == "duckdb":
        return f"CREATE MACRO {path}({one.arguments}) AS {'TABLE ' if one.returns == 'table' else ''}{definition}"
    if draft.target.name == "mysql" and one.kind in ("function", "procedure"):
        returns = f" RETURNS {one.returns}" if one.returns and one.kind == "function" else ""
        return f"CREATE {one.kind.upper()} {path}({one.arguments}){returns}\n{definition}"
    return ""


def make_triggers(draft: Draft) -> None:
    """Make triggers."""
    for table in (*draft.tables, *draft.views):
        for trigger in table.triggers:
            if not draft.same:
                draft.note(table.full_name, f"the trigger {trigger.name}: it is in the words of another platform")
                continue
            draft.add("trigger", table.schema, trigger.name, trigger.definition.strip())
            if not trigger.enabled and draft.target.name == "postgresql":
                path = draft.path_of(table)
                draft.add(
                    "table",
                    table.schema,
                    table.name,
                    f"ALTER TABLE {path} DISABLE TRIGGER {draft.namer.quoted(trigger.name)}",
                )


def _words_of(texts: Iterable[str]) -> set[str]:
    return {word.lower() for one in texts for word in _WORD.findall(one)}


def views_in_order(views: Sequence[Table]) -> list[Table]:
    """Return views with those that others use before them."""
    mentions = {view.full_name: _words_of([view.definition_sql]) for view in views}
    names = {view.name.lower(): view for view in views}
    done: dict[str, Table] = {}

    def visit(view: Table, way: tuple[str, ...]) -> None:
        if view.full_name in done or view.full_name in way:
            return
        for name in sorted(mentions[view.full_name] & names.keys()):
            if names[name] is not view:
                visit(names[name], (*way, view.full_name))
        done[view.full_name] = view

    for view in views:
        visit(view, ())
    return list(done.values())
