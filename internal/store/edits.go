package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
)

// Edit is a cell that was changed after its source was read. The source itself is
// never changed.
type Edit struct {
	Row    int64     `db:"row_no"`
	Place  int       `db:"place"` // of the column, counted from 0
	Was    string    `db:"was"`   // as the source says
	Value  string    `db:"value"`
	Person string    `db:"person"`
	At     time.Time `db:"at"`
}

const editColumns = `e.row_no, e.place, e.was, e.value, p.name as person, e.at`

// Edits gives a page of the edits of an import behind a row number; a page holds
// all edits of its rows.
func (s *Store) Edits(ctx context.Context, id, after int64, limit int) ([]Edit, error) {
	var list []Edit
	err := s.db.SelectContext(ctx, &list, `
		select row_no, place, was, value, person, at
		from (select `+editColumns+`, dense_rank() over (order by e.row_no) as n
			from edits e join people p on p.id = e.person where e.import = $1 and e.row_no > $2) x
		where n <= $3 order by row_no, place`, id, after, limit)
	if err != nil {
		return nil, fmt.Errorf("list edits: %w", err)
	}
	return list, nil
}

// EditsOf gives the edits of some rows of an import.
func (s *Store) EditsOf(ctx context.Context, id int64, rows []int64) ([]Edit, error) {
	var list []Edit
	err := s.db.SelectContext(ctx, &list, `select `+editColumns+` from edits e join people p on p.id = e.person
		where e.import = $1 and e.row_no = any($2) order by e.row_no, e.place`, id, rows)
	if err != nil {
		return nil, fmt.Errorf("read edits: %w", err)
	}
	return list, nil
}

// CountEdits counts the edits of an import.
func (s *Store) CountEdits(ctx context.Context, id int64) (n int64, err error) {
	if err := s.db.GetContext(ctx, &n, `select count(*) from edits where import = $1`, id); err != nil {
		return 0, fmt.Errorf("count edits: %w", err)
	}
	return n, nil
}

// mostNoted is how many rows are noted as touched at once: of more, all are
// checked again.
const mostNoted = 2001

// KeepEdits makes edits of an import of the rows of a temporary table edited
// (row_no, place, was, value), for the change of an act. A cell that says again
// what its source does is no edit any more.
func KeepEdits(ctx context.Context, tx pgx.Tx, id, by int64) error {
	for _, q := range []struct {
		sql  string
		args []any
	}{
		{`insert into edits as e (import, row_no, place, was, value, person)
			select $1, row_no, place, was, value, $2 from edited
			on conflict (import, row_no, place) do update set value = excluded.value, person = excluded.person, at = now()`,
			[]any{id, by}},
		{`delete from edits e using edited x where e.import = $1 and e.row_no = x.row_no and e.place = x.place
			and e.value = e.was`, []any{id}},
		{`insert into touched_rows (import, row_no, cells) select distinct $1::bigint, row_no, true from edited limit $2
			on conflict (import, row_no) do update set cells = true`, []any{id, mostNoted}},
	} {
		if _, err := tx.Exec(ctx, q.sql, q.args...); err != nil {
			return fmt.Errorf("keep edits: %w", err)
		}
	}
	return nil
}
