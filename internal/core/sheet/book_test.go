package sheet

import (
	"bytes"
	"fmt"
	"io"
	"slices"
	"strings"
	"testing"
)

// What is written into a workbook of either kind is read again as it was: texts in
// any writing, numbers, days, blanks, and cells that only look like what they are not.
func TestBooksComeBack(t *testing.T) {
	columns := []BookColumn{{Header: "Name", Note: "Who"}, {Header: "Sum", Holds: Numbers, Digits: 2},
		{Header: "Day", Holds: Days}, {Header: "At", Holds: Moments}, {Header: "Kind", Choices: []string{"a <b>", "c & d"},
			Required: true}}
	rows := [][]string{
		{"  two  blanks ", "1250.50", "2026-03-31", "2026-03-31T14:30:00Z", "a <b>"},
		{"=1+1", "12345678901234567890", "1812-01-01", "", "none of them"},
		{"line one\nline two\ttab", "", "31.3.2026", "soon", ""},
		{"00123", "-7", "", "", "c & d"},
		{"Ærø ✓ & <tag> \"q\"", "0.1", "2000-02-29", "2000-02-29T00:00:00Z", "c & d"},
	}
	want := [][]string{
		{"  two  blanks ", "1250.5", "2026-03-31", "2026-03-31 14:30:00", "a <b>"},
		rows[1], rows[2], rows[3],
		{rows[4][0], "0.1", "2000-02-29", "2000-02-29", "c & d"},
	}
	for kind, write := range map[string]func(io.Writer, Book) error{"book.xlsx": WriteXLSX, "book.ods": WriteODS} {
		n := 0
		sheet := BookSheet{Name: "Things & more", Columns: columns, Next: func() (BookRow, error) {
			if n == len(rows) {
				return BookRow{}, io.EOF
			}
			n++
			return BookRow{Cells: rows[n-1], Notes: map[int]string{4: "look"}}, nil
		}}
		var out bytes.Buffer
		if err := write(&out, Book{Sheets: []BookSheet{sheet, {Name: "Empty", Columns: columns}},
			Guide: [][]string{{"Column", "What"}, {"Name", "Who"}}}); err != nil {
			t.Fatal(err)
		}
		header, read, _, err := readSource(bytesSource(kind, out.Bytes()), Reading{})
		if err != nil {
			t.Fatal(err)
		}
		if strings.Join(header, "|") != "Name|Sum|Day|At|Kind" {
			t.Errorf("%s: header %v", kind, header)
		}
		var got [][]string
		for _, r := range read {
			cells := slices.Clone(r.Cells)
			for len(cells) < len(columns) {
				cells = append(cells, "")
			}
			got = append(got, cells)
		}
		if len(got) != len(want) {
			t.Fatalf("%s: %d rows", kind, len(got))
		}
		for n, r := range want {
			for c := range r {
				if strings.TrimSpace(got[n][c]) != strings.TrimSpace(r[c]) {
					t.Errorf("%s, row %d, column %d: %q, want %q", kind, n+1, c+1, got[n][c], r[c])
				}
			}
		}
	}
}

// An error of the rows is told as it is.
func TestBookOfRowsThatFail(t *testing.T) {
	wrong := fmt.Errorf("no more")
	for _, write := range []func(io.Writer, Book) error{WriteXLSX, WriteODS} {
		err := write(io.Discard, Book{Sheets: []BookSheet{{Name: "A", Columns: Columns([]string{"x"}),
			Next: func() (BookRow, error) { return BookRow{}, wrong }}}})
		if err != wrong {
			t.Errorf("%v", err)
		}
	}
}
