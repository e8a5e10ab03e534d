-- Indexa field kit for Oracle 12 and later: the structure of your tables, for people who may not connect Indexa to it.
--
-- Reads the catalog only: no row of any table, and nothing is changed. The login sees the tables it has any right on.
-- 1. Set the two settings below. 2. Run the whole file in any SQL client. 3. Save the one result as CSV or XLSX,
--    with its column names, and hand it in as a source of the kind "Result of a field kit".
--
-- One row is one column of a table; a column that is part of several keys comes once for each of them.

with settings as (select
  '%'   as schema_pattern,   -- SETTING 1: the schema in capitals, or a pattern with %
  'yes' as with_views        -- SETTING 2: yes = tables and views, no = tables only
  from dual
),
relations as (
  select t.owner, t.table_name, 'table' as kind from all_tables t cross join settings s
  where t.owner like s.schema_pattern and t.nested = 'NO' and t.secondary = 'N'
    and not exists (select 1 from all_mviews m where m.owner = t.owner and m.mview_name = t.table_name)
  union all
  select m.owner, m.mview_name, 'materialized view' from all_mviews m cross join settings s
  where m.owner like s.schema_pattern and s.with_views = 'yes'
  union all
  select v.owner, v.view_name, 'view' from all_views v cross join settings s
  where v.owner like s.schema_pattern and s.with_views = 'yes'
),
members as (
  select c.owner, c.table_name, cc.column_name, c.constraint_name, cc.position,
         case c.constraint_type when 'P' then 'primary' when 'U' then 'unique' else 'foreign' end as key_kind,
         rc.owner as ref_schema, rc.table_name as ref_table, rc.column_name as ref_column
  from all_constraints c
  join all_cons_columns cc on cc.owner = c.owner and cc.constraint_name = c.constraint_name and cc.table_name = c.table_name
  left join all_cons_columns rc on c.constraint_type = 'R' and rc.owner = c.r_owner and rc.constraint_name = c.r_constraint_name
    and rc.position = cc.position
  where c.constraint_type in ('P', 'U', 'R')
)
select c.owner as schema_name, c.table_name as table_name, r.kind as table_kind, c.column_id as column_position,
       c.column_name as column_name,
       c.data_type || case
         when c.data_type in ('VARCHAR2', 'CHAR') then '(' || c.char_length || case c.char_used when 'C' then ' CHAR' else ' BYTE' end || ')'
         when c.data_type in ('NVARCHAR2', 'NCHAR') then '(' || c.char_length || ')'
         when c.data_type = 'RAW' then '(' || c.data_length || ')'
         when c.data_type = 'NUMBER' and c.data_precision is not null then '(' || c.data_precision || ',' || c.data_scale || ')'
         else '' end as data_type,
       case c.nullable when 'N' then 'NO' else 'YES' end as nullable, c.data_default as default_value,
       case when i.generation_type = 'ALWAYS' then 'identity always' when i.generation_type is not null then 'identity by default' end
         as generation,
       k.key_kind, k.constraint_name as key_name, k.position as key_position, k.ref_schema, k.ref_table, k.ref_column,
       tc.comments as table_description, cc.comments as column_description
from relations r
join all_tab_columns c on c.owner = r.owner and c.table_name = r.table_name
left join all_tab_identity_cols i on i.owner = c.owner and i.table_name = c.table_name and i.column_name = c.column_name
left join all_tab_comments tc on tc.owner = r.owner and tc.table_name = r.table_name
left join all_col_comments cc on cc.owner = c.owner and cc.table_name = c.table_name and cc.column_name = c.column_name
left join members k on k.owner = c.owner and k.table_name = c.table_name and k.column_name = c.column_name
where r.owner not in ('SYS', 'SYSTEM', 'OUTLN', 'DBSNMP', 'APPQOSSYS', 'AUDSYS', 'CTXSYS', 'DVSYS', 'GSMADMIN_INTERNAL', 'LBACSYS',
                      'MDSYS', 'OJVMSYS', 'OLAPSYS', 'ORDDATA', 'ORDSYS', 'WMSYS', 'XDB')
order by c.owner, c.table_name, c.column_id, k.key_kind, k.constraint_name;
