-- +goose Up

-- An import may rehearse one of another workspace: the same source, set up the same way.
alter table imports add column rehearses bigint references imports on delete set null;
create index on imports (rehearses) where rehearses is not null;
