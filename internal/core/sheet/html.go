package sheet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/fault"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
	"golang.org/x/net/html/charset"
)

// pageTable reads the rows of one table of a web page (HTML, living standard, 4.9), as programs
// write them that call a page a workbook. Rows are counted from 1 as they stand in the table. A
// cell that spans others stands in the first place of them, and a text in each row; the others are blank. What stands in
// tables within cells is not of the table.
type pageTable struct {
	src    Source
	limits Limits
	z      *html.Tokenizer
	want   int // which table of the page, from 0
	seen   int // how many have begun
	depth  int // how many are open from the wanted one on; 0 outside
	number int64
	cells  []string
	below  []int // for each column, in how many of the next rows it is covered from above
	cell   []byte
	in     bool // a cell is open
	across int  // how many columns the open cell spans
	down   int  // and rows
	mute   int  // how many elements are open whose text is not shown
	merged int64
	bytes  int // of the cells of the row that is open
	header int64
	covers
}

// pageTableName is what the n-th table of a page is called, from 0; pages name none.
func pageTableName(n int) string { return "Table " + itoa(n+1) }

// holdsTable reports whether a text is a web page, or a part of one, that holds a table.
func holdsTable(sample []byte) bool {
	lower := bytes.ToLower(sample)
	return bytes.Contains(lower, []byte("<table")) && bytes.Contains(lower, []byte("<tr")) &&
		(bytes.Contains(lower, []byte("<td")) || bytes.Contains(lower, []byte("<th")))
}

// newPageTable reads the table of a page that is called so.
func newPageTable(src Source, reading Reading, limits Limits) (*pageTable, error) {
	want, known := 0, reading.Sheet == ""
	if n, ok := strings.CutPrefix(reading.Sheet, "Table "); ok {
		at, err := strconv.Atoi(n)
		want, known = at-1, err == nil && at > 0
	}
	if !known {
		return nil, fault.New(fault.Invalid, "unknown_sheet", "the page has no such table").
			At(fault.Place{File: src.Name,
				Path: "sheet"}).With(reading.Sheet).Mended("Tables of a page are called Table 1, Table 2 and so on.")
	}
	text, err := pageText(src, reading.Encoding)
	if err != nil {
		return nil, err
	}
	p := &pageTable{src: src, limits: limits, z: html.NewTokenizer(text), want: want, header: reading.HeaderRow}
	p.off = reading.mergedFirst()
	p.z.SetMaxBuf(limits.CellBytes)
	return p, nil
}

// pageText gives the text of a page: in the encoding that was chosen, else in that which it names
// itself, else in that which its letters speak for.
func pageText(src Source, encoding string) (io.Reader, error) {
	if encoding == "" {
		sample := make([]byte, min(src.Size, sampleSize))
		if _, err := io.ReadFull(io.NewSectionReader(src, 0, src.Size), sample); err != nil {
			return nil, fmt.Errorf("read the start of %s: %w", src.Name, err)
		}
		encoding = pageEncoding(src, sample).Value
	}
	return decoded(io.NewSectionReader(src, 0, src.Size), encoding)
}

// pageEncoding finds the encoding of a page.
func pageEncoding(src Source, sample []byte) Finding {
	if _, name, sure := charset.DetermineEncoding(sample[:min(len(sample), 1024)], ""); sure {
		if _, err := encodingByName(name); err == nil {
			return Finding{Option: "encoding", Value: name, Sure: true, Evidence: "the page says so"}
		}
	}
	return detectEncoding(sample, src.Size <= sampleSize)
}

// tablesOf counts for each table that begins in the first part of a page its rows of several cells.
func tablesOf(src Source, encoding string) (rows []int, err error) {
	text, err := pageText(src, encoding)
	if err != nil {
		return nil, err
	}
	page, err := io.ReadAll(io.LimitReader(text, sampleSize))
	if err != nil {
		return nil, fmt.Errorf("read the start of %s: %w", src.Name, err)
	}
	for n := range MostParts {
		p := &pageTable{src: src, limits: DefaultLimits, z: html.NewTokenizer(bytes.NewReader(page)), want: n}
		several := 0
		for {
			row, err := p.Next()
			if err != nil {
				break // what is wrong is said when it is read
			}
			if filled(row) > 1 {
				several++
			}
		}
		if p.seen <= n {
			break
		}
		rows = append(rows, several)
	}
	return rows, nil
}

// detectTable takes the table of a page that has the most rows of several cells.
func detectTable(src Source, encoding string) (Finding, error) {
	rows, err := tablesOf(src, encoding)
	if err != nil {
		return Finding{}, err
	}
	var names []string
	best := 0
	for n, several := range rows {
		if names = append(names, pageTableName(n)); several > rows[best] {
			best = n
		}
	}
	f := Finding{Option: "sheet", Value: pageTableName(best), Sure: len(names) == 1,
		Evidence: "the only table of the page", Choices: names}
	if len(names) > 1 {
		f.Evidence = "the largest of " + itoa(len(names)) + " tables of the page"
	}
	return f, nil
}

// partsOfPage gives the tables of a page that have a header and rows, each as a part; where there is
// but one, the page is it.
func partsOfPage(src Source) ([]Part, error) {
	rows, err := tablesOf(src, "")
	if err != nil {
		return nil, err
	}
	var list []Part
	for n, several := range rows {
		if several > 1 {
			list = append(list, Part{Sheet: pageTableName(n)})
		}
	}
	if len(list) < 2 {
		return []Part{{}}, nil
	}
	return list, nil
}

// Next implements Reader.
func (p *pageTable) Next() (Row, error) {
	for {
		kind := p.z.Next()
		if kind == html.ErrorToken {
			switch err := p.z.Err(); {
			case errors.Is(err, html.ErrBufferExceeded):
				return Row{}, p.tooLong()
			case err != io.EOF:
				return Row{}, err
			case p.ends():
				return p.row(), nil
			}
			return Row{}, io.EOF
		}
		switch kind {
		case html.StartTagToken, html.SelfClosingTagToken:
			done, err := p.start(kind)
			if err != nil {
				return Row{}, err
			}
			if done {
				return p.row(), nil
			}
		case html.EndTagToken:
			name, _ := p.z.TagName()
			if p.end(atom.Lookup(name)) {
				return p.row(), nil
			}
			if p.depth == 0 && p.seen > p.want {
				return Row{}, io.EOF
			}
		case html.TextToken:
			if p.in && p.depth == 1 && p.mute == 0 {
				p.cell = append(p.cell, p.z.Text()...)
				if len(p.cell) > p.limits.CellBytes {
					return Row{}, p.tooLong()
				}
			}
		}
	}
}

func (p *pageTable) tooLong() error {
	return fault.New(fault.Invalid, "cell_too_long", "a cell holds more than "+itoa(p.limits.CellBytes)+" bytes").
		At(fault.Place{File: p.src.Name, Row: p.number + 1}).Mended("Shorten it.")
}

// start takes in what begins. It reports whether a row has ended by it, since the ends of rows
// and cells may be left out.
func (p *pageTable) start(kind html.TokenType) (ended bool, err error) {
	name, has := p.z.TagName()
	switch at := atom.Lookup(name); {
	case at == atom.Table:
		if p.depth > 0 || p.seen == p.want {
			p.depth++
		}
		p.seen++
	case p.depth != 1:
	case at == atom.Tr:
		ended = p.ends()
	case at == atom.Td || at == atom.Th:
		p.closeCell()
		p.in, p.across, p.down, p.mute = true, 1, 1, 0
		for has {
			var key, val []byte
			key, val, has = p.z.TagAttr()
			if n, err := strconv.Atoi(strings.TrimSpace(string(val))); err == nil && n > 1 {
				switch string(key) {
				case "colspan":
					p.across = min(n, p.limits.Columns)
				case "rowspan":
					p.down = min(n, mostSpanned)
				}
			}
		}
		if p.down > 1 { // a small page is not to say blank cells without end
			p.across = min(p.across, mostCovered)
		}
		for len(p.cells) < len(p.below) && p.below[len(p.cells)] > 0 { // covered from above
			p.below[len(p.cells)]--
			p.cells = append(p.cells, "")
		}
		if p.bytes > p.limits.RowBytes {
			return false, p.tooLong()
		}
		if len(p.cells)+p.across > p.limits.Columns {
			return false, tooManyColumns(p.limits).At(fault.Place{File: p.src.Name, Row: p.number + 1})
		}
	case at == atom.Br || at == atom.P || at == atom.Div || at == atom.Li:
		if p.in && len(bytes.TrimSpace(p.cell)) > 0 {
			p.cell = append(p.cell, lineBreak)
		}
	case kind == html.StartTagToken && (at == atom.Script || at == atom.Style):
		p.mute++
	}
	return ended, nil
}

// mostSpanned is over how many rows a cell may reach, and mostCovered over how many columns where it
// reaches over several rows.
const (
	mostSpanned = 10_000
	mostCovered = 100
)

// lineBreak stands for the end of a line in a cell until its white space has been put together: a
// sign that no text holds.
const lineBreak = '\x1e'

// end takes in what ends. It reports whether a row has ended by it.
func (p *pageTable) end(at atom.Atom) (ended bool) {
	switch {
	case at == atom.Table && p.depth > 0:
		ended = p.depth == 1 && p.ends()
		p.depth--
	case p.depth != 1:
	case at == atom.Tr:
		return p.ends()
	case at == atom.Td || at == atom.Th:
		p.closeCell()
	case (at == atom.Script || at == atom.Style) && p.mute > 0:
		p.mute--
	}
	return ended
}

// closeCell puts the cell that is open at its place.
func (p *pageTable) closeCell() {
	if !p.in {
		return
	}
	lines := strings.Split(string(p.cell), string(lineBreak))
	for n, line := range lines {
		lines[n] = strings.Join(strings.Fields(line), " ")
	}
	text := clean(strings.Trim(strings.Join(lines, "\n"), "\n"))
	p.bytes += len(text)
	if p.across > 1 || p.down > 1 {
		p.merged++
	}
	for n := range p.across {
		if p.down > 1 {
			if n == 0 && p.number+1 > p.header {
				p.begin(len(p.cells), p.number+int64(p.down), text)
			}
			for len(p.below) <= len(p.cells) {
				p.below = append(p.below, 0)
			}
			p.below[len(p.cells)] = p.down - 1
		}
		if n > 0 {
			text = ""
		}
		p.cells = append(p.cells, text)
	}
	p.cell, p.in = p.cell[:0], false
}

// ends closes the row that is open, and reports whether there is one.
func (p *pageTable) ends() bool {
	p.closeCell()
	return len(p.cells) > 0
}

// row gives the row that has ended.
func (p *pageTable) row() Row {
	for len(p.cells) < len(p.below) { // covered from above, at its end
		if p.below[len(p.cells)] > 0 {
			p.below[len(p.cells)]--
		}
		p.cells = append(p.cells, "")
	}
	p.number++
	row := Row{Number: p.number, Cells: p.fill(p.number, slices.Clone(p.cells))}
	p.cells, p.bytes = p.cells[:0], 0
	return row
}

// notices tells what a person should know of the table when it has been read.
func (p *pageTable) notices() (list []Notice) {
	if p.merged > 0 {
		list = append(list, p.notice(p.merged))
	}
	return list
}
