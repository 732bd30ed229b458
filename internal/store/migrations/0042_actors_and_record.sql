-- +goose Up
-- Who acts, by number and kind, in the place of a name in each row; and the record of what was done.

create table actor (
    id    bigint generated always as identity primary key,
    kind  text not null check (kind in ('person', 'supplier', 'drop person', 'timetable', 'ambrosa')),
    name  text not null,
    since timestamptz not null default now(),
    unique (kind, name)
);

insert into actor (kind, name) values ('person', 'specialist'), ('ambrosa', 'Ambrosa'), ('timetable', 'timetable');

-- Names that earlier versions wrote: suppliers have links, those who dropped files have passwords or lots of them.
-- +goose StatementBegin
create function actor_of(called text) returns bigint language plpgsql as $$
declare
    found bigint;
begin
    if coalesce(called, '') = '' then
        return null;
    end if;
    select id into found from actor where name = called order by id limit 1;
    if found is null then
        insert into actor (kind, name) values (case when exists (select from supplier_link where supplier = called) then 'supplier'
            when exists (select from drop_person where name = called)
                or exists (select from lot where origin = 'drop' and lot.name = 'Dropped by ' || called) then 'drop person'
            else 'person' end, called) returning id into found;
    end if;
    return found;
end $$;
-- +goose StatementEnd

create function actor_name(of bigint) returns text language sql stable parallel safe
    return coalesce((select name from actor where id = of), '');

-- +goose StatementBegin
do $$
declare
    c record;
begin
    for c in select * from (values
        ('decision', 'actor', 'actor_id', false), ('dispatch', 'actor', 'actor_id', true), ('gate_exception', 'actor', 'actor_id', true),
        ('holding', 'actor', 'actor_id', true), ('lot', 'actor', 'actor_id', false), ('lot_order', 'actor', 'actor_id', false),
        ('outlet', 'made_by', 'made_by_id', false), ('pin', 'actor', 'actor_id', true), ('plan', 'made_by', 'made_by_id', false),
        ('plan', 'applied_by', 'applied_by_id', false), ('plan', 'reverted_by', 'reverted_by_id', false),
        ('receipt', 'actor', 'actor_id', true), ('request', 'actor', 'actor_id', true), ('run', 'actor', 'actor_id', false),
        ('sheet', 'actor', 'actor_id', false), ('sheet_import', 'actor', 'actor_id', false),
        ('sheet_import', 'reverted_by', 'reverted_by_id', false), ('shelf_act', 'actor', 'actor_id', true),
        ('shelved', 'actor', 'actor_id', true), ('shot_list', 'by', 'set_by_id', false), ('sweep', 'actor', 'actor_id', true),
        ('text_keeping', 'actor', 'actor_id', true)) as t(of, was, is_now, always)
    loop
        execute format('alter table %I add column %I bigint references actor', c.of, c.is_now);
        execute format('alter table %I disable trigger user', c.of);
        execute format('with named as materialized (select n, actor_of(n) as id from (select distinct %I as n from %I) d)
            update %I t set %I = named.id from named where named.n = t.%I and named.id is not null', c.was, c.of, c.of, c.is_now, c.was);
        execute format('alter table %I enable trigger user', c.of);
        if c.always then
            execute format('update %I set %I = actor_of(''Ambrosa'') where %I is null', c.of, c.is_now, c.is_now);
            execute format('alter table %I alter column %I set not null', c.of, c.is_now);
        end if;
        execute format('alter table %I drop column %I', c.of, c.was);
    end loop;
end $$;
-- +goose StatementEnd

create table record (
    id       bigint generated always as identity primary key,
    at       timestamptz not null default clock_timestamp(),
    actor_id bigint not null references actor,
    action   text not null,
    run_id   bigint, -- that made the change; runs may be forgotten
    request  text not null default '',
    before   jsonb,
    after    jsonb
);

create index record_by_actor on record (actor_id, id);
create index record_by_action on record (action, id);

-- What a change was made to. These may be gone: the record is not of what stands, but of what was done.
create table record_subject (
    record_id  bigint not null references record,
    n          int not null,
    kind       text not null,
    subject_id bigint not null,
    primary key (kind, subject_id, record_id)
);

create index record_subject_of on record_subject (record_id);

-- +goose StatementBegin
create function only_appended() returns trigger language plpgsql as $$
begin
    raise exception 'the record is only appended to';
end $$;
-- +goose StatementEnd

create trigger record_only_appended before update or delete or truncate on record execute function only_appended();
create trigger record_only_appended before update or delete or truncate on record_subject execute function only_appended();

-- What earlier versions kept of who did what, as far as they kept it.
insert into record (at, actor_id, action, after) overriding system value
    select at, actor_id, action, jsonb_build_object('from', source, 'id', id) from (
        select applied_at as at, coalesce(applied_by_id, made_by_id) as actor_id, 'plan.applied' as action, 'plan' as source, id from plan
            where applied_at is not null
        union all select reverted_at, coalesce(reverted_by_id, made_by_id), 'plan.reverted', 'plan', id from plan where reverted_at is not null
        union all select created_at, actor_id, 'lot.create', 'lot', id from lot
        union all select created_at, actor_id, 'sheet.bring', 'sheet', id from sheet
        union all select created_at, actor_id, 'sheet.import', 'import', id from sheet_import where sheet_id is not null
        union all select at, actor_id, 'outlet.send', 'dispatch', id from dispatch
        union all select at, actor_id, 'findings.hold', 'holding', id from holding
        union all select at, actor_id, 'holding.purge', 'receipt', id from receipt) was
    where at is not null and actor_id is not null order by at, source, id;

insert into record_subject (record_id, n, kind, subject_id)
    select id, 1, after->>'from', (after->>'id')::bigint from record;
insert into record_subject (record_id, n, kind, subject_id)
    select distinct on (r.id, c.product_id, c.category_id) r.id, 2, case when c.product_id is not null then 'product' else 'category' end,
        coalesce(c.product_id, c.category_id)
    from record r join plan_change c on c.plan_id = (r.after->>'id')::bigint and r.after->>'from' = 'plan'
    where c.state in ('applied', 'reverted') and coalesce(c.product_id, c.category_id) is not null on conflict do nothing;
insert into record_subject (record_id, n, kind, subject_id)
    select r.id, 2, 'outlet', d.outlet_id from record r join dispatch d on d.id = (r.after->>'id')::bigint and r.after->>'from' = 'dispatch'
    where d.outlet_id is not null on conflict do nothing;
insert into record_subject (record_id, n, kind, subject_id)
    select distinct r.id, 2, 'product', c.product_id from record r
        join sheet_change c on c.import_id = (r.after->>'id')::bigint and r.after->>'from' = 'import'
    where c.product_id is not null on conflict do nothing;

drop function actor_of(text);

-- +goose Down
drop table record_subject;
drop table record;
drop function only_appended();
-- +goose StatementBegin
do $$
declare
    c record;
begin
    for c in select * from (values
        ('decision', 'actor', 'actor_id'), ('dispatch', 'actor', 'actor_id'), ('gate_exception', 'actor', 'actor_id'),
        ('holding', 'actor', 'actor_id'), ('lot', 'actor', 'actor_id'), ('lot_order', 'actor', 'actor_id'),
        ('outlet', 'made_by', 'made_by_id'), ('pin', 'actor', 'actor_id'), ('plan', 'made_by', 'made_by_id'),
        ('plan', 'applied_by', 'applied_by_id'), ('plan', 'reverted_by', 'reverted_by_id'), ('receipt', 'actor', 'actor_id'),
        ('request', 'actor', 'actor_id'), ('run', 'actor', 'actor_id'), ('sheet', 'actor', 'actor_id'),
        ('sheet_import', 'actor', 'actor_id'), ('sheet_import', 'reverted_by', 'reverted_by_id'), ('shelf_act', 'actor', 'actor_id'),
        ('shelved', 'actor', 'actor_id'), ('shot_list', 'by', 'set_by_id'), ('sweep', 'actor', 'actor_id'),
        ('text_keeping', 'actor', 'actor_id')) as t(of, was, is_now)
    loop
        execute format('alter table %I add column %I text not null default ''''', c.of, c.was);
        execute format('alter table %I disable trigger user', c.of);
        execute format('update %I set %I = actor_name(%I)', c.of, c.was, c.is_now);
        execute format('alter table %I enable trigger user', c.of);
        execute format('alter table %I drop column %I', c.of, c.is_now);
    end loop;
end $$;
-- +goose StatementEnd
drop function actor_name(bigint);
drop table actor;
