package work

import (
	"context"
	"io"
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/staging"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// A source is read as a stream: its rows are staged, its columns profiled, and what is certain of
// them is mapped.

// staged is a source whose rows are staged.
type staged struct {
	file     string
	reading  sheet.Reading
	findings []sheet.Finding
	table    *sheet.Table
	profile  *sheet.Profiler
	cells    *staging.CellWriter
	ahead    *ahead
}

// stageSource reads a source from its beginning to its end and stages its cells. Where a check is to follow at once, typed
// has its rows typed for that.
func (s *Service) stageSource(ctx context.Context, r store.Run, i store.Import, typed bool) (staged, error) {
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
	st.table.JoinGroups(suggest.Heads)
	st.table.Heads = suggest.Heads
	st.profile = sheet.NewProfiler(st.table.Header)
	if st.cells, err = s.room.StageCells(ctx, r); err != nil {
		return st, err
	}
	if typed {
		if st.ahead, err = s.aheadOf(ctx, r, i, &st); err != nil {
			return st, err
		}
	}
	// Also after a panic nothing is left waiting for more rows.
	err = st.cells.End(ctx, fault.Safely(func() error { return s.stageCells(ctx, r, st) }))
	if failed := st.ahead.end(ctx, err); failed != nil && err == nil {
		s.opt.Log.Warn("rows are typed later", "import", i.ID, "run", r.ID, "error", failed)
		err = s.room.DropTyped(ctx, r)
	}
	return st, err
}

// read turns the source into staged cells with the profile of every column.
func (s *Service) read(ctx context.Context, r store.Run, i store.Import) error {
	if was, err := s.readAgain(ctx, r, i); err != nil || was {
		return err
	}
	st, err := s.stageSource(ctx, r, i, true)
	if err != nil {
		return err
	}
	columns, notices := st.profile.Profile()
	if st.cells.Rows() == 0 {
		return fault.New(fault.Invalid, "no_rows", "there is a header and no row below it").At(fault.Place{File: st.file,
			Row: st.reading.HeaderRow}).
			Mended("Send a file with rows, or choose another header row.")
	}
	if i.Written {
		same, err := s.room.SameRows(ctx, i, r)
		if err != nil {
			return err
		}
		if !same {
			return s.end(ctx, r, life.NotWhole,
				&store.Trouble{Code: "other_rows",
					Message: "read so, the source has other rows than those of which some were loaded",
					Mend:    "What was read before stays. Upload the file again to read it so."})
		}
	}
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return err
	}
	result := store.ReadResult{Findings: st.findings, Columns: columns, Notices: slices.Concat(st.table.Notices,
		notices, st.table.Rest()), Rows: st.cells.Rows(), Anchors: st.cells.Anchors, Reading: i.Reading.V}
	if err := s.firstMapping(ctx, c, i, &result); err != nil {
		return err
	}
	if result.Reading != i.Reading.V { // its routine reads it otherwise than it was read by itself
		i.Reading.V = result.Reading
		return s.read(ctx, r, i)
	}
	err = s.store.EndRun(ctx, r, life.WasRead, nil, func(ctx context.Context, tx pgx.Tx, _ store.Import) error {
		if err := store.SetRead(ctx, tx, r, result); err != nil {
			return err
		}
		i.Notices.V = result.Notices
		return s.takeBelow(ctx, tx, i)
	})
	if err != nil {
		return err
	}
	ctx = context.WithoutCancel(ctx) // the watch sees that the run has ended
	if err := s.room.Drop(ctx, i.ID, r.ID); err != nil || i.Bundle == nil {
		return err
	}
	return s.suggestAmong(ctx, *i.Bundle)
}

// stageCells stages the rows of a table, and profiles them beside.
func (s *Service) stageCells(ctx context.Context, r store.Run, st staged) error {
	beside := st.profile.Beside()
	err := s.stageRows(ctx, r, st, beside)
	if failed := beside.End(); err == nil {
		err = failed
	}
	return err
}

func (s *Service) stageRows(ctx context.Context, r store.Run, st staged, profile *sheet.Beside) error {
	w := st.cells
	for {
		row, err := st.table.Next()
		if err == io.EOF {
			return s.progress(ctx, r, w.Rows())
		}
		if err != nil {
			return err
		}
		profile.Add(row)
		if err := w.Add(row); err != nil {
			return err
		}
		st.ahead.add(row)
		if w.Rows()%progressEvery == 0 {
			if err := s.progress(ctx, r, w.Rows()); err != nil {
				return err
			}
		}
	}
}

// firstMapping maps the columns of a source as far as the owner of the import, who is to load it, may fill the fields.
func (s *Service) firstMapping(ctx context.Context, c catalog.Catalog, i store.Import, result *store.ReadResult) error {
	owner, err := s.store.PersonIn(ctx, i.MadeBy, i.Workspace)
	if err != nil {
		return err
	}
	if err := s.mapFirst(ctx, c.Offered(), i, result); err != nil || result.Routine == nil {
		return err
	}
	*result.Routine = result.Routine.Fillable(c, owner.Role)
	return nil
}

// mapFirst keeps the routine that the import has as far as its columns are
// there, else takes what is certain of the suggestions. What was only suggested for a
// source that was read otherwise is suggested anew: of another sheet, a column of the
// same name or in the same place may be something else.
func (s *Service) mapFirst(ctx context.Context, c catalog.Catalog, i store.Import, result *store.ReadResult) error {
	columns := result.Columns
	result.Into = i.Into
	result.TypeSuggested = i.Into == "" || i.TypeSuggested && !i.Written
	if r := i.Routine.V; r != nil && len(r.Drafts) > 0 && (!i.RoutineSuggested || i.Written) {
		there := make([]string, len(columns))
		for n, col := range columns {
			there[n] = col.Header
		}
		moved := r.Moved(i.Headers(), there) // read otherwise, a header may say the same in other letters
		result.Into, result.TypeSuggested = r.Drafts[0].Type, false
		i.Columns.V = columns
		if kept, ok := fitted(c, moved.Renamed(c), i); ok {
			result.Routine = &kept
			return nil
		}
	}
	result.RoutineSuggested = true
	if result.TypeSuggested && i.Bundle != nil {
		i.Columns.V = columns
		r, err := s.recognised(ctx, c, i)
		if err != nil {
			return err
		}
		if r != nil {
			result.Reading = i.Reading.V.Taught(r.Reading)
			r.Reading = sheet.Reading{} // that is the import's
			result.Into, result.Routine = intoOf(r), r
			return nil
		}
	}
	i.Columns.V, i.Findings.V = columns, result.Findings
	view, err := s.viewsOf(ctx, i, c)
	if err != nil {
		return err
	}
	result.Notices = append(result.Notices, view().OnItsSide()...)
	if result.TypeSuggested {
		result.Into, _ = suggest.Sure(view().Called(namesOf(i)...).Types(c, func(string) suggest.Memory { return nil }))
	}
	t, ok := c.Type(result.Into)
	if !ok {
		result.Into = ""
		return nil
	}
	memory, err := s.memories(ctx, i.Workspace)
	if err != nil {
		return err
	}
	r := suggest.Routine(t, view().Across([]suggest.Target{{Type: t, Memory: memory(t.Name)}}))
	result.Routine = &r
	return nil
}

// intoOf gives the record type that the rows of an import become first.
func intoOf(r *mapping.Routine) string {
	if r == nil {
		return ""
	}
	return r.Drafts[0].Type
}
