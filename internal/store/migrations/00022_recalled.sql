-- +goose Up
-- What the rows say that were answered at a file of a feed, as a digest, and the records
-- that those made which were said to be new: rows of later files that say the same are
-- answered alike.
alter table answers add column said bytea, add column made bigint;
create index answers_said on answers (said) where said is not null;
