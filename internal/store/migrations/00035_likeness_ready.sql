-- +goose Up
-- How often the records of a type had been written when their likeness keys were brought up to
-- date, so that nothing is looked for where nothing has changed, and how many keys there are.
alter table likeness_keys
    add column writes bigint not null default -1,
    add column records bigint not null default 0;
