-- Takes billing_later.sql back.
drop table bill.wrt_off;
alter table metering.leak_alrm drop constraint leak_alrm_usr_fkey;
alter table metering.leak_alrm add column ack_ts timestamptz;
alter table metering.leak_alrm drop column cls_rsn_cd;
alter table metering.mtr_xchg rename column team_cd to crew_cd;
drop index metering.mtr_radio_ux;
alter table metering.mtr drop column radio_id;
comment on column metering.mtr.mtr_srl_no is 'as stamped by maker';
alter table metering.rdg_excp rename to excp;
create table cust.cust_old_2009 (custno varchar(12), name varchar(80), addr1 varchar(60), addr2 varchar(60), pcode varchar(10), phone varchar(20));
comment on table cust.cust_old_2009 is 'DO NOT USE, kept from the migration';
grant select on cust.cust_old_2009 to tarnbeck_reader;
alter table cust.cust drop column pref_lang_cd;
alter table cust.usr alter column dept_cd drop not null;
alter table cust.usr alter column usr_nm type varchar(60);
alter table cust.acct rename column clos_dt to cls_dt;
