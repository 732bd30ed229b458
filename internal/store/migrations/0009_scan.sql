-- +goose Up

-- the barcode that a lot was made for, with a hand scanner; '' for none
alter table lot add column barcode text not null default '';

-- +goose Down
alter table lot drop column barcode;
