"""The change script between two models, and the one that takes it back."""

from __future__ import annotations

from collections.abc import Collection

from indexa.core.change.altering import Altering
from indexa.core.change.mysql import AlteringMySQL
from indexa.core.change.online import AlteringOnline
from indexa.core.change.planning import plan
from indexa.core.change.rebuilding import Rebuilding
from indexa.core.change.script import RISKS, ChangeScript, Options, Risk
from indexa.core.compare.comparing import Comparison, compare
from indexa.core.compare.matching import KnownRenames
from indexa.core.ddl.targets import TARGETS
from indexa.core.ddl.writing import UnknownDialectError
from indexa.core.model import Model

_ANEW = frozenset({"sqlite", "duckdb"})
"""Platforms that change a table by making it anew."""


def write_change(
    before: Model,
    after: Model,
    platform: str,
    options: Options | None = None,
    *,
    rejected_renames: Collection[str] = (),
    paired: KnownRenames | None = None,
) -> ChangeScript:
    """Return the script that brings a database with the structure `before` to `after`, rows kept. Raises UnknownDialectError."""
    return change_of(compare(before, after, rejected_renames, paired=paired), platform, options)


def change_of(comparison: Comparison, platform: str, options: Options | None = None) -> ChangeScript:
    """Return the script for all differences of a comparison. Raises UnknownDialectError."""
    if platform not in TARGETS:
        raise UnknownDialectError(
            f"“{platform}” is no platform that change scripts are written for. Known: {', '.join(sorted(TARGETS))}."
        )
    writer = Rebuilding if platform in _ANEW else AlteringMySQL if platform == "mysql" else Altering
    options = options or Options()
    online = options.online and platform == "postgresql"
    writer = AlteringOnline if online else writer
    made = writer(plan(comparison, drops=options.allow_drops), platform, options)
    made.run()
    target = TARGETS[platform]
    words = made.words
    return ChangeScript(
        platform=platform, steps=made.steps, kept=made.kept, transactional=made.in_transaction, terminator=target.terminator,
        batch=target.batch, body_end=target.body_end, begin=list(words.begin) if made.steps and not online else [],
        end=list(words.end) if made.steps and not online else [],
    )  # fmt: skip


def revert_of(comparison: Comparison, platform: str) -> ChangeScript:
    """Return the script that takes a change back; what was dropped comes back empty, and it says so."""
    forward = comparison.forward
    names = KnownRenames(
        list(forward.tables.items()),
        [
            (forward.tables.get(table, table), old, new)
            for table, columns in forward.columns.items()
            for old, new in columns.items()
        ],
    )
    return change_of(
        compare(comparison.after, comparison.before, renames=names.reversed()), platform, Options(allow_drops=True)
    )


def risks_of_differences(comparison: Comparison, platform: str) -> dict[str, Risk]:
    """Return by id the greatest risk of the steps that would settle each difference; {} for a platform without change scripts."""
    if platform not in TARGETS:
        return {}
    order = {risk: place for place, risk in enumerate(RISKS)}
    found: dict[str, Risk] = {}
    for step in change_of(comparison, platform, Options(allow_drops=True)).steps:
        for id_ in step.differences:
            if order[step.risk] >= order[found.get(id_, "safe")]:
                found[id_] = step.risk
    return found
