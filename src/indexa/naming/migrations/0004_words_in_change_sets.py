"""Changes of words become change sets as all others are; what was kept of them is taken over, with what was undone."""

from __future__ import annotations

from typing import Any

from django.db import migrations


def take_over(apps: Any, _: Any) -> None:
    """Make a change set of each change of words, and an undo of each that was undone."""
    word_changes = apps.get_model("naming", "WordChange")
    pass_words = apps.get_model("naming", "PassWord")
    change_sets, changes = apps.get_model("changes", "ChangeSet"), apps.get_model("changes", "Change")
    for old in word_changes.objects.order_by("pk").iterator():
        kept = {"area_id": old.area_id, "person_id": old.person_id, "why": old.what}
        made = change_sets.objects.create(**kept, kind="edit", in_force=old.undone_at is None)
        change_sets.objects.filter(pk=made.pk).update(at=old.at)
        rows = []
        for pk, before in old.before.items():
            after = old.after.get(pk)
            operation = "create" if before is None else "delete" if after is None else "update"
            rows.append((operation, "word", int(pk), (after or before or {}).get("word", ""), "record", before, after))
        chosen = dict(pass_words.objects.filter(pk__in=old.settled).values_list("pk", "chosen"))
        for pk in old.settled:
            word = chosen.get(pk, "")
            rows.append(("update", "pass word", pk, word, "settled", None, {"chosen": word, "beside": []}))
        rows += [("update", "doubt", pk, old.what, "state", "open", "taken") for pk in old.doubts]
        _write(changes, made, rows)
        if old.undone_at is not None:
            undone = change_sets.objects.create(**kept, kind="undo", undoes=made)
            change_sets.objects.filter(pk=undone.pk).update(at=old.undone_at)
            opposite = {"create": "delete", "delete": "create", "update": "update"}
            _write(changes, undone, [(opposite[o], t, pk, lb, f, a, b) for o, t, pk, lb, f, b, a in reversed(rows)])


def _write(changes: Any, change_set: Any, rows: list[tuple[Any, ...]]) -> None:
    names = ("operation", "target", "object_id", "label", "field", "before", "after")
    changes.objects.bulk_create(
        (changes(change_set=change_set, **dict(zip(names, row, strict=True))) for row in rows), batch_size=2_000
    )


class Migration(migrations.Migration):
    dependencies = [("naming", "0003_changes_moved"), ("modeling", "0006_changes_moved")]
    operations = [migrations.RunPython(take_over), migrations.DeleteModel("WordChange")]
