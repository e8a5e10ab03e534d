-- Indexa field kit for Snowflake: the structure of your tables, for people who may not connect Indexa to it.
--
-- Reads the catalog only: no row of any table, and nothing is changed. Use the database to be read first.
-- 1. Set the two settings below. 2. Run the whole file at once, in one session: keys are shown by SHOW alone, and the last
--    statement reads what the three before it gave (each gives 10,000 rows at most). 3. Save the result of the last one
--    as CSV or XLSX, with its column names, and hand it in as a source of the kind "Result of a field kit".
--
-- One row is one column of a table; a column that is part of several keys comes once for each of them.

show primary keys in database;
show unique keys in database;
show imported keys in database;

with settings as (select
  '%'   as schema_pattern,   -- SETTING 1: the schema in capitals, or a pattern with %
  'yes' as with_views        -- SETTING 2: yes = tables and views, no = tables only
),
key_columns as (
  select "schema_name" as schema_name, "table_name" as table_name, "column_name" as column_name, 'primary' as key_kind,
         "constraint_name" as key_name, "key_sequence" as key_position,
         null::varchar as ref_schema, null::varchar as ref_table, null::varchar as ref_column
  from table(result_scan(last_query_id(-3)))
  union all
  select "schema_name", "table_name", "column_name", 'unique', "constraint_name", "key_sequence", null, null, null
  from table(result_scan(last_query_id(-2)))
  union all
  select "fk_schema_name", "fk_table_name", "fk_column_name", 'foreign', "fk_name", "key_sequence",
         "pk_schema_name", "pk_table_name", "pk_column_name"
  from table(result_scan(last_query_id(-1)))
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
       k.key_kind, k.key_name, k.key_position, k.ref_schema, k.ref_table, k.ref_column,
       t.comment as table_description, c.comment as column_description
from settings s
join information_schema.tables t on t.table_schema like s.schema_pattern and t.table_schema <> 'INFORMATION_SCHEMA'
  and (t.table_type not in ('VIEW', 'MATERIALIZED VIEW') or s.with_views = 'yes')
join information_schema.columns c on c.table_schema = t.table_schema and c.table_name = t.table_name
left join key_columns k
  on k.schema_name = c.table_schema and k.table_name = c.table_name and k.column_name = c.column_name
order by c.table_schema, c.table_name, c.ordinal_position, k.key_kind, k.key_name;
