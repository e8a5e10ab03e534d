-- Indexa field kit for Teradata 16 and later: the structure of your tables, for people who may not connect Indexa to it.
--
-- Reads the catalog only: no row of any table, and nothing is changed. The login needs to read the views of DBC.
-- 1. Set the two settings below. 2. Run the whole file in any SQL client. 3. Save the one result as CSV or XLSX,
--    with its column names, and hand it in as a source of the kind "Result of a field kit".
--
-- One row is one column of a table; a column that is part of several keys comes once for each of them.

with settings as (select
  '%'   as schema_pattern,   -- SETTING 1: the database, or a pattern with %
  'yes' as with_views        -- SETTING 2: yes = tables and views, no = tables only
),
members as (
  select i.DatabaseName, i.TableName, i.ColumnName, i.IndexName as key_name, i.ColumnPosition as key_position,
         case when i.IndexType = 'K' then 'primary' when i.UniqueFlag = 'Y' and i.IndexType <> 'P' then 'unique' else 'distribution' end as key_kind,
         cast(null as varchar(128)) as ref_schema, cast(null as varchar(128)) as ref_table, cast(null as varchar(128)) as ref_column
  from DBC.IndicesV i where i.IndexType in ('K', 'P', 'Q') or i.UniqueFlag = 'Y'
  union all
  select r.ChildDB, r.ChildTable, r.ChildKeyColumn, r.IndexName, row_number() over (partition by r.ChildDB, r.ChildTable, r.IndexID order by r.ChildKeyColumn),
         'foreign', r.ParentDB, r.ParentTable, r.ParentKeyColumn
  from DBC.All_RI_ChildrenV r
)
select t.DatabaseName as schema_name, t.TableName as table_name, case t.TableKind when 'V' then 'view' else 'table' end as table_kind,
       c.ColumnId as column_position, c.ColumnName as column_name,
       case trim(c.ColumnType) when 'CV' then 'VARCHAR(' || trim(c.ColumnLength) || ')' when 'CF' then 'CHAR(' || trim(c.ColumnLength) || ')'
         when 'I' then 'INTEGER' when 'I1' then 'BYTEINT' when 'I2' then 'SMALLINT' when 'I8' then 'BIGINT' when 'F' then 'FLOAT'
         when 'D' then 'DECIMAL(' || trim(c.DecimalTotalDigits) || ',' || trim(c.DecimalFractionalDigits) || ')' when 'N' then 'NUMBER'
         when 'DA' then 'DATE' when 'AT' then 'TIME(' || trim(c.DecimalFractionalDigits) || ')' when 'TS' then 'TIMESTAMP(' || trim(c.DecimalFractionalDigits) || ')'
         when 'TZ' then 'TIME(' || trim(c.DecimalFractionalDigits) || ') WITH TIME ZONE' when 'SZ' then 'TIMESTAMP(' || trim(c.DecimalFractionalDigits) || ') WITH TIME ZONE'
         when 'BF' then 'BYTE(' || trim(c.ColumnLength) || ')' when 'BV' then 'VARBYTE(' || trim(c.ColumnLength) || ')' when 'BO' then 'BLOB' when 'CO' then 'CLOB'
         when 'JN' then 'JSON' when 'XM' then 'XML' when 'PD' then 'PERIOD(DATE)' when 'PS' then 'PERIOD(TIMESTAMP)' else trim(c.ColumnType) end as data_type,
       case c.Nullable when 'N' then 'NO' else 'YES' end as nullable, c.DefaultValue as default_value,
       case c.IdColType when 'GA' then 'identity always' when 'GD' then 'identity by default' end as generation,
       k.key_kind, k.key_name, k.key_position, k.ref_schema, k.ref_table, k.ref_column,
       t.CommentString as table_description, c.CommentString as column_description
from settings s
join DBC.TablesV t on t.DatabaseName like s.schema_pattern and (t.TableKind in ('T', 'O') or (t.TableKind = 'V' and s.with_views = 'yes'))
join DBC.ColumnsV c on c.DatabaseName = t.DatabaseName and c.TableName = t.TableName
left join members k on k.DatabaseName = c.DatabaseName and k.TableName = c.TableName and k.ColumnName = c.ColumnName
where t.DatabaseName not in ('DBC', 'SYSLIB', 'SystemFe', 'SYSUDTLIB', 'TD_SYSFNLIB', 'Sys_Calendar', 'SYSSPATIAL', 'TDStats', 'LockLogShredder')
order by t.DatabaseName, t.TableName, c.ColumnId, k.key_kind, k.key_name;
