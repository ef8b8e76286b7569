-- +goose Up
alter table runs
    drop constraint runs_work_check,
    add constraint runs_work_check check (work in ('read', 'check', 'load', 'undo', 'try')),
    add column piece bigint, -- the first run of the same piece of work: who takes a run over goes on with it
    add column undoes bigint[] not null default '{}', -- of an undo: the pieces of work that it takes back
    add column only_rows int8multirange, -- null is all rows
    add column policy jsonb not null default '{}'; -- of a load: when it gives way
update runs set piece = id;
alter table runs alter column piece set not null;
create index on runs (import, piece);

alter table imports
    drop constraint imports_state_check,
    add constraint imports_state_check check (state in
        ('open', 'checking', 'ready', 'loading', 'paused', 'loaded', 'stopped', 'undoing', 'undone', 'closed', 'discarded')),
    drop constraint imports_rest_check,
    add constraint imports_rest_check check (rest in ('open', 'loaded', 'stopped', 'undone'));

-- The records that a piece of work has made. Ids are given out in blocks, so a
-- piece has few ranges; some of their ids may never have become a record.
create table run_records (
    piece bigint not null,
    type  text not null,
    ids   int8multirange not null,
    primary key (piece, type)
);

-- Cells that were changed after their source was read.
create table edits (
    import bigint not null references imports on delete cascade,
    row_no bigint not null,
    place  integer not null, -- of the column, counted from 0
    was    text not null,
    value  text not null,
    person bigint not null references people,
    at     timestamptz not null default now(),
    primary key (import, row_no, place)
);

alter table workspaces add column nothing text[] not null default '{}'; -- texts that stand for nothing

alter table touched_rows add column cells boolean not null default false; -- its cells were changed

-- What people note about a record. Notes stay when a record goes, and are there
-- again when it comes back.
create table notes (
    id        bigint generated always as identity primary key,
    workspace text not null references workspaces,
    type      text not null,
    record_id bigint not null,
    text      text not null,
    person    bigint not null references people,
    at        timestamptz not null default now()
);
create index on notes (workspace, type, record_id);

create index on sources (sha256); -- a file that came before is said
