-- +goose Up

-- who may drop files; passwords are made by Ambrosa, long and at random, so
-- that their plain SHA-256 tells nothing
create table drop_person (
    id         bigint generated always as identity primary key,
    name       text not null,
    password   bytea not null,
    created_at timestamptz not null default now()
);
create unique index drop_person_name on drop_person (lower(name));

-- +goose Down
drop table drop_person;
