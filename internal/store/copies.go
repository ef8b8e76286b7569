package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/schema"

	"github.com/jackc/pgx/v5"
)

// The records of a copied workspace come along in the background. A process claims the
// copying in the database and shows every few seconds that it lives; one that is silent
// loses it to the next, which begins it again: it is one transaction, so the records are
// there as a whole or not at all.

// Filling says how far the records of a workspace have come along from another.
type Filling struct {
	From    string   `json:"from"`
	Records int64    `json:"records"` // so far
	Chosen  int64    `json:"chosen"`  // that are to come; 0 until they are counted
	Trouble *Trouble `json:"trouble"` // why they have not come
}

var (
	errFilling = fault.New(fault.Conflict, "workspace_filling", "records are still coming along into the workspace, and "+
		"nothing changes in it before they are there").
		Mended("Wait until they are there: uchi workspaces, or the workspaces in the console, say how many are.")
	errNotFilled = fault.New(fault.Conflict, "workspace_not_filled", "the records could not be copied into the workspace").
			Mended("Remove it, and copy again.")
)

// Filling tells how far the records of a workspace have come along; nil for one whose
// records are there.
func (s *Store) Filling(ctx context.Context, workspace string) (*Filling, error) {
	var f JSON[*Filling]
	err := s.pool.QueryRow(ctx, `select `+fillingOf+` from copies c left join copy_progress p using (workspace)
		where c.workspace = $1`, workspace).Scan(&f)
	if IsMissing(err) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("look for what comes along: %w", err)
	}
	return f.V, nil
}

const fillingOf = `jsonb_build_object('from', c.source, 'records', coalesce(p.records, 0), 'chosen', coalesce(p.chosen, 0), 'trouble', c.trouble)`

// CopyWork is the copying of a workspace's records that a process has claimed.
type CopyWork struct {
	Workspace string `db:"workspace"`
	From      string `db:"source"`
	Share     int    `db:"share"`
}

// ClaimCopy gives a process a workspace to fill: the first that nobody fills, or whose
// process was silent for the given time.
func (s *Store) ClaimCopy(ctx context.Context, process string, silent time.Duration) (w CopyWork, ok bool, err error) {
	rows, err := s.pool.Query(ctx, `
		update copies set process = $1, claimed_at = now()
		where workspace = (
			select c.workspace from copies c left join copy_progress p on p.workspace = c.workspace and p.process = c.process
			where c.trouble is null and (c.process is null
			or greatest(c.claimed_at, p.beat_at) < now() - make_interval(secs => $2))
			order by c.workspace limit 1 for update of c skip locked
		)
		returning workspace, source, share`, process, silent.Seconds())
	if err == nil {
		w, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[CopyWork])
	}
	if IsMissing(err) {
		return w, false, nil
	}
	if err != nil {
		return w, false, fmt.Errorf("look for workspaces to fill: %w", err)
	}
	return w, true, nil
}

// BeatCopy shows that a process still fills a workspace, and how far it is; mine is false
// when the filling was given up, or is another's by now.
func (s *Store) BeatCopy(ctx context.Context, workspace, process string, records, chosen int64) (mine bool, err error) {
	tag, err := s.pool.Exec(ctx, `
		insert into copy_progress (workspace, process, records, chosen)
		select workspace, process, $3, $4 from copies where workspace = $1 and process = $2
		on conflict (workspace) do update set process = $2, beat_at = now(), records = $3, chosen = $4`, workspace,
		process, records, chosen)
	if err != nil {
		return false, fmt.Errorf("go on with filling a workspace: %w", err)
	}
	return tag.RowsAffected() == 1, nil
}

// EndCopy notes why a workspace was not filled, or without trouble leaves it to the next
// process. An empty process speaks for whichever fills it.
func (s *Store) EndCopy(ctx context.Context, workspace, process string, trouble *Trouble) error {
	_, err := s.pool.Exec(ctx, `update copies set process = null, trouble = $3 where workspace = $1
		and ($2 = '' or process = $2)`, workspace, process, JSON[*Trouble]{trouble})
	if err != nil {
		return fmt.Errorf("end the filling of a workspace: %w", err)
	}
	return nil
}

// ErrCopyTaken says that the filling of a workspace was given up, or is another process's.
var ErrCopyTaken = errors.New("the filling of the workspace is no longer this process's")

// copyStep is how many ids a statement copies records of.
const copyStep = 100_000

// CopyRecordsOf copies, for the process that has claimed it, the records of a workspace under their
// ids, as they are at one moment, with all that they refer to. It tells how many have come, and
// how many are to.
func (s *Store) CopyRecordsOf(ctx context.Context, w CopyWork, process string, told func(records, chosen int64)) error {
	c, err := s.Catalog(ctx, w.Workspace)
	if err != nil {
		return err
	}
	err = pgx.BeginTxFunc(ctx, s.pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead}, func(tx pgx.Tx) error {
		chosen, err := chooseRecords(ctx, tx, c, w)
		if err != nil {
			return err
		}
		var records int64
		told(0, chosen)
		for _, t := range c.Types {
			if err := copyType(ctx, tx, w, t, func(n int64) { records += n; told(records, chosen) }); err != nil {
				return fmt.Errorf("copy records of %s: %w", t.Name, err)
			}
		}
		tag, err := tx.Exec(ctx, `delete from copies where workspace = $1 and process = $2`, w.Workspace, process)
		if err == nil && tag.RowsAffected() == 0 {
			return ErrCopyTaken
		}
		return err
	})
	if err == nil {
		if _, err := s.pool.Exec(ctx, `delete from copy_progress where workspace = $1`, w.Workspace); err != nil {
			return fmt.Errorf("forget how far the filling was: %w", err)
		}
		return nil
	}
	if ctx.Err() != nil {
		return err
	}
	// Whatever went wrong follows from the claim being gone, where it is.
	var mine bool
	if s.pool.QueryRow(ctx, `select exists (select from copies where workspace = $1 and process = $2)`, w.Workspace,
		process).Scan(&mine) == nil && !mine {
		return ErrCopyTaken
	}
	return err
}

func chosenOf(t catalog.RecordType) string { return schema.Ident("chosen_" + t.Name) }

// chooseRecords notes which records come along: a share of each type, and what these
// refer to, until nothing is missing. It gives how many there are.
func chooseRecords(ctx context.Context, tx pgx.Tx, c catalog.Catalog, w CopyWork) (n int64, err error) {
	for _, t := range c.Types {
		_, err := tx.Exec(ctx, `create temp table `+chosenOf(t)+` on commit drop as
			select id from `+schema.Records(w.From, t.Name)+` where abs(hashint8(id) % 100) < `+schema.Int(w.Share))
		if err == nil {
			_, err = tx.Exec(ctx, `create unique index on `+chosenOf(t)+` (id)`)
		}
		if err != nil {
			return 0, fmt.Errorf("choose records of %s: %w", t.Name, err)
		}
	}
	for more := w.Share < 100; more; {
		more = false
		for _, t := range c.Types {
			for _, f := range t.Fields {
				to, ok := c.Type(f.To)
				if !ok || f.Type != catalog.Reference {
					continue
				}
				column := schema.Column(f, "r")
				tag, err := tx.Exec(ctx, `insert into `+chosenOf(to)+`
					select distinct `+column+` from `+schema.Records(w.From, t.Name)+` r join `+chosenOf(t)+` using (id) where `+
					column+` is not null
					on conflict do nothing`)
				if err != nil {
					return 0, fmt.Errorf("choose what %s refers to: %w", t.Name, err)
				}
				more = more || tag.RowsAffected() > 0
			}
		}
	}
	for _, t := range c.Types {
		var some int64
		if err := tx.QueryRow(ctx, `select count(*) from `+chosenOf(t)).Scan(&some); err != nil {
			return 0, err
		}
		n += some
	}
	return n, nil
}

// copyType copies the chosen records of a type, and tells how many with each statement.
func copyType(ctx context.Context, tx pgx.Tx, w CopyWork, t catalog.RecordType, told func(n int64)) error {
	columns, err := columnsOf(ctx, tx, w, t.Name)
	if err != nil {
		return err
	}
	list := strings.Join(columns, ", ")
	var last int64
	if err := tx.QueryRow(ctx, `select coalesce(max(id), 0) from `+chosenOf(t)).Scan(&last); err != nil {
		return err
	}
	for low := int64(0); low < last; low += copyStep {
		tag, err := tx.Exec(ctx, `insert into `+schema.Records(w.Workspace, t.Name)+` (`+list+`)
			select `+list+` from `+schema.Records(w.From, t.Name)+` r
			where id > $1 and id <= $2 and exists (select from `+chosenOf(t)+` x where x.id = r.id) order by id`, low,
			low+copyStep)
		if err != nil {
			return err
		}
		told(tag.RowsAffected())
	}
	if _, err := tx.Exec(ctx, `analyze `+schema.Records(w.Workspace, t.Name)); err != nil {
		return err
	}
	// What was made there since the workspace was, has come along with its ids.
	_, err = tx.Exec(ctx, `
		update record_types n set next_id = greatest(n.next_id, o.next_id)
		from record_types o where n.workspace = $1 and n.name = $3 and o.workspace = $2 and o.name = $3`, w.Workspace,
		w.From, t.Name)
	return err
}

// columnsOf lists the columns of a record table that both workspaces have, but for the import
// that made a record, which belongs to its workspace.
func columnsOf(ctx context.Context, tx pgx.Tx, w CopyWork, typeName string) ([]string, error) {
	rows, err := tx.Query(ctx, `
		select quote_ident(n.column_name::text) from information_schema.columns n join information_schema.columns o
		using (table_name, column_name)
		where n.table_schema = $1 and o.table_schema = $2 and table_name = $3 and column_name <> 'import'
		order by n.ordinal_position`,
		"w_"+w.Workspace, "w_"+w.From, "r_"+typeName)
	if err != nil {
		return nil, fmt.Errorf("read columns: %w", err)
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
