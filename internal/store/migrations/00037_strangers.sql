-- +goose Up
-- How alike words must be to be one with a slip in it is said by who asks: a little will do, from 4 tenths,
-- unless something else says that the names are of two.
drop function uchi.strangers(text, text, text[]);
-- +goose StatementBegin
create function uchi.strangers(a text, b text, common text[], tenths int) returns boolean language sql immutable strict parallel safe as $$
    with
    x as (select distinct w from regexp_split_to_table(a, '[^[:alnum:]]+') w where w <> '' and w <> all(common)),
    y as (select distinct w from regexp_split_to_table(b, '[^[:alnum:]]+') w where w <> '' and w <> all(common))
    select exists (select from x) and exists (select from y) and not exists (
        select from x, y where starts_with(x.w, y.w) or starts_with(y.w, x.w)
            or length(x.w) > 3 and length(y.w) > 3 and 20 * (
                select count(*) from (
                    select substr(' ' || x.w || ' ', i, 2), count(*) over (partition by substr(' ' || x.w || ' ', i, 2) order by i) from generate_series(1, length(x.w) + 1) i
                    intersect
                    select substr(' ' || y.w || ' ', i, 2), count(*) over (partition by substr(' ' || y.w || ' ', i, 2) order by i) from generate_series(1, length(y.w) + 1) i
                ) shared
            ) >= tenths * (length(x.w) + length(y.w) + 2))
$$;
-- +goose StatementEnd
