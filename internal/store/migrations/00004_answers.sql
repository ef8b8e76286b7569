-- +goose Up
-- What people have answered to the questions of an import. Staging is derived
-- from it and may be lost; this may not.
create table answers (
    import    bigint not null references imports on delete cascade,
    row_no    bigint not null,
    choice    text not null check (choice in ('take', 'new', 'leave_out')),
    record_id bigint, -- the record that the row is
    other_row bigint, -- the earlier row that it repeats
    keep      text[] not null default '{}', -- fields whose value in the record stays
    person    bigint not null references people,
    at        timestamptz not null default now(),
    primary key (import, row_no)
);
alter table imports add column answered_at timestamptz; -- the last change of an answer

-- The chances that a workspace has estimated from its own records.
create table weights (
    workspace text not null references workspaces,
    type      text not null,
    document  jsonb not null,
    pairs     bigint not null,
    share     double precision not null,
    made_by   bigint not null references people,
    made_at   timestamptz not null default now(),
    primary key (workspace, type)
);

-- Which edition of the comparison the likeness keys of a record type are of.
create table likeness_keys (
    workspace text not null references workspaces,
    type      text not null,
    edition   text not null,
    primary key (workspace, type)
);
