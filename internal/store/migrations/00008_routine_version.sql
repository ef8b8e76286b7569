-- +goose Up
-- The version of the routine of an import: who changes it says on which one the
-- change was made, and an older one is refused.
alter table imports add column routine_version integer not null default 1;
