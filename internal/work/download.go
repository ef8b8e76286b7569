package work

import (
	"context"
	"encoding/csv"
	"io"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/store"
)

// Columns that a download puts behind the original ones.
const (
	rowColumn     = "Row"
	stateColumn   = "What became of it"
	recordColumn  = "Record"
	problemColumn = "What is wrong"
)

// WriteRows writes chosen rows as CSV (RFC 4180 but for line feeds, UTF-8 with a byte order mark
// so that spreadsheet programs see the encoding): the original columns, then
// what became of the row, its record and what is wrong with it.
func (s *Service) WriteRows(ctx context.Context, i store.Import, c catalog.Catalog, f store.RowFilter, w io.Writer) error {
	if _, err := io.WriteString(w, "\ufeff"); err != nil {
		return err
	}
	out := csv.NewWriter(w) // line feeds alone: the writer would turn those inside cells too
	width := len(i.Columns.V)
	line := append(headers(i), rowColumn, stateColumn, recordColumn, problemColumn)
	if err := out.Write(line); err != nil {
		return err
	}
	err := s.store.EachGridRow(ctx, i.ID, f, func(r store.GridRow) error {
		line = line[:0]
		for n := range width {
			cell := ""
			if n < len(r.Cells.V) {
				cell = r.Cells.V[n]
			}
			line = append(line, cell)
		}
		line = append(line, strconv.FormatInt(r.Row, 10), stateOf(r), recordsOf(r, c, i.Into), problemsOf(r))
		return out.Write(line)
	})
	if err != nil {
		return err
	}
	out.Flush()
	return out.Error()
}

func stateOf(r store.GridRow) string {
	switch {
	case r.Outcome != nil:
		return string(*r.Outcome)
	case r.Verdict != nil:
		return string(*r.Verdict)
	}
	return ""
}

// recordsOf names the records of a row, as its drafts stand.
func recordsOf(r store.GridRow, c catalog.Catalog, into string) string {
	parts := r.Parts.V
	if len(parts) == 0 {
		parts = []store.RowPart{{Type: into, Record: r.Record}}
	}
	var ids []string
	for _, p := range parts {
		if t, ok := c.Type(p.Type); ok && p.Record != nil {
			ids = append(ids, t.RecordID(*p.Record))
		}
	}
	return strings.Join(ids, " ")
}

func problemsOf(r store.GridRow) string {
	var parts []string
	for _, p := range r.Problems {
		parts = append(parts, p.String())
	}
	return strings.Join(parts, " | ")
}
