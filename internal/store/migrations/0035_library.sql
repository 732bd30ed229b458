-- +goose Up
-- The object store of this library has an object with this text: nothing is written into a store
-- that has another, or none.
create table library (single boolean primary key default true check (single), mark text not null);

-- +goose Down
drop table library;
