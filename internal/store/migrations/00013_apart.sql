-- +goose Up
-- Records of which a person has said that they are two, though they are alike: what
-- fits one of them best is not asked about for the sake of the other again.
create table apart (
    workspace text not null references workspaces on delete cascade,
    type      text not null,
    low       bigint not null,
    high      bigint not null,
    person    bigint not null references people,
    said_at   timestamptz not null default now(),
    primary key (workspace, type, low, high)
);
