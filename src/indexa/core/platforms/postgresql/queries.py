"""The catalog queries of PostgreSQL 12 and later: one for each kind, for all chosen schemas at once.

Raw key arrays (`conkey`, `indkey`) are resolved by the builder: a `pg_get_...def` call for each row
would cost several times more. All run with an empty search path, so that every name that is not
the system's comes qualified. Parameters: `schemas` (text[]) and `relkinds` (text[]) for RELATIONS, then
`tables`, the ids that it gave; `outside`, ids of tables that are referred to and were not chosen.
"""

_NOT_OF_EXTENSION = """
  not exists (select from pg_depend x where x.classid = '{catalog}'::regclass and x.objid = {alias}.oid
              and x.deptype in ({deptypes}))"""

_SCOPE = """
  select c.oid from pg_class c join pg_namespace n on n.oid = c.relnamespace
  where n.nspname = any(%(schemas)s) and c.relkind::text = any(%(relkinds)s) and not c.relispartition
    and not exists (select from pg_depend x where x.classid = 'pg_class'::regclass and x.objid = c.oid
                    and x.deptype = 'e')"""

SCHEMA_COUNTS = (
    """
with kinds as (
  select c.relnamespace as schema,
         case when c.relkind in ('r','p','f') then case when c.relispartition then 'partitions' else 'tables' end
              when c.relkind in ('v','m') then 'views' when c.relkind = 'S' then 'sequences' end as kind
  from pg_class c where c.relkind in ('r','p','f','v','m','S') and """
    + _NOT_OF_EXTENSION.format(catalog="pg_class", alias="c", deptypes="'e'")
    + """
  union all
  select t.typnamespace, 'types' from pg_type t left join pg_class tc on tc.oid = t.typrelid
  where (t.typtype in ('e','d','r') or tc.relkind = 'c') and """
    + _NOT_OF_EXTENSION.format(catalog="pg_type", alias="t", deptypes="'e'")
    + """
  union all
  select p.pronamespace, 'routines' from pg_proc p where """
    + _NOT_OF_EXTENSION.format(catalog="pg_proc", alias="p", deptypes="'e', 'i'")
    + """
  union all
  select c.relnamespace, 'triggers' from pg_trigger g join pg_class c on c.oid = g.tgrelid
  where not g.tgisinternal and not c.relispartition
)
select n.nspname, has_schema_privilege(n.oid, 'USAGE'), k.kind, count(k.schema)
from pg_namespace n left join kinds k on k.schema = n.oid
where n.nspname not like 'pg\\_%%' and n.nspname <> 'information_schema'
group by 1, 2, 3 order by 1, 3"""
)

SCHEMAS = """
select n.nspname, pg_get_userbyid(n.nspowner), d.description
from pg_namespace n
left join pg_description d on d.classoid = 'pg_namespace'::regclass and d.objoid = n.oid
where n.nspname = any(%(schemas)s) order by 1"""

RELATION_NAMES = (
    "select n.nspname, c.relname, c.relkind::text from pg_class c join pg_namespace n on n.oid = c.relnamespace "
    f"where c.oid in ({_SCOPE}) order by 1, 2"
)

VIEW_DEFINITIONS = """
select c.oid::bigint, pg_get_viewdef(c.oid, true)
from pg_class c join pg_namespace n on n.oid = c.relnamespace
where n.nspname = any(%(schemas)s) and c.relkind in ('v', 'm')"""

RELATIONS = (
    """
select c.oid::bigint, n.nspname, c.relname, c.relkind::text, c.relpersistence = 'u',
       pg_get_userbyid(c.relowner), d.description, c.reloptions,
       case when c.relkind = 'p' then pg_get_partkeydef(c.oid) end, s.srvname,
       (select array_agg(pn.nspname || '.' || p.relname order by i.inhseqno)
        from pg_inherits i join pg_class p on p.oid = i.inhparent join pg_namespace pn on pn.oid = p.relnamespace
        where i.inhrelid = c.oid)
from pg_class c
join pg_namespace n on n.oid = c.relnamespace
left join pg_description d on d.classoid = 'pg_class'::regclass and d.objoid = c.oid and d.objsubid = 0
left join pg_foreign_table f on f.ftrelid = c.oid left join pg_foreign_server s on s.oid = f.ftserver
where c.oid in ("""
    + _SCOPE
    + """) order by n.nspname, c.relname"""
)

PARTITIONS = """
with recursive parts as (
  select i.inhrelid, i.inhparent as root from pg_inherits i join pg_class p on p.oid = i.inhparent
  where p.relkind = 'p' and i.inhparent = any(%(tables)s::oid[])
  union all
  select i.inhrelid, parts.root from pg_inherits i join parts on parts.inhrelid = i.inhparent
)
select parts.root::bigint, n.nspname, c.relname, pg_get_expr(c.relpartbound, c.oid),
       case when c.relkind = 'p' then pg_get_partkeydef(c.oid) end
from parts join pg_class c on c.oid = parts.inhrelid join pg_namespace n on n.oid = c.relnamespace
order by 1, 2, 3"""

COLUMNS = """
select a.attrelid::bigint, a.attnum, a.attname, format_type(a.atttypid, a.atttypmod), not a.attnotnull,
       pg_get_expr(ad.adbin, ad.adrelid), nullif(a.attidentity::text, ''), nullif(a.attgenerated::text, ''),
       case when a.attcollation <> t.typcollation then co.collname end, d.description
from pg_attribute a
join pg_type t on t.oid = a.atttypid
left join pg_attrdef ad on ad.adrelid = a.attrelid and ad.adnum = a.attnum
left join pg_collation co on co.oid = a.attcollation
left join pg_description d
  on d.classoid = 'pg_class'::regclass and d.objoid = a.attrelid and d.objsubid = a.attnum
where a.attnum > 0 and not a.attisdropped and a.attrelid = any(%(tables)s::oid[])
order by a.attrelid, a.attnum"""

CONSTRAINTS = """
select k.conrelid::bigint, k.conname, k.contype::text, k.conkey, k.confrelid::bigint, rn.nspname, rc.relname,
       k.confkey, k.confupdtype::text, k.confdeltype::text, k.confmatchtype::text, k.condeferrable,
       k.condeferred, k.convalidated, k.connoinherit,
       case k.contype when 'c' then pg_get_expr(k.conbin, k.conrelid)
                      when 'x' then pg_get_constraintdef(k.oid, true)
                      when 'u' then pg_get_constraintdef(k.oid, true) end,
       d.description
from pg_constraint k
left join pg_class rc on rc.oid = k.confrelid left join pg_namespace rn on rn.oid = rc.relnamespace
left join pg_description d on d.classoid = 'pg_constraint'::regclass and d.objoid = k.oid
where k.contype in ('p','u','f','c','x') and (k.contype <> 'f' or k.conparentid = 0)
  and k.conrelid = any(%(tables)s::oid[]) order by k.conrelid, k.conname"""

FOREIGN_COLUMNS = """
select a.attrelid::bigint, a.attnum, a.attname from pg_attribute a
where a.attnum > 0 and a.attrelid = any(%(outside)s::oid[])"""

INDEXES = """
select i.indrelid::bigint, ic.relname, am.amname, i.indisunique, i.indkey::int2[], i.indnkeyatts,
       i.indoption::int2[], i.indclass::oid[]::bigint[], i.indcollation::oid[]::bigint[],
       pg_get_expr(i.indpred, i.indrelid),
       case when 0 = any(i.indkey::int2[]) then
         array(select pg_get_indexdef(i.indexrelid, p, true) from generate_series(1, i.indnkeyatts) p) end,
       i.indisvalid, d.description
from pg_index i
join pg_class ic on ic.oid = i.indexrelid
join pg_am am on am.oid = ic.relam
left join pg_description d on d.classoid = 'pg_class'::regclass and d.objoid = i.indexrelid and d.objsubid = 0
where i.indrelid = any(%(tables)s::oid[])
  and not exists (select from pg_constraint k where k.conindid = i.indexrelid and k.contype in ('p','u','x'))
order by i.indrelid, ic.relname"""

OPERATOR_CLASSES = "select oid::bigint, case when opcdefault then '' else opcname end from pg_opclass"

COLLATIONS = "select oid::bigint, collname from pg_collation where collname <> 'default'"

TRIGGERS = """
select g.tgrelid::bigint, g.tgname, pg_get_triggerdef(g.oid, true), pn.nspname || '.' || p.proname,
       g.tgenabled <> 'D', d.description
from pg_trigger g join pg_proc p on p.oid = g.tgfoid join pg_namespace pn on pn.oid = p.pronamespace
left join pg_description d on d.classoid = 'pg_trigger'::regclass and d.objoid = g.oid
where not g.tgisinternal and g.tgrelid = any(%(tables)s::oid[]) order by g.tgrelid, g.tgname"""

_TYPES_FROM = """
from pg_type t join pg_namespace n on n.oid = t.typnamespace
left join pg_description d on d.classoid = 'pg_type'::regclass and d.objoid = t.oid and d.objsubid = 0"""

_TYPES_WHERE = """
where n.nspname = any(%(schemas)s) and """ + _NOT_OF_EXTENSION.format(catalog="pg_type", alias="t", deptypes="'e'")

ENUMS = (
    """
select n.nspname, t.typname, d.description,
       array(select e.enumlabel from pg_enum e where e.enumtypid = t.oid order by e.enumsortorder)
"""
    + _TYPES_FROM
    + _TYPES_WHERE
    + " and t.typtype = 'e' order by 1, 2"
)

DOMAINS = (
    """
select n.nspname, t.typname, d.description, t.oid::bigint, format_type(t.typbasetype, t.typtypmod),
       not t.typnotnull, t.typdefault,
       case when t.typcollation <> b.typcollation then co.collname end
"""
    + _TYPES_FROM
    + """
join pg_type b on b.oid = t.typbasetype left join pg_collation co on co.oid = t.typcollation
"""
    + _TYPES_WHERE
    + " and t.typtype = 'd' order by 1, 2"
)

DOMAIN_CHECKS = """
select k.contypid::bigint, k.conname, pg_get_expr(k.conbin, 0), k.convalidated, d.description
from pg_constraint k
left join pg_description d on d.classoid = 'pg_constraint'::regclass and d.objoid = k.oid
where k.contypid <> 0 and k.contype = 'c' order by 1, 2"""

COMPOSITES = (
    """
select n.nspname, t.typname, coalesce(d.description, cd.description),
       array(select array[a.attname::text, format_type(a.atttypid, a.atttypmod), coalesce(ad.description, '')]
             from pg_attribute a left join pg_description ad
               on ad.classoid = 'pg_class'::regclass and ad.objoid = a.attrelid and ad.objsubid = a.attnum
             where a.attrelid = t.typrelid and a.attnum > 0 and not a.attisdropped order by a.attnum)
"""
    + _TYPES_FROM
    + """
join pg_class c on c.oid = t.typrelid and c.relkind = 'c'
left join pg_description cd on cd.classoid = 'pg_class'::regclass and cd.objoid = c.oid and cd.objsubid = 0
"""
    + _TYPES_WHERE
    + " order by 1, 2"
)

RANGES = (
    """
select n.nspname, t.typname, d.description, format_type(r.rngsubtype, null),
       (select m.typname from pg_type m where m.oid = (to_jsonb(r)->>'rngmultitypid')::oid)
"""
    + _TYPES_FROM
    + " join pg_range r on r.rngtypid = t.oid "
    + _TYPES_WHERE
    + " order by 1, 2"
)

SEQUENCES = (
    """
select n.nspname, c.relname, d.description, format_type(s.seqtypid, null), s.seqstart, s.seqincrement,
       s.seqmin, s.seqmax, s.seqcache, s.seqcycle, pg_get_userbyid(c.relowner),
       (select on_.nspname || '.' || oc.relname || '.' || oa.attname
        from pg_depend x join pg_class oc on oc.oid = x.refobjid join pg_namespace on_ on on_.oid = oc.relnamespace
        join pg_attribute oa on oa.attrelid = oc.oid and oa.attnum = x.refobjsubid
        where x.classid = 'pg_class'::regclass and x.objid = c.oid and x.refclassid = 'pg_class'::regclass
          and x.refobjsubid > 0 and x.deptype in ('a', 'i') limit 1)
from pg_sequence s join pg_class c on c.oid = s.seqrelid join pg_namespace n on n.oid = c.relnamespace
left join pg_description d on d.classoid = 'pg_class'::regclass and d.objoid = c.oid and d.objsubid = 0
where n.nspname = any(%(schemas)s) and """
    + _NOT_OF_EXTENSION.format(catalog="pg_class", alias="c", deptypes="'e'")
    + " order by 1, 2"
)

ROUTINES = (
    """
select n.nspname, p.proname, d.description, p.prokind::text, pg_get_function_arguments(p.oid),
       coalesce(pg_get_function_result(p.oid), ''), l.lanname,
       case when p.prokind in ('f', 'p', 'w') then pg_get_functiondef(p.oid) else '' end
from pg_proc p join pg_namespace n on n.oid = p.pronamespace join pg_language l on l.oid = p.prolang
left join pg_description d on d.classoid = 'pg_proc'::regclass and d.objoid = p.oid
where n.nspname = any(%(schemas)s) and """
    + _NOT_OF_EXTENSION.format(catalog="pg_proc", alias="p", deptypes="'e', 'i'")
    + " order by 1, 2, 5"
)

EXTENSION_MEMBERS = """
select e.extname, count(*) from pg_depend x join pg_extension e on e.oid = x.refobjid
left join pg_class c on x.classid = 'pg_class'::regclass and c.oid = x.objid
left join pg_proc p on x.classid = 'pg_proc'::regclass and p.oid = x.objid
left join pg_type t on x.classid = 'pg_type'::regclass and t.oid = x.objid
join pg_namespace n on n.oid = coalesce(c.relnamespace, p.pronamespace, t.typnamespace)
where x.deptype = 'e' and x.refclassid = 'pg_extension'::regclass and n.nspname = any(%(schemas)s)
group by 1 order by 1"""

OTHER_OBJECTS = (
    """
select kind, count(*) from (
  select 'row security policies' as kind from pg_policy p join pg_class c on c.oid = p.polrelid
    join pg_namespace n on n.oid = c.relnamespace where n.nspname = any(%(schemas)s)
  union all select 'rewrite rules' from pg_rewrite r join pg_class c on c.oid = r.ev_class
    join pg_namespace n on n.oid = c.relnamespace
    where n.nspname = any(%(schemas)s) and r.rulename <> '_RETURN'
  union all select 'extended statistics' from pg_statistic_ext s
    join pg_namespace n on n.oid = s.stxnamespace where n.nspname = any(%(schemas)s)
  union all select 'operators' from pg_operator o join pg_namespace n on n.oid = o.oprnamespace
    where n.nspname = any(%(schemas)s) and """
    + _NOT_OF_EXTENSION.format(catalog="pg_operator", alias="o", deptypes="'e'")
    + """
  union all select 'collations' from pg_collation o join pg_namespace n on n.oid = o.collnamespace
    where n.nspname = any(%(schemas)s)
  union all select 'text search configurations' from pg_ts_config o
    join pg_namespace n on n.oid = o.cfgnamespace where n.nspname = any(%(schemas)s)
) found group by 1 order by 1"""
)
