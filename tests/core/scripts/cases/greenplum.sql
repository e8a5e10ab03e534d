SET search_path = dwh, pg_catalog;
CREATE TABLE rdg (
    rdg_id bigint NOT NULL,
    mtr_id integer,
    rdg_dt date
) WITH (appendonly=true, compresslevel=5) DISTRIBUTED BY (rdg_id) PARTITION BY RANGE(rdg_dt)
          (
          START ('2020-01-01'::date) END ('2021-01-01'::date) EVERY ('1 mon'::interval) WITH (tablename='rdg_1_prt_1')
          );
CREATE TABLE ref (k text, v text) DISTRIBUTED RANDOMLY;
ALTER TABLE ONLY rdg ADD CONSTRAINT rdg_pk PRIMARY KEY (rdg_id);
CREATE EXTERNAL WEB TABLE ext_x (a text) EXECUTE E'cat /x' ON ALL FORMAT 'text' (delimiter ',');
ALTER TABLE ref OWNER TO gpadmin;
