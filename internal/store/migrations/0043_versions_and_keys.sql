-- +goose Up
-- A version counts the changes, so that nobody overwrites the change of somebody else.
alter table origin add column version int not null default 1;
alter table upkeep_setting add column version int not null default 1;
alter table mailing add column version int not null default 1;

-- A request with a key is carried out once: the key is written in the transaction of the change, the answer after it.
create table request_key (
    key     text not null,
    asked   bytea not null, -- SHA-256 of the request
    status  int,            -- null while there is no answer
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
