-- +goose Up

alter table blob
    add column content_width  int not null default 0, -- of the box around what is not border; 0 for no border
    add column content_height int not null default 0,
    add column detail         real not null default 0, -- 0.5 for a picture enlarged twofold; 0 where it was not looked at
    add column stated         jsonb not null default '{}', -- what it says of its rights
    add column marks          int not null default 0,      -- what its facts alone give
    add column tint           bytea;                       -- mean red, green and blue of its quarters

-- Fingerprints are found by parts: of two that differ in up to three bits, one
-- of four parts is equal.
create index blob_like_1 on blob ((fingerprint & 65535)) where fingerprint is not null;
create index blob_like_2 on blob (((fingerprint >> 16) & 65535)) where fingerprint is not null;
create index blob_like_3 on blob (((fingerprint >> 32) & 65535)) where fingerprint is not null;
create index blob_like_4 on blob (((fingerprint >> 48) & 65535)) where fingerprint is not null;

-- type, pixels and ratio are the blob's, kept here to sort and filter by
alter table file
    add column type   text not null default '',
    add column pixels bigint not null default 0,
    add column ratio  real not null default 0, -- width to height
    add column marks  int not null default 0,
    add column like_id   bigint references file on delete set null, -- the earlier file that it looks like
    add column like_bits int not null default 0;
create index file_like on file (like_id) where like_id is not null;

-- files that were set aside together, as they were before
create table aside (
    id         bigint generated always as identity primary key,
    lot_id     bigint not null references lot on delete cascade,
    created_at timestamptz not null default now(),
    undone_at  timestamptz
);
create table aside_file (
    aside_id   bigint not null references aside on delete cascade,
    file_id    bigint not null references file on delete cascade,
    version    int not null, -- after setting aside
    before     jsonb not null,
    primary key (aside_id, file_id)
);

-- +goose Down
drop table aside_file, aside;
alter table file drop column type, drop column pixels, drop column ratio, drop column marks, drop column like_id, drop column like_bits;
drop index blob_like_1, blob_like_2, blob_like_3, blob_like_4;
alter table blob drop column content_width, drop column content_height, drop column detail, drop column stated, drop column marks, drop column tint;
