CREATE TABLE IF NOT EXISTS mart."Fact_Usage"
(
	usage_id BIGINT NOT NULL DEFAULT "identity"(101, 0, '1,1'::text) ENCODE az64
	,cust_id INTEGER   ENCODE az64 DISTKEY
	,qty NUMERIC(18,4) ENCODE zstd
	,doc SUPER
	,PRIMARY KEY (usage_id)
	,FOREIGN KEY (cust_id) REFERENCES mart.dim_cust(cust_id)
)
DISTSTYLE KEY
COMPOUND SORTKEY (
	cust_id
	, usage_id
	)
;
create table mart.dim_cust (cust_id int identity(1,1) primary key sortkey, n varchar(max)) diststyle all;
CREATE VIEW mart.v_late AS SELECT cust_id FROM mart.dim_cust WITH NO SCHEMA BINDING;
CREATE EXTERNAL TABLE spec.ext (a int, b varchar(10)) PARTITIONED BY (d date) STORED AS PARQUET LOCATION 's3://x/';
