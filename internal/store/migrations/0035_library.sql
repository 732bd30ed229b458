-- +goose Up
-- The object store of this library has an object with this text: nothing is written into a store
-- that has another, or none.
create table library (single boolean primary key default true check (single), mark text not null);

-- Coverage is counted otherwise now, and so all of it anew.
delete from coverage_count;
update coverage set version = -1;

-- A plan tells which of the pictures that it replaced were purged.
create index receipt_file_of on receipt_file (file_id);

-- +goose Down
drop index receipt_file_of;
drop table library;
