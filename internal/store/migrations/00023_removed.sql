-- +goose Up
-- Children that are gone from the source are deleted at the end of a load: how many.
alter table runs add column removed bigint not null default 0;
