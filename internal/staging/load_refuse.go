package staging

import (
	"context"
	"errors"
	"strings"

	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Refused reports whether the server refused a value or a constraint, so that
// a smaller chunk can find the row.
func Refused(err error) bool {
	state := store.SQLState(err)
	return strings.HasPrefix(state, "22") || strings.HasPrefix(state, "23")
}

// whyRefused words why the server refused a row.
func whyRefused(err error) string {
	var pg *pgconn.PgError
	if !errors.As(err, &pg) {
		return "the database refused it"
	}
	switch pg.Code {
	case "23505":
		return "another record has been given the same key meanwhile"
	case "22003":
		return "a number is larger than the field can hold"
	case "22001":
		return "a text is longer than the field can hold"
	case "22007", "22008":
		return "a date is outside what the field can hold"
	case "54000":
		return "the values of the row are together too long for an index"
	}
	return "the database refused its values (" + pg.Code + ")"
}

// Refuse writes the outcome failed for the next row, which the server refuses. It
// reports whether the load has given way by its policy.
func (l *Load) Refuse(ctx context.Context, cause error) (ended bool, err error) {
	err = pgx.BeginFunc(ctx, l.room.pool, func(tx pgx.Tx) error {
		i, err := store.LockImport(ctx, tx, l.run)
		if err != nil {
			return err
		}
		c := chunk{Load: l, tx: tx, i: i, most: 1}
		if err := c.bounds(ctx); err != nil {
			return err
		}
		if c.rows == 0 {
			return nil
		}
		before, _, err := c.count(ctx)
		if err != nil {
			return err
		}
		why := whyRefused(cause)
		err = c.do(ctx, step{does: "notes the refused row", reads: "results", writes: "results problems"},
			q(`insert into {problems} (row_no, code, field, col, value, detail) values (@row, @code, '', '', '', @why)`,
				arg{"row": c.low, "code": string(problem.WriteRefused), "why": why}),
			q(`update {results} o set last = false where o.last and o.row_no = @row`, arg{"row": c.low}))
		if err != nil {
			return err
		}
		for n := range c.check.drafts {
			err := c.do(ctx, step{does: "notes the refused row", writes: "results"},
				q(`insert into {results} (row_no, draft, run, outcome, of_row, detail)
				values (@row, @draft, @run, @failed, nullif(@of_row, ''), @why)`,
					arg{"row": c.low, "draft": n + 1, "run": c.run.Piece, "failed": string(verdict.Failed),
						"of_row": firstOnly(n, string(verdict.Failed)), "why": why}))
			if err != nil {
				return err
			}
		}
		w, err := c.whatCame(ctx, before)
		if err != nil {
			return err
		}
		if err := c.note(ctx, w); err != nil {
			return err
		}
		ended, err = c.endIfItGivesWay(ctx)
		return err
	})
	return ended, err
}

// firstOnly gives a word for the first draft, and nothing for the others.
func firstOnly(n int, word string) string {
	if n == 0 {
		return word
	}
	return ""
}
