import django.db.models.deletion
from django.db import migrations, models
from django.db.models import Deferrable, Q

TABLES = ("storedtable", "storedcolumn")
WITH_PROPERTIES = ("storedtable", "storedkey", "storedrelationship", "storedindex", "storedcheck", "storedobject")


class Migration(migrations.Migration):
    """Fields are called by the words of the trade. The view described_column follows by itself."""

    dependencies = [("modeling", "0006_changes_moved"), ("changes", "0001_moved")]

    operations = [
        *(migrations.RenameField(model, "gone_since", "removed_at") for model in TABLES),
        *(migrations.RenameField(model, "read_as", "source_name") for model in TABLES),
        *(migrations.RenameField(model, "facts", "properties") for model in WITH_PROPERTIES),
        migrations.RenameField("storedtable", "part", "table_role"),
        migrations.RenameModel("AssertionAside", "DetachedConstraint"),
        migrations.AlterModelTable("detachedconstraint", "detached_constraint"),
        migrations.AlterField(
            "storedobject",
            "model",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="model_objects", to="modeling.storedmodel"
            ),
        ),
        # Constraints and conditions follow the columns in the database; only their descriptions change.
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.RemoveConstraint("storedcolumn", "column_name_in_its_table"),
                migrations.RemoveConstraint("storedtable", "table_name_in_its_schema"),
                migrations.RemoveIndex("storedcolumn", "column_renamed"),
                migrations.RemoveIndex("storedtable", "table_renamed"),
                migrations.AddIndex(
                    "storedcolumn",
                    models.Index(condition=~Q(source_name=""), fields=["table"], name="column_renamed"),
                ),
                migrations.AddIndex(
                    "storedtable",
                    models.Index(condition=~Q(source_name=""), fields=["model"], name="table_renamed"),
                ),
                migrations.AddConstraint(
                    "storedcolumn",
                    models.UniqueConstraint(
                        fields=["table", "name", "removed_at"],
                        nulls_distinct=False,
                        deferrable=Deferrable.IMMEDIATE,
                        name="column_name_in_its_table",
                    ),
                ),
                migrations.AddConstraint(
                    "storedtable",
                    models.UniqueConstraint(
                        fields=["model", "schema", "name", "removed_at"],
                        nulls_distinct=False,
                        deferrable=Deferrable.IMMEDIATE,
                        name="table_name_in_its_schema",
                    ),
                ),
            ],
        ),
        migrations.RunSQL(
            "update change set field = 'table_role' where target = 'table' and field = 'part'",
            "update change set field = 'part' where target = 'table' and field = 'table_role'",
        ),
    ]
