USE WAREHOUSE wh_small;
create or replace schema WATER.RAW comment = 'Landing';
create or replace TRANSIENT TABLE WATER.RAW.EVENTS cluster by (event_dt) (
	EVENT_ID NUMBER(38,0) NOT NULL autoincrement start 1 increment 1 noorder,
	PAYLOAD VARIANT COMMENT 'Raw message; "as is"',
	EVENT_DT TIMESTAMP_NTZ(9) DEFAULT CURRENT_TIMESTAMP(),
	"mixedCase" VARCHAR(16777216) COLLATE 'en-ci' WITH MASKING POLICY WATER.SEC.MASK_PII WITH TAG (WATER.SEC.PII='yes'),
	TAGS ARRAY,
	constraint PK_EVENTS primary key (EVENT_ID) RELY
) COMMENT='Events from the field' DATA_RETENTION_TIME_IN_DAYS = 1;
// a line comment of its own
create table if not exists water.raw.site (id int primary key, parent int references water.raw.site(id) not enforced, n string not null unique);
CREATE OR REPLACE VIEW water.raw.v_events(id COMMENT 'Key', dt) COMMENT='Short' AS SELECT event_id, event_dt FROM water.raw.events;
create or replace dynamic table water.raw.daily target_lag = '1 hour' warehouse = wh_small as select event_dt::date as d, count(*) as n from water.raw.events group by 1;
ALTER TABLE water.raw.site ADD COLUMN opened DATE, closed DATE;
ALTER TABLE water.raw.site RENAME COLUMN n TO site_name;
ALTER TABLE water.raw.site ALTER COLUMN opened SET NOT NULL, COLUMN opened COMMENT 'First day';
create or replace procedure water.raw.p() returns string language javascript as $$ return "CREATE TABLE x (a int)"; $$;
create stage s1; create sequence seq1 start = 10 increment = 2;
