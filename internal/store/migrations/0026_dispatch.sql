-- +goose Up

-- An outlet is where pictures are handed on to, and how it wants them.
create table outlet (
    id         bigint generated always as identity primary key,
    name       text not null,
    kind       text not null default 'package' check (kind in ('package')),
    settings   jsonb not null,
    version    int not null default 1,
    created_at timestamptz not null default now(),
    made_by    text not null
);
create unique index outlet_name on outlet (lower(name));

-- What was handed on, and when: kept when the outlet, or a file, is gone.
create table dispatch (
    id        bigint generated always as identity primary key,
    outlet_id bigint references outlet on delete set null,
    outlet    text not null,
    settings  jsonb not null, -- as they were
    actor     text not null,
    at        timestamptz not null default now(),
    ended_at  timestamptz,
    products  int not null default 0,
    pictures  int not null default 0,
    held      int not null default 0,
    bytes     bigint not null default 0, -- of the pictures
    size      bigint not null default 0, -- of the package
    let_go_at timestamptz                -- when the package was; the receipt stays
);
create index dispatch_outlet on dispatch (outlet_id, id desc);
create table dispatch_picture (
    dispatch_id bigint not null references dispatch on delete cascade,
    n           int not null,
    product_id  bigint not null,
    variant_id  bigint not null default 0, -- 0 for the product as a whole
    code        text not null,
    sku         text not null,
    title       text not null,
    view        text not null,
    place       int not null,
    alt         text not null,
    file_id     bigint not null,
    path        text not null,
    sha256      bytea not null,
    bytes       bigint not null,
    name        text not null,
    was         text not null default '', -- the name that it had there before
    held        text not null default '', -- why it did not go
    primary key (dispatch_id, n)
);
create index dispatch_picture_product on dispatch_picture (product_id, dispatch_id);
create index dispatch_picture_file on dispatch_picture (file_id, dispatch_id);

alter table run add column dispatch_id bigint references dispatch on delete set null;

-- +goose Down
alter table run drop column dispatch_id;
drop table dispatch_picture, dispatch, outlet;
