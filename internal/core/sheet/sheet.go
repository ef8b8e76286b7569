// Package sheet turns sources (files as people send them) into streams of rows
// of cells, and profiles the columns while they pass. It detects how a source
// is to be read, shows the evidence, and lets every finding be overruled. It
// never holds a source whole in memory, but for a small one that lies on its
// side. It knows no record types, no database and no face.
package sheet

import (
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

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
	File      string `json:"file,omitempty" yaml:"file,omitempty"`           // which file of a ZIP archive
	Sheet     string `json:"sheet,omitempty" yaml:"sheet,omitempty"`         // which sheet of a workbook, table of a page, or list within objects
	Encoding  string `json:"encoding,omitempty" yaml:"encoding,omitempty"`   // IANA name
	Delimiter string `json:"delimiter,omitempty" yaml:"delimiter,omitempty"` // one character
	Quote     string `json:"quote,omitempty" yaml:"quote,omitempty"`         // one character, or "none"
	// one character before a sign that is meant as such, or "none"
	Escape string `json:"escape,omitempty" yaml:"escape,omitempty"`
	// lines that begin with this character are no rows; or "none"
	Comment string `json:"comment,omitempty" yaml:"comment,omitempty"`
	// rows that are no records (the header again, totals, page numbers, another table): "leave_out", or "read"
	Asides string `json:"asides,omitempty" yaml:"asides,omitempty"`
	// rows and columns that are hidden in a workbook: "read", or "leave_out"
	Hidden string `json:"hidden,omitempty" yaml:"hidden,omitempty"`
	// what merged cells say: a text in each of their rows, or all of it in the "first" alone
	Merged string `json:"merged,omitempty" yaml:"merged,omitempty"`
	// the sheet lies on its side: each of its columns is a row
	Turned    bool  `json:"turned,omitempty" yaml:"turned,omitempty"`
	HeaderRow int64 `json:"header_row,omitempty" yaml:"header_row,omitempty"` // as the spreadsheet program counts
	// there is none; columns are called A, B, C
	NoHeader bool `json:"no_header,omitempty" yaml:"no_header,omitempty"`
	// of data; 0 is the one below the header
	FirstRow int64 `json:"first_row,omitempty" yaml:"first_row,omitempty"`
	LastRow  int64 `json:"last_row,omitempty" yaml:"last_row,omitempty"` // 0 reads to the end
	// by their letters, such as A:D or F:; all when left out
	Columns string `json:"columns,omitempty" yaml:"columns,omitempty"`
	// "mend" reads text that was decoded wrongly before as it was meant; else it is held
	Misread     string `json:"misread,omitempty" yaml:"misread,omitempty"`
	DecimalSign string `json:"decimal_sign,omitempty" yaml:"decimal_sign,omitempty"` // "." or ","
	// day_first, month_first or year_first
	DateOrder string `json:"date_order,omitempty" yaml:"date_order,omitempty"`
	// ISO 3166, for phone numbers without a country code
	Country string `json:"country,omitempty" yaml:"country,omitempty"`
	// IANA time zone, for date-times without an offset
	Zone string `json:"zone,omitempty" yaml:"zone,omitempty"`
}

// Taught gives the reading with what another says of how cells are understood and this leaves open: of another file of
// the same kind. Which file, sheet, rows and columns are meant, and how the file is written, each says itself.
func (r Reading) Taught(by Reading) Reading {
	for _, part := range []struct{ mine, theirs *string }{
		{&r.Country, &by.Country}, {&r.Zone, &by.Zone}, {&r.DateOrder, &by.DateOrder}, {&r.DecimalSign, &by.DecimalSign},
		{&r.Misread, &by.Misread}, {&r.Asides, &by.Asides}, {&r.Hidden, &by.Hidden}, {&r.Merged, &by.Merged},
	} {
		if *part.mine == "" {
			*part.mine = *part.theirs
		}
	}
	if by.Turned && !r.Turned {
		return r.TurnedOver()
	}
	return r
}

// TurnedOver gives the reading of the same sheet with its columns for rows: which of these are read is open again.
func (r Reading) TurnedOver() Reading {
	r.Turned = !r.Turned
	r.HeaderRow, r.NoHeader, r.FirstRow, r.LastRow, r.Columns = 0, false, 0, 0, ""
	return r
}

// noSign says of a sign of the text that there is none.
const noSign = "none"

// MendMisread is the reading in which text that was decoded wrongly is mended.
const MendMisread = "mend"

// Check says whether the parts that were set by hand can be used.
func (r Reading) Check() error {
	bad := func(path, message, v, mend string) error {
		return fault.New(fault.Invalid, "bad_reading", message).At(fault.Place{Path: path}).With(v).Mended(mend)
	}
	if r.Encoding != "" {
		if _, err := encodingByName(r.Encoding); err != nil {
			return bad("encoding", "there is no such encoding", r.Encoding,
				"Give an IANA name such as utf-8, windows-1252 or shift_jis.")
		}
	}
	if len([]rune(r.Delimiter)) > 1 || len(r.Delimiter) > 1 {
		return bad("delimiter", "a delimiter is one character of ASCII", r.Delimiter, `For example ";" or a tab.`)
	}
	for _, sign := range []struct{ path, name, value string }{{"quote", "a quote", r.Quote},
		{"escape", "an escape", r.Escape}, {"comment", "the sign of a comment", r.Comment}} {
		if sign.value != "" && sign.value != noSign && (len(sign.value) != 1 || sign.value[0] < '!') {
			return bad(sign.path, sign.name+" is one character of ASCII, or none", sign.value, "")
		}
	}
	if r.Hidden != "" && r.Hidden != LeaveHidden && r.Hidden != "read" {
		return bad("hidden", "what is hidden in a sheet is read or left out", r.Hidden, "Choose read or leave_out.")
	}
	if r.Merged != "" && r.Merged != MergedFirst && r.Merged != "repeat" {
		return bad("merged", "what merged cells say is read in each of their rows or in the first", r.Merged,
			"Choose repeat or first.")
	}
	if r.Asides != "" && r.Asides != ReadAsides && r.Asides != "leave_out" {
		return bad("asides", "rows that are no records are left out or read", r.Asides, "Choose leave_out or read.")
	}
	if _, _, ok := r.columns(); !ok {
		return bad("columns", "the columns are no range of letters", r.Columns,
			"Give the first and the last, such as A:D, or the first alone, such as F:.")
	}
	switch {
	case r.NoHeader && r.HeaderRow > 0:
		return bad("no_header", "there is a header row or there is none", fmt.Sprint(r.HeaderRow),
			"Leave one of the two out.")
	case r.HeaderRow < 0 || r.FirstRow < 0 || r.LastRow < 0,
		r.LastRow > 0 && r.LastRow < max(r.HeaderRow, r.FirstRow),
		r.FirstRow > 0 && r.FirstRow <= r.HeaderRow:
		return bad("header_row", "the rows do not follow one another", "",
			"The header row stands above the first row, and that above the last.")
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
	switch code := value.CountryNamed(r.Country); {
	case r.Country == code:
	case code != "":
		return bad("country", "this is no country's code", r.Country, "Is "+code+" meant?")
	default: // by which no number could be read
		return bad("country", "this is no country's code", r.Country, "Give the two letters of ISO 3166, such as NO.")
	}
	_, err := r.Location()
	return err
}

// Location is the time zone of times that name none; nil when none is said. The error is a fault
// with the code bad_reading.
func (r Reading) Location() (*time.Location, error) {
	if r.Zone == "" {
		return nil, nil
	}
	zone, err := time.LoadLocation(r.Zone)
	if err != nil {
		return nil, fault.New(fault.Invalid, "bad_reading", "there is no such time zone").At(fault.Place{Path: "zone"}).
			With(r.Zone).Mended("Give a name such as Europe/Oslo.")
	}
	return zone, nil
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
	case r.Escape != other.Escape:
		return "escape", false
	case r.Comment != other.Comment:
		return "comment", false
	case r.Asides != other.Asides:
		return "asides", false
	case r.Hidden != other.Hidden:
		return "hidden", false
	case r.Merged != other.Merged:
		return "merged", false
	case r.Turned != other.Turned:
		return "turned", false
	case r.HeaderRow != other.HeaderRow:
		return "header_row", false
	case r.NoHeader != other.NoHeader:
		return "no_header", false
	case r.FirstRow != other.FirstRow:
		return "first_row", false
	case r.LastRow != other.LastRow:
		return "last_row", false
	case r.Columns != other.Columns:
		return "columns", false
	}
	return "", true
}

var letterRange = regexp.MustCompile(`^([A-Za-z]{1,3}):([A-Za-z]{1,3})?$`)

// columns gives the first column that is read, from 0, and the one behind the last; 0 for no bound.
func (r Reading) columns() (from, to int, ok bool) {
	if r.Columns == "" {
		return 0, 0, true
	}
	m := letterRange.FindStringSubmatch(r.Columns)
	if m == nil {
		return 0, 0, false
	}
	from, to = columnOf(strings.ToUpper(m[1])), columnOf(strings.ToUpper(m[2]))+1
	return from, to, to == 0 || to > from
}

// part is a row with those of its cells that stand in some columns.
func (r Row) part(from, to int) Row {
	if to > 0 && to < len(r.Cells) {
		r.Cells = r.Cells[:to]
	}
	r.Cells = r.Cells[min(from, len(r.Cells)):]
	return r
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
	Parted     bool // signs part the cells, so that blank ones at the end of a line are there as well
}

// Blank reports whether no cell of the row holds anything.
func (r Row) Blank() bool {
	for _, c := range r.Cells {
		if !blank(c) {
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

	// Heads reports whether cells are words that head columns, for whoever knows such words: below
	// a gap they begin another table, also where the cells of both are all text. It may be nil.
	Heads func(cells []string) bool

	rows    Reader
	closers []io.Closer
	first   int64 // rows before it are passed over
	last    int64
	mend    bool // text that was decoded wrongly is put right
	from    int  // columns before it are not read
	to      int  // nor it and those behind it; 0 reads all

	said     []string // the header as it stands in the sheet
	at       int64    // the row of the header
	above    Row      // the row right above the header
	asides   *asides  // nil when all rows are read
	ahead    []Row
	aheadErr error
	given    []string   // the cells of the row that was given last
	free     [][]string // buffers for the cells of rows
}

// Notice is something that a person should know about a source although it
// stops nothing.
type Notice struct {
	Code    string `json:"code"`
	Message string `json:"message"`
	Row     int64  `json:"row,omitempty"`
	Column  string `json:"column,omitempty"`
	Count   int64  `json:"count,omitempty"`
	Title   string `json:"title,omitempty"` // the words above another table, of AnotherTable
}

// Open reads up to and with the header row. The table must be closed.
func Open(src Source, reading Reading, limits Limits) (*Table, error) {
	rows, closers, err := openRows(src, reading, limits)
	if err != nil {
		return nil, err
	}
	t := &Table{rows: rows, closers: closers, first: reading.FirstRow, last: reading.LastRow,
		mend: reading.Misread == MendMisread}
	t.from, t.to, _ = reading.columns()
	if reading.NoHeader {
		err = t.nameByLetters(src, reading, limits)
	} else {
		err = t.findHeader(src, reading.HeaderRow)
	}
	if err != nil {
		t.Close()
		return nil, err
	}
	if _, objects := rows.(*jsonLines); !objects && reading.Asides != ReadAsides {
		t.asides = &asides{header: t.said, width: len(t.Header), ends: reading.LastRow > 0, counts: map[string]*Notice{}}
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
			width = max(width, widthOf(row.part(t.from, t.to)))
		}
	}
	if width == 0 {
		return fault.New(fault.Invalid, "no_rows",
			"nothing stands in the source").At(fault.Place{File: src.Name}).Mended("Choose another sheet or first row, or send " +
			"a file that is not empty.")
	}
	for i := range width {
		t.Header = append(t.Header, Letter(t.from+i))
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
			return fault.New(fault.Invalid, "no_header",
				"the source ends before its header row").At(fault.Place{File: src.Name, Row: at}).
				Mended("Choose another header row or sheet, or send a file that is not empty.")
		}
		if err != nil {
			return err
		}
		if row = row.part(t.from, t.to); row.Number == at-1 {
			t.above = Row{Number: row.Number, Cells: slices.Clone(row.Cells)}
		}
		if row.Number >= at {
			if t.mend {
				mended(row.Cells)
			}
			t.said, t.at = slices.Clone(row.Cells[:widthOf(row)]), row.Number
			t.Header, t.Notices = columnNames(row, t.from)
			return nil
		}
	}
}

// JoinGroups joins to the headers the words above or below them that make one header with them:
// those above stand over several columns, such as Company over Name and Town; those below
// stand under gaps, such as Street, Postcode and Town under the one word Address. Heads tells
// whether words are known to head columns, since titles stand above headers as well, and rows
// below. It is asked before the first row is read. What only counts the rows gets a name, where the header has none.
func (t *Table) JoinGroups(heads func(cells []string) bool) {
	t.joinGroups(heads)
	t.nameCounter()
}

// nameCounter names the first column where the header does not: where each row has one cell more than the header has names and
// the first cells count the rows, as programs write them that number what they give.
func (t *Table) nameCounter() {
	t.lookAhead()
	name := noHeaderName(t.from)
	if t.at == 0 || len(t.ahead) < fewestParted || slices.Contains(t.Header, name) {
		return
	}
	first := 0
	for n, row := range t.ahead {
		if !row.Parted || len(row.Cells) != len(t.Header)+1 {
			return
		}
		number, err := strconv.Atoi(strings.TrimSpace(row.Cells[0]))
		if n == 0 {
			first = number
		}
		if err != nil || number != first+n || first > 1 {
			return
		}
	}
	t.said = append([]string{""}, t.said...)
	t.Header = append([]string{name}, t.Header...)
	t.Notices = append(t.Notices, Notice{Code: "header_without_counter", Row: t.at, Column: name,
		Message: "the header has one name less than the rows have cells, and their first cells count the rows: the names are those of " +
			"the columns behind them"})
	if t.asides != nil {
		t.asides.header, t.asides.width = t.said, len(t.Header)
	}
}

func (t *Table) joinGroups(heads func(cells []string) bool) {
	if t.above.Number > 0 && overSeveral(t.above.Cells, t.said) && heads(t.above.Cells) {
		t.join(t.above.Cells, t.said)
		t.Notices = append(t.Notices, Notice{
			Code: "grouped_header", Row: t.above.Number,
			Message: "words in the row above the header stand over several columns each; they are joined to theirs",
		})
		return
	}
	if t.at == 0 || t.first > 0 || t.asides == nil { // else a person has said where the rows begin, or that all are rows
		return
	}
	row, err := t.read()
	if err != nil {
		t.aheadErr = err
		return
	}
	if row.Number != t.at+1 || !underGaps(t.said, row, heads) {
		t.ahead = append(t.ahead, row)
		return
	}
	t.asides.lower = slices.Clone(row.Cells[:widthOf(row)])
	t.join(t.said, row.Cells)
	t.Notices = append(t.Notices, Notice{
		Code: "grouped_header", Row: row.Number,
		Message: "the header has two rows: words in the lower one stand under gaps of the upper one; they are joined to those above them",
	})
}

// join names the columns by two rows of words, of which an upper one holds for what stands lower
// in its column, and in those behind it while nothing else stands above.
func (t *Table) join(upper, lower []string) {
	at := func(cells []string, n int) string {
		if n < len(cells) {
			return value.Trim(cells[n])
		}
		return ""
	}
	joined, group := make([]string, max(len(t.said), widthOf(Row{Cells: lower}))), ""
	for n := range joined {
		high, low := at(upper, n), at(lower, n)
		switch {
		case high != "":
			group = high
		case low == "":
			group = ""
		}
		switch {
		case low == "":
			joined[n] = high
		case group == "" || strings.Contains(value.Words(low), value.Words(group)):
			joined[n] = low
		default:
			joined[n] = group + " " + low
		}
		if low == "" { // what stands alone is no group of those behind it
			group = ""
		}
	}
	t.Header, t.Notices = columnNames(Row{Number: t.at, Cells: joined}, t.from)
	if t.asides != nil {
		t.asides.width = len(t.Header)
	}
}

// underGaps reports whether a row below the header is a part of it: it stands under gaps of the
// header, with words that are known to head columns there and words alone elsewhere.
func underGaps(header []string, row Row, heads func(cells []string) bool) bool {
	var under []string
	gaps, open := 0, -1 // the column of the words over a gap
	for n, c := range row.Cells {
		low := !blank(c)
		switch {
		case n < len(header) && !blank(header[n]):
			open = -1
			if low {
				open = n
			}
		case low:
			if gaps++; open >= 0 {
				under = append(under, row.Cells[open])
				open = -1
			}
			under = append(under, c)
		default:
			open = -1
		}
	}
	return gaps > 0 && len(under) > 1 && onlyWords(row) && heads(under)
}

// overSeveral reports whether the cells of a row stand over the names below as those of groups do:
// two at least, each a different short text, over more names than they are, and over names alone.
func overSeveral(above, names []string) bool {
	groups, under, most := 0, 0, 0
	for n, name := range names {
		if n < len(above) && !blank(above[n]) {
			groups++
			under = 0
		}
		if groups > 0 && !blank(name) {
			under++
			most = max(most, under)
		}
	}
	row := Row{Cells: above}
	return groups > 1 && most > 1 && groups*2 <= filled(Row{Cells: names}) &&
		widthOf(row) <= len(names) && filled(row) == groups && onlyWords(row)
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
	if t.asides != nil {
		list = append(list, t.asides.notices()...)
	}
	return list
}

// Next gives the next row that holds anything and is a record: what asides tells is left
// out, with a notice.
func (t *Table) Next() (Row, error) {
	for {
		t.lookAhead()
		if len(t.ahead) == 0 {
			return Row{}, t.aheadErr
		}
		row := t.ahead[0]
		t.ahead = slices.Delete(t.ahead, 0, 1)
		t.free, t.given = append(t.free, t.given), row.Cells
		if t.asides == nil || !t.asides.is(row, t.ahead, t.Heads) {
			return row, nil
		}
	}
}

// lookAhead reads the rows by which the next one is judged.
func (t *Table) lookAhead() {
	for len(t.ahead) <= rowsAhead && t.aheadErr == nil {
		var row Row
		if row, t.aheadErr = t.read(); t.aheadErr == nil {
			t.ahead = append(t.ahead, row)
		}
	}
}

// read takes the next row that is not blank, in a buffer of its own while it is ahead.
func (t *Table) read() (Row, error) {
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
		if row = row.part(t.from, t.to); !row.Blank() {
			var buffer []string
			if n := len(t.free); n > 0 {
				buffer, t.free = t.free[n-1], t.free[:n-1]
			}
			row.Cells = append(buffer[:0], row.Cells...)
			if t.mend {
				mended(row.Cells)
			}
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

// columnNames makes a unique name for every column: empty headers are named by
// their letter, counted from that of the first cell, repeated ones are numbered.
func columnNames(row Row, from int) ([]string, []Notice) {
	var notices []Notice
	width := widthOf(row)
	names := make([]string, width)
	taken := map[string]bool{}
	for i := range names {
		name := strings.Join(strings.Fields(row.Cells[i]), " ")
		if name == "" {
			name = noHeaderName(from + i)
			notices = append(notices, Notice{Code: "empty_header",
				Message: "a column has no header; it is called by its letter", Row: row.Number, Column: name})
		}
		if taken[name] {
			base := name
			for n := 2; taken[name]; n++ {
				name = base + " (" + itoa(n) + ")"
			}
			notices = append(notices, Notice{Code: "duplicate_header",
				Message: "two columns have the same header; the later is numbered", Row: row.Number, Column: name})
		}
		taken[name] = true
		names[i] = name
	}
	return names, notices
}

// noHeaderName is what a column without a header is called; i counts from 0.
func noHeaderName(i int) string { return "Column " + Letter(i) }

// Letter names a column as spreadsheet programs do: A, B, …, Z, AA; i counts from 0.
func Letter(i int) string {
	s := ""
	for i++; i > 0; i = (i - 1) / 26 {
		s = string(rune('A'+(i-1)%26)) + s
	}
	return s
}
