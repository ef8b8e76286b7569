-- +goose Up

-- Exports that are written in the background, for the person who asked for them. The file is
-- kept as sources are.
create table exports (
    id        bigint generated always as identity primary key,
    workspace text not null references workspaces on delete cascade,
    type      text not null,
    chosen    jsonb not null, -- which records and columns, and how they are written
    name      text not null,  -- of the file
    media     text not null,
    records   bigint not null,
    made_by   bigint not null references people,
    made_at   timestamptz not null default now(),
    process   text,           -- that writes it
    beat_at   timestamptz,    -- when that last showed that it lives
    bytes     bigint not null default 0,
    seen_as   text not null default '', -- the role by which it shows what it shows
    source    bigint references sources, -- the file, once it is whole
    trouble   jsonb,
    ended_at  timestamptz
);
create index on exports (workspace, made_by);
create index on exports (id) where ended_at is null;
create index on exports (source) where source is not null;
