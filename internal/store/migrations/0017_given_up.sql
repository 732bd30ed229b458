-- +goose Up
set local statement_timeout = 0; -- a large database takes its time

-- A lot that was given up is hidden, and can be restored to the state that it had.
alter table lot drop constraint lot_state_check;
alter table lot add constraint lot_state_check check (state in ('receiving', 'examining', 'ready', 'applied', 'given up'));
alter table lot add column state_before text not null default '';

-- +goose Down
update lot set state = state_before where state = 'given up';
alter table lot drop column state_before;
alter table lot drop constraint lot_state_check;
alter table lot add constraint lot_state_check check (state in ('receiving', 'examining', 'ready', 'applied'));
