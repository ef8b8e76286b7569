-- +goose Up
-- What of an import stands as it was suggested, and may be suggested otherwise when its source is
-- read in another way; what a person or a routine has said stays. Of the imports of a bundle it is
-- suggested once more when all are read, since they name each other's rows.
alter table imports
    add column type_suggested boolean not null default false,
    add column routine_suggested boolean not null default false,
    add column suggested_among boolean not null default false;
