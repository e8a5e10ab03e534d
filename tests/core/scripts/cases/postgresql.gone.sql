-- An upgrade that leaves a relationship without its column.
create table zones (id int primary key, code int, name text);
create table meters (
  id int primary key,
  zone_code int references zones (code),
  zone_id int,
  foreign key (zone_id) references zones (id)
);
alter table zones drop column code;
alter table meters drop column zone_id;
