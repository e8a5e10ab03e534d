"""The view that says which words a column shows: its own, its attribute's, or those a foreign key brings."""

from django.db import migrations

VIEW = """
create view described_column as
select c.id, m.area_id, t.model_id, m.layer, c.table_id, t.schema, t.name as table_name, t.kind as table_kind,
       coalesce(nullif(t.business_name, ''), e.business_name, '') as table_business_name,
       coalesce(nullif(t.definition, ''), e.definition, '') as table_definition,
       c.name, c.position, c.type, c.family, c.nullable, c."default", c.identity, c.generated, c.collation,
       c.comment, c.roles, c.attribute_id,
       case when c.business_name <> '' then c.business_name
            when a.business_name <> '' then a.business_name
            when o.name = c.name then o.business_name else '' end as business_name,
       case when c.definition <> '' then c.definition
            when a.definition <> '' then a.definition
            else coalesce(o.definition, '') end as definition,
       case when c.definition <> '' then case when a.id is null then 'attribute' else 'column' end
            when a.definition <> '' then 'attribute'
            when o.definition <> '' then 'migrated' else '' end as definition_from,
       case when o.id is null then ''
            else coalesce(nullif(ot.business_name, ''), ot.name) end as migrated_entity,
       o.id as migrated_from_id
from model_column c
join model_table t on t.id = c.table_id
join model m on m.id = t.model_id
left join model_table e on e.id = t.entity_id
left join model_column a on a.id = c.attribute_id
left join model_column o on o.id = coalesce(a.migrated_from_id, c.migrated_from_id)
left join model_table ot on ot.id = o.table_id
where c.gone_since is null and t.gone_since is null
"""


class Migration(migrations.Migration):
    dependencies = [("modeling", "0001_initial")]
    operations = [migrations.RunSQL(VIEW, "drop view described_column")]
