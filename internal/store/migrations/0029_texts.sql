-- +goose Up

-- Alternative texts in other languages than the one that stands with a placement. A text is of a
-- picture on what shows it, and stays when it moves, goes, and comes again.
create table alt_text (
    product_id bigint not null references product on delete cascade,
    variant_id bigint not null default 0, -- 0 for the product as a whole
    sha256     bytea not null,
    language   text not null,
    text       text not null,
    by         text not null check (by in ('draft', 'person')),
    primary key (product_id, variant_id, sha256, language)
);

-- Templates that texts are drafted from, by language and view; those of no view are for the rest.
create table text_template (
    language text not null, -- '' for the one that stands with a placement
    view     text not null,
    template text not null,
    primary key (language, view)
);

-- Drafts that were kept together, and can be taken back together.
create table text_keeping (
    id        bigint generated always as identity primary key,
    language  text not null,
    actor     text not null,
    at        timestamptz not null default now(),
    texts     int not null,
    undone_at timestamptz
);
create table text_kept (
    keeping_id bigint not null references text_keeping on delete cascade,
    product_id bigint not null,
    variant_id bigint not null,
    sha256     bytea not null,
    was        text,          -- null for none
    was_by     text not null,
    is_now     text not null,
    primary key (keeping_id, product_id, variant_id, sha256)
);

-- +goose Down
drop table text_kept, text_keeping, text_template, alt_text;
