"""Views, routines and triggers, which rest on all else."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from indexa.core.change.steps import Steps
from indexa.core.ddl.code_made import make_routines, make_triggers, make_views, routines_by_need, views_in_order
from indexa.core.ddl.script import Statement


def _or_replace(text: str) -> str:
    return re.sub(r"^(\s*create)\s+(?!or\s+replace)", r"\1 OR REPLACE ", text, count=1, flags=re.IGNORECASE)


def _bare(arguments: str) -> str:
    """Return arguments as DROP takes them: without defaults."""
    return re.sub(r"\s+(DEFAULT|=)\s+[^,]+", "", arguments, flags=re.IGNORECASE)


class CodeSteps(Steps):
    """Writes the steps for code."""

    def drop_triggers(self) -> None:
        """Drop triggers that go or change."""
        for table in self.plan.tables:
            for part in table.parts:
                if part.what == "trigger" and part.before is not None:
                    name = self.quoted(part.before.name)
                    on = f" ON {self.path(table.before)}" if self.platform in ("postgresql", "greenplum") else ""
                    name = self.path_in(table.before.schema, part.before.name) if not on else name
                    self.step(
                        f"Drop the trigger {part.before.name}",
                        table.before.full_name,
                        [f"DROP TRIGGER {name}{on}"],
                        ids=[part.id],
                        kind="drop",
                    )

    def drop_views(self) -> None:
        """Drop views that go, change, or rest on what changes; those that others use last."""
        back = {view.full_name for view in self.plan.new_views}
        for view in reversed(views_in_order(self.plan.gone_views)):
            comes_back = self.name_after(view) in back
            if not comes_back and not self.options.allow_drops:
                self.keep(view.full_name, "a view that the model has not; drops were not asked for")
                continue
            kind = "MATERIALIZED VIEW" if view.kind == "materialized view" else "VIEW"
            why = "; it is made again below" if comes_back else ""
            self.step(
                f"Drop the view {view.full_name}{why}",
                view.full_name,
                [f"DROP {kind} {self.path(view)}"],
                kind="drop",
                ids=self.ids_of(view),
            )

    def routines(self, *, first: bool) -> None:
        """Make routines that come or changed: those that tables need before them, the others behind."""
        changes = {id(one.after): one for one in self.plan.objects if one.what == "routine" and one.after is not None}
        for_tables, for_views, others = routines_by_need(self.after)
        for routine in for_tables if first else [*for_views, *others]:
            change = changes.get(id(routine))
            if change is None:
                continue
            statements = self.made(lambda draft, one=routine: make_routines(draft, [one]), self.part_of())  # type: ignore[misc]
            drop: list[str | Statement] = []
            if change.before is not None:
                replaced = [msgspec.structs.replace(s, text=_or_replace(s.text)) for s in statements]
                if (
                    self.platform == "postgresql"
                    and change.before.returns == routine.returns
                    and change.before.kind == routine.kind
                ):
                    statements = replaced
                elif not re.match(r"create\s+or\s+replace", statements[0].text if statements else "", re.IGNORECASE):
                    drop = [self.drop_routine(change.before)]
            verb = "Change" if change.before is not None else "Make"
            self.step(
                f"{verb} the {routine.kind} {routine.name}",
                routine.name,
                [*drop, *statements],
                ids=[change.id],
                kind="routine",
            )
        if not first:
            for change in self.plan.objects:
                if change.what == "routine" and change.after is None:
                    self.drop_object(
                        change.before.name,
                        f"the {change.before.kind} {change.before.name}",
                        self.drop_routine(change.before),
                        change.id,
                    )

    def drop_routine(self, routine: Any) -> str:
        """Return the statement that drops a routine."""
        kind = {"procedure": "PROCEDURE", "aggregate": "AGGREGATE", "package": "PACKAGE", "event": "EVENT"}.get(
            routine.kind, "FUNCTION"
        )
        arguments = f"({_bare(routine.arguments)})" if self.platform in ("postgresql", "greenplum") else ""
        return f"DROP {kind} {self.path_in(routine.schema, routine.name)}{arguments}"

    def make_views(self) -> None:
        """Make views that come, changed, or were in the way."""
        model = self.part_of(tables=self.plan.new_views)
        for one in self.made(make_views, model):
            self.step(
                f"Make the {one.kind} {one.name}",
                f"{one.schema}.{one.name}",
                [one],
                kind="view",
                ids=[
                    i
                    for i in (f"table:{one.schema}.{one.name}:new", f"table:{one.schema}.{one.name}.definition_sql")
                    if i in self.plan.ids
                ],
            )

    def triggers(self) -> None:
        """Make triggers that come or changed."""
        tables = [
            msgspec.structs.replace(
                plan.after, triggers=[p.after for p in plan.parts if p.what == "trigger" and p.after is not None]
            )
            for plan in self.plan.tables
        ]
        model = self.part_of(tables=[*tables, *self.plan.new, *self.plan.new_views])
        for one in self.made(make_triggers, model):
            self.step(
                f"Make the trigger {one.name}",
                one.name,
                [one],
                kind="trigger",
                ids=[
                    p.id
                    for plan in self.plan.tables
                    for p in plan.parts
                    if p.what == "trigger" and p.after is not None and p.after.name == one.name
                ],
            )
