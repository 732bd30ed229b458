-- +goose Up

-- What is deleted or joined by has an index: PostgreSQL looks through the whole table otherwise.
create index placement_variant on placement (variant_id) where variant_id is not null;
create index placement_plan on placement (plan_id) where plan_id is not null;
create index lot_category on lot (category_id) where category_id is not null;
create index lot_clue_list on lot (clue_list_id) where clue_list_id is not null;
create index lot_product on lot (product_id) where product_id is not null;
create index lot_variant on lot (variant_id) where variant_id is not null;
create index lot_sheet on lot (sheet_id) where sheet_id is not null;
create index lot_open on lot (id) where state in ('receiving', 'examining', 'ready');
create index lot_applied on lot (id) where state = 'applied';
create index run_lot on run (lot_id) where lot_id is not null;
create index run_plan on run (plan_id) where plan_id is not null;
create index run_origin on run (origin_id) where origin_id is not null;
create index run_sheet on run (sheet_id) where sheet_id is not null;
create index run_import on run (import_id) where import_id is not null;
create index run_sweep on run (sweep_id) where sweep_id is not null;
create index run_receipt on run (receipt_id) where receipt_id is not null;
create index run_dispatch on run (dispatch_id) where dispatch_id is not null;
create index origin_clue_list on origin (clue_list_id) where clue_list_id is not null;
create index decision_lot on decision (lot_id);
create index supplier_link_request on supplier_link (request_id) where request_id is not null;
create index lot_order_category on lot_order (category_id) where category_id is not null;
create index lot_order_product on lot_order (product_id) where product_id is not null;
create index lot_order_variant on lot_order (variant_id) where variant_id is not null;
create index message_run on message (run_id) where run_id is not null;
create index message_plan on message (plan_id) where plan_id is not null;
create index message_sheet on message (sheet_id) where sheet_id is not null;
create index message_sweep on message (sweep_id) where sweep_id is not null;
create index sheet_mapping_origin on sheet_mapping (origin_id) where origin_id is not null;
create index sheet_import_sheet on sheet_import (sheet_id) where sheet_id is not null;
create index blob_leaving_receipt on blob_leaving (receipt_id);
create index request_shot_product on request_shot (product_id);

-- A category knows the numbers of those above it, from the root to itself: what is in it or below it
-- is found by an index, and totals are added up in one pass. Categories do not move.
alter table category add column trail bigint[];
with recursive tree as (
    select id, array[id] as trail from category where parent_id is null
    union all
    select c.id, t.trail || c.id from category c join tree t on t.id = c.parent_id)
update category c set trail = t.trail from tree t where t.id = c.id;
alter table category alter column trail set not null;
create index category_trail on category using gin (trail);
create index category_parent on category (parent_id) where parent_id is not null;
-- +goose StatementBegin
create function category_trail() returns trigger language plpgsql as $$
begin
    new.trail := coalesce((select trail from category where id = new.parent_id), '{}') || new.id;
    if tg_op = 'INSERT' and (cardinality(new.trail) > 30 or length(new.path) > 1000) then
        raise exception 'a category lies too deep, or its path is too long' using errcode = 'AM001';
    end if;
    return new;
end $$;
-- +goose StatementEnd
create trigger category_trail before insert or update of parent_id, id on category for each row execute function category_trail();

-- Counts are kept as differences that are added up: whoever writes adds a row, so that nobody waits
-- for anybody, and the rows are folded together now and then.
create table file_count (lot_id bigint not null, verdict text not null, files bigint not null);
create index file_count_lot on file_count (lot_id) include (verdict, files);
create table product_count (category_id bigint not null, products int not null, bare int not null);
create index product_count_category on product_count (category_id) include (products, bare);
create table finding_count (kind text not null, first_sweep bigint not null, findings bigint not null, frees bigint not null);
insert into file_count select lot_id, verdict, count(*) from file group by 1, 2;
insert into product_count select coalesce(category_id, 0), count(*), count(*) filter (where pictures = 0) from product group by 1;
alter table finding add column held boolean not null default false;
update finding g set held = true from held h where h.file_id = g.file_id;
insert into finding_count select kind, first_sweep, count(*), sum(frees) from finding where not held group by 1, 2;

-- +goose StatementBegin
create function count_files() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' then
        insert into file_count select lot_id, verdict, count(*) from after group by 1, 2;
    elsif tg_op = 'DELETE' then
        insert into file_count select lot_id, verdict, -count(*) from before group by 1, 2;
    else
        insert into file_count select lot_id, verdict, sum(n) from (
            select lot_id, verdict, 1 as n from after union all select lot_id, verdict, -1 from before) both_of
            group by 1, 2 having sum(n) <> 0;
    end if;
    return null;
end $$;
create function count_products() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' then
        insert into product_count select coalesce(category_id, 0), count(*), count(*) filter (where pictures = 0) from after group by 1;
    elsif tg_op = 'DELETE' then
        insert into product_count select coalesce(category_id, 0), -count(*), -count(*) filter (where pictures = 0) from before group by 1;
    else
        insert into product_count select category, sum(n), sum(bare) from (
            select coalesce(category_id, 0) as category, 1 as n, (pictures = 0)::int as bare from after
            union all select coalesce(category_id, 0), -1, -(pictures = 0)::int from before) both_of
            group by 1 having sum(n) <> 0 or sum(bare) <> 0;
    end if;
    return null;
end $$;
-- What is held is not counted among what was found: each finding knows itself whether its file is.
create function count_findings() returns trigger language plpgsql as $$
begin
    if tg_op in ('DELETE', 'UPDATE') then
        insert into finding_count select kind, first_sweep, -count(*), -sum(frees) from before where not held group by 1, 2;
    end if;
    if tg_op in ('INSERT', 'UPDATE') then
        insert into finding_count select kind, first_sweep, count(*), sum(frees) from after where not held group by 1, 2;
    end if;
    return null;
end $$;
create function know_held() returns trigger language plpgsql as $$
begin
    new.held := exists (select from held h where h.file_id = new.file_id);
    return new;
end $$;
create function tell_held() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' then
        update finding g set held = true from after h where g.file_id = h.file_id and not g.held;
    else
        update finding g set held = false from before h where g.file_id = h.file_id and g.held;
    end if;
    return null;
end $$;
-- +goose StatementEnd
create trigger file_counted_in after insert on file referencing new table as after for each statement execute function count_files();
create trigger file_counted_out after delete on file referencing old table as before for each statement execute function count_files();
create trigger file_counted_on after update on file referencing old table as before new table as after
    for each statement execute function count_files();
create trigger product_counted_in after insert on product referencing new table as after for each statement execute function count_products();
create trigger product_counted_out after delete on product referencing old table as before
    for each statement execute function count_products();
create trigger product_counted_on after update on product referencing old table as before new table as after
    for each statement execute function count_products();
create trigger finding_counted_in after insert on finding referencing new table as after for each statement execute function count_findings();
create trigger finding_counted_out after delete on finding referencing old table as before
    for each statement execute function count_findings();
create trigger finding_counted_on after update on finding referencing old table as before new table as after
    for each statement execute function count_findings();
create trigger finding_held before insert on finding for each row execute function know_held();
create trigger held_told_in after insert on held referencing new table as after for each statement execute function tell_held();
create trigger held_told_out after delete on held referencing old table as before for each statement execute function tell_held();

-- What the catalog is filtered by is kept as it is compared: making it anew for each row that an index
-- proposes took most of the time.
alter table product add column words text generated always as (lower(code) || ' ' || lower(title)) stored;
alter table variant add column words text generated always as (lower(sku) || ' ' || coalesce(gtin, '')) stored;
drop index product_text;
drop index variant_text;
create index product_words on product using gin (words gin_trgm_ops);
create index variant_words on variant using gin (words gin_trgm_ops);

-- Decisions on different files of a lot do not wait for each other: each adds a row, and lot.decisions
-- is what was folded together so far.
create table lot_decided (lot_id bigint not null references lot on delete cascade);
create index lot_decided_lot on lot_decided (lot_id);

-- +goose Down
update lot l set decisions = decisions + (select count(*) from lot_decided d where d.lot_id = l.id);
drop table lot_decided;
drop index variant_words;
drop index product_words;
create index variant_text on variant using gin ((lower(sku) || ' ' || coalesce(gtin, '')) gin_trgm_ops);
create index product_text on product using gin ((lower(code) || ' ' || lower(title)) gin_trgm_ops);
alter table variant drop column words;
alter table product drop column words;
drop trigger held_told_out on held;
drop trigger held_told_in on held;
drop trigger finding_held on finding;
drop trigger finding_counted_on on finding;
drop trigger finding_counted_out on finding;
drop trigger finding_counted_in on finding;
drop trigger product_counted_on on product;
drop trigger product_counted_out on product;
drop trigger product_counted_in on product;
drop trigger file_counted_on on file;
drop trigger file_counted_out on file;
drop trigger file_counted_in on file;
drop function tell_held();
drop function know_held();
drop function count_findings();
drop function count_products();
drop function count_files();
drop table finding_count;
alter table finding drop column held;
drop table product_count;
drop table file_count;
drop trigger category_trail on category;
drop function category_trail();
drop index category_parent;
drop index category_trail;
alter table category drop column trail;
drop index request_shot_product;
drop index blob_leaving_receipt;
drop index sheet_import_sheet;
drop index sheet_mapping_origin;
drop index message_sweep;
drop index message_sheet;
drop index message_plan;
drop index message_run;
drop index lot_order_variant;
drop index lot_order_product;
drop index lot_order_category;
drop index supplier_link_request;
drop index decision_lot;
drop index origin_clue_list;
drop index run_dispatch;
drop index run_receipt;
drop index run_sweep;
drop index run_import;
drop index run_sheet;
drop index run_origin;
drop index run_plan;
drop index run_lot;
drop index lot_applied;
drop index lot_open;
drop index lot_sheet;
drop index lot_variant;
drop index lot_product;
drop index lot_clue_list;
drop index lot_category;
drop index placement_plan;
drop index placement_variant;
