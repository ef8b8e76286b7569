package staging

import (
	"context"
	"fmt"
	"slices"

	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// How an undo ends: what has become of the rows whose records it has touched, and of the import.

// End ends the undo by an event, or by what is left of the loads; it notes what
// has become of the rows. It is asked of the records and their history, not of
// the plan, so that nothing is told wrongly after a process has died.
func (u *Undo) End(ctx context.Context, event life.Event, trouble *store.Trouble) error {
	if u.types == nil { // it has failed before there was a plan
		err := u.room.withConn(ctx, u.run, func(c *conn) error {
			u.conn = c
			return u.begin(ctx)
		})
		if err != nil {
			return err
		}
	}
	there, err := u.room.there(ctx, resultsTable(u.i.ID))
	if err != nil {
		return err
	}
	return u.room.begin(ctx, func(tx pgx.Tx) error {
		i, err := store.LockImport(ctx, tx, u.run)
		if err != nil {
			return err
		}
		outcomes, undone := map[verdict.Outcome]int64{}, map[verdict.Outcome]int64{}
		if there && i.Routine.V != nil {
			if outcomes, undone, err = u.noteOutcomes(ctx, tx); err != nil {
				return err
			}
		}
		left := outcomes[verdict.Created]+outcomes[verdict.Updated]+outcomes[verdict.Deleted] > 0
		switch {
		case !there:
			left, err = u.somethingLeft(ctx, tx)
		case !left && i.Routine.V != nil && i.Routine.V.Held == mapping.HeldRecord:
			left, err = u.partLeft(ctx, tx)
		}
		if err != nil {
			return err
		}
		if event == "" {
			event = life.WasUndone
			if left {
				event = life.PartUndone
			}
		}
		if there {
			if _, err := tx.Exec(ctx, `update imports set outcomes = $2 where id = $1`, i.ID,
				store.JSON[map[verdict.Outcome]int64]{V: outcomes}); err != nil {
				return fmt.Errorf("note the outcomes: %w", err)
			}
		}
		if _, err := tx.Exec(ctx, `update runs set outcomes = $2 where id = $1`, u.run.ID,
			store.JSON[map[verdict.Outcome]int64]{V: undone}); err != nil {
			return fmt.Errorf("note the outcomes: %w", err)
		}
		return store.EndRunIn(ctx, tx, i, u.run, event, trouble, nil)
	})
}

// somethingLeft tells whether any record of the import's loads is left as they
// made it, when what became of its rows is no longer kept.
func (u *Undo) somethingLeft(ctx context.Context, tx pgx.Tx) (left bool, err error) {
	sql, _, err := q(`select exists (select from {undo} where why <> '' or kept <> '{}')`).compose(u.word)
	if err != nil {
		return false, err
	}
	err = tx.QueryRow(ctx, sql).Scan(&left)
	return left, err
}

// partLeft tells whether some records of rows that are held, or undone by now, are left: also of a draft that an
// earlier load has made or changed and a later one, when its row was no longer held, has found unchanged.
func (u *Undo) partLeft(ctx context.Context, tx pgx.Tx) (left bool, err error) {
	sql, _, err := q(`select exists (select from {results} o where o.last and o.outcome in ('created', 'updated', 'deleted'))
		or exists (
			select from {results} o
			join {results} p on p.row_no = o.row_no and p.draft = o.draft and p.record_id = o.record_id
			where o.last and o.outcome = 'unchanged' and not p.last and p.outcome in ('created', 'updated')
		)`).compose(u.word)
	if err != nil {
		return false, err
	}
	err = tx.QueryRow(ctx, sql).Scan(&left)
	return left, err
}

// noteOutcomes writes what has become of the rows, and counts: of all rows of the
// import, and of those that this piece of work has touched.
func (u *Undo) noteOutcomes(ctx context.Context, tx pgx.Tx) (all, touched map[verdict.Outcome]int64, err error) {
	do := func(word vocabulary, statements ...stmt) error {
		_, err := u.room.carryOut(ctx, tx, u.run, stepUndoOutcome, word, statements)
		return err
	}
	err = do(u.word, q(`create temp table became_now (row_no bigint not null, draft smallint not null,
		run bigint not null, outcome text collate "C" not null, record_id bigint, detail text) on commit drop`))
	if err != nil {
		return nil, nil, err
	}
	for n, d := range u.i.Routine.V.Drafts {
		at := slices.IndexFunc(u.types, func(t undoType) bool { return t.Name == d.Type })
		if at < 0 {
			continue
		}
		if err := do(u.of(u.types[at]), u.becameNow(n), u.keptNow(n)); err != nil {
			return nil, nil, err
		}
	}
	only := ""
	if u.run.Only != nil {
		only = ` and o.row_no <@ ` + literal(*u.run.Only) + `::int8multirange`
	}
	run := arg{"run": u.run.Piece}
	err = do(u.word,
		// The server takes what is left beside these rows for one row, and would look through them for each.
		q(`create index on became_now (row_no, draft); analyze became_now`),
		// A row for which another stood is open again when that is.
		q(`insert into became_now select o.row_no, o.draft, @run, 'undone', null, null
			from {results} o
			where o.last and o.run = {pieces} and o.outcome = 'skipped' and o.detail in ({with}){only}
				and exists (select from became_now b where b.draft = o.draft and b.record_id = o.record_id and b.outcome = 'undone')
				and not exists (select from became_now b where b.row_no = o.row_no and b.draft = o.draft)`,
			frag{"only": only, "with": literals([]verdict.Reason{verdict.Repeated, verdict.Merged, verdict.Grouped})}, run),
		// A row that was opened so is again what it was.
		q(`insert into became_now
			with was as materialized (
				select distinct on (o.row_no, o.draft) o.row_no, o.draft, p.outcome, p.record_id, p.detail
				from {results} o join {results} p on p.row_no = o.row_no and p.draft = o.draft and not p.last and p.run < o.run
				where o.last and o.run = {pieces} and o.outcome = 'undone' and o.record_id is null{only}
				order by o.row_no, o.draft, p.run desc
			),
			again as materialized (select distinct draft, record_id from became_now where outcome <> 'undone')
			select w.row_no, w.draft, @run, w.outcome, w.record_id, w.detail
			from was w left join again b on b.draft = w.draft and b.record_id = w.record_id
			where w.record_id is null or b.record_id is not null`, frag{"only": only}, run))
	if err != nil {
		return nil, nil, err
	}
	// Where a row makes one record, what has become of that has become of the row.
	ofRow, rows, each := `b.outcome`, `became_now b`, `select outcome as of_row from became_now`
	if len(u.i.Routine.V.Drafts) > 1 {
		ofRow, rows, each = `case when b.draft = 1 then r.of_row collate "C" end`,
			`became_now b join rows_now r on r.row_no = b.row_no`, `select of_row from rows_now`
		if err := do(u.word, u.rowsNow()...); err != nil {
			return nil, nil, err
		}
	}
	if all, err = u.replaceResults(ctx, tx, do, ofRow, rows); err == nil {
		touched, err = countOutcomes(ctx, tx, u.word, q(`select of_row as word, count(*) as count from ({each}) x
			group by of_row`, frag{"each": each}))
	}
	return all, touched, err
}

// replaceResults writes what has become of rows in the place of what was so far, which stays and no longer holds. Of
// is the SQL of what has become of a row as a whole, from what has become of its drafts. It gives how many rows came to what.
//
// Where it is of a third of all rows or more they are all written anew, and the table takes the place of the one before:
// two indexes made once cost less than to follow each row, and who looks at the rows meanwhile sees what was so far.
func (u *Undo) replaceResults(ctx context.Context, tx pgx.Tx, do func(vocabulary, ...stmt) error,
	of, from string) (counts map[verdict.Outcome]int64, err error) {
	count := func(table string) (map[verdict.Outcome]int64, error) {
		return countOutcomes(ctx, tx, u.word, q(`select of_row as word, count(*) as count from `+table+`
			where last and of_row is not null group by of_row`))
	}
	now := q(`select b.row_no, b.draft, b.run, true, b.outcome, {of_row}, b.record_id, b.detail from {rows}`,
		frag{"of_row": of, "rows": from})
	var touched, all int64
	err = tx.QueryRow(ctx, `select (select count(*) from became_now), (select count(*) from `+resultsTable(u.i.ID)+`)`).
		Scan(&touched, &all)
	if err != nil {
		return nil, fmt.Errorf("count what has become of rows: %w", err)
	}
	if touched < all/3 {
		err := do(u.word,
			q(`update {results} o set last = false from became_now b
				where o.last and o.row_no = b.row_no and o.draft = b.draft`),
			q(`insert into {results} ({columns}) {now} order by b.row_no, b.draft`, frag{"columns": resultColumns, "now": now.text}, now.words),
			q(`analyze {results}`))
		if err != nil {
			return nil, err
		}
		return count(`{results}`)
	}
	name := fmt.Sprintf("i%d_results", u.i.ID)
	err = do(u.word,
		q(`create table {results_now} (like {results} including defaults)`),
		q(`insert into {results_now} ({columns})
			select o.row_no, o.draft, o.run, o.last and b.row_no is null, o.outcome, o.of_row, o.record_id, o.detail
			from {results} o left join became_now b on o.last and b.row_no = o.row_no and b.draft = o.draft
			union all
			{now}`, frag{"columns": resultColumns, "now": now.text}, now.words))
	if err != nil {
		return nil, err
	}
	if counts, err = count(`{results_now}`); err != nil {
		return nil, err
	}
	return counts, do(u.word,
		q(`create unique index on {results_now} `+ofLast),
		q(`create index {by_outcome_now} on {results_now} `+byOutcome(counts), frag{"by_outcome_now": schema.Ident(name + "_by_outcome_now")}),
		q(`analyze {results_now}`),
		q(`drop table {results}`),
		q(`alter table {results_now} rename to {name}; alter index {by_outcome_now} rename to {by_outcome}`, frag{
			"name": schema.Ident(name), "by_outcome": schema.Ident(name + "_by_outcome"),
			"by_outcome_now": schema.Ident("staging", name+"_by_outcome_now")}))
}

// rowsNow are the statements that note what has become of rows that make several records, some of
// which the undo has touched: it stands with the first of them, which is written anew.
func (u *Undo) rowsNow() []stmt {
	return []stmt{
		q(`create temp table rows_now on commit drop as
			select row_no, (array[{words}])[min(array_position(array[{words}], outcome))] as of_row
			from (
				select row_no, draft, outcome from became_now
				union all
				select o.row_no, o.draft, o.outcome from {results} o
				where o.last and o.row_no in (select row_no from became_now)
					and not exists (select from became_now b where b.row_no = o.row_no and b.draft = o.draft)
			) x group by row_no`, frag{"words": literals(weight)}),
		q(`insert into became_now
			select o.row_no, o.draft, o.run, o.outcome, o.record_id, o.detail from {results} o
			where o.last and o.draft = 1 and o.row_no in (select row_no from became_now)
				and not exists (select from became_now b where b.row_no = o.row_no and b.draft = 1)`),
	}
}

// becameNow is the statement that notes what has become of the n-th draft of the
// rows whose records the undo has touched. Of what a load has made, a draft is
// undone when its record is gone, of what it changed, when the undo has changed it
// back; of what an undo took back, a draft is again what it was before.
func (u *Undo) becameNow(n int) stmt {
	only := ""
	if u.run.Only != nil {
		only = ` and o.row_no <@ ` + literal(*u.run.Only) + `::int8multirange`
	}
	return q(`insert into became_now
		with mine as materialized (
			-- By this undo, or by one of the same that could not note what it did.
			select distinct on (record_id) record_id, kind from {history}
			where run = any(array(select piece from runs where import = @import and work = 'undo' and undoes && {list}))
			order by record_id, version desc
		),
		kept as materialized (select distinct record_id from {undo} where type = {type} and kept <> '{}'),
		earlier as materialized (
			-- What was before what holds; also of a draft whose row was held then for another of its records, and that
			-- a later load has found unchanged.
			select row_no, record_id, (array_agg(outcome order by run desc))[1] as was,
				bool_or(run = {pieces} and outcome <> 'deleted') as written, bool_or(run = {pieces} and outcome = 'updated') as changed
			from {results} where not last and draft = {n} and outcome in ('created', 'updated', 'deleted')
			group by row_no, record_id
		)
		select o.row_no, o.draft, @run,
			case when o.outcome = 'undone' then coalesce(e.was, o.outcome) else 'undone' end,
			o.record_id,
			case when k.record_id is not null then 'kept in part: changed_since' end
		from {results} o
		join mine m on m.record_id = o.record_id
		left join earlier e on e.row_no = o.row_no and e.record_id = o.record_id
		left join kept k on k.record_id = o.record_id
		where o.last and o.draft = {n}
			and (
				o.run = {pieces} and o.outcome in ('created', 'updated', 'deleted', 'undone')
				and (o.outcome <> 'created' or m.kind = 'delete')
				or o.outcome = 'unchanged' and e.written and (e.changed or m.kind = 'delete')
			){only}`,
		frag{"n": schema.Int(n + 1), "only": only, "list": numbers(u.run.Undoes)},
		arg{"run": u.run.Piece, "import": u.i.ID})
}

// keptNow is the statement that notes of the n-th draft of rows why what they have
// loaded stays.
func (u *Undo) keptNow(n int) stmt {
	return q(`update {results} o set detail = 'kept: ' || u.why
		from {undo} u
		where u.type = {type} and u.why <> '' and u.record_id = o.record_id and o.last and o.run = {pieces} and o.draft = {n}
			and o.outcome in ('created', 'updated', 'deleted', 'undone')`, frag{"n": schema.Int(n + 1)})
}

// countOutcomes gives the outcomes that a query has counted.
func countOutcomes(ctx context.Context, tx pgx.Tx, lookup vocabulary, query stmt) (map[verdict.Outcome]int64, error) {
	words, err := collect[counted](ctx, tx, lookup, query)
	if err != nil {
		return nil, fmt.Errorf("count outcomes: %w", err)
	}
	m := map[verdict.Outcome]int64{}
	for _, w := range words {
		m[verdict.Outcome(w.Word)] = w.Count
	}
	return m, nil
}
