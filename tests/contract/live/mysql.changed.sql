create table site (
  id int unsigned not null auto_increment, code varchar(20) character set latin1 collate latin1_bin, name varchar(80) not null default 'none',
  region char(3) null, made timestamp not null default current_timestamp on update current_timestamp,
  area decimal(10,2) generated always as (2 * 3) stored, half int as (id * 2) virtual, primary key (id), unique key by_code (code), key by_name (name(10))
) engine=InnoDB auto_increment=50 comment='Where water is' default charset=utf8mb4;
create table reading (site_id int unsigned not null, taken datetime(3), amount double, old int, spare int, words text, fulltext key by_words (words),
  constraint reading_site foreign key (site_id) references site (id) on delete cascade on update restrict, check (amount >= 0)) engine=InnoDB;
alter table reading add column note varchar(40) after taken, add column first_one int first, add (a int, b int default 3), drop column spare;
alter table reading change old older bigint unsigned not null default 0 comment 'Older' after note, modify amount decimal(12,3) not null;
alter table reading alter column a set default 5, alter b drop default; alter table reading rename column b to c, rename index by_words to by_text;
alter table reading add primary key (site_id, taken), add unique key (older), add index mixed (note desc, c) using btree comment 'Mixed', add constraint above check (amount < 100000);
alter table reading drop constraint above, drop index mixed;
alter table site drop key by_name, add constraint one_region unique (region, name), comment = 'Sites', auto_increment = 99;
create table tank (tank_id int primary key, site int unsigned, depth int check (depth > 0), constraint tank_site foreign key (site) references site (id));
alter table tank drop foreign key tank_site, drop primary key, add primary key (depth);
alter table tank rename to basin;
rename table basin to cistern;
create table part (day date not null, litres int, key (litres)) partition by range (to_days(day)) (partition p0 values less than (738000), partition p1 values less than maxvalue);
alter table part drop partition p0;
create table part_like like part;
create table nothing (a int); drop table if exists nothing, no_such; 
create or replace view totals (site, total) as select site_id, sum(amount) from reading group by site_id;
alter view totals as select site_id as site, max(amount) as highest from reading group by site_id;
create view gone as select 1 as one; drop view if exists gone;
delimiter //
create procedure tidy(in days int) begin delete from reading; end//
create function twice(x int) returns int deterministic return x * 2//
create trigger stamp before insert on reading for each row begin set new.note = 'new'; end//
create trigger unwanted after delete on reading for each row set @x = 1//
create event nightly on schedule every 1 day do begin delete from reading; end//
delimiter ;
drop trigger unwanted; drop procedure if exists tidy;
create index by_c on reading (c); create unique index by_depth on cistern (depth, site); drop index by_c on reading;
alter table cistern convert to character set latin1 collate latin1_general_ci;
alter table reading modify column words mediumtext collate utf8mb4_bin null, engine=InnoDB, row_format=dynamic;
create table invisible_part (id int primary key, hidden int invisible default 1, b bit(3) default b'101', e enum('a','b') not null default 'b', s set('x','y'), y year, z int zerofill);
create table checked (a int check (a > 0), b int, c int, constraint both_sides check (b < c), check (c > 1)); alter table checked drop column a;
create table kinds (a tinyint(1), b bool, c smallint unsigned zerofill, d int(5) zerofill, e integer(11), f numeric, g dec(5), h float(7,3), i real, j double precision, k fixed(4,1), l bigint signed, m char, n varchar(9), o tinytext, p longblob, q varbinary(5), r bit, s int, t text, u point, v varchar(4), w character varying(3), x timestamp null default null, y time(2), z datetime default now());
alter table kinds add index (a, b), add unique u1 (c), add spatial index (u), modify s bigint unsigned, modify u point not null;
create table twice_named (a int, b int, index (a), index (a, b), unique (b), unique (b, a)); alter table twice_named rename key a_2 to two, drop key b, add column if not exists a int, add column if not exists c int after a, drop column if exists never, change column b bb int;
create table parts (id int not null, region varchar(9)) partition by list columns (region) (partition north values in ('n', 'nn') comment = 'North', partition south values in ('s'));
alter table parts add partition (partition west values in ('w')); alter table parts comment 'Parts'; alter table parts drop partition south;
create table hashed (a int) partition by hash (a) partitions 3; alter table hashed remove partitioning; create table keyed (a int primary key) partition by key () partitions 2;
create table counted (n int auto_increment unique, m int null collate utf8mb4_bin, up int, key (up), foreign key (up) references counted (n)); alter table counted rename to counted_again;
