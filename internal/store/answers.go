package store

import (
	"context"
	"fmt"
	"time"

	"uchi/internal/core/verdict"

	"github.com/jackc/pgx/v5"
)

// Answer is what a person said of a draft of a row; one that leaves it out is
// about the whole row.
type Answer struct {
	Row      int64          `db:"row_no"`
	Draft    string         `db:"draft"`
	Choice   verdict.Choice `db:"choice"`
	Record   *int64         `db:"record_id"`
	OtherRow *int64         `db:"other_row"`
	Keep     JSON[[]string] `db:"keep"`
	Person   string         `db:"person"`
	At       time.Time      `db:"at"`
}

const answerColumns = `a.row_no, a.draft, a.choice, a.record_id, a.other_row, to_jsonb(a.keep) as keep, p.name as person, a.at`

// AnswersOf gives the answers about some rows of an import.
func (s *Store) AnswersOf(ctx context.Context, id int64, rows []int64) ([]Answer, error) {
	var list []Answer
	err := s.db.SelectContext(ctx, &list, `select `+answerColumns+` from answers a join people p on p.id = a.person
		where a.import = $1 and a.row_no = any($2)`, id, rows)
	if err != nil {
		return nil, fmt.Errorf("read answers: %w", err)
	}
	return list, nil
}

// Answers gives a page of all answers of an import behind a row number; a page
// holds all answers about its rows.
func (s *Store) Answers(ctx context.Context, id, after int64, limit int) ([]Answer, error) {
	var list []Answer
	err := s.db.SelectContext(ctx, &list, `
		select row_no, draft, choice, record_id, other_row, keep, person, at
		from (select `+answerColumns+`, dense_rank() over (order by a.row_no) as place
			from answers a join people p on p.id = a.person where a.import = $1 and a.row_no > $2) x
		where place <= $3 order by row_no, draft`, id, after, limit)
	if err != nil {
		return nil, fmt.Errorf("list answers: %w", err)
	}
	return list, nil
}

// CountAnswers counts the answers of an import, and those that the last check
// has not seen.
func (s *Store) CountAnswers(ctx context.Context, id int64) (all, unseen int64, err error) {
	err = s.pool.QueryRow(ctx, `
		select count(*), count(*) filter (where i.checked_at is null or a.at > i.checked_at)
		from answers a join imports i on i.id = a.import where a.import = $1`, id).Scan(&all, &unseen)
	if err != nil {
		return 0, 0, fmt.Errorf("count answers: %w", err)
	}
	return all, unseen, nil
}

// TakeBack forgets answers, for the change of an act: of the given rows, or all
// with none given. It gives how many there were.
func TakeBack(ctx context.Context, tx pgx.Tx, id int64, rows []int64) (int64, error) {
	tag, err := tx.Exec(ctx, `
		with gone as (
			delete from answers where import = $1 and (coalesce(cardinality($2::bigint[]), 0) = 0 or row_no = any($2))
			returning row_no
		)
		insert into touched_rows (import, row_no) select distinct $1::bigint, row_no from gone
		on conflict do nothing`, id, rows)
	if err != nil {
		return 0, fmt.Errorf("take answers back: %w", err)
	}
	return tag.RowsAffected(), nil
}

// Touched lists the rows of which something was said or taken back since the
// last check, or whose cells were changed, at most so many; more tells that there
// are others, cells that cells were changed.
func (s *Store) Touched(ctx context.Context, id int64, most int) (rows []int64, more, cells bool, err error) {
	if err := s.db.SelectContext(ctx, &rows, `select row_no from touched_rows where import = $1 order by row_no
		limit $2`, id, most+1); err != nil {
		return nil, false, false, fmt.Errorf("list touched rows: %w", err)
	}
	if err := s.db.GetContext(ctx, &cells, `select exists (select from touched_rows where import = $1 and cells)`,
		id); err != nil {
		return nil, false, false, fmt.Errorf("list touched rows: %w", err)
	}
	return rows[:min(len(rows), most)], len(rows) > most, cells, nil
}

// Untouch forgets which rows were touched, for the end of the check that has
// seen what was said until its beginning.
func Untouch(ctx context.Context, tx pgx.Tx, id int64) error {
	if _, err := tx.Exec(ctx, `delete from touched_rows where import = $1`, id); err != nil {
		return fmt.Errorf("forget touched rows: %w", err)
	}
	return nil
}
