package sheet

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
)

// Holds is what the cells of a column are in a workbook.
type Holds string

// The kinds of cells. A text is never taken for a number or a date by a spreadsheet
// program; numbers and days can be reckoned with. What is no number or day is
// written as a text all the same.
const (
	Texts   Holds = ""
	Numbers Holds = "number"
	Days    Holds = "day"    // 2026-03-31
	Moments Holds = "moment" // 2026-03-31T14:30:00Z
)

// BookColumn is a column of a workbook's sheet.
type BookColumn struct {
	Header   string
	Holds    Holds
	Digits   int      // of numbers: shown behind the decimal sign
	Note     string   // what belongs into it, shown at the header
	Required bool     // its header is marked
	Choices  []string // what a drop-down offers; others may be typed all the same
}

// BookSheet is a sheet of a workbook that is written.
type BookSheet struct {
	Name    string
	Columns []BookColumn
	Next    func() (BookRow, error) // gives its rows, then io.EOF; nil when there are none
}

// BookRow is a row of a workbook that is written.
type BookRow struct {
	Cells []string
	Notes map[int]string // at a cell, counted from 0: it is marked, and the note says why
}

// Book is a workbook that is written.
type Book struct {
	Sheets []BookSheet
	Guide  [][]string // lines of a sheet that explains the columns, its header first
}

// Columns gives columns of texts with these headers.
func Columns(headers []string) []BookColumn {
	list := make([]BookColumn, len(headers))
	for n, h := range headers {
		list[n].Header = h
	}
	return list
}

// Bounds of a sheet, in XLSX and in OpenDocument spreadsheets as programs read them.
const (
	MostBookRows = 1<<20 - 1 // below the header
	MostCellText = 32767     // characters
)

// Names of the sheets beside those with rows: one holds what drop-downs offer, one
// explains the columns.
const (
	listsSheet = "Lists"
	guideSheet = "Guide"
)

// GuideHeader heads the sheet that explains the columns, by which it is known when the workbook
// comes back: it holds no records.
var GuideHeader = []string{"Sheet", "Column", "Type", "Required", "Allowed", "Example", "What belongs there"}

// isGuide reports whether the first rows of a sheet are those of such a guide.
func isGuide(name string, rows []Row) bool {
	return name == guideSheet && len(rows) > 0 && slices.Equal(rows[0].Cells[:widthOf(rows[0])], GuideHeader)
}

// mostBookNotes is how many cells get a note; a workbook with many more is slow to
// open. All are marked.
const mostBookNotes = 2000

// Colours of marked cells.
const (
	requiredColour = "FFE3B8"
	notedColour    = "FFD9C7"
)

// guideWidths are the widths of the columns of a guide, in characters.
var guideWidths = []float64{16, 26, 14, 10, 40, 26, 60}

// tooManyRows says that a sheet is full.
func tooManyRows() error {
	return fmt.Errorf("write workbook: a sheet holds at most %d rows below its header", MostBookRows)
}

// cutCell cuts a text to what a cell holds.
func cutCell(s string) string {
	if len(s) <= MostCellText || utf8.RuneCountInString(s) <= MostCellText {
		return s
	}
	return string([]rune(s)[:MostCellText])
}

// number reads a number that a spreadsheet program keeps as it is: with more digits
// than it has, it is a text.
func number(s string) (float64, bool) {
	f, err := strconv.ParseFloat(s, 64)
	if err != nil || len(strings.Trim(s, "-.0")) > 15 {
		return 0, false
	}
	return f, true
}

// day reads a day or a moment that a spreadsheet program knows: those before 1900 it
// does not.
func day(s string, holds Holds) (time.Time, bool) {
	layout := time.DateOnly
	if holds == Moments {
		layout = time.RFC3339
	}
	t, err := time.Parse(layout, s)
	return t, err == nil && t.Year() > 1900
}

// WriteXLSX writes a workbook (ECMA-376), its rows as a stream.
func WriteXLSX(w io.Writer, book Book) error {
	b := xlsxBook{f: excelize.NewFile()}
	defer b.f.Close() //nolint:errcheck // what was written is checked below
	for n, s := range book.Sheets {
		if n == 0 {
			b.try(b.f.SetSheetName("Sheet1", s.Name))
		} else {
			b.sheet(s.Name)
		}
	}
	if len(book.Guide) > 0 {
		b.guide(book.Guide)
	}
	for _, s := range book.Sheets {
		for n, c := range s.Columns {
			b.header(s.Name, n, c)
		}
	}
	if b.lists > 0 { // before there are rows, which it would take into memory
		b.try(b.f.SetSheetVisible(listsSheet, false))
	}
	for _, s := range book.Sheets {
		if b.err == nil {
			b.fill(s)
		}
	}
	if b.err == nil {
		b.try(b.f.Write(w))
	}
	return b.err
}

// xlsxBook writes until something goes wrong, which it keeps.
type xlsxBook struct {
	f     *excelize.File
	lists int // columns of the sheet of lists
	notes int
	err   error
}

func (b *xlsxBook) try(err error) {
	if b.err == nil && err != nil {
		b.err = fmt.Errorf("write workbook: %w", err)
	}
}

func (b *xlsxBook) sheet(name string) {
	_, err := b.f.NewSheet(name)
	b.try(err)
}

func (b *xlsxBook) style(s excelize.Style, fill string) int {
	if fill != "" {
		s.Fill = excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{fill}}
	}
	id, err := b.f.NewStyle(&s)
	b.try(err)
	return id
}

// format is the number format of a column's cells.
func (c BookColumn) format() (custom string) {
	switch c.Holds {
	case Days:
		return "yyyy-mm-dd"
	case Moments:
		return "yyyy-mm-dd hh:mm"
	case Numbers:
		if c.Digits == 0 {
			return "0.######"
		}
		return "0." + strings.Repeat("0", c.Digits)
	}
	return "@"
}

func (b *xlsxBook) fill(s BookSheet) {
	out, err := b.f.NewStreamWriter(s.Name)
	if b.try(err); err != nil {
		return
	}
	plain, marked, line := make([]int, len(s.Columns)), make([]int, len(s.Columns)), make([]any, 0, len(s.Columns))
	text := "@"
	for n, c := range s.Columns {
		format := c.format()
		plain[n], marked[n] = b.style(excelize.Style{CustomNumFmt: &format}, ""),
			b.style(excelize.Style{CustomNumFmt: &format}, notedColour)
		fill := ""
		if c.Required {
			fill = requiredColour
		}
		b.try(out.SetColWidth(n+1, n+1, float64(max(14, min(40, len(c.Header)+6)))))
		b.try(out.SetColStyle(n+1, n+1, plain[n]))
		line = append(line, excelize.Cell{Value: c.Header,
			StyleID: b.style(excelize.Style{Font: &excelize.Font{Bold: true}, CustomNumFmt: &text}, fill)})
	}
	b.try(out.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}))
	b.try(out.SetRow("A1", line))
	for n := 2; s.Next != nil && b.err == nil; n++ {
		row, err := s.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			b.err = err
			return
		}
		if n > MostBookRows+1 {
			b.err = tooManyRows()
			return
		}
		line = line[:0]
		for at, c := range row.Cells {
			cell := excelize.Cell{StyleID: plain[at], Value: xlsxValue(c, s.Columns[at].Holds)}
			if note, ok := row.Notes[at]; ok {
				cell.StyleID = marked[at]
				b.note(s.Name, at, n, note)
			}
			line = append(line, cell)
		}
		place, err := excelize.CoordinatesToCellName(1, n)
		b.try(err)
		b.try(out.SetRow(place, line))
	}
	b.try(out.Flush())
}

// xlsxValue is a cell's value; a blank is nothing at all.
func xlsxValue(s string, holds Holds) any {
	if s == "" {
		return nil
	}
	switch holds {
	case Numbers:
		if f, ok := number(s); ok {
			return f
		}
	case Days, Moments:
		if t, ok := day(s, holds); ok {
			return t
		}
	}
	return cutCell(s)
}

func (b *xlsxBook) note(sheet string, at, row int, note string) {
	if b.notes++; b.notes > mostBookNotes {
		return
	}
	place, err := excelize.CoordinatesToCellName(at+1, row)
	b.try(err)
	b.try(b.f.AddComment(sheet, excelize.Comment{Cell: place, Author: "Uchi", Text: note, Width: 320, Height: 110}))
}

// header explains a column, and lays its drop-down; what that offers stands on a
// sheet of its own.
func (b *xlsxBook) header(sheet string, n int, c BookColumn) {
	if c.Note != "" {
		b.note(sheet, n, 1, c.Note)
	}
	if len(c.Choices) == 0 {
		return
	}
	if b.lists == 0 {
		b.sheet(listsSheet)
	}
	b.lists++
	at, err := excelize.ColumnNumberToName(b.lists)
	b.try(err)
	for n, choice := range c.Choices {
		b.try(b.f.SetCellStr(listsSheet, fmt.Sprint(at, n+1), choice))
	}
	column, err := excelize.ColumnNumberToName(n + 1)
	b.try(err)
	list := excelize.NewDataValidation(true)
	list.Sqref = fmt.Sprintf("%s2:%s%d", column, column, MostBookRows+1)
	list.SetSqrefDropList(fmt.Sprintf("%s!$%s$1:$%s$%d", listsSheet, at, at, len(c.Choices)))
	list.SetError(excelize.DataValidationErrorStyleWarning, c.Header, "This is none of the values that are known here.")
	b.try(b.f.AddDataValidation(sheet, list))
}

func (b *xlsxBook) guide(lines [][]string) {
	b.sheet(guideSheet)
	bold := b.style(excelize.Style{Font: &excelize.Font{Bold: true}}, "")
	wrap := b.style(excelize.Style{Alignment: &excelize.Alignment{WrapText: true, Vertical: "top"}}, "")
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
	for n, width := range guideWidths {
		column, err := excelize.ColumnNumberToName(n + 1)
		b.try(err)
		b.try(b.f.SetColWidth(guideSheet, column, column, width))
	}
}
