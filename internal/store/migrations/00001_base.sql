-- +goose Up
create schema if not exists staging;

create table people (
    id       bigint generated always as identity primary key,
    email    text not null unique,
    name     text not null,
    role     text not null check (role in ('viewer', 'operator', 'administrator')),
    password text not null,
    active   boolean not null default true,
    made_at  timestamptz not null default now()
);

create table sessions (
    hash    bytea primary key,
    person  bigint not null references people,
    made_at timestamptz not null default now(),
    ends_at timestamptz not null
);

create table tokens (
    id      bigint generated always as identity primary key,
    person  bigint not null references people,
    label   text not null,
    role    text not null check (role in ('viewer', 'operator', 'administrator')),
    hash    bytea not null unique,
    made_at timestamptz not null default now(),
    ends_at timestamptz not null
);

create table log (
    id        bigint generated always as identity primary key,
    at        timestamptz not null default now(),
    person    bigint references people,
    workspace text,
    action    text not null,
    subject   text not null,
    detail    jsonb
);

-- Service processes and when they last showed that they live.
create table processes (
    name text primary key,
    beat timestamptz not null
);

create table workspaces (
    name    text primary key,
    label   text not null,
    made_at timestamptz not null default now()
);

create table record_types (
    workspace text not null references workspaces,
    name      text not null,
    position  integer not null,
    version   integer not null,
    document  jsonb not null,
    next_id   bigint not null default 1,
    writes    bigint not null default 0, -- transactions that have written records of the type
    primary key (workspace, name)
);

create table sources (
    id      bigint generated always as identity primary key,
    name    text not null,
    bytes   bigint not null default 0,
    sha256  text not null default '',
    whole   boolean not null default false,
    made_at timestamptz not null default now()
);

create table source_chunks (
    source bigint not null references sources on delete cascade,
    number integer not null,
    bytes  bytea not null,
    primary key (source, number)
);
alter table source_chunks alter column bytes set storage external;

create table imports (
    id         bigint generated always as identity primary key,
    workspace  text not null references workspaces,
    name       text not null,
    source     bigint not null references sources,
    state      text not null check (state in ('open', 'checking', 'ready', 'loading', 'paused', 'loaded', 'stopped', 'undoing', 'undone', 'discarded')),
    busy       text not null default '' check (busy in ('', 'read', 'check', 'load')),
    into_type  text not null default '',
    reading    jsonb not null default '{}',
    findings   jsonb not null default '[]',
    columns    jsonb not null default '[]',
    notices    jsonb not null default '[]',
    rows       bigint not null default 0,
    routine    jsonb,
    totals     jsonb,
    outcomes   jsonb not null default '{}',
    trouble    jsonb,
    done_rows  bigint not null default 0,
    next_row   bigint not null default 0,
    checked_at timestamptz,
    writes     bigint not null default 0, -- of the record type: those before the check and this import's own
    anchors    bigint[] not null default '{}', -- row number of every thousandth row
    began_at   timestamptz,
    ended_at   timestamptz,
    made_by    bigint not null references people,
    made_at    timestamptz not null default now(),
    changed_at timestamptz not null default now()
);
create index on imports (workspace, id);
