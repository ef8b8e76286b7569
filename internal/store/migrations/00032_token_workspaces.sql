-- +goose Up
-- A token may be for one workspace alone, and goes with it.
alter table tokens add column workspace text references workspaces on delete cascade;
