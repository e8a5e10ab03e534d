{ an old style comment }
create table "informix".pump 
  (
    pump_no serial not null ,
    kind char(8),
    started datetime year to second default current year to second,
    flow decimal(10,2),
    descr lvarchar(500),
    primary key (pump_no)  constraint "informix".pk_pump
  ) extent size 16 next size 16 lock mode row;
create unique index "informix".ix_kind on "informix".pump (kind) using btree ;
alter table "informix".pump add constraint (check (flow >= 0 ) constraint ck_flow);
create table stop (pump_no integer not null, at datetime year to minute, why varchar(40,10));
alter table stop add constraint (foreign key (pump_no) references pump  on delete cascade constraint fk_stop);
create procedure p(a int) returning int; define b int; let b = a; return b; end procedure;
