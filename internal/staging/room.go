// Package staging works out over the rows of an import what each would do, and
// carries it out: the set operations of reading, check, try and load. What it
// keeps is derived from source, routine, answers and records, and can be made
// again at any time; only what became of rows lasts.
//
// Each run (see store.Run) stages into tables of its own, whose names bear its
// token; which of them hold is said by the import. A run that was taken over, or
// has ended, writes nothing: every transaction begins with store.Guard.
//
// The tables of an import:
//
//	cells       the cells of each row, by the run that read them
//	left        the drafts that are left out from the start, and why
//	problems    what is wrong, by row
//	asked       what a person must say, of all drafts
//	offered     what there is to choose from, of all drafts
//	typed       by what rows were typed while they were read, where a check is to follow at once
//	anchors     the first row of each verdict and outcome in every thousand, and how many come before
//	results     what became of each draft of each row, by run; logged, since it is not derived
//
// and for each draft of a row, its number before their names:
//
//	draft       the typed draft with its normal forms
//	aside       the rows whose draft is left out, and why
//	links       the records that the texts in reference columns name
//	settled     the answers that people gave
//	matches     the record that each draft was found to be
//	questions, candidates  what is asked of the draft
//	repeats     rows that are for the same record as another
//	became      the record that the draft is for, where others may point to it
//	keys        what is compared by likeness
//	often       how many rows have what many have, once somebody has looked at them
//	waits       the links to rows, here or in another import of the bundle, that are loaded later
//	verdicts    what the draft would do, with the difference; that of the first draft also says what the row would do
//
// It knows the store and the core, and neither jobs nor faces.
package staging

import (
	"context"
	"fmt"
	"log/slog"
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Room stages imports in one database.
type Room struct {
	store *store.Store
	pool  *pgxpool.Pool
	log   *slog.Logger
	tries chan struct{} // one for each try that may be under way
	texts sync.Map      // tables of texts that are there, by name

	readying sync.Mutex // one record type at a time is made ready for likeness

	// For tests: a step fails that touches a table which it does not name, and
	// where failAt says so.
	strict bool
	failAt func(step string) error

	chunk, acts int   // how much a transaction of a load, and of an undo, carries out
	few         int64 // up to how many rows are looked through without an index
}

// Connections of the pool that one check or load needs at most: the rows that
// stream out, a stream in for each draft, two for what is left out and wrong,
// and the steps.
const perCheck = mapping.MostDrafts + 4

// triesAtOnce is how many tries a process does at once; others wait for them
// without a connection.
const triesAtOnce = 2

// Connections is how many connections a process needs that does so many jobs at
// once and answers requests beside.
func Connections(jobs int) int {
	const requests, readying = 16, 3
	return (jobs+triesAtOnce)*perCheck + requests + readying
}

// New makes a room in an open store.
func New(st *store.Store, log *slog.Logger) *Room {
	return &Room{store: st, pool: st.Pool(), log: log, tries: make(chan struct{}, triesAtOnce), chunk: chunkRows, acts: chunkActs,
		few: fewRows}
}

// Strictly makes every step fail that touches a table which it does not name; for
// tests.
func (r *Room) Strictly() *Room {
	r.strict = true
	return r
}

// InChunks makes a transaction of a load, or of an undo, carry out so many rows or acts at most; for tests.
func (r *Room) InChunks(most int) *Room {
	r.chunk, r.acts = most, most
	return r
}

// OfMany makes checks be done as those of many rows are, with their indexes; for tests.
func (r *Room) OfMany() *Room {
	r.few = 0
	return r
}

// ChunkRows is how many rows a transaction of a load carries out at most.
func (r *Room) ChunkRows() int { return r.chunk }

// ChunkActs is how many acts a transaction of an undo carries out at most.
func (r *Room) ChunkActs() int { return r.acts }

// FailAt makes every step fail for which f gives an error, or panic where f does;
// for tests.
func (r *Room) FailAt(f func(step string) error) { r.failAt = f }

// Trying runs f when not too many others try. It waits without a connection.
func (r *Room) Trying(ctx context.Context, f func() error) error {
	select {
	case r.tries <- struct{}{}:
		defer func() { <-r.tries }()
		return f()
	case <-ctx.Done():
		return context.Cause(ctx)
	}
}

// begin runs f in a transaction with the memory that the rows of a chunk take.
func (r *Room) begin(ctx context.Context, f func(tx pgx.Tx) error) error {
	return pgx.BeginFunc(ctx, r.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `set local work_mem = '64MB'`); err != nil {
			return fmt.Errorf("ready the server: %w", err)
		}
		return f(tx)
	})
}

// table names a table of an import that one of its runs has made.
func table(id, run int64, part string) string {
	return schema.Ident("staging", tableName(id, run, part))
}

// tableName is the name of that table without its schema.
func tableName(id, run int64, part string) string { return fmt.Sprintf("i%d_r%d_%s", id, run, part) }

// resultsTable names the table of what became of an import's rows.
func resultsTable(id int64) string { return schema.Ident("staging", fmt.Sprintf("i%d_results", id)) }

// cellsOf names the table of an import's cells; ok is false when they are not staged.
func cellsOf(i store.Import) (name string, ok bool) {
	if i.CellsRun == nil {
		return "", false
	}
	return table(i.ID, *i.CellsRun, "cells"), true
}

// checkOf names the tables of the check that holds; ok is false when none does.
func checkOf(i store.Import) (name func(part string) string, ok bool) {
	if i.CheckRun == nil {
		return nil, false
	}
	return func(part string) string { return table(i.ID, *i.CheckRun, part) }, true
}

// draftPart names a table of the n-th draft, counted from 0.
func draftPart(n int, part string) string { return fmt.Sprintf("d%d_%s", n+1, part) }

// onConn gives connections to COPY, in a transaction that only a run which goes
// on may make, and that does not wait for the disk, as no step does.
func (r *Room) onConn(run store.Run) pgcopy.OnConn {
	return func(ctx context.Context, f func(conn *pgx.Conn) error) error {
		return r.store.Guarded(ctx, run, func(tx pgx.Tx) error {
			if _, err := tx.Exec(ctx, `set local synchronous_commit = off`); err != nil {
				return err
			}
			return f(tx.Conn())
		})
	}
}

// reading gives connections to COPY that only read.
func (r *Room) reading(ctx context.Context, f func(conn *pgx.Conn) error) error {
	return r.pool.AcquireFunc(ctx, func(conn *pgxpool.Conn) error { return f(conn.Conn()) })
}

// mostBeside is how many workers rows pass side by side at most: the server is to take in what
// they make.
const mostBeside = 4

// sideBySide makes as many workers as there are processors for.
func sideBySide[T any](worker func() (T, error)) (list []T, err error) {
	for range min(mostBeside, runtime.GOMAXPROCS(0)) {
		w, err := worker()
		if err != nil {
			return nil, err
		}
		list = append(list, w)
	}
	return list, nil
}

func (r *Room) there(ctx context.Context, name string) (bool, error) {
	var there bool
	err := r.pool.QueryRow(ctx, `select to_regclass($1) is not null`, name).Scan(&there)
	return there, err
}

// Drop drops what the runs of an import have staged that have ended, but for the
// runs to keep. What a run that goes on has staged stays: the next run may have
// begun as soon as the one before was over. Results stay.
func (r *Room) Drop(ctx context.Context, id int64, keep ...int64) error {
	// A run that begins from here on has a greater number than all that there are.
	var last int64
	var live []int64
	err := r.pool.QueryRow(ctx, `
		select coalesce(max(id), 0), coalesce(array_agg(id) filter (where ended_at is null), '{}')
		from runs where import = $1`, id).Scan(&last, &live)
	if err != nil {
		return fmt.Errorf("look for runs: %w", err)
	}
	return r.drop(ctx, ofRuns(id), slices.Concat(keep, live), last)
}

// ofRuns is the pattern of the tables that runs of an import have made.
func ofRuns(id int64) string { return `^i` + fmt.Sprint(id) + `_r(\d+)_` }

// DropRun drops what one run has staged, all at once, since nobody reads it: what a run has
// staged is read when it holds.
func (r *Room) DropRun(ctx context.Context, run store.Run) error {
	names, err := r.staged(ctx, `^i`+fmt.Sprint(run.Import)+`_r(`+fmt.Sprint(run.ID)+`)_`, nil, run.ID)
	if err != nil || len(names) == 0 {
		return err
	}
	if _, err := r.pool.Exec(ctx, `drop table if exists `+strings.Join(names, ", ")); err != nil {
		return fmt.Errorf("drop staging: %w", err)
	}
	return nil
}

// DropAll drops all that there is of an import, results too.
func (r *Room) DropAll(ctx context.Context, id int64) error {
	if err := r.drop(ctx, ofRuns(id), nil, math.MaxInt64); err != nil {
		return err
	}
	if _, err := r.pool.Exec(ctx, `drop table if exists `+resultsTable(id)); err != nil {
		return fmt.Errorf("drop results: %w", err)
	}
	return nil
}

// drop drops the tables that staged gives.
func (r *Room) drop(ctx context.Context, pattern string, keep []int64, last int64) error {
	names, err := r.staged(ctx, pattern, keep, last)
	if err != nil {
		return err
	}
	for _, name := range names { // one by one, so that no reader of two can meet us half-way
		if _, err := r.pool.Exec(ctx, `drop table if exists `+name); err != nil {
			return fmt.Errorf("drop staging: %w", err)
		}
	}
	return nil
}

// staged gives the tables whose name fits a pattern, of which the first group is
// the run that made them; the run is none to keep, and none after the last.
func (r *Room) staged(ctx context.Context, pattern string, keep []int64, last int64) ([]string, error) {
	if keep == nil {
		keep = []int64{}
	}
	rows, err := r.pool.Query(ctx, `
		select tablename from pg_tables
		cross join lateral (select substring(tablename from $1)::bigint as run) x
		where schemaname = 'staging' and tablename ~ $1 and not (run = any($2)) and run <= $3`, pattern, keep, last)
	if err != nil {
		return nil, fmt.Errorf("look for staging: %w", err)
	}
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return nil, fmt.Errorf("look for staging: %w", err)
	}
	for n, name := range names {
		names[n] = schema.Ident("staging", name)
	}
	return names, nil
}

// DropLeftovers drops what was staged by runs that have ended and whose tables
// do not hold, and all that there is of imports that are not there any more. It
// gives how many tables went.
func (r *Room) DropLeftovers(ctx context.Context) (int, error) {
	rows, err := r.pool.Query(ctx, `
		select tablename from pg_tables t
		cross join lateral (
			select substring(tablename from '^i(\d+)_')::bigint as import, substring(tablename
			from '^i\d+_r(\d+)_')::bigint as run
		) x
		where schemaname = 'staging' and tablename ~ '^i\d+_' and (
			not exists (select from imports i where i.id = x.import)
			or x.run is not null
				and not exists (select from imports i where i.id = x.import and x.run in (i.cells_run, i.check_run, i.run))
				and not exists (select from runs u where u.id = x.run and u.ended_at is null))`)
	if err != nil {
		return 0, fmt.Errorf("look for what was left behind: %w", err)
	}
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return 0, fmt.Errorf("look for what was left behind: %w", err)
	}
	for _, name := range names {
		if _, err := r.pool.Exec(ctx, `drop table if exists `+schema.Ident("staging", name)); err != nil {
			return 0, fmt.Errorf("drop what was left behind: %w", err)
		}
	}
	return len(names), nil
}

// errNotStaged says that the rows are not there to be shown.
var errNotStaged = fault.New(fault.Conflict, "rows_not_read",
	"the rows are not read yet, or no longer kept").Mended("Wait until the source has been read.")

// isGone reports whether a table was dropped meanwhile, since a newer one holds.
func isGone(err error) bool { return store.SQLState(err) == "42P01" }

// looking reads what is staged of an import. When other tables hold by now, since
// a run has ended between, it reads once more.
func looking[T any](ctx context.Context, r *Room, i store.Import, look func(i store.Import) (T, error)) (T, error) {
	out, err := look(i)
	if !isGone(err) {
		return out, err
	}
	now, err := r.store.Import(ctx, i.Workspace, i.ID)
	if err != nil {
		return out, err
	}
	if out, err = look(now); isGone(err) {
		return out, errNotStaged
	}
	return out, err
}

// note writes to the log how long a statement took.
func (r *Room) note(run store.Run, step string, began time.Time, sql string) {
	line, _, _ := strings.Cut(strings.TrimSpace(sql), "\n")
	r.log.Debug("staging", "import", run.Import, "run", run.ID, "step", step, "ms", time.Since(began).Milliseconds(),
		"statement", fault.Cut(line, 110))
}
