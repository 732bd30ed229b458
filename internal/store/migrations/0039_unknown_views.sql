-- +goose Up
-- Pictures whose view is unknown may be those that are missing: how many a product has, and the products of a
-- category that have any (asking).
alter table coverage add column unknown_views int not null default 0;
alter table coverage_sum add column asking int not null default 0, add column unknown_views int not null default 0;

-- +goose StatementBegin
create or replace function sum_coverage() returns trigger language plpgsql as $$
begin
    if tg_op in ('DELETE', 'UPDATE') then
        insert into coverage_sum select category_id, -count(*), -count(*) filter (where missing > 0), -count(*) filter (where low > 0),
            -sum(wanted), -sum(filled), -sum(low), -sum(missing), -count(*) filter (where unknown_views > 0), -sum(unknown_views)
            from before group by 1;
    end if;
    if tg_op in ('INSERT', 'UPDATE') then
        insert into coverage_sum select category_id, count(*), count(*) filter (where missing > 0), count(*) filter (where low > 0),
            sum(wanted), sum(filled), sum(low), sum(missing), count(*) filter (where unknown_views > 0), sum(unknown_views)
            from after group by 1;
    end if;
    return null;
end $$;
-- +goose StatementEnd
-- All are counted again: nothing is the version that they were counted for.
update coverage set version = -1;
delete from coverage_count;

-- +goose Down
-- +goose StatementBegin
create or replace function sum_coverage() returns trigger language plpgsql as $$
begin
    if tg_op in ('DELETE', 'UPDATE') then
        insert into coverage_sum select category_id, -count(*), -count(*) filter (where missing > 0), -count(*) filter (where low > 0),
            -sum(wanted), -sum(filled), -sum(low), -sum(missing) from before group by 1;
    end if;
    if tg_op in ('INSERT', 'UPDATE') then
        insert into coverage_sum select category_id, count(*), count(*) filter (where missing > 0), count(*) filter (where low > 0),
            sum(wanted), sum(filled), sum(low), sum(missing) from after group by 1;
    end if;
    return null;
end $$;
-- +goose StatementEnd
alter table coverage_sum drop column asking, drop column unknown_views;
alter table coverage drop column unknown_views;
