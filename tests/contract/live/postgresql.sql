create schema s;
create type s.stat as enum ('new', 'old');
create domain s.amt as numeric(12,2) default 0 not null check (value >= 0);
create table s.cust (
  cust_id serial primary key, nm varchar(40) not null unique, born date, stat s.stat default 'new', tags text[], n int default 5,
  flag bool default 't', at timestamptz(3) default now(), code char, amount decimal(9), constraint cust_ck check (born > '1900-01-01')
);
comment on table s.cust is 'Customers; all of them'; comment on column s.cust.nm is 'It''s the name';
create table s.acct (
  acct_id bigint generated always as identity (start with 10), cust_id int references s.cust on delete cascade, bal s.amt,
  dbl numeric generated always as (n * 2) stored, n int, primary key (acct_id), unique (cust_id, n)
);
create table s.rdg (id bigint, at date not null) partition by range (at);
create table s.rdg_1 partition of s.rdg for values from ('2020-01-01') to ('2021-01-01');
create table s.kid (extra text) inherits (s.cust);
create table s.twin (like s.acct including all);
create index cust_ix on s.cust (lower(nm), born desc) where born is not null;
create index on s.acct (n) include (bal);
create view s.v as select c.cust_id, c.nm as name, a.bal from s.cust c left join s.acct a on a.cust_id = c.cust_id;
create materialized view s.mv as select * from s.v;
create function s.f() returns trigger language plpgsql as $$ begin return new; end $$;
create trigger t before update on s.cust for each row execute function s.f();
alter table s.cust rename column n to num;
alter table s.twin rename to twin_of_acct;
