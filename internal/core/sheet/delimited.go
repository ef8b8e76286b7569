package sheet

import (
	"bytes"
	"io"
	"strconv"
	"strings"
	"unicode/utf8"

	"uchi/internal/core/fault"
	"uchi/internal/core/value"
)

func itoa(n int) string { return strconv.Itoa(n) }

// delimited reads delimited text: RFC 4180 and what people really send (any
// delimiter, bare carriage returns, quotes that stand inside words, ragged
// rows). Rows are counted as a spreadsheet program counts them: a row with
// line breaks in its cells is one, a blank line is one, a sep= line is none.
type delimited struct {
	src    Source
	in     io.Reader
	limits Limits
	delim  byte
	quote  byte // 0 when cells are never quoted
	escape byte // 0 when no sign is escaped
	remark byte // lines that begin with it are no rows; 0 when all are
	buf    []byte
	at     int
	end    int
	err    error
	open   int   // where in buf the quote stands that opened the cell, which is kept; or -1
	seen   int   // how much behind it was looked at for whole rows
	whole  int   // how many of them there are
	usual  width // of the rows so far
	loose  bool  // a quote of the row was opened and never closed
	number int64

	remarks, remarked int64 // how many lines are no rows, and the number of the first

	rec   []byte
	ends  []int
	cells []string
}

func newDelimited(src Source, reading Reading, limits Limits) (*delimited, error) {
	text, err := decoded(io.NewSectionReader(src, 0, src.Size), reading.Encoding)
	if err != nil {
		return nil, fault.New(fault.Invalid, "bad_reading", "there is no such encoding").With(reading.Encoding)
	}
	return newDelimitedText(src, text, reading, limits), nil
}

func newDelimitedText(src Source, text io.Reader, reading Reading, limits Limits) *delimited {
	d := &delimited{src: src, in: text, limits: limits, delim: ',', quote: '"', open: -1, buf: make([]byte, 256<<10)}
	if reading.Delimiter != "" {
		d.delim = reading.Delimiter[0]
	}
	if reading.Quote != "" {
		d.quote = signOf(reading.Quote)
	}
	d.escape, d.remark = signOf(reading.Escape), signOf(reading.Comment)
	return d
}

// signOf gives the sign that a reading names; 0 for none.
func signOf(s string) byte {
	if s == "" || s == noSign {
		return 0
	}
	return s[0]
}

// more makes at least one byte available, unless the text has ended.
func (d *delimited) more() bool {
	for d.at == d.end {
		if d.err != nil {
			return false
		}
		from := 0
		if d.open >= 0 { // what stands since the quote may have to be read again
			if d.open == 0 && d.end == len(d.buf) {
				d.buf = append(d.buf, make([]byte, len(d.buf))...)
			}
			from = copy(d.buf, d.buf[d.open:d.end])
			d.open = 0
		}
		var n int
		n, d.err = d.in.Read(d.buf[from:])
		d.at, d.end = from, from+n
	}
	return true
}

// width finds how many cells most rows have (Boyer and Moore 1991, MJRTY).
type width struct{ cells, votes int }

func (w *width) add(cells int) {
	switch {
	case w.votes == 0:
		w.cells, w.votes = cells, 1
	case w.cells == cells:
		w.votes++
	default:
		w.votes--
	}
}

// swallows reports whether the open quote has taken in rows up to here: whole lines, behind
// the first, that have as many cells as most rows. It was meant as a sign then, such as that
// of inches, or the one that closes it was forgotten.
func (d *delimited) swallows() bool {
	text := d.buf[d.open:d.at]
	for d.whole == 0 && d.usual.cells > 2 {
		n := bytes.IndexByte(text[d.seen:], '\n')
		if n < 0 {
			return false
		}
		if d.seen > 0 && bytes.Count(text[d.seen:d.seen+n], []byte{d.delim}) == d.usual.cells-1 {
			d.whole++
		}
		d.seen += n + 1
	}
	return d.whole > 0
}

// asSign reads the cell again from its quote, which is a sign of it.
func (d *delimited) asSign(start int) {
	d.rec = append(d.rec[:start], d.quote)
	d.at, d.open, d.loose = d.open+1, -1, true
}

func (d *delimited) fail(code, message, mend string) error {
	return fault.New(fault.Invalid, code, message).
		At(fault.Place{File: d.src.Name, Row: d.number, Column: Letter(len(d.ends))}).Mended(mend)
}

// Next implements Reader.
func (d *delimited) Next() (Row, error) {
	for {
		if !d.more() {
			if d.err != io.EOF {
				return Row{}, d.err
			}
			return Row{}, io.EOF
		}
		d.number++
		d.rec, d.ends, d.loose = d.rec[:0], d.ends[:0], false
		if d.remark != 0 && d.buf[d.at] == d.remark {
			if d.remarks++; d.remarks == 1 {
				d.remarked = d.number
			}
			d.skipLine()
			continue
		}
		for {
			last, err := d.cell()
			if err != nil {
				return Row{}, err
			}
			d.ends = append(d.ends, len(d.rec))
			if last {
				break
			}
			if len(d.ends) >= d.limits.Columns {
				return Row{}, d.fail("too_many_columns", "the row has more than "+itoa(d.limits.Columns)+" cells",
					"Check the delimiter, or split the sheet; the limit can be raised when the service is started.")
			}
		}
		if d.number == 1 && len(d.rec) < 8 && bytes.HasPrefix(bytes.ToLower(d.rec), []byte("sep=")) {
			d.number = 0
			continue
		}
		d.usual.add(len(d.ends))
		return Row{Number: d.number, Cells: d.split(), LooseQuote: d.loose, Parted: true}, nil
	}
}

// skipLine passes over the rest of a line and what ends it.
func (d *delimited) skipLine() {
	for d.more() {
		n := bytes.IndexAny(d.buf[d.at:d.end], "\r\n")
		if n < 0 {
			d.at = d.end
			continue
		}
		c := d.buf[d.at+n]
		d.at += n + 1
		if c == '\r' && d.more() && d.buf[d.at] == '\n' {
			d.at++
		}
		return
	}
}

// notices tells which lines were passed over.
func (d *delimited) notices() []Notice {
	if d.remarks == 0 {
		return nil
	}
	return []Notice{{Code: "comment_lines", Message: "lines begin with " + string(d.remark) +
		" and are comments; they are left out", Row: d.remarked, Count: d.remarks}}
}

// split cuts the record into cells, all parts of one string.
func (d *delimited) split() []string {
	s := string(d.rec)
	clean := bytes.IndexByte(d.rec, 0) < 0 && utf8.Valid(d.rec)
	d.cells = d.cells[:0]
	from := 0
	for _, to := range d.ends {
		c := s[from:to]
		if !clean {
			c = strings.ReplaceAll(strings.ToValidUTF8(c, string(value.BytesMark)), "\x00", string(value.NulMark))
		}
		d.cells = append(d.cells, c)
		from = to
	}
	return d.cells
}

// cell reads one cell and what ends it; last says that it ended the row.
func (d *delimited) cell() (last bool, err error) {
	start := len(d.rec)
	if d.quote != 0 && d.more() && d.buf[d.at] == d.quote {
		d.open, d.seen, d.whole = d.at, 0, 0
		d.at++
		err := d.quoted(start)
		d.open = -1
		if err != nil {
			return false, err
		}
	}
	for d.more() {
		run := d.buf[d.at:d.end]
		n := 0
		for n < len(run) {
			if c := run[n]; c == d.delim || c == '\n' || c == '\r' || c == d.escape && c != 0 {
				break
			}
			n++
		}
		d.rec = append(d.rec, run[:n]...)
		d.at += n
		if len(d.rec)-start > d.limits.CellBytes || len(d.rec) > d.limits.RowBytes {
			return false, d.tooLong()
		}
		if n == len(run) {
			continue
		}
		c := run[n]
		d.at++
		if c == d.escape && c != 0 {
			d.escaped(start)
			continue
		}
		if c == '\r' && d.more() && d.buf[d.at] == '\n' {
			d.at++
		}
		return c != d.delim, nil
	}
	if d.err != io.EOF {
		return false, d.err
	}
	return true, nil
}

// escaped takes what stands behind an escape as it is meant: a line break or tab by its letter, a
// whole cell N for nothing, else the sign itself.
func (d *delimited) escaped(start int) {
	if !d.more() {
		d.rec = append(d.rec, d.escape)
		return
	}
	c := d.buf[d.at]
	d.at++
	switch {
	case d.escape != '\\':
	case c == 'n':
		c = '\n'
	case c == 'r':
		c = '\r'
	case c == 't':
		c = '\t'
	case c == 'N' && len(d.rec) == start && d.endsCell():
		return
	}
	d.rec = append(d.rec, c)
}

func (d *delimited) tooLong() error {
	return d.fail("cell_too_long", "a cell is longer than "+itoa(d.limits.CellBytes)+" bytes",
		"Look for a quote that is never closed near this row, or shorten the cell; the limit can be raised when the service is started.")
}

// endsCell looks whether the cell ends here, perhaps behind spaces.
func (d *delimited) endsCell() bool {
	rest := bytes.TrimLeft(d.buf[d.at:d.end], " ")
	return len(rest) == 0 || rest[0] == d.delim || rest[0] == '\n' || rest[0] == '\r'
}

// opens tells whether the quote that was read last stands where a cell begins.
func (d *delimited) opens() bool {
	at := d.at - 2
	return at > d.open && (d.buf[at] == d.delim || d.buf[at] == '\n' || d.buf[at] == '\r')
}

// quoted reads to the closing quote, or only past the opening one when it turns out to be
// a sign. What follows it up to the delimiter is
// taken as part of the cell by the caller.
func (d *delimited) quoted(start int) error {
	for d.more() {
		run := d.buf[d.at:d.end]
		n := bytes.IndexByte(run, d.quote)
		if n < 0 {
			n = len(run)
		}
		escapes := false
		if d.escape != 0 && d.escape != d.quote {
			if e := bytes.IndexByte(run[:n], d.escape); e >= 0 {
				n, escapes = e, true
			}
		}
		d.rec = append(d.rec, run[:n]...)
		d.at += n
		if len(d.rec)-start > d.limits.CellBytes || len(d.rec) > d.limits.RowBytes {
			if d.swallows() {
				d.asSign(start)
				return nil
			}
			return d.tooLong()
		}
		if n == len(run) {
			continue
		}
		d.at++
		if escapes {
			d.escaped(-1)
			continue
		}
		if !d.more() {
			return nil
		}
		switch {
		case d.buf[d.at] == d.quote:
			d.rec = append(d.rec, d.quote)
			d.at++
		case d.endsCell():
			return nil
		case d.opens() && d.swallows(): // the cell of another row begins here
			d.asSign(start)
			return nil
		default: // a quote inside the quoted cell that nobody doubled
			d.rec = append(d.rec, d.quote)
		}
	}
	if d.err != io.EOF {
		return d.err
	}
	if d.swallows() {
		d.asSign(start)
		return nil
	}
	return d.fail("quote_not_closed", "a quote is opened and never closed, so the rest of the file is one cell",
		"Close the quote in this row, or say at the Source station that cells are not quoted.")
}
