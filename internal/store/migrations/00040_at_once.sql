-- +goose Up
-- Whether an import is to be checked as soon as it is read: then its rows are typed while they are.
alter table imports add column at_once boolean not null default false;
