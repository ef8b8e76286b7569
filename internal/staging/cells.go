package staging

import (
	"context"
	"fmt"

	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// anchorStep is the distance of the rows whose numbers are kept, so that a page
// at any place of a large sheet is found without counting from the top.
const anchorStep = 1000

// CellWriter stages the cells of a source.
type CellWriter struct {
	room    *Room
	run     store.Run
	copy    *pgcopy.In
	Anchors []int64 // the row number of every thousandth row
}

// StageCells begins to stage the cells of an import. What was staged before
// stays until the run has ended.
func (r *Room) StageCells(ctx context.Context, run store.Run) (*CellWriter, error) {
	cells := table(run.Import, run.ID, "cells")
	err := r.store.Guarded(ctx, run, func(tx pgx.Tx) error {
		for _, sql := range []string{
			`drop table if exists ` + cells,
			`create unlogged table ` + cells + ` (row_no bigint not null, cells text[] not null)`,
		} {
			if _, err := tx.Exec(ctx, sql); err != nil {
				return err
			}
		}
		return makeResults(ctx, tx, run.Import)
	})
	if err != nil {
		return nil, fmt.Errorf("stage cells: %w", err)
	}
	return &CellWriter{room: r, run: run, copy: pgcopy.Into(ctx, r.onConn(run), cells, []string{"row_no", "cells"})}, nil
}

// ofLast are the columns and rows of the index of the table of what became of rows that finds what holds of a row.
const ofLast = `(row_no, draft) where last`

// byOutcome are those of the index that pages through the rows of which the same became, where these are not many;
// counts are how many rows came to what.
func byOutcome(counts map[verdict.Outcome]int64) string {
	return `(of_row, row_no) where last and of_row is not null and of_row <> all(` + common(counts) + `)`
}

// resultColumns are the columns of the table of what became of rows.
const resultColumns = `row_no, draft, run, last, outcome, of_row, record_id, detail`

// makeResults makes the table of what became of rows. A row has one line for
// each draft and run that decided it; of those of one draft the last holds.
// of_row is what became of the row as a whole; it stands with its first draft.
func makeResults(ctx context.Context, tx pgx.Tx, id int64) error {
	var there bool
	if err := tx.QueryRow(ctx, `select to_regclass($1) is not null`, resultsTable(id)).Scan(&there); err != nil || there {
		return err
	}
	results := resultsTable(id)
	for _, sql := range []string{
		`create table if not exists ` + results + ` (
			row_no bigint not null,
			draft smallint not null,
			run bigint not null,
			last boolean not null default true,
			outcome text collate "C" not null,
			of_row text collate "C",
			record_id bigint,
			detail text
		)`,
		`create unique index on ` + results + ` ` + ofLast,
	} {
		if _, err := tx.Exec(ctx, sql); err != nil {
			return fmt.Errorf("make room for results: %w", err)
		}
	}
	return nil
}

// Add stages one row.
func (w *CellWriter) Add(row sheet.Row) error {
	if w.copy.Rows%anchorStep == 0 {
		w.Anchors = append(w.Anchors, row.Number)
	}
	w.copy.Row(2)
	w.copy.Int64(row.Number)
	w.copy.Texts(row.Cells)
	return w.copy.Flush()
}

// Rows is how many rows were staged.
func (w *CellWriter) Rows() int64 { return w.copy.Rows }

// End finishes the staging, or gives it up when failed is not nil.
func (w *CellWriter) End(ctx context.Context, failed error) error {
	if err := w.copy.End(failed); err != nil {
		return err
	}
	cells := table(w.run.Import, w.run.ID, "cells")
	return w.room.store.Guarded(ctx, w.run, func(tx pgx.Tx) error {
		for _, sql := range []string{`alter table ` + cells + ` add primary key (row_no)`, `analyze ` + cells} {
			if _, err := tx.Exec(ctx, sql); err != nil {
				return fmt.Errorf("stage cells: %w", err)
			}
		}
		return w.edit(ctx, tx, cells)
	})
}

// edit makes the cells say what was changed of them. Read otherwise, the source
// may say something else there.
func (w *CellWriter) edit(ctx context.Context, tx pgx.Tx, cells string) error {
	_, err := tx.Exec(ctx, `update edits e set was = coalesce(c.cells[e.place + 1], '') from `+cells+
		` c where e.import = $1 and c.row_no = e.row_no`, w.run.Import)
	if err != nil {
		return fmt.Errorf("stage cells: %w", err)
	}
	word := func(string) (string, bool, bool) { return cells, true, true }
	_, err = w.room.carryOut(ctx, tx, w.run, stepEdits, word,
		[]stmt{setCells(`(select * from edits where import = ` + schema.Int(w.run.Import) + `)`)})
	return err
}

// SameRows reports whether the cells that a run has staged have the same row
// numbers as those that hold.
func (r *Room) SameRows(ctx context.Context, i store.Import, run store.Run) (bool, error) {
	old, ok := cellsOf(i)
	if !ok {
		return true, nil
	}
	var differ bool
	err := r.pool.QueryRow(ctx, `
		select exists (
			select from `+old+` a full join `+table(run.Import, run.ID, "cells")+` b using (row_no)
			where a.cells is null or b.cells is null
		)`).Scan(&differ)
	if err != nil {
		return false, fmt.Errorf("compare the rows: %w", err)
	}
	return !differ, nil
}

// Holding gives those of some texts that stand, in whatever capitals, in columns of an import, which
// are counted from 0. Without staged cells it gives none.
func (r *Room) Holding(ctx context.Context, i store.Import, columns []int, texts []string) ([]string, error) {
	cells, ok := cellsOf(i)
	if !ok {
		return nil, nil
	}
	if there, err := r.there(ctx, cells); err != nil || !there || len(texts) == 0 {
		return nil, err
	}
	var values []string
	for _, at := range columns {
		values = append(values, `c.cells[`+schema.Int(at+1)+`]`)
	}
	rows, err := r.pool.Query(ctx, `
		with held as materialized (
			select distinct v from (select lower(btrim(unnest(array[`+list(values)+`]))) as v from `+cells+` c) x
			where v = any(select lower(btrim(t)) from unnest($1::text[]) t)
		)
		select t from unnest($1::text[]) t where lower(btrim(t)) in (select v from held)`, texts)
	if err != nil {
		return nil, fmt.Errorf("look for texts among the cells: %w", err)
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// HasCells reports whether the cells are staged; after a crash of the database
// unlogged tables are empty.
func (r *Room) HasCells(ctx context.Context, i store.Import) (bool, error) {
	cells, ok := cellsOf(i)
	if !ok {
		return false, nil
	}
	if there, err := r.there(ctx, cells); err != nil || !there {
		return false, err
	}
	if i.Rows == 0 {
		return true, nil
	}
	var there bool
	err := r.pool.QueryRow(ctx, `select exists (select from `+cells+`)`).Scan(&there)
	return there, err
}

// settledRow is the rule that a row is settled: it has an outcome after which it
// is not looked at again. A row that was left out for a reason which may have
// gone is.
func settledRow(results, row string) string {
	var again string
	for _, r := range verdict.Again {
		again += `, ` + schema.Literal(string(r))
	}
	return `exists (
		select from ` + results + ` o
		where o.row_no = ` + row + `.row_no and o.last and o.of_row is not null
			and o.of_row not in ('held', 'failed', 'undone')
			and not (o.of_row = 'skipped' and o.detail in (''` + again + `)))`
}

// Part says which rows of an import are looked at; the zero value is all.
type Part struct {
	Every int64   // above 1: as a sample, each row of a number that it divides
	Most  int64   // above 0: so many at most
	Rows  []int64 // these alone; nil is no bound
	// Settled rows are given as well, and said to be so; else they are left out.
	Settled bool
}

// rowsOf is the query of the staged rows of a part in their order: number, cells,
// and, where the part has settled rows, a bigint for those that are.
func (r *Room) rowsOf(i store.Import, p Part) (string, error) {
	cells, ok := cellsOf(i)
	if !ok {
		return "", errNotStaged
	}
	settled := settledRow(resultsTable(i.ID), "c")
	columns, where := `c.row_no, c.cells`, `true`
	if p.Settled {
		columns += `, case when ` + settled + ` then 1::bigint end`
	} else {
		where += ` and not ` + settled
	}
	if p.Every > 1 {
		where += ` and c.row_no % ` + schema.Int(p.Every) + ` = 0`
	}
	if p.Rows != nil {
		where += ` and c.row_no in (select unnest(` + numbers(p.Rows) + `))`
	}
	query := `select ` + columns + ` from ` + cells + ` c where ` + where + ` order by c.row_no`
	if p.Most > 0 {
		query += ` limit ` + schema.Int(p.Most)
	}
	return query, nil
}

// numbers writes a list of numbers as SQL.
func numbers(list []int64) string {
	b := []byte(`'{`)
	for n, v := range list {
		if n > 0 {
			b = append(b, ',')
		}
		b = append(b, schema.Int(v)...)
	}
	return string(append(b, `}'::bigint[]`...))
}
