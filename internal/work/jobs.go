package work

import (
	"context"
	"fmt"
	"io"
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/expr"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/core/verdict"
	"uchi/internal/store"

	"github.com/riverqueue/river"
)

// worker does whatever an import waits for. Every piece of work can be begun
// again: reading and check start anew, a load goes on behind its last chunk.
type worker struct {
	river.WorkerDefaults[jobArgs]
	service *Service
}

// Work implements river.Worker.
func (w *worker) Work(ctx context.Context, job *river.Job[jobArgs]) error {
	s := w.service
	i, err := s.store.ImportAnywhere(ctx, job.Args.Import)
	if err != nil {
		return err
	}
	log := s.opt.Log.With("import", i.ID, "work", i.Busy)
	back := store.StateOpen
	switch i.Busy {
	case store.BusyRead:
		err = s.read(ctx, i)
	case store.BusyCheck:
		err = s.check(ctx, i)
	case store.BusyLoad:
		back = store.StatePaused
		err = s.load(ctx, i)
	default:
		return nil // done already, or given up
	}
	switch {
	case err == nil:
		log.Info("done")
		return nil
	case ctx.Err() != nil, store.Passing(err) && job.Attempt < job.MaxAttempts:
		log.Warn("will be tried again", "error", err)
		return err
	}
	return s.store.Fail(context.WithoutCancel(ctx), i.ID, back, s.troubleOf(err, i.ID))
}

// progressEvery is how many rows pass between two notes of progress.
const progressEvery = 25_000

// staged is a source whose rows are staged.
type staged struct {
	file     string
	reading  sheet.Reading
	findings []sheet.Finding
	table    *sheet.Table
	profile  *sheet.Profiler
	cells    *store.CellWriter
}

// stageSource reads a source from its beginning to its end and stages its cells.
func (s *Service) stageSource(ctx context.Context, i store.Import) (staged, error) {
	var st staged
	src, err := s.store.OpenSource(ctx, i.Source)
	if err != nil {
		return st, err
	}
	st.file = src.Name
	if st.reading, st.findings, err = sheet.Detect(src, i.Reading.V); err != nil {
		return st, err
	}
	if st.table, err = sheet.Open(src, st.reading, s.opt.Limits); err != nil {
		return st, err
	}
	defer st.table.Close()
	st.profile = sheet.NewProfiler(st.table.Header)
	if st.cells, err = s.store.StageCells(ctx, i.ID); err != nil {
		return st, err
	}
	return st, st.cells.End(ctx, s.stageCells(ctx, i.ID, st.table, st.profile, st.cells))
}

// read turns the source into staged cells with the profile of every column.
func (s *Service) read(ctx context.Context, i store.Import) error {
	st, err := s.stageSource(ctx, i)
	if err != nil {
		return err
	}
	columns, notices := st.profile.Profile()
	if st.cells.Rows() == 0 {
		return fault.New(fault.Invalid, "no_rows", "there is a header and no row below it").At(fault.Place{File: st.file, Row: st.reading.HeaderRow}).
			Mended("Send a file with rows, or choose another header row.")
	}
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return err
	}
	result := store.ReadResult{Findings: st.findings, Columns: columns, Notices: slices.Concat(st.table.Notices, notices, st.table.Rest()), Rows: st.cells.Rows(), Anchors: st.cells.Anchors, Reading: i.Reading.V}
	if result.Into, result.Routine, err = s.firstMapping(ctx, c, i, columns); err != nil {
		return err
	}
	return s.store.EndRead(ctx, i.ID, result)
}

func (s *Service) stageCells(ctx context.Context, id int64, table *sheet.Table, profile *sheet.Profiler, w *store.CellWriter) error {
	for {
		row, err := table.Next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		profile.Add(row)
		if err := w.Add(row); err != nil {
			return err
		}
		if w.Rows()%progressEvery == 0 {
			if err := s.store.Progress(ctx, id, w.Rows()); err != nil {
				return err
			}
		}
	}
}

// leastScore is how well the columns must fit a record type for it to be taken.
const leastScore = 0.3

// firstMapping keeps the routine that the import has as far as its columns are
// there, else takes what is certain of the suggestions.
func (s *Service) firstMapping(ctx context.Context, c catalog.Catalog, i store.Import, columns []sheet.Column) (string, *mapping.Routine, error) {
	into := i.Into
	if r := i.Routine.V; r != nil && len(r.Drafts) > 0 {
		there := make([]string, len(columns))
		for n, col := range columns {
			there[n] = col.Header
		}
		if kept, ok := r.Fitted(there); ok {
			return kept.Drafts[0].Type, &kept, nil
		}
		into = r.Drafts[0].Type
	}
	if into == "" {
		if best := suggest.Type(c, columns); len(best) > 0 && best[0].Score >= leastScore {
			into = best[0].Type
		}
	}
	t, ok := c.Type(into)
	if !ok {
		return "", nil, nil
	}
	memory, err := s.store.Memory(ctx, i.Workspace, t.Name)
	if err != nil {
		return "", nil, err
	}
	r := suggest.Routine(t, suggest.Columns(t, columns, memory))
	return into, &r, nil
}

// planOf makes the routine of an import ready.
func (s *Service) planOf(ctx context.Context, i store.Import) (*mapping.Plan, catalog.Catalog, error) {
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return nil, c, err
	}
	if i.Routine.V == nil {
		return nil, c, fault.New(fault.Conflict, "no_mapping", "no column is mapped yet")
	}
	r := *i.Routine.V
	r.Reading = i.Reading.V
	plan, err := mapping.NewPlan(r, c, i.Columns.V)
	return plan, c, err
}

// check works out the verdicts and makes the import ready.
func (s *Service) check(ctx context.Context, i store.Import) error {
	totals, writes, err := s.checkRows(ctx, i)
	if err != nil {
		return err
	}
	return s.store.EndCheck(ctx, i.ID, totals, writes)
}

// checkRows types the rows that have no final outcome yet and works out their
// verdicts. It also tells how often the record type had been written to before.
func (s *Service) checkRows(ctx context.Context, i store.Import) (totals verdict.Totals, writes int64, err error) {
	plan, c, err := s.planOf(ctx, i)
	if err != nil {
		return totals, 0, err
	}
	if there, err := s.store.HasCells(ctx, i); err != nil {
		return totals, 0, err
	} else if !there { // the database has crashed and lost its unlogged tables: the source has everything
		if _, err := s.stageSource(ctx, i); err != nil {
			return totals, 0, err
		}
	}
	writes, err = s.store.Writes(ctx, i.Workspace, i.Routine.V.TypeNames())
	if err != nil {
		return totals, 0, err
	}
	totals, err = s.runCheck(ctx, i, s.store.NewCheck(i, plan, c), plan, part{every: 1, all: true})
	return totals, writes, err
}

// part says which rows of an import are checked.
type part struct {
	every int64 // each row of a number that it divides
	most  int64 // so many at most; 0 is no bound
	all   bool  // it is no sample, and progress is noted
}

// runCheck types the rows of a part and works out what they would do.
func (s *Service) runCheck(ctx context.Context, i store.Import, k *store.Check, plan *mapping.Plan, p part) (verdict.Totals, error) {
	judges := make([]store.Judge, len(plan.Drafts))
	for n, dp := range plan.Drafts {
		rules, err := expr.CompileRules(dp.Type)
		if err != nil {
			return verdict.Totals{}, err
		}
		judges[n] = func(values map[string]string) []problem.Problem { return rules.Judge(values) }
	}
	w, err := k.StageDrafts(ctx)
	if err != nil {
		return verdict.Totals{}, err
	}
	if err := w.End(ctx, s.typeRows(ctx, i.ID, plan, w, p)); err != nil {
		return verdict.Totals{}, err
	}
	return k.Run(ctx, judges)
}

func (s *Service) typeRows(ctx context.Context, id int64, plan *mapping.Plan, w *store.DraftWriter, p part) error {
	var typed mapping.Typed
	var n int64
	plan.Begin()
	return s.store.EachRow(ctx, id, p.every, p.most, plan.Grouped(), func(row sheet.Row, done bool) error {
		if done {
			plan.Pass(row)
			return nil
		}
		in := false
		for d, dp := range plan.Drafts {
			dp.Apply(row, &typed)
			in = in || !typed.LeftOut && !typed.Empty
			if err := w.Add(row.Number, d, &typed); err != nil {
				return err
			}
		}
		if trouble, bad := plan.Ragged(row); bad && in {
			if err := w.Problem(row.Number, trouble); err != nil {
				return err
			}
		}
		if n++; n%progressEvery == 0 && p.all {
			return s.store.Progress(ctx, id, n)
		}
		return nil
	})
}

// load carries out the verdicts chunk by chunk. A chunk that the server refuses
// is halved until the row that it refuses stands alone.
func (s *Service) load(ctx context.Context, i store.Import) error {
	plan, c, err := s.planOf(ctx, i)
	if err != nil {
		return err
	}
	l := s.store.NewLoad(i, plan, c)
	if err := l.Prepare(ctx); err != nil {
		return err
	}
	if there, err := l.Staged(ctx); err != nil {
		return err
	} else if !there {
		totals, writes, err := s.checkRows(ctx, i)
		if err != nil {
			return err
		}
		if err := s.store.RestartLoad(ctx, i.ID, totals, writes); err != nil {
			return err
		}
	}
	if err := l.Look(ctx); err != nil {
		return err
	}
	rows := store.ChunkRows
	for {
		ended, err := l.Chunk(ctx, rows)
		switch {
		case err == nil && ended:
			return l.Finish(ctx)
		case err == nil:
			rows = min(rows*2, store.ChunkRows)
		case store.Refused(err) && rows > 1:
			rows = max(rows/8, 1)
		case store.Refused(err):
			if err := l.Refuse(ctx, err); err != nil {
				return err
			}
		default:
			return fmt.Errorf("load import %d: %w", i.ID, err)
		}
	}
}
