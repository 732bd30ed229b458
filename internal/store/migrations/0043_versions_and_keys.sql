-- +goose Up
-- What a person edits counts its changes, so that nobody writes over what another did since.
alter table origin add column version int not null default 1;
alter table upkeep_setting add column version int not null default 1;
alter table mailing add column version int not null default 1;

-- What a program began under a key of its own is not done a second time: the key is written in the transaction of what was
-- done, and what was answered when it is known.
create table request_key (
    key     text not null,
    asked   bytea not null, -- SHA-256 of what was asked for
    status  int,            -- null as long as the answer is not known
    answer  bytea,
    at      timestamptz not null default now(),
    primary key (key)
);
create index request_key_at on request_key (at);

-- +goose Down
drop table request_key;
alter table mailing drop column version;
alter table upkeep_setting drop column version;
alter table origin drop column version;
