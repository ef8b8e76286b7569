package staging

import (
	"context"
	"errors"
	"testing"
	"time"
)

// A chunk ahead whose forerunner has failed leaves off at once, however much it has still to do; one whose
// forerunner has ended well goes on.
func TestAChunkAheadLeavesOffWhenTheOneBeforeFails(t *testing.T) {
	for _, well := range []bool{true, false} {
		working, goOn := make(chan bool), make(chan bool)
		a := goAhead(t.Context(), func(ctx context.Context, before <-chan bool) error {
			close(working)
			select {
			case <-goOn:
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(10 * time.Second):
				return errors.New("went on to its end")
			}
			if !<-before {
				return errBetween
			}
			return ctx.Err()
		})
		<-working
		if well {
			close(goOn)
		}
		if err := a.join(well); well != (err == nil) || !well && !errors.Is(err, context.Canceled) {
			t.Errorf("the one before has ended well: %v, this one ended with %v", well, err)
		}
	}
}
