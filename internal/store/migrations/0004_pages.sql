-- +goose Up

alter table origin add column recipe jsonb; -- how a supplier's site is read

alter table origin_item add column page text not null default ''; -- that named it

-- path names the file, address is where it is read from and known by
alter table fetch_item
    add column address text not null default '',
    add column page    text not null default '',
    add column said    jsonb;
update fetch_item set address = path;

alter table file
    add column address text not null default '', -- where it was read from, of pages and lookups
    add column said    jsonb;                    -- what its source said of it, by field

-- the pages of a crawl, in the order in which they are visited
create table crawl_page (
    run_id  bigint not null references run on delete cascade,
    n       int not null,
    address text not null,
    kind    text not null check (kind in ('listing', 'product')),
    state   text not null default 'open' check (state in ('open', 'done', 'same', 'failed')),
    tag     text not null default '', -- tells one state of the page from another
    links   int not null default 0,   -- product pages that a listing names
    shots   int not null default 0,   -- pictures found
    small   int not null default 0,   -- of them, smaller than asked for
    width   int not null default 0,   -- of the largest
    height  int not null default 0,
    message text not null default '',
    primary key (run_id, n)
);
create unique index crawl_page_address on crawl_page (run_id, md5(address));
create index crawl_page_open on crawl_page (run_id, n) where state = 'open';

-- product pages whose every picture is here, so that they are not read again
create table origin_page (
    origin_id bigint not null references origin on delete cascade,
    address   text not null,
    tag       text not null
);
create unique index origin_page_address on origin_page (origin_id, md5(address));

-- +goose Down
drop table origin_page, crawl_page;
alter table file drop column address, drop column said;
alter table fetch_item drop column address, drop column page, drop column said;
alter table origin_item drop column page;
alter table origin drop column recipe;
