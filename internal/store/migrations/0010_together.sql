-- +goose Up

-- the lots that a plan is made of
drop index plan_lot;
create table plan_lot (
    plan_id bigint not null references plan on delete cascade,
    lot_id  bigint not null references lot,
    primary key (plan_id, lot_id)
);
create index plan_lot_lot on plan_lot (lot_id, plan_id);
insert into plan_lot select id, lot_id from plan where lot_id is not null;
alter table plan drop column lot_id;

-- the order that a person gave the pictures of a product or variant, those that
-- stand and those that a lot brings; variant 0 is the product as a whole
create table lot_order (
    lot_id     bigint not null references lot on delete cascade,
    product_id bigint not null references product on delete cascade,
    variant_id bigint not null,
    pictures   jsonb not null,
    set_at     timestamptz not null default now(),
    primary key (lot_id, product_id, variant_id)
);

-- whatever was done to several files together is taken back together
alter table aside drop constraint aside_kind_check;

-- look-alikes are found by five parts of their fingerprints (upkeep.Parts):
-- of two that differ in four bits, one part at least is equal
drop index blob_like_1, blob_like_2, blob_like_3, blob_like_4;
create index blob_like_1 on blob ((fingerprint & 4095)) where fingerprint is not null;
create index blob_like_2 on blob (((fingerprint >> 12) & 4095)) where fingerprint is not null;
create index blob_like_3 on blob (((fingerprint >> 24) & 4095)) where fingerprint is not null;
create index blob_like_4 on blob (((fingerprint >> 36) & 4095)) where fingerprint is not null;
create index blob_like_5 on blob (((fingerprint >> 48) & 65535)) where fingerprint is not null;

-- +goose Down
drop index blob_like_1, blob_like_2, blob_like_3, blob_like_4, blob_like_5;
create index blob_like_1 on blob ((fingerprint & 65535)) where fingerprint is not null;
create index blob_like_2 on blob (((fingerprint >> 16) & 65535)) where fingerprint is not null;
create index blob_like_3 on blob (((fingerprint >> 32) & 65535)) where fingerprint is not null;
create index blob_like_4 on blob (((fingerprint >> 48) & 65535)) where fingerprint is not null;
delete from aside where kind not in ('set aside', 'accepted');
alter table aside add constraint aside_kind_check check (kind in ('set aside', 'accepted'));
drop table lot_order;
alter table plan add column lot_id bigint references lot;
update plan p set lot_id = (select min(lot_id) from plan_lot where plan_id = p.id);
drop table plan_lot;
create index plan_lot on plan (lot_id);
