\connect billing
SET client_encoding = 'UTF8';
SELECT pg_catalog.set_config('search_path', '', false);
CREATE SCHEMA s; CREATE SCHEMA "Odd Name" AUTHORIZATION steward;
CREATE TYPE s.stat AS ENUM ('new', 'it''s', 'old');
CREATE DOMAIN s.amt AS numeric(12,2) DEFAULT 0 NOT NULL CONSTRAINT amt_pos CHECK (VALUE >= 0);
CREATE FUNCTION s.touch() RETURNS trigger LANGUAGE plpgsql AS $body$
BEGIN
  -- ; not the end
  EXECUTE 'CREATE TABLE s.dyn (a int);';
  RETURN NEW;
END $body$;
CREATE TABLE s.cust (
    cust_id serial PRIMARY KEY,           -- number of the customer
    /* the name as it is
       on the bill */
    full_nm varchar(60) NOT NULL CHECK (full_nm <> ''),
    "Odd ""Col" text DEFAULT 'a;b--c',
    born date, -- only for natural persons
    stat s.stat DEFAULT 'new',
    tags text[] DEFAULT '{}'::text[],
    CONSTRAINT cust_nm_uk UNIQUE (full_nm, born) DEFERRABLE INITIALLY DEFERRED,
    EXCLUDE USING gist (born WITH =) WHERE (born IS NOT NULL)
) WITH (fillfactor=70) TABLESPACE fast;
COPY s.cust (cust_id, full_nm) FROM stdin;
1	it's; CREATE TABLE s.no (a int);
2	\N
\.
CREATE TABLE s.acct (
    acct_id bigint GENERATED ALWAYS AS IDENTITY (START WITH 1000 INCREMENT BY 10),
    cust_id int REFERENCES s.cust ON DELETE CASCADE,
    bal s.amt,
    dbl numeric GENERATED ALWAYS AS (bal * 2) STORED,
    PRIMARY KEY (acct_id)
);
ALTER TABLE ONLY s.acct
    ADD CONSTRAINT acct_ck CHECK ((bal < 1000000::numeric)) NOT VALID,
    ADD COLUMN opened timestamptz DEFAULT now() NOT NULL,
    ADD UNIQUE (cust_id, opened),
    ALTER COLUMN bal SET DEFAULT 5,
    DROP COLUMN IF EXISTS nothing;
CREATE TABLE s.rdg (rdg_id bigint NOT NULL, at date NOT NULL) PARTITION BY RANGE (at);
CREATE TABLE s.rdg_2020 PARTITION OF s.rdg FOR VALUES FROM ('2020-01-01') TO ('2021-01-01');
CREATE TABLE s.rdg_2021 (rdg_id bigint NOT NULL, at date NOT NULL);
ALTER TABLE s.rdg ATTACH PARTITION s.rdg_2021 FOR VALUES FROM ('2021-01-01') TO ('2022-01-01');
CREATE TABLE s.vip (level int) INHERITS (s.cust);
CREATE TABLE s.twin (LIKE s.acct INCLUDING ALL, extra text);
CREATE TABLE "Odd Name"."Table" (id int);
CREATE UNIQUE INDEX CONCURRENTLY cust_lower ON s.cust USING btree (lower(full_nm) DESC NULLS LAST, born) WHERE born IS NOT NULL;
CREATE INDEX ON s.acct (opened) INCLUDE (bal);
CREATE VIEW s.v AS SELECT c.cust_id, c.full_nm AS name, a.*, count(*) AS n FROM s.cust c LEFT JOIN s.acct a USING (cust_id) GROUP BY 1;
CREATE TRIGGER t BEFORE UPDATE ON s.cust FOR EACH ROW EXECUTE FUNCTION s.touch();
COMMENT ON TABLE s.cust IS 'Customers'; COMMENT ON COLUMN s.v.name IS E'Shown\non bills';
ALTER TABLE s.cust RENAME COLUMN stat TO status;
ALTER TABLE s.cust RENAME TO customer;
CREATE TABLE s.gone (a int); DROP TABLE s.gone;
CREATE TABLE s.broken (a int, b int REFERENCES, c text FROBNICATE 7 NOT NULL, ));
CREATE TABLE s.after_broken (a int);
FROBNICATE s.cust;
DO $$ BEGIN EXECUTE 'ALTER TABLE s.x ADD y int'; END $$;
SET search_path = s, public;
CREATE TABLE plain (id int PRIMARY KEY, up int REFERENCES plain);
ALTER TYPE stat ADD VALUE 'late' AFTER 'new';
GRANT SELECT ON ALL TABLES IN SCHEMA s TO reader;
