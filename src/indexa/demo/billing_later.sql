-- Tarnbeck Water, billing, a release later: what reading again has to tell. `manage.py billing_state first` takes it back.
alter table cust.acct rename column cls_dt to clos_dt;
alter table cust.usr alter column usr_nm type varchar(120);
alter table cust.usr alter column dept_cd set not null;
alter table cust.cust add column pref_lang_cd char(2) not null default 'en';
comment on column cust.cust.pref_lang_cd is 'language of letters';
drop table cust.cust_old_2009;

alter table metering.excp rename to rdg_excp;
comment on column metering.mtr.mtr_srl_no is 'serial no with the maker''s prefix, unique across makers since the 2026 release';
alter table metering.mtr add column radio_id varchar(16);
create unique index mtr_radio_ux on metering.mtr (radio_id);
alter table metering.mtr_xchg rename column crew_cd to team_cd;
alter table metering.leak_alrm add column cls_rsn_cd char(2);
alter table metering.leak_alrm drop column ack_ts;
alter table metering.leak_alrm add constraint leak_alrm_usr_fkey foreign key (ack_usr_cd) references cust.usr;

create table bill.wrt_off (
  wrt_off_id bigint generated always as identity primary key,
  acct_id bigint not null references cust.acct,
  wrt_off_dt date not null,
  wrt_off_amt bill.amt_t not null,
  apprv_usr_cd varchar(12) references cust.usr
);
comment on table bill.wrt_off is 'debts given up, by account';
grant select on bill.wrt_off to tarnbeck_reader;
