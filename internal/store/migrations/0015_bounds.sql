-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- how often the process ended while it read an upload: twice,
-- without a file more; then it is not read again
alter table upload
    add column attempts     int not null default 0,
    add column attempted_at bigint not null default -1; -- files that it had given

alter table upload add column begun_at timestamptz not null default now();
create index upload_begun on upload (begun_at) where finished_at is null;

-- how often the process ended while a run did not get on
alter table run add column deaths int not null default 0;
alter table run add column done_at_death bigint not null default -1;

-- Many files may have the same bytes: the first of them is found without sorting all.
drop index file_blob;
create index file_blob on file (sha256, id);

-- +goose Down
drop index file_blob;
create index file_blob on file (sha256);
alter table run drop column deaths, drop column done_at_death;
alter table upload drop column begun_at, drop column attempts, drop column attempted_at;
