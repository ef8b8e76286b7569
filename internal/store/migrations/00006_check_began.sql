-- +goose Up
-- What was written after this moment, the last check may not have seen.
alter table imports add column check_began_at timestamptz;
