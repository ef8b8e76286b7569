package staging

import (
	"context"
	"errors"
	"slices"

	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// independent reports whether what comes of a row does not hang on rows of other chunks: none points to
// what another row becomes, and none goes only when others do.
func (l *Load) independent() bool {
	return !slices.ContainsFunc(l.check.drafts, func(d *draftCheck) bool {
		return d.plan.May == mapping.Delete ||
			slices.ContainsFunc(d.plan.Fields, func(fp mapping.FieldPlan) bool { return fp.Becomes() >= 0 })
	})
}

// nextAndAhead carries out the next rows, and those behind them ahead.
func (l *Load) nextAndAhead(ctx context.Context, rows int) (ended bool, err error) {
	var a *ahead
	well := false
	defer func() {
		if a != nil {
			//nolint:errcheck // what went wrong shows again when the rows have their turn
			a.join(well)
		}
	}()
	ended, err = l.next(ctx, rows, func(c *chunk) error {
		behind, held, ids := c.next, c.held, c.spare
		a = goAhead(ctx, func(ctx context.Context, before <-chan bool) error {
			return l.room.begin(ctx, func(tx pgx.Tx) error {
				behind.tx = tx
				return behind.carryOutAhead(ctx, held, ids, before)
			})
		})
		return waitBriefly(ctx, c.tx)
	})
	well = err == nil && !ended
	return ended, err
}

// makesBehind readies the chunk of the rows behind this one, and counts what they are to make. Where there are none,
// nothing begins beside.
func (c *chunk) makesBehind(ctx context.Context) (map[string]int64, error) {
	i := c.i
	i.NextRow = c.high + 1
	c.next = &chunk{Load: c.Load, tx: c.tx, i: i, number: c.number + 1, most: c.most}
	if err := c.next.bounds(ctx); err != nil {
		return nil, err
	}
	if c.next.rows == 0 {
		c.begun = nil
		return nil, nil
	}
	return c.next.toMake(ctx)
}

// carryOutAhead carries out the rows, of which new records get the ids after those given, and lets it
// stand when the chunk before, which holds the locks, has ended well and nobody has come between.
func (c *chunk) carryOutAhead(ctx context.Context, held locks, ids map[string]int64, before <-chan bool) error {
	if err := readyAhead(ctx, c.tx, c.run); err != nil {
		return err
	}
	c.give(ids)
	w, err := c.perform(ctx, held.writes != c.i.Writes, held.links != c.i.LinkWrites)
	if err != nil {
		return err
	}
	if !<-before {
		return errBetween
	}
	if err := c.follow(ctx, held); err != nil {
		return err
	}
	if err := c.noteMade(ctx); err != nil {
		return err
	}
	if err := c.standFor(ctx); err != nil {
		return err
	}
	if err := c.conclude(ctx, w); err != nil {
		return err
	}
	if event, _, err := c.givesWay(ctx); err != nil || event != "" { // the load ends with a chunk that is alone
		return errors.Join(errBetween, err)
	}
	return nil
}

// follow takes the locks that the chunk before has held, and gives an error where somebody came between.
func (c *chunk) follow(ctx context.Context, held locks) error {
	i, err := store.LockImport(ctx, c.tx, c.run)
	if err != nil {
		return err
	}
	if i.NextRow != c.i.NextRow || i.State != life.Loading {
		return errBetween
	}
	c.i = i
	none := map[string]int64{}
	for name := range held.bases {
		none[name] = 0
	}
	now, err := c.lock(ctx, none)
	if err != nil {
		return err
	}
	if now.writes != held.writes+int64(len(none)) || now.links != held.links {
		return errBetween
	}
	return nil
}
