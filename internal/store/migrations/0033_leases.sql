-- +goose Up
-- A process that does background work holds a lease, and extends it. When it does not, another
-- process ends its sessions, takes its row away, and goes on with its runs.
create table process (
    name       text primary key,
    seat       text not null,        -- the machine and the process number, where that can be looked at
    started_at timestamptz not null default now(),
    until      timestamptz not null
);

-- Each attempt at a run has a number of its own. What an attempt writes is refused as soon as
-- there is a later one.
alter table run add column attempt bigint not null default 0;
alter table run add column process text;
create index run_unfinished on run (id) where state in ('queued', 'running', 'stopping');

-- +goose Down
drop index run_unfinished;
alter table run drop column process;
alter table run drop column attempt;
drop table process;
