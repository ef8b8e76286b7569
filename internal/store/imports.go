package store

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"

	"github.com/jackc/pgx/v5"
)

// JSON is a value kept in a jsonb column.
type JSON[T any] struct{ V T }

// Scan implements sql.Scanner; null leaves the zero value.
func (j *JSON[T]) Scan(src any) error {
	switch b := src.(type) {
	case nil:
		return nil
	case []byte:
		return json.Unmarshal(b, &j.V)
	case string:
		return json.Unmarshal([]byte(b), &j.V)
	}
	return fmt.Errorf("scan json: unexpected %T", src)
}

// Value implements driver.Valuer.
func (j JSON[T]) Value() (driver.Value, error) { return json.Marshal(j.V) }

// State is where an import stands.
type State string

// The states of an import.
const (
	StateOpen      State = "open"
	StateChecking  State = "checking"
	StateReady     State = "ready"
	StateLoading   State = "loading"
	StatePaused    State = "paused"
	StateLoaded    State = "loaded"
	StateStopped   State = "stopped"
	StateDiscarded State = "discarded"
)

// Work that a service process is doing on an import.
const (
	BusyRead  = "read"
	BusyCheck = "check"
	BusyLoad  = "load"
)

// Trouble is what ended the last piece of work on an import.
type Trouble struct {
	Code    string      `json:"code"`
	Message string      `json:"message"`
	Place   fault.Place `json:"place"`
	Value   string      `json:"value,omitempty"`
	Mend    string      `json:"mend,omitempty"`
}

// Import is one piece of work from source to result.
type Import struct {
	ID         int64                           `db:"id"`
	Workspace  string                          `db:"workspace"`
	Name       string                          `db:"name"`
	Source     int64                           `db:"source"`
	FileName   string                          `db:"file_name"`
	FileBytes  int64                           `db:"file_bytes"`
	FileSHA256 string                          `db:"file_sha256"`
	State      State                           `db:"state"`
	Busy       string                          `db:"busy"`
	Into       string                          `db:"into_type"`
	Reading    JSON[sheet.Reading]             `db:"reading"`
	Findings   JSON[[]sheet.Finding]           `db:"findings"`
	Columns    JSON[[]sheet.Column]            `db:"columns"`
	Notices    JSON[[]sheet.Notice]            `db:"notices"`
	Rows       int64                           `db:"rows"`
	Routine    JSON[*mapping.Routine]          `db:"routine"`
	Totals     JSON[*verdict.Totals]           `db:"totals"`
	Outcomes   JSON[map[verdict.Outcome]int64] `db:"outcomes"`
	Trouble    JSON[*Trouble]                  `db:"trouble"`
	DoneRows   int64                           `db:"done_rows"`
	NextRow    int64                           `db:"next_row"`
	Writes     int64                           `db:"writes"`
	CheckBegan *time.Time                      `db:"check_began_at"`
	CheckedAt  *time.Time                      `db:"checked_at"`
	AnsweredAt *time.Time                      `db:"answered_at"`
	BeganAt    *time.Time                      `db:"began_at"`
	EndedAt    *time.Time                      `db:"ended_at"`
	MadeBy     int64                           `db:"made_by"`
	MadeByName string                          `db:"made_by_name"`
	MadeAt     time.Time                       `db:"made_at"`
	ChangedAt  time.Time                       `db:"changed_at"`
}

const importColumns = `i.id, i.workspace, i.name, i.source, s.name as file_name, s.bytes as file_bytes, s.sha256 as file_sha256, i.state, i.busy, i.into_type,
	i.reading, i.findings, i.columns, i.notices, i.rows, i.routine, i.totals, i.outcomes, i.trouble, i.done_rows, i.next_row, i.writes,
	i.check_began_at, i.checked_at, i.answered_at, i.began_at, i.ended_at, i.made_by, p.name as made_by_name, i.made_at, i.changed_at`

const importFrom = ` from imports i join sources s on s.id = i.source join people p on p.id = i.made_by `

// Enqueue puts a job for an import into the queue, within the transaction that
// changes the import's state.
type Enqueue func(ctx context.Context, tx pgx.Tx, importID int64) error

// NewImport is what an import is made from.
type NewImport struct {
	Workspace string
	Name      string
	Source    int64
	Into      string
	Reading   sheet.Reading
	Routine   *mapping.Routine
	By        int64
}

// AddImport makes an import that is to be read.
func (s *Store) AddImport(ctx context.Context, n NewImport, enqueue Enqueue) (int64, error) {
	var id int64
	err := s.inPgxTx(ctx, func(tx pgx.Tx) error {
		var routine any
		if n.Routine != nil {
			routine = JSON[*mapping.Routine]{n.Routine}
		}
		err := tx.QueryRow(ctx, `insert into imports (workspace, name, source, state, busy, into_type, reading, routine, made_by)
			values ($1, $2, $3, 'open', 'read', $4, $5, $6, $7) returning id`,
			n.Workspace, n.Name, n.Source, n.Into, JSON[sheet.Reading]{n.Reading}, routine, n.By).Scan(&id)
		if err != nil {
			return err
		}
		return enqueue(ctx, tx, id)
	})
	if err != nil {
		return 0, fmt.Errorf("make import: %w", err)
	}
	return id, nil
}

// Import reads one import.
func (s *Store) Import(ctx context.Context, workspace string, id int64) (Import, error) {
	var i Import
	err := s.db.GetContext(ctx, &i, `select `+importColumns+importFrom+`where i.id = $1 and i.workspace = $2`, id, workspace)
	if isMissing(err) {
		return i, fault.New(fault.NotFound, "unknown_import", "there is no such import in this workspace").With(fmt.Sprint(id)).Mended("See the list of imports.")
	}
	if err != nil {
		return i, fmt.Errorf("read import: %w", err)
	}
	return i, nil
}

// ImportAnywhere reads an import for a job, whatever its workspace.
func (s *Store) ImportAnywhere(ctx context.Context, id int64) (Import, error) {
	var workspace string
	if err := s.db.GetContext(ctx, &workspace, `select workspace from imports where id = $1`, id); err != nil {
		return Import{}, fmt.Errorf("read import %d: %w", id, err)
	}
	return s.Import(ctx, workspace, id)
}

// Imports lists the imports of a workspace, newest first, before the given id (0: from the newest).
func (s *Store) Imports(ctx context.Context, workspace string, before int64, states []string, limit int) ([]Import, error) {
	var list []Import
	err := s.db.SelectContext(ctx, &list, `select `+importColumns+importFrom+`where i.workspace = $1 and ($2 = 0 or i.id < $2)
		and (cardinality($3::text[]) = 0 and i.state <> 'discarded' or i.state = any($3)) order by i.id desc limit $4`, workspace, before, states, limit)
	if err != nil {
		return nil, fmt.Errorf("list imports: %w", err)
	}
	return list, nil
}

// Begin moves an import from one of the given states to another and enqueues
// the work for it, unless somebody is at work on it already.
func (s *Store) Begin(ctx context.Context, workspace string, id int64, from []State, to State, busy string, enqueue Enqueue) error {
	return s.inPgxTx(ctx, func(tx pgx.Tx) error {
		var state State
		var now string
		err := tx.QueryRow(ctx, `select state, busy from imports where id = $1 and workspace = $2 for update`, id, workspace).Scan(&state, &now)
		if isMissing(err) {
			return fault.New(fault.NotFound, "unknown_import", "there is no such import in this workspace").With(fmt.Sprint(id))
		}
		if err != nil {
			return fmt.Errorf("begin work on import: %w", err)
		}
		if now != "" {
			return fault.New(fault.Conflict, "import_busy", "the import is being worked on ("+now+")").Mended("Wait until this has ended, or stop it.")
		}
		if !slices.Contains(from, state) {
			return fault.Newf(fault.Conflict, "wrong_state", "this cannot be done while the import is %s", state).Mended(fmt.Sprintf("It can be done while it is one of %v.", from))
		}
		_, err = tx.Exec(ctx, `update imports set state = $2, busy = $3, trouble = null, done_rows = case when $3 = 'load' then done_rows else 0 end, check_began_at = case when $3 = 'check' then now() else check_began_at end,
			began_at = case when $3 = 'load' and state <> 'paused' then now() else began_at end, changed_at = now() where id = $1`, id, to, busy)
		if err != nil {
			return fmt.Errorf("begin work on import: %w", err)
		}
		if enqueue == nil {
			return nil
		}
		return enqueue(ctx, tx, id)
	})
}

// Interrupt takes a loading import to paused or stopped; the job sees it
// between two chunks.
func (s *Store) Interrupt(ctx context.Context, workspace string, id int64, to State) error {
	res, err := s.db.ExecContext(ctx, `update imports set state = $3, changed_at = now(), ended_at = case when $3 = 'stopped' then now() else ended_at end
		where id = $1 and workspace = $2 and (state = 'loading' or state = 'paused' and $3 = 'stopped')`, id, workspace, to)
	if err != nil {
		return fmt.Errorf("interrupt import: %w", err)
	}
	if n, _ := res.RowsAffected(); n == 0 {
		i, err := s.Import(ctx, workspace, id)
		if err != nil {
			return err
		}
		return fault.Newf(fault.Conflict, "wrong_state", "only a load in progress can be interrupted; the import is %s", i.State)
	}
	return nil
}

// SetRoutine stores a changed routine and reading options; what was checked is
// no longer valid.
func (s *Store) SetRoutine(ctx context.Context, workspace string, id int64, r mapping.Routine) error {
	res, err := s.db.ExecContext(ctx, `update imports set routine = $3, into_type = $4, state = case when state = 'ready' then 'open' else state end,
		totals = null, changed_at = now() where id = $1 and workspace = $2 and busy = '' and state in ('open', 'ready', 'loaded', 'stopped')`,
		id, workspace, JSON[mapping.Routine]{r}, r.Drafts[0].Type)
	if err != nil {
		return fmt.Errorf("store routine: %w", err)
	}
	return s.oneRow(ctx, workspace, id, res)
}

type rowsAffected interface{ RowsAffected() (int64, error) }

func (s *Store) oneRow(ctx context.Context, workspace string, id int64, res rowsAffected) error {
	if n, _ := res.RowsAffected(); n > 0 {
		return nil
	}
	i, err := s.Import(ctx, workspace, id)
	if err != nil {
		return err
	}
	if i.Busy != "" {
		return fault.New(fault.Conflict, "import_busy", "the import is being worked on ("+i.Busy+")").Mended("Wait until this has ended.")
	}
	return fault.Newf(fault.Conflict, "wrong_state", "this cannot be done while the import is %s", i.State)
}

// SetReading stores reading options by hand and has the source read again.
func (s *Store) SetReading(ctx context.Context, workspace string, id int64, r sheet.Reading, enqueue Enqueue) error {
	return s.inPgxTx(ctx, func(tx pgx.Tx) error {
		res, err := tx.Exec(ctx, `update imports set reading = $3, state = 'open', busy = 'read', done_rows = 0, totals = null, trouble = null, changed_at = now()
			where id = $1 and workspace = $2 and busy = '' and state in ('open', 'ready')`, id, workspace, JSON[sheet.Reading]{r})
		if err != nil {
			return fmt.Errorf("store reading options: %w", err)
		}
		if res.RowsAffected() == 0 {
			i, err := s.Import(ctx, workspace, id)
			if err != nil {
				return err
			}
			return fault.Newf(fault.Conflict, "wrong_state", "the source can be read again only before the load; the import is %s %s", i.State, i.Busy)
		}
		return enqueue(ctx, tx, id)
	})
}

// Discard gives an import up: its staging goes, its place in the list stays.
func (s *Store) Discard(ctx context.Context, workspace string, id int64) error {
	res, err := s.db.ExecContext(ctx, `update imports set state = 'discarded', changed_at = now() where id = $1 and workspace = $2 and busy = '' and state in ('open', 'ready')`, id, workspace)
	if err != nil {
		return fmt.Errorf("discard import: %w", err)
	}
	if err := s.oneRow(ctx, workspace, id, res); err != nil {
		return err
	}
	return s.dropStaging(ctx, id)
}

// ReadResult is what reading a source has found.
type ReadResult struct {
	Findings []sheet.Finding
	Columns  []sheet.Column
	Notices  []sheet.Notice
	Rows     int64
	Anchors  []int64
	Reading  sheet.Reading
	Into     string
	Routine  *mapping.Routine
}

// EndRead stores what was read and frees the import.
func (s *Store) EndRead(ctx context.Context, id int64, r ReadResult) error {
	_, err := s.pool.Exec(ctx, `update imports set busy = '', reading = $2, findings = $3, columns = $4, notices = $5, rows = $6, anchors = $7,
		into_type = $8, routine = $9, done_rows = $6, changed_at = now() where id = $1`,
		id, JSON[sheet.Reading]{r.Reading}, JSON[[]sheet.Finding]{r.Findings}, JSON[[]sheet.Column]{r.Columns}, JSON[[]sheet.Notice]{r.Notices}, r.Rows, r.Anchors,
		r.Into, JSON[*mapping.Routine]{r.Routine})
	if err != nil {
		return fmt.Errorf("store what was read: %w", err)
	}
	return nil
}

// EndCheck stores the totals and makes the import ready.
func (s *Store) EndCheck(ctx context.Context, id int64, totals verdict.Totals, writes int64) error {
	_, err := s.db.ExecContext(ctx, `update imports set state = 'ready', busy = '', totals = $2, writes = $3, next_row = 0, done_rows = 0, checked_at = now(), changed_at = now()
		where id = $1`, id, JSON[verdict.Totals]{totals}, writes)
	if err != nil {
		return fmt.Errorf("end check: %w", err)
	}
	return nil
}

// RestartLoad notes a check that had to be made again in the middle of a load;
// the load goes on with what is left.
func (s *Store) RestartLoad(ctx context.Context, id int64, totals verdict.Totals, writes int64) error {
	_, err := s.db.ExecContext(ctx, `update imports set totals = $2, writes = $3, next_row = 0, changed_at = now() where id = $1`, id, JSON[verdict.Totals]{totals}, writes)
	if err != nil {
		return fmt.Errorf("go on with the load: %w", err)
	}
	return nil
}

// Fail ends a piece of work with what went wrong and takes the import to state.
func (s *Store) Fail(ctx context.Context, id int64, to State, t Trouble) error {
	_, err := s.db.ExecContext(ctx, `update imports set state = $2, busy = '', trouble = $3, changed_at = now() where id = $1`, id, to, JSON[Trouble]{t})
	if err != nil {
		return fmt.Errorf("note trouble: %w", err)
	}
	return nil
}

// Progress notes how many rows of the present work are done.
func (s *Store) Progress(ctx context.Context, id, done int64) error {
	_, err := s.db.ExecContext(ctx, `update imports set done_rows = $2, changed_at = now() where id = $1`, id, done)
	return err
}
