from django.db import migrations


class Migration(migrations.Migration):
    """What a subtype is one of is told by its key, which follows renames; the text named it as it was once."""

    dependencies = [("modeling", "0007_plain_names")]

    operations = [
        migrations.RunSQL(
            "update model_table set table_role = regexp_replace(table_role, 'subtype of [^;]+', 'subtype') "
            "where table_role like '%subtype of %'",
            migrations.RunSQL.noop,
        )
    ]
