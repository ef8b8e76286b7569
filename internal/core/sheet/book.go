package sheet

import (
	"fmt"
	"io"

	"github.com/xuri/excelize/v2"
)

// BookRow is a row of a workbook that is written.
type BookRow struct {
	Cells []string
	Notes map[int]string // at a cell, counted from 0: it is marked, and the note says why
}

// mostBookNotes is how many cells get a note; a workbook with many more is slow to
// open. All are marked.
const mostBookNotes = 2000

// Bounds of an XLSX sheet.
const (
	mostBookRows = 1 << 20
	MostCellText = 32767 // characters
)

// WriteBook writes a workbook (XLSX, ECMA-376) of one sheet with a header, from
// rows that next gives until io.EOF. All cells are texts, so that no spreadsheet
// program makes something else of them. Rows beyond what a sheet holds are an
// error.
func WriteBook(w io.Writer, name string, header []string, next func() (BookRow, error)) error {
	f := excelize.NewFile()
	defer f.Close() //nolint:errcheck // what was written is checked below
	if err := f.SetSheetName("Sheet1", name); err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}, NumFmt: textFormat})
	if err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	plain, err := f.NewStyle(&excelize.Style{NumFmt: textFormat})
	if err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	marked, err := f.NewStyle(&excelize.Style{NumFmt: textFormat, Fill: excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"FFD9C7"}}})
	if err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	out, err := f.NewStreamWriter(name)
	if err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	if err := out.SetColWidth(1, max(1, len(header)), 20); err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	if err := out.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	line := make([]any, 0, len(header))
	for _, h := range header {
		line = append(line, excelize.Cell{StyleID: bold, Value: h})
	}
	if err := out.SetRow("A1", line); err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	notes := 0
	for n := 2; ; n++ {
		row, err := next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		if n > mostBookRows {
			return fmt.Errorf("write workbook: a sheet holds at most %d rows", mostBookRows)
		}
		line = line[:0]
		for at, c := range row.Cells {
			style := plain
			if note, ok := row.Notes[at]; ok {
				style = marked
				if notes++; notes <= mostBookNotes {
					place, err := excelize.CoordinatesToCellName(at+1, n)
					if err != nil {
						return fmt.Errorf("write workbook: %w", err)
					}
					if err := f.AddComment(name, excelize.Comment{Cell: place, Author: "Uchi", Text: note, Width: 300, Height: 90}); err != nil {
						return fmt.Errorf("write workbook: %w", err)
					}
				}
			}
			if r := []rune(c); len(c) > MostCellText && len(r) > MostCellText {
				c = string(r[:MostCellText])
			}
			line = append(line, excelize.Cell{StyleID: style, Value: c})
		}
		place, err := excelize.CoordinatesToCellName(1, n)
		if err == nil {
			err = out.SetRow(place, line)
		}
		if err != nil {
			return fmt.Errorf("write workbook: %w", err)
		}
	}
	if err := out.Flush(); err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	if err := f.Write(w); err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	return nil
}

// textFormat is the number format of cells that are texts.
const textFormat = 49
