package sheet

import (
	"fmt"
	"io"
	"strings"

	"github.com/xuri/excelize/v2"
)

// StarterColumn is a column of a sheet that is to be filled in.
type StarterColumn struct {
	Header   string
	Note     string   // what belongs into it, shown at the header
	Required bool     // marked by its colour
	Choices  []string // what a drop-down offers; others may be typed all the same, and are asked about
	Format   string   // number format of its cells, such as yyyy-mm-dd; empty is text
}

// StarterSheet is a sheet that is to be filled in.
type StarterSheet struct {
	Name    string
	Columns []StarterColumn
}

// rowsToFill is for how many rows drop-downs are laid.
const rowsToFill = 5000

// listsSheet holds what drop-downs offer; the guide explains the columns.
const (
	listsSheet = "Lists"
	guideSheet = "Guide"
)

// WriteStarter writes a workbook (XLSX, ECMA-376) of empty sheets with headers,
// notes, drop-downs and formats, with a sheet that explains the columns: its lines,
// the first of them its header.
func WriteStarter(w io.Writer, sheets []StarterSheet, guide [][]string) error {
	f := excelize.NewFile()
	defer f.Close() //nolint:errcheck // what was written is checked below
	b := starterBook{f: f}
	for n, s := range sheets {
		if n == 0 {
			b.try(f.SetSheetName("Sheet1", s.Name))
		} else {
			b.sheet(s.Name)
		}
	}
	b.guide(guide)
	for _, s := range sheets {
		b.fill(s)
	}
	if b.lists > 0 {
		b.try(f.SetSheetVisible(listsSheet, false))
	}
	if b.err == nil {
		b.err = f.Write(w)
	}
	if b.err != nil {
		return fmt.Errorf("write starter sheet: %w", b.err)
	}
	return nil
}

// starterBook writes until something goes wrong, which it keeps.
type starterBook struct {
	f     *excelize.File
	lists int // columns of the sheet of lists
	err   error
}

func (b *starterBook) try(err error) {
	if b.err == nil {
		b.err = err
	}
}

func (b *starterBook) sheet(name string) {
	_, err := b.f.NewSheet(name)
	b.try(err)
}

func (b *starterBook) style(s *excelize.Style) int {
	id, err := b.f.NewStyle(s)
	b.try(err)
	return id
}

func (b *starterBook) fill(s StarterSheet) {
	header := b.style(&excelize.Style{Font: &excelize.Font{Bold: true}, NumFmt: textFormat})
	required := b.style(&excelize.Style{Font: &excelize.Font{Bold: true}, NumFmt: textFormat, Fill: excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"FFE3B8"}}})
	text := b.style(&excelize.Style{NumFmt: textFormat})
	for n, c := range s.Columns {
		column, err := excelize.ColumnNumberToName(n + 1)
		b.try(err)
		style := text
		if c.Format != "" {
			style = b.style(&excelize.Style{CustomNumFmt: &c.Format})
		}
		b.try(b.f.SetColWidth(s.Name, column, column, float64(max(14, min(40, len(c.Header)+6)))))
		b.try(b.f.SetColStyle(s.Name, column, style))
		b.try(b.f.SetCellStr(s.Name, column+"1", c.Header))
		style = header
		if c.Required {
			style = required
		}
		b.try(b.f.SetCellStyle(s.Name, column+"1", column+"1", style))
		b.try(b.f.AddComment(s.Name, excelize.Comment{Cell: column + "1", Author: "Uchi", Text: c.Note, Width: 320, Height: 120}))
		if len(c.Choices) > 0 {
			b.offer(s.Name, column, c)
		}
	}
	b.try(b.f.SetPanes(s.Name, &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}))
}

// offer lays a drop-down over a column; what it offers stands on a sheet of its own.
func (b *starterBook) offer(name, column string, c StarterColumn) {
	if b.lists == 0 {
		b.sheet(listsSheet)
	}
	b.lists++
	at, err := excelize.ColumnNumberToName(b.lists)
	b.try(err)
	for n, choice := range c.Choices {
		b.try(b.f.SetCellStr(listsSheet, fmt.Sprint(at, n+1), choice))
	}
	list := excelize.NewDataValidation(true)
	list.Sqref = fmt.Sprintf("%s2:%s%d", column, column, rowsToFill)
	list.SetSqrefDropList(fmt.Sprintf("%s!$%s$1:$%s$%d", listsSheet, at, at, len(c.Choices)))
	list.SetError(excelize.DataValidationErrorStyleWarning, c.Header, "This is none of the values that are known here.")
	b.try(b.f.AddDataValidation(name, list))
}

func (b *starterBook) guide(lines [][]string) {
	b.sheet(guideSheet)
	bold := b.style(&excelize.Style{Font: &excelize.Font{Bold: true}})
	wrap := b.style(&excelize.Style{Alignment: &excelize.Alignment{WrapText: true, Vertical: "top"}})
	for n, line := range lines {
		for at, cell := range line {
			place, err := excelize.CoordinatesToCellName(at+1, n+1)
			b.try(err)
			b.try(b.f.SetCellStr(guideSheet, place, strings.TrimSpace(cell)))
			style := wrap
			if n == 0 {
				style = bold
			}
			b.try(b.f.SetCellStyle(guideSheet, place, place, style))
		}
	}
	for column, width := range map[string]float64{"A": 16, "B": 26, "C": 14, "D": 10, "E": 40, "F": 26, "G": 60} {
		b.try(b.f.SetColWidth(guideSheet, column, column, width))
	}
}
