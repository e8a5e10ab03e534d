-- Indexa field kit for Redshift: the structure of your tables, for people who may not connect Indexa to it.
--
-- Reads the catalog only: no row of any table, and nothing is changed. Any login that may connect can run it.
-- 1. Set the two settings below. 2. Run the whole file in any SQL client. 3. Save the one result as CSV or XLSX,
--    with its column names, and hand it in as a source of the kind "Result of a field kit".
--
-- One row is one column of a table; a column that is part of several keys comes once for each of them.

with settings as (select
  '%'::varchar   as schema_pattern,   -- SETTING 1: the schema, or a pattern with %
  'yes'::varchar as with_views        -- SETTING 2: yes = tables and views, no = tables only
),
places as (
  select 1 as place union all select 2 union all select 3 union all select 4 union all select 5 union all select 6 union all select 7
  union all select 8 union all select 9 union all select 10 union all select 11 union all select 12 union all select 13 union all select 14
  union all select 15 union all select 16
),
members as (
  select con.conrelid, con.conkey[p.place] as attnum, con.conname::varchar as key_name, p.place as key_position,
         case con.contype when 'p' then 'primary' when 'u' then 'unique' else 'foreign' end as key_kind,
         rn.nspname::varchar as ref_schema, r.relname::varchar as ref_table, ra.attname::varchar as ref_column
  from pg_catalog.pg_constraint con
  join places p on con.conkey[p.place] is not null
  left join pg_catalog.pg_class r on r.oid = con.confrelid
  left join pg_catalog.pg_namespace rn on rn.oid = r.relnamespace
  left join pg_catalog.pg_attribute ra on ra.attrelid = con.confrelid and ra.attnum = con.confkey[p.place]
  where con.contype in ('p', 'u', 'f')
  union all
  select a.attrelid, a.attnum, 'distribution', 1, 'distribution', null, null, null from pg_catalog.pg_attribute a where a.attisdistkey
  union all
  select a.attrelid, a.attnum, 'sort', abs(a.attsortkeyord), 'sort', null, null, null from pg_catalog.pg_attribute a where a.attsortkeyord <> 0
)
select n.nspname as schema_name, c.relname as table_name, case c.relkind when 'v' then 'view' else 'table' end as table_kind,
       a.attnum as column_position, a.attname as column_name, pg_catalog.format_type(a.atttypid, a.atttypmod) as data_type,
       case when a.attnotnull then 'NO' else 'YES' end as nullable, d.adsrc as default_value,
       case when d.adsrc like '"identity"%' then 'identity always' end as generation,
       k.key_kind, k.key_name, k.key_position, k.ref_schema, k.ref_table, k.ref_column,
       td.description as table_description, cd.description as column_description
from settings s
join pg_catalog.pg_namespace n on n.nspname like s.schema_pattern and n.nspname !~ '^pg_' and n.nspname <> 'information_schema'
join pg_catalog.pg_class c on c.relnamespace = n.oid and (c.relkind = 'r' or (c.relkind = 'v' and s.with_views = 'yes'))
join pg_catalog.pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
left join pg_catalog.pg_attrdef d on d.adrelid = a.attrelid and d.adnum = a.attnum
left join pg_catalog.pg_description td on td.objoid = c.oid and td.objsubid = 0
left join pg_catalog.pg_description cd on cd.objoid = c.oid and cd.objsubid = a.attnum
left join members k on k.conrelid = c.oid and k.attnum = a.attnum
order by n.nspname, c.relname, a.attnum, k.key_kind, k.key_name;
