-- +goose Up
-- More legal forms are told from the names of companies (Vaněk s.r.o. is compared as vanek): the
-- normal forms that records have are brought up to date, where they end or begin with one of them.
-- +goose StatementBegin
do $$
declare
    forms constant text := 'sro|kgaa|gbr|gesmbh|bvba|sprl|srls|scrl|ky|tmi|unipessoal|jdoo|nyrt|sti|ood|eood|ead|тов|оод|еоод|еад';
    before constant text := 'sro|kgaa|gbr|gesmbh|bvba|sprl|srls|scrl|tmi|unipessoal|jdoo|nyrt|sti|ood|eood|ead|тов|оод|еоод|еад';
    behind constant text := forms || '|ltd|limited|plc|inc|co|company|gmbh|mbh|ag|kg|ohg|sa|srl|bv|nv|as|oy|ltda|lda|doo|dd|und|and';
    plain text;
    here record;
begin
    for here in
        select c.table_schema, c.table_name, min(c.column_name) as name
        from information_schema.columns c
        where c.table_schema like 'w\_%' and c.table_name like 'r\_%' and c.column_name like 'n\_%'
        group by c.table_schema, c.table_name
        having count(*) = 1 -- people are called otherwise
    loop
        plain := format($sql$regexp_replace(regexp_replace(regexp_replace(%I, '(?: spol)? s ro$', ' sro'),
            '^(.+?)(?: (?:%s))* (?:%s)$', '\1'), '^(?:%s) (?=.)', '')$sql$, here.name, behind, forms, before);
        execute format('update %I.%I set %I = %s, t_key = %s where %I ~ %L or %I ~ %L',
            here.table_schema, here.table_name, here.name, plain, plain,
            here.name, '. (?:s ro|' || forms || ')$', here.name, '^(?:' || before || ') .');
    end loop;
end $$;
-- +goose StatementEnd
