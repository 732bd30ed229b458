-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- How upkeep goes: one row.
create table upkeep_setting (
    one           boolean primary key default true check (one),
    way_back_days int not null default 90 check (way_back_days between 0 and 3650), -- that an applied plan can be taken back for sure
    hold_days     int not null default 30 check (hold_days between 1 and 3650),
    ages          jsonb not null default '{}', -- days by reason, before a file counts as an orphan
    sweep_hours   int not null default 24 check (sweep_hours between 0 and 8760), -- 0: by hand only
    next_sweep    timestamptz not null default now() + interval '1 day',
    purge         boolean not null default true, -- what is past its term goes by itself
    purge_share   int not null default 20 check (purge_share between 1 and 100) -- percent of all files that go without being asked again
);
insert into upkeep_setting default values;

-- A pin keeps a file, because a person says so.
create table pin (
    id      bigint generated always as identity primary key,
    file_id bigint not null unique references file on delete cascade,
    because text not null,
    actor   text not null,
    at      timestamptz not null default now()
);

-- A need ends by itself where it has a term: that of a way back. What is past its term needs
-- nothing any more, and tells where the file stood. A file that is a sheet is needed by it.
alter table reference
    add column until    timestamptz,
    add column pin_id   bigint references pin on delete cascade,
    add column sheet_id bigint references sheet on delete cascade,
    drop constraint reference_check,
    add constraint reference_check check (num_nonnulls(placement_id, plan_change_id, lot_order_id, lot_id, pin_id, sheet_id) = 1);
-- Whether a file is needed is answered by the index alone.
drop index reference_file;
create index reference_file on reference (file_id) include (until);
create unique index reference_pin on reference (pin_id) where pin_id is not null;
create index reference_sheet on reference (sheet_id) where sheet_id is not null;
delete from reference r using plan_change c join plan p on p.id = c.plan_id
    where c.id = r.plan_change_id and 'reverted' in (c.state, p.state);
update reference r set until = coalesce(p.applied_at, now()) + interval '90 days'
    from plan_change c join plan p on p.id = c.plan_id where c.id = r.plan_change_id and p.state = 'applied';
insert into reference (file_id, sheet_id) select id, sheet_id from file where verdict = 'sheet' and sheet_id is not null;

-- Files that are held: out of the way, and whole. Each is of one holding, which has a term.
create table holding (
    id      bigint generated always as identity primary key,
    at      timestamptz not null default now(),
    until   timestamptz not null,
    actor   text not null,
    because text not null default '',
    files   int not null default 0 -- that were held by it
);
create table held (
    file_id    bigint primary key references file on delete cascade,
    holding_id bigint not null references holding,
    reason     text not null,
    since      timestamptz
);
create index held_holding on held (holding_id, file_id);

-- Whatever needs a held file takes it out of holding.
-- +goose StatementBegin
create function needed_again() returns trigger language plpgsql as $$
begin
    delete from held using added where held.file_id = added.file_id and (added.until is null or added.until > now());
    return null;
end $$;
-- +goose StatementEnd
create trigger reference_added after insert on reference referencing new table as added
    for each statement execute function needed_again();

-- A sweep, what it asked, and what it found. A finding stays from sweep to sweep while it is found.
create table sweep (
    id       bigint generated always as identity primary key,
    actor    text not null,
    kinds    text[] not null,
    at       timestamptz not null default now(),
    ended_at timestamptz,
    asked    jsonb not null default '{}' -- of how many files, placements, plans, lots, pins
);
create table finding (
    id          bigint generated always as identity primary key,
    kind        text not null,
    reason      text not null,
    file_id     bigint not null references file on delete cascade,
    lot_id      bigint not null,
    path        text not null,
    sha256      bytea not null,
    bytes       bigint not null,
    frees       bigint not null default 0, -- that would be freed with all of its kind
    grp         bigint not null default 0, -- files of one group belong together
    since       timestamptz not null,
    detail      text not null default '',
    plan_id     bigint not null default 0, -- that took it from where it stood
    first_sweep bigint not null,
    last_sweep  bigint not null,
    unique (kind, file_id)
);
create index finding_kind on finding (kind, grp, id);
create index finding_file on finding (file_id);

-- What was purged, file by file: kept when the files are gone.
create table receipt (
    id       bigint generated always as identity primary key,
    actor    text not null,
    at       timestamptz not null default now(),
    ended_at timestamptz,
    holdings bigint[] not null default '{}', -- whose files go before their term; else those past it
    due      timestamptz not null default now(),
    files    int not null default 0,
    bytes    bigint not null default 0,
    freed    bigint not null default 0,
    kept     int not null default 0 -- that were needed again when their turn came
);
create table receipt_file (
    receipt_id bigint not null references receipt,
    file_id    bigint not null,
    path       text not null,
    lot        text not null,
    sha256     bytea not null,
    bytes      bigint not null,
    freed      bigint not null,
    reason     text not null,
    held_by    text not null,
    held_at    timestamptz not null,
    because    text not null default '',
    primary key (receipt_id, file_id)
);

-- Objects whose row is gone and that are still to go; and bytes that are arriving, whose
-- object therefore stays.
create table blob_leaving (
    sha256     bytea primary key,
    receipt_id bigint not null references receipt
);
create table blob_arriving (
    sha256 bytea not null,
    lot_id bigint not null default 0, -- 0 for a sheet
    at     timestamptz not null default now(),
    primary key (sha256, lot_id)
);

-- When bytes were read last to see whether they are what they were, and what is wrong.
alter table blob
    add column checked_at timestamptz,
    add column damage     text not null default '' check (damage in ('', 'missing', 'damaged'));
create index blob_unchecked on blob (checked_at nulls first);
create index blob_damage on blob (sha256) where damage <> '';
alter table upkeep_setting add column check_days int not null default 30 check (check_days between 1 and 3650); -- in which all is read

create index decision_file_of on decision_file (file_id); -- so that one can go

alter table run add column sweep_id bigint references sweep on delete set null, add column receipt_id bigint references receipt on delete set null;

-- +goose Down
alter table run drop column sweep_id, drop column receipt_id;
drop index decision_file_of;
alter table blob drop column checked_at, drop column damage;
drop table blob_arriving, blob_leaving, receipt_file, receipt, finding, sweep;
drop trigger reference_added on reference;
drop function needed_again();
drop table held, holding;
delete from reference where pin_id is not null or sheet_id is not null;
drop index reference_file;
create index reference_file on reference (file_id);
alter table reference
    drop constraint reference_check,
    drop column until, drop column pin_id, drop column sheet_id,
    add constraint reference_check check (num_nonnulls(placement_id, plan_change_id, lot_order_id, lot_id) = 1);
drop table pin, upkeep_setting;
