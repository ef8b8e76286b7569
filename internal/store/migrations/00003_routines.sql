-- +goose Up
-- Saved set-ups of imports.
create table routines (
    workspace  text not null references workspaces,
    name       text not null,
    type       text not null,
    headers    text[] not null, -- the columns that it takes, in their compared form
    document   jsonb not null,
    version    integer not null default 1,
    changed_by bigint not null references people,
    changed_at timestamptz not null default now(),
    primary key (workspace, name)
);
