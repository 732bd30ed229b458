-- +goose Up

-- What pictures the products of a category should have; those below it, too, unless they have a
-- list of their own. The list of no category is the whole catalog's.
create table shot_list (
    id          bigint generated always as identity primary key,
    category_id bigint unique nulls not distinct references category on delete cascade,
    shots       jsonb not null,
    version     int not null default 1,
    by          text not null,
    at          timestamptz not null default now()
);

-- How far products have what their list wants, as it was counted for a version of each: what is
-- of another version, another category or another list is counted again when it is asked for.
create table coverage (
    product_id   bigint primary key references product on delete cascade,
    category_id  bigint not null, -- 0 for none
    version      bigint not null,
    list_id      bigint not null,
    list_version int not null,
    have         smallint[] not null, -- by shot of the list
    below        smallint[] not null,
    wanted       int not null,
    filled       int not null,
    low          int not null,
    missing      int not null
);

-- When it was counted last, and by which lists: what did not change since is not looked at again.
create table coverage_count (
    one        boolean primary key default true check (one),
    counted_at timestamptz not null,
    lists      text not null
);

-- What it came to, day by day.
create table coverage_day (
    day         date not null,
    category_id bigint not null, -- 0 for none
    products    int not null,
    wanted      int not null,
    filled      int not null,
    low         int not null,
    primary key (day, category_id)
);

-- Pictures that somebody was asked for.
create table request (
    id        bigint generated always as identity primary key,
    name      text not null,
    category  text not null default '',
    actor     text not null,
    at        timestamptz not null default now(),
    closed_at timestamptz -- nobody waits for the rest
);
create table request_shot (
    request_id bigint not null references request on delete cascade,
    n          int not null,
    product_id bigint not null references product on delete cascade,
    sku        text not null,
    title      text not null,
    view       text not null,
    nth        int not null, -- of its view
    least      int not null,
    background text not null,
    name       text not null, -- that the file should have
    came_at    timestamptz,
    primary key (request_id, n)
);
create index request_shot_open on request_shot (product_id) where came_at is null;

-- +goose Down
drop table request_shot, request, coverage_day, coverage_count, coverage, shot_list;
