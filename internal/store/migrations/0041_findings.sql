-- +goose Up
-- Findings are listed by a million: in each order by an index of those that are not held, and counted by reason with
-- their bytes.
create index finding_by_group on finding (kind, grp, id) where not held;
create index finding_by_bytes on finding (kind, bytes desc, id) where not held;
create index finding_by_since on finding (kind, since, id) where not held;
create index finding_by_reason on finding (kind, reason, id) where not held;
create index finding_by_path on finding (kind, left(lower(path), 300), id) where not held;

drop table finding_count;
create table finding_count (
    kind        text not null,
    reason      text not null,
    first_sweep bigint not null,
    findings    bigint not null,
    bytes       bigint not null,
    frees       bigint not null
);
insert into finding_count select kind, reason, first_sweep, count(*), sum(bytes), sum(frees) from finding where not held group by 1, 2, 3;
-- +goose StatementBegin
create or replace function count_findings() returns trigger language plpgsql as $$
begin
    if tg_op in ('DELETE', 'UPDATE') then
        insert into finding_count select kind, reason, first_sweep, -count(*), -sum(bytes), -sum(frees) from before where not held
            group by 1, 2, 3;
    end if;
    if tg_op in ('INSERT', 'UPDATE') then
        insert into finding_count select kind, reason, first_sweep, count(*), sum(bytes), sum(frees) from after where not held
            group by 1, 2, 3;
    end if;
    return null;
end $$;
-- +goose StatementEnd

-- +goose Down
drop index finding_by_group, finding_by_bytes, finding_by_since, finding_by_reason, finding_by_path;
drop table finding_count;
create table finding_count (kind text not null, first_sweep bigint not null, findings bigint not null, frees bigint not null);
insert into finding_count select kind, first_sweep, count(*), sum(frees) from finding where not held group by 1, 2;
-- +goose StatementBegin
create or replace function count_findings() returns trigger language plpgsql as $$
begin
    if tg_op in ('DELETE', 'UPDATE') then
        insert into finding_count select kind, first_sweep, -count(*), -sum(frees) from before where not held group by 1, 2;
    end if;
    if tg_op in ('INSERT', 'UPDATE') then
        insert into finding_count select kind, first_sweep, count(*), sum(frees) from after where not held group by 1, 2;
    end if;
    return null;
end $$;
-- +goose StatementEnd
