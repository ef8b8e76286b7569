package staging

import (
	"context"
	"errors"
	"fmt"

	"uchi/internal/core/fault"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// While a chunk of a load or an undo writes, another connection writes what is behind. Only
// the first holds the locks that keep others from writing (store.LockTypes); the second
// takes them when the first has ended well, and counts only if nobody has come between.
// Else it is taken back, at once where the first fails, and what it does has its turn then.
//
// Neither waits long for what the other has written, which would be for ever, as the
// second waits for the end of the first: they write the same only where the check has
// erred. Who has waited is taken back, and its chunk is carried out alone.

// waitAhead is how long the two wait for what anybody has locked.
const waitAhead = `250ms`

// errBetween says that a chunk cannot stand as it was carried out ahead.
var errBetween = errors.New("somebody came between")

// ahead is a chunk that is carried out while the one before it is.
type ahead struct {
	before chan bool  // receives, once, whether the chunk before has ended well
	done   chan error // receives once
	leave  context.CancelFunc
}

// shared finds by find, which finds at most so many and tells how many, what the first of two chunks does, and gives how
// many each does at most: half of what is left for both where that is less than two whole chunks, and the first all of
// it where that is little.
func shared(most int, find func(most int) (found int64, err error)) (int, error) {
	found, err := find(2 * most)
	if err != nil {
		return most, err
	}
	if left := int(found); left < 2*most && left > most/4 {
		most = (left + 1) / 2
	}
	if found > int64(most) {
		_, err = find(most)
	}
	return most, err
}

// goAhead begins to carry out a chunk by f, which receives whether the one before has ended well. Its
// context is done when that has not.
func goAhead(ctx context.Context, f func(ctx context.Context, before <-chan bool) error) *ahead {
	ctx, leave := context.WithCancel(ctx)
	a := &ahead{before: make(chan bool, 1), done: make(chan error, 1), leave: leave}
	go func() { a.done <- fault.Safely(func() error { return f(ctx, a.before) }) }()
	return a
}

// join tells the chunk ahead whether the one before has ended well, and gives how it has ended itself. What
// cannot stand is not carried out to its end.
func (a *ahead) join(well bool) error {
	defer a.leave()
	if !well {
		a.leave()
	}
	a.before <- well
	return <-a.done
}

// readyAhead readies the transaction of a chunk ahead, which only a run that goes on may have.
func readyAhead(ctx context.Context, tx pgx.Tx, run store.Run) error {
	if err := waitBriefly(ctx, tx); err != nil {
		return err
	}
	return store.Guard(ctx, tx, run)
}

// waitBriefly makes a transaction fail that waits for another.
func waitBriefly(ctx context.Context, tx pgx.Tx) error {
	if _, err := tx.Exec(ctx, `set local lock_timeout = '`+waitAhead+`'`); err != nil {
		return fmt.Errorf("ready the server: %w", err)
	}
	return nil
}

// waited reports whether a transaction has failed because it waited for another.
func waited(err error) bool {
	state := store.SQLState(err)
	return state == "55P03" || state == "40P01" // lock not available, deadlock
}
