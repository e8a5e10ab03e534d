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
    "postgresql": """analyse analyze array asymmetric both cast concurrently current_catalog current_role current_schema deferrable
        do freeze ilike initially isnull lateral leading localtime localtimestamp notnull offset only overlaps placing returning
        session_user similar symmetric tablesample trailing variadic verbose window""",
    "mysql": """accessible add before bigint binary blob both call cascade change char character condition continue convert cursor
        database databases dec decimal declare delayed describe deterministic div double dual each elseif enclosed escaped exit
        explain float force fulltext generated groups hour_minute if ignore index infile int integer interval iterate key keys
        kill lag lead leading leave lines load lock long longblob longtext loop match mod modifies numeric of optimize option
        optionally out outfile over partition precision procedure purge range rank read reads real recursive regexp release
        rename repeat replace require resignal restrict return rlike row rows schema schemas sensitive separator show signal
        smallint spatial sql starting stored straight_join system terminated tinyint trailing trigger undo unlock unsigned usage
        use utc_date utc_time varbinary varchar varying virtual while window write xor year_month zerofill""",
    "sqlserver": """add authorization backup begin break browse bulk cascade checkpoint close clustered coalesce commit compute
        contains continue convert current cursor database dbcc deallocate declare deny disk distributed double dump errlvl escape
        exec execute exit external file fillfactor freetext function goto holdlock identity if index key kill lineno load merge
        national nocheck nonclustered nullif of off offsets open option over percent pivot plan precision print proc procedure
        public raiserror read readtext reconfigure replication restore restrict return revert rollback rowcount rule save schema
        securityaudit session_user setuser shutdown statistics system_user tablesample textsize top tran transaction trigger
        truncate unpivot updatetext use waitfor while writetext""",
    "oracle": """access add audit char cluster comment compress connect current date decimal exclusive file float identified
        immediate increment index initial integer level lock long maxextents minus mlslabel mode modify noaudit nocompress
        nowait number of offline online option pctfree prior public raw rename resource row rowid rownum rows session share size
        smallint start successful synonym sysdate trigger uid validate varchar varchar2 whenever""",
    "db2": """add after allocate allow array associate authorization before begin call cast char close cluster comment commit
        connect continue cursor database date day days declare describe do double each elseif escape execute exit explain
        external function get go hour hours if immediate include index inout isolation iterate key language leave lock locale
        loop microsecond minute minutes month months new of old open option out over package partition path position precision
        prepare procedure public read rename repeat reset restrict result return rollback row rows schema second seconds section
        sequence session signal statement system trigger type usage value variable volatile while year years""",
    "teradata": """abort account add after amp begin blob both byte cast char clob close collect comment commit cursor database
        date day dec decimal declare double dump each echo enabled error exec execute exit explain external fallback float format
        function goto hash hour identity if immediate index inout instead int integer interval journal key kurtosis large leading
        leave local lock log loop macro max merge min minute mod mode modify month new no numeric object of off old option out
        over overlaps owner parameter password percent permanent position precision prepare privileges procedure profile proportional
        protection public qualify rank real ref release rename repeat replace restore result return rollback rollup row rows sample
        second session show skew smallint soundex spool sql statement statistics subscriber substring sum system time timestamp title
        trace trailing transaction trigger trim type under upper usage value varchar volatile while work year zone""",
    "snowflake": """account connection current database following gscluster ilike increment issue lateral localtime
        localtimestamp minus of organization qualify regexp rlike row rows sample schema start tablesample trigger try_cast
        whenever""",
    "bigquery": """array assert_rows_modified at cast contains cube current define enum escape exclude extract following hash if
        ignore interval lateral lookup merge new no nulls of over partition preceding proto qualify range recursive respect
        rollup rows struct tablesample treat unbounded unnest window within""",
    "firebird": """add begin bigint blob both char close commit connect count current cursor date day decimal declare disconnect
        double escape execute external extract filter float function global hour insensitive int integer leading local long
        lower max merge min minute month national numeric of open over parameter plan position post_event precision procedure
        real recreate release return rollback row rows second sensitive similar smallint sql start sum time timestamp trailing
        trigger trim upper value varchar variable varying while year""",
    "sqlite": """abort action add after analyze attach autoincrement before begin cascade cast commit conflict database deferrable
        deferred detach each escape exclusive explain fail glob if ignore immediate index indexed initially instead isnull
        match notnull of offset plan pragma query raise recursive regexp reindex release rename replace restrict rollback row
        savepoint temp temporary transaction trigger vacuum virtual without""",
}
_MORE[
    "oracle"
] = """access add audit char cluster column comment compress connect date decimal elsif exclusive file float identified
    immediate increment index initial integer level lock long maxextents minus mlslabel mode modify noaudit nocompress nowait number of
    offline online option pctfree prior public raw rename resource row rowid rownum rows session share size smallint start successful
    synonym sysdate trigger uid validate varchar varchar2 view whenever"""
_MORE[
    "mysql"
] = """accessible analyze asensitive before bigint binary blob both call cascade change char character condition continue
    convert cube cume_dist database databases day_hour dec decimal declare delayed dense_rank describe deterministic div double each
    elseif empty enclosed escaped exit explain fetch float force function generated groups grouping high_priority hour_minute if ignore
    index infile inout insensitive int integer interval iterate json_table key keys kill lag lead leading leave lines load localtime lock
    long longblob longtext loop low_priority match maxvalue mediumblob mediumint mod modifies ntile numeric of optimize option out outfile
    over partition percent_rank precision procedure purge range rank read reads real recursive regexp release rename repeat replace
    require resignal restrict return row row_number rows schema schemas separator show signal smallint spatial specific sql ssl starting
    stored straight_join system terminated tinyblob tinyint tinytext trailing trigger undo unlock unsigned usage use varbinary varchar
    virtual while window write xor year_month zerofill"""
_MORE[
    "sqlserver"
] = """add authorization backup begin browse bulk cascade checkpoint close clustered coalesce compute contains continue
    convert current database dbcc deallocate declare deny disk double dump exec execute exit external file fillfactor freetext function
    goto holdlock identity if index key kill lineno merge national nocheck nonclustered nullif off offsets open option over percent
    pivot plan precision print proc procedure public raiserror read readtext reconfigure replication restore restrict return rowcount
    rule save schema setuser shutdown statistics system_user tablesample textsize top tran transaction trigger truncate try_convert
    unpivot updatetext use waitfor while within writetext"""
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
    _MORE["postgresql"] + " anti asof at describe lambda map pivot positional qualify semi show summarize unpivot"
)


def longest(platform: str) -> int:
    """Return how long a name may be on a platform; 0 for no limit."""
    return LONGEST.get(platform, 0)


def reserved(platform: str) -> frozenset[str]:
    """Return the words, in small letters, that a name must not be on a platform without being quoted."""
    return _EVERYWHERE | frozenset(_MORE.get(platform, "").split())
