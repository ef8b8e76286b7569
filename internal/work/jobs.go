package work

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/expr"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/value"
	"uchi/internal/staging"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/trace"
	"go.opentelemetry.io/otel/trace/noop"
)

// worker does runs. Every run can be begun again: reading and check start anew,
// a load goes on behind its last chunk.
type worker struct {
	river.WorkerDefaults[jobArgs]
	service *Service
}

// longestWait is how long a job waits at most before it is tried again.
const longestWait = 15 * time.Second

// NextRetry implements river.Worker.
func (w *worker) NextRetry(job *river.Job[jobArgs]) time.Time {
	return time.Now().Add(min(time.Duration(job.Attempt)*time.Second, longestWait))
}

// Work implements river.Worker. An error that may pass is given back, and the
// queue tries again; every other end of the run is noted with its reason, and
// frees the import.
func (w *worker) Work(ctx context.Context, job *river.Job[jobArgs]) error {
	s := w.service
	r, err := s.store.StartRun(ctx, job.Args.Run, s.opt.Process)
	if errors.Is(err, store.ErrTaken) {
		return nil // ended, or somebody else does it
	}
	if err != nil {
		return err
	}
	defer s.hasEnded(context.WithoutCancel(ctx), r.Import)
	log := s.opt.Log.With("import", r.Import, "run", r.ID, "work", r.Work)
	ctx, span := s.tracer().Start(ctx, string(r.Work), trace.WithAttributes(attribute.Int64("uchi.import", r.Import),
		attribute.Int64("uchi.run", r.ID)))
	defer span.End()
	watched, end := s.watch(ctx, r)
	err = fault.Safely(func() error { return s.run(watched, r) })
	cause := context.Cause(watched)
	end()
	switch {
	case err == nil:
		log.Info("done")
		s.readyAlike(r)
		return nil
	case errors.Is(err, store.ErrTaken), errors.Is(cause, store.ErrTaken):
		log.Warn("another process has taken the run over")
		return nil
	case errors.Is(cause, store.ErrCancelled):
		log.Info("cancelled")
		return s.end(context.WithoutCancel(ctx), r, life.Cancelled, nil)
	case ctx.Err() != nil, store.Passing(err) && job.Attempt < job.MaxAttempts:
		log.Warn("will be tried again", "error", err)
		return err
	}
	trouble := s.troubleOf(err, r.Import)
	span.SetStatus(codes.Error, trouble.Code) // which says no value
	return s.end(context.WithoutCancel(ctx), r, life.Failed, &trouble)
}

// readyAlike makes ready, beside everything else, what the next check needs to compare its rows
// with the records that the run has written, or has compared its own with.
func (s *Service) readyAlike(r store.Run) {
	if r.Work == life.Reading {
		return
	}
	s.aside(func(ctx context.Context) {
		err := fault.Safely(func() error {
			i, err := s.store.ImportAnywhere(ctx, r.Import)
			if err != nil {
				return err
			}
			plan, _, err := s.planOf(ctx, i)
			if err != nil {
				return nil // there is nothing to compare by
			}
			for _, dp := range plan.Drafts {
				if !slices.ContainsFunc(slices.Concat(dp.Rules, dp.Type.Match),
					func(m catalog.MatchRule) bool { return len(m.Alike) > 0 }) {
					continue
				}
				key := fmt.Sprint("likeness ", i.Workspace, " ", dp.Type.Name)
				if _, waits := s.ready.LoadOrStore(key, true); waits { // another run has asked for it
					continue
				}
				err := fault.Safely(func() error {
					return s.whenQuiet(ctx, func(ctx context.Context) error { return s.room.ReadyLikeness(ctx, i.Workspace, dp.Type) })
				})
				s.ready.Delete(key) // also after a panic: the next run may ask again
				if err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil && !errors.Is(err, context.Canceled) {
			s.opt.Log.Warn("matching is not made ready", "import", r.Import, "error", err)
		}
	})
}

// Times of what is done when nothing else is: how often it is looked whether that is so, how often
// in a row it must be (between reading and check there is a moment too), and how often it gives way
// to runs that begin before it is done whatever begins.
const (
	lookForQuiet = 500 * time.Millisecond
	quietLooks   = 4
	givesWay     = 5
)

// whenQuiet does f when no run is under way, and gives up and begins anew when one begins.
func (s *Service) whenQuiet(ctx context.Context, f func(ctx context.Context) error) error {
	for again := 0; ; again++ {
		if err := s.untilQuiet(ctx, true); err != nil {
			return err
		}
		undisturbed, disturb := context.WithCancel(ctx)
		if again < givesWay {
			go func() {
				if s.untilQuiet(undisturbed, false) == nil {
					disturb()
				}
			}()
		}
		err := f(undisturbed)
		disturbed := undisturbed.Err() != nil && ctx.Err() == nil
		disturb()
		if !disturbed {
			return err
		}
	}
}

// untilQuiet waits until no run has been under way for a while, or until one is.
func (s *Service) untilQuiet(ctx context.Context, quiet bool) error {
	for seen := 0; ; {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(lookForQuiet):
		}
		is, err := s.store.Quiet(ctx)
		if err != nil {
			return err
		}
		if is != quiet {
			seen = 0
		} else if seen++; !quiet || seen == quietLooks {
			return nil
		}
	}
}

// tracer makes the spans of runs.
func (s *Service) tracer() trace.Tracer {
	if s.opt.Traces == nil {
		return noop.NewTracerProvider().Tracer("")
	}
	return s.opt.Traces.Tracer("uchi/internal/work")
}

// hasEnded tells those who wait for the end of a run, and goes on with the bundle that
// its import belongs to.
func (s *Service) hasEnded(ctx context.Context, importID int64) {
	s.ended.tell(importID)
	if err := s.goOnWithFile(ctx, importID); err != nil {
		s.opt.Log.Warn("could not go on with a feed", "import", importID, "error", err)
	}
	if err := s.advanceOf(ctx, importID); err != nil {
		s.opt.Log.Warn("could not go on with a bundle", "import", importID, "error", err)
	}
}

// run does what a run is for.
func (s *Service) run(ctx context.Context, r store.Run) error {
	i, err := s.store.ImportAnywhere(ctx, r.Import)
	if err != nil {
		return err
	}
	switch r.Work {
	case life.Reading:
		return s.read(ctx, r, i)
	case life.CheckingRun:
		return s.check(ctx, r, i)
	case life.LoadingRun:
		return s.load(ctx, r, i)
	case life.UndoingRun:
		return s.undo(ctx, r, i)
	}
	return fmt.Errorf("run %d: nothing is known of the work %q", r.ID, r.Work)
}

// end ends a run that has not ended by itself, and drops what it has staged.
func (s *Service) end(ctx context.Context, r store.Run, event life.Event, trouble *store.Trouble) error {
	err := s.endRun(ctx, r, event, trouble)
	if errors.Is(err, store.ErrTaken) {
		return nil
	}
	if err != nil {
		return err
	}
	if r.Work != life.LoadingRun {
		if err := s.room.DropRun(ctx, r); err != nil {
			s.opt.Log.Warn("staging stays for now", "import", r.Import, "run", r.ID, "error", err)
		}
	}
	return nil
}

func (s *Service) endRun(ctx context.Context, r store.Run, event life.Event, trouble *store.Trouble) error {
	if r.Work == life.UndoingRun { // what it has taken back so far is told
		u, err := s.undoOf(ctx, r)
		if err == nil {
			err = fault.Safely(func() error { return u.End(ctx, event, trouble) })
		}
		if err == nil || errors.Is(err, store.ErrTaken) || store.Passing(err) {
			return err
		}
		// the next one does
		s.opt.Log.Error("what the undo has done is not noted", "import", r.Import, "run", r.ID, "error", err)
	}
	return s.store.EndRun(ctx, r, event, trouble, func(ctx context.Context, tx pgx.Tx, i store.Import) error {
		if r.Work == life.Reading {
			return store.RestoreReading(ctx, tx, i.ID)
		}
		return nil
	})
}

// watchEvery is how often a run looks whether it is to go on.
const watchEvery = 250 * time.Millisecond

// watch gives a context that ends when the run is to end, with the reason as its
// cause. The function must be called when the run has ended.
func (s *Service) watch(ctx context.Context, r store.Run) (context.Context, func()) {
	watched, cancel := context.WithCancelCause(ctx)
	done := make(chan struct{})
	go func() {
		defer close(done)
		tick := time.NewTicker(watchEvery)
		defer tick.Stop()
		for {
			select {
			case <-watched.Done():
				return
			case <-tick.C:
			}
			err := s.store.RunGoesOn(watched, r)
			if errors.Is(err, store.ErrTaken) || errors.Is(err, store.ErrCancelled) {
				cancel(err)
				return
			}
		}
	}()
	return watched, func() {
		cancel(nil)
		<-done
	}
}

// afterEnd tells those who wait for the end of a run, so that they need not wait for the
// tables that are dropped then, and gives a context for that: the watch, which sees that the
// run has ended, is to end nothing of it.
func (s *Service) afterEnd(ctx context.Context, importID int64) context.Context {
	s.ended.tell(importID)
	return context.WithoutCancel(ctx)
}

// progressEvery is how many rows pass between two notes of progress.
const progressEvery = 25_000

// planOf makes the routine of an import ready.
func (s *Service) planOf(ctx context.Context, i store.Import) (*mapping.Plan, catalog.Catalog, error) {
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return nil, c, err
	}
	if i.Routine.V == nil {
		return nil, c, fault.New(fault.Conflict, "no_mapping", "no column is mapped yet")
	}
	_, plan, err := s.planWith(ctx, i, *i.Routine.V, c)
	return plan, c, err
}

// planWith makes a routine ready for the columns of an import and the files that came
// with it; it gives the routine with the names that its fields have now.
func (s *Service) planWith(ctx context.Context, i store.Import, r mapping.Routine,
	c catalog.Catalog) (mapping.Routine, *mapping.Plan, error) {
	r, err := r.Renamed(c).Creating(c, i.Columns.V)
	if err != nil {
		return r, nil, err
	}
	r.Reading = i.Reading.V
	plan, err := mapping.NewPlan(r, c, i.Columns.V)
	if err != nil || !plan.NamesFiles() {
		return r, plan, err
	}
	files := map[string]string{}
	if i.Bundle != nil {
		if files, err = s.store.BundleFiles(ctx, *i.Bundle); err != nil {
			return r, nil, err
		}
	}
	there, err := s.store.FilesOfRecords(ctx, i.Workspace, c)
	if err != nil {
		return r, nil, err
	}
	plan.WithFiles(value.NewFiles(files, there...))
	return r, plan, nil
}

// check works out the verdicts and makes the import ready.
func (s *Service) check(ctx context.Context, r store.Run, i store.Import) error {
	if done, err := s.checkTouched(ctx, r, i); done || err != nil {
		return err
	}
	checked, i, err := s.checkRows(ctx, r, i)
	if err != nil {
		return err
	}
	err = s.store.EndRun(ctx, r, life.WasChecked, nil, func(ctx context.Context, tx pgx.Tx, _ store.Import) error {
		return setChecked(ctx, tx, r, i, checked)
	})
	if err != nil {
		return err
	}
	return s.room.Drop(s.afterEnd(ctx, i.ID), i.ID, *i.CellsRun, r.ID)
}

// setChecked makes what a run has checked hold.
func setChecked(ctx context.Context, tx pgx.Tx, r store.Run, i store.Import, checked store.Checked) error {
	if *i.CellsRun == r.ID {
		if err := store.SetCells(ctx, tx, r); err != nil {
			return err
		}
	}
	if err := store.SetChecked(ctx, tx, r, r.ID, checked); err != nil {
		return err
	}
	return store.Untouch(ctx, tx, i.ID)
}

// mostTouched is up to how many rows, of which something was said since the
// check, only these are checked again.
const mostTouched = 2000

// checkTouched brings the check that holds up to date: when nothing has changed
// since but what was said of a few rows, only these and those coupled with them
// are checked again. It reports whether that was so.
func (s *Service) checkTouched(ctx context.Context, r store.Run, i store.Import) (done bool, err error) {
	if i.Totals.V == nil || i.CheckRun == nil || i.NextRow > 0 {
		return false, nil
	}
	touched, more, cells, err := s.store.Touched(ctx, i.ID, mostTouched)
	if err != nil || more || len(touched) == 0 {
		return false, err
	}
	if there, err := s.room.Staged(ctx, i); err != nil || !there {
		return false, err
	}
	plan, c, err := s.planOf(ctx, i)
	if err != nil {
		return false, err
	}
	if cells && plan.Grouped() { // which rows belong together depends on those above
		return false, nil
	}
	now, err := s.before(ctx, i, plan, c)
	if err != nil || now.Writes != i.Writes || now.LinkWrites != i.LinkWrites || now.Catalogue != i.Catalogue {
		return false, err
	}
	k, err := s.checkCoupled(ctx, r, i, plan, c, touched)
	if err != nil || k == nil {
		return false, err
	}
	err = s.store.EndRun(ctx, r, life.WasChecked, nil, func(ctx context.Context, tx pgx.Tx, _ store.Import) error {
		found, err := k.Merge(ctx, tx)
		if err != nil {
			return err
		}
		now.Totals, now.Digest = found.Totals, found.Digest
		if err := store.SetChecked(ctx, tx, r, *i.CheckRun, now); err != nil {
			return err
		}
		return store.Untouch(ctx, tx, i.ID)
	})
	if err != nil {
		return false, err
	}
	return true, s.room.DropRun(s.afterEnd(ctx, i.ID), r)
}

// mostRounds is how often a check of some rows takes on more of them before all
// are checked; the first time only what is expected is added.
const mostRounds = 5

// checkCoupled checks rows with all that are coupled with them. What it finds may
// couple them with more, which are then checked with them. The check is nil when
// they are too many.
func (s *Service) checkCoupled(ctx context.Context, r store.Run, i store.Import, plan *mapping.Plan,
	c catalog.Catalog, rows []int64) (*staging.Check, error) {
	beside, err := s.besideOf(ctx, i)
	if err != nil {
		return nil, err
	}
	touched, expected := rows, false
	for range mostRounds {
		var ok bool
		if rows, ok, err = s.room.Coupled(ctx, i, plan, c, rows); err != nil || !ok {
			return nil, err
		}
		k, ok := s.room.NewPartialCheck(r, i, plan, c, rows)
		if !ok {
			return nil, nil
		}
		k.Among(beside)
		if err := s.room.DropRun(ctx, r); err != nil { // of an earlier round or attempt
			return nil, err
		}
		if err := s.typeRows(ctx, r, k, staging.Part{Rows: rows}); err != nil {
			return nil, err
		}
		if !expected { // most of what a check would couple them with is known before it
			expected = true
			more, err := k.Expected(ctx, touched)
			if err != nil {
				return nil, err
			}
			if len(more) > 0 {
				rows = append(rows, more...)
				continue
			}
		}
		if _, err := decideRows(ctx, k, plan); err != nil {
			return nil, err
		}
		more, ok, err := k.Outside(ctx)
		if err != nil || !ok {
			return nil, err
		}
		all, ok, err := k.CoupledNow(ctx)
		if err != nil || !ok {
			return nil, err
		}
		if len(more) == 0 && len(all) == len(rows) {
			return k, nil
		}
		rows = append(all, more...)
	}
	return nil, nil
}

// before tells what a check must know from before it begins: how often records
// were written, and which edition the record types have.
func (s *Service) before(ctx context.Context, i store.Import, plan *mapping.Plan,
	c catalog.Catalog) (store.Checked, error) {
	out := store.Checked{Catalogue: c.Edition()}
	var err error
	if out.Writes, err = s.store.Writes(ctx, i.Workspace, i.Routine.V.TypeNames()); err != nil {
		return out, err
	}
	out.LinkWrites, err = s.store.Writes(ctx, i.Workspace, plan.LinkedTypes())
	return out, err
}

// checkRows types the rows that are not settled and works out their verdicts. It
// gives the import with the cells that it has checked: when the database has
// crashed and lost its unlogged tables, they are staged again from the source,
// which has everything.
func (s *Service) checkRows(ctx context.Context, r store.Run, i store.Import) (store.Checked, store.Import, error) {
	var out store.Checked
	if err := s.room.DropRun(ctx, r); err != nil { // of an earlier attempt
		return out, i, err
	}
	if there, err := s.room.HasCells(ctx, i); err != nil {
		return out, i, err
	} else if !there {
		if _, err := s.stageSource(ctx, r, i, false); err != nil {
			return out, i, err
		}
		i.CellsRun = &r.ID
	}
	plan, c, err := s.planOf(ctx, i)
	if err != nil {
		return out, i, err
	}
	if out, err = s.before(ctx, i, plan, c); err != nil {
		return out, i, err
	}
	k := s.room.NewCheck(r, i, plan, c)
	beside, err := s.besideOf(ctx, i)
	if err != nil {
		return out, i, err
	}
	k.Among(beside)
	typed, err := k.TakeTyped(ctx)
	switch {
	case err != nil:
	case typed:
		err = s.progress(ctx, r, i.Rows)
	default:
		err = s.typeRows(ctx, r, k, staging.Part{})
	}
	if err != nil {
		return out, i, err
	}
	found, err := decideRows(ctx, k, plan)
	out.Totals, out.Digest = found.Totals, found.Digest
	return out, i, err
}

// progress notes how many rows a run has read or typed. A load that makes lost rows again tells of those that it has loaded,
// and no others.
func (s *Service) progress(ctx context.Context, r store.Run, done int64) error {
	if r.Work == life.LoadingRun {
		return nil
	}
	return s.store.Progress(ctx, r, done)
}

// typeRows types the rows of a part.
func (s *Service) typeRows(ctx context.Context, r store.Run, k *staging.Check, part staging.Part) error {
	var noted, typed int64
	err := k.StageDrafts(ctx, part, func(rows int64) error {
		if typed = rows; typed < noted+progressEvery {
			return nil
		}
		noted = typed
		return s.progress(ctx, r, typed)
	})
	if err != nil {
		return err
	}
	return s.progress(ctx, r, typed)
}

// decideRows works out what the rows that were typed would do.
func decideRows(ctx context.Context, k *staging.Check, plan *mapping.Plan) (staging.Found, error) {
	judges := make([]staging.Judge, len(plan.Drafts))
	for n, dp := range plan.Drafts {
		rules, err := expr.CompileRules(dp.Type)
		if err != nil {
			return staging.Found{}, err
		}
		judges[n] = func(values map[string]string) []problem.Problem { return rules.Judge(values) }
	}
	return k.Run(ctx, judges)
}

// load carries out the verdicts chunk by chunk. A chunk that the server refuses
// is made smaller until the row that it refuses stands alone.
func (s *Service) load(ctx context.Context, r store.Run, i store.Import) error {
	if there, err := s.room.Staged(ctx, i); err != nil {
		return err
	} else if !there {
		var goesOn bool
		if i, goesOn, err = s.checkAgain(ctx, r, i); err != nil || !goesOn {
			return err
		}
	}
	plan, c, err := s.planOf(ctx, i)
	if err != nil {
		return err
	}
	beside, err := s.besideOf(ctx, i)
	if err != nil {
		return err
	}
	l, err := s.room.NewLoad(r, i, plan, c, beside)
	if err != nil {
		return err
	}
	if err := l.Look(ctx); err != nil {
		return err
	}
	if err := l.Settle(ctx); err != nil {
		return err
	}
	if r.Policy.V.Whole {
		return s.loadWhole(ctx, r, l)
	}
	rows := s.room.ChunkRows()
	for {
		ended, err := l.Chunk(ctx, rows)
		switch {
		case err == nil && ended:
			return nil
		case err == nil:
			rows = min(rows*2, s.room.ChunkRows())
		case staging.Refused(err) && rows > 1:
			rows = max(rows/8, 1)
		case staging.Refused(err):
			if ended, err := l.Refuse(ctx, err); err != nil || ended {
				return err
			}
		default:
			return fmt.Errorf("load import %d: %w", i.ID, err)
		}
	}
}

// loadWhole carries out all verdicts, or none.
func (s *Service) loadWhole(ctx context.Context, r store.Run, l *staging.Load) error {
	err := l.Whole(ctx, func(done int64) error { return s.store.Progress(ctx, r, done) })
	var not *staging.NotAllError
	if !errors.As(err, &not) {
		return err
	}
	if err := s.store.Progress(ctx, r, 0); err != nil { // what was done is taken back
		return err
	}
	return s.end(ctx, r, life.NotAll, &store.Trouble{Code: string(life.NotAll),
		Message: "nothing was loaded, since all rows were to be loaded or none: " + not.Why,
		Place:   fault.Place{Row: not.Row}, Mend: "Check again and mend the row, or load what is good."})
}

// checkAgain makes the check again whose verdicts a crash of the database has
// lost. Only when it says the same of all that is left does the load go on: what
// nobody has seen is not written.
func (s *Service) checkAgain(ctx context.Context, r store.Run, i store.Import) (store.Import, bool, error) {
	checked, i, err := s.checkRows(ctx, r, i)
	if err != nil {
		return i, false, err
	}
	plan, c, err := s.planOf(ctx, i)
	if err != nil {
		return i, false, err
	}
	left, err := s.room.NewCheck(r, i, plan, c).DigestFrom(ctx, i.NextRow)
	if err != nil {
		return i, false, err
	}
	if left == i.Digest {
		next := i.NextRow
		err := s.store.Continue(ctx, r, func(ctx context.Context, tx pgx.Tx) error {
			if err := setChecked(ctx, tx, r, i, checked); err != nil {
				return err
			}
			return store.SetLeft(ctx, tx, i.ID, next, left)
		})
		if err != nil {
			return i, false, err
		}
		i, err = s.store.ImportAnywhere(ctx, i.ID)
		return i, err == nil, err
	}
	trouble := store.Trouble{Code: "checks_differ", Message: checksDiffer + " of the rows that are left",
		Mend: "Look at the new check, and load again if it is right. What was loaded before stays."}
	err = s.store.EndRun(ctx, r, life.Differs, &trouble, func(ctx context.Context, tx pgx.Tx, _ store.Import) error {
		return setChecked(ctx, tx, r, i, checked)
	})
	return i, false, err
}
