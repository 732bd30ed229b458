-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- What a product is found by when several words are looked for: its code and
-- title, and the SKU, GTIN and options of its variants, in lower case. Kept by
-- what changes products (importing).
alter table product add column search text not null default '';

-- +goose StatementBegin
create function variant_text(v variant) returns text language sql immutable as $$
    select lower(concat_ws(' ', v.sku, v.gtin, (select string_agg(o->>'value', ' ') from jsonb_array_elements(v.options) o)))
$$;
-- +goose StatementEnd

update product p set search = lower(concat_ws(' ', p.code, p.title, (select string_agg(variant_text(v), ' ' order by v.position, v.id) from variant v where v.product_id = p.id)));
create index product_search on product using gin (search gin_trgm_ops);
create index variant_sku_start on variant (lower(sku) text_pattern_ops);
create index product_code_start on product (lower(code) text_pattern_ops);

-- +goose Down
drop index product_code_start, variant_sku_start, product_search;
drop function variant_text(variant);
alter table product drop column search;
