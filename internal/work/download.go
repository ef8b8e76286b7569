package work

import (
	"context"
	"encoding/csv"
	"errors"
	"io"
	"iter"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// Columns that a download puts behind the original ones.
const (
	rowColumn     = "Row"
	stateColumn   = "What became of it"
	recordColumn  = "Record"
	problemColumn = "What is wrong"
)

// downloadColumns lists them, with that by which a row takes its place again.
var downloadColumns = []string{rowColumn, stateColumn, recordColumn, problemColumn, MarkColumn}

// WriteRows writes chosen rows as CSV (RFC 4180 but for line feeds, UTF-8 with a byte order mark
// so that spreadsheet programs see the encoding): the original columns, then
// what became of the row, its record and what is wrong with it.
func (s *Service) WriteRows(ctx context.Context, i store.Import, c catalog.Catalog, f staging.RowFilter,
	w io.Writer) error {
	if _, err := io.WriteString(w, "\ufeff"); err != nil {
		return err
	}
	out := csv.NewWriter(w) // line feeds alone: the writer would turn those inside cells too
	line := append(i.Headers(), downloadColumns...)
	if err := out.Write(line); err != nil {
		return err
	}
	err := s.room.EachGridRow(ctx, i, f, func(r staging.GridRow) error {
		return out.Write(downloadRow(line[:0], i, r, c))
	})
	if err != nil {
		return err
	}
	out.Flush()
	return out.Error()
}

// WriteOverwrites writes, as CSV in the manner of WriteRows, every value that the load
// would replace or empty: row, record, field, what is there, what it becomes.
func (s *Service) WriteOverwrites(ctx context.Context, i store.Import, c catalog.Catalog, w io.Writer) error {
	if _, err := io.WriteString(w, "\ufeff"); err != nil {
		return err
	}
	out := csv.NewWriter(w)
	if err := out.Write([]string{rowColumn, recordColumn, "Field", "There", "Becomes"}); err != nil {
		return err
	}
	// a new record may be linked with one that changes
	for _, v := range []verdict.Verdict{verdict.Update, verdict.Create} {
		err := s.room.EachGridRow(ctx, i, staging.RowFilter{Verdict: string(v)}, func(r staging.GridRow) error {
			for _, d := range r.Drafts {
				t, ok := c.Type(d.Type)
				if !ok || d.Record == nil {
					continue
				}
				for _, f := range t.Fields {
					change, changed := d.Changes.V[f.Name]
					if !changed || text(change[0]) == "" {
						continue
					}
					if err := out.Write([]string{strconv.FormatInt(r.Row, 10), t.RecordID(*d.Record), f.Label, text(change[0]),
						text(change[1])}); err != nil {
						return err
					}
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// downloadRow appends a row to a line: its cells, and what is said of it.
func downloadRow(line []string, i store.Import, r staging.GridRow, c catalog.Catalog) []string {
	for n := range len(i.Columns.V) {
		cell := ""
		if n < len(r.Cells.V) {
			cell = r.Cells.V[n]
		}
		line = append(line, cell)
	}
	return append(line, strconv.FormatInt(r.Row, 10), stateOf(r), recordsOf(r, c), problemsOf(r), rowMark(i, r.Row))
}

// WriteWorkbook writes chosen rows as a workbook that can be mended and brought
// back: the columns of WriteRows, with a note at each cell that is wrong.
func (s *Service) WriteWorkbook(ctx context.Context, i store.Import, c catalog.Catalog, f staging.RowFilter,
	w io.Writer) error {
	at := map[string]int{}
	for n, col := range i.Columns.V {
		at[col.Header] = n
	}
	next, stop := iter.Pull2(func(yield func(sheet.BookRow, error) bool) {
		err := s.room.EachGridRow(ctx, i, f, func(r staging.GridRow) error {
			row := sheet.BookRow{Cells: downloadRow(nil, i, r, c), Notes: map[int]string{}}
			for _, p := range r.Problems {
				n, ok := at[p.Column]
				if !ok {
					continue
				}
				note := p.Message() + ". " + p.Mend()
				if before := row.Notes[n]; before != "" {
					note = before + "\n" + note
				}
				row.Notes[n] = note
			}
			if !yield(row, nil) {
				return errEnough
			}
			return nil
		})
		if err != nil && !errors.Is(err, errEnough) {
			yield(sheet.BookRow{}, err)
		}
	})
	defer stop()
	return sheet.WriteXLSX(w, sheet.Book{Sheets: []sheet.BookSheet{{Name: "Rows",
		Columns: sheet.Columns(append(i.Headers(), downloadColumns...)), Next: func() (sheet.BookRow, error) {
			row, err, ok := next()
			if !ok {
				return row, io.EOF
			}
			return row, err
		}}}})
}

// errEnough ends a stream whose reader wants no more.
var errEnough = errors.New("enough")

func stateOf(r staging.GridRow) string {
	switch {
	case r.Outcome != nil:
		return string(*r.Outcome)
	case r.Verdict != nil:
		return string(*r.Verdict)
	}
	return ""
}

// recordsOf names the records of a row, as its drafts stand.
func recordsOf(r staging.GridRow, c catalog.Catalog) string {
	var ids []string
	for _, d := range r.Drafts {
		if t, ok := c.Type(d.Type); ok && d.Record != nil {
			ids = append(ids, t.RecordID(*d.Record))
		}
	}
	return strings.Join(ids, " ")
}

func problemsOf(r staging.GridRow) string {
	var parts []string
	for _, p := range r.Problems {
		parts = append(parts, p.String())
	}
	return strings.Join(parts, " | ")
}
