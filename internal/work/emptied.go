package work

import (
	"context"
	"slices"

	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// A crash of the database empties what is staged of every import: its tables are not logged, since everything in them can be
// made again from the source, the routine, the edits and the answers. Whoever looks at an import then must not be shown
// that it has no rows.

// ErrLost says that what was staged of an import is made again.
var ErrLost = fault.New(fault.Conflict, "staging_lost",
	"the database broke down and lost the rows as they were read; they are being read and checked again").
	Mended("Wait a moment, and try again. No record was touched.")

// checksDiffer are the words for a check that is made again and says something else.
const checksDiffer = "the database had lost what was checked, and the check, made again, says something else"

// Standing reports with ErrLost that what is staged of an import was lost, and sees to it that it is made again.
func (s *Service) Standing(ctx context.Context, i store.Import) error {
	now := i.Now()
	if !now.Facts[life.Read] || i.State == life.Discarded {
		return nil
	}
	there, err := s.room.HasCells(ctx, i)
	if err != nil || there {
		return err
	}
	// A run may have ended between, whose cells hold by now.
	if i, err = s.store.Import(ctx, i.Workspace, i.ID); err != nil {
		return err
	}
	if there, err := s.room.HasCells(ctx, i); err != nil || there {
		return err
	}
	if i.Work == "" {
		runs, err := s.store.Runs(ctx, i.ID)
		if err != nil {
			return err
		}
		if len(runs) > 0 && runs[0].Work == life.Reading && runs[0].Ended == string(life.Failed) && runs[0].Trouble.V != nil {
			t := runs[0].Trouble.V // it is not tried again and again
			return fault.New(fault.Conflict, "source_unreadable",
				"the database broke down and lost the rows as they were read, and they cannot be read again: "+t.Message).
				With(i.Name).Mended("Read the source otherwise at the Source station, or upload the file again. No record was touched.")
		}
		err = s.makeAgain(ctx, i)
		if err != nil && !fault.Is(err, "import_busy") && !fault.Is(err, "bundle_busy") { // else somebody else has seen it
			return err
		}
	}
	return ErrLost.With(i.Name)
}

// makeAgain begins to make again what was lost of an import. Checked imports of a bundle are checked again with the
// others, in their order: what one makes counts as found for the next. One of which rows were loaded already is by itself, as
// it is no longer checked with the others.
func (s *Service) makeAgain(ctx context.Context, i store.Import) error {
	ctx = store.From(ctx, store.Origin{}) // it does not come from who looks
	if i.Bundle != nil && i.State == life.Ready && !i.Written {
		b, err := s.store.Bundle(ctx, i.Workspace, *i.Bundle)
		if err != nil || b.Works() { // which comes to it
			return err
		}
		if b.State == life.Ready {
			maker, err := s.store.PersonIn(ctx, b.MadeBy, b.Workspace)
			if err != nil {
				return err
			}
			return s.CheckBundle(ctx, b, maker)
		}
	}
	return s.actRun(ctx, i, life.Lost, store.Run{Person: i.MadeBy}, store.Person{}, nil) // which nobody does
}

// readAgain makes again what a crash of the database has emptied of an import, where a run is for that: the cells, and
// the verdicts of what can be loaded or mended. It reports whether it was so.
func (s *Service) readAgain(ctx context.Context, r store.Run, i store.Import) (was bool, err error) {
	if !i.Now().Facts[life.Read] {
		return false, nil
	}
	if otherwise, err := s.store.ReadOtherwise(ctx, i.ID); err != nil || otherwise {
		return false, err
	}
	if there, err := s.room.HasCells(ctx, i); err != nil || there {
		return false, err
	}
	verdicts := i.CheckRun != nil && i.Routine.V != nil &&
		slices.Contains([]life.State{life.Ready, life.Loaded, life.Stopped}, i.State)
	var checked store.Checked
	var trouble *store.Trouble
	if verdicts {
		var now store.Import
		checked, now, err = s.checkRows(ctx, r, i)
		switch _, told := fault.From(err); {
		case told: // the cells are there all the same, and what keeps it from being checked is told
			t := s.troubleOf(err, i.ID)
			verdicts, trouble = false, &t
		case err != nil:
			return true, err
		default:
			i = now
		}
	}
	if !verdicts {
		if err := s.room.DropRun(ctx, r); err != nil { // of an earlier attempt
			return true, err
		}
		if _, err := s.stageSource(ctx, r, i, false); err != nil {
			return true, err
		}
	}
	if i.State == life.Ready && verdicts && checked.Digest != i.Digest {
		trouble = &store.Trouble{Code: "checks_differ", Message: checksDiffer,
			Mend: "Look at the new check, and load if it is right."}
	}
	err = s.store.EndRun(ctx, r, life.WasRead, trouble, func(ctx context.Context, tx pgx.Tx, _ store.Import) error {
		switch {
		case !verdicts:
			return store.SetCells(ctx, tx, r)
		case i.State == life.Ready:
			return setChecked(ctx, tx, r, i, checked)
		}
		if err := store.SetCells(ctx, tx, r); err != nil {
			return err
		}
		return store.SetCheckedAgain(ctx, tx, r)
	})
	if err != nil {
		return true, err
	}
	keep := []int64{r.ID}
	if i.CheckRun != nil && !verdicts {
		keep = append(keep, *i.CheckRun)
	}
	return true, s.room.Drop(s.afterEnd(ctx, i.ID), i.ID, keep...)
}
