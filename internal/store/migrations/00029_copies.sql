-- +goose Up

-- Workspaces whose records are still coming along from another. Nothing changes in them until
-- they are there; one whose records could not be copied keeps the reason.
create table copies (
    workspace  text primary key references workspaces on delete cascade,
    source     text not null,
    share      int not null,
    asked_by   bigint not null,
    process    text,          -- that copies them
    claimed_at timestamptz,
    trouble    jsonb
);
-- How far that is. It stands apart, since the copying is one transaction that began before.
create table copy_progress (
    workspace text primary key,
    process   text not null,
    beat_at   timestamptz not null default now(),
    records   bigint not null default 0,
    chosen    bigint not null default 0 -- 0 until they are counted
);
