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

-- +goose Down
alter table sheet_mapping add column signature text not null default '';
create index sheet_mapping_signature on sheet_mapping (signature);
drop table sheet_pairing;
