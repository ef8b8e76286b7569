-- +goose Up
-- Addresses of other programs that are told what people are told.
create table hooks (
    id        bigint generated always as identity primary key,
    workspace text not null references workspaces on delete cascade,
    url       text not null,
    kinds     text[] not null,
    secret    text not null, -- by which a call is signed, encrypted
    paused    boolean not null default false,
    trouble   text not null default '', -- why it is
    made_by   bigint not null references people,
    made_at   timestamptz not null default now()
);

create table hook_calls (
    id      bigint generated always as identity primary key,
    hook    bigint not null references hooks on delete cascade,
    kind    text not null,
    body    jsonb not null,
    made_at timestamptz not null default now(),
    sent_at timestamptz,
    tries   integer not null default 0,
    next_at timestamptz default now(),
    trouble text not null default ''
);
create index on hook_calls (hook, id);
create index on hook_calls (next_at) where next_at is not null;
