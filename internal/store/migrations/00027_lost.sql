-- +goose Up

-- Whether a value is what another program has left of one that was there: with a question mark for each
-- letter that an encoding could not write, or as a spreadsheet program shows what it takes for a number or
-- a date. It is no function of the language SQL, which would be written out wherever it is called.
-- +goose StatementBegin
create function uchi.lost(now text, was text) returns boolean language plpgsql immutable strict parallel safe as $$
declare
    number constant text := '^[0-9]+([.,][0-9]+)?$';
    short constant text := '^[0-9]([.,][0-9]+)?E[+]?[0-9]{1,4}$';
    month constant text := '(abr|ago|aout|apr|aug|avr|dec|des|dez|dic|ene|feb|fev|fevr|gen|giu|jan|janv|juil|juin|jul|juli|july|jun|june|juni|lug|luty|mag|mai|maio|maj|maja|mar|mars|marz|may|mayo|mei|mrt|nov|oct|okt|ott|out|sep|sept|set|απρ|αυγ|δεκ|ιαν|ιουλ|ιουν|μαι|μαρ|νοε|νοεμ|οκτ|σεπ|σεπτ|φεβ)';
    figures text[];
begin
    if strpos(now, '?') > 0 then
        return was ~ '[^\u0001-\u007f]' and was like translate(replace(replace(replace(now, '\', '\\'), '%', '\%'), '_', '\_'), '?', '_');
    elsif was !~ '[0-9]' then
        return false;
    elsif now ~ number and was ~ number then -- zeros at either end, or the last figures of more than fifteen
        return length(was) > length(now)
                and ltrim(case when was ~ '[.,]' then rtrim(rtrim(was, '0'), '.,') else was end, '0') = ltrim(case when now ~ '[.,]' then rtrim(rtrim(now, '0'), '.,') else now end, '0')
            or length(now) > 15 and length(was) = length(now) and left(was, 15) = left(now, 15) and substr(now, 16) ~ '^0+$';
    elsif was ~* '^[0-9]{1,6}E[0-9]{1,2}$' and (now ~ number or now ~* short) then -- 7E5
        return replace(now, ',', '.')::numeric = was::numeric;
    elsif now ~* short then -- 1.2E+17
        return was ~ '^[0-9]{10,}$' and left(was, 1) = left(now, 1) and substring(now from '[0-9]{1,4}$')::integer = length(was) - 1;
    elsif was ~* ('^[0-9]{1,2}[-/.][0-9]{1,2}$|^' || month || '[-. ]?[0-9]{1,2}$') then -- 5-6, MAR-1
        figures := regexp_split_to_array(btrim(regexp_replace(was, '[^0-9]+', ' ', 'g')), ' ');
        if now <> upper(now) and now ~* ('^([0-9]{1,2}[-. ]' || month || '|' || month || '[-. ][0-9]{2})[.]?$') then
            return regexp_replace(now, '[^0-9]+', '', 'g')::integer = any(figures::integer[]);
        end if;
        return now ~ '^[0-9]{4}-[0-9]{2}-[0-9]{2}$' and cardinality(figures) = 2
            and substr(now, 6) in (lpad(figures[1], 2, '0') || '-' || lpad(figures[2], 2, '0'), lpad(figures[2], 2, '0') || '-' || lpad(figures[1], 2, '0'));
    end if;
    return false;
end $$;
-- +goose StatementEnd
