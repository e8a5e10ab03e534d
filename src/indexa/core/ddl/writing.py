"""A whole model as a script: every statement in the order in which a server takes it."""

from __future__ import annotations

from indexa.core.ddl.code_made import make_routines, make_triggers, make_views, routines_by_need
from indexa.core.ddl.columns import Columns, CommentedColumns
from indexa.core.ddl.comments_made import make_comments
from indexa.core.ddl.draft import Draft
from indexa.core.ddl.indexes_made import make_index
from indexa.core.ddl.script import Options, Script
from indexa.core.ddl.tables_made import foreign_key, in_order, inherit, make_table
from indexa.core.ddl.targets import TARGETS
from indexa.core.ddl.types_made import make_schemas, make_sequences, make_types, own_sequences
from indexa.core.errors import CoreError
from indexa.core.model import Model


class UnknownDialectError(CoreError):
    """DDL of a platform that is not known; the message lists those that are."""

    code = "ddl.dialect"


def write_ddl(model: Model, platform: str, options: Options | None = None) -> Script:
    """Return the script that makes a physical model on a platform.

    What the platform lacks is left out, each with a remark. Types, defaults and names are written as they are where the model is of
    the same platform, and translated otherwise. Raises UnknownDialectError.
    """
    if platform not in TARGETS:
        raise UnknownDialectError(
            f"“{platform}” is no platform that DDL is written for. Known: {', '.join(sorted(TARGETS))}."
        )
    draft = Draft(model, TARGETS[platform], options or Options())
    target = draft.target
    beside = target.comments in ("inline", "options") and draft.options.comments
    columns = (CommentedColumns if beside else Columns)(draft)
    if draft.options.drop_first:
        _drop(draft)
    make_schemas(draft)
    make_types(draft, columns)
    make_sequences(draft, columns)
    for_tables, for_views, others = routines_by_need(draft)
    make_routines(draft, for_tables)
    for table in draft.tables if target.adds_foreign_keys else in_order(draft.tables):
        make_table(draft, columns, table)
    for table in draft.tables:
        inherit(draft, table)
    own_sequences(draft)
    if target.adds_foreign_keys:
        _add_foreign_keys(draft)
    for table in draft.tables:
        for index in table.indexes:
            make_index(draft, table, index)
    make_routines(draft, for_views)
    make_views(draft)
    make_routines(draft, others)
    make_triggers(draft)
    if draft.options.comments:
        make_comments(draft)
    return Script(
        draft.statements, draft.remarks, target.terminator, target.batch, target.body_end, draft.options.header
    )


def _add_foreign_keys(draft: Draft) -> None:
    for table in draft.tables:
        for key in table.foreign_keys:
            if words := foreign_key(draft, table, key):
                draft.add("foreign key", table.schema, table.name, f"ALTER TABLE {draft.path_of(table)} ADD {words}")


def _drop(draft: Draft) -> None:
    exists = "IF EXISTS " if draft.target.drop_if_exists else ""
    cascade = " CASCADE" if draft.target.name in ("postgresql", "greenplum", "redshift", "snowflake") else ""
    cascade = " CASCADE CONSTRAINTS" if draft.target.name == "oracle" else cascade
    for view in reversed(draft.views):
        kind = "MATERIALIZED VIEW" if view.kind == "materialized view" else "VIEW"
        draft.add("drop", view.schema, view.name, f"DROP {kind} {exists}{draft.path(view.schema, view.name)}")
    for table in reversed(in_order(draft.tables)):
        draft.add("drop", table.schema, table.name, f"DROP TABLE {exists}{draft.path_of(table)}{cascade}")
    if draft.target.enums == "type":
        for enum in draft.model.enums:
            if draft.wanted(enum.schema):
                draft.add(
                    "drop",
                    enum.schema,
                    enum.name,
                    f"DROP TYPE {exists}{draft.path(enum.schema, enum.name)}{cascade}",
                )
