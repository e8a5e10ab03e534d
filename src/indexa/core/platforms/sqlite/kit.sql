-- Indexa field kit for SQLite 3.37 and later: the structure of your tables, for people who may not connect Indexa to it.
--
-- Reads the catalog only: no row of any table, and nothing is changed. It reads the file that the client has open.
-- 1. Set the two settings below. 2. Run the whole file in any SQL client. 3. Save the one result as CSV or XLSX,
--    with its column names, and hand it in as a source of the kind "Result of a field kit".
--
-- One row is one column of a table; a column that is part of several keys comes once for each of them.

with settings as (select
  'main' as schema_pattern,  -- SETTING 1: the schema; a file that was opened alone is called main
  'yes'  as with_views       -- SETTING 2: yes = tables and views, no = tables only
),
keys as (
  select m.name as table_name, x.name as column_name, 'primary' as key_kind, null as key_name, x.pk as key_position,
         null as ref_table, null as ref_column
  from sqlite_schema m, pragma_table_info(m.name) x where m.type = 'table' and x.pk > 0
  union all
  select m.name, c.name, 'unique', '#' || i.seq, c.seqno + 1, null, null
  from sqlite_schema m, pragma_index_list(m.name) i, pragma_index_info(i.name) c where m.type = 'table' and i.origin = 'u'
  union all
  select m.name, f."from", 'foreign', '#' || f.id, f.seq + 1, f."table", f."to"
  from sqlite_schema m, pragma_foreign_key_list(m.name) f where m.type = 'table'
)
select 'main' as schema_name, m.name as table_name, m.type as table_kind, x.cid + 1 as column_position, x.name as column_name,
       x.type as data_type, case x."notnull" when 1 then 'NO' else 'YES' end as nullable, x.dflt_value as default_value,
       case when x.hidden in (2, 3) then 'generated: ' end as generation,
       k.key_kind, k.key_name, k.key_position, case when k.ref_table is not null then 'main' end as ref_schema, k.ref_table, k.ref_column,
       null as table_description, null as column_description
from settings s
join sqlite_schema m on m.type in ('table', 'view') and m.name not like 'sqlite!_%' escape '!'
  and m.name not in (select l.name from pragma_table_list l where l.type = 'shadow')
  and 'main' like s.schema_pattern and (m.type = 'table' or s.with_views = 'yes')
join pragma_table_xinfo(m.name) x on x.hidden <> 1
left join keys k on k.table_name = m.name and lower(k.column_name) = lower(x.name)
order by m.name, x.cid, k.key_kind, k.key_name;
