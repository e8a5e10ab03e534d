DATABASE works;
CREATE MULTISET TABLE works.site, FALLBACK, NO BEFORE JOURNAL, CHECKSUM = DEFAULT (id INTEGER GENERATED ALWAYS AS IDENTITY (START WITH 10 INCREMENT BY 5) NOT NULL, code VARCHAR(20) CHARACTER SET LATIN CASESPECIFIC NOT NULL DEFAULT 'none' TITLE 'Code',
  area DECIMAL(10,2) FORMAT 'ZZ9.99' COMPRESS (0.00, 1.00), made DATE FORMAT 'YYYY-MM-DD' DEFAULT CURRENT_DATE, CONSTRAINT site_pk PRIMARY KEY (id)) UNIQUE PRIMARY INDEX site_upi (id);
CREATE SET TABLE works.reading (site_id INTEGER, taken TIMESTAMP(3), amount FLOAT, spare INTEGER, old BYTEINT, PERIOD FOR lasts (taken, taken_to)) PRIMARY INDEX (site_id) PARTITION BY RANGE_N(taken BETWEEN TIMESTAMP '2025-01-01 00:00:00' AND TIMESTAMP '2026-12-31 23:59:59' EACH INTERVAL '1' MONTH) INDEX by_day (taken);
ALTER TABLE works.reading ADD note VARCHAR(40) NOT NULL DEFAULT 'x', ADD state CHAR(1), DROP spare, RENAME old TO older;
ALTER TABLE works.reading ADD amount DECIMAL(12,3);
ALTER TABLE works.reading ADD CONSTRAINT reading_site FOREIGN KEY (site_id) REFERENCES WITH NO CHECK OPTION works.site (id);
ALTER TABLE works.reading ADD CONSTRAINT above CHECK (amount >= 0); ALTER TABLE works.reading DROP CONSTRAINT above;
RENAME TABLE works.reading TO works.measured;
CREATE INDEX by_site (site_id) ORDER BY VALUES ON works.measured; CREATE UNIQUE INDEX (note) ON works.measured; DROP INDEX by_site ON works.measured;
COLLECT STATISTICS COLUMN (site_id) ON works.measured;
REPLACE VIEW works.totals (site, total) AS LOCKING ROW FOR ACCESS SELECT site_id, MAX(amount) FROM works.measured GROUP BY 1;
CREATE TABLE works.copied AS works.site WITH NO DATA AND STATISTICS; CREATE TABLE works.picked AS (SELECT id, code FROM works.site) WITH DATA PRIMARY INDEX (id);
CREATE VOLATILE TABLE passing (a INTEGER) ON COMMIT PRESERVE ROWS;
REPLACE MACRO works.tidy (days INTEGER) AS (DELETE FROM works.measured;);
COMMENT ON TABLE works.site AS 'Where water is'; COMMENT ON COLUMN works.measured.amount 'Litres'; COMMENT ON works.site.code IS 'Short';
