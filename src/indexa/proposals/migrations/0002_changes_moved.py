"""Change sets have moved into an app of their own; the table is the same."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("proposals", "0001_proposals_and_readings"), ("changes", "0001_moved")]
    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AlterField(
                    "storedproposal",
                    "change_set",
                    models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="changes.changeset"),
                ),
            ]
        )
    ]
