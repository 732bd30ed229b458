-- +goose Up
-- How many pictures a person said may get new names at an outlet at once.
alter table dispatch add column rename_up_to int not null default 0;

-- +goose Down
alter table dispatch drop column rename_up_to;
