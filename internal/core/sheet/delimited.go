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
	buf    []byte
	at     int
	end    int
	err    error
	number int64
	rec    []byte
	ends   []int
	cells  []string
}

func newDelimited(src Source, reading Reading, limits Limits) (*delimited, error) {
	text, err := decoded(io.NewSectionReader(src, 0, src.Size), reading.Encoding)
	if err != nil {
		return nil, fault.New(fault.Invalid, "bad_reading", "there is no such encoding").With(reading.Encoding)
	}
	return newDelimitedText(src, text, reading, limits), nil
}

func newDelimitedText(src Source, text io.Reader, reading Reading, limits Limits) *delimited {
	d := &delimited{src: src, in: text, limits: limits, delim: ',', quote: '"', buf: make([]byte, 256<<10)}
	if reading.Delimiter != "" {
		d.delim = reading.Delimiter[0]
	}
	switch reading.Quote {
	case "":
	case "none":
		d.quote = 0
	default:
		d.quote = reading.Quote[0]
	}
	return d
}

// more makes at least one byte available, unless the text has ended.
func (d *delimited) more() bool {
	for d.at == d.end {
		if d.err != nil {
			return false
		}
		d.at = 0
		d.end, d.err = d.in.Read(d.buf)
	}
	return true
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
		d.rec, d.ends = d.rec[:0], d.ends[:0]
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
		return Row{Number: d.number, Cells: d.split()}, nil
	}
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
		d.at++
		if err := d.quoted(start); err != nil {
			return false, err
		}
	}
	for d.more() {
		run := d.buf[d.at:d.end]
		n := 0
		for n < len(run) {
			if c := run[n]; c == d.delim || c == '\n' || c == '\r' {
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

func (d *delimited) tooLong() error {
	return d.fail("cell_too_long", "a cell is longer than "+itoa(d.limits.CellBytes)+" bytes",
		"Look for a quote that is never closed near this row, or shorten the cell; the limit can be raised when the service is started.")
}

// endsCell looks whether the cell ends here, perhaps behind spaces.
func (d *delimited) endsCell() bool {
	rest := bytes.TrimLeft(d.buf[d.at:d.end], " ")
	return len(rest) == 0 || rest[0] == d.delim || rest[0] == '\n' || rest[0] == '\r'
}

// quoted reads to the closing quote. What follows it up to the delimiter is
// taken as part of the cell by the caller.
func (d *delimited) quoted(start int) error {
	for d.more() {
		run := d.buf[d.at:d.end]
		n := bytes.IndexByte(run, d.quote)
		if n < 0 {
			n = len(run)
		}
		d.rec = append(d.rec, run[:n]...)
		d.at += n
		if len(d.rec)-start > d.limits.CellBytes || len(d.rec) > d.limits.RowBytes {
			return d.tooLong()
		}
		if n == len(run) {
			continue
		}
		d.at++
		if !d.more() {
			return nil
		}
		switch {
		case d.buf[d.at] == d.quote:
			d.rec = append(d.rec, d.quote)
			d.at++
		case d.endsCell():
			return nil
		default: // a quote inside the quoted cell that nobody doubled
			d.rec = append(d.rec, d.quote)
		}
	}
	if d.err != io.EOF {
		return d.err
	}
	return d.fail("quote_not_closed", "a quote is opened and never closed, so the rest of the file is one cell",
		"Close the quote in this row, or say at the Source station that cells are not quoted.")
}
