-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- Pictures that are needed and stand on no product yet: each once, in a folder, with words.
create table shelved (
    id      bigint generated always as identity primary key,
    file_id bigint not null unique references file on delete cascade,
    folder  text not null,   -- "Labels/Care"; '' for the shelf itself
    words   text[] not null,
    search  text not null,   -- folder, words and path in lower case
    actor   text not null,
    at      timestamptz not null default now()
);
create index shelved_folder on shelved (folder, id);
create index shelved_search on shelved using gin (search gin_trgm_ops);

-- What was done on the shelf at once, and how it was before: what takes it back.
create table shelf_act (
    id        bigint generated always as identity primary key,
    actor     text not null,
    at        timestamptz not null default now(),
    places    jsonb not null,             -- [{"file": 1, "was": null, "now": {"folder": "", "words": []}}]
    decisions bigint[] not null default '{}', -- by which files of open lots were set aside with it
    undone_at timestamptz
);

alter table reference
    add column shelved_id bigint references shelved on delete cascade,
    drop constraint reference_check,
    add constraint reference_check
        check (num_nonnulls(placement_id, plan_change_id, lot_order_id, lot_id, pin_id, sheet_id, shelved_id) = 1);
create unique index reference_shelved on reference (shelved_id) where shelved_id is not null;

-- A lot that was dropped on the shelf goes into a folder of it when it was examined; null for others.
alter table lot add column shelf text;

-- +goose Down
alter table lot drop column shelf;
delete from reference where shelved_id is not null;
drop index reference_shelved;
alter table reference
    drop constraint reference_check,
    drop column shelved_id,
    add constraint reference_check check (num_nonnulls(placement_id, plan_change_id, lot_order_id, lot_id, pin_id, sheet_id) = 1);
drop table shelf_act, shelved;
