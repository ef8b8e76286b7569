-- +goose Up
-- Of what is staged, anchors say how many rows of their verdict or outcome come before; they said
-- how many thousands do.
-- +goose StatementBegin
do $$
declare
    here text;
begin
    for here in
        select table_name from information_schema.columns
        where table_schema = 'staging' and table_name like '%\_anchors' and column_name in ('word', 'n')
        group by table_name having count(*) = 2
    loop
        execute format('update staging.%I set n = -1000 * n where n > 0', here); -- first aside, as each must be alone
        execute format('update staging.%I set n = -n where n < 0', here);
    end loop;
end $$;
-- +goose StatementEnd
