-- +goose Up
-- What a person has said that a draft is not: the other rows, and the records,
-- that the question named. What is found later is asked again. Null, of answers
-- before this was noted, is all of them.
alter table answers
    add column denied bigint[],
    add column denied_records bigint[];

-- Checks before this say less in their tables: imports are checked as a whole again.
update imports set catalogue = catalogue - 1 where check_run is not null;
