-- +goose Up
-- Whether two names are of two: no word of one is a word of the other, its beginning or its
-- initial, or one with a slip in it. Names are in small letters without accents; words that many
-- names have say nothing.
-- +goose StatementBegin
create function uchi.strangers(a text, b text, common text[]) returns boolean language sql immutable strict parallel safe as $$
    with
    x as (select distinct w from regexp_split_to_table(a, '[^[:alnum:]]+') w where w <> '' and w <> all(common)),
    y as (select distinct w from regexp_split_to_table(b, '[^[:alnum:]]+') w where w <> '' and w <> all(common))
    select exists (select from x) and exists (select from y) and not exists (
        select from x, y where starts_with(x.w, y.w) or starts_with(y.w, x.w)
            or length(x.w) > 3 and length(y.w) > 3 and 5 * (
                select count(*) from (
                    select substr(' ' || x.w || ' ', i, 2), count(*) over (partition by substr(' ' || x.w || ' ', i, 2) order by i) from generate_series(1, length(x.w) + 1) i
                    intersect
                    select substr(' ' || y.w || ' ', i, 2), count(*) over (partition by substr(' ' || y.w || ' ', i, 2) order by i) from generate_series(1, length(y.w) + 1) i
                ) shared
            ) >= length(x.w) + length(y.w) + 2)
$$;
-- +goose StatementEnd
