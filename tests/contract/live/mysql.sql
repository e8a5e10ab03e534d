create table site (siteId smallint unsigned not null primary key, name varchar(40) not null unique comment 'It''s the name', `key` int) comment='Sites';
create table job (
  jobNo int(11) not null auto_increment, siteId smallint(5) unsigned, kind enum('a','it''s, b') default 'a', flags set('x','y'),
  due datetime default current_timestamp on update current_timestamp, hrs decimal(6,2) not null default '0', cost decimal(8,2) as (hrs * 2) virtual,
  note text character set latin1, ok bool not null default true, price double, big bigint, pos point not null,
  primary key (jobNo), unique key uk_due (due, kind), key ix_note (note(20), hrs desc), fulltext key ft (note), spatial key sp (pos),
  constraint fk_site foreign key (siteId) references site (siteId) on delete set null on update cascade, constraint ck check (hrs >= 0)
) engine=InnoDB default charset=utf8mb4 collate=utf8mb4_general_ci;
create table part (id int not null, y smallint not null, primary key (id, y)) engine=InnoDB partition by range (y) (
  partition p0 values less than (2020), partition p1 values less than maxvalue);
create table copied like site;
alter table site add column opened date null after siteId, change `key` old_key bigint, add index (opened);
create unique index ux on site (old_key);
create view v_job as select j.jobNo, s.name as site from job j join site s on s.siteId = j.siteId;
DELIMITER //
create trigger tr before insert on job for each row begin if new.hrs < 0 then set new.hrs = 0; end if; end //
create procedure pr(in days int) begin delete from job; end //
DELIMITER ;
