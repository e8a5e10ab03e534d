"""What is said of columns stands in the dictionary's rows, and the coverage counts what is owned and classified."""

import django.contrib.postgres.fields
import django.contrib.postgres.indexes
from django.db import migrations, models

_NAMES = ("columns", "named", "described", "owned", "classified")


def _counting(names):
    counts = ", ".join("count(*) as columns" if one == "columns" else f"count(*) filter (where {one}) as {one}" for one in names)
    listed, taken = ", ".join(names), ", ".join(f"-{one}" for one in names)
    sums = ", ".join(f"sum({one})" for one in names)
    adding = ", ".join(f"{one} = t.{one} + excluded.{one}" for one in names)
    changed = " or ".join(f"sum({one}) <> 0" for one in names)
    conflict = f"on conflict (table_id) do update set {adding};"
    removed = f"select table_id, model_id, {taken} from (select table_id, model_id, {counts} from removed group by 1, 2) r"
    insert = f"insert into dictionary_coverage as t (table_id, model_id, {listed})"
    return f"""
create or replace function dictionary_coverage_count() returns trigger language plpgsql as $$
begin
  if tg_op = 'INSERT' then
    {insert} select table_id, model_id, {counts} from added group by 1, 2 order by 1 {conflict}
  elsif tg_op = 'UPDATE' then
    {insert} select table_id, model_id, {sums} from (
      select table_id, model_id, {counts} from added group by 1, 2 union all {removed}
    ) changes group by 1, 2 having {changed} order by 1 {conflict}
  else
    {insert} {removed} order by 1 {conflict}
    delete from dictionary_coverage where columns <= 0 and table_id in (select table_id from removed);
  end if;
  return null;
end $$;
"""


class Migration(migrations.Migration):

    dependencies = [
        ('dictionary', '0003_entities_without_schema'),
        ('describing', '0002_what_holds'),
    ]

    operations = [
        migrations.AddField(
            model_name='dictionarycoverage',
            name='classified',
            field=models.IntegerField(db_default=0, default=0),
        ),
        migrations.AddField(
            model_name='dictionarycoverage',
            name='owned',
            field=models.IntegerField(db_default=0, default=0),
        ),
        migrations.AddField(
            model_name='dictionaryrow',
            name='classified',
            field=models.BooleanField(db_default=False, default=False),
        ),
        migrations.AddField(
            model_name='dictionaryrow',
            name='owned',
            field=models.BooleanField(db_default=False, default=False),
        ),
        migrations.AddField(
            model_name='dictionaryrow',
            name='said',
            field=django.contrib.postgres.fields.ArrayField(base_field=models.TextField(), db_default=[], default=list, size=None),
        ),
        migrations.AddIndex(
            model_name='dictionaryrow',
            index=django.contrib.postgres.indexes.GinIndex(fields=['said'], name='dictionary_said'),
        ),
        migrations.RunSQL(_counting(_NAMES), _counting(_NAMES[:3])),
    ]
