-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- What sheets say of products beside what was there. loose is a code as a damaged
-- one is looked for: letters and figures alone, without zeros in front.
alter table product
    add column ref   text not null default '', -- its ID in another system
    add column loose text generated always as (ltrim(regexp_replace(lower(code), '[^[:alnum:]]', '', 'g'), '0')) stored;
create unique index product_ref on product (lower(ref)) where ref <> '';
create index product_loose on product (loose);

alter table category add column ref text not null default '';
create unique index category_ref on category (lower(ref)) where ref <> '';
create index category_by_path on category (lower(path));

alter table variant
    add column description text not null default '',
    add column attributes  jsonb not null default '[]',
    add column retired     boolean not null default false,
    add column loose       text generated always as (ltrim(regexp_replace(lower(sku), '[^[:alnum:]]', '', 'g'), '0')) stored;
create index variant_loose on variant (loose);
create index variant_gtin on variant (gtin) where gtin is not null;
create index variant_codes on variant using gin (codes) where codes <> '{}';

-- what a file is called, without folders, ending and letter case: sheets name files so
create index file_stem on file (lower(regexp_replace(regexp_replace(path, '^.*[/\\]', ''), '\.[A-Za-z0-9]{2,5}$', '')));

-- A spreadsheet that came, as it came. revision counts what people change of it:
-- mapping, choices, cells; rehearsed is the revision that the verdicts are of.
create table sheet (
    id              bigint generated always as identity primary key,
    name            text not null,
    sha256          bytea not null, -- of its bytes, which are kept
    bytes           bigint not null,
    worksheet       text not null default '',
    worksheets      jsonb not null default '[]',
    macros          boolean not null default false,
    state           text not null default 'reading' check (state in ('reading', 'open', 'unreadable', 'given up')),
    problem         text not null default '',
    header          int not null default 0, -- its row
    first_row       int not null default 0, -- of data
    names           text[] not null default '{}',
    rows            int not null default 0,
    mapping         jsonb not null default '{}',
    mapped_as       text not null default '', -- the kept mapping that was used
    misfits         text[] not null default '{}', -- what of it no longer fits
    choices         jsonb not null default '{}',
    revision        int not null default 1,
    rehearsed       int not null default 0,
    catalog_version bigint not null default 0, -- that the verdicts are of
    totals          jsonb not null default '{}',
    actor           text not null default '',
    created_at      timestamptz not null default now()
);

create table sheet_row (
    sheet_id bigint not null references sheet on delete cascade,
    row      int not null, -- as a spreadsheet program counts
    cells    text[] not null,
    edits    jsonb,        -- what a person did to it; the cells stay as they came
    primary key (sheet_id, row)
);

create table sheet_verdict (
    sheet_id  bigint not null references sheet on delete cascade,
    row       int not null,
    verdict   text not null,
    sku       text not null,
    first_row int not null, -- of all rows that are about the same product
    questions jsonb,        -- cells that are in question
    changes   jsonb,
    primary key (sheet_id, row)
);
create index sheet_verdict_kind on sheet_verdict (sheet_id, verdict, row);
create index sheet_verdict_asked on sheet_verdict (sheet_id, row) where questions is not null;
create index sheet_verdict_product on sheet_verdict (sheet_id, first_row, row);

-- What people chose for headers, and mappings that were kept by name.
create table sheet_memory (
    header  text primary key, -- as headers are compared
    chosen  jsonb not null,
    used_at timestamptz not null default now()
);
create table sheet_mapping (
    id        bigint generated always as identity primary key,
    name      text not null,
    signature text not null, -- of the header
    mapping   jsonb not null,
    choices   jsonb not null default '{}',
    used_at   timestamptz not null default now()
);
create unique index sheet_mapping_name on sheet_mapping (lower(name));
create index sheet_mapping_signature on sheet_mapping (signature);

-- An import of a sheet, and what it did to each product: the way back.
create table sheet_import (
    id          bigint generated always as identity primary key,
    sheet_id    bigint not null references sheet on delete cascade,
    state       text not null default 'importing' check (state in ('importing', 'imported', 'reverting', 'reverted')),
    revision    int not null,
    cursor      int not null default 0, -- rows of products up to this first row are done
    made        int not null default 0, -- rows
    changed     int not null default 0,
    overtaken   int not null default 0, -- rows that the catalog had overtaken
    actor       text not null default '',
    reverted_by text not null default '',
    created_at  timestamptz not null default now()
);
create unique index sheet_import_standing on sheet_import (sheet_id) where state in ('importing', 'reverting');
create table sheet_change (
    id         bigint generated always as identity primary key,
    import_id  bigint not null references sheet_import on delete cascade,
    product_id bigint not null, -- kept when the product is gone
    row        int not null,    -- the first that is about it
    before     jsonb,           -- null where the import made it
    after      jsonb not null,
    state      text not null default 'imported' check (state in ('imported', 'reverted')),
    note       text not null default '' -- what was not taken back, and why
);
create unique index sheet_change_product on sheet_change (import_id, product_id);
create index sheet_change_of on sheet_change (product_id, id);

alter table run add column sheet_id bigint references sheet on delete cascade, add column import_id bigint references sheet_import on delete cascade;

-- +goose Down
alter table run drop column import_id, drop column sheet_id;
drop table sheet_change, sheet_import, sheet_mapping, sheet_memory, sheet_verdict, sheet_row, sheet;
alter table variant drop column loose, drop column retired, drop column attributes, drop column description;
drop index variant_gtin, variant_codes, file_stem;
alter table category drop column ref;
drop index category_by_path;
alter table product drop column loose, drop column ref;
