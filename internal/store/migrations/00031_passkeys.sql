-- +goose Up
-- Passkeys by which people sign in, and what they were asked for and have not answered yet.
create table passkeys (
    id         bigint generated always as identity primary key,
    person     bigint not null references people,
    credential bytea not null unique, -- what the authenticator calls it
    handle     bytea not null,        -- what the authenticator calls the person
    kept       jsonb not null,        -- the public key, how often it was used, and where from
    label      text not null,
    made_at    timestamptz not null default now(),
    used_at    timestamptz
);
create index on passkeys (person);

create table passkey_asks (
    hash    bytea primary key,
    person  bigint references people, -- who wants to add one; null for signing in
    address bytea not null,           -- of the network, as a hash
    data    jsonb not null,
    ends_at timestamptz not null
);
create index on passkey_asks (ends_at);
create index on passkey_asks (address);
