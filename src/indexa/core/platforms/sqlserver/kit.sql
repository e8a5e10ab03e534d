-- Indexa field kit for SQL Server 2012 and later: the structure of your tables, for people who may not connect Indexa to it.
--
-- Reads the catalog only: no row of any table, and nothing is changed. VIEW DEFINITION on the database shows everything.
-- 1. Set the two settings below. 2. Run the whole file in any SQL client. 3. Save the one result as CSV or XLSX,
--    with its column names, and hand it in as a source of the kind "Result of a field kit".
--
-- One row is one column of a table; a column that is part of several keys comes once for each of them.

with settings as (select
  '%'   as schema_pattern,   -- SETTING 1: the schema, or a pattern with %
  'yes' as with_views        -- SETTING 2: yes = tables and views, no = tables only
),
keys as (
  select i.object_id, ic.column_id, case when i.is_primary_key = 1 then 'primary' else 'unique' end as key_kind, i.name as key_name,
         cast(ic.key_ordinal as int) as key_position, cast(null as nvarchar(128)) as ref_schema, cast(null as nvarchar(128)) as ref_table,
         cast(null as nvarchar(128)) as ref_column
  from sys.indexes i join sys.index_columns ic on ic.object_id = i.object_id and ic.index_id = i.index_id
  where (i.is_primary_key = 1 or i.is_unique_constraint = 1) and ic.key_ordinal > 0
  union all
  select fc.parent_object_id, fc.parent_column_id, 'foreign', f.name, fc.constraint_column_id, schema_name(r.schema_id), r.name, rc.name
  from sys.foreign_keys f
  join sys.foreign_key_columns fc on fc.constraint_object_id = f.object_id
  join sys.objects r on r.object_id = fc.referenced_object_id
  join sys.columns rc on rc.object_id = fc.referenced_object_id and rc.column_id = fc.referenced_column_id
)
select sc.name as schema_name, o.name as table_name, case o.type when 'V' then 'view' else 'table' end as table_kind,
       c.column_id as column_position, c.name as column_name,
       t.name + case
         when t.name in ('varchar', 'char', 'varbinary', 'binary') then '(' + case c.max_length when -1 then 'max' else cast(c.max_length as varchar(10)) end + ')'
         when t.name in ('nvarchar', 'nchar') then '(' + case c.max_length when -1 then 'max' else cast(c.max_length / 2 as varchar(10)) end + ')'
         when t.name in ('decimal', 'numeric') then '(' + cast(c.precision as varchar(10)) + ',' + cast(c.scale as varchar(10)) + ')'
         when t.name in ('datetime2', 'datetimeoffset', 'time') then '(' + cast(c.scale as varchar(10)) + ')'
         else '' end as data_type,
       case c.is_nullable when 1 then 'YES' else 'NO' end as nullable, d.definition as default_value,
       case when c.is_identity = 1 then 'identity always' when cc.definition is not null then 'generated: ' + cc.definition end as generation,
       k.key_kind, k.key_name, k.key_position, k.ref_schema, k.ref_table, k.ref_column,
       cast(tp.value as nvarchar(4000)) as table_description, cast(cp.value as nvarchar(4000)) as column_description
from settings s
join sys.schemas sc on sc.name like s.schema_pattern
join sys.objects o on o.schema_id = sc.schema_id and o.is_ms_shipped = 0 and (o.type = 'U' or (o.type = 'V' and s.with_views = 'yes'))
join sys.columns c on c.object_id = o.object_id
join sys.types t on t.user_type_id = c.user_type_id
left join sys.default_constraints d on d.object_id = c.default_object_id
left join sys.computed_columns cc on cc.object_id = c.object_id and cc.column_id = c.column_id
left join sys.extended_properties tp on tp.class = 1 and tp.major_id = o.object_id and tp.minor_id = 0 and tp.name = 'MS_Description'
left join sys.extended_properties cp on cp.class = 1 and cp.major_id = o.object_id and cp.minor_id = c.column_id and cp.name = 'MS_Description'
left join keys k on k.object_id = o.object_id and k.column_id = c.column_id
order by sc.name, o.name, c.column_id, k.key_kind, k.key_name;
