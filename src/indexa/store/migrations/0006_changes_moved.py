"""Change sets have moved into an app of their own; the tables stay as they are."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [
        ("modeling", "0005_proposals_and_readings"),
        ("changes", "0001_moved"),
        ("naming", "0003_changes_moved"),
        ("proposals", "0002_changes_moved"),
        ("sources", "0005_changes_moved"),
    ]
    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[migrations.DeleteModel("Change"), migrations.DeleteModel("ChangeSet")]
        )
    ]
