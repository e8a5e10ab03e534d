-- Indexa field kit for Db2 11 and later (Linux, Unix, Windows): the structure of your tables, for people who may not connect Indexa to it.
--
-- Reads the catalog only: no row of any table, and nothing is changed. The login needs to read SYSCAT.
-- 1. Set the two settings below. 2. Run the whole file in any SQL client. 3. Save the one result as CSV or XLSX,
--    with its column names, and hand it in as a source of the kind "Result of a field kit".
--
-- One row is one column of a table; a column that is part of several keys comes once for each of them.

with settings (schema_pattern, with_views) as (values (
  '%',    -- SETTING 1: the schema in capitals, or a pattern with %
  'yes'   -- SETTING 2: yes = tables and views, no = tables only
)),
members as (
  select k.tabschema, k.tabname, k.colname, k.constname, k.colseq, case c.type when 'P' then 'primary' when 'U' then 'unique' else 'foreign' end as key_kind,
         r.reftabschema as ref_schema, r.reftabname as ref_table, rk.colname as ref_column
  from syscat.keycoluse k
  join syscat.tabconst c on c.constname = k.constname and c.tabschema = k.tabschema and c.tabname = k.tabname and c.type in ('P', 'U', 'F')
  left join syscat.references r on r.constname = k.constname and r.tabschema = k.tabschema and r.tabname = k.tabname
  left join syscat.keycoluse rk on rk.constname = r.refkeyname and rk.tabschema = r.reftabschema and rk.tabname = r.reftabname and rk.colseq = k.colseq
)
select rtrim(t.tabschema) as schema_name, t.tabname as table_name,
       case t.type when 'V' then 'view' when 'S' then 'materialized view' else 'table' end as table_kind,
       c.colno + 1 as column_position, c.colname as column_name,
       case when c.typename in ('DECIMAL') then 'DECIMAL(' || rtrim(char(c.length)) || ',' || rtrim(char(c.scale)) || ')'
            when c.typename in ('VARCHAR', 'CHARACTER', 'VARGRAPHIC', 'GRAPHIC', 'BINARY', 'VARBINARY', 'CLOB', 'BLOB', 'DBCLOB')
              then rtrim(c.typename) || '(' || rtrim(char(c.length)) || ')' || case when c.codepage = 0 and c.typename in ('VARCHAR', 'CHARACTER') then ' FOR BIT DATA' else '' end
            else rtrim(c.typename) end as data_type,
       case c.nulls when 'N' then 'NO' else 'YES' end as nullable, c.default as default_value,
       case when c.identity = 'Y' and c.generated = 'A' then 'identity always' when c.identity = 'Y' then 'identity by default' end as generation,
       k.key_kind, k.constname as key_name, k.colseq as key_position, rtrim(k.ref_schema) as ref_schema, k.ref_table, k.ref_column,
       t.remarks as table_description, c.remarks as column_description
from settings s
join syscat.tables t on t.tabschema like s.schema_pattern and t.ownertype = 'U' and (t.type in ('T', 'U') or (t.type in ('V', 'S') and s.with_views = 'yes'))
join syscat.columns c on c.tabschema = t.tabschema and c.tabname = t.tabname
left join members k on k.tabschema = c.tabschema and k.tabname = c.tabname and k.colname = c.colname
order by t.tabschema, t.tabname, c.colno, k.key_kind, k.constname;
