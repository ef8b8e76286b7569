package work

import (
	"cmp"
	"context"
	"errors"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/store"
)

// Times of ending what stands beside: a database that has just crashed is asked
// again.
const (
	endAgainAfter = 500 * time.Millisecond
	endAgainFor   = 2 * time.Minute
)

// beside does something with a run that stands beside the import's own and changes
// nothing of it: a try, the plan of an undo, the staging of what an edit is to
// take over. It drops what the run has staged. Who cancels the import's work ends
// it.
func (s *Service) beside(ctx context.Context, i store.Import, by store.Person,
	f func(ctx context.Context, run store.Run) error) error {
	run, err := s.store.BeginTry(ctx, i, s.opt.Process, by)
	if err != nil {
		return err
	}
	watched, end := s.watch(ctx, run)
	err = fault.Safely(func() error { return f(watched, run) })
	cause := context.Cause(watched)
	end()
	after := context.WithoutCancel(ctx)
	over := func() error {
		return errors.Join(s.store.EndTry(after, run, cmp.Or(cause, err)), s.room.DropRun(after, run))
	}
	if wrong := over(); wrong != nil {
		go s.again(i.ID, run, wrong, over)
	}
	if errors.Is(cause, store.ErrCancelled) {
		return fault.New(fault.Conflict, "cancelled", "it was cancelled").Mended("Try again.")
	}
	return err
}

// again ends a run when the database answers again, so that nothing seems to go on
// for ever.
func (s *Service) again(importID int64, run store.Run, wrong error, over func() error) {
	for began := time.Now(); time.Since(began) < endAgainFor; {
		time.Sleep(endAgainAfter)
		if wrong = over(); wrong == nil {
			return
		}
	}
	s.opt.Log.Warn("what a run has staged stays for now", "import", importID, "run", run.ID, "error", wrong)
}
