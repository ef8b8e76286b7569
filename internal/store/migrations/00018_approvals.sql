-- +goose Up
-- Which loads need a second person's yes.
alter table workspaces add column approval jsonb not null default '{}';

-- Who asked for it, and who has said what. It holds for the check that it was said of.
create table approvals (
    id         bigint generated always as identity primary key,
    import     bigint not null references imports on delete cascade,
    check_run  bigint not null,
    checked_at timestamptz not null,
    routine    integer not null, -- the version of the import's routine
    asked_by   bigint not null references people,
    asked_at   timestamptz not null default now(),
    note       text not null default '',
    decided_by bigint references people,
    decided_at timestamptz,
    yes        boolean,
    reason     text not null default ''
);
create index on approvals (import, id);
