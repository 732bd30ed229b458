-- +goose Up

-- Counts the statements that changed what is handed on: what was read of it is good as long as
-- the count is the same, and nothing was being written when it was read.
create sequence handed_stamp;
-- +goose StatementBegin
create function count_handed() returns trigger language plpgsql as $$
begin
    perform nextval('handed_stamp');
    return null;
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
do $$
declare changed text;
begin
    foreach changed in array array['product', 'variant', 'category', 'placement', 'file', 'blob', 'alt_text'] loop
        execute format('create trigger %I after insert or update or delete or truncate on %I for each statement
            execute function count_handed()', changed || '_handed', changed);
    end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
do $$
declare changed text;
begin
    foreach changed in array array['product', 'variant', 'category', 'placement', 'file', 'blob', 'alt_text'] loop
        execute format('drop trigger %I on %I', changed || '_handed', changed);
    end loop;
end $$;
-- +goose StatementEnd
drop function count_handed();
drop sequence handed_stamp;
