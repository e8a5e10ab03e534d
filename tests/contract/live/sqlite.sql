create table point (code TEXT primary key, name text not null, kind text default 'TAP');
create table sample (
  no integer primary key autoincrement, code text not null references Point (CODE) on delete cascade, taken text default (datetime('now')), -- local
  temp real check (temp < 60), anything, h as (temp * 2) stored, name VARYING CHARACTER(20) collate nocase, unique (code, taken), constraint n check (no > 0)
);
create table pair (a text, b int, primary key (a, b)) without rowid, strict;
create index ix on sample (temp desc, lower(name)) where temp > 1;
create unique index ux on sample (name);
create view v as select s.no, p.name from sample s join point p on p.code = s.code;
create trigger tr after insert on pair begin delete from pair; end;
create virtual table doc using fts5(title, body);
