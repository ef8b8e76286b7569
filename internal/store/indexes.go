package store

import (
	"context"
	"fmt"
	"hash/fnv"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/view"
	"uchi/internal/schema"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Records are looked for by any field, and ordered by any. An index on each would cost every
// load; so one is made, in the background, where somebody had to wait for a page of records or for
// their number, and it goes when it is not used any more.

const (
	// slowLook is how long a look at records takes at most that asks for no index.
	slowLook = 120 * time.Millisecond
	// mostViewIndexes is how many such indexes the records of a type have at most.
	mostViewIndexes = 5
	// longestOrdered is the most characters of a text that is ordered by an index: an entry of a
	// B-tree holds about 2700 bytes (PostgreSQL manual, "B-Tree Indexes").
	longestOrdered = 255
	// fewestInTrigrams is the fewest characters of a part that an index of trigrams finds.
	fewestInTrigrams = 3
)

// wants lists the indexes, as what stands behind "on table", by which the records of the look
// would be found and ordered quickly.
func (q *recordSQL) wants() []string {
	list := q.wantedBy(q.shown.Where)
	if order := q.wantedOrder(); order != "" {
		list = append(list, order)
	}
	return list
}

func (q *recordSQL) wantedBy(n view.Node) (list []string) {
	switch n := n.(type) {
	case view.All:
		for _, x := range n {
			list = append(list, q.wantedBy(x)...)
		}
	case view.Any:
		for _, x := range n {
			list = append(list, q.wantedBy(x)...)
		}
	case view.Test:
		if d := q.wantedTest(n); d != "" {
			list = append(list, d)
		}
	}
	return list
}

func (q *recordSQL) wantedTest(t view.Test) string {
	// of few values each is frequent
	if len(t.Links) > 0 || t.Own || t.Field.Type == catalog.OneChoice || t.Field.Type == catalog.YesNo {
		return ""
	}
	column, form := schema.Value(t.Field.Name), t.Field.Kind().Form
	if t.Lower {
		column = `lower(` + column + `)`
	}
	switch t.Op {
	case view.Equal:
		switch {
		case t.Field.Normalised() && !t.Lower: // it has one by its normal form
		case form == catalog.TextForm && (t.Field.MaxLength() == 0 || t.Field.MaxLength() > longestOrdered):
			return `using hash (` + column + `)`
		case form != catalog.ListForm:
			// With the id, in whose order they come: else all records are walked in that order,
			// where the server believes the value to be frequent and nobody has it.
			return `(` + column + `, id)`
		}
	case view.Contains, view.StartsAs, view.EndsAs:
		if form == catalog.TextForm && len([]rune(t.Values[0].Text)) >= fewestInTrigrams {
			return `using gin (` + column + ` gin_trgm_ops)`
		}
	case view.In, view.Has, view.Filled:
	default: // greater, less
		if form != catalog.TextForm && form != catalog.ListForm {
			return `(` + column + `)`
		}
	}
	return ""
}

// wantedOrder is an index in the order that is asked for, where all of it is of the records
// themselves.
func (q *recordSQL) wantedOrder() string {
	if len(q.shown.Sort) == 0 {
		return ""
	}
	characters := 0 // together they are an entry of the index as well
	for n, o := range q.shown.Sort {
		if o.Own && o.Field.Name == "title" && n > 0 {
			return ""
		}
		if o.Field.Kind().Form == catalog.TextForm {
			characters += o.Field.MaxLength()
		}
		fits := len(o.Links) == 0 && (o.Own || o.Field.Type != catalog.Reference && o.Field.Type != catalog.OneChoice &&
			o.Field.Kind().Form != catalog.ListForm)
		if long := o.Field.MaxLength(); !fits || !o.Own && o.Field.Kind().Form == catalog.TextForm &&
			(long == 0 || long > longestOrdered) {
			return ""
		}
	}
	if characters > 2*longestOrdered {
		return ""
	}
	if first := q.shown.Sort[0]; first.Own && (first.Field.Name == "title" || first.Field.Name == "id") {
		return "" // there is one
	}
	parts := inOrder(q.order())
	return `(` + strings.ReplaceAll(parts, `r.`, ``) + `)`
}

// noteSlow notes the indexes by which a look that has taken so long would be quick.
func (s *Store) noteSlow(ctx context.Context, q *recordSQL, took time.Duration) {
	if took < slowLook || ctx.Err() != nil {
		return
	}
	for _, d := range q.wants() {
		_, err := s.pool.Exec(ctx, `insert into view_indexes (workspace, type, definition) values ($1, $2, $3)
			on conflict do nothing`, q.ws, q.t.Name, d)
		if err != nil {
			s.log.Warn("what is looked for slowly is not noted", "workspace", q.ws, "type", q.t.Name, "error", err)
			return
		}
	}
}

// viewIndex is an index that was asked for.
type viewIndex struct {
	Workspace  string `db:"workspace"`
	Type       string `db:"type"`
	Definition string `db:"definition"`
}

// name is that of the index in the server, within the schema of its workspace.
func (x viewIndex) name() string {
	h := fnv.New64a()
	h.Write([]byte(x.Definition)) //nolint:errcheck // never fails
	return fmt.Sprintf("v_%.30s_%x", x.Type, h.Sum64())
}

func (x viewIndex) ident() string { return schema.Ident("w_"+x.Workspace, x.name()) }

// MakeViewIndex makes the next index that was asked for, beside everything else; there is none
// when made is false, or another process makes one. Of a type that has as many as it may, the one
// that was not used for the longest time goes.
func (s *Store) MakeViewIndex(ctx context.Context) (made bool, err error) {
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return false, fmt.Errorf("make an index: %w", err)
	}
	defer conn.Release()
	mine, free, err := indexing(ctx, conn)
	if err != nil || !mine {
		return false, err
	}
	defer free()
	var x viewIndex
	err = s.db.GetContext(ctx, &x, `select workspace, type, definition from view_indexes where made_at is null
		and trouble is null order by asked_at limit 1`)
	if IsMissing(err) {
		return false, nil
	}
	if err != nil {
		return false, fmt.Errorf("look for indexes to make: %w", err)
	}
	var others []viewIndex
	err = s.db.SelectContext(ctx, &others, `select workspace, type, definition from view_indexes where workspace = $1
		and type = $2 and made_at is not null order by used_at desc offset $3`,
		x.Workspace, x.Type, mostViewIndexes-1)
	if err != nil {
		return false, fmt.Errorf("look for indexes to make: %w", err)
	}
	for _, o := range others {
		if err := s.dropViewIndex(ctx, o); err != nil {
			return false, err
		}
	}
	statements := []string{
		`drop index if exists ` + x.ident(), // of a process that died while it made it
		`create index concurrently ` + schema.Ident(x.name()) + ` on ` + schema.Records(x.Workspace, x.Type) + ` ` +
			x.Definition,
		`analyze ` + schema.Records(x.Workspace, x.Type),
	}
	if strings.Contains(x.Definition, "gin_trgm_ops") {
		statements = append([]string{`create extension if not exists pg_trgm`}, statements...)
	}
	for _, sql := range statements {
		if _, err := conn.Exec(ctx, sql); err != nil {
			if ctx.Err() != nil || Passing(err) {
				return false, fmt.Errorf("make an index: %w", err)
			}
			s.log.Warn("an index cannot be made", "workspace", x.Workspace, "type", x.Type, "index", x.Definition, "error", err)
			_, err = s.pool.Exec(ctx, `update view_indexes set trouble = $4 where workspace = $1 and type = $2
				and definition = $3`, x.Workspace, x.Type, x.Definition, err.Error())
			return true, err
		}
	}
	s.log.Info("an index was made, since records were looked for by it", "workspace", x.Workspace, "type", x.Type,
		"index", x.Definition)
	_, err = s.pool.Exec(ctx, `update view_indexes set made_at = now(), used_at = now() where workspace = $1
		and type = $2 and definition = $3`, x.Workspace, x.Type, x.Definition)
	if err != nil {
		return true, fmt.Errorf("note an index: %w", err)
	}
	return true, nil
}

// indexing takes the right to make indexes on records, which one process has at a time.
func indexing(ctx context.Context, conn *pgxpool.Conn) (mine bool, free func(), err error) {
	const lock = 0x696e6478
	if err := conn.QueryRow(ctx, `select pg_try_advisory_lock($1)`, lock).Scan(&mine); err != nil {
		return false, nil, fmt.Errorf("look whether indexes are made: %w", err)
	}
	return mine, func() {
		//nolint:errcheck // it goes with the connection
		conn.Exec(context.WithoutCancel(ctx), `select pg_advisory_unlock($1)`, lock)
	}, nil
}

// longestIndexing is how long a change of tables waits for an index that is being made.
const longestIndexing = 20 * time.Second

// whileNoneIsMade does something that changes the tables of records. An index that is made beside it would wait for
// its transaction, and that for the index.
func (s *Store) whileNoneIsMade(ctx context.Context, f func() error) error {
	return s.pool.AcquireFunc(ctx, func(conn *pgxpool.Conn) error {
		for until := time.Now().Add(longestIndexing); time.Now().Before(until); {
			mine, free, err := indexing(ctx, conn)
			if err != nil {
				return err
			}
			if mine {
				defer free()
				break
			}
			select {
			case <-ctx.Done():
				return context.Cause(ctx)
			case <-time.After(20 * time.Millisecond):
			}
		}
		return f()
	})
}

func (s *Store) dropViewIndex(ctx context.Context, x viewIndex) error {
	_, err := s.pool.Exec(ctx, `drop index concurrently if exists `+x.ident())
	if err == nil {
		_, err = s.pool.Exec(ctx, `delete from view_indexes where workspace = $1 and type = $2 and definition = $3`,
			x.Workspace, x.Type, x.Definition)
	}
	if err != nil {
		return fmt.Errorf("drop an index: %w", err)
	}
	return nil
}

// dropOutgrown drops the indexes of a type of which a text may become longer than an entry holds; they are asked
// for again, if they still can be made.
func dropOutgrown(ctx context.Context, tx pgx.Tx, workspace string, was, now catalog.RecordType) error {
	grown := slices.ContainsFunc(now.Fields, func(f catalog.Field) bool {
		old, ok := was.Field(f.Name)
		return ok && f.Kind().Form == catalog.TextForm && f.MaxLength() > max(old.MaxLength(), longestOrdered)
	})
	if !grown {
		return nil
	}
	rows, err := tx.Query(ctx, `delete from view_indexes where workspace = $1 and type = $2
		returning workspace, type, definition`, workspace, now.Name)
	if err != nil {
		return err
	}
	gone, err := pgx.CollectRows(rows, pgx.RowToStructByName[viewIndex])
	for _, x := range gone {
		if err == nil {
			_, err = tx.Exec(ctx, `drop index if exists `+x.ident())
		}
	}
	return err
}

// DropViewIndexes drops the indexes that nobody has used for so long, and forgets those that
// could not be made; it tells how many.
func (s *Store) DropViewIndexes(ctx context.Context, unused time.Duration) (n int, err error) {
	var made []viewIndex
	if err := s.db.SelectContext(ctx, &made, `select workspace, type, definition from view_indexes
		where made_at is not null`); err != nil {
		return 0, fmt.Errorf("list indexes: %w", err)
	}
	for _, x := range made {
		var idle bool
		err := s.pool.QueryRow(ctx, `
			with now as (select coalesce(pg_stat_get_numscans(to_regclass($4)), 0) as scans)
			update view_indexes i set used_at = case when now.scans <> i.scans then now() else i.used_at end, scans = now.scans
			from now where i.workspace = $1 and i.type = $2 and i.definition = $3
			returning i.used_at < now() - make_interval(secs => $5)`, x.Workspace, x.Type, x.Definition, x.ident(),
			unused.Seconds()).Scan(&idle)
		if err != nil && !IsMissing(err) {
			return n, fmt.Errorf("look at the use of an index: %w", err)
		}
		if idle {
			if err := s.dropViewIndex(ctx, x); err != nil {
				return n, err
			}
			n++
		}
	}
	if _, err := s.pool.Exec(ctx, `delete from view_indexes where trouble is not null
		and asked_at < now() - make_interval(secs => $1)`, unused.Seconds()); err != nil {
		return n, fmt.Errorf("forget indexes: %w", err)
	}
	return n, nil
}
