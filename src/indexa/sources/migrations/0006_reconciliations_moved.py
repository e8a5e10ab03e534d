from django.db import migrations


class Migration(migrations.Migration):
    """What later readings found belongs to the app `reconcile` from here on."""

    dependencies = [
        ("sources", "0005_changes_moved"),
        ("reconcile", "0001_initial"),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.DeleteModel(name="FoundDifference"),
                migrations.DeleteModel(name="Rereading"),
            ],
        ),
    ]
