-- +goose Up
-- What a sheet paired: the decisions that can be taken back.
create table sheet_pairing (
    decision_id bigint primary key references decision on delete cascade,
    sheet_id    bigint not null references sheet on delete cascade
);
create index sheet_pairing_sheet on sheet_pairing (sheet_id);

-- A kept mapping is found by how much of a header it knows, and not by the whole of it.
drop index sheet_mapping_signature;
alter table sheet_mapping drop column signature;

-- Verdicts are read by their round: a view joins first, and reads all of them.
drop view sheet_judged;

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
create view sheet_judged as
    select v.sheet_id, v.row, v.verdict, v.sku, v.first_row, v.questions, v.changes
    from sheet s join sheet_verdict v on v.sheet_id = s.id and v.round = s.round;
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
