package staging

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// The texts of a large import's rows, each in one piece and in small letters, make
// a search quick. They are derived from the cells, made beside everything else
// when somebody first looks at the rows, and changed with the cells.

// saidIn is the SQL of what the cells of a row say, in one piece.
func saidIn(cells string) string { return `lower(array_to_string(` + cells + `, ' '))` }

// seenCells is the SQL of those cells of a row c that are not kept from who looks.
func seenCells(i store.Import) string {
	var list []string
	for _, col := range i.Columns.V {
		if !i.Veil.KeepsColumn(col.Position) {
			list = append(list, `c.cells[`+schema.Int(int64(col.Position+1))+`]`)
		}
	}
	return `array[` + strings.Join(list, ", ") + `]::text[]`
}

// textsOf names the table of the texts of an import whose cells are staged.
func textsOf(i store.Import) string { return table(i.ID, *i.CellsRun, "texts") }

// hasTexts reports whether this process knows that the texts are there.
func (r *Room) hasTexts(i store.Import) bool {
	_, ok := r.texts.Load(textsOf(i))
	return ok
}

// readyTexts makes the texts, unless they are there. Cells do not change meanwhile.
func (r *Room) readyTexts(ctx context.Context, i store.Import) error {
	cells, ok := cellsOf(i)
	if !ok || r.hasTexts(i) {
		return nil
	}
	texts := textsOf(i)
	err := pgx.BeginFunc(ctx, r.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `lock table `+cells+` in share mode`); err != nil {
			return err
		}
		var there bool
		if err := tx.QueryRow(ctx, `select to_regclass($1) is not null`, texts).Scan(&there); err != nil || there {
			return err
		}
		for _, sql := range []string{
			`create unlogged table ` + texts + ` as select c.row_no, ` + saidIn("c.cells") + ` collate "C" as said from ` +
				cells + ` c`,
			`alter table ` + texts + ` add primary key (row_no)`,
			`analyze ` + texts,
		} {
			if _, err := tx.Exec(ctx, sql); err != nil {
				return err
			}
		}
		return nil
	})
	if isGone(err) {
		return nil // other cells hold by now
	}
	if err != nil {
		return fmt.Errorf("make the texts of the rows ready: %w", err)
	}
	r.texts.Store(texts, true)
	return nil
}

// mostFound is how many rows with a text are noted at most. Of more a page is soon full.
const mostFound = 10_000

// Find looks up which rows have the text that a filter looks for, once for all that is asked with
// the filter after it: a page and how many there are. Where no texts are kept, or too many rows
// have it, the filter stays as it is, and each looks for itself.
func (r *Room) Find(ctx context.Context, i store.Import, f RowFilter) (RowFilter, error) {
	if _, ok := cellsOf(i); !ok || f.Text == "" || len(i.Veil.Columns) > 0 || !r.hasTexts(i) {
		return f, nil
	}
	// A text that is searched as it stands takes half the time of a pattern.
	rows, err := r.pool.Query(ctx, `select row_no from `+textsOf(i)+` where strpos(said, $1) > 0 order by row_no limit $2`,
		strings.ToLower(f.Text), mostFound+1)
	if err != nil {
		return f, fmt.Errorf("look for a text: %w", err)
	}
	found, err := pgx.AppendRows([]int64{}, rows, pgx.RowTo[int64])
	switch {
	case isGone(err): // other cells hold by now
		return f, nil
	case err != nil:
		return f, fmt.Errorf("look for a text: %w", err)
	case len(found) <= mostFound:
		f.found = &found
	}
	return f, nil
}

// changeTexts lets the texts of rows follow their cells, where they are kept; the
// rows stand in the temporary table edited.
func (r *Room) changeTexts(ctx context.Context, tx pgx.Tx, i store.Import) error {
	cells, _ := cellsOf(i)
	var there bool
	if err := tx.QueryRow(ctx, `select to_regclass($1) is not null`, textsOf(i)).Scan(&there); err != nil || !there {
		return err
	}
	_, err := tx.Exec(ctx, `update `+textsOf(i)+` t set said = `+saidIn("c.cells")+` from `+cells+` c
		where c.row_no = t.row_no and t.row_no in (select row_no from edited)`)
	if err != nil {
		return fmt.Errorf("change the texts of rows: %w", err)
	}
	return nil
}
