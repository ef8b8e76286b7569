-- +goose Up
-- What people may do in one workspace, where that is not what they may do everywhere.
create table workspace_roles (
    person    bigint not null references people,
    workspace text not null references workspaces on delete cascade,
    role      text not null check (role in ('none', 'viewer', 'operator', 'administrator')),
    primary key (person, workspace)
);
