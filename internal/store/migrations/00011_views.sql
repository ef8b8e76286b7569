-- +goose Up
-- Which records of a type are looked at, how: kept by a person, for themselves or
-- for all. A type or field that goes leaves the view, which then says what it lacks.
create table views (
    id         bigint generated always as identity primary key,
    workspace  text not null references workspaces on delete cascade,
    type       text not null,
    name       text not null,
    document   jsonb not null,
    shared     boolean not null default false,
    owner      bigint not null references people,
    version    integer not null default 1,
    changed_at timestamptz not null default now(),
    unique (workspace, type, owner, name)
);
