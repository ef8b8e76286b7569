-- +goose Up

-- In a closed workspace nothing changes any more, until it is opened again.
alter table workspaces add column closed_at timestamptz;
