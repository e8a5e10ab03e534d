-- Tarnbeck Water's reporting warehouse: a star around readings, invoices and calls, and views over views for the reports.
create schema dw;
create schema mart;
comment on schema dw is 'Dimensions and facts, loaded every night';
comment on schema mart is 'What the reports read';

create table dw.dim_date (
  date_key integer primary key, cal_date date not null unique, cal_year smallint not null, cal_qrtr smallint not null,
  cal_mnth smallint not null, mnth_name varchar(12) not null, wk_numb smallint not null, hldy_flag boolean not null default false,
  fscl_year smallint not null, fscl_perd smallint not null);
comment on table dw.dim_date is 'One row a day from 1995 to 2045';
create table dw.dim_zone (
  zone_key integer primary key, zone_code varchar(8) not null, zone_name varchar(60) not null, dstr_name varchar(60), prnt_zone_key integer,
  vald_from date not null, vald_to date);
create table dw.dim_prms (
  prms_key bigint primary key, prms_numb varchar(14) not null, prms_type_code varchar(4), strt_name varchar(80), post_code varchar(10),
  zone_key integer references dw.dim_zone, occp_cnt smallint, vald_from date not null, vald_to date);
create table dw.dim_cstm (
  cstm_key bigint primary key, cstm_numb varchar(12) not null, cstm_name varchar(120), cstm_type_code varchar(4), frst_cont_date date,
  crdt_clss_code varchar(2), vlnr_flag boolean, vald_from date not null, vald_to date);
create index dim_cstm_i1 on dw.dim_cstm (cstm_numb);
create table dw.dim_acnt (
  acnt_key bigint primary key, acnt_numb varchar(12) not null, opn_date date, clsd_date date, bill_cycl_code varchar(4),
  trff_code varchar(6), dirc_debt_flag boolean, form_recieved_date date, vald_from date not null, vald_to date);
create index acnt_by_number on dw.dim_acnt (acnt_numb);
create table dw.dim_metr (
  metr_key bigint primary key, metr_serl_numb varchar(24) not null, metr_type_code varchar(6), supplier_name varchar(60), manf_name varchar(60), size_mm smallint,
  inst_date date, rmvd_date date, smrt_flag boolean, vald_from date not null, vald_to date);
comment on column dw.dim_metr.size_mm is 'Nominal diameter in millimetres';
create table dw.dim_chrg_type (chrg_type_key integer primary key, chrg_type_code varchar(6) not null, chrg_type_name varchar(60) not null, ldgr_acnt_numb varchar(12), vendor_name varchar(60));

create table dw.fct_read (
  read_key bigint generated always as identity, metr_key bigint not null references dw.dim_metr, prms_key bigint not null references dw.dim_prms,
  acnt_key bigint references dw.dim_acnt, read_date_key integer not null references dw.dim_date, prev_date_key integer references dw.dim_date,
  read_valu numeric(12,3) not null, cnsp_volm numeric(12,3), days_cnt smallint, estm_flag boolean not null, excp_code varchar(4),
  load_tmst timestamptz not null default now(), constraint fct_read_pk primary key (read_key));
create index fct_read_i1 on dw.fct_read (metr_key, read_date_key);
create index rdg_dt_ix on dw.fct_read (read_date_key);
create table dw.fct_invc_line (
  invc_numb varchar(14) not null, line_numb smallint not null, acnt_key bigint not null references dw.dim_acnt, cstm_key bigint not null references dw.dim_cstm,
  chrg_type_key integer not null references dw.dim_chrg_type, invc_date_key integer not null references dw.dim_date, due_date_key integer references dw.dim_date,
  bild_volm numeric(12,3), net_amnt numeric(12,2) not null, vat_amnt numeric(12,2), load_tmst timestamptz not null default now(),
  constraint fct_invc_line_pk primary key (invc_numb, line_numb));
create table dw.fct_paym (
  paym_numb varchar(14) primary key, acnt_key bigint not null references dw.dim_acnt, paym_date_key integer not null references dw.dim_date,
  paym_mthd_code varchar(4), form_received_date date, paym_amnt numeric(12,2) not null, load_tmst timestamptz not null default now());
create table dw.fct_call (
  call_numb bigint primary key, cstm_key bigint references dw.dim_cstm, zone_key integer references dw.dim_zone, call_date_key integer not null references dw.dim_date,
  call_catg_code varchar(6), received_tmst timestamptz, wait_secd integer, talk_secd integer, rslv_flag boolean);
create table dw.etl_run (run_id bigint primary key, job_nm varchar(60), strt_ts timestamptz, end_ts timestamptz, rows_cnt bigint, sts_cd varchar(2));
comment on table dw.etl_run is 'What the nightly load did; names as its tool makes them';

create view mart.v_acnt_now as select * from dw.dim_acnt where vald_to is null;
create view mart.v_metr_now as select * from dw.dim_metr where vald_to is null;
create view mart.v_cnsp_mnth as
  select r.acnt_key, d.cal_year, d.cal_mnth, sum(r.cnsp_volm) as cnsp_volm, bool_or(r.estm_flag) as estm_flag
  from dw.fct_read r join dw.dim_date d on d.date_key = r.read_date_key
  group by 1, 2, 3;
create view mart.v_cnsp_year as
  select m.acnt_key, m.cal_year, sum(m.cnsp_volm) as cnsp_volm from mart.v_cnsp_mnth m
  group by 1, 2;
create view mart.v_revn_mnth as
  select d.cal_year, d.cal_mnth, t.chrg_type_name, sum(l.net_amnt) as net_amnt, sum(l.vat_amnt) as vat_amnt
  from dw.fct_invc_line l join dw.dim_date d on d.date_key = l.invc_date_key join dw.dim_chrg_type t using (chrg_type_key)
  group by 1, 2, 3;
create view mart.v_high_user as
  select a.acnt_numb, y.cal_year, y.cnsp_volm from mart.v_cnsp_year y join mart.v_acnt_now a using (acnt_key) where y.cnsp_volm > 400;
create view mart.v_ovdu_acnt as
  select a.acnt_numb, sum(l.net_amnt) - coalesce(sum(p.paym_amnt), 0) as open_amnt
  from mart.v_acnt_now a join dw.fct_invc_line l using (acnt_key) left join dw.fct_paym p using (acnt_key)
  group by 1;
