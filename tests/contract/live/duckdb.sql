create schema s; create type mood as enum('a','b'); create sequence s.sq start 5;
create table s.a(id integer primary key, n varchar(20) not null default 'x', m mood, d decimal(10,2), l integer[], st struct(a integer, b varchar), check (d > 0));
create table s.b(id bigint default nextval('s.sq'), a_id integer references s.a(id), x text unique, g integer generated always as (a_id + 1), unique(id, x));
comment on table s.b is 'Bee'; comment on column s.b.x is 'Ex';
create index ix on s.b(a_id); create unique index ux on s.b(lower(x));
create view s.v as select b.id, a.n from s.b b left join s.a a on a.id=b.a_id;
create macro s.addone(x) as x + 1;
create table s.d(a int default null, b character(3), c nchar(2), d bigint default null::bigint);
