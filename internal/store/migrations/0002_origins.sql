-- +goose Up

create table origin (
    id            bigint generated always as identity primary key,
    kind          text not null,
    name          text not null,
    settings      jsonb not null default '{}', -- what may be shown
    secrets       jsonb not null default '{}', -- by name, sealed, in base64
    pinned        text not null default '',    -- what the other side is told by
    selection     jsonb not null default '{}',
    folder        text not null default '',    -- what is taken of it
    state         text not null default 'ready' check (state in ('ready', 'failing')),
    message       text not null default '',
    every_minutes int not null default 0,      -- 0: by hand only
    next_at       timestamptz,
    fetched_at    timestamptz,
    rights        text not null default 'unknown' check (rights in ('cleared', 'restricted', 'unknown')),
    licence       text not null default '',
    credit        text not null default '',
    expires       date,
    created_at    timestamptz not null default now()
);
create index origin_due on origin (next_at) where next_at is not null;

-- what was fetched from an origin, to tell what is new, changed or gone
create table origin_item (
    origin_id bigint not null references origin on delete cascade,
    path      text not null,
    tag       text not null,
    gone_at   timestamptz,
    primary key (origin_id, path)
);

alter table lot add column origin_id bigint references origin on delete set null;
create index lot_origin on lot (origin_id) where origin_id is not null;
alter table run add column origin_id bigint references origin on delete cascade;

-- what a fetch found; it goes on from here when it was broken off
create table fetch_item (
    run_id bigint not null references run on delete cascade,
    entry  int not null,
    path   text not null,
    tag    text not null,
    bytes  bigint not null,
    fresh  boolean not null default true, -- to be fetched: new or changed
    primary key (run_id, entry)
);

alter table file
    add column rights  text not null default 'cleared' check (rights in ('cleared', 'restricted', 'unknown')),
    add column licence text not null default '',
    add column credit  text not null default '',
    add column expires date,
    add column fetched boolean not null default true; -- false: could not be fetched, and comes again

-- +goose Down
alter table file drop column rights, drop column licence, drop column credit, drop column expires, drop column fetched;
drop table fetch_item;
alter table run drop column origin_id;
alter table lot drop column origin_id;
drop table origin_item, origin;
