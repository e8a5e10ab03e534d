"""What platforms allow in names: how long they may be, and words that are theirs."""

from __future__ import annotations

LONGEST = {
    "postgresql": 63,
    "greenplum": 63,
    "redshift": 127,
    "mysql": 64,
    "sqlserver": 128,
    "oracle": 128,
    "db2": 128,
    "teradata": 128,
    "snowflake": 255,
    "bigquery": 300,
    "firebird": 63,
    "informix": 128,
    "sqlite": 0,
    "duckdb": 0,
}
"""Letters (bytes on PostgreSQL and its kin); 0 where there is no limit worth the name."""

_EVERYWHERE = frozenset(
    """all alter and any as asc between by case check collate column constraint create cross current_date current_time
    current_timestamp current_user default delete desc distinct drop else end except exists false fetch for foreign from full
    grant group having in inner insert intersect into is join left like limit natural not null on or order outer primary
    references revoke right select set some table then to true union unique update user using values view when where with""".split()
)
_MORE = {
    "postgresql": """analyse analyze array asymmetric authorization binary both cast collation concurrently current_catalog current_role
        current_schema deferrable do freeze ilike initially isnull lateral leading localtime localtimestamp notnull
        offset only overlaps placing returning session_user similar symmetric tablesample trailing variadic verbose
        window""",
}
_MORE[
    "oracle"
] = """access add audit char cluster column comment compress connect date decimal elsif exclusive file float identified
    immediate increment index initial integer level lock long maxextents minus mlslabel mode modify noaudit nocompress nowait number of
    offline online option pctfree prior public raw rename resource row rowid rownum rows session share size smallint start successful
    synonym sysdate trigger uid validate varchar varchar2 view whenever"""
_MORE[
    "mysql"
] = """accessible add analyze asensitive before bigint binary blob both call cascade change char character condition continue convert cube
    cume_dist current_role cursor database databases day_hour day_microsecond day_minute day_second dec decimal declare delayed
    delete_domain_id dense_rank describe deterministic distinctrow div do_domain_ids double dual each elseif empty enclosed escaped except
    exit explain fetch first_value float float4 float8 force fulltext function generated get grouping groups high_priority hour_microsecond
    hour_minute hour_second if ignore ignore_domain_ids index infile inout insensitive int int1 int2 int3 int4 int8 integer intersect
    interval io_after_gtids io_before_gtids iterate json_table key keys kill lag last_value lateral lead leading leave linear lines load
    localtime localtimestamp lock long longblob longtext loop low_priority manual master_bind master_demote_to_replica
    master_demote_to_slave master_ssl_verify_server_cert match maxvalue mediumblob mediumint mediumtext middleint minute_microsecond
    minute_second mod modifies no_write_to_binlog nth_value ntile numeric of offset optimize optimizer_costs option optionally out outfile
    over page_checksum parallel parse_vcol_expr partition percent_rank portion precision procedure purge qualify range rank read read_write
    reads real recursive ref_system_id regexp release rename repeat replace require resignal restrict return returning rlike row row_number
    rows schema schemas second_microsecond sensitive separator show signal smallint spatial specific sql sql_big_result sql_calc_found_rows
    sql_small_result sqlexception sqlstate sqlwarning ssl starting stats_auto_recalc stats_persistent stats_sample_pages stored
    straight_join system tablesample terminated tinyblob tinyint tinytext trailing trigger undo unlock unsigned usage use utc_date utc_time
    utc_timestamp varbinary varchar varcharacter varying virtual while window write xor year_month zerofill"""
_MORE[
    "sqlserver"
] = """add authorization backup begin break browse bulk cascade checkpoint close clustered coalesce commit compute contains containstable continue
    convert current cursor database dbcc deallocate declare deny disk distributed double dump errlvl escape exec execute exit external file
    fillfactor freetext freetexttable function goto holdlock identity identity_insert identitycol if index key kill lineno load merge
    national nocheck nonclustered nullif of off offsets open opendatasource openquery openrowset openxml option over percent pivot plan
    precision print proc procedure public raiserror read readtext reconfigure replication restore restrict return revert rollback rowcount
    rowguidcol rule save schema securityaudit semantickeyphrasetable semanticsimilaritytable session_user setuser shutdown statistics
    system_user tablesample textsize top tran transaction trigger truncate try_convert tsequal unpivot updatetext use varying waitfor while
    within writetext"""
_MORE["db2"] = (
    """column current date day days hour hours interval key minute month months number of second time timestamp type view year"""
)
_MORE[
    "firebird"
] = """add admin begin blob both char character column commit computed connect count current cursor date day decimal
    declare deterministic double execute external float function gdscode global hour index insensitive int integer key long max merge min
    minute month national numeric of open over parameter plan position post_event precision procedure recursive real release return
    rollback row rows second sensitive similar smallint sqlcode start sum time timestamp trailing trigger trim uescape value varchar
    variable varying view while window year"""
_MORE["snowflake"] = (
    "account column connection current database increment issue organization qualify regexp rows sample schema trigger try_cast"
)
_MORE[
    "bigquery"
] = """array assert_rows_modified at collate contains cube define enum escape exclude extract following groups hash if
    ignore interval lookup merge new no nulls of over partition preceding proto qualify range recursive respect rollup rows struct
    tablesample treat unbounded unnest window within"""
_MORE[
    "teradata"
] = """abort account add after aggregate begin both call char character column comment commit compress cursor cv database
    date day decimal default double each else enabled end error event exec execute explain export fallback float format function give
    help hour if immediate index instead integer interval journal key language large level locking log macro map merge mode modify month
    multiset name named new numeric object of off old open option out over partition password period position precision procedure
    proportional qualify range rank release replace request restrict result return role row sample second selection session smallint sql
    statistics sum summary temporary terminate time timestamp title translate trigger trim type until user value volatile where while
    year zone"""
_MORE["sqlite"] = (
    "add autoincrement commit deferrable escape glob if index isnull notnull nothing raise regexp replace returning rollback transaction trigger without"
)
_MORE["informix"] = (
    "add column cursor date datetime day decimal float fraction hour integer interval minute month second serial smallint type unit year"
)
_MORE["greenplum"] = _MORE["redshift"] = _MORE["postgresql"]
_MORE["duckdb"] = (
    _MORE["postgresql"]
    + " anti asof at describe glob lambda map pivot pivot_longer pivot_wider positional qualify semi show summarize unpack unpivot"
)


def longest(platform: str) -> int:
    """Return how long a name may be on a platform; 0 for no limit."""
    return LONGEST.get(platform, 0)


def reserved(platform: str) -> frozenset[str]:
    """Return the words, in small letters, that a name must not be on a platform without being quoted."""
    return _EVERYWHERE | frozenset(_MORE.get(platform, "").split())
