"""The catalog queries of MariaDB and MySQL: one for each kind, for all chosen schemas at once."""

_SYSTEM = "('information_schema', 'mysql', 'performance_schema', 'sys')"

COUNTS = f"""
select s.schema_name, k.kind, coalesce(k.number, 0) from information_schema.schemata s left join (
  select table_schema as name, case when table_type like '%%VIEW' then 'views' when table_type = 'SEQUENCE' then 'sequences' else 'tables' end
         as kind, count(*) as number from information_schema.tables where table_schema not in {_SYSTEM} group by 1, 2
  union all select routine_schema, 'routines', count(*) from information_schema.routines where routine_schema not in {_SYSTEM} group by 1
  union all select event_schema, 'events', count(*) from information_schema.events group by 1
  union all select trigger_schema, 'triggers', count(*) from information_schema.triggers where trigger_schema not in {_SYSTEM} group by 1
) k on k.name = s.schema_name where s.schema_name not in {_SYSTEM} order by 1, 2"""

TABLE_NAMES = """
select table_schema, table_name, table_type like '%%VIEW' from information_schema.tables
where table_schema in %(schemas)s and table_type <> 'SEQUENCE' order by 1, 2"""

TABLES = """
select table_schema, table_name, table_type, engine, table_collation, create_options, table_comment
from information_schema.tables where table_schema in %(schemas)s order by table_schema, table_name"""

VIEWS = """
select table_schema, table_name, view_definition from information_schema.views where table_schema in %(schemas)s"""

COLUMNS = """
select table_schema, table_name, column_name, column_type, is_nullable = 'YES', column_default, extra, generation_expression,
       collation_name, column_comment
from information_schema.columns where table_schema in %(schemas)s order by table_schema, table_name, ordinal_position"""

INDEXES = """
select table_schema, table_name, index_name, non_unique, column_name, sub_part, collation, index_type, index_comment, {expression}
from information_schema.statistics where table_schema in %(schemas)s
order by table_schema, table_name, index_name, seq_in_index"""

FOREIGN_KEYS = """
select k.constraint_schema, k.table_name, k.constraint_name, k.column_name, k.referenced_table_schema, k.referenced_table_name,
       k.referenced_column_name, r.delete_rule, r.update_rule
from information_schema.key_column_usage k
join information_schema.referential_constraints r
  on r.constraint_schema = k.constraint_schema and r.constraint_name = k.constraint_name and r.table_name = k.table_name
where k.table_schema in %(schemas)s and r.constraint_schema in %(schemas)s and k.referenced_table_name is not null
order by k.table_schema, k.table_name, k.constraint_name, k.ordinal_position"""

CHECKS_MARIADB = """
select constraint_schema, table_name, constraint_name, check_clause from information_schema.check_constraints
where constraint_schema in %(schemas)s order by 1, 2, 3"""

CHECKS_MYSQL = """
select c.constraint_schema, t.table_name, c.constraint_name, c.check_clause from information_schema.check_constraints c
join information_schema.table_constraints t on t.constraint_schema = c.constraint_schema and t.constraint_name = c.constraint_name
where c.constraint_schema in %(schemas)s order by 1, 2, 3"""

PARTITIONS = """
select table_schema, table_name, partition_name, partition_method, partition_expression, partition_description
from information_schema.partitions where table_schema in %(schemas)s and partition_name is not null
order by table_schema, table_name, partition_ordinal_position, subpartition_ordinal_position"""

TRIGGERS = """
select event_object_schema, event_object_table, trigger_name, action_timing, event_manipulation, action_statement
from information_schema.triggers where trigger_schema in %(schemas)s order by 1, 2, 3"""

ROUTINES = """
select r.routine_schema, r.routine_name, r.routine_type, r.dtd_identifier, r.routine_definition, r.routine_comment,
       (select group_concat(concat_ws(' ', p.parameter_mode, p.parameter_name, p.dtd_identifier) order by p.ordinal_position separator ', ')
        from information_schema.parameters p
        where p.specific_schema = r.routine_schema and p.specific_name = r.specific_name and p.ordinal_position > 0)
from information_schema.routines r where r.routine_schema in %(schemas)s order by 1, 2"""

EVENTS = """
select event_schema, event_name, event_definition, event_comment from information_schema.events
where event_schema in %(schemas)s order by 1, 2"""

HIDDEN = f"""
select (select count(*) from information_schema.views where table_schema not in {_SYSTEM} and coalesce(view_definition, '') = ''),
       (select count(*) from information_schema.routines where routine_schema not in {_SYSTEM} and routine_definition is null)"""

SEQUENCE = "select start_value, increment, minimum_value, maximum_value, cache_size, cycle_option from {name}"

SERVER = "select version()"
