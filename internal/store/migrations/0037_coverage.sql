-- +goose Up
-- How far the products of a category have what is wanted, kept by adding what changed; the sum of a category's
-- rows counts. 0 is for products without a category.
create table coverage_sum (
    category_id bigint not null,
    products    int not null,
    lacking     int not null, -- products with something missing
    lower       int not null, -- products with something too small
    wanted      int not null,
    filled      int not null,
    low         int not null,
    missing     int not null
);
create index coverage_sum_category on coverage_sum (category_id);
insert into coverage_sum select category_id, count(*), count(*) filter (where missing > 0), count(*) filter (where low > 0),
    sum(wanted), sum(filled), sum(low), sum(missing) from coverage group by 1;

-- +goose StatementBegin
create function sum_coverage() returns trigger language plpgsql as $$
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
create trigger coverage_summed_in after insert on coverage referencing new table as after for each statement execute function sum_coverage();
create trigger coverage_summed_out after delete on coverage referencing old table as before for each statement execute function sum_coverage();
create trigger coverage_summed_on after update on coverage referencing old table as before new table as after
    for each statement execute function sum_coverage();

-- What coverage came to in a category and all below it, day by day; -1 is the whole catalog.
create table coverage_trend (
    category_id bigint not null,
    day         date not null,
    wanted      int not null,
    filled      int not null,
    primary key (category_id, day)
);
insert into coverage_trend (category_id, day, wanted, filled)
    select a.id, d.day, sum(d.wanted), sum(d.filled)
    from coverage_day d left join category c on c.id = d.category_id
        cross join unnest(-1 || coalesce(c.trail, array[d.category_id])) a (id)
    group by 1, 2;

-- +goose Down
drop table coverage_trend;
drop trigger coverage_summed_in on coverage;
drop trigger coverage_summed_out on coverage;
drop trigger coverage_summed_on on coverage;
drop function sum_coverage;
drop table coverage_sum;
