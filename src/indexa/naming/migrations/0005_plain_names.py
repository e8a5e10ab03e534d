from django.contrib.postgres.indexes import GinIndex
from django.db import migrations

KEYS = (("word", "shorts", "abbreviations"), ("word", "beside", "context_words"), ("pass word", "beside", "context_words"))


def renamed(target: str, old: str, new: str) -> str:
    """Return a statement that renames a key of the records that changes hold."""
    return "".join(
        f"update change set {side} = ({side} - '{old}') || jsonb_build_object('{new}', {side}->'{old}') "
        f"where target = '{target}' and jsonb_typeof({side}) = 'object' and {side} ? '{old}';"
        for side in ("before", "after")
    )


class Migration(migrations.Migration):
    """Fields are called by the words of the trade, in what changes keep of words too."""

    dependencies = [("naming", "0004_words_in_change_sets"), ("changes", "0001_moved")]

    operations = [
        migrations.RenameModel("Doubt", "TermIssue"),
        migrations.RenameField("bookword", "shorts", "abbreviations"),
        migrations.RenameField("bookword", "beside", "context_words"),
        migrations.RenameField("passname", "beside", "context_words"),
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.RemoveIndex("bookword", "word_by_short_form"),
                migrations.AddIndex("bookword", GinIndex(fields=["abbreviations"], name="word_by_short_form")),
            ],
        ),
        migrations.RunSQL(
            "".join(renamed(*key) for key in KEYS),
            "".join(renamed(target, new, old) for target, old, new in KEYS),
        ),
    ]
