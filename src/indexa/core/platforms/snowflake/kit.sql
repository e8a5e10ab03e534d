-- Indexa field kit for Snowflake: the structure of your tables, for people who may not connect Indexa to it.
--
-- Reads the catalog only: no row of any table, and nothing is changed. Run it in the database to be read. Names of keys are not in this result: the platform shows them only by SHOW.
-- 1. Set the two settings below. 2. Run the whole file in any SQL client. 3. Save the one result as CSV or XLSX,
--    with its column names, and hand it in as a source of the kind "Result of a field kit".
--
-- One row is one column of a table; a column that is part of several keys comes once for each of them.

with settings as (select
  '%'   as schema_pattern,   -- SETTING 1: the schema in capitals, or a pattern with %
  'yes' as with_views        -- SETTING 2: yes = tables and views, no = tables only
)
select c.table_schema as schema_name, c.table_name as table_name,
       case t.table_type when 'VIEW' then 'view' when 'MATERIALIZED VIEW' then 'materialized view' else 'table' end as table_kind,
       c.ordinal_position as column_position, c.column_name as column_name,
       c.data_type || case
         when c.data_type = 'NUMBER' then '(' || c.numeric_precision || ',' || c.numeric_scale || ')'
         when c.data_type in ('TEXT', 'BINARY') and c.character_maximum_length is not null then '(' || c.character_maximum_length || ')'
         else '' end as data_type,
       c.is_nullable as nullable, c.column_default as default_value,
       case when c.is_identity = 'YES' then 'identity by default' end as generation,
       case tc.constraint_type when 'PRIMARY KEY' then 'primary' when 'UNIQUE' then 'unique' end as key_kind,
       tc.constraint_name as key_name, null as key_position, null as ref_schema, null as ref_table, null as ref_column,
       t.comment as table_description, c.comment as column_description
from settings s
join information_schema.tables t on t.table_schema like s.schema_pattern and t.table_schema <> 'INFORMATION_SCHEMA'
  and (t.table_type not in ('VIEW', 'MATERIALIZED VIEW') or s.with_views = 'yes')
join information_schema.columns c on c.table_schema = t.table_schema and c.table_name = t.table_name
left join information_schema.table_constraints tc on 1 = 0
order by c.table_schema, c.table_name, c.ordinal_position;
