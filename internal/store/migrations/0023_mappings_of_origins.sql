-- +goose Up
-- A mapping that was kept for a sheet from an origin is used for the next one from there, though
-- its headers are less alike.
alter table sheet_mapping add column origin_id bigint references origin on delete set null;

-- +goose Down
alter table sheet_mapping drop column origin_id;
