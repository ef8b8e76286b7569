-- +goose Up
-- What a workspace chose for a header, so that the next file is placed alike.
create table header_choices (
    workspace text not null references workspaces,
    type      text not null,
    header    text not null, -- in its compared form
    field     text not null,
    chosen_at timestamptz not null default now(),
    primary key (workspace, type, header)
);
