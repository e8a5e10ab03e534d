DECLARE n INT64 DEFAULT 1;
CREATE TABLE IF NOT EXISTS raw.events (
  id STRING NOT NULL DEFAULT GENERATE_UUID() OPTIONS(description='Key; "the" one'),
  at TIMESTAMP, d DATE, j JSON, g GEOGRAPHY, big BIGNUMERIC(40, 5), bt BYTES(16), iv INTERVAL, r RANGE<DATE>,
  nested STRUCT<a INT64 OPTIONS(description='inner'), b ARRAY<STRUCT<c STRING, d NUMERIC>>> NOT NULL,
  CONSTRAINT pk PRIMARY KEY (id) NOT ENFORCED
) PARTITION BY TIMESTAMP_TRUNC(at, HOUR) CLUSTER BY id, d OPTIONS (partition_expiration_days=3, description='Events, raw', labels=[('a', 'b')]);
CREATE OR REPLACE TABLE raw.copy LIKE raw.events;
CREATE TABLE raw.snap CLONE raw.events;
CREATE TABLE raw.picked AS SELECT id, CAST(at AS DATE) AS day, nested.a AS inner_a FROM raw.events;
CREATE EXTERNAL TABLE raw.files (a STRING) WITH PARTITION COLUMNS (p DATE) OPTIONS (format='CSV', uris=['gs://x/*']);
CREATE TEMP TABLE scratch (a INT64);
ALTER TABLE raw.copy ADD COLUMN x STRING(9) DEFAULT 'y', ADD COLUMN z FLOAT64, DROP COLUMN iv, ALTER COLUMN at SET NOT NULL;
ALTER TABLE raw.copy RENAME COLUMN x TO xx; ALTER TABLE raw.copy ALTER COLUMN z SET DATA TYPE NUMERIC; ALTER TABLE raw.copy RENAME TO copied;
ALTER TABLE raw.copied ALTER COLUMN z SET OPTIONS (description="Zed"), ADD FOREIGN KEY (id) REFERENCES raw.events(id) NOT ENFORCED;
ALTER TABLE raw.copied SET OPTIONS (description='Copied');
CREATE FUNCTION raw.f(x INT64) RETURNS INT64 AS (x + 1);
CREATE PROCEDURE raw.p(IN x INT64) BEGIN DECLARE y INT64; IF x > 1 THEN SET y = 1; END IF; CREATE TABLE raw.made (a INT64); END;
CREATE SEARCH INDEX ix ON raw.events (ALL COLUMNS);
CREATE VIEW raw.v (a, b) AS SELECT id, d FROM `p-x.raw.events` WHERE at > '2020-01-01' # note
;
CREATE ROW ACCESS POLICY pol ON raw.events GRANT TO ('x') FILTER USING (true);
INSERT INTO raw.copied (id) VALUES ("a;b"), ('''c;
d'''); EXPORT DATA OPTIONS (uri='x') AS SELECT 1; DROP TABLE IF EXISTS raw.snap;
CREATE TABLE raw.after_all (a INT64);
