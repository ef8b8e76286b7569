package staging

import (
	"context"
	"errors"
	"fmt"
	"time"

	"uchi/internal/core/sheet"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// Rows can be typed while they are read, for a check that is to follow at once. Their drafts stand in tables of the run that
// reads, beside a table, made at last, that says by what they were typed; the check takes them if it would type them so, and
// else drops them.

// Ahead types rows while they are read. It is for one goroutine.
type Ahead struct{ typing *typing }

// TypeAhead begins to type rows for a check that is to follow; the check is by the run that reads them.
func (k *Check) TypeAhead(ctx context.Context) (*Ahead, error) {
	k.twice = newSaidTwice()
	t, err := k.beginTyping(ctx, false, func(int64) error { return nil })
	if err != nil {
		return nil, fmt.Errorf("type ahead: %w", err)
	}
	return &Ahead{t}, nil
}

// Add types a row; its cells may be used again. An error says that no more are wanted, End tells why.
func (a *Ahead) Add(row sheet.Row) error {
	b := a.typing.line.Row(2)
	b.Int64(row.Number)
	b.Texts(row.Cells)
	return a.typing.line.Next()
}

// End waits until all rows are staged and notes by what they were typed; with failed it gives them up.
func (a *Ahead) End(ctx context.Context, failed error) error {
	k := a.typing.check
	if err := a.typing.end(failed); err != nil {
		return fmt.Errorf("type ahead: %w", err)
	}
	twice, err := k.twice.text()
	if err != nil {
		return fmt.Errorf("type ahead: %w", err)
	}
	return k.room.withConn(ctx, k.run, func(c *conn) error {
		_, err := c.do(ctx, stepTypedAhead, k.word, q(`create unlogged table {typed} as select @by::text as by, @twice::text as twice`,
			arg{"by": k.typedBy(), "twice": twice}))
		return err
	})
}

var (
	stepTypedAhead = step{does: "notes by what rows were typed while they were read", writes: "typed"}
	stepTakeTyped  = step{does: "takes what was typed while it was read", writes: "left problems"}
)

// typedBy says by what rows are typed: of two checks with the same, each row becomes the same drafts, in tables of the same
// columns.
func (k *Check) typedBy() string {
	by := time.Now().UTC().Format(time.DateOnly) + " " + k.plan.Typing() // of two figures, the year depends on the present one
	for _, d := range k.drafts {
		by += fmt.Sprint(" ", draftColumns(d.plan))
	}
	return by
}

// TakeTyped takes the drafts that the run which has staged the cells has typed; ok is false where there are none, or the check
// would type rows otherwise. What it does not take goes. Nothing may have been written or edited.
func (k *Check) TakeTyped(ctx context.Context) (ok bool, err error) {
	if k.i.CellsRun == nil || k.i.Written {
		return false, nil
	}
	from := store.Run{ID: *k.i.CellsRun, Import: k.i.ID}
	typed := table(k.i.ID, from.ID, "typed")
	there, err := k.room.there(ctx, typed)
	if err != nil || !there {
		return false, err
	}
	var by, twice string
	var edited bool
	err = k.room.pool.QueryRow(ctx, `select by, twice, exists (select from edits where import = $1) from `+typed, k.i.ID).
		Scan(&by, &twice, &edited)
	if errors.Is(err, pgx.ErrNoRows) { // a crash of the database has emptied it
		return false, nil
	}
	if err != nil {
		return false, fmt.Errorf("take what was typed: %w", err)
	}
	if ok = by == k.typedBy() && !edited; !ok {
		return false, k.room.DropTyped(ctx, from)
	}
	if k.twice, err = saidTwiceOf(twice); err != nil {
		return false, fmt.Errorf("take what was typed: %w", err)
	}
	parts := []string{"left", "problems"}
	for n := range k.drafts {
		parts = append(parts, draftPart(n, "draft"))
	}
	statements := []stmt{q(`drop table {typed}`, frag{"typed": typed})}
	for _, part := range parts {
		statements = append(statements, q(`alter table {from} rename to {to}`, frag{
			"from": table(k.i.ID, from.ID, part), "to": schema.Ident(tableName(k.i.ID, k.run.ID, part))}))
	}
	k.size = k.i.Rows
	return true, k.room.withConn(ctx, k.run, func(c *conn) error {
		_, err := c.do(ctx, stepTakeTyped, k.word, statements...)
		return err
	})
}

// DropTyped drops what a run has typed while it read.
func (r *Room) DropTyped(ctx context.Context, run store.Run) error {
	return r.drop(ctx, fmt.Sprintf(`^i%d_r(%d)_(left|problems|typed|d\d+_draft)$`, run.Import, run.ID), nil, run.ID)
}
