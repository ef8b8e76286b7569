package sheet

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/fault"
)

// read reads a source as it is detected, and words its header, its rows and what was noticed.
func readDetected(name, text string, set Reading) (header string, rows []string, notices string, err error) {
	src := Source{Name: name, Size: int64(len(text)), ReaderAt: strings.NewReader(text)}
	set, _, err = Detect(src, set)
	if err != nil {
		return "", nil, "", err
	}
	t, err := Open(src, set, DefaultLimits)
	if err != nil {
		return "", nil, "", err
	}
	defer t.Close()
	for {
		row, err := t.Next()
		if err != nil {
			break
		}
		rows = append(rows, fmt.Sprint(row.Number, " ", strings.Join(row.Cells, "|")))
	}
	for _, n := range append(t.Notices, t.Rest()...) {
		notices += n.Code + " "
	}
	return strings.Join(t.Header, "|"), rows, strings.TrimSpace(notices), nil
}

// Pages that programs call workbooks are read table by table.
func TestTablesOfPages(t *testing.T) {
	for _, c := range []struct {
		name, page string
		set        Reading
		header     string
		rows       []string
		notices    string
	}{
		{"as programs write it", `<html><head><meta charset="utf-8"><style>td{color:red}</style></head><body><table border=1><tr><th>Firma</th><th>Ort</th></tr>
			<tr><td>Werft &amp; S&ouml;hne</td><td> Kiel <b>Nord</b>&nbsp;</td></tr><tr><td>Bootshaus<br>Moe</td><td></td></tr></table></body></html>`, Reading{},
			"Firma|Ort", []string{"2 Werft & Söhne|Kiel Nord", "3 Bootshaus\nMoe|"}, ""},
		{"ends left out, another encoding",
			"<TABLE><TR><TD>Firma<TD>Ort<TR><TD>Stra\xdfe<TD>K\xf6ln<TR><TD>Kai<TD>D\xfcren</TABLE>",
			Reading{Encoding: "windows-1252"},
			"Firma|Ort", []string{"2 Straße|Köln", "3 Kai|Düren"}, ""},
		{"the encoding that the page names", "<html><meta http-equiv=\"Content-Type\" content=\"text/html; " +
			"charset=iso-8859-2\"><table><tr><th>Firma<th>Miasto<tr><td>Stocznia<td>\xa3\xf3d\xbc<tr><td>Port<td>Gda\xf1sk</table>", Reading{},
			"Firma|Miasto", []string{"2 Stocznia|Łódź", "3 Port|Gdańsk"}, ""},
		{"the largest of several", `<!DOCTYPE html><table><tr><td>Menu<td>Help</table><table><tr><th>Name<th>Town<tr><td>a<td>b<tr><td>c<td>d</table>`, Reading{},
			"Name|Town", []string{"2 a|b", "3 c|d"}, ""},
		{"another of them", `<table><tr><td>Menu<td>Help<tr><td>x<td>y</table><table><tr><th>Name<th>Town<tr><td>a<td>b<tr><td>c<td>d</table>`, Reading{Sheet: "Table 1"},
			"Menu|Help", []string{"2 x|y"}, ""},
		{"tables that lay out", `<table><tr><td><table><tr><th>Name<th>Town<tr><td>a<td>b</table></td></tr></table>`,
			Reading{},
			"Name|Town", []string{"2 a|b"}, ""},
		{"cells that span", `<table><tr><th>No</th><th>Name</th><th>Town</th></tr><tr><td rowspan="2">1</td><td colspan=2>a</td></tr><tr><td>c</td><td>d</td></tr><tr><td>2<td>e<td>f</table>`, Reading{},
			"No|Name|Town", []string{"2 1|a|", "3 |c|d", "4 2|e|f"}, "merged_cells"},
		{"texts that are not shown", `<table><tr><th>Name<th>Town<tr><td>a<script>var x = "<td>";</script><td>b<!-- c --></table>`, Reading{},
			"Name|Town", []string{"2 a|b"}, ""},
	} {
		header, rows, notices, err := readDetected("export.xls", c.page, c.set)
		if err != nil || header != c.header || fmt.Sprint(rows) != fmt.Sprint(c.rows) || notices != c.notices {
			t.Errorf("%s: %s %q %s %v", c.name, header, rows, notices, err)
		}
	}
	for text, code := range map[string]string{
		"<html><body><p>Please sign in</p></body></html>":                                        "not_text",
		"<?xml version=\"1.0\"?>\n<Workbook><Table><Row><Cell>a</Cell></Row></Table></Workbook>": "not_text",
		"<table><tr><td>" + strings.Repeat("x", DefaultLimits.CellBytes+1) + "</table>":          "cell_too_long",
		"<table><tr>" + strings.Repeat("<td>", DefaultLimits.Columns*20) + "</table>":            "too_many_columns",
	} {
		if _, _, err := readAll(text, Reading{HeaderRow: 1}); !fault.Is(err, code) {
			t.Errorf("%.60q: %v, want %s", text, err, code)
		}
	}
	if _, _, _, err := readDetected("x.xls", "<table><tr><td>a<td>b</table>", Reading{Sheet: "Nowhere"}); !fault.Is(err,
		"unknown_sheet") {
		t.Error(err)
	}
	if _, _, _, err := readDetected("x.csv", "<Name>;<Town>\na;b\n", Reading{}); err != nil { // signs are no marks
		t.Error(err)
	}
}

// Each table of a page with a header and rows is a part of a bundle.
func TestTablesOfPagesAsParts(t *testing.T) {
	const menu, people, towns = "<table><tr><td>Menu<td>Help</table>",
		"<table><tr><th>Name<th>Mail<tr><td>a<td>b</table>", "<table><tr><th>Town<th>Code<tr><td>c<td>d<tr><td>e<td>f</table>"
	for page, want := range map[string]string{menu + people: "", menu + people + towns: "Table 2,Table 3"} {
		parts, err := Parts(Source{Name: "x.xls", Size: int64(len(page)), ReaderAt: strings.NewReader(page)})
		var names []string
		for _, p := range parts {
			names = append(names, p.Sheet)
		}
		if got := strings.Join(names, ","); got != want || err != nil {
			t.Errorf("%s: %q %v", page, got, err)
		}
	}
}

// Lists of objects are read wherever they stand in a document.
func TestListsWithinObjects(t *testing.T) {
	for _, c := range []struct {
		name, text, header string
		rows               []string
		notices            string
	}{
		{"wrapped", "{\"count\": 2, \"ok\": true, \"page\": {\"n\": 1, \"sort\": [\"a\", \"b\"]},\n \"data\": [\n" +
			" {\"name\": \"a\", \"town\": {\"code\": 1}},\n {\"name\": \"b\"}\n ], \"next\": null}\n", "name|town.code",
			[]string{"1 a|1", "2 b|"}, "beside_list"},
		{"on one line", `{"data":[{"name":"a"},{"name":"b"}],"next":"}]{["}`, "name", []string{"1 a", "2 b"}, "beside_list"},
		{"deeper", `{"d":{"results":[{"name":"a"}]}}`, "name", []string{"1 a"}, ""},
		{"two lists", `{"accounts":[{"name":"a"}],"people":[{"name":"p"}]}`, "name", []string{"1 a"},
			"other_lists beside_list"},
		{"lists of texts behind", `{"accounts":[{"name":"a"}],"tags":["x", "y"], "page": {"n": 1}}`, "name",
			[]string{"1 a"}, "beside_list"},
		{"a record with others in it", `{"name":"a","town":"b","people":[{"first":"c"}]}`, "first", []string{"1 c"},
			"beside_list"},
		{"lines with lists", "{\"name\":\"a\",\"mails\":[{\"m\":\"x\"}]}\n{\"name\":\"b\"}\n", "name|mails.m",
			[]string{"1 a|x", "2 b|"}, ""},
		{"one line alone", `{"name":"a","tags":["x","y"]}`, "name|tags", []string{"1 a|x; y"}, ""},
		{"a list alone", ` [ {"name":"a"} ]`, "name", []string{"1 a"}, ""},
	} {
		header, rows, notices, err := readDetected("x.json", c.text, Reading{})
		if err != nil || header != c.header || fmt.Sprint(rows) != fmt.Sprint(c.rows) || notices != c.notices {
			t.Errorf("%s: %s %q %s %v", c.name, header, rows, notices, err)
		}
	}
	if _, _, _, err := readDetected("x.json", "{\n \"a\": {\"b\": 1},\n \"c\": [1, 2]\n}\n", Reading{}); !fault.Is(err,
		"one_json_object") {
		t.Error(err)
	}
	if _, _, err := readAll(`{"data":[{"name":"a"},{"na`, Reading{}); !fault.Is(err, "bad_json_line") {
		t.Errorf("cut off: %v", err)
	}
}

// A small page that asks for very many blank cells, or tables in each other, takes little memory.
func TestHostilePagesAreBounded(t *testing.T) {
	for name, page := range map[string]string{
		"cells over cells":  "<table><tr><td rowspan=9999 colspan=1999>a" + strings.Repeat("<tr><td>x", 5_000) + "</table>",
		"tables in tables":  strings.Repeat("<table><tr><td>", 30_000),
		"nothing but signs": "<table><tr><td>" + strings.Repeat("&#9;<br>", 100_000) + "x</table>",
	} {
		all := taken(func() {
			_, rows, _, err := readDetected("x.xls", page, Reading{})
			if err == nil && len(rows) > 5_001 {
				t.Errorf("%s: %d rows", name, len(rows))
			}
		})
		if all > 300<<20 {
			t.Errorf("%s took %d MiB", name, all>>20)
		}
	}
}

// Whatever a page holds, reading it ends, and no row is wider than it may be.
func FuzzPages(f *testing.F) {
	f.Add("<table><tr><td>a<td>b</table>", "Table 1")
	f.Add("<table><tr><td rowspan=3 colspan=2>a<table><tr><td>x</table><td>b</td></tr><tr></table>", "Table 2")
	f.Fuzz(func(t *testing.T, text, sheet string) {
		p, err := newPageTable(Source{Name: "x", Size: int64(len(text)), ReaderAt: strings.NewReader(text)},
			Reading{Sheet: sheet, Encoding: "utf-8"}, DefaultLimits)
		if err != nil {
			return
		}
		last := int64(0)
		for {
			row, err := p.Next()
			if err != nil {
				return
			}
			if row.Number != last+1 || len(row.Cells) > DefaultLimits.Columns {
				t.Fatalf("row %d of %d cells behind row %d", row.Number, len(row.Cells), last)
			}
			last = row.Number
		}
	})
}
