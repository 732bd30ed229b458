-- +goose Up
-- Receipts are read in the order of products.
create index dispatch_picture_order on dispatch_picture (dispatch_id, code, sku, place, n);

-- +goose Down
drop index dispatch_picture_order;
