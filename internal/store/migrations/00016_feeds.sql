-- +goose Up
-- What runs by itself: from where, when, and within which bounds.
create table feeds (
    id         bigint generated always as identity primary key,
    workspace  text not null references workspaces on delete cascade,
    name       text not null,
    document   jsonb not null,
    secret     text not null default '', -- a password or private key, encrypted
    host_key   text not null default '', -- of an SFTP host, as it was first seen
    paused     boolean not null default false,
    next_at    timestamptz,              -- when it is to look; null for never
    why        text not null default 'time', -- it looks then
    try        boolean not null default false, -- and loads nothing
    asked_by   bigint references people,
    run        bigint,                   -- that is under way
    version    integer not null default 1,
    owner      bigint not null references people, -- for whom it acts
    made_at    timestamptz not null default now(),
    changed_at timestamptz not null default now(),
    unique (workspace, name)
);
create index on feeds (next_at) where not paused and run is null;

create table feed_runs (
    id       bigint generated always as identity primary key,
    feed     bigint not null references feeds on delete cascade,
    process  text not null,
    why      text not null,
    person   bigint references people,
    due_at   timestamptz not null,
    began_at timestamptz not null default now(),
    ended_at timestamptz,
    seen     integer not null default 0, -- files that it takes by their names
    missed   integer not null default 0, -- times before it that nobody lived to see
    said     text not null default '',
    trouble  jsonb
);
create index on feed_runs (feed, id);
alter table feeds add foreign key (run) references feed_runs on delete set null;

-- The files that feeds have taken. Each is loaded once.
create table feed_files (
    id       bigint generated always as identity primary key,
    feed     bigint not null references feeds on delete cascade,
    run      bigint references feed_runs on delete set null,
    name     text not null,
    bytes    bigint not null default -1,
    modified timestamptz,
    tag      text not null default '',
    sha256   text not null default '',
    import   bigint references imports on delete set null,
    state    text not null check (state in ('reading', 'checking', 'waiting', 'loading', 'loaded', 'refused', 'passed_over')),
    reasons  jsonb not null default '[]',
    try      boolean not null default false,
    rows     bigint not null default 0,
    moved    boolean not null default false,
    taken_at timestamptz not null default now(),
    ended_at timestamptz
);
create index on feed_files (feed, id);
create index on feed_files (feed, sha256);
create unique index on feed_files (import) where import is not null;
-- One file at a time, so that they are loaded in their order.
create unique index on feed_files (feed) where state in ('reading', 'checking', 'waiting', 'loading');
