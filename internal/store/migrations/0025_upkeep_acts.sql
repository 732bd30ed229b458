-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- What is found may be of a product or of a lot, and have no file.
alter table finding
    alter column file_id drop not null,
    alter column lot_id drop not null,
    alter column sha256 drop not null,
    add column product_id bigint references product on delete cascade, -- it is about, or shows the file
    add column thing text not null generated always as (case when file_id is not null then 'file ' || file_id::text
        when product_id is not null then 'product ' || product_id::text else 'lot ' || lot_id::text end) stored,
    drop constraint finding_kind_file_id_key,
    add constraint finding_thing unique (kind, thing);
create index finding_product on finding (product_id) where product_id is not null;

alter table upkeep_setting
    add column rights_days int not null default 30 check (rights_days between 0 and 3650), -- before their end, rights are told of
    add column lying_days  int not null default 14 check (lying_days between 0 and 3650);  -- that a lot lies before it is told of

-- Objects that no row names: told, and never dropped by themselves.
create table stray (
    key      text primary key,
    sha256   bytea,                 -- as its name has it; null where that is none
    bytes    bigint not null,
    written  timestamptz not null,
    found_at timestamptz not null default now(),
    sweep_id bigint not null
);

-- A plan that has files take the place of others, wherever those stand.
alter table plan
    drop constraint plan_kind_check,
    add constraint plan_kind_check check (kind in ('lot', 'hand', 'spread', 'swap'));
create table plan_swap (
    plan_id   bigint not null references plan on delete cascade,
    from_file bigint not null references file on delete cascade,
    to_file   bigint not null references file on delete cascade,
    primary key (plan_id, from_file),
    check (from_file <> to_file)
);
create index plan_swap_from on plan_swap (from_file);
create index plan_swap_to on plan_swap (to_file);

-- What needs a file without end, and for how long still, are asked apart, by an index each.
drop index reference_file;
create index reference_file on reference (file_id); -- for the foreign key
create index reference_needed on reference (file_id) where until is null;
create index reference_until on reference (file_id, until) where until is not null;

-- A message may be of a sweep.
alter table message add column sweep_id bigint references sweep on delete set null;

-- +goose Down
alter table message drop column sweep_id;
drop index reference_file, reference_needed, reference_until;
create index reference_file on reference (file_id) include (until);
drop table plan_swap;
delete from plan where kind = 'swap';
alter table plan drop constraint plan_kind_check, add constraint plan_kind_check check (kind in ('lot', 'hand', 'spread'));
drop table stray;
alter table upkeep_setting drop column rights_days, drop column lying_days;
delete from finding where file_id is null;
drop index finding_product;
alter table finding
    drop constraint finding_thing,
    drop column thing,
    drop column product_id,
    add constraint finding_kind_file_id_key unique (kind, file_id),
    alter column file_id set not null,
    alter column lot_id set not null,
    alter column sha256 set not null;
