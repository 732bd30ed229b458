-- +goose Up
-- Receipts are read in the order of products.
create index dispatch_picture_order on dispatch_picture (dispatch_id, code, sku, place, n);

-- What was asked for and is there now, but by a picture that had come before it was asked for.
alter table request_shot add column otherwise boolean not null default false;

-- What went stays for a term, so that it can go again: by the last dispatch of each file.
alter table reference
    add column dispatch_id bigint references dispatch on delete cascade,
    drop constraint reference_check,
    add constraint reference_check
        check (num_nonnulls(placement_id, plan_change_id, lot_order_id, lot_id, pin_id, sheet_id, shelved_id, dispatch_id) = 1);
create unique index reference_dispatched on reference (file_id) where dispatch_id is not null;
create index reference_dispatch on reference (dispatch_id) where dispatch_id is not null;
insert into reference (file_id, dispatch_id, since, until)
    select distinct on (f.id) f.id, d.id, p.sent_at, p.sent_at + interval '90 days'
    from dispatch_picture p join dispatch d on d.id = p.dispatch_id join file f on f.id = p.file_id
    where p.held = '' and not p.removed and p.sent_at > now() - interval '90 days'
        and not exists (select from held h where h.file_id = f.id)
    order by f.id, d.id desc;

-- +goose Down
delete from reference where dispatch_id is not null;
alter table reference
    drop constraint reference_check,
    drop column dispatch_id,
    add constraint reference_check
        check (num_nonnulls(placement_id, plan_change_id, lot_order_id, lot_id, pin_id, sheet_id, shelved_id) = 1);
alter table request_shot drop column otherwise;
drop index dispatch_picture_order;
