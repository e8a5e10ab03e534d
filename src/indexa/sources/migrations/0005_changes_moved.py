"""Change sets have moved into an app of their own; the table is the same."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("sources", "0004_scans_and_targets"), ("changes", "0001_moved")]
    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AlterField(
                    "rereading",
                    "change_set",
                    models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="changes.changeset"),
                ),
            ]
        )
    ]
