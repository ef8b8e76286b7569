package sheet

import (
	"io"
	"slices"

	"uchi/internal/core/fault"
)

// A sheet that lies on its side has its records in columns, below each other what each of them has. It is
// turned before anything else is looked for: its first column is the header, and rows have the numbers of
// the columns. To be turned it must be held whole, so it has bounds of its own.

// Bounds of a sheet that is turned.
const (
	mostTurnedRows  = 2000     // which become columns
	mostTurnedBytes = 16 << 20 // of texts
)

// turned reads the columns of a sheet as rows.
type turned struct {
	rows [][]string // of the sheet, but for blank ones
	at   int        // the next column
	wide int
}

// newTurned reads a sheet whole, of which no cell is bent around: blank rows have no name and are passed over.
func newTurned(src Source, rows Reader, limits Limits) (*turned, error) {
	t, bytes := &turned{}, 0
	for {
		row, err := rows.Next()
		if err == io.EOF {
			return t, nil
		}
		if err != nil {
			return nil, err
		}
		if row.Blank() || len(t.rows) == 0 && filled(row) < 2 { // a title stands above what is turned
			continue
		}
		for _, c := range row.Cells {
			bytes += len(c)
		}
		if len(t.rows) == min(mostTurnedRows, limits.Columns) || bytes > mostTurnedBytes {
			return nil, fault.Newf(fault.TooLarge, "too_large_to_turn", "a sheet that lies on its side has at most %d rows, and %d MB "+
				"of text", mostTurnedRows, mostTurnedBytes>>20).At(fault.Place{File: src.Name, Row: row.Number, Path: "turned"}).
				Mended("Turn it in a spreadsheet program (copy, then paste transposed), or say that it is not turned.")
		}
		t.rows, t.wide = append(t.rows, slices.Clone(row.Cells)), max(t.wide, len(row.Cells))
	}
}

// Next implements Reader.
func (t *turned) Next() (Row, error) {
	if t.at == t.wide {
		return Row{}, io.EOF
	}
	cells := make([]string, len(t.rows))
	for n, row := range t.rows {
		if t.at < len(row) {
			cells[n] = row[t.at]
		}
	}
	t.at++
	return Row{Number: int64(t.at), Cells: cells}, nil
}
