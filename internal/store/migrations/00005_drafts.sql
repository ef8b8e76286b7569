-- +goose Up
-- A row may make several drafts, and each may be asked about.
alter table answers add column draft text not null default '';
update answers a set draft = i.into_type from imports i where i.id = a.import;
alter table answers alter column draft drop default;
alter table answers drop constraint answers_pkey;
alter table answers add primary key (import, row_no, draft);
