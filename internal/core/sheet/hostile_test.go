package sheet

import (
	"fmt"
	"os"
	"runtime"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/fault"
)

// taken gives how many bytes a piece of work took from the allocator, whether it
// held them or not.
func taken(f func()) (all uint64) {
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	f()
	runtime.ReadMemStats(&after)
	return after.TotalAlloc - before.TotalAlloc
}

func openFiles(t *testing.T) int {
	t.Helper()
	list, err := os.ReadDir("/proc/self/fd")
	if err != nil {
		t.Skip("no list of open files here")
	}
	return len(list)
}

// Small sources that ask for very much are refused by name, take little memory
// and leave no file open.
func TestHostileSourcesAreBounded(t *testing.T) {
	deep := strings.Repeat(`{"a":`, 40_000) + "1" + strings.Repeat("}", 40_000)
	inner := archive(t, "a.csv", "x,y\n1,2\n")
	for range 4 {
		inner = archive(t, "inner.zip", string(inner))
	}
	const ods = `<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet><table:table table:name="one">%s</table:table></office:spreadsheet></office:body></office:document-content>`
	repeated := `<table:table-row><table:table-cell table:number-columns-repeated="900000000" office:value-type="string"><text:p>` + strings.Repeat("x", 500) + `</text:p></table:table-cell></table:table-row>`
	before := openFiles(t)
	for name, c := range map[string]struct {
		src   Source
		codes []string
	}{
		"nested deeply":          {source(deep + "\n" + deep + "\n"), []string{"nested_too_deep", "bad_json_line"}},
		"an array nested deeply": {source("[" + deep + "]"), []string{"nested_too_deep", "bad_json_line"}},
		"one object": {source("{\n \"a\": {\"b\": 1},\n \"c\": 2\n}\n"),
			[]string{"one_json_object", "bad_json_line"}},
		"archives in archives": {bytesSource("z.zip", inner), []string{"nested_too_deep", "no_rows", "not_text",
			"unknown_file"}},
		"one repeated cell": {bytesSource("r.ods", archive(t, "mimetype", "application/vnd.oasis.opendocument.spreadsheet",
			"content.xml", fmt.Sprintf(ods, repeated))),
			[]string{"too_many_columns", "row_too_long", "cell_too_long"}},
	} {
		var err error
		all := taken(func() { _, _, _, err = readSource(c.src, Reading{}) })
		f, ok := fault.From(err)
		if !ok || !slices.Contains(c.codes, f.Code) {
			t.Errorf("%s: %v, want one of %v", name, err, c.codes)
		}
		if all > 200<<20 {
			t.Errorf("%s took %d MiB", name, all>>20)
		}
	}
	if after := openFiles(t); after > before {
		t.Errorf("%d files were left open", after-before)
	}
}

// A source without a header row loses no record: columns are called by their
// letters, and rows keep their numbers. It is said, or seen.
func TestNoHeaderRow(t *testing.T) {
	const text = "4711,kari@tern.example,2026-03-31,12.50\n4712,nils@gull.example,2026-04-01,13.00\n" +
		"4713,maja@skarv.example,2026-04-02,9.75\n"
	for name, set := range map[string]Reading{"seen": {}, "said": {NoHeader: true}} {
		header, rows, err := readAll(text, set)
		if err != nil || len(rows) != 3 || rows[0].Number != 1 || rows[0].Cells[0] != "4711" {
			t.Errorf("%s: %v, %v", name, rows, err)
		}
		if !slices.Equal(header, []string{"A", "B", "C", "D"}) {
			t.Errorf("%s: columns are called %q", name, header)
		}
	}
	if header, rows, err := readAll("Name,Town\nnote,note\nTern,Ternvik\n",
		Reading{HeaderRow: 1, FirstRow: 3}); err != nil || len(rows) != 1 || rows[0].Number != 3 || header[0] != "Name" {
		t.Errorf("with a first row: %q %v %v", header, rows, err)
	}
}

// An array of objects is read like an object a line.
func TestJSONArray(t *testing.T) {
	list := []string{`{"name":"Åse","at":{"town":"Kalvøya"}}`, `{"name":"Bo","n":1250.50}`}
	lineHeader, lines, _, err := readSource(source(strings.Join(list, "\n")+"\n"), Reading{})
	ok(t, err)
	header, rows, _, err := readSource(source("[\n"+strings.Join(list, ",\n")+"\n]\n"), Reading{})
	ok(t, err)
	if !slices.Equal(header, lineHeader) || len(rows) != len(lines) {
		t.Fatalf("%q %v, as lines %q %v", header, rows, lineHeader, lines)
	}
	for n := range rows {
		if !slices.Equal(rows[n].Cells, lines[n].Cells) {
			t.Errorf("%q, as lines %q", rows[n].Cells, lines[n].Cells)
		}
	}
}
