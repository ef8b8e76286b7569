-- A customer base of three files written by hand for these very files: read, type,
-- link by the old numbers, also within a file, make records and outcomes. The tables
-- have the columns and indexes of the service's own that the files fill. No check to
-- look at, no problems, no restart. psql variables: accounts, contacts, deals.
\set ON_ERROR_STOP on
set work_mem = '192MB';
create table account (id bigint primary key, version integer not null default 1, created_at timestamptz not null default now(), created_by bigint not null,
    changed_at timestamptz not null default now(), changed_by bigint not null, import bigint, t_key text collate "C" not null default '',
    f_name text, n_name text collate "C", f_source_ref text, k_source_ref text collate "C", f_parent bigint, f_locality text, f_country text) with (fillfactor = 80);
create table contact (id bigint primary key, version integer not null default 1, created_at timestamptz not null default now(), created_by bigint not null,
    changed_at timestamptz not null default now(), changed_by bigint not null, import bigint, t_key text collate "C" not null default '',
    f_given_name text, n_given_name text collate "C", f_family_name text, n_family_name text collate "C", f_email text, k_email text collate "C", f_phone text,
    f_account bigint, f_reports_to bigint, f_source_ref text, k_source_ref text collate "C") with (fillfactor = 80);
create table opportunity (id bigint primary key, version integer not null default 1, created_at timestamptz not null default now(), created_by bigint not null,
    changed_at timestamptz not null default now(), changed_by bigint not null, import bigint, t_key text collate "C" not null default '',
    f_title text, n_title text collate "C", f_source_ref text, k_source_ref text collate "C", f_stage text, f_account bigint, f_contact bigint, f_amount numeric(20, 2), f_expected_close date) with (fillfactor = 80);
create index on account (t_key);
create unique index on account (k_source_ref) where k_source_ref is not null;
create index on account (f_parent) where f_parent is not null;
create index on account (import) where import is not null;
create index on contact (t_key);
create unique index on contact (k_source_ref) where k_source_ref is not null;
create index on contact (k_email) where k_email is not null;
create index on contact (f_account) where f_account is not null;
create index on contact (f_reports_to) where f_reports_to is not null;
create index on contact (import) where import is not null;
create index on opportunity (t_key);
create unique index on opportunity (k_source_ref) where k_source_ref is not null;
create index on opportunity (f_account) where f_account is not null;
create index on opportunity (f_contact) where f_contact is not null;
create index on opportunity (import) where import is not null;
create table outcome (file text not null, row_no bigint not null, outcome text not null, record_id bigint, primary key (file, row_no));

create unlogged table raw_account (n bigint generated always as identity, name text, reference text, parent text, locality text, country text);
create unlogged table raw_contact (n bigint generated always as identity, reference text, given_name text, family_name text, email text, phone text, account text, boss text);
create unlogged table raw_deal (n bigint generated always as identity, title text, reference text, stage text, account text, contact text, amount text, close text);
\set copy '\\copy raw_account (name, reference, parent, locality, country) from ' :'accounts' ' with (format csv, header)'
:copy
\set copy '\\copy raw_contact (reference, given_name, family_name, email, phone, account, boss) from ' :'contacts' ' with (format csv, header)'
:copy
\set copy '\\copy raw_deal (title, reference, stage, account, contact, amount, close) from ' :'deals' ' with (format csv, header)'
:copy
create index on raw_account (lower(btrim(reference)));
create index on raw_contact (lower(btrim(reference)));
analyze raw_account, raw_contact, raw_deal;

begin;
insert into account (id, created_by, changed_by, import, t_key, f_name, n_name, f_source_ref, k_source_ref, f_parent, f_locality, f_country)
    select r.n, 1, 1, 1, lower(btrim(r.name)), btrim(r.name), lower(btrim(r.name)), btrim(r.reference), lower(btrim(r.reference)), p.n, nullif(btrim(r.locality), ''), nullif(btrim(r.country), '')
    from raw_account r left join raw_account p on r.parent <> '' and lower(btrim(p.reference)) = lower(btrim(r.parent)) order by r.n;
insert into outcome select 'accounts', n, 'created', n from raw_account;
analyze account;
insert into contact (id, created_by, changed_by, import, t_key, f_given_name, n_given_name, f_family_name, n_family_name, f_email, k_email, f_phone, f_account, f_reports_to, f_source_ref, k_source_ref)
    select r.n, 1, 1, 2, concat_ws(' ', lower(btrim(r.given_name)), lower(btrim(r.family_name))), btrim(r.given_name), lower(btrim(r.given_name)), btrim(r.family_name), lower(btrim(r.family_name)),
        btrim(r.email), lower(btrim(r.email)), nullif(btrim(r.phone), ''), a.id, b.n, btrim(r.reference), lower(btrim(r.reference))
    from raw_contact r left join account a on a.k_source_ref = lower(btrim(r.account)) left join raw_contact b on lower(btrim(b.reference)) = lower(btrim(r.boss)) order by r.n;
insert into outcome select 'contacts', n, 'created', n from raw_contact;
analyze contact;
insert into opportunity (id, created_by, changed_by, import, t_key, f_title, n_title, f_source_ref, k_source_ref, f_stage, f_account, f_contact, f_amount, f_expected_close)
    select r.n, 1, 1, 3, lower(btrim(r.title)), btrim(r.title), lower(btrim(r.title)), btrim(r.reference), lower(btrim(r.reference)), btrim(r.stage), a.id, c.id, r.amount::numeric(20, 2), r.close::date
    from raw_deal r left join account a on a.k_source_ref = lower(btrim(r.account)) left join contact c on c.k_source_ref = lower(btrim(r.contact)) order by r.n;
insert into outcome select 'deals', n, 'created', n from raw_deal;
commit;
