-- Indexa field kit for MariaDB 10.2, MySQL 5.7 and later: the structure of your tables, for people who may not connect Indexa to it.
--
-- Reads the catalog only: no row of any table, and nothing is changed. The login sees the tables it has any right on.
-- 1. Set the two settings below. 2. Run the whole file in any SQL client. 3. Save the one result as CSV or XLSX,
--    with its column names, and hand it in as a source of the kind "Result of a field kit".
--
-- One row is one column of a table; a column that is part of several keys comes once for each of them.

select c.table_schema as schema_name, c.table_name as table_name,
       case when t.table_type like '%VIEW' then 'view' else 'table' end as table_kind,
       c.ordinal_position as column_position, c.column_name as column_name, c.column_type as data_type, c.is_nullable as nullable,
       c.column_default as default_value,
       case when c.extra like '%auto_increment%' then 'identity by default'
            when c.generation_expression <> '' then concat('generated: ', c.generation_expression) end as generation,
       k.key_kind, k.constraint_name as key_name, k.ordinal_position as key_position,
       k.referenced_table_schema as ref_schema, k.referenced_table_name as ref_table, k.referenced_column_name as ref_column,
       case when t.table_type like '%VIEW' then '' else t.table_comment end as table_description,
       c.column_comment as column_description
from (select
  '%'   as schema_pattern,   -- SETTING 1: the schema (a database), or a pattern with %
  'yes' as with_views        -- SETTING 2: yes = tables and views, no = tables only
) s
join information_schema.tables t on t.table_schema like s.schema_pattern
  and t.table_schema not in ('information_schema', 'mysql', 'performance_schema', 'sys')
  and t.table_type <> 'SEQUENCE' and (t.table_type not like '%VIEW' or s.with_views = 'yes')
join information_schema.columns c on c.table_schema = t.table_schema and c.table_name = t.table_name
left join (
  select u.*, case when u.referenced_table_name is not null then 'foreign' when u.constraint_name = 'PRIMARY' then 'primary'
              else 'unique' end as key_kind
  from information_schema.key_column_usage u
) k on k.table_schema = c.table_schema and k.table_name = c.table_name and k.column_name = c.column_name
order by c.table_schema, c.table_name, c.ordinal_position, k.key_kind, k.constraint_name;
