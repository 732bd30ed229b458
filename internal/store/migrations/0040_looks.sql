-- +goose Up
-- Fingerprints and tints are of another kind (see core/upkeep): those that are there are made anew from the
-- thumbnails, and until then are compared with none, since their tints are shorter.
drop index blob_like_1, blob_like_2, blob_like_3, blob_like_4, blob_like_5;
create index blob_like_1 on blob ((fingerprint >> 0 & 65535)) include (fingerprint) where fingerprint is not null;
create index blob_like_2 on blob ((fingerprint >> 16 & 65535)) include (fingerprint) where fingerprint is not null;
create index blob_like_3 on blob ((fingerprint >> 32 & 65535)) include (fingerprint) where fingerprint is not null;
create index blob_like_4 on blob ((fingerprint >> 48 & 65535)) include (fingerprint) where fingerprint is not null;
create index blob_fingerprint on blob (fingerprint) where fingerprint is not null;
create index blob_old_look on blob (sha256) where fingerprint is not null and coalesce(octet_length(tint), 0) <> 48; -- upkeep.TintBytes

-- Whether two pictures have the same colours: upkeep.Look.SameTint.
-- +goose StatementBegin
create function same_tint(a bytea, b bytea, most double precision, most_gain double precision) returns boolean
    immutable parallel safe language plpgsql as $$
declare
    mine double precision := 0;
    others double precision := 0;
    crossed double precision := 0;
    gain double precision;
    swapped bytea;
begin
    if a is null or b is null or octet_length(a) <> octet_length(b) then
        return false;
    end if;
    for i in 0 .. octet_length(a) - 1 loop
        mine := mine + get_byte(a, i) * get_byte(a, i);
        others := others + get_byte(b, i) * get_byte(b, i);
        crossed := crossed + get_byte(a, i) * get_byte(b, i);
    end loop;
    gain := crossed / greatest(mine, 1);
    if others < mine then
        gain := crossed / greatest(others, 1);
        swapped := a;
        a := b;
        b := swapped;
    end if;
    gain := greatest(gain, 1);
    if gain > most_gain then
        return false;
    end if;
    for i in 0 .. octet_length(a) - 1 loop
        if abs(least(255, gain * get_byte(a, i)) - get_byte(b, i)) > most then
            return false;
        end if;
    end loop;
    return true;
end $$;
-- +goose StatementEnd

-- +goose Down
drop index blob_like_1, blob_like_2, blob_like_3, blob_like_4, blob_fingerprint, blob_old_look;
drop function same_tint;
create index blob_like_1 on blob ((fingerprint & 4095)) where fingerprint is not null;
create index blob_like_2 on blob (((fingerprint >> 12) & 4095)) where fingerprint is not null;
create index blob_like_3 on blob (((fingerprint >> 24) & 4095)) where fingerprint is not null;
create index blob_like_4 on blob (((fingerprint >> 36) & 4095)) where fingerprint is not null;
create index blob_like_5 on blob (((fingerprint >> 48) & 65535)) where fingerprint is not null;
