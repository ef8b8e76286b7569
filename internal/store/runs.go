package store

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"time"

	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"

	"github.com/jackc/pgx/v5"
)

// Run is one piece of work on an import. Its ID is a token: whoever holds one
// that has ended, or was taken over, writes nothing more.
type Run struct {
	ID      int64     `db:"id"`
	Import  int64     `db:"import"`
	Work    life.Work `db:"work"`
	Person  int64     `db:"person"`
	Process string    `db:"process"`
	// Piece is the piece of work that the run does: the ID of its first run. Who
	// takes a run over goes on with its piece, under which history and outcomes
	// name it.
	Piece  int64                    `db:"piece"`
	Undoes []int64                  `db:"undoes"`    // of an undo: the pieces that it takes back
	Only   *string                  `db:"only_rows"` // the rows that it is about, as an int8multirange; nil is all
	Policy JSON[mapping.LoadPolicy] `db:"policy"`
}

const runColumns = `id, import, work, person, process, piece, undoes, only_rows::text as only_rows, policy`

// PastRun is a run as the list of an import's runs shows it.
type PastRun struct {
	ID       int64                           `db:"id"`
	Work     life.Work                       `db:"work"`
	Person   string                          `db:"person"`
	PersonID int64                           `db:"person_id"`
	BeganAt  time.Time                       `db:"began_at"`
	EndedAt  *time.Time                      `db:"ended_at"`
	Ended    string                          `db:"ended"`
	Done     int64                           `db:"done_rows"`
	Of       int64                           `db:"of_rows"`
	Outcomes JSON[map[verdict.Outcome]int64] `db:"outcomes"`
	// rows that were held for one of their records, while others were written
	Partly   int64          `db:"partly"`
	Removed  int64          `db:"removed"` // children that were gone from the source
	Trouble  JSON[*Trouble] `db:"trouble"`
	Part     bool           `db:"part"`      // it was about some rows alone
	Undoes   JSON[[]int64]  `db:"undoes"`    // of an undo: the pieces that it took back
	UndoneBy JSON[[]int64]  `db:"undone_by"` // the undos that took it back
}

// ErrTaken says that a run has ended or was taken over by another process.
var ErrTaken = errors.New("the run has ended or was taken over")

// ErrCancelled is the cause of a context that ends because a person cancelled
// the run.
var ErrCancelled = errors.New("the run was cancelled")

// Enqueue puts the job of a run into the queue, within the transaction that
// begins the run.
type Enqueue func(ctx context.Context, tx pgx.Tx, r Run) error

// Act is something that a person does with an import.
type Act struct {
	Event  life.Event
	By     Person
	Detail string // for the log, behind the word of the event
	// Enqueue is used when the act begins a run.
	Enqueue Enqueue
	// Run says what the run that the act begins is to do: its Undoes, Only and
	// Policy, and whose it is where nobody acts.
	Run Run
	// Change changes what the act is about, within its transaction. The import
	// is as it was before the act. Nil changes nothing more.
	Change func(ctx context.Context, tx pgx.Tx, i Import) error
}

// Act does something with an import: the change of its state, what the act is
// about, the job that it begins and its entry in the log are one transaction. An
// act that is not possible now is refused with the reason.
func (s *Store) Act(ctx context.Context, workspace string, id int64, a Act) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		i, err := importForUpdate(ctx, tx, workspace, id)
		if err != nil {
			return err
		}
		now := i.Now()
		step, after, err := life.Next(now, a.Event)
		if err != nil {
			return err
		}
		if step.Begins != "" {
			r := a.Run
			if a.Event == life.Resume {
				if r, err = pausedRun(ctx, tx, id); err != nil {
					return err
				}
			}
			r.Import, r.Work, r.Person = id, step.Begins, cmp.Or(a.By.ID, r.Person)
			if err := beginRun(ctx, tx, &r, i.Rows); err != nil {
				return err
			}
			if err := a.Enqueue(ctx, tx, r); err != nil {
				return err
			}
		}
		if a.Event == life.Cancel {
			if _, err := tx.Exec(ctx, `update runs set cancelled_by = $2 where import = $1 and ended_at is null`, id,
				a.By.ID); err != nil {
				return fmt.Errorf("cancel: %w", err)
			}
		}
		if a.Change != nil {
			if err := a.Change(ctx, tx, i); err != nil {
				return err
			}
		}
		if err := moveImport(ctx, tx, id, step, now, after); err != nil {
			return err
		}
		action := string(a.Event)
		if a.Detail != "" {
			action += " " + a.Detail
		}
		return logIn(ctx, tx, Entry{Person: a.By.ID, Workspace: workspace, Action: action, Subject: importSubject(id)})
	})
}

func importSubject(id int64) string { return fmt.Sprintf("import %d", id) }

// moveImport is the one change of an import's state: from where it was to where
// the step leads. The row is locked, so the comparison only guards against
// mistakes of ours.
func moveImport(ctx context.Context, tx pgx.Tx, id int64, step life.Step, from, to life.Now) error {
	tag, err := tx.Exec(ctx, `
		update imports set
			state = @to,
			rest = @rest,
			totals = case when @voids then null else totals end,
			check_run = case when @voids then null else check_run end,
			trouble = case when @act then null else trouble end,
			began_at = case when @begins in ('load', 'undo') and state <> 'paused' then now() else began_at end,
			ended_at = case when @ended then now() else ended_at end,
			check_began_at = case when @begins = 'check' then now() else check_began_at end,
			answered_at = case when @event in ('answer', 'edit') then clock_timestamp() else answered_at end,
			run = case when @ends then null else run end,
			changed_at = now()
		where id = @id and state = @from`,
		pgx.StrictNamedArgs{
			"id": id, "from": from.State, "to": to.State, "rest": to.Rest, "event": step.Event, "begins": string(step.Begins),
			"ends": step.Ends,
			"voids": step.Event == life.ChangeRoutine || step.Event == life.ChangeReading || step.Event == life.Undo ||
				step.Event == life.Reopen,
			"act": step.Begins != "" && step.Event != life.Lost || step.Event == life.ChangeRoutine,
			"ended": step.Event == life.PartLoaded || to.State != from.State &&
				(to.State == life.Loaded || to.State == life.Stopped || to.State == life.Undone),
		})
	if err != nil {
		return fmt.Errorf("change the state of import %d: %w", id, err)
	}
	if tag.RowsAffected() != 1 {
		return fmt.Errorf("change the state of import %d: it is no longer %s", id, from.State)
	}
	return nil
}

func beginRun(ctx context.Context, tx pgx.Tx, r *Run, of int64) error {
	if r.Undoes == nil {
		r.Undoes = []int64{}
	}
	if err := mustBeOpenFor(ctx, tx, r.Import); err != nil {
		return err
	}
	err := tx.QueryRow(ctx, `
		with next as (select nextval(pg_get_serial_sequence('runs', 'id')) as id)
		insert into runs (id, piece, import, work, person, process, of_rows, undoes, only_rows, policy) overriding system value
		select id, coalesce(nullif($1::bigint, 0), id), $2, $3, $4, $5, $6, $7, $8::text::int8multirange, $9 from next
		returning id, piece`,
		r.Piece, r.Import, r.Work, r.Person, r.Process, of, r.Undoes, r.Only, r.Policy).Scan(&r.ID, &r.Piece)
	if err != nil {
		return fmt.Errorf("begin a run: %w", err)
	}
	if r.Work == life.Trying {
		return nil
	}
	if _, err := tx.Exec(ctx, `update imports set run = $2 where id = $1`, r.Import, r.ID); err != nil {
		return fmt.Errorf("begin a run: %w", err)
	}
	return nil
}

// pausedRun gives what the load of an import that was paused was to do; what made
// it pause by itself was seen, and no longer does.
func pausedRun(ctx context.Context, tx pgx.Tx, id int64) (Run, error) {
	rows, err := tx.Query(ctx, `select `+runColumns+` from runs where import = $1 and work = 'load' order by id desc
		limit 1`, id)
	if err != nil {
		return Run{}, fmt.Errorf("look for the load of import %d: %w", id, err)
	}
	r, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Run])
	if err != nil {
		return Run{}, fmt.Errorf("look for the load of import %d: %w", id, err)
	}
	r.ID, r.Process, r.Policy.V.PauseHeld = 0, "", 0
	return r, nil
}

// BeginTry begins a run that stands beside the import's own and changes nothing
// of it. EndTry must be called.
func (s *Store) BeginTry(ctx context.Context, i Import, process string, by Person) (Run, error) {
	r := Run{Import: i.ID, Work: life.Trying, Person: by.ID, Process: process}
	return r, s.inTx(ctx, func(tx pgx.Tx) error { return beginRun(ctx, tx, &r, i.Rows) })
}

// EndTry ends a try.
func (s *Store) EndTry(ctx context.Context, r Run, cause error) error {
	ended := "tried"
	if errors.Is(cause, ErrCancelled) {
		ended = string(life.Cancelled)
	} else if cause != nil {
		ended = string(life.Failed)
	}
	_, err := s.pool.Exec(ctx, `update runs set ended_at = now(), ended = $2 where id = $1 and ended_at is null`,
		r.ID, ended)
	return err
}

// StartRun takes up a run that waits, for a process. It gives ErrTaken when the
// run has ended, or another process does it.
func (s *Store) StartRun(ctx context.Context, id int64, process string) (Run, error) {
	var r Run
	rows, err := s.pool.Query(ctx, `update runs set process = $2 where id = $1 and ended_at is null
		and process in ('', $2) returning `+runColumns, id, process)
	if err != nil {
		return r, fmt.Errorf("take up run %d: %w", id, err)
	}
	r, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Run])
	if IsMissing(err) {
		return r, ErrTaken
	}
	if err != nil {
		return r, fmt.Errorf("take up run %d: %w", id, err)
	}
	return r, nil
}

// Quiet reports whether no run is under way, of no import.
func (s *Store) Quiet(ctx context.Context) (quiet bool, err error) {
	if err := s.pool.QueryRow(ctx,
		`select not exists (select from runs where ended_at is null)`).Scan(&quiet); err != nil {
		return false, fmt.Errorf("look whether anything runs: %w", err)
	}
	return quiet, nil
}

// RunGoesOn gives nil while a run is to go on: ErrTaken when it has ended, and
// ErrCancelled when a person has cancelled it.
func (s *Store) RunGoesOn(ctx context.Context, r Run) error {
	var ended, cancelled bool
	err := s.pool.QueryRow(ctx, `select ended_at is not null, cancelled_by is not null from runs where id = $1`,
		r.ID).Scan(&ended, &cancelled)
	switch {
	case IsMissing(err) || err == nil && ended:
		return ErrTaken
	case err != nil:
		return fmt.Errorf("look at run %d: %w", r.ID, err)
	case cancelled:
		return ErrCancelled
	}
	return nil
}

// Guarded runs f in a transaction that only a run which goes on may make. The
// run's row is held until the end, so that nobody takes the run over between.
func (s *Store) Guarded(ctx context.Context, r Run, f func(tx pgx.Tx) error) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if err := Guard(ctx, tx, r); err != nil {
			return err
		}
		return f(tx)
	})
}

// Guard holds a run's row until the end of a transaction; see Guarded.
func Guard(ctx context.Context, tx pgx.Tx, r Run) error {
	var there bool
	err := tx.QueryRow(ctx, `select true from runs where id = $1 and ended_at is null for key share`, r.ID).Scan(&there)
	if IsMissing(err) {
		return ErrTaken
	}
	if err != nil {
		return fmt.Errorf("look at run %d: %w", r.ID, err)
	}
	return nil
}

// NoteMade notes ids that a piece of work gives to new records of a type: those
// after base, so many.
func NoteMade(ctx context.Context, tx pgx.Tx, piece int64, typeName string, base, count int64) error {
	_, err := tx.Exec(ctx, `
		insert into run_records as x (piece, type, ids) values ($1, $2, int8multirange(int8range($3, $4)))
		on conflict (piece, type) do update set ids = x.ids + excluded.ids`, piece, typeName, base+1, base+count+1)
	if err != nil {
		return fmt.Errorf("note the new records of run %d: %w", piece, err)
	}
	return nil
}

// Progress notes how many rows of a run are done.
func (s *Store) Progress(ctx context.Context, r Run, done int64) error {
	_, err := s.pool.Exec(ctx, `update runs set done_rows = $2 where id = $1 and ended_at is null`, r.ID, done)
	return err
}

// EndRun ends a run of an import by an event, with what went wrong, if anything.
// Change changes what the run was about, in the same transaction; nil changes
// nothing more. A run that was taken over ends nothing: ErrTaken.
func (s *Store) EndRun(ctx context.Context, r Run, event life.Event, trouble *Trouble,
	change func(ctx context.Context, tx pgx.Tx, i Import) error) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		i, err := importForUpdate(ctx, tx, "", r.Import)
		if err != nil {
			return err
		}
		return EndRunIn(ctx, tx, i, r, event, trouble, change)
	})
}

// EndRunIn is EndRun within a transaction that has locked the import by
// LockImport.
func EndRunIn(ctx context.Context, tx pgx.Tx, i Import, r Run, event life.Event, trouble *Trouble,
	change func(ctx context.Context, tx pgx.Tx, i Import) error) error {
	if i.Run == nil || *i.Run != r.ID {
		return ErrTaken
	}
	now := i.Now()
	step, after, err := life.Next(now, event)
	if err != nil {
		return fmt.Errorf("end run %d by %s: %w", r.ID, event, err)
	}
	if change != nil {
		if err := change(ctx, tx, i); err != nil {
			return err
		}
	}
	_, err = tx.Exec(ctx, `update runs set ended_at = now(), ended = $2, trouble = $3 where id = $1`, r.ID,
		string(event), JSON[*Trouble]{trouble})
	if err != nil {
		return fmt.Errorf("end run %d: %w", r.ID, err)
	}
	if trouble != nil {
		if _, err := tx.Exec(ctx, `update imports set trouble = $2 where id = $1`, i.ID,
			JSON[*Trouble]{trouble}); err != nil {
			return fmt.Errorf("end run %d: %w", r.ID, err)
		}
	}
	return moveImport(ctx, tx, i.ID, step, now, after)
}

// LockImport reads an import and keeps others from changing it until the end of
// the transaction. It gives ErrTaken when the run is not the import's own.
func LockImport(ctx context.Context, tx pgx.Tx, r Run) (Import, error) {
	i, err := importForUpdate(ctx, tx, "", r.Import)
	if err != nil {
		return i, err
	}
	if i.Run == nil || *i.Run != r.ID {
		return i, ErrTaken
	}
	return i, nil
}

// TakeOver gives the runs of processes that no longer live to whoever is free:
// at its start a process's own, else those of processes that were silent for
// longer than the given time. A run gets a new token, so that its old process,
// should it come back, writes nothing; what it still has open in the database is
// ended. It gives how many were taken.
func (s *Store) TakeOver(ctx context.Context, own string, silent time.Duration, enqueue Enqueue) (int, error) {
	var dead []Run
	rows, err := s.pool.Query(ctx, `
		select r.id, r.import, r.work, r.person, r.process, r.piece, r.undoes, r.only_rows::text as only_rows, r.policy
		from runs r left join processes p on p.name = r.process
		where r.ended_at is null and case
			when r.process <> '' then r.process = $1 or p.beat is null or p.beat < now() - make_interval(secs => $2)
			else exists ( -- given out by the queue to a process that died before it could say that it has it
				select from river_job j where j.kind = 'import' and (j.args->>'run')::bigint = r.id and j.state = 'running'
					and (j.attempted_by[array_upper(j.attempted_by, 1)] = $1 or j.attempted_at < now() - make_interval(secs => $2)))
			end
		order by r.id`, own, silent.Seconds())
	if err == nil {
		dead, err = pgx.CollectRows(rows, pgx.RowToStructByName[Run])
	}
	if err != nil {
		return 0, fmt.Errorf("look for runs of dead processes: %w", err)
	}
	ended := map[string]bool{own: true}
	for _, r := range dead {
		if r.Process != "" && !ended[r.Process] {
			ended[r.Process] = true
			_, err := s.pool.Exec(ctx, `select pg_terminate_backend(pid) from pg_stat_activity where application_name = $1
				and usename = current_user and pid <> pg_backend_pid()`, applicationName(r.Process))
			if err != nil {
				return 0, fmt.Errorf("end the connections of process %s: %w", r.Process, err)
			}
		}
		if err := s.takeOver(ctx, r, enqueue); err != nil && !errors.Is(err, ErrTaken) {
			return 0, err
		}
	}
	return len(dead), nil
}

func (s *Store) takeOver(ctx context.Context, r Run, enqueue Enqueue) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		i, err := importForUpdate(ctx, tx, "", r.Import)
		if err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, `update runs set ended_at = now(), ended = 'taken' where id = $1 and ended_at is null`, r.ID)
		if err != nil {
			return fmt.Errorf("take over run %d: %w", r.ID, err)
		}
		if tag.RowsAffected() == 0 || i.Run == nil || *i.Run != r.ID { // a try ends with its process
			return nil
		}
		next := r
		next.ID, next.Process = 0, ""
		if err := beginRun(ctx, tx, &next, i.Of); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update runs n
			set cancelled_by = o.cancelled_by, done_rows = o.done_rows, outcomes = o.outcomes, removed = o.removed from runs o
			where n.id = $1 and o.id = $2`, next.ID, r.ID)
		if err != nil {
			return fmt.Errorf("take over run %d: %w", r.ID, err)
		}
		if err := dropJobs(ctx, tx, r.ID); err != nil {
			return err
		}
		return enqueue(ctx, tx, next)
	})
}

// dropJobs keeps the queue from giving out the job of a run again, and its old
// process from ending the new one.
func dropJobs(ctx context.Context, tx pgx.Tx, run int64) error {
	_, err := tx.Exec(ctx, `update river_job set state = 'discarded', finalized_at = now() where kind = 'import'
		and (args->>'run')::bigint = $1 and finalized_at is null`, run)
	if err != nil {
		return fmt.Errorf("drop the job of run %d: %w", run, err)
	}
	return nil
}

// Lost lists runs of imports that wait for a job which is no longer in the
// queue, begun longer ago than the given time. There should be none.
func (s *Store) Lost(ctx context.Context, since time.Duration) ([]Run, error) {
	rows, err := s.pool.Query(ctx, `
		select r.id, r.import, r.work, r.person, r.process, r.piece, r.undoes, r.only_rows::text as only_rows, r.policy
		from imports i join runs r on r.id = i.run
		where r.ended_at is null and r.began_at < now() - make_interval(secs => $1)
			and not exists (select from river_job j where j.kind = 'import' and (j.args->>'run')::bigint = r.id
			and j.finalized_at is null)`, since.Seconds())
	if err != nil {
		return nil, fmt.Errorf("look for lost runs: %w", err)
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Run])
}

// Runs lists what was done on an import, newest first, each piece of work once;
// tries are left out.
func (s *Store) Runs(ctx context.Context, id int64) ([]PastRun, error) {
	var list []PastRun
	err := s.db.SelectContext(ctx, &list, `
		select r.piece as id, r.work, coalesce(p.name, '') as person, r.person as person_id, f.began_at, r.ended_at,
		coalesce(r.ended, '') as ended,
			r.done_rows, r.of_rows, r.outcomes, r.partly, r.removed, r.trouble, r.only_rows is not null as part, to_jsonb(r.undoes) as undoes,
			(select coalesce(jsonb_agg(distinct u.piece), '[]') from runs u where u.import = r.import
			and r.piece = any(u.undoes) and u.ended in ('was_undone', 'part_undone')) as undone_by
		from runs r join runs f on f.id = r.piece left join people p on p.id = r.person
		where r.import = $1 and r.work <> 'try' and coalesce(r.ended, '') <> 'taken' order by r.id desc limit 100`, id)
	if err != nil {
		return nil, fmt.Errorf("list runs: %w", err)
	}
	return list, nil
}

// Outlook notes how many rows, or records, are left for a run to do.
func (s *Store) Outlook(ctx context.Context, r Run, of int64) error {
	_, err := s.pool.Exec(ctx, `update runs set of_rows = $2, done_rows = 0 where id = $1 and ended_at is null`, r.ID, of)
	return err
}

// Continue makes a change in the middle of a run of an import.
func (s *Store) Continue(ctx context.Context, r Run, f func(ctx context.Context, tx pgx.Tx) error) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := LockImport(ctx, tx, r); err != nil {
			return err
		}
		return f(ctx, tx)
	})
}
