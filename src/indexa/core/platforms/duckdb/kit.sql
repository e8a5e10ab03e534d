-- Indexa field kit for DuckDB 1.1 and later: the structure of your tables, for people who may not connect Indexa to it.
--
-- Reads the catalog only: no row of any table, and nothing is changed. It reads the file that the client has open.
-- 1. Set the two settings below. 2. Run the whole file in any SQL client. 3. Save the one result as CSV or XLSX,
--    with its column names, and hand it in as a source of the kind "Result of a field kit".
--
-- One row is one column of a table; a column that is part of several keys comes once for each of them.

with settings as (select
  '%'   as schema_pattern,   -- SETTING 1: the schema, or a pattern with %
  'yes' as with_views        -- SETTING 2: yes = tables and views, no = tables only
),
relations as (
  select schema_name, table_name, 'table' as kind, comment from duckdb_tables() where not internal and database_name = current_database()
  union all
  select schema_name, view_name, 'view', comment from duckdb_views() cross join settings
  where not internal and database_name = current_database() and with_views = 'yes'
),
keys as (
  select k.schema_name, k.table_name, k.constraint_column_names[k.place] as column_name,
         case k.constraint_type when 'PRIMARY KEY' then 'primary' when 'UNIQUE' then 'unique' else 'foreign' end as key_kind,
         k.constraint_name as key_name, k.place as key_position,
         case when k.constraint_type = 'FOREIGN KEY' then k.schema_name end as ref_schema, k.referenced_table as ref_table,
         k.referenced_column_names[k.place] as ref_column
  from (select *, unnest(range(1, len(constraint_column_names) + 1)) as place from duckdb_constraints()
        where database_name = current_database() and constraint_type in ('PRIMARY KEY', 'UNIQUE', 'FOREIGN KEY')) k
)
select r.schema_name, r.table_name, r.kind as table_kind, c.column_index as column_position, c.column_name, c.data_type,
       case when c.is_nullable then 'YES' else 'NO' end as nullable, c.column_default as default_value, null as generation,
       k.key_kind, k.key_name, k.key_position, k.ref_schema, nullif(k.ref_table, '') as ref_table, k.ref_column,
       r.comment as table_description, c.comment as column_description
from relations r
cross join settings s
join duckdb_columns() c on c.schema_name = r.schema_name and c.table_name = r.table_name and c.database_name = current_database()
left join keys k on k.schema_name = r.schema_name and k.table_name = r.table_name and k.column_name = c.column_name
where r.schema_name like s.schema_pattern
order by r.schema_name, r.table_name, c.column_index, k.key_kind, k.key_name;
