// Package sheet turns sources (files as people send them) into streams of rows
// of cells, and profiles the columns while they pass. It detects how a source
// is to be read, shows the evidence, and lets every finding be overruled. It
// never holds a source whole in memory. It knows no record types, no database
// and no face.
package sheet

import (
	"fmt"
	"io"
	"strings"

	"uchi/internal/core/fault"
	"uchi/internal/core/value"
)

// Source is a file that can be read from any place, with its name and size in bytes.
type Source struct {
	Name string
	Size int64
	io.ReaderAt
	nested int // how many archives it stands in
}

// Reading says how a source is read. Empty parts are detected.
type Reading struct {
	File        string `json:"file,omitempty" yaml:"file,omitempty"`                 // which file of a ZIP archive
	Sheet       string `json:"sheet,omitempty" yaml:"sheet,omitempty"`               // which sheet of a workbook
	Encoding    string `json:"encoding,omitempty" yaml:"encoding,omitempty"`         // IANA name
	Delimiter   string `json:"delimiter,omitempty" yaml:"delimiter,omitempty"`       // one character
	Quote       string `json:"quote,omitempty" yaml:"quote,omitempty"`               // one character, or "none"
	HeaderRow   int64  `json:"header_row,omitempty" yaml:"header_row,omitempty"`     // as the spreadsheet program counts
	NoHeader    bool   `json:"no_header,omitempty" yaml:"no_header,omitempty"`       // there is none; columns are called A, B, C
	FirstRow    int64  `json:"first_row,omitempty" yaml:"first_row,omitempty"`       // of data; 0 is the one below the header
	LastRow     int64  `json:"last_row,omitempty" yaml:"last_row,omitempty"`         // 0 reads to the end
	Misread     string `json:"misread,omitempty" yaml:"misread,omitempty"`           // "mend" reads text that was decoded wrongly before as it was meant; else it is held
	DecimalSign string `json:"decimal_sign,omitempty" yaml:"decimal_sign,omitempty"` // "." or ","
	DateOrder   string `json:"date_order,omitempty" yaml:"date_order,omitempty"`     // day_first, month_first or year_first
	Country     string `json:"country,omitempty" yaml:"country,omitempty"`           // ISO 3166, for phone numbers without a country code
	Zone        string `json:"zone,omitempty" yaml:"zone,omitempty"`                 // IANA time zone, for date-times without an offset
}

// MendMisread is the reading in which text that was decoded wrongly is mended.
const MendMisread = "mend"

// Check says whether the parts that were set by hand can be used.
func (r Reading) Check() error {
	bad := func(path, message, v, mend string) error {
		return fault.New(fault.Invalid, "bad_reading", message).At(fault.Place{Path: path}).With(v).Mended(mend)
	}
	if r.Encoding != "" {
		if _, err := encodingByName(r.Encoding); err != nil {
			return bad("encoding", "there is no such encoding", r.Encoding, "Give an IANA name such as utf-8, windows-1252 or shift_jis.")
		}
	}
	if len([]rune(r.Delimiter)) > 1 || len(r.Delimiter) > 1 {
		return bad("delimiter", "a delimiter is one character of ASCII", r.Delimiter, `For example ";" or a tab.`)
	}
	if r.Quote != "" && r.Quote != "none" && len(r.Quote) != 1 {
		return bad("quote", "a quote is one character of ASCII, or none", r.Quote, "")
	}
	switch {
	case r.NoHeader && r.HeaderRow > 0:
		return bad("no_header", "there is a header row or there is none", fmt.Sprint(r.HeaderRow), "Leave one of the two out.")
	case r.HeaderRow < 0 || r.FirstRow < 0 || r.LastRow < 0,
		r.LastRow > 0 && r.LastRow < max(r.HeaderRow, r.FirstRow),
		r.FirstRow > 0 && r.FirstRow <= r.HeaderRow:
		return bad("header_row", "the rows do not follow one another", "", "The header row stands above the first row, and that above the last.")
	}
	if r.Misread != "" && r.Misread != MendMisread && r.Misread != "hold" {
		return bad("misread", "text that was decoded wrongly is held or mended", r.Misread, "Choose hold or mend.")
	}
	if r.DecimalSign != "" && r.DecimalSign != "." && r.DecimalSign != "," {
		return bad("decimal_sign", "a decimal sign is a dot or a comma", r.DecimalSign, "")
	}
	switch value.DateOrder(r.DateOrder) {
	case "", value.DayFirst, value.MonthFirst, value.YearFirst:
	default:
		return bad("date_order", "there is no such date order", r.DateOrder, "Choose day_first, month_first or year_first.")
	}
	return nil
}

// SameRows reports whether two readings of a source can only differ in how its
// cells are understood, not in which rows and columns it has; else it names the
// part that says otherwise.
func (r Reading) SameRows(other Reading) (part string, same bool) {
	switch {
	case r.File != other.File:
		return "file", false
	case r.Sheet != other.Sheet:
		return "sheet", false
	case r.Misread != other.Misread:
		return "misread", false
	case r.Delimiter != other.Delimiter:
		return "delimiter", false
	case r.Quote != other.Quote:
		return "quote", false
	case r.HeaderRow != other.HeaderRow:
		return "header_row", false
	case r.NoHeader != other.NoHeader:
		return "no_header", false
	case r.FirstRow != other.FirstRow:
		return "first_row", false
	case r.LastRow != other.LastRow:
		return "last_row", false
	}
	return "", true
}

// Finding is one thing that was detected, with the evidence for it.
type Finding struct {
	Option   string `json:"option"` // the part of Reading that it settles
	Value    string `json:"value"`
	Sure     bool   `json:"sure"`
	Evidence string `json:"evidence"`

	Choices []string `json:"choices,omitempty"` // what else there is
}

// Row is one row of cells. Number is the row number that a spreadsheet program
// shows. The cells may be kept; the slice is used again by the next call.
type Row struct {
	Number     int64
	Cells      []string
	LooseQuote bool // a quote that opens a cell and is never closed was read as a sign
}

// Blank reports whether no cell of the row holds anything.
func (r Row) Blank() bool {
	for _, c := range r.Cells {
		if strings.TrimSpace(c) != "" {
			return false
		}
	}
	return true
}

// Reader gives the rows of one sheet in order; io.EOF after the last.
type Reader interface {
	Next() (Row, error)
}

// Limits guard the process against what a source may hold.
type Limits struct {
	CellBytes int // most bytes in a cell
	Columns   int // most cells in a row
	RowBytes  int // most bytes in a row

	UnpackedBytes int64 // most bytes that a part of an archive unpacks to
}

// DefaultLimits are generous for real sheets and small for memory.
var DefaultLimits = Limits{CellBytes: 1 << 20, Columns: 2000, RowBytes: 8 << 20, UnpackedBytes: 16 << 30}

// Table reads the data rows of a source under a header: blank rows are passed
// over, rows above the header and below the last row too.
type Table struct {
	Header  []string // unique names of the columns, in order
	Notices []Notice // what was put right in the header
	rows    Reader
	closers []io.Closer
	first   int64 // rows before it are passed over
	last    int64
	mend    bool // text that was decoded wrongly is put right

	begun    bool
	ahead    Row
	aheadErr error
	turn     int
	buffers  [2][]string
	totals   int64 // number of the row of totals that was left out
}

// Notice is something that a person should know about a source although it
// stops nothing.
type Notice struct {
	Code    string `json:"code"`
	Message string `json:"message"`
	Row     int64  `json:"row,omitempty"`
	Column  string `json:"column,omitempty"`
	Count   int64  `json:"count,omitempty"`
}

// Open reads up to and with the header row. The table must be closed.
func Open(src Source, reading Reading, limits Limits) (*Table, error) {
	rows, closers, err := openRows(src, reading, limits)
	if err != nil {
		return nil, err
	}
	t := &Table{rows: rows, closers: closers, first: reading.FirstRow, last: reading.LastRow, mend: reading.Misread == MendMisread}
	if reading.NoHeader {
		err = t.nameByLetters(src, reading, limits)
	} else {
		err = t.findHeader(src, reading.HeaderRow)
	}
	if err != nil {
		t.Close()
		return nil, err
	}
	return t, nil
}

// lettersFrom is how many rows are looked at for the number of columns of a sheet
// without a header.
const lettersFrom = 1000

// nameByLetters names the columns of a sheet without a header as spreadsheet
// programs do: as many as its first rows have.
func (t *Table) nameByLetters(src Source, reading Reading, limits Limits) error {
	ahead, closers, err := openRows(src, reading, limits)
	if err != nil {
		return err
	}
	defer (&Table{closers: closers}).Close()
	width := 0
	for range lettersFrom {
		row, err := ahead.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		if row.Number >= reading.FirstRow && (reading.LastRow == 0 || row.Number <= reading.LastRow) {
			width = max(width, widthOf(row))
		}
	}
	if width == 0 {
		return fault.New(fault.Invalid, "no_rows", "nothing stands in the source").At(fault.Place{File: src.Name}).Mended("Choose another sheet or first row, or send a file that is not empty.")
	}
	for i := range width {
		t.Header = append(t.Header, Letter(i))
	}
	return nil
}

// widthOf is how many cells a row has up to the last that is filled.
func widthOf(row Row) int {
	width := len(row.Cells)
	for width > 0 && strings.TrimSpace(row.Cells[width-1]) == "" {
		width--
	}
	return width
}

func (t *Table) findHeader(src Source, at int64) error {
	for {
		row, err := t.rows.Next()
		if err == io.EOF {
			return fault.New(fault.Invalid, "no_header", "the source ends before its header row").At(fault.Place{File: src.Name, Row: at}).
				Mended("Choose another header row or sheet, or send a file that is not empty.")
		}
		if err != nil {
			return err
		}
		if row.Number >= at {
			if t.mend {
				mended(row.Cells)
			}
			t.Header, t.Notices = columnNames(row)
			return nil
		}
	}
}

// Close frees what the reading holds.
func (t *Table) Close() {
	for _, c := range t.closers {
		c.Close() //nolint:errcheck // only read from
	}
}

// Rest gives the notices that only the whole sheet tells; asked after the last row.
func (t *Table) Rest() []Notice {
	var list []Notice
	if r, ok := t.rows.(interface{ notices() []Notice }); ok {
		list = r.notices()
	}
	if t.totals > 0 {
		list = append(list, Notice{Code: "totals_row", Message: "the last row reads like totals; it is left out", Row: t.totals})
	}
	return list
}

// Next gives the next row that holds anything. A row of totals at the very end
// is left out, with a notice.
func (t *Table) Next() (Row, error) {
	if !t.begun {
		t.begun = true
		t.ahead, t.aheadErr = t.read(0)
	}
	if t.aheadErr != nil {
		return Row{}, t.aheadErr
	}
	row := t.ahead
	t.turn = 1 - t.turn
	t.ahead, t.aheadErr = t.read(t.turn)
	if t.aheadErr == io.EOF && t.last == 0 && t.likeTotals(row) {
		t.totals = row.Number
		return Row{}, io.EOF
	}
	return row, nil
}

// read takes the next row that is not blank into one of two buffers: one row is
// always read ahead, so that the last is known.
func (t *Table) read(buffer int) (Row, error) {
	for {
		row, err := t.rows.Next()
		if err != nil {
			return Row{}, err
		}
		if t.last > 0 && row.Number > t.last {
			return Row{}, io.EOF
		}
		if row.Number < t.first {
			continue
		}
		if !row.Blank() {
			t.buffers[buffer] = append(t.buffers[buffer][:0], row.Cells...)
			if t.mend {
				mended(t.buffers[buffer])
			}
			row.Cells = t.buffers[buffer]
			return row, nil
		}
	}
}

// mended puts right the cells whose text was decoded wrongly before.
func mended(cells []string) {
	for n, c := range cells {
		if meant, wrong := value.Misread(c); wrong {
			cells[n] = meant
		}
	}
}

var totalsWords, countWords = map[string]bool{}, map[string]bool{}

func init() {
	for w := range strings.SplitSeq("count|number|rows|records|anzahl|zeilen|nombre|numero|lignes|aantal|antal|liczba", "|") {
		countWords[value.Words(w)] = true
	}
	for w := range strings.SplitSeq("total|totals|grand total|sum|summe|gesamt|insgesamt|gesamtsumme|total general|somme|totaal|totale|totali|totalt|summa|yhteensa|razem|suma|soma|συνολο|合計", "|") {
		totalsWords[value.Words(w)] = true
	}
}

// likeTotals reports whether a row begins with a word for totals, perhaps with what it
// counts behind a colon or a number, and has less than half of the columns filled.
func (t *Table) likeTotals(row Row) bool {
	for _, c := range row.Cells {
		if c = value.Trim(c); c != "" {
			return (totalsWords[value.Words(c)] || countsRows(c)) && filled(row)*2 <= len(t.Header)
		}
	}
	return false
}

// countsRows reports whether a text counts something: "Total: 25 contacts", "Anzahl 25".
func countsRows(s string) bool {
	word, rest, colon := strings.Cut(s, ":")
	if !colon {
		word, rest, _ = strings.Cut(s, " ")
	}
	rest = strings.TrimSpace(rest)
	first, _, _ := strings.Cut(value.Words(word), " ") // of "Total contacts: 25"
	return (totalsWords[first] || countWords[first]) && rest != "" && rest[0] >= '0' && rest[0] <= '9'
}

// columnNames makes a unique name for every column: empty headers are named by
// their letter, repeated ones are numbered.
func columnNames(row Row) ([]string, []Notice) {
	var notices []Notice
	width := widthOf(row)
	names := make([]string, width)
	taken := map[string]bool{}
	for i := range names {
		name := strings.Join(strings.Fields(row.Cells[i]), " ")
		if name == "" {
			name = "Column " + Letter(i)
			notices = append(notices, Notice{Code: "empty_header", Message: "a column has no header; it is called by its letter", Row: row.Number, Column: name})
		}
		if taken[name] {
			base := name
			for n := 2; taken[name]; n++ {
				name = base + " (" + itoa(n) + ")"
			}
			notices = append(notices, Notice{Code: "duplicate_header", Message: "two columns have the same header; the later is numbered", Row: row.Number, Column: name})
		}
		taken[name] = true
		names[i] = name
	}
	return names, notices
}

// Letter names a column as spreadsheet programs do: A, B, …, Z, AA; i counts from 0.
func Letter(i int) string {
	s := ""
	for i++; i > 0; i = (i - 1) / 26 {
		s = string(rune('A'+(i-1)%26)) + s
	}
	return s
}
