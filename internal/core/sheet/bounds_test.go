package sheet

import (
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"

	"uchi/internal/core/fault"

	"github.com/xuri/excelize/v2"
)

// sourcesOf writes the same cells in every format that is read.
func sourcesOf(t *testing.T, header []string, rows [][]string) map[string]Source {
	t.Helper()
	all := append([][]string{header}, rows...)
	joined := func(sign string) string {
		var b strings.Builder
		for _, r := range all {
			b.WriteString(strings.Join(r, sign) + "\n")
		}
		return b.String()
	}
	var objects []string
	for _, r := range rows {
		var members []string
		for n, c := range r {
			members = append(members, fmt.Sprintf("%q:%q", header[n], c))
		}
		objects = append(objects, "{"+strings.Join(members, ",")+"}")
	}
	f := excelize.NewFile()
	var ods strings.Builder
	for n, r := range all {
		cells := make([]any, len(r))
		var odsCells []string
		for c, text := range r {
			cells[c] = text
			odsCells = append(odsCells, `<table:table-cell office:value-type="string"><text:p>`+text+`</text:p></table:table-cell>`)
		}
		at, err := excelize.CoordinatesToCellName(1, n+1)
		ok(t, err)
		ok(t, f.SetSheetRow("Sheet1", at, &cells))
		ods.WriteString(odsRow(odsCells...))
	}
	var book bytes.Buffer
	_, err := f.WriteTo(&book)
	ok(t, err)
	return map[string]Source{
		"text.csv": source(joined(",")), "text.tsv": source(joined("\t")), "semicolons.csv": source(joined(";")),
		"lines.jsonl": bytesSource("lines.jsonl", []byte(strings.Join(objects, "\n")+"\n")),
		"list.json":   bytesSource("list.json", []byte("["+strings.Join(objects, ",")+"]")),
		"book.xlsx":   bytesSource("book.xlsx", book.Bytes()),
		"book.ods":    odsSource(t, "book.ods", ods.String()),
	}
}

// readWithin reads a source to its end within limits.
func readWithin(src Source, limits Limits) (header []string, rows [][]string, err error) {
	reading, _, err := Detect(src, Reading{})
	if err != nil {
		return nil, nil, err
	}
	table, err := Open(src, reading, limits)
	if err != nil {
		return nil, nil, err
	}
	defer table.Close()
	for {
		row, err := table.Next()
		if err == io.EOF {
			return table.Header, rows, nil
		}
		if err != nil {
			return table.Header, rows, err
		}
		rows = append(rows, append([]string{}, row.Cells...))
	}
}

// The same cells come out of every format.
func TestEveryFormatReadsTheSame(t *testing.T) {
	header := []string{"Name", "Town", "Number"}
	want := [][]string{{"Quay House", "Bergen", "A-1"}, {"Anchorby Marina", "Ås", "A-2"}, {"Fjordline Hotels AS", "Tromsø", "A-3"}, {"東京ボート", "東京", "A-4"}}
	for name, src := range sourcesOf(t, header, want) {
		got, rows, err := readWithin(src, DefaultLimits)
		if err != nil || fmt.Sprint(got) != fmt.Sprint(header) || fmt.Sprint(rows) != fmt.Sprint(want) {
			t.Errorf("%s: %q %q, %v", name, got, rows, err)
		}
	}
}

// Cells, rows and sheets that are too large end in an error that says where and what would mend it, in every format, and
// never in a panic; what is just within the limits is read.
func TestLimitsHoldInEveryFormat(t *testing.T) {
	limits := Limits{CellBytes: 20_000, Columns: 12, RowBytes: 60_000, UnpackedBytes: 64 << 20}
	header := []string{"Name", "Town", "Number", "Note"}
	row := func(cells ...string) []string { return append(cells, make([]string, len(header)-len(cells))...) }
	long := func(n int) string { return strings.Repeat("x", n) }
	wide := func(n int) (header, cells []string) {
		for i := range n {
			header, cells = append(header, fmt.Sprint("Column ", i)), append(cells, fmt.Sprint("cell ", i))
		}
		return header, cells
	}
	within, cells := wide(limits.Columns)
	beyond, more := wide(limits.Columns + 1)
	for what, x := range map[string]struct {
		header []string
		rows   [][]string
		codes  string // any of these; empty for none
	}{
		"a cell within":  {header, [][]string{row("a", "b", "c", long(19_000)), row("d", "e", "f", "g")}, ""},
		"a cell beyond":  {header, [][]string{row("a", "b", "c", "d"), row("a", "b", "c", long(21_000)), row("d", "e", "f", "g")}, "cell_too_long"},
		"a row beyond":   {header, [][]string{row("a", "b", "c", "d"), row(long(19_000), long(19_000), long(19_000), long(19_000))}, "row_too_long cell_too_long"},
		"a cell of much": {header, [][]string{row("a", "b", "c", "d"), row("a", "b", "c", long(4_000_000))}, "cell_too_long row_too_long"},
		"columns within": {within, [][]string{cells, cells}, ""},
		"columns beyond": {beyond, [][]string{more, more}, "too_many_columns"},
	} {
		for name, src := range sourcesOf(t, x.header, x.rows) {
			_, rows, err := readWithin(src, limits)
			f, is := fault.From(err)
			switch {
			case x.codes == "" && (err != nil || len(rows) != len(x.rows)):
				t.Errorf("%s, %s: %d rows, %v", what, name, len(rows), err)
			case x.codes != "" && (!is || !strings.Contains(" "+x.codes+" ", " "+f.Code+" ")):
				t.Errorf("%s, %s: %d rows, %v, want %s", what, name, len(rows), err, x.codes)
			case x.codes != "" && (f.Mend == "" || f.Place.Row == 0 && !(what == "a cell of much" && name == "book.ods")): // found before rows are counted
				t.Errorf("%s, %s: it is not said where, or what would mend it: %+v", what, name, f)
			}
		}
	}
}

// A source that ends in the middle is an error or what stands before the end, and never a panic or a row that is not
// there.
func TestSourcesThatEndInTheMiddle(t *testing.T) {
	header := []string{"Name", "Town", "Number"}
	var rows [][]string
	for n := range 60 {
		rows = append(rows, []string{fmt.Sprint("Marina ", n), "Bergen", fmt.Sprint("A-", n)})
	}
	there := map[string]bool{}
	for _, r := range rows {
		there[strings.Join(r, "|")] = true
	}
	for name, src := range sourcesOf(t, header, rows) {
		whole := make([]byte, src.Size)
		if _, err := src.ReaderAt.ReadAt(whole, 0); err != nil && err != io.EOF {
			t.Fatal(err)
		}
		for _, part := range []int{0, 1, 3, 10, 40, 70, 95, 99} {
			cut := whole[:len(whole)*part/100]
			_, got, err := readWithin(bytesSource(name, cut), DefaultLimits)
			if err == nil && strings.HasPrefix(name, "book") && len(got) > 0 {
				t.Errorf("%s is read though %d %% of it are there alone", name, part)
			}
			for n, r := range got {
				last := n == len(got)-1 // which may be cut itself
				if !there[strings.Join(r, "|")] && !last {
					t.Errorf("%s, %d %%: row %d is %q", name, part, n, r)
				}
			}
		}
	}
}
