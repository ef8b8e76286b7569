package sheet

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"uchi/internal/core/fault"

	"github.com/xuri/excelize/v2"
)

func bytesSource(name string, b []byte) Source {
	return Source{Name: name, Size: int64(len(b)), ReaderAt: bytes.NewReader(b)}
}

func readSource(src Source, set Reading) (header []string, rows []Row, notices []Notice, err error) {
	reading, _, err := Detect(src, set)
	if err != nil {
		return nil, nil, nil, err
	}
	t, err := Open(src, reading, DefaultLimits)
	if err != nil {
		return nil, nil, nil, err
	}
	defer t.Close()
	for {
		r, err := t.Next()
		if err == io.EOF {
			return t.Header, rows, t.Rest(), nil
		}
		if err != nil {
			return t.Header, rows, nil, err
		}
		rows = append(rows, Row{Number: r.Number, Cells: slices.Clone(r.Cells)})
	}
}

// odsSource is an OpenDocument spreadsheet of one table with these rows.
func odsSource(t *testing.T, name, rows string) Source {
	t.Helper()
	const table = `<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" ` +
		`xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" ` +
		`xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>` +
		`<table:table table:name="one">%s</table:table></office:spreadsheet></office:body></office:document-content>`
	return bytesSource(name, archive(t, "mimetype", "application/vnd.oasis.opendocument.spreadsheet", "content.xml",
		fmt.Sprintf(table, rows)))
}

// odsRow is one row of its cells.
func odsRow(cells ...string) string {
	return `<table:table-row>` + strings.Join(cells, "") + `</table:table-row>`
}

func ok(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

func codes(notices []Notice) (list []string) {
	for _, n := range notices {
		list = append(list, n.Code)
	}
	return list
}

func TestWorkbook(t *testing.T) {
	f := excelize.NewFile()
	const s = "Customers"
	ok(t, f.SetSheetName("Sheet1", "Cover"))
	_, err := f.NewSheet(s)
	ok(t, err)
	_, err = f.NewSheet("Old")
	ok(t, err)
	ok(t, f.SetSheetVisible("Old", false))
	ok(t, f.SetCellValue("Cover", "A1", "Brightmooring"))
	ok(t, f.SetSheetRow(s, "A2", &[]any{"List of customers"}))
	ok(t, f.MergeCell(s, "A2", "C2"))
	ok(t, f.SetSheetRow(s, "A4", &[]any{"Name", "Since", "Share", "Sum", "Active", "Zip", "Seen", "Phone"}))
	style := func(format int, custom string) int {
		st := &excelize.Style{NumFmt: format}
		if custom != "" {
			st = &excelize.Style{CustomNumFmt: &custom}
		}
		n, err := f.NewStyle(st)
		ok(t, err)
		return n
	}
	ok(t, f.SetSheetRow(s, "A5", &[]any{"Åse & <Søn>", 46112, 0.125, 1250.3, true, 5003, 46112.4375, 4755112233}))
	ok(t, f.SetCellStyle(s, "B5", "B5", style(14, "")))
	ok(t, f.SetCellStyle(s, "C5", "C5", style(10, "")))
	ok(t, f.SetCellStyle(s, "F5", "F5", style(0, "00000")))
	ok(t, f.SetCellStyle(s, "G5", "G5", style(0, `dd/mm/yyyy\ hh:mm`)))
	ok(t, f.SetCellRichText(s, "A7",
		[]excelize.RichTextRun{{Text: "Kal"}, {Text: "vøya", Font: &excelize.Font{Bold: true}}}))
	ok(t, f.SetCellValue(s, "B7", time.Date(2026, 3, 31, 0, 0, 0, 0, time.UTC)))
	ok(t, f.SetCellValue(s, "C7", "line\nbreak"))
	ok(t, f.SetCellValue(s, "D7", 0.1+0.2))
	ok(t, f.SetRowVisible(s, 7, false))
	ok(t, f.MergeCell(s, "A7", "A8"))
	var buf bytes.Buffer
	_, err = f.WriteTo(&buf)
	ok(t, err)
	header, rows, notices, err := readSource(bytesSource("b.xlsx", buf.Bytes()), Reading{})
	ok(t, err)
	if want := []string{"Name", "Since", "Share", "Sum", "Active", "Zip", "Seen", "Phone"}; !slices.Equal(header, want) {
		t.Fatalf("header %q, want %q", header, want)
	}
	want := []Row{{Number: 5, Cells: []string{"Åse & <Søn>", "2026-03-31", "12.5%", "1250.3", "true", "05003",
		"2026-03-31 10:30:00", "4755112233"}}, {Number: 7, Cells: []string{"Kalvøya", "2026-03-31", "line\nbreak", "0.3"}}}
	if fmt.Sprint(rows) != fmt.Sprint(want) {
		t.Errorf("rows\n%v, want\n%v", rows, want)
	}
	if got := codes(notices); !slices.Equal(got, []string{"hidden_sheet", "hidden_rows", "merged_cells"}) {
		t.Errorf("notices %v", got)
	}
	if _, _, _, err := readSource(bytesSource("b.xlsx", buf.Bytes()), Reading{Sheet: "Nowhere"}); !fault.Is(err,
		"unknown_sheet") {
		t.Error(err)
	}
	if _, _, _, err := readSource(bytesSource("b.xlsx", buf.Bytes()[:buf.Len()/2]), Reading{}); !fault.Is(err,
		"bad_spreadsheet") {
		t.Error(err)
	}
}

// A formula whose result was not saved is no blank cell; one whose result is an empty text is.
func TestFormulasWithoutResults(t *testing.T) {
	f := excelize.NewFile()
	for cell, text := range map[string]string{"A1": "Name", "B1": "Amount", "A2": "Quay", "A3": "Tern"} {
		ok(t, f.SetCellStr("Sheet1", cell, text))
	}
	ok(t, f.SetCellFormula("Sheet1", "B2", "2*21"))
	ok(t, f.SetCellInt("Sheet1", "B3", 42))
	var book bytes.Buffer
	_, err := f.WriteTo(&book)
	ok(t, err)
	text := func(s string) string {
		return `<table:table-cell office:value-type="string"><text:p>` + s + `</text:p></table:table-cell>`
	}
	rows := odsRow(text("Name"), text("Amount")) +
		odsRow(text("Quay"), `<table:table-cell table:formula="of:=2*21"/>`) +
		odsRow(text("Tern"), `<table:table-cell table:formula="of:=2*21" office:value-type="float" office:value="42"/>`)
	for _, src := range []Source{
		bytesSource("f.xlsx", book.Bytes()),
		odsSource(t, "f.ods", rows),
	} {
		_, list, _, err := readSource(src, Reading{})
		ok(t, err)
		if len(list) != 2 || fmt.Sprintf("%q %q", list[0].Cells, list[1].Cells) != `["Quay" "#FORMULA!"] ["Tern" "42"]` {
			t.Errorf("%s: %v", src.Name, list)
		}
	}
}

func TestFormats(t *testing.T) {
	for code, want := range map[string]cellStyle{"General": {}, "0.00": {}, "dd/mm/yyyy": {date: true},
		"[$-409]d\\-mmm\\-yy;@": {date: true}, "hh:mm": {clock: true}, "yyyy-mm-dd hh:mm": {date: true, clock: true},
		"0%": {percent: true}, "00000": {pad: 5}, `0" days"`: {}, `#,##0.00 [$€-407]`: {}, "@": {},
		"mmm yyyy": {date: true}} {
		if got := styleOf(code); got != want {
			t.Errorf("%s: %+v, want %+v", code, got, want)
		}
	}
	for v, want := range map[string]string{"1": "1900-01-01", "59": "1900-02-28", "61": "1900-03-01",
		"46112": "2026-03-31", "46112.5": "2026-03-31 12:00:00"} {
		if got := shownNumber(v, cellStyle{date: true}, false); got != want {
			t.Errorf("day %s: %s, want %s", v, got, want)
		}
	}
	if got := shownNumber("44650", cellStyle{date: true}, true); got != "2026-03-31" {
		t.Errorf("day counted from 1904: %s", got)
	}
	for v, want := range map[string]string{"4.91234567890123E+17": "4.91234567890123E+17", "1E-3": "0.001",
		"1250": "1250", "1250.10": "1250.1", "text": "text"} {
		if got := shownNumber(v, cellStyle{}, false); got != want {
			t.Errorf("%s: %s, want %s", v, got, want)
		}
	}
}

func archive(t *testing.T, files ...string) []byte {
	t.Helper()
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for i := 0; i < len(files); i += 2 {
		w, err := z.Create(files[i])
		ok(t, err)
		_, err = io.WriteString(w, files[i+1])
		ok(t, err)
	}
	ok(t, z.Close())
	return buf.Bytes()
}

func TestArchives(t *testing.T) {
	b := archive(t, "__MACOSX/x", "junk", "../../one.csv", "a,b\n1,2\n", "two.csv", "c;d\n3;4\n")
	header, _, _, err := readSource(bytesSource("z.zip", b), Reading{})
	ok(t, err)
	if !slices.Equal(header, []string{"a", "b"}) {
		t.Errorf("first file: %q", header)
	}
	header, _, _, err = readSource(bytesSource("z.zip", b), Reading{File: "two.csv"})
	ok(t, err)
	if !slices.Equal(header, []string{"c", "d"}) {
		t.Errorf("chosen file: %q", header)
	}
	if _, _, _, err := readSource(bytesSource("z.zip", b), Reading{File: "three.csv"}); !fault.Is(err, "unknown_file") {
		t.Error(err)
	}
	bomb := archive(t, "bomb.csv", strings.Repeat("0", 128<<20))
	if _, _, _, err := readSource(bytesSource("z.zip", bomb), Reading{}); !fault.Is(err, "unpacks_too_large") {
		t.Errorf("a bomb: %v", err)
	}
	hostile := archive(t, "xl/workbook.xml", `<!DOCTYPE x [<!ENTITY a "aaaa">]><workbook/>`,
		"xl/_rels/workbook.xml.rels", `<Relationships/>`)
	if _, _, _, err := readSource(bytesSource("h.xlsx", hostile), Reading{}); !fault.Is(err, "hostile_file") {
		t.Errorf("a document type: %v", err)
	}
}

func TestJSONLines(t *testing.T) {
	header, rows, _, err := readSource(source(`{"name":"Åse","at":{"town":"Kalvøya"},"tags":["a","b"]}`+"\n\n"+
		`{"name":"Bo","n":1250.50,"ok":true,"none":null}`+"\n"), Reading{})
	ok(t, err)
	if want := []string{"name", "at.town", "tags", "n", "ok", "none"}; !slices.Equal(header, want) {
		t.Errorf("header %q", header)
	}
	if want := "[{1 [Åse Kalvøya a; b   ] false false} {3 [Bo   1250.50 true ] false false}]"; fmt.Sprint(rows) != want {
		t.Errorf("rows %v, want %s", rows, want)
	}
	for _, bad := range []string{"{\"a\":1}\n[1,2]\n", "{\"a\":1}\n{\"a\":\n"} {
		if _, _, _, err := readSource(source(bad), Reading{}); !fault.Is(err, "bad_json_line") {
			t.Errorf("%q: %v", bad, err)
		}
	}
}

// The same data in three formats, saved by a spreadsheet program, read the same.
func TestSavedBySpreadsheetProgram(t *testing.T) {
	compare(t, "testdata")
}

func compare(t *testing.T, dir string) {
	t.Helper()
	read := func(name string) ([]string, []Row) {
		b, err := os.ReadFile(filepath.Join(dir, name))
		ok(t, err)
		header, rows, _, err := readSource(bytesSource(name, b), Reading{})
		ok(t, err)
		return header, rows
	}
	header, rows := read("offices.csv")
	for _, name := range []string{"offices.xlsx", "offices.ods"} {
		h, r := read(name)
		if !slices.Equal(h, header) {
			t.Errorf("%s: header %q, want %q", name, h, header)
		}
		if len(r) != len(rows) {
			t.Errorf("%s: %d rows, want %d", name, len(r), len(rows))
			continue
		}
		for i := range rows {
			want := rows[i].Cells
			for len(want) > 0 && want[len(want)-1] == "" {
				want = want[:len(want)-1]
			}
			if r[i].Number != rows[i].Number || !slices.Equal(r[i].Cells, want) {
				t.Errorf("%s: row %d %q, want row %d %q", name, r[i].Number, r[i].Cells, rows[i].Number, want)
			}
		}
	}
}

// Where the spreadsheet program is installed, it saves the data afresh.
func TestSavedAfresh(t *testing.T) {
	program, err := exec.LookPath("soffice")
	if err != nil {
		t.Skip("no spreadsheet program is installed")
	}
	dir := t.TempDir()
	b, err := os.ReadFile("testdata/offices.csv")
	ok(t, err)
	ok(t, os.WriteFile(filepath.Join(dir, "offices.csv"), b, 0o600))
	for _, format := range []string{"xlsx", "ods"} {
		c := exec.Command(program, "-env:UserInstallation=file://"+dir+"/profile", "--headless",
			"--infilter=CSV:44,34,76,1,,2057,false,true", "--convert-to", format, "--outdir", dir,
			filepath.Join(dir, "offices.csv"))
		if out, err := c.CombinedOutput(); err != nil {
			t.Skipf("the spreadsheet program does not convert: %v %s", err, out)
		}
	}
	compare(t, dir)
}

// FuzzWorkbook feeds damaged workbooks; none brings the reader down.
func FuzzWorkbook(f *testing.F) {
	for _, name := range []string{"testdata/offices.xlsx", "testdata/offices.ods"} {
		if b, err := os.ReadFile(name); err == nil {
			f.Add(b)
		}
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		readSource(bytesSource("fuzz", b), Reading{}) //nolint:errcheck // it must only come back
	})
}

// FuzzXML feeds any bytes to the puller of elements.
func FuzzXML(f *testing.F) {
	for _, s := range []string{`<a b="c>d"><![CDATA[x]]>&amp;&#233;</a>`, `<?xml version="1.0"?><!-- c --><a/>`, `<a`,
		`<!DOCTYPE`, `&#x110000;<a b='x'/>`} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		x := newXML(bytes.NewReader(b), 1<<16)
		for range 10_000 {
			if x.next() != nil {
				return
			}
			if x.kind == xmlStart {
				x.attr("b")
			}
		}
	})
}

// A broken line among objects stands as it is, to be held; where most are broken it is no
// list of objects.
func TestBrokenLines(t *testing.T) {
	const good = "{\"a\":1,\"b\":\"x\"}\n"
	header, rows, _, err := readSource(source(good+"not json\n"+good+"{\"a\":3,}\n"+good+good+"{\"a\":4,\"b"), Reading{})
	if err != nil {
		t.Fatal(err)
	}
	got := fmt.Sprint(header)
	for _, r := range rows {
		got += fmt.Sprintf(" %d%q", r.Number, r.Cells)
	}
	if want := `[a b] 1["1" "x"] 2["" "" "not json"] 3["1" "x"] 4["" "" "{\"a\":3,}"] 5["1" "x"] 6["1" "x"] 7["" "" "{\"a\":4,\"b"]`; got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
	if _, _, _, err := readSource(source(good+"not json\nnor this\n"), Reading{}); !fault.Is(err, "bad_json_line") {
		t.Error(err)
	}
}
