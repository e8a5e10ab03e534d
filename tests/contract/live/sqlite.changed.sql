create table site (id integer primary key autoincrement, code text not null collate nocase unique on conflict ignore, name varchar(80) default 'none',
  area real generated always as (2 * 3) stored, half as (id / 2), region text constraint has_region check (region <> ''));
create table reading (site_id integer not null references site on delete cascade deferrable initially deferred, taken text default current_timestamp, amount double precision, old int, spare int,
  constraint reading_pk primary key (site_id desc, taken), foreign key (site_id, amount) references pair (a, b) match full) without rowid;
create table pair (a integer, b double precision, unique (a, b));
alter table reading rename column old to older;
alter table reading drop column spare;
alter table reading add column note text not null default '' collate rtrim;
alter table site rename to place;
create index reading_note on reading (note collate nocase desc, lower(note)) where note <> '';
create unique index if not exists place_name on place (name);
create temp table scratch (a int);
create table made as select 1 as one, 'x' as two;
create view totals (site, total) as select site_id, sum(amount) from reading group by site_id;
create view gone as select 1; drop view gone;
create trigger stamp after update of note on reading when new.note <> old.note begin update place set name = 'x'; select 1; end;
create trigger unwanted after delete on reading begin select 1; end;
drop trigger if exists unwanted;
create table short_lived (a); drop table if exists short_lived; drop index if exists no_such;
create virtual table words using fts5(body, tokenize = 'porter');
create table loose (a, b numeric(5, 2) null, "c d" [big thing], e blob default x'00ff', f integer default (1 + 2), g text as (a || b) virtual);
create table if not exists loose (never int);
