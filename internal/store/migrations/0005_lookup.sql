-- +goose Up

-- barcodes that a service is asked for
create table lookup_code (
    id         bigint generated always as identity primary key,
    origin_id  bigint not null references origin on delete cascade,
    code       text not null, -- 14 digits; as it was entered where it is wrong
    state      text not null default 'open' check (state in ('open', 'found', 'nothing', 'wrong', 'failed')),
    message    text not null default '',
    asked_at   timestamptz,
    unique (origin_id, code)
);
create index lookup_code_open on lookup_code (origin_id, id) where state = 'open';

-- pictures that it answered with
create table lookup_candidate (
    id      bigint generated always as identity primary key,
    code_id bigint not null references lookup_code on delete cascade,
    address text not null,
    title   text not null default '', -- as the service calls the product
    type    text not null default '',
    width   int not null default 0,
    height  int not null default 0,
    bytes   bigint not null default 0,
    tag     text not null default '',
    problem text not null default '', -- why it is no picture
    state   text not null default 'open' check (state in ('open', 'taken', 'declined'))
);
create unique index lookup_candidate_address on lookup_candidate (code_id, md5(address));

-- requests a day, to stay within a service's quota
create table lookup_day (
    origin_id bigint not null references origin on delete cascade,
    day       date not null,
    asked     int not null,
    primary key (origin_id, day)
);

-- +goose Down
drop table lookup_day, lookup_candidate, lookup_code;
