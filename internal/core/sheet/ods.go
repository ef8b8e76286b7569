package sheet

import (
	"io"
	"strconv"
	"strings"

	"uchi/internal/core/fault"
)

const odsContent = "content.xml"

// listTables lists the tables of an OpenDocument spreadsheet. Its styles, which stand before them,
// say which are hidden, and which cells are struck through.
func (b *workbook) listTables() error {
	style, ofCells, hidden := "", false, map[string]bool{}
	b.struck = map[string]bool{}
	return b.each(odsContent, func(x *xmlReader) error {
		if x.kind != xmlStart {
			return nil
		}
		switch string(x.name) {
		case "style":
			style, ofCells = x.attr("name"), x.attr("family") == "table-cell"
		case "table-properties":
			hidden[style] = x.attr("display") == "false"
		case "text-properties":
			if line := x.attr("text-line-through-style"); ofCells && line != "" && line != "none" {
				b.struck[style] = true
			}
		case "table":
			b.sheets = append(b.sheets, sheetPart{name: x.attr("name"), part: odsContent, hidden: hidden[x.attr("style-name")]})
		}
		return nil
	})
}

// tableRows streams the rows of one table of an OpenDocument spreadsheet. Runs
// of equal rows and cells are written once with a count; those at the end of a
// sheet, often a million, are blank and not unfolded.
type tableRows struct {
	book   *workbook
	part   io.ReadCloser
	x      *xmlReader
	name   string
	in     bool
	cells  []string
	bytes  int // of the cells
	row    int64
	repeat int
	at     int // the next column that is described
	hiding
}

func (b *workbook) openTable(s sheetPart, hidden hiding) (*tableRows, error) {
	f, ok := b.file(s.part)
	if !ok {
		return nil, errXML
	}
	r, err := unpack(f, b.limits)
	if err != nil {
		return nil, err
	}
	return &tableRows{book: b, part: r, x: newXML(r, b.limits.CellBytes*2), name: s.name, hiding: hidden}, nil
}

// foreseeTable finds the place behind all cells of a table that has some that are struck through, before its rows are
// read.
func (b *workbook) foreseeTable(s sheetPart, h *hiding) error {
	f, ok := b.file(s.part)
	if !ok || len(b.struck) == 0 || h.header == 0 || f.UncompressedSize64 > largestCovered {
		return nil
	}
	r, err := unpack(f, b.limits)
	if err != nil {
		return err
	}
	defer r.Close()
	x := newXML(r, b.limits.CellBytes*2)
	in, row, at, width, struck := false, int64(0), 0, 0, false
	for x.next() == nil { // what is wrong with it is said when it is read
		if x.kind != xmlStart {
			continue
		}
		switch string(x.name) {
		case "table":
			in = x.attr("name") == s.name
		case "table-row":
			row, at = row+int64(x.number("number-rows-repeated", 1)), 0
		case "table-cell", "covered-table-cell":
			if at += x.number("number-columns-repeated", 1); in && !x.empty {
				width = max(width, at)
				struck = struck || row > h.header && b.struck[x.attr("style-name")]
			}
		}
	}
	if struck && width < b.limits.Columns {
		h.struckAt = width
	}
	return nil
}

// Close ends the reading.
func (t *tableRows) Close() error { return t.part.Close() }

// mostRepeats is how often a filled row may be repeated before it is taken for
// the filling of an empty sheet.
const mostRepeats = 1_000_000

// mostRepeated is how many bytes a row may come to that is written once and
// repeated: no sheet that people fill in holds as much of one thing.
const mostRepeated = 64 << 20

// Next implements Reader.
func (t *tableRows) Next() (Row, error) {
	if t.repeat > 0 {
		t.repeat--
		t.row++
		return Row{Number: t.row, Cells: t.cells}, nil
	}
	for {
		if err := t.x.next(); err != nil {
			return Row{}, err
		}
		name := string(t.x.name)
		switch {
		case t.x.kind == xmlStart && name == "table":
			t.in = t.x.attr("name") == t.name
		case t.x.kind == xmlStart && name == "table-column" && t.in:
			count := t.x.number("number-columns-repeated", 1)
			if unseen(t.x.attr("visibility")) {
				t.column(t.at, t.at+count-1, t.book.limits.Columns)
			}
			t.at += count
		case t.x.kind == xmlEnd && name == "table" && t.in:
			return Row{}, io.EOF
		case t.x.kind == xmlStart && name == "table-row" && t.in:
			count := t.x.number("number-rows-repeated", 1)
			hidden := unseen(t.x.attr("visibility")) && t.leavesRow(int64(count))
			if t.x.empty {
				t.row += int64(count)
				continue
			}
			if err := t.readRow(); err != nil {
				if f, ok := fault.From(err); ok && f.Place.Row == 0 { // what XML tells knows no rows
					err = f.At(t.place())
				}
				return Row{}, err
			}
			if hidden || (Row{Cells: t.cells}).Blank() || count > mostRepeats {
				t.row += int64(count)
				continue
			}
			if t.bytes*count > max(mostRepeated, t.book.limits.RowBytes) {
				return Row{}, fault.New(fault.Invalid, "unpacks_too_large",
					"a row is repeated so often that it comes to far more than a sheet holds").
					At(fault.Place{File: t.book.src.Name, Sheet: t.name,
						Row: t.row + 1}).Mended("Take the repeated rows out, or send the sheet as CSV.")
			}
			t.row++
			t.cells = t.strike(t.row, t.fill(t.row, t.cells))
			if t.repeat = count - 1; len(t.through) > 0 {
				t.struck += int64(t.repeat)
			}
			return Row{Number: t.row, Cells: t.cells}, nil
		}
	}
}

func (t *tableRows) readRow() error {
	t.cells, t.bytes, t.through = t.cells[:0], 0, t.through[:0]
	blank := 0
	for {
		if err := t.x.next(); err != nil {
			return err
		}
		name := string(t.x.name)
		switch {
		case t.x.kind == xmlEnd && name == "table-row":
			return nil
		case t.x.kind == xmlStart && (name == "table-cell" || name == "covered-table-cell"):
			count := t.x.number("number-columns-repeated", 1)
			down := t.x.number("number-rows-spanned", 1)
			if t.x.number("number-columns-spanned", 1) > 1 || down > 1 {
				t.merges(t.row + 1)
			}
			struck := t.struckAt > 0 && t.book.struck[t.x.attr("style-name")]
			text, err := t.cell(name)
			if err != nil {
				return err
			}
			if down > 1 && down <= longestCover && t.row+1 > t.header && len(t.open) < mostCovers &&
				!t.leavesCell(t.row+1, len(t.cells)+blank) {
				t.begin(len(t.cells)+blank, t.row+int64(down), text)
			}
			if text == "" || t.leavesCell(t.row+1, len(t.cells)+blank) {
				blank += count
				continue
			}
			if len(t.cells)+blank+count > t.book.limits.Columns {
				return tooManyColumns(t.book.limits).At(t.place())
			}
			if t.bytes += len(text) * count; t.bytes > t.book.limits.RowBytes {
				return rowTooLong(t.book.limits).At(t.place())
			}
			for ; blank > 0; blank-- {
				t.cells = append(t.cells, "")
			}
			for range count {
				if struck {
					t.through = append(t.through, len(t.cells))
				}
				t.cells = append(t.cells, text)
			}
		}
	}
}

// place says which row is being read.
func (t *tableRows) place() fault.Place {
	return fault.Place{File: t.book.src.Name, Sheet: t.name, Row: t.row + 1, Column: Letter(len(t.cells))}
}

// cell reads a cell: numbers, dates and booleans by their stored value, all
// else by the paragraphs shown.
func (t *tableRows) cell(element string) (string, error) {
	kind := t.x.attr("value-type")
	var stored string
	switch kind {
	case "":
		if t.x.attr("formula") != "" {
			stored = noResult
		}
	case "float", "currency", "percentage":
		stored = t.x.attr("value")
		if n, err := strconv.ParseFloat(stored, 64); err == nil {
			if kind == "percentage" {
				stored = plainNumber(n*100) + "%"
			} else {
				stored = plainNumber(n)
			}
		}
	case "date":
		stored = strings.Replace(strings.TrimSuffix(t.x.attr("date-value"), "T00:00:00"), "T", " ", 1)
	case "boolean":
		stored = t.x.attr("boolean-value")
	}
	if t.x.empty {
		return stored, t.x.next()
	}
	var text []byte
	paragraphs, depth, note := 0, 0, false
	for {
		if err := t.x.next(); err != nil {
			return "", err
		}
		name := string(t.x.name)
		switch {
		case t.x.kind == xmlStart && name == "annotation":
			note = true
		case t.x.kind == xmlEnd && name == "annotation":
			note = false
		case note:
		case t.x.kind == xmlStart && name == "p":
			if paragraphs++; paragraphs > 1 {
				text = append(text, '\n')
			}
			depth = 1
			if t.x.empty {
				depth = 0
			}
		case t.x.kind == xmlEnd && name == "p":
			depth = 0
		case t.x.kind == xmlStart && name == "s" && depth > 0:
			text = append(text, strings.Repeat(" ", min(t.x.number("c", 1), 1000))...)
		case t.x.kind == xmlStart && name == "tab" && depth > 0:
			text = append(text, '\t')
		case t.x.kind == xmlStart && name == "line-break" && depth > 0:
			text = append(text, '\n')
		case len(text) > t.book.limits.CellBytes:
			return "", tooLong(t.book.limits.CellBytes).At(t.place())
		case t.x.kind == xmlText && depth > 0:
			text = append(text, t.x.text...)
		case t.x.kind == xmlEnd && name == element:
			shown := clean(string(text))
			if kind == "float" && len(shown) > 1 && strings.Trim(shown, "0123456789") == "" &&
				strings.TrimLeft(shown, "0") == stored {
				return shown, nil // a number that is shown with zeros in front, as postal codes are
			}
			if stored == noResult && shown != "" {
				return shown, nil
			}
			if stored != "" && !strings.HasPrefix(shown, "#") && !strings.HasPrefix(shown, "Err:") {
				return stored, nil
			}
			return shown, nil
		}
	}
}

func (t *tableRows) notices() []Notice { return t.hiding.notices(t.book.sheets) }

// unseen reports whether a row or column of a visibility is hidden, by hand or by a filter.
func unseen(visibility string) bool { return visibility == "collapse" || visibility == "filter" }
