-- +goose Up

-- A rendition is what was made of a file's bytes by a recipe, kept so that it is not made twice.
-- It names no blob by reference: it is let go when nobody used it for a while.
create table rendition (
    made           text not null,  -- by which recipe, and with what written into it
    sha256         bytea not null, -- of what it was made of
    result         bytea not null, -- SHA-256 of what was made
    bytes          bigint not null,
    width          int not null,   -- of the whole, pixels
    height         int not null,
    picture_width  int not null,   -- of the picture on its canvas
    picture_height int not null,
    quality        int not null,   -- 0 where the format has none
    used_at        timestamptz not null default now(),
    primary key (made, sha256)
);
create index rendition_used on rendition (used_at);

create temporary table had as select '{"remove": false, "language": "",
    "rendition": {"format": "original", "width": 0, "height": 0, "ratio": "", "colour": "", "quality": 0, "most": 0, "metadata": "kept"},
    "sheet": {"format": "csv", "separator": "comma", "rows": "picture", "base": "", "between": "|", "size": 0, "columns": [
        {"header": "Picture", "value": "[file]", "many": "first"}, {"header": "Name before", "value": "[before]", "many": "first"},
        {"header": "SKU", "value": "[sku]", "many": "first"}, {"header": "Product", "value": "[code]", "many": "first"},
        {"header": "Title", "value": "[title]", "many": "first"}, {"header": "Place", "value": "[place]", "many": "first"},
        {"header": "View", "value": "[view]", "many": "first"}, {"header": "Alternative text", "value": "[text]", "many": "first"},
        {"header": "Credit", "value": "[credit]", "many": "first"}, {"header": "Form", "value": "[form]", "many": "first"},
        {"header": "SHA-256", "value": "[sum]", "many": "first"}]}}'::jsonb as settings;
update outlet set settings = outlet.settings || had.settings from had;
update dispatch set settings = dispatch.settings || had.settings from had;
drop table had;

alter table dispatch_picture
    add column made       text not null default '',     -- how it was made, empty for as it came
    add column form       text not null default '',     -- the form that it went in, in words
    add column sent       bytea,                         -- SHA-256 of what went; null where nothing did, or before that was kept
    add column sent_bytes bigint not null default 0,
    add column sent_at    timestamptz,
    add column answer     text not null default '',     -- what the other side said
    add column removed    boolean not null default false; -- it was taken away there
update dispatch_picture set sent = sha256, sent_bytes = bytes, form = 'as it came' where held = '';
update dispatch_picture p set sent_at = d.ended_at from dispatch d where d.id = p.dispatch_id and p.held = '';

-- What stands at an outlet, as far as is known from what went there.
create table outlet_picture (
    outlet_id   bigint not null references outlet on delete cascade,
    product_id  bigint not null,
    variant_id  bigint not null, -- 0 for the product as a whole
    sha256      bytea not null,  -- of the file that it was made of
    dispatch_id bigint not null, -- that it went with last
    slot        bytea not null,  -- SHA-256 of where one picture stands there: another one in it took its stead
    name        text not null,
    code        text not null,
    sku         text not null,
    place       int not null,
    alt         text not null,
    made        text not null,
    primary key (outlet_id, slot)
);
create index outlet_picture_product on outlet_picture (product_id, outlet_id);
insert into outlet_picture (outlet_id, product_id, variant_id, sha256, dispatch_id, slot, name, code, sku, place, alt, made)
    select distinct on (d.outlet_id, p.name) d.outlet_id, p.product_id, p.variant_id, p.sha256, d.id,
        sha256(convert_to(p.name, 'UTF8')), p.name, p.code, p.sku, p.place, p.alt, p.made
    from dispatch d join dispatch_picture p on p.dispatch_id = d.id where d.outlet_id is not null and p.held = ''
    order by d.outlet_id, p.name, d.id desc, p.n;

-- An outlet of another kind than a package has an address, and secrets that are sealed.
alter table outlet drop constraint outlet_kind_check;
alter table outlet
    add column address jsonb not null default '{}', -- settings of its kind, by field
    add column secrets jsonb not null default '{}', -- sealed
    add column pinned  text not null default '',
    add column every_minutes int not null default 0, -- 0: by hand only
    add column next_at timestamptz;
create index outlet_due on outlet (next_at) where next_at is not null;
alter table dispatch
    add column kind    text not null default 'package',
    add column removed int not null default 0,
    add column take_away int not null default 0, -- how many a person said that may be taken away at once
    add column link bytea unique,       -- SHA-256 of what the address of its package ends in, that was given out
    add column link_until timestamptz;

-- +goose Down
alter table dispatch drop column kind, drop column removed, drop column take_away, drop column link, drop column link_until;
alter table outlet drop column address, drop column secrets, drop column pinned, drop column every_minutes,
    drop column next_at;
update outlet set kind = 'package';
alter table outlet add constraint outlet_kind_check check (kind in ('package'));
drop table outlet_picture;
alter table dispatch_picture drop column made, drop column form, drop column sent, drop column sent_bytes, drop column sent_at,
    drop column answer, drop column removed;
drop table rendition;
