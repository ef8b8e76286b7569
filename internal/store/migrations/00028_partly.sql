-- +goose Up

-- Rows of a load that were held for one of their records, while others were written.
alter table runs add column partly bigint not null default 0;
