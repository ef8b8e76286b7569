package work

import (
	"context"
	"encoding/csv"
	"io"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
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

// WriteRows writes chosen rows as CSV (RFC 4180 but for line feeds, UTF-8 with a byte order mark
// so that spreadsheet programs see the encoding): the original columns, then
// what became of the row, its record and what is wrong with it.
func (s *Service) WriteRows(ctx context.Context, i store.Import, c catalog.Catalog, f staging.RowFilter, w io.Writer) error {
	if _, err := io.WriteString(w, "\ufeff"); err != nil {
		return err
	}
	out := csv.NewWriter(w) // line feeds alone: the writer would turn those inside cells too
	width := len(i.Columns.V)
	line := append(headers(i), rowColumn, stateColumn, recordColumn, problemColumn)
	if err := out.Write(line); err != nil {
		return err
	}
	err := s.room.EachGridRow(ctx, i, f, func(r staging.GridRow) error {
		line = line[:0]
		for n := range width {
			cell := ""
			if n < len(r.Cells.V) {
				cell = r.Cells.V[n]
			}
			line = append(line, cell)
		}
		line = append(line, strconv.FormatInt(r.Row, 10), stateOf(r), recordsOf(r, c), problemsOf(r))
		return out.Write(line)
	})
	if err != nil {
		return err
	}
	out.Flush()
	return out.Error()
}

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
