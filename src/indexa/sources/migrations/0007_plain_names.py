from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("sources", "0006_reconciliations_moved")]

    operations = [migrations.RenameField("schedule", "said", "message")]
