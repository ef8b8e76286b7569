-- +goose Up

-- Indexes on fields that people have looked for, or ordered by, and had to wait for. They are made
-- in the background, and go when they are not used any more.
create table view_indexes (
    workspace  text not null references workspaces on delete cascade,
    type       text not null,
    definition text not null, -- what stands behind "on table"
    asked_at   timestamptz not null default now(),
    made_at    timestamptz,
    scans      bigint not null default 0, -- how often it was used when that was last looked at
    used_at    timestamptz not null default now(),
    trouble    text,          -- why it could not be made
    primary key (workspace, type, definition)
);
