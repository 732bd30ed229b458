-- +goose Up

-- an address that a supplier opens without an account to hand in files
create table supplier_link (
    id         bigint generated always as identity primary key,
    token      bytea not null unique, -- SHA-256 of what the address ends with
    supplier   text not null,
    asker      text not null default '',
    message    text not null default '',
    category   text not null default '', -- path of the category whose missing products are shown, '' for all
    expires_at timestamptz not null,
    revoked_at timestamptz,
    max_files  int not null check (max_files > 0),
    max_bytes  bigint not null check (max_bytes > 0),
    rights     text not null default 'unknown' check (rights in ('cleared', 'restricted', 'unknown')),
    licence    text not null default '',
    credit     text not null default '',
    created_at timestamptz not null default now()
);
alter table lot add column link_id bigint references supplier_link on delete set null;
create index lot_link on lot (link_id) where link_id is not null;

-- +goose Down
alter table lot drop column link_id;
drop table supplier_link;
