-- +goose Up

-- clue lists that people made, by name
create table clue_list (
    id         bigint generated always as identity primary key,
    name       text not null,
    list       jsonb not null,
    version    int not null default 1,
    changed_at timestamptz not null default now()
);
create unique index clue_list_name on clue_list (lower(name));

-- the list that a lot is read with: its own, else its origin's, else the usual one
alter table lot add column clue_list_id bigint references clue_list on delete set null;
alter table origin add column clue_list_id bigint references clue_list on delete set null;

-- what spreadsheets that came with a lot say of its files
create table lot_row (
    lot_id  bigint not null references lot on delete cascade,
    file_id bigint not null references file on delete cascade, -- the sheet
    line    int not null,
    file    text not null,
    sku     text not null,
    place   int not null default 0,
    view    text not null default '',
    alt     text not null default '',
    lead    boolean not null default false,
    primary key (file_id, line)
);
create index lot_row_lot on lot_row (lot_id);

-- barcodes that were read from the pixels; null where they were not looked for
alter table blob add column codes jsonb;

alter table file
    add column why text not null default '', -- the kind of reason, of what is not paired
    add column alt text not null default ''; -- what a sheet says of it
create index file_by_kind on file (lot_id, verdict, clue, rung, why);
create index file_unlooked on file (lot_id) where verdict = 'loose';

-- files that were accepted together are taken back as those set aside together
alter table aside add column kind text not null default 'set aside' check (kind in ('set aside', 'accepted'));

-- +goose Down
alter table aside drop column kind;
drop index file_by_kind, file_unlooked;
alter table file drop column why, drop column alt;
alter table blob drop column codes;
drop table lot_row;
alter table origin drop column clue_list_id;
alter table lot drop column clue_list_id;
drop table clue_list;
