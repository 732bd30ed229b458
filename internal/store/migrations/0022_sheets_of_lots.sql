-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- A spreadsheet among a lot's files is a sheet like any that was brought, and stands so
-- among them. Those that were read before are read once more, when their lot is.
alter table file
    add column sheet_id bigint references sheet on delete set null,
    drop constraint file_verdict_check,
    add constraint file_verdict_check
        check (verdict in ('unread', 'paired', 'contested', 'loose', 'set aside', 'unusable', 'sheet'));
create index file_sheet on file (sheet_id) where sheet_id is not null;
update file set verdict = 'sheet', why = '', problem = '' where verdict = 'unusable' and why = 'sheet';

-- Which files are about a product, so that one can go without looking through all files.
create index file_product on file (product_id) where product_id is not null;
create index file_variant on file (variant_id) where variant_id is not null;
create index file_category on file (category_id) where category_id is not null;

-- Products that are gone, and the version of the catalog since which they are: whoever keeps
-- an index of its keys lets theirs go.
create table product_gone (
    product_id bigint primary key,
    version    bigint not null
);
create index product_gone_version on product_gone (version);

-- A row may name several pictures, and what it is about is known once it is judged;
-- the numbers are kept when that is gone.
alter table lot_row
    add column name        int not null default 0, -- which of the row's, from 0
    add column product_id  bigint not null default 0,
    add column variant_id  bigint not null default 0,
    add column category_id bigint not null default 0,
    drop constraint lot_row_pkey,
    add primary key (file_id, line, name);

-- Which variant, or product as a whole, a row is about, so that those can be listed that a
-- sheet does not name; 0 where it is none, or where the row was judged before this.
alter table sheet_verdict
    add column product_id bigint not null default 0,
    add column variant_id bigint not null default 0;
update sheet set catalog_version = 0; -- they may be judged again

-- +goose Down
alter table sheet_verdict drop column variant_id, drop column product_id;
delete from lot_row where name > 0;
alter table lot_row
    drop constraint lot_row_pkey,
    drop column name, drop column product_id, drop column variant_id, drop column category_id,
    add primary key (file_id, line);
drop table product_gone;
drop index file_product, file_variant, file_category;
update file set verdict = 'unusable', why = 'sheet', problem = 'a spreadsheet, not a picture' where verdict = 'sheet';
alter table file
    drop column sheet_id,
    drop constraint file_verdict_check,
    add constraint file_verdict_check
        check (verdict in ('unread', 'paired', 'contested', 'loose', 'set aside', 'unusable'));
