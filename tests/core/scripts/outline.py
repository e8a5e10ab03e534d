"""A model as short lines of text, for comparing it with what a case expects."""

from indexa.core.intake.receipt import Receipt
from indexa.core.model import Column, Composite, Domain, Enum, ForeignKey, Model, Routine, Sequence, Table


def outline(model: Model, receipt: Receipt) -> str:
    """Write down what counts of a model and its receipt, a line a part."""
    lines = [f"schema {one.name}: {one.comment}" for one in model.schemas if one.comment]
    for table in sorted(model.tables, key=lambda table: table.full_name):
        lines += _table(table)
    lines += [f"enum {_path(one)}: {', '.join(one.values)}" for one in model.enums]
    lines += [f"domain {_path(one)}: {one.type}{'' if one.nullable else ' not null'}" for one in model.domains]
    lines += [f"composite {_path(one)}: {', '.join(f.name for f in one.fields)}" for one in model.composites]
    lines += [f"sequence {_path(one)} from {one.start} by {one.increment}" for one in model.sequences]
    lines += [f"{one.kind} {_path(one)}({one.arguments}) {one.returns}".rstrip() for one in model.routines]
    lines += [f"! {note.fate}: {note.kind} ×{note.count}: {note.reason} [{note.place}]" for note in receipt.notes]
    return "\n".join(lines) + "\n"


def _path(part: Enum | Domain | Composite | Sequence | Routine) -> str:
    return f"{part.schema}.{part.name}" if part.schema else part.name


def _table(table: Table) -> list[str]:
    head = " ".join(part for part in (table.kind, table.full_name, " ".join(f"<{o}>" for o in table.options)) if part)
    lines = [head + (f" -- {table.comment}" if table.comment else "")]
    lines += [f"  {_column(column)}" for column in table.columns]
    if table.primary_key:
        lines.append(f"  primary key {table.primary_key.name} ({', '.join(table.primary_key.columns)})")
    lines += [f"  unique {key.name} ({', '.join(key.columns)})" for key in table.unique]
    lines += [f"  {_reference(key)}" for key in table.foreign_keys]
    lines += [f"  check {one.name}: {one.expression}" for one in table.checks]
    for index in table.indexes:
        parts = ", ".join(
            f"{part.column or part.expression}{' desc' if part.descending else ''}" for part in index.parts
        )
        lines.append(f"  {'unique ' if index.unique else ''}index {index.name} {index.method} ({parts})")
    lines += [f"  trigger {one.name}" for one in table.triggers]
    if table.partition_by:
        lines.append(f"  partition by {table.partition_by}")
    lines += [f"  partition {one.name}: {one.bound}" for one in table.partitions]
    lines += [f"  inherits {parent}" for parent in table.inherits]
    return lines


def _column(column: Column) -> str:
    parts = [column.name, column.type or "?"]
    parts += ["not null"] * (not column.nullable)
    parts += [f"default {column.default}"] * (column.default is not None)
    parts += [f"identity {column.identity}"] * bool(column.identity)
    parts += [f"as ({column.generated})"] * (column.generated is not None)
    parts += [f"collate {column.collation}"] * bool(column.collation)
    parts += [f"-- {column.comment}"] * bool(column.comment)
    parts += [f"?? {column.remark}"] * bool(column.remark)
    return " ".join(parts)


def _reference(key: ForeignKey) -> str:
    target = f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table
    actions = "".join(
        f" on {when} {action}"
        for when, action in (("delete", key.on_delete), ("update", key.on_update))
        if action != "no action"
    )
    return f"foreign key {key.name} ({', '.join(key.columns)}) -> {target} ({', '.join(key.ref_columns)}){actions}"
