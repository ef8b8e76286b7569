-- +goose Up
-- A run is one piece of work on an import. Its id is a token: whoever holds one
-- that has ended, or was taken over, writes nothing more.
create table runs (
    id           bigint generated always as identity primary key,
    import       bigint not null references imports on delete cascade,
    work         text not null check (work in ('read', 'check', 'load', 'try')),
    person       bigint not null references people, -- who asked for it
    process      text not null default '', -- who does it; empty while it waits
    began_at     timestamptz not null default now(),
    done_rows    bigint not null default 0,
    of_rows      bigint not null default 0,
    cancelled_by bigint references people, -- it is to end
    ended_at     timestamptz,
    ended        text, -- the event that ended it, or taken
    trouble      jsonb,
    outcomes     jsonb not null default '{}' -- of a load, by word
);
create index on runs (import, id);
create index on runs (id) where ended_at is null;

alter table imports
    add column run       bigint references runs, -- what runs
    add column rest      text not null default 'open' check (rest in ('open', 'loaded', 'stopped')),
    add column written   boolean not null default false, -- a load has written records
    add column reading_was jsonb, -- the options by which the source was read, while it is read by others
    add column cells_run bigint, -- the run that staged the cells; 0 for those of an earlier edition
    add column check_run bigint, -- the run whose verdicts hold
    add column link_writes bigint not null default 0, -- as writes, of the record types that are only linked to
    add column catalogue bigint not null default 0, -- the edition of the record types that the check saw
    add column digest    bigint not null default 0, -- of the verdicts that are not carried out yet
    add column cleaned_at timestamptz; -- its source and results are no longer kept

update imports set
    written = coalesce((outcomes->>'created')::bigint, 0) + coalesce((outcomes->>'updated')::bigint, 0) + coalesce((outcomes->>'deleted')::bigint, 0) > 0,
    rest = case when state in ('loaded', 'stopped') then state when outcomes <> '{}' then 'loaded' else 'open' end;

-- What runs now goes on as a run. A load that is under way checks again what is left.
insert into runs (import, work, person, done_rows, of_rows) select id, busy, made_by, 0, rows from imports where busy <> '';
update imports i set run = r.id from runs r where r.import = i.id;
insert into runs (import, work, person, ended_at, ended)
    select id, 'load', made_by, coalesce(ended_at, changed_at), 'was_loaded' from imports where outcomes <> '{}' and busy <> 'load';

-- Verdicts are made again by the next check; cells and outcomes stay.
update imports set totals = null, state = rest where state = 'ready';
-- +goose StatementBegin
do $$
declare
    t record;
    n bigint;
    load_run bigint;
begin
    for t in select tablename, substring(tablename from '^i(\d+)_')::bigint as id, substring(tablename from '^i\d+_(.*)$') as part
        from pg_tables where schemaname = 'staging' and tablename ~ '^i\d+_' order by tablename desc
    loop
        if to_regclass(format('staging.%I', 'i' || t.id || '_results')) is null then
            execute format('create table staging.%I (row_no bigint not null, draft smallint not null, run bigint not null, last boolean not null default true,
                outcome text collate "C" not null, of_row text collate "C", record_id bigint, detail text)', 'i' || t.id || '_results');
            execute format('create unique index on staging.%I (row_no, draft) where last', 'i' || t.id || '_results');
            execute format('create index on staging.%I (of_row, row_no) where last and of_row is not null', 'i' || t.id || '_results');
        end if;
        select max(id) into load_run from runs where import = t.id and work = 'load';
        if t.part = 'cells' then
            execute format('alter table staging.%I rename to %I', t.tablename, 'i' || t.id || '_r0_cells');
            update imports set cells_run = 0 where id = t.id;
        elsif t.part = 'outcomes' then
            if to_regclass(format('staging.%I', 'i' || t.id || '_draft_outcomes')) is null then
                execute format('insert into staging.%I select row_no, 1, %s, true, outcome, outcome, record_id, detail from staging.%I', 'i' || t.id || '_results', coalesce(load_run, 0), t.tablename);
            else
                execute format('insert into staging.%I select o.row_no, d.n, %s, true, coalesce(x.outcome, o.outcome), case when d.n = 1 then o.outcome end, case when x.row_no is null and d.n = 1 then o.record_id else x.record_id end, o.detail
                    from staging.%I o cross join lateral (select n::smallint, d->>''name'' as name, d->>''type'' as type from imports i, jsonb_array_elements(i.routine->''drafts'') with ordinality y (d, n) where i.id = %s) d
                    left join staging.%I x on x.row_no = o.row_no and x.draft = coalesce(d.name, d.type)', 'i' || t.id || '_results', coalesce(load_run, 0), t.tablename, t.id, 'i' || t.id || '_draft_outcomes');
            end if;
        end if;
    end loop;
    for t in select tablename from pg_tables where schemaname = 'staging' and tablename ~ '^i\d+_' and tablename !~ '^i\d+_(results|r0_cells)$'
    loop
        execute format('drop table if exists staging.%I', t.tablename);
    end loop;
    -- Jobs name the run that they do.
    if to_regclass('uchi.river_job') is not null then
        update river_job j set args = j.args || jsonb_build_object('run', r.id)
            from runs r where r.ended_at is null and (j.args->>'import')::bigint = r.import and j.kind = 'import';
    end if;
end $$;
-- +goose StatementEnd

alter table imports
    drop constraint imports_state_check,
    add constraint imports_state_check check (state in ('open', 'checking', 'ready', 'loading', 'paused', 'loaded', 'stopped', 'closed', 'discarded')),
    drop column busy,
    drop column done_rows;

-- Rows of which something was said, or taken back, since the last check.
create table touched_rows (
    import bigint not null references imports on delete cascade,
    row_no bigint not null,
    primary key (import, row_no)
);

-- Editions of what a workspace has: the layout of its record tables, and what
-- the product knew of the standard type when it was last merged in.
alter table record_types
    add column edition integer not null default 1,
    add column learned text not null default '';

-- What an administrator has set for the whole service.
create table settings (
    name  text primary key,
    value jsonb not null
);

alter table log drop column detail;
