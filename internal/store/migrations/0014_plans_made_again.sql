-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- Counts what is decided of a lot's files, so that a plan can tell whether it is
-- made of the decisions that stand. Drafts from before this are made again.
alter table lot add column decisions bigint not null default 0;
alter table plan_lot add column decisions bigint not null default -1; -- the lot's when it was planned

-- what became different when a plan that had been shown was made again
alter table plan_product add column remade boolean not null default false;
alter table plan
    add column revision       int not null default 1, -- counts what is shown of it: only what was seen is applied
    add column remade_changed int not null default 0,
    add column remade_fresh   int not null default 0,
    add column remade_gone    int not null default 0;

-- +goose Down
alter table plan drop column revision, drop column remade_changed, drop column remade_fresh, drop column remade_gone;
alter table plan_product drop column remade;
alter table plan_lot drop column decisions;
alter table lot drop column decisions;
