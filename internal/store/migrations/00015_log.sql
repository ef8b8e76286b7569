-- +goose Up
-- From where an act came, and what it has changed of what.
alter table log
    add column address text not null default '',
    add column request text not null default '',
    add column token   text not null default '', -- the label of the token that it was done with
    add column detail  jsonb;
create index on log (person, id);
create index on log (workspace, id);

-- Every entry of the log is sealed: the hash of it and of the seal before it. So an
-- entry that is changed or taken away shows. Nothing is ever changed here, as in the
-- log itself.
create table log_seals (
    number bigint primary key,
    entry  bigint not null unique references log,
    hash   bytea not null
);

-- Who tries to sign in, by what was tried and from where, so that guessing is slow.
create unlogged table sign_in_tries (
    who   bytea primary key, -- hash of the account or the address
    tries integer not null,
    since timestamptz not null default now()
);

alter table sessions add column id bigint generated always as identity unique, add column address text not null default '', add column agent text not null default '', add column seen_at timestamptz not null default now();
alter table tokens add column used_at timestamptz;
