CREATE SCHEMA IF NOT EXISTS `tarn-prod.telemetry` OPTIONS(location="EU");
CREATE TABLE `tarn-prod.telemetry.reading`
(
  reading_id INT64 NOT NULL OPTIONS(description="Number of the reading"),
  sensor STRUCT<id STRING NOT NULL, pos STRUCT<lat FLOAT64, lon FLOAT64>>,
  vals ARRAY<STRUCT<t TIMESTAMP, v NUMERIC(10, 2)>>,
  note STRING(200) DEFAULT "none",
  taken TIMESTAMP NOT NULL DEFAULT CURRENT_TIMESTAMP(),
  PRIMARY KEY (reading_id) NOT ENFORCED,
  FOREIGN KEY (note) REFERENCES `tarn-prod.telemetry.note`(code) NOT ENFORCED
)
PARTITION BY DATE(taken)
CLUSTER BY reading_id
OPTIONS(
  description="Readings as they come",
  labels=[("team", "ops")]
);
CREATE TABLE telemetry.note (code STRING NOT NULL, label STRING);
# a comment
ALTER TABLE telemetry.note ADD COLUMN IF NOT EXISTS lang STRING OPTIONS(description='Language');
ALTER TABLE telemetry.note ADD PRIMARY KEY (code) NOT ENFORCED;
CREATE OR REPLACE VIEW telemetry.v_note OPTIONS(description="Notes") AS SELECT code, UPPER(label) AS label FROM telemetry.note;
CREATE MATERIALIZED VIEW telemetry.mv AS SELECT COUNT(*) AS n FROM telemetry.note;
