-- The same job written by hand for this one file, as set operations: read the
-- CSV, type it, match by the old number and then by e-mail, difference, create,
-- update, history and outcomes. No check to look at, no problems, no restart.
-- psql variables: file.
\set ON_ERROR_STOP on
set work_mem = '192MB';
create unlogged table raw (row_no bigint generated always as identity, reference text, given_name text, family_name text, email text, phone text, mobile text, job_title text,
    street text, locality text, region text, postal_code text, country text, birthday text, description text);
\set copy '\\copy raw (reference, given_name, family_name, email, phone, mobile, job_title, street, locality, region, postal_code, country, birthday, description) from ' :'file' ' with (format csv, header)'
:copy

create unlogged table draft as select row_no, nullif(btrim(given_name), '') as f_given_name, nullif(btrim(family_name), '') as f_family_name, nullif(btrim(email), '') as f_email,
    nullif(btrim(phone), '') as f_phone, nullif(btrim(mobile), '') as f_mobile, nullif(btrim(job_title), '') as f_job_title, nullif(btrim(street), '') as f_street,
    nullif(btrim(locality), '') as f_locality, nullif(btrim(region), '') as f_region, nullif(btrim(postal_code), '') as f_postal_code, nullif(btrim(country), '') as f_country,
    nullif(btrim(birthday), '')::date as f_birthday, nullif(btrim(reference), '') as f_source_ref, nullif(btrim(description), '') as f_description,
    lower(btrim(reference)) collate "C" as k_source_ref, lower(btrim(email)) collate "C" as k_email, lower(btrim(given_name)) collate "C" as n_given_name, lower(btrim(family_name)) collate "C" as n_family_name
    from raw;
analyze draft;

create unlogged table matched as select d.row_no, r.id, r.version from draft d join contact r on r.k_source_ref = d.k_source_ref;
create index on matched (row_no);
analyze matched;
insert into matched select d.row_no, min(r.id), min(r.version) from draft d join contact r on r.k_email = d.k_email
    where not exists (select from matched m where m.row_no = d.row_no) group by d.row_no;
analyze matched;

create unlogged table todo as select d.row_no, m.id, m.version,
    case when m.id is null then 'create' when (d.f_given_name, d.f_family_name, d.f_email, d.f_phone, d.f_mobile, d.f_job_title, d.f_street, d.f_locality, d.f_postal_code, d.f_country, d.f_birthday)
        is distinct from (r.f_given_name, r.f_family_name, r.f_email, r.f_phone, r.f_mobile, r.f_job_title, r.f_street, r.f_locality, r.f_postal_code, r.f_country, r.f_birthday) then 'update' else 'same' end as verdict
    from draft d left join matched m on m.row_no = d.row_no left join contact r on r.id = m.id;
create index on todo (row_no);
analyze todo;

create table outcome (row_no bigint primary key, outcome text not null, record_id bigint);
begin;
with fresh as materialized (select d.*, 100000000 + row_number() over (order by t.row_no) as id from todo t join draft d using (row_no) where t.verdict = 'create'),
made as (insert into contact (id, created_by, changed_by, t_key, f_given_name, f_family_name, f_email, f_phone, f_mobile, f_job_title, f_street, f_locality, f_region, f_postal_code, f_country, f_birthday, f_source_ref, f_description,
        k_source_ref, k_email, n_given_name, n_family_name)
    select id, 1, 1, concat_ws(' ', n_given_name, n_family_name), f_given_name, f_family_name, f_email, f_phone, f_mobile, f_job_title, f_street, f_locality, f_region, f_postal_code, f_country, f_birthday, f_source_ref, f_description,
        k_source_ref, k_email, n_given_name, n_family_name from fresh)
insert into outcome select row_no, 'created', id from fresh;

with old as materialized (select t.row_no, t.id, jsonb_strip_nulls(jsonb_build_object(
        'phone', case when d.f_phone is distinct from r.f_phone then jsonb_build_array(r.f_phone, d.f_phone) end,
        'mobile', case when d.f_mobile is distinct from r.f_mobile then jsonb_build_array(r.f_mobile, d.f_mobile) end,
        'given_name', case when d.f_given_name is distinct from r.f_given_name then jsonb_build_array(r.f_given_name, d.f_given_name) end,
        'family_name', case when d.f_family_name is distinct from r.f_family_name then jsonb_build_array(r.f_family_name, d.f_family_name) end,
        'email', case when d.f_email is distinct from r.f_email then jsonb_build_array(r.f_email, d.f_email) end,
        'job_title', case when d.f_job_title is distinct from r.f_job_title then jsonb_build_array(r.f_job_title, d.f_job_title) end,
        'street', case when d.f_street is distinct from r.f_street then jsonb_build_array(r.f_street, d.f_street) end,
        'locality', case when d.f_locality is distinct from r.f_locality then jsonb_build_array(r.f_locality, d.f_locality) end,
        'postal_code', case when d.f_postal_code is distinct from r.f_postal_code then jsonb_build_array(r.f_postal_code, d.f_postal_code) end,
        'country', case when d.f_country is distinct from r.f_country then jsonb_build_array(r.f_country, d.f_country) end,
        'birthday', case when d.f_birthday is distinct from r.f_birthday then jsonb_build_array(r.f_birthday, d.f_birthday) end)) as changes
    from todo t join draft d using (row_no) join contact r on r.id = t.id where t.verdict = 'update'),
changed as (update contact r set version = r.version + 1, changed_at = now(), f_given_name = coalesce(d.f_given_name, r.f_given_name), f_family_name = coalesce(d.f_family_name, r.f_family_name),
        f_email = coalesce(d.f_email, r.f_email), f_phone = coalesce(d.f_phone, r.f_phone), f_mobile = coalesce(d.f_mobile, r.f_mobile), f_job_title = coalesce(d.f_job_title, r.f_job_title),
        f_street = coalesce(d.f_street, r.f_street), f_locality = coalesce(d.f_locality, r.f_locality), f_postal_code = coalesce(d.f_postal_code, r.f_postal_code),
        f_country = coalesce(d.f_country, r.f_country), f_birthday = coalesce(d.f_birthday, r.f_birthday)
    from old o join draft d using (row_no) where r.id = o.id returning r.id, r.version, o.row_no, o.changes),
kept as (insert into history select id, version, now(), 1, 1, 'update', changes from changed)
insert into outcome select row_no, 'updated', id from changed;
insert into outcome select row_no, 'unchanged', id from todo where verdict = 'same';
commit;
