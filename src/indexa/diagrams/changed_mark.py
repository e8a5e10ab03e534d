"""The mark that tells which tables the last reading of the source changed."""

from __future__ import annotations

from indexa.changes.models import Change, ChangeSet
from indexa.core.diagram.marks import Mark, Values, register_mark
from indexa.core.diagram.parts import Drawing
from indexa.store.models import StoredTable

NEW, CHANGED, SAME = "new in the last reading", "changed by the last reading", "as before the last reading"


def _changed(drawing: Drawing) -> Values:
    """Return what the last later reading did to each table, in three queries; nothing where there was only a first one."""
    ids = {int(card.id[1:]): card.key for card in drawing.cards if card.id}
    tables = StoredTable.objects.filter(pk__in=ids).only("pk", "model_id", "schema", "name", "source_name")
    by_name = {(table.model_id, name): ids[table.pk] for table in tables for name in _names(table)}
    models = {model_id for model_id, _ in by_name}
    last = ChangeSet.objects.filter(
        model_id__in=models, kind=ChangeSet.Kind.INTAKE, before_snapshot__isnull=False, in_force=True
    )
    newest = {one.model_id: one.pk for one in last.order_by("pk").only("pk", "model_id")}
    if not newest:
        return {}
    values = dict.fromkeys(ids.values(), SAME)
    changes = Change.objects.filter(change_set_id__in=newest.values(), object_id=0)
    for model_id, label, field in changes.values_list("change_set__model_id", "label", "field"):
        name = label.partition(", ")[0]
        while name and (model_id, name) not in by_name:
            name = name.rpartition(".")[0]
        if not name:
            continue
        key = by_name[model_id, name]
        is_new = field == "new" and name == label
        if is_new or values[key] != NEW:
            values[key] = NEW if is_new else CHANGED
    return values


def _names(table: StoredTable) -> set[str]:
    """Return the full names under which changes tell of a table: today's, and that in the source."""
    prefix = f"{table.schema}." if table.schema else ""
    return {table.full_name, f"{prefix}{table.source_name}"} if table.source_name else {table.full_name}


register_mark(Mark("changed", "changed by the last reading", _changed))
