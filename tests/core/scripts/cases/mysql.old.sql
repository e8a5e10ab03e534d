# phpwater dump, 2003
create table if not exists stock (
  id int(10) unsigned zerofill not null auto_increment, qty int(5) default '0', price float(8,2) default '0.00', flag enum('Y','N') binary default 'N',
  stamp timestamp(14), yr year(4), txt longtext, bin varbinary(16), g geometry not null, js json default (json_object()), n national varchar(20),
  d double precision unsigned, `a b` smallint, uuid char(36) default (uuid()), primary key (id), unique (yr, qty), key (`a b`), index using hash (price)
) type=MyISAM comment="old ""stock""";
alter table stock add (extra int, more char(3)), drop key `a b`, add constraint primary_not unique nm (more), alter qty set default 7, alter price drop default, engine = InnoDB;
alter table stock add foreign key fk1 (yr) references years (yr), add check (qty > 0), convert to character set utf8mb4, order by id;
create table years (yr year not null, primary key (yr)) select 1 as one;
create table y2 as select yr, 1 + 1 as two from years;
create or replace view v (a, b) as select yr, one from years;
create table part_h (id int) partition by hash (id) partitions 4;
create table part_k (id int not null, t varchar(5)) partition by list columns (t) (partition a values in ('x','y') comment = 'xs', partition b values in (default));
insert into stock values ('it\'s', "a;b", 'c\\'), (1, 'd''e', "f\"g");
create function f(a int) returns int deterministic return a + 1;
create procedure without_delimiter() begin declare x int; if x > 1 then select 1; end if; case x when 1 then select 2; end case; end;
create table after_body (a int, b int generated always as (a + 1) persistent, c int invisible, d int check (d > 0), e int references years (yr));
create sequence numbers start with 5 increment by 2;
create trigger t after update on stock for each row follows other set @x = 1;
drop table if exists part_h, nothing;
rename table y2 to years_two, stock to stock_old;
drop index nm on stock_old;
create unique index ux on stock_old (extra desc, txt(10));
flush privileges; set @a := 1; call without_delimiter(); lock tables stock_old write;
