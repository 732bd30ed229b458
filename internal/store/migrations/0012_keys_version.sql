-- +goose Up

-- the version of the catalog in which what pairing knows of a product was last changed
alter table product add column keys_version bigint not null default 1;
create index product_keys_version on product (keys_version);

-- +goose Down
alter table product drop column keys_version;
