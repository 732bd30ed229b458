-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- Pictures of categories go, too: those of no product (0) are of a category.
alter table outlet_picture add column category_id bigint not null default 0;
alter table dispatch_picture
    add column category_id bigint not null default 0,
    add column exception   text not null default ''; -- by whom it went although it may not be handed on, and why

-- A package may have parts; one that is sent by mail is sent once.
alter table dispatch
    add column parts     int not null default 1,
    add column mailed_at timestamptz;

-- What a person lets through the gate of an outlet, until it is taken back.
create table gate_exception (
    outlet_id bigint not null references outlet on delete cascade,
    sha256    bytea not null,
    because   text not null,
    actor     text not null,
    at        timestamptz not null default now(),
    primary key (outlet_id, sha256)
);

-- A supplier's link may be for a request: then that is what the supplier is asked for.
alter table supplier_link add column request_id bigint references request on delete set null;

-- +goose Down
alter table supplier_link drop column request_id;
drop table gate_exception;
alter table dispatch drop column parts, drop column mailed_at;
delete from dispatch_picture where category_id <> 0;
alter table dispatch_picture drop column category_id, drop column exception;
delete from outlet_picture where category_id <> 0;
alter table outlet_picture drop column category_id;
