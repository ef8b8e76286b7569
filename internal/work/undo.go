package work

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/rights"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// UndoRequest says what is to be taken back; the zero value is all that loads of
// the import have written and that was not taken back.
type UndoRequest struct {
	Run  int64  // a load, or an undo, as the list of runs names it; 0 is every load
	Rows string // an int8multirange of row numbers; empty is all rows
}

// Undo has taken back what loads, or undos, of an import have written.
func (s *Service) Undo(ctx context.Context, i store.Import, req UndoRequest, by store.Person) error {
	run, err := s.toUndo(ctx, i, req, by)
	if err != nil {
		return err
	}
	if err := s.mayWrite(ctx, i, by); err != nil {
		return err
	}
	return s.actRun(ctx, i, life.Undo, run, by, nil)
}

// PlanUndo tells what an undo would do, with so many of the records that it is
// about.
func (s *Service) PlanUndo(ctx context.Context, i store.Import, req UndoRequest, items int,
	by store.Person) (plan staging.UndoPlan, err error) {
	what, err := s.toUndo(ctx, i, req, by)
	if err != nil {
		return plan, err
	}
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return plan, err
	}
	return s.planUndo(ctx, i, what, c, items, by)
}

// planUndo works out what an undo would do, beside an import.
func (s *Service) planUndo(ctx context.Context, i store.Import, what store.Run, c catalog.Catalog, items int,
	by store.Person) (plan staging.UndoPlan, err error) {
	err = s.room.Trying(ctx, func() error {
		return s.beside(ctx, i, by, func(ctx context.Context, run store.Run) error {
			run.Undoes, run.Only = what.Undoes, what.Only
			u := s.room.NewUndo(run, i, c)
			if _, err := u.Plan(ctx); err != nil {
				return err
			}
			var err error
			plan, err = u.Summary(ctx, items)
			return err
		})
	})
	return plan, err
}

// toUndo finds the pieces of work that are to be taken back.
func (s *Service) toUndo(ctx context.Context, i store.Import, req UndoRequest, by store.Person) (store.Run, error) {
	var run store.Run
	if err := life.Allows(i.Now(), life.Undo); err != nil {
		return run, err
	}
	runs, err := s.store.Runs(ctx, i.ID)
	if err != nil {
		return run, err
	}
	for _, r := range runs {
		switch {
		case r.EndedAt == nil, r.Work != life.LoadingRun && r.Work != life.UndoingRun:
			continue
		case req.Run == 0 && (r.Work == life.UndoingRun || wrote(r) == 0):
			continue
		case req.Run > 0 && req.Run != r.ID:
			continue
		case by.Role != rights.Administrator && r.PersonID != by.ID:
			return run, fault.Newf(fault.Denied, "not_yours", "the load of %s was begun by %s",
				r.BeganAt.Format("2006-01-02 15:04"), r.Person).Mended("Ask them, or an administrator.")
		}
		if !slices.Contains(run.Undoes, r.ID) {
			run.Undoes = append(run.Undoes, r.ID)
		}
	}
	if len(run.Undoes) == 0 {
		if req.Run > 0 {
			return run, fault.New(fault.NotFound, "unknown_run",
				"the import has no load or undo of this number that has ended").With(fmt.Sprint(req.Run)).Mended("See its runs.")
		}
		return run, fault.New(fault.Conflict, "nothing_written",
			"nothing of the import was loaded, so there is nothing to take back")
	}
	if req.Rows != "" {
		run.Only = &req.Rows
	}
	return run, nil
}

// wrote counts the rows of which a load has written records.
func wrote(r store.PastRun) int64 {
	return r.Outcomes.V[verdict.Created] + r.Outcomes.V[verdict.Updated] + r.Outcomes.V[verdict.Deleted] + r.Partly
}

func (s *Service) undoOf(ctx context.Context, r store.Run) (*staging.Undo, error) {
	i, err := s.store.ImportAnywhere(ctx, r.Import)
	if err != nil {
		return nil, err
	}
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return nil, err
	}
	return s.room.NewUndo(r, i, c), nil
}

// undo carries out an undo chunk by chunk. A chunk that the server refuses is made
// smaller until the act that it refuses stands alone.
func (s *Service) undo(ctx context.Context, r store.Run, i store.Import) error {
	if err := s.room.DropRun(ctx, r); err != nil { // of an earlier attempt
		return err
	}
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return err
	}
	u := s.room.NewUndo(r, i, c)
	planned, err := u.Plan(ctx)
	if err != nil {
		return err
	}
	if err := s.store.Outlook(ctx, r, planned); err != nil {
		return err
	}
	acts := s.room.ChunkActs()
	for {
		ended, err := u.Chunk(ctx, acts)
		switch {
		case err == nil && ended:
			if err := u.End(ctx, "", nil); err != nil {
				return err
			}
			return s.room.Drop(s.afterEnd(ctx, i.ID), i.ID, keptRuns(i)...)
		case err == nil:
			acts = min(acts*2, s.room.ChunkActs())
		case staging.Refused(err) && acts > 1:
			acts = max(acts/8, 1)
		case staging.Refused(err):
			if err := u.Refuse(ctx); err != nil {
				return err
			}
		default:
			return fmt.Errorf("take import %d back: %w", i.ID, err)
		}
	}
}

// keptRuns are the runs whose staging stays when no check holds any more.
func keptRuns(i store.Import) []int64 {
	if i.CellsRun == nil {
		return nil
	}
	return []int64{*i.CellsRun}
}

// sayRows writes the rows of an int8multirange that ParseRows has made as people write them.
func sayRows(rows string) string {
	said := strings.NewReplacer("{", "", "}", "", "],[", ", ", "[", "", "]", "", ",", "-").Replace(rows)
	parts := strings.Split(said, ", ")
	for n, part := range parts {
		if low, high, _ := strings.Cut(part, "-"); low == high {
			parts[n] = low
		}
	}
	return strings.Join(parts, ", ")
}

// ParseRows reads row numbers as people write them, "2-11, 15", into an
// int8multirange.
func ParseRows(s string) (string, error) {
	bad := func(part string) error {
		return fault.New(fault.Invalid, "bad_rows",
			"these are not row numbers").At(fault.Place{Path: "rows"}).With(part).Mended("Write numbers and ranges, as in 2-11, 15.")
	}
	var list []string
	for part := range strings.SplitSeq(s, ",") {
		part = strings.TrimSpace(part)
		if part == "" {
			continue
		}
		low, high, ranged := strings.Cut(part, "-")
		a, err := strconv.ParseInt(strings.TrimSpace(low), 10, 48)
		if err != nil || a < 1 {
			return "", bad(part)
		}
		b := a
		if ranged {
			if b, err = strconv.ParseInt(strings.TrimSpace(high), 10, 48); err != nil || b < a {
				return "", bad(part)
			}
		}
		list = append(list, fmt.Sprintf("[%d,%d]", a, b))
	}
	if len(list) == 0 {
		return "", bad(s)
	}
	return "{" + strings.Join(list, ",") + "}", nil
}
