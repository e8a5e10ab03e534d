from django.db import migrations

UNIQUE = """
    select min(t.id) as id from model_table t join model m on m.id = t.model_id
    where m.layer = 'logical' and t.removed_at is null group by t.model_id, t.name having count(*) = 1
"""


class Migration(migrations.Migration):
    """An entity has a schema only where tables of several schemas have its name."""

    dependencies = [("dictionary", "0002_coverage"), ("modeling", "0007_plain_names")]

    operations = [
        migrations.RunSQL(
            f"update model_table set schema = '' where schema <> '' and id in ({UNIQUE})", migrations.RunSQL.noop
        ),
        migrations.RunSQL(
            "update dictionary_row set schema = '', sort_key = regexp_replace(sort_key, '^[^\x01]*', ''), "
            "text = replace(text, chr(10) || lower(schema) || '.', chr(10) || '.') "
            f"where schema <> '' and table_id in ({UNIQUE})",
            migrations.RunSQL.noop,
        ),
    ]
