-- +goose Up
-- Several imports that belong together: checked, loaded and taken back as one, in the
-- order in which their links need each other.
create table bundles (
    id         bigint generated always as identity primary key,
    workspace  text not null references workspaces on delete cascade,
    name       text not null,
    state      text not null default 'open' check (state in ('open', 'checking', 'ready', 'loading', 'paused', 'loaded', 'undoing', 'undone', 'discarded')),
    ordered    boolean not null default false, -- by hand
    left_out   jsonb not null default '[]',    -- what was sent and cannot be read, and why
    plan       jsonb not null default '[]',    -- the acts that the work under way comes to, with their imports
    at         integer not null default 0,     -- which of them is next, or under way
    begun      boolean not null default false, -- it is under way
    policy     jsonb not null default '{}',    -- when a load gives way
    trouble    jsonb,
    worked_by  bigint references people,       -- who began the work
    made_by    bigint not null references people,
    made_at    timestamptz not null default now(),
    changed_at timestamptz not null default now()
);
create index on bundles (workspace, id);
create index on bundles (id) where state in ('checking', 'loading', 'undoing');

alter table imports
    add column bundle bigint references bundles on delete set null,
    add column place smallint not null default 0, -- its number in the bundle, which stays
    add column turn smallint not null default 0;  -- where it stands in the order
create index on imports (bundle) where bundle is not null;
