-- +goose Up

-- A file's version names one state of what was decided of it. No number is given
-- twice, so that what is taken back has its old version again: whoever saw that
-- state may go on from it, and an earlier step can be taken back in its turn.
create sequence file_version as int;
select setval('file_version', (select coalesce(max(version), 1) from file) + 1);

-- +goose Down
drop sequence file_version;
