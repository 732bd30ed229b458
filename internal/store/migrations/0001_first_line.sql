-- +goose Up
create extension if not exists pg_trgm;

create table category (
    id        bigint generated always as identity primary key,
    parent_id bigint references category,
    name      text not null,
    path      text not null unique
);

create table product (
    id          bigint generated always as identity primary key,
    code        text not null,
    title       text not null default '',
    category_id bigint references category,
    version     bigint not null default 1,
    pictures    int not null default 0,
    created_at  timestamptz not null default now(),
    updated_at  timestamptz not null default now()
);
create unique index product_code on product (lower(code));
create index product_by_code on product (code, id);
create index product_without_picture on product (code, id) where pictures = 0;
create index product_category on product (category_id);
create index product_text on product using gin ((lower(code) || ' ' || lower(title)) gin_trgm_ops);

create table variant (
    id         bigint generated always as identity primary key,
    product_id bigint not null references product on delete cascade,
    sku        text not null,
    title      text not null default '',
    gtin       text check (gtin ~ '^[0-9]{14}$'),
    codes      text[] not null default '{}',
    options    jsonb not null default '[]',
    position   int not null default 0
);
create unique index variant_sku on variant (lower(sku));
create index variant_product on variant (product_id, position);
create index variant_text on variant using gin ((lower(sku) || ' ' || coalesce(gtin, '')) gin_trgm_ops);

-- counts up with every change of products and variants; who keeps an index of
-- their keys sees by it when to build it again
create table catalog_version (
    single  boolean primary key default true check (single),
    version bigint not null default 1
);
insert into catalog_version default values;

create table lot (
    id         bigint generated always as identity primary key,
    name       text not null,
    origin     text not null default 'upload',
    state      text not null default 'receiving' check (state in ('receiving', 'examining', 'ready', 'applied')),
    expected   int not null default 0,
    created_at timestamptz not null default now()
);

create table upload (
    id          text primary key,
    lot_id      bigint not null references lot on delete cascade,
    path        text not null,
    bytes       bigint not null,
    finished_at timestamptz,
    examined_at timestamptz,
    problem     text not null default ''
);
create index upload_lot on upload (lot_id);

create table blob (
    sha256      bytea primary key,
    bytes       bigint not null,
    type        text not null default '',
    width       int not null default 0,
    height      int not null default 0,
    frames      int not null default 1,
    colour      text not null default '',
    bits        int not null default 8,
    alpha       boolean not null default false,
    profile     boolean not null default false,
    orientation int not null default 1,
    fingerprint bigint,
    thumbnail   boolean not null default false,
    problem     text not null default '',
    stored_at   timestamptz not null default now()
);

create table file (
    id         bigint generated always as identity primary key,
    lot_id     bigint not null references lot on delete cascade,
    upload_id  text not null references upload on delete cascade,
    entry      int not null,
    path       text not null,
    bytes      bigint not null default 0,
    sha256     bytea references blob,
    problem    text not null default '',
    verdict    text not null default 'unread' check (verdict in ('unread', 'paired', 'contested', 'loose', 'set aside', 'unusable')),
    product_id bigint references product on delete set null,
    variant_id bigint references variant on delete set null,
    place      int,
    view       text not null default '',
    clue       text not null default '',
    rung       text not null default '',
    score      real not null default 0,
    reason     text not null default '',
    evidence   jsonb,
    decided_by text not null default '',
    decided_at timestamptz,
    version    int not null default 1,
    arrived_at timestamptz not null default now(),
    unique (upload_id, entry)
);
create index file_by_verdict on file (lot_id, verdict, id);
create index file_by_lot on file (lot_id, id);
create index file_by_product on file (lot_id, product_id) where verdict = 'paired';
create index file_blob on file (sha256);
create index file_open on file (lot_id) where verdict in ('contested', 'loose');
create index file_path on file using gin (lower(path) gin_trgm_ops);

create table plan (
    id         bigint generated always as identity primary key,
    kind       text not null check (kind in ('lot', 'hand')),
    lot_id     bigint references lot,
    way        text not null default 'after',
    state      text not null default 'draft' check (state in ('draft', 'applying', 'applied', 'reverting', 'reverted')),
    created_at timestamptz not null default now(),
    applied_at timestamptz,
    reverted_at timestamptz
);
create index plan_lot on plan (lot_id);

create table plan_product (
    plan_id    bigint not null references plan on delete cascade,
    product_id bigint not null references product on delete cascade,
    way        text,
    left_out   boolean not null default false,
    version    bigint not null,
    state      text not null default 'planned' check (state in ('planned', 'applied', 'reverted', 'stale', 'failed', 'left out')),
    before     jsonb not null,
    after      jsonb not null,
    added      int not null default 0,
    removed    int not null default 0,
    moved      int not null default 0,
    warnings   jsonb not null default '[]',
    problem    text not null default '',
    primary key (plan_id, product_id)
);
create index plan_product_state on plan_product (plan_id, state, product_id);
create index plan_product_product on plan_product (product_id);

create table placement (
    id         bigint generated by default as identity primary key,
    product_id bigint not null references product on delete cascade,
    variant_id bigint references variant on delete cascade,
    file_id    bigint not null references file,
    place      int not null check (place > 0),
    view       text not null default '',
    alt        text not null default '',
    alt_by     text not null default 'draft' check (alt_by in ('draft', 'person')),
    plan_id    bigint references plan,
    unique nulls not distinct (product_id, variant_id, place) deferrable initially deferred
);
create index placement_file on placement (file_id);

create table run (
    id          bigint generated always as identity primary key,
    kind        text not null,
    lot_id      bigint references lot on delete cascade,
    plan_id     bigint references plan on delete cascade,
    product_id  bigint,
    state       text not null default 'queued' check (state in ('queued', 'running', 'stopping', 'stopped', 'done', 'failed')),
    done        bigint not null default 0,
    total       bigint not null default 0,
    message     text not null default '',
    created_at  timestamptz not null default now(),
    started_at  timestamptz,
    finished_at timestamptz
);
create index run_recent on run (created_at desc);
create index run_open on run (state) where state in ('queued', 'running', 'stopping');

create table run_log (
    run_id bigint not null references run on delete cascade,
    at     timestamptz not null default clock_timestamp(),
    text   text not null
);
create index run_log_run on run_log (run_id, at);

-- +goose Down
drop table run_log, run, placement, plan_product, plan, file, blob, upload, lot, catalog_version, variant, product, category;
