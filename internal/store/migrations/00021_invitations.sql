-- +goose Up
-- People who were removed stay named in what they did; their address is free again. Who is
-- invited chooses a password by a link, of which the hash is kept.
alter table people add column removed_at timestamptz;
alter table people drop constraint people_email_key;
create unique index people_email on people (email) where removed_at is null;

create table invitations (
    person  bigint primary key references people,
    hash    bytea not null unique,
    made_by bigint references people,
    ends_at timestamptz not null
);
