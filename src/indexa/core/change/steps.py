"""What all parts of a change script share: the plan, the platform, how names are written, and the steps so far."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

import msgspec

from indexa.core.change.planning import Plan
from indexa.core.change.script import Options, Risk, Step
from indexa.core.change.words import WORDS
from indexa.core.ddl.columns import Columns, CommentedColumns
from indexa.core.ddl.draft import Draft
from indexa.core.ddl.script import Options as DdlOptions
from indexa.core.ddl.script import Remark, Statement
from indexa.core.ddl.targets import TARGETS
from indexa.core.model import Model, Table

Made = Callable[[Draft], None]
_MEMBERS = ("schemas", "tables", "enums", "domains", "composites", "ranges", "sequences", "routines")


class Steps:
    """A change script that is being written."""

    def __init__(self, plan: Plan, platform: str, options: Options) -> None:
        comparison = plan.comparison
        self.plan, self.platform, self.options = plan, platform, options
        self.words, self.target = WORDS.get(platform, WORDS["postgresql"]), TARGETS[platform]
        self.in_transaction = self.words.transactional and not (options.online and platform == "postgresql")
        """Whether all steps are one transaction."""
        ddl = DdlOptions(comments=options.comments)
        self.before, self.after = Draft(comparison.before, self.target, ddl), Draft(comparison.after, self.target, ddl)
        self.quoted = self.after.namer.quoted
        inline = self.target.comments in ("inline", "options") and options.comments
        self.columns = (CommentedColumns if inline else Columns)(self.after)
        self.steps: list[Step] = []
        self.kept: list[Remark] = []

    def step(
        self,
        what: str,
        object_: str,
        statements: Iterable[str | Statement],
        *,
        risk: Risk = "safe",
        ids: Iterable[str] = (),
        check: str = "",
        fill: str = "",
        kind: str = "table",
    ) -> None:
        """Put a step at the end; one without statements is none."""
        given = list(statements)
        found = [one if isinstance(one, Statement) else Statement(kind, "", object_, one) for one in given if one]
        if given and not found:
            self.keep(object_, f"{what}: the platform can't")
        if found:
            self.steps.append(
                Step(
                    what=what,
                    object=object_,
                    statements=found,
                    risk=risk,
                    differences=tuple(ids),
                    check=check,
                    fill=fill,
                )
            )

    def keep(self, object_: str, why: str) -> None:
        """Note a difference that the script leaves."""
        remark = Remark(object_, why)
        if remark not in self.kept:
            self.kept.append(remark)

    def made(self, work: Made, model: Model | None = None) -> list[Statement]:
        """Return the statements that a part of the DDL writer makes of the later model, or of a part of it."""
        draft = Draft(model or self.plan.comparison.after, self.target, DdlOptions(comments=self.options.comments))
        draft.shown = self.after.shown
        work(draft)
        for remark in draft.remarks:
            self.keep(remark.object, remark.what)
        return draft.statements

    def part_of(self, **members: Any) -> Model:
        """Return the later model with only some of its parts."""
        after = self.plan.comparison.after
        empty: dict[str, Any] = {name: [] for name in _MEMBERS}
        return msgspec.structs.replace(after, **(empty | members))

    def path(self, table: Table) -> str:
        """Return the full name of a table in the later state, or in the earlier one for what is dropped."""
        return self.after.path_of(table)

    def path_in(self, schema: str, name: str) -> str:
        """Return the full name of something in a schema."""
        return self.after.path(schema, name)

    def name_after(self, table: Table) -> str:
        """Return the full name that a table of the earlier state has in the later one."""
        schema, name = self.plan.after_name((table.schema, table.name))
        return f"{schema}.{name}" if schema else name

    def ids_of(self, table: Table) -> list[str]:
        """Return the differences of a table by its earlier name, or of a new one."""
        return [
            id_ for id_ in (f"table:{table.full_name}:gone", f"table:{table.full_name}:new") if id_ in self.plan.ids
        ]

    def drop_object(self, name: str, words: str, statement: str, id_: str) -> None:
        """Drop something that belongs to no table, if drops were asked for."""
        if self.options.allow_drops:
            self.step(f"Drop {words}", name, [statement], ids=[id_], kind="drop")
        else:
            self.keep(name, f"{words} that the model has not; drops were not asked for")

    @property
    def renames_constraints(self) -> bool:
        """Return whether keys and indexes can be given another name."""
        return self.platform == "postgresql"
