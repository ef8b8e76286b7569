-- +goose Up
-- What people are told of, and whether it has gone out by mail.
alter table people add column told text[] not null default '{waits,failed,approval,decided,handed_over}';

create table notices (
    id        bigint generated always as identity primary key,
    person    bigint not null references people,
    workspace text,
    kind      text not null,
    subject   text not null,
    lines     jsonb not null default '[]',
    link      text not null default '', -- within the console
    made_at   timestamptz not null default now(),
    sent_at   timestamptz,
    tries     integer not null default 0,
    next_at   timestamptz default now(), -- when it is to be sent; null when it was, or no longer will be
    trouble   text not null default ''
);
create index on notices (person, id);
create index on notices (next_at) where next_at is not null;
