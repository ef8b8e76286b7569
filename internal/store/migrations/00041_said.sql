-- +goose Up
-- What is compared of a row by likeness has a number by which equal rows are found; those that were staged before have none.
-- +goose StatementBegin
do $$
declare
    here text;
begin
    for here in
        select table_name from information_schema.columns
        where table_schema = 'staging' and table_name ~ '^i\d+_r\d+_d\d+_keys$' and column_name in ('values', 'said')
        group by table_name having count(*) = 1
    loop
        execute format('alter table staging.%I add column said bigint', here);
    end loop;
end $$;
-- +goose StatementEnd
