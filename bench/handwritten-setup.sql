-- The tables of the job written by hand: the same columns and indexes as the
-- service's own, filled with the contacts that are there. psql variables: file.
\set ON_ERROR_STOP on
create table contact (id bigint primary key, version integer not null default 1, created_at timestamptz not null default now(), created_by bigint not null,
    changed_at timestamptz not null default now(), changed_by bigint not null, import bigint, t_key text collate "C" not null default '',
    f_honorific text, f_given_name text, n_given_name text collate "C", f_family_name text, n_family_name text collate "C", f_email text, k_email text collate "C", f_phone text, f_mobile text, f_job_title text,
    f_account bigint, f_reports_to bigint, f_street text, f_locality text, f_region text, f_postal_code text, f_country text, f_birthday date, f_language text, f_email_consent boolean,
    f_source_ref text, k_source_ref text collate "C", f_owner bigint, f_description text) with (fillfactor = 80);
create table history (record_id bigint not null, version integer not null, at timestamptz not null, person bigint not null, import bigint, kind text not null, changes jsonb not null, primary key (record_id, version));
create temp table raw (n bigint generated always as identity, reference text, given_name text, family_name text, email text, phone text, mobile text, job_title text,
    street text, locality text, region text, postal_code text, country text, birthday date, description text);
\set copy '\\copy raw (reference, given_name, family_name, email, phone, mobile, job_title, street, locality, region, postal_code, country, birthday, description) from ' :'file' ' with (format csv, header)'
:copy
insert into contact (id, created_by, changed_by, t_key, f_given_name, f_family_name, f_email, f_phone, f_mobile, f_job_title, f_street, f_locality, f_postal_code, f_country, f_birthday, f_source_ref, k_source_ref, k_email, n_given_name, n_family_name)
    select n, 1, 1, lower(given_name || ' ' || family_name), given_name, family_name, email, phone, mobile, job_title, street, locality, postal_code, country, birthday, reference, lower(reference), lower(email), lower(given_name), lower(family_name) from raw;
create index on contact (t_key);
create unique index on contact (k_source_ref) where k_source_ref is not null;
create index on contact (k_email) where k_email is not null;
vacuum analyze contact;
