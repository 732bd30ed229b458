-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- The product, or variant of it, that a lot's pictures were dropped on: they are
-- paired with it, planned and applied by themselves.
alter table lot
    add column product_id bigint references product on delete set null,
    add column variant_id bigint references variant on delete set null;

-- +goose Down
alter table lot drop column product_id, drop column variant_id;
