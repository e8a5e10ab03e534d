{ DATABASE water  delimiter | }
grant dba to "informix";
create row type "informix".addr (street varchar(40), town varchar(30));
{ TABLE "informix".site row size = 120 number of columns = 5 index size = 9 }
create table "informix".site
  (
    site_no serial not null constraint "informix".n101_1,
    descr nchar(40),
    area float,
    made datetime year to day default today,
    amt money(16,2),
    flag boolean,
    doc text in table,
    pic byte in pics,
    check (area IN (0 ,1 )) constraint "informix".ck_area,
    unique (descr) constraint "informix".uq_descr,
    primary key (site_no) constraint "informix".pk_site
  ) in datadbs extent size 32 next size 16 lock mode page;
revoke all on "informix".site from "public" as "informix";
create index "informix".ix_made on "informix".site (made desc,area) using btree in datadbs;
create table "informix".visit (site_no integer not null, at datetime year to second not null, dur interval hour(4) to minute, primary key (site_no,at));
alter table "informix".visit add constraint (foreign key (site_no) references "informix".site constraint "informix".fk_visit);
alter table visit add (who char(8), why lvarchar(300)), modify (dur interval hour(6) to second not null), drop (why);
rename column visit.who to visitor;
create view "informix".v_site (no, name) as select x0.site_no, x0.descr from "informix".site x0;
create synonym s1 for site;
create sequence "informix".seq1 increment by 1 start with 10 nocache;
create trigger "informix".tr1 insert on "informix".visit referencing new as n for each row (execute procedure p1(n.site_no));
create temp table tmp1 (a int) with no log;
create raw table after_all (a int8, b serial8, c bigserial);
update statistics high for table visit; close database;
