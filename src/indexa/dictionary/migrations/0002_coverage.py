"""How many columns of each table there are, are named and described: counted by the database as its rows change.

Pages ask this of whole models; counting a million rows for each of them would take long. The triggers see what a
statement changed as a whole, so that a bulk load pays for one more grouping and no more.
"""

from __future__ import annotations

from django.db import migrations, models

COUNTS = "count(*) as columns, count(*) filter (where named) as named, count(*) filter (where described) as described"
COUNT = f"""
create function dictionary_coverage_count() returns trigger language plpgsql as $$
begin
  if tg_op = 'INSERT' then
    insert into dictionary_coverage as t (table_id, model_id, columns, named, described)
    select table_id, model_id, {COUNTS} from added group by 1, 2 order by 1
    on conflict (table_id) do update set columns = t.columns + excluded.columns, named = t.named + excluded.named,
      described = t.described + excluded.described;
  elsif tg_op = 'UPDATE' then
    insert into dictionary_coverage as t (table_id, model_id, columns, named, described)
    select table_id, model_id, sum(columns), sum(named), sum(described) from (
      select table_id, model_id, {COUNTS} from added group by 1, 2
      union all
      select table_id, model_id, -columns, -named, -described
      from (select table_id, model_id, {COUNTS} from removed group by 1, 2) r
    ) changes group by 1, 2 having sum(columns) <> 0 or sum(named) <> 0 or sum(described) <> 0 order by 1
    on conflict (table_id) do update set columns = t.columns + excluded.columns, named = t.named + excluded.named,
      described = t.described + excluded.described;
  else
    insert into dictionary_coverage as t (table_id, model_id, columns, named, described)
    select table_id, model_id, -columns, -named, -described
    from (select table_id, model_id, {COUNTS} from removed group by 1, 2) r order by 1
    on conflict (table_id) do update set columns = t.columns + excluded.columns, named = t.named + excluded.named,
      described = t.described + excluded.described;
    delete from dictionary_coverage where columns <= 0 and table_id in (select table_id from removed);
  end if;
  return null;
end $$;
create trigger dictionary_coverage_inserted after insert on dictionary_row
  referencing new table as added for each statement execute function dictionary_coverage_count();
create trigger dictionary_coverage_updated after update on dictionary_row
  referencing new table as added old table as removed for each statement execute function dictionary_coverage_count();
create trigger dictionary_coverage_deleted after delete on dictionary_row
  referencing old table as removed for each statement execute function dictionary_coverage_count();
insert into dictionary_coverage (table_id, model_id, columns, named, described)
select table_id, model_id, {COUNTS} from dictionary_row group by 1, 2;
"""
UNCOUNT = """
drop trigger dictionary_coverage_inserted on dictionary_row;
drop trigger dictionary_coverage_updated on dictionary_row;
drop trigger dictionary_coverage_deleted on dictionary_row;
drop function dictionary_coverage_count();
"""


class Migration(migrations.Migration):
    dependencies = [("dictionary", "0001_initial")]
    operations = [
        migrations.CreateModel(
            "DictionaryCoverage",
            [
                ("table_id", models.BigIntegerField(primary_key=True, serialize=False)),
                ("model_id", models.BigIntegerField(db_index=True)),
                ("columns", models.IntegerField()),
                ("named", models.IntegerField()),
                ("described", models.IntegerField()),
            ],
            {"db_table": "dictionary_coverage"},
        ),
        migrations.RunSQL(COUNT, UNCOUNT),
    ]
