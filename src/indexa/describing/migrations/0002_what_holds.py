"""What holds for columns and tables under each aspect, and where it was said: own, or of something above it."""

from django.db import migrations

_ABOVE = """
left join aspect_assignment st on a.inherited and st.aspect_id = a.id and st.level = 'table' and st.object_id = t.id and st.value <> ''
left join aspect_assignment se on a.inherited and se.aspect_id = a.id and se.level = 'table' and se.object_id = t.entity_id and se.value <> ''
left join aspect_assignment ss on a.inherited and ss.aspect_id = a.id and ss.level = 'schema' and ss.object_id = m.id and ss.schema = t.schema
  and ss.value <> ''
left join aspect_assignment sm on a.inherited and sm.aspect_id = a.id and sm.level = 'model' and sm.object_id = m.id and sm.value <> ''
left join aspect_assignment sl on a.inherited and sl.aspect_id = a.id and sl.level = 'model' and sl.object_id = m.logical_id and sl.value <> ''
left join aspect_assignment sr on a.inherited and sr.aspect_id = a.id and sr.level = 'area' and sr.object_id = m.area_id and sr.value <> ''
"""
_REST_VALUE = "ss.value, sm.value, sl.value, sr.value, a.default_value"
_REST_ORIGIN = """when ss.value is not null then 'schema' when sm.value is not null then 'model'
  when sl.value is not null then 'logical' when sr.value is not null then 'area' when a.default_value <> '' then 'default' else '' end"""

COLUMNS = f"""
create view column_aspect as
select c.id as column_id, c.table_id, t.model_id, a.id as aspect_id, a.kind,
  coalesce(sc.value, sa.value, st.value, se.value, {_REST_VALUE}) as value,
  case when sc.value is not null then 'own' when sa.value is not null then 'attribute' when st.value is not null then 'table'
  when se.value is not null then 'entity' {_REST_ORIGIN} as origin
from model_column c
join model_table t on t.id = c.table_id
join model m on m.id = t.model_id
join aspect a on a.area_id = m.area_id and 'column' = any(a.applies)
left join aspect_assignment sc on sc.aspect_id = a.id and sc.level = 'column' and sc.object_id = c.id and sc.value <> ''
left join aspect_assignment sa on sa.aspect_id = a.id and sa.level = 'column' and sa.object_id = c.attribute_id and sa.value <> ''
{_ABOVE}
where c.removed_at is null and t.removed_at is null
"""
# A scheme that raises gives a table the highest value that is said of one of its columns.
TABLES = f"""
create view table_aspect as
select x.table_id, x.model_id, x.aspect_id, x.kind,
  case when r.rank > coalesce(v.rank, -1) then 'c' || r.id else x.value end as value,
  case when r.rank > coalesce(v.rank, -1) then 'raised' else x.origin end as origin
from (
  select t.id as table_id, t.model_id, t.entity_id, a.id as aspect_id, a.kind, a.raises,
    coalesce(st.value, se.value, {_REST_VALUE}) as value,
    case when st.value is not null then 'own' when se.value is not null then 'entity' {_REST_ORIGIN} as origin
  from model_table t
  join model m on m.id = t.model_id
  join aspect a on a.area_id = m.area_id and 'table' = any(a.applies)
  {_ABOVE.replace("a.inherited and st.aspect_id", "st.aspect_id").replace("a.inherited and se.aspect_id", "se.aspect_id")}
  where t.removed_at is null
) x
left join aspect_value v on x.raises and v.aspect_id = x.aspect_id and 'c' || v.id = x.value
left join lateral (
  select h.id, h.rank from model_column c
  join aspect_assignment s on s.aspect_id = x.aspect_id and s.level = 'column' and s.object_id in (c.id, c.attribute_id) and s.value <> ''
  join aspect_value h on h.aspect_id = x.aspect_id and 'c' || h.id = s.value
  where x.raises and c.table_id = x.table_id and c.removed_at is null
  order by h.rank desc limit 1
) r on true
"""


class Migration(migrations.Migration):
    dependencies = [("describing", "0001_initial"), ("modeling", "0010_starters")]
    operations = [
        migrations.RunSQL(COLUMNS, "drop view column_aspect"),
        migrations.RunSQL(TABLES, "drop view table_aspect"),
    ]
