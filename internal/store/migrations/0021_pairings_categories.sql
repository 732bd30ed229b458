-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- What a sheet paired: the decisions that can be taken back.
create table sheet_pairing (
    decision_id bigint primary key references decision on delete cascade,
    sheet_id    bigint not null references sheet on delete cascade
);
create index sheet_pairing_sheet on sheet_pairing (sheet_id);

-- A kept mapping is found by how much of a header it knows, and not by the whole of it.
drop index sheet_mapping_signature;
alter table sheet_mapping drop column signature;

-- Verdicts are written by rounds: while all rows are judged anew, those of the round
-- before are shown, and changed row by row. What is judged is round 1.
create sequence sheet_round start with 2;
alter table sheet add column round bigint not null default 0; -- of judging, whose verdicts are shown
update sheet set round = 1;
drop index sheet_verdict_kind, sheet_verdict_asked, sheet_verdict_product;
alter table sheet_verdict
    add column round bigint not null default 1,
    drop constraint sheet_verdict_pkey,
    add primary key (sheet_id, round, row);
alter table sheet_verdict alter column round drop default;
create index sheet_verdict_kind on sheet_verdict (sheet_id, round, verdict, row);
create index sheet_verdict_asked on sheet_verdict (sheet_id, round, row) where questions is not null;
create index sheet_verdict_product on sheet_verdict (sheet_id, round, first_row, row);
alter table sheet_import
    add column categories bigint[] not null default '{}', -- that it made
    add column totals jsonb not null default '{}'; -- of the rehearsal that it was begun on

-- A category says what it is about, and one picture may go on many products and
-- categories in one plan.
alter table category add column description text not null default '';
-- Pictures that a sheet names by address come as a lot, and are found by it.
alter table lot add column sheet_id bigint references sheet on delete set null;
create index file_address on file (md5(address)) where address <> '';

-- Of the import of a sheet that has ended.
alter table message add column sheet_id bigint references sheet on delete set null;

-- A change by hand is one of no sheet.
alter table sheet_import alter column sheet_id drop not null;

create index category_name on category (lower(name));
alter table sheet_change
    alter column product_id drop not null,
    add column category_id bigint, -- kept when the category is gone
    add constraint sheet_change_one check ((product_id is null) <> (category_id is null));
create unique index sheet_change_category on sheet_change (import_id, category_id);
alter table plan
    add column file_id bigint references file on delete set null,
    drop constraint plan_kind_check,
    add constraint plan_kind_check check (kind in ('lot', 'hand', 'spread'));
create index plan_file on plan (file_id) where file_id is not null;

-- +goose Down
alter table sheet_import drop column totals, drop column categories;
delete from sheet_verdict v using sheet s where s.id = v.sheet_id and v.round <> s.round;
drop index sheet_verdict_kind, sheet_verdict_asked, sheet_verdict_product;
alter table sheet_verdict drop constraint sheet_verdict_pkey, drop column round, add primary key (sheet_id, row);
create index sheet_verdict_kind on sheet_verdict (sheet_id, verdict, row);
create index sheet_verdict_asked on sheet_verdict (sheet_id, row) where questions is not null;
create index sheet_verdict_product on sheet_verdict (sheet_id, first_row, row);
alter table sheet drop column round;
drop sequence sheet_round;
delete from plan where kind = 'spread';
alter table plan
    drop column file_id,
    drop constraint plan_kind_check,
    add constraint plan_kind_check check (kind in ('lot', 'hand'));
alter table message drop column sheet_id;
drop index file_address;
alter table lot drop column sheet_id;
delete from sheet_import where sheet_id is null;
alter table sheet_import alter column sheet_id set not null;
delete from sheet_change where product_id is null;
alter table sheet_change drop constraint sheet_change_one, drop column category_id, alter column product_id set not null;
drop index category_name;
alter table category drop column description;
alter table sheet_mapping add column signature text not null default '';
create index sheet_mapping_signature on sheet_mapping (signature);
drop table sheet_pairing;
