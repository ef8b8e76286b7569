package work

import (
	"context"
	"errors"
	"sync/atomic"
	"time"
	"uchi/internal/core/fault"

	"uchi/internal/store"
)

// lookForCopies begins to fill the next workspace that was copied, when this process fills none.
func (s *Service) lookForCopies(ctx context.Context) error {
	return s.takeUp(ctx, &s.copying, func() (func(), error) {
		w, ok, err := s.store.ClaimCopy(ctx, s.opt.Process, silentAfter)
		if err != nil || !ok {
			return nil, err
		}
		return func() { s.fill(ctx, w) }, nil
	})
}

// fill lets the records of a workspace come along that this process has claimed, and notes why
// where they do not.
func (s *Service) fill(ctx context.Context, w store.CopyWork) {
	log := s.opt.Log.With("workspace", w.Workspace, "from", w.From)
	working, stop := context.WithCancelCause(ctx)
	var records, chosen atomic.Int64
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(beatEvery)
		defer tick.Stop()
		for {
			mine, err := s.store.BeatCopy(working, w.Workspace, s.opt.Process, records.Load(), chosen.Load())
			switch {
			case err != nil && working.Err() == nil:
				log.Warn("the filling of a workspace shows no life", "error", err)
			case err == nil && !mine:
				stop(store.ErrCopyTaken)
			}
			select {
			case <-working.Done():
				return
			case <-tick.C:
			}
		}
	}()
	err := fault.Safely(func() error {
		return s.store.CopyRecordsOf(working, w, s.opt.Process, func(n, of int64) {
			records.Store(n)
			chosen.Store(of)
		})
	})
	cause := context.Cause(working)
	stop(nil)
	<-ended
	switch after := context.WithoutCancel(ctx); {
	case err == nil:
		log.Info("the records have come along", "records", records.Load())
	case errors.Is(err, store.ErrCopyTaken), errors.Is(cause, store.ErrCopyTaken):
		log.Info("the filling of a workspace was given up, or taken over")
	default:
		var trouble *store.Trouble
		if ctx.Err() == nil && !store.Passing(err) { // else the next takes it up
			log.Error("a workspace was not filled", "error", err)
			trouble = &store.Trouble{Code: "not_filled", Message: "the records could not be copied",
				Mend: "Remove the workspace and copy again; the service's log says more."}
			if full := store.Told(err); full != nil {
				trouble = new(store.Trouble)
				*trouble = store.TroubleOf(full)
			}
		}
		if err := s.store.EndCopy(after, w.Workspace, s.opt.Process, trouble); err != nil {
			log.Warn("the end of a copy is not noted", "error", err)
		}
	}
}
