-- +goose Up
-- Where plans of lots placed files, so that a later plan of the same lot contains only what is new or was corrected.
-- A row holds from the change that placed the file until the change that ended it.
create table settled (
    id          bigint generated always as identity primary key,
    file_id     bigint not null references file on delete cascade,
    lot_id      bigint not null, -- the file's, which does not change
    product_id  bigint references product on delete cascade,
    variant_id  bigint references variant on delete cascade,
    category_id bigint references category on delete cascade,
    place       int,
    view        text not null default '',
    by_change   bigint not null references plan_change on delete cascade,
    ended_by    bigint references plan_change on delete set null
);
create index settled_file on settled (file_id) where ended_by is null;
create index settled_lot on settled (lot_id, file_id) where ended_by is null;
create index settled_every_file on settled (file_id);
create index settled_product on settled (product_id) where product_id is not null;
create index settled_variant on settled (variant_id) where variant_id is not null;
create index settled_category on settled (category_id) where category_id is not null;
create index settled_by on settled (by_change);
create index settled_ended on settled (ended_by) where ended_by is not null;

insert into settled (file_id, lot_id, product_id, variant_id, category_id, place, view, by_change)
select distinct on (f.id) f.id, f.lot_id, f.product_id, f.variant_id, f.category_id, f.place, f.view, c.id
from plan p join plan_change c on c.plan_id = p.id and c.state = 'applied' join plan_lot l on l.plan_id = p.id
join file f on f.lot_id = l.lot_id and f.verdict = 'paired' and (f.product_id = c.product_id or f.category_id = c.category_id)
where p.kind = 'lot' order by f.id, c.id desc;

-- What a plan change settles when it is applied: all files of its lots that show the owner.
alter table plan_change add column settles jsonb not null default '[]';
update plan_change c set settles = s.files from (
    select c.id, jsonb_agg(jsonb_strip_nulls(jsonb_build_object('file', f.id, 'product', f.product_id, 'variant', f.variant_id,
        'category', f.category_id, 'place', f.place, 'view', nullif(f.view, '')))) as files
    from plan p join plan_change c on c.plan_id = p.id and c.state in ('planned', 'stale', 'failed', 'left out')
    join plan_lot l on l.plan_id = p.id
    join file f on f.lot_id = l.lot_id and f.verdict = 'paired' and (f.product_id = c.product_id or f.category_id = c.category_id)
    where p.kind = 'lot' group by c.id) s where s.id = c.id;

-- A file that shows several products: those beside its first, as [{"product": 1, "variant": 2}].
alter table file add column others jsonb not null default '[]';
create index file_others on file (lot_id) where others <> '[]';
create index file_others_of on file using gin (others jsonb_path_ops) where others <> '[]';

-- What was applied is read again no more: a person looked at it in the plan.
update file set decided_by = 'plan' where decided_by = 'reading' and id in (select file_id from settled);

-- +goose Down
update file set decided_by = 'reading' where decided_by = 'plan';
alter table file drop column others;
alter table plan_change drop column settles;
drop table settled;
