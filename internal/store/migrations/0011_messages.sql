-- +goose Up

-- what is said to people when a run ends
create table message (
    id           bigint generated always as identity primary key,
    at           timestamptz not null default now(),
    run_id       bigint references run on delete set null,
    plan_id      bigint references plan on delete set null,
    title        text not null,
    body         text not null,
    read_at      timestamptz,
    mail_to      text not null default '', -- '' when it does not go by mail
    mail_state   text not null default '' check (mail_state in ('', 'waiting', 'sent', 'failed')),
    mail_problem text not null default ''
);
create index message_newest on message (at desc);
create index message_unread on message (id) where read_at is null;

-- where messages go by mail
create table mailing (
    single  boolean primary key default true check (single),
    address text not null default ''
);
insert into mailing default values;

-- +goose Down
drop table mailing, message;
