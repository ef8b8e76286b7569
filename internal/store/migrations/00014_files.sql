-- +goose Up
-- Files that hang on records: what they hold stands in chunks as sources do, once for
-- each content.
create table files (
    sha256 text primary key,
    source bigint not null unique references sources,
    media  text not null
);

-- The files that came with a bundle, which its sheets may name.
create table bundle_files (
    bundle bigint not null references bundles on delete cascade,
    path   text not null,
    sha256 text not null references files,
    primary key (bundle, path)
);
create index on bundle_files (sha256);
