package work

import (
	"context"
	"errors"
	"sync"
	"time"
	"uchi/internal/core/fault"

	"uchi/internal/core/life"
	"uchi/internal/store"
)

// upkeep shows that the process lives, takes over from those that do not, and
// cleans up, until the service ends.
func (s *Service) upkeep(ctx context.Context) {
	defer close(s.done)
	defer func() { // looks of feeds, and exports, end with the service
		s.exporting.Lock() //nolint:staticcheck // it is held for good
		s.copying.Lock()   //nolint:staticcheck // it too
		s.indexing.Lock()  //nolint:staticcheck // it too
		for range mostLooks {
			s.looks <- struct{}{}
		}
	}()
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	var cleaned time.Time
	for {
		select {
		case <-ctx.Done():
			return
		case <-s.wake:
			if err := errors.Join(s.lookForFeeds(ctx), s.lookForExports(ctx), s.lookForCopies(ctx), s.sendNotices(ctx),
				s.callHooks(ctx)); err != nil {
				s.opt.Log.Warn("could not look for feeds, exports and copies", "error", err)
			}
			continue
		case <-tick.C:
		}
		if err := s.store.Beat(ctx, s.opt.Process); err != nil {
			s.opt.Log.Warn("heartbeat failed", "error", err)
			continue
		}
		if err := s.store.SealLog(ctx, time.Since(cleaned) > cleanEvery); err != nil {
			s.opt.Log.Warn("could not seal the log", "error", err)
		}
		if err := s.takeOver(ctx, ""); err != nil {
			s.opt.Log.Warn("could not look for dead processes", "error", err)
		}
		if err := s.advanceAll(ctx); err != nil {
			s.opt.Log.Warn("could not go on with a bundle", "error", err)
		}
		if err := s.lookForFeeds(ctx); err != nil {
			s.opt.Log.Warn("could not look for feeds", "error", err)
		}
		if err := s.lookForExports(ctx); err != nil {
			s.opt.Log.Warn("could not look for exports", "error", err)
		}
		if err := s.lookForCopies(ctx); err != nil {
			s.opt.Log.Warn("could not look for copies", "error", err)
		}
		s.makeIndexes(ctx)
		if err := errors.Join(s.sendNotices(ctx), s.callHooks(ctx)); err != nil {
			s.opt.Log.Warn("could not send notices", "error", err)
		}
		if err := s.freeLost(ctx); err != nil {
			s.opt.Log.Warn("could not look for lost runs", "error", err)
		}
		if time.Since(cleaned) > cleanEvery {
			cleaned = time.Now()
			if err := s.Clean(ctx); err != nil {
				s.opt.Log.Warn("could not clean up", "error", err)
			}
		}
	}
}

// takeUp does the next piece of a kind of work beside everything else, when this process does none of it: claim
// gives what is to be done, nil for nothing. Then it looks for the next.
func (s *Service) takeUp(ctx context.Context, held *sync.Mutex, claim func() (do func(), err error)) error {
	if !held.TryLock() {
		return nil
	}
	do, err := claim()
	if err != nil || do == nil {
		held.Unlock()
		return err
	}
	go func() {
		do()
		held.Unlock()
		if ctx.Err() == nil {
			s.wakeUp() // for the next
		}
	}()
	return nil
}

// makeIndexes makes the indexes that looks at records have asked for, when this process makes none.
func (s *Service) makeIndexes(ctx context.Context) {
	if !s.indexing.TryLock() {
		return
	}
	go func() {
		defer s.indexing.Unlock()
		for made := true; made && ctx.Err() == nil; {
			var err error
			err = fault.Safely(func() error {
				made, err = s.store.MakeViewIndex(ctx)
				return err
			})
			if err != nil {
				if ctx.Err() == nil {
					s.opt.Log.Warn("an index was not made", "error", err)
				}
				return
			}
		}
	}()
}

// freeLost ends runs whose job the queue no longer has, so that nothing stays
// busy for ever.
func (s *Service) freeLost(ctx context.Context) error {
	lost, err := s.store.Lost(ctx, lostAfter)
	if err != nil {
		return err
	}
	for _, r := range lost {
		s.opt.Log.Error("a run has lost its job", "import", r.Import, "run", r.ID)
		trouble := store.Trouble{Code: "run_lost", Message: "the work on the import was lost",
			Mend: "Begin it again; the service's log says more."}
		if err := s.end(ctx, r, life.Failed, &trouble); err != nil && !errors.Is(err, store.ErrTaken) {
			return err
		}
	}
	return nil
}
