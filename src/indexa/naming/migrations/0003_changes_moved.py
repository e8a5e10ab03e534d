"""Change sets have moved into an app of their own; the table is the same."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("naming", "0002_directions_doubts_and_stacks"), ("changes", "0001_moved")]
    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AlterField(
                    "namingpass",
                    "change_set",
                    models.OneToOneField(
                        null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="naming_pass", to="changes.changeset"
                    ),
                ),
            ]
        )
    ]
