-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- Pictures stand on products, variants and categories alike (catalog.Target). A
-- product changes together with its variants, a category by itself: each has a
-- version, which counts its changes.
alter table category
    add column version    bigint not null default 1,
    add column pictures   int not null default 0,
    add column updated_at timestamptz not null default now();

alter table placement
    alter column product_id drop not null,
    add column category_id bigint references category on delete cascade,
    drop constraint placement_product_id_variant_id_place_key,
    add constraint placement_place unique nulls not distinct (product_id, variant_id, category_id, place) deferrable initially deferred,
    add constraint placement_target check ((product_id is null) <> (category_id is null) and (variant_id is null or product_id is not null));
create index placement_category on placement (category_id, place) where category_id is not null;

alter table file
    add column category_id bigint references category on delete set null,
    add constraint file_target check (product_id is null or category_id is null);
create index file_by_category on file (lot_id, category_id) where verdict = 'paired' and category_id is not null;

alter table lot add column category_id bigint references category on delete set null;
alter table run add column category_id bigint;

-- What a plan does to one product with its variants, or to one category.
alter table plan_product rename to plan_change;
alter table plan_change drop constraint plan_product_pkey;
alter table plan_change
    add column id bigint generated always as identity primary key,
    alter column product_id drop not null,
    add column category_id bigint references category on delete cascade,
    add constraint plan_change_owner unique nulls not distinct (plan_id, product_id, category_id),
    add constraint plan_change_target check ((product_id is null) <> (category_id is null));
alter index plan_product_product rename to plan_change_product;
drop index plan_product_state;
create index plan_change_state on plan_change (plan_id, state, product_id, category_id);
create index plan_change_category on plan_change (category_id) where category_id is not null;

-- What stands and will stand is written by target: [{"kind": "variant", "id": 12, "pictures": [...]}].
-- +goose StatementBegin
create function pg_temp.by_target(product bigint, was jsonb) returns jsonb language sql as $$
    select coalesce(jsonb_agg(jsonb_build_object('kind', case key when '0' then 'product' else 'variant' end,
            'id', case key when '0' then product else key::bigint end, 'pictures', value) order by key::bigint), '[]')
    from jsonb_each(was) where jsonb_typeof(value) = 'array' and value <> '[]'
$$;
-- +goose StatementEnd
-- +goose StatementBegin
create function pg_temp.warnings_by_target(product bigint, was jsonb) returns jsonb language sql as $$
    select coalesce(jsonb_agg((w - 'variant') || jsonb_build_object('target', case when coalesce((w->>'variant')::bigint, 0) = 0
            then jsonb_build_object('kind', 'product', 'id', product)
            else jsonb_build_object('kind', 'variant', 'id', (w->>'variant')::bigint) end) order by at), '[]')
    from jsonb_array_elements(was) with ordinality as x (w, at)
$$;
-- +goose StatementEnd
update plan_change set before = pg_temp.by_target(product_id, before), after = pg_temp.by_target(product_id, after),
    warnings = pg_temp.warnings_by_target(product_id, warnings);
drop function pg_temp.by_target(bigint, jsonb);
drop function pg_temp.warnings_by_target(bigint, jsonb);

alter table lot_order drop constraint lot_order_pkey;
alter table lot_order
    add column id bigint generated always as identity primary key,
    alter column product_id drop not null,
    alter column variant_id drop not null,
    add column category_id bigint references category on delete cascade;
update lot_order set variant_id = null where variant_id = 0;
delete from lot_order where variant_id is not null and not exists (select from variant v where v.id = variant_id);
alter table lot_order
    add constraint lot_order_variant foreign key (variant_id) references variant on delete cascade,
    add constraint lot_order_target unique nulls not distinct (lot_id, product_id, variant_id, category_id),
    add constraint lot_order_one check ((product_id is null) <> (category_id is null) and (variant_id is null or product_id is not null));

-- What a person decided of files, and how they were before: what takes it back.
alter table aside rename to decision;
alter table aside_file rename to decision_file;
alter table decision_file rename column aside_id to decision_id;

-- Who did it; '' before anybody was asked.
alter table decision add column actor text not null default '';
alter table lot_order add column actor text not null default '';
alter table lot add column actor text not null default '';
alter table run add column actor text not null default '';
alter table plan
    add column made_by     text not null default '',
    add column applied_by  text not null default '',
    add column reverted_by text not null default '';

-- Runs are called what they do, and are all done by one kind of job.
update run set kind = case kind when 'look' then 'barcodes' else 'all barcodes' end where kind in ('look', 'look all');
-- +goose StatementBegin
do $$ begin
    if to_regclass('river_job') is not null then
        update river_job set kind = 'run' where kind in ('examine', 'pair', 'apply', 'revert', 'fetch', 'look', 'lookup');
    end if;
end $$;
-- +goose StatementEnd

-- What needs a file: one row for each need, written in the transaction of what it
-- stands for and gone with it. A file that is needed cannot be deleted.
create table reference (
    id             bigint generated always as identity primary key,
    file_id        bigint not null references file,
    placement_id   bigint references placement on delete cascade,   -- it stands
    plan_change_id bigint references plan_change on delete cascade, -- a draft, or the way back
    lot_order_id   bigint references lot_order on delete cascade,   -- a person put it into an order
    lot_id         bigint references lot on delete cascade,         -- its lot is open
    since          timestamptz not null default now(),
    check (num_nonnulls(placement_id, plan_change_id, lot_order_id, lot_id) = 1)
);
insert into reference (file_id, placement_id) select file_id, id from placement;
insert into reference (file_id, plan_change_id)
    select distinct (p->>'file')::bigint, c.id
    from plan_change c, jsonb_array_elements(c.before || c.after) t, jsonb_array_elements(t->'pictures') p
    where exists (select from file where id = (p->>'file')::bigint);
insert into reference (file_id, lot_order_id)
    select distinct (p->>'file')::bigint, o.id from lot_order o, jsonb_array_elements(o.pictures) p
    where exists (select from file where id = (p->>'file')::bigint);
insert into reference (file_id, lot_id)
    select f.id, l.id from lot l join file f on f.lot_id = l.id where l.state in ('receiving', 'examining', 'ready');
create index reference_file on reference (file_id);
create unique index reference_placement on reference (placement_id) where placement_id is not null;
create index reference_plan_change on reference (plan_change_id) where plan_change_id is not null;
create index reference_lot_order on reference (lot_order_id) where lot_order_id is not null;
create index reference_lot on reference (lot_id) where lot_id is not null;

-- +goose Down
drop table reference;
update run set kind = case kind when 'barcodes' then 'look' else 'look all' end where kind in ('barcodes', 'all barcodes');
alter table plan drop column made_by, drop column applied_by, drop column reverted_by;
alter table run drop column actor;
alter table lot drop column actor;
alter table lot_order drop column actor;
alter table decision drop column actor;
alter table decision_file rename column decision_id to aside_id;
alter table decision_file rename to aside_file;
alter table decision rename to aside;
delete from lot_order where category_id is not null;
alter table lot_order drop constraint lot_order_one, drop constraint lot_order_target, drop constraint lot_order_variant, drop column category_id, drop column id;
update lot_order set variant_id = 0 where variant_id is null;
alter table lot_order add primary key (lot_id, product_id, variant_id);
delete from plan_change where category_id is not null;
alter table plan_change drop constraint plan_change_target, drop constraint plan_change_owner, drop column category_id, drop column id;
-- +goose StatementBegin
create function pg_temp.by_variant(was jsonb) returns jsonb language sql as $$
    select coalesce(jsonb_object_agg(case t->>'kind' when 'product' then '0' else t->>'id' end, t->'pictures'), '{}') from jsonb_array_elements(was) t
$$;
-- +goose StatementEnd
-- +goose StatementBegin
create function pg_temp.warnings_by_variant(was jsonb) returns jsonb language sql as $$
    select coalesce(jsonb_agg((w - 'target') || case when w->'target'->>'kind' = 'variant'
        then jsonb_build_object('variant', (w->'target'->>'id')::bigint) else '{}' end order by at), '[]')
    from jsonb_array_elements(was) with ordinality as x (w, at)
$$;
-- +goose StatementEnd
update plan_change set before = pg_temp.by_variant(before), after = pg_temp.by_variant(after), warnings = pg_temp.warnings_by_variant(warnings);
drop function pg_temp.by_variant(jsonb);
drop function pg_temp.warnings_by_variant(jsonb);
alter table plan_change rename to plan_product;
alter table plan_product add primary key (plan_id, product_id);
alter index plan_change_product rename to plan_product_product;
drop index if exists plan_change_state;
create index plan_product_state on plan_product (plan_id, state, product_id);
alter table run drop column category_id;
alter table lot drop column category_id;
update file set verdict = 'loose' where category_id is not null;
alter table file drop constraint file_target, drop column category_id;
delete from placement where category_id is not null;
alter table placement drop constraint placement_target, drop constraint placement_place, drop column category_id,
    alter column product_id set not null,
    add constraint placement_product_id_variant_id_place_key unique nulls not distinct (product_id, variant_id, place) deferrable initially deferred;
alter table category drop column version, drop column pictures, drop column updated_at;
