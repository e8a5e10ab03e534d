-- Indexa field kit for PostgreSQL 12 and later: the structure of your tables, for people who may not connect Indexa to it.
--
-- Reads the catalog only: no row of any table, and nothing is changed. Any login that may connect can run it.
-- 1. Set the two settings below. 2. Run the whole file in any SQL client. 3. Save the one result as CSV or XLSX,
--    with its column names, and hand it in as a source of the kind "Result of a field kit".
--
-- One row is one column of a table; a column that is part of several keys comes once for each of them.

with settings as (select
  '%'   as schema_pattern,   -- SETTING 1: the schema, or a pattern with %
  'yes' as with_views        -- SETTING 2: yes = tables and views, no = tables only
),
relations as (
  select c.oid, n.nspname, c.relname,
         case c.relkind when 'v' then 'view' when 'm' then 'materialized view' when 'p' then 'partitioned table'
              when 'f' then 'foreign table' else 'table' end as kind
  from pg_catalog.pg_class c join pg_catalog.pg_namespace n on n.oid = c.relnamespace cross join settings s
  where n.nspname like s.schema_pattern and n.nspname not like 'pg\_%' and n.nspname <> 'information_schema'
    and not c.relispartition
    and (c.relkind in ('r', 'p', 'f') or (c.relkind in ('v', 'm') and s.with_views = 'yes'))
),
keys as (
  select k.conrelid, k.conkey[place] as attnum, k.conname, place,
         case k.contype when 'p' then 'primary' when 'u' then 'unique' else 'foreign' end as kind,
         rn.nspname as ref_schema, r.relname as ref_table, ra.attname as ref_column
  from (select con.*, generate_subscripts(con.conkey, 1) as place
        from pg_catalog.pg_constraint con where con.contype in ('p', 'u', 'f')) k
  left join pg_catalog.pg_class r on r.oid = k.confrelid and k.contype = 'f'
  left join pg_catalog.pg_namespace rn on rn.oid = r.relnamespace
  left join pg_catalog.pg_attribute ra on ra.attrelid = k.confrelid and ra.attnum = k.confkey[place]
)
select r.nspname as schema_name, r.relname as table_name, r.kind as table_kind, a.attnum as column_position,
       a.attname as column_name, pg_catalog.format_type(a.atttypid, a.atttypmod) as data_type,
       case when a.attnotnull then 'NO' else 'YES' end as nullable,
       case when a.attgenerated = '' then pg_catalog.pg_get_expr(d.adbin, d.adrelid) end as default_value,
       case when a.attgenerated <> '' then 'generated: ' || pg_catalog.pg_get_expr(d.adbin, d.adrelid)
            when a.attidentity = 'a' then 'identity always' when a.attidentity = 'd' then 'identity by default' end as generation,
       k.kind as key_kind, k.conname as key_name, k.place as key_position, k.ref_schema, k.ref_table, k.ref_column,
       pg_catalog.obj_description(r.oid, 'pg_class') as table_description,
       pg_catalog.col_description(r.oid, a.attnum) as column_description
from relations r
join pg_catalog.pg_attribute a on a.attrelid = r.oid and a.attnum > 0 and not a.attisdropped
left join pg_catalog.pg_attrdef d on d.adrelid = a.attrelid and d.adnum = a.attnum
left join keys k on k.conrelid = r.oid and k.attnum = a.attnum
order by r.nspname, r.relname, a.attnum, k.kind, k.conname;
