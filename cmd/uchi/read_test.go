package main_test

import (
	"archive/zip"
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
)

// in16 is a text in UTF-16, with its mark.
func in16(text string) string {
	var b bytes.Buffer
	b.Write([]byte{0xff, 0xfe})
	for _, u := range utf16.Encode([]rune(text)) {
		b.Write([]byte{byte(u), byte(u >> 8)})
	}
	return b.String()
}

// zipped is an archive of files, by their names and texts one behind the other.
func zipped(t *testing.T, files ...string) string {
	t.Helper()
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for n := 0; n < len(files); n += 2 {
		f, err := w.Create(files[n])
		if err == nil {
			_, err = f.Write([]byte(files[n+1]))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// workbook is a workbook whose sheets have rows of cells, the sheets by their names.
func workbook(t *testing.T, sheets map[string][][]any, change func(f *excelize.File) error) string {
	t.Helper()
	f := excelize.NewFile()
	defer f.Close()
	for name, rows := range sheets {
		if _, err := f.NewSheet(name); err != nil {
			t.Fatal(err)
		}
		for n, row := range rows {
			cell, err := excelize.CoordinatesToCellName(1, n+1)
			if err == nil {
				err = f.SetSheetRow(name, cell, &row)
			}
			if err != nil {
				t.Fatal(err)
			}
		}
	}
	if _, ok := sheets["Sheet1"]; !ok {
		if err := f.DeleteSheet("Sheet1"); err != nil {
			t.Fatal(err)
		}
	}
	if change != nil {
		if err := change(f); err != nil {
			t.Fatal(err)
		}
	}
	var b bytes.Buffer
	if err := f.Write(&b); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// Whatever people send is read without a service, with what was found out of it and what seems wrong; what cannot be
// read says why, and never looks like something else.
func TestReadByCommand(t *testing.T) {
	t.Parallel()
	latin, err := charmap.Windows1252.NewEncoder().String("Name;Town\nMüller – Söhne;Köln\nBjørk “Quay”;Ålesund\n")
	if err != nil {
		t.Fatal(err)
	}
	polish, err := charmap.ISO8859_2.NewEncoder().String("Imię;Nazwisko;Miasto\nŁucja;Śliwińska;Łódź\nJaś;Żółkiewski;Gdańsk\n" +
		"Bożena;Ćwik;Kraków\n")
	if err != nil {
		t.Fatal(err)
	}
	japanese := "会社,担当者\n株式会社港,山田 太郎\n"
	people := [][]any{{"Given name", "Family name", "Born"}, {"Ada", "Moe", 29251}, {"Bo", "Lie", 32946}}
	dir := t.TempDir()
	for _, x := range []struct {
		name, text string
		args       []string
		code       int
		says       []string
	}{
		{"title.csv", "Members on 1 March;;\n;;\nName;Town;E-mail\nAda Moe;Oslo;ada@quay.example\n" +
			"Bo Lie;Moss;bo@tern.example\nTotal;;2\n", nil, 0,
			[]string{"2 rows, 3 columns", "delimiter ;", "header_row 3", "totals", "may be contact or account"}},
		{"sep.csv", "sep=|\nName|Town\n\"A \"\"quoted\"\" Ltd\"|Oslo\n\"Two\nlines AS\"|Moss\n", nil, 0,
			[]string{"2 rows, 2 columns", "the first line says so (sep=)", "A \"quoted\" Ltd"}},
		{"ragged.csv", "Name,Town\nQuay Ltd,Oslo,extra\nTern AS\n", nil, 0, []string{"2 rows", "more cells than the header"}},
		{"open.csv", "Name,Town\n\"Quay,Oslo\n", nil, 1, []string{"never closed"}},
		{"utf16.txt", in16("Navn\tBy\nKari Moe\tÅlesund\n"), nil, 0, []string{"utf-16", "1 row", "Ålesund"}},
		{"latin.csv", latin, nil, 0, []string{"windows-1252", "Müller – Söhne", "Ålesund"}},
		{"polish.csv", polish, nil, 0, []string{"iso-8859-2", "Śliwińska", "Łódź"}},
		{"polish.csv", polish, []string{"--encoding", "windows-1252"}, 0, []string{"¦liwiñska", "!Śliwińska"}},
		{"japanese.csv", japanese, nil, 0, []string{"utf-8", "株式会社港"}},
		{"headless.csv", "Ada,Moe,ada@quay.example\nBo,Lie,bo@tern.example\nCy,Ray,cy@skua.example\n",
			nil, 0, []string{"3 rows", "no_header true"}},
		{"headless.csv", "Ada,Moe,ada@quay.example\nBo,Lie,bo@tern.example\nCy,Ray,cy@skua.example\n", []string{"--header-row", "1"}, 0,
			[]string{"2 rows"}},
		{"turned.csv", "Given name,Ada,Bo,Cy\nFamily name,Moe,Lie,Ray\nE-mail,ada@q.example,bo@t.example,cy@s.example\n",
			[]string{"--turned"}, 0,
			[]string{"3 rows, 3 columns", "Moe · Lie · Ray"}},
		{"comments.csv", "# made by hand\nName,Town\nQuay Ltd,Oslo\n# and so on\nTern AS,Moss\n", []string{"--comment", "#"},
			0, []string{"2 rows, 2 columns"}},
		{"dates.csv", "Name,Born\nAda Moe,03/04/1980\nBo Lie,05/06/1990\n", nil, 0, []string{"date_order open"}},
		{"dates.csv", "Name,Born\nAda Moe,03/04/1980\nBo Lie,25/06/1990\n", nil, 0, []string{"day_first"}},
		{"damaged.csv", "Name,Phone\nAda Moe,4.91E+11\nBo Lie,4.92E+11\n",
			nil, 0, []string{"shortened numbers, such as 4.91E+11", "2 cells"}},
		{"errors.csv", "Name,Staff\nQuay Ltd,#REF!\nTern AS,12\n", nil, 0, []string{"formula's error", "#REF!", "row 2"}},
		{"twice.csv", "Name,Town,Town\nAda Moe,Oslo,Moss\n", nil, 0, []string{"Town", "2"}},
		{"empty.csv", "", nil, 1, []string{"empty"}},
		{"blank.csv", "\n\n\n", nil, 1, []string{"Error:"}},
		{"lines.jsonl", `{"name":"Quay Ltd","place":{"town":"Oslo"}}` + "\n" + `{"name":"Tern AS","tags":["a","b"]}` + "\n", nil, 0,
			[]string{"2 rows", "place.town", "Oslo"}},
		{"bad.jsonl", `{"name":"Quay Ltd"}` + "\n" + `{"name":` + "\n", nil, 1, []string{"Error:", "2"}},
		{"list.json", `[{"name":"Quay Ltd","town":"Oslo"},{"name":"Tern AS","town":"Moss"}]`,
			nil, 0, []string{"JSON, one list", "2 rows"}},
		{"bare.json", `{"name":"Quay Ltd"`, nil, 1, []string{"Error:"}},
		{"people.xlsx", workbook(t, map[string][][]any{"People": people}, nil), nil, 0, []string{"2 rows, 3 columns", "Moe · Lie"}},
		{"hidden.xlsx", workbook(t, map[string][][]any{"People": people},
			func(f *excelize.File) error { return f.SetRowVisible("People", 3, false) }),
			nil, 0, []string{"hidden"}},
		{"hidden.xlsx", workbook(t, map[string][][]any{"People": people},
			func(f *excelize.File) error { return f.SetRowVisible("People", 3, false) }),
			[]string{"--hidden", "leave_out"}, 0, []string{"1 row,", "!Lie"}},
		{"formula.xlsx", workbook(t, map[string][][]any{"People": people},
			func(f *excelize.File) error { return f.SetCellFormula("People", "C2", "1/0") }),
			nil, 0, []string{"formula"}},
		{"two.xlsx", workbook(t, map[string][][]any{"People": people, "Firms": {{"Company"}, {"Quay Ltd"}}}, nil),
			[]string{"--sheet", "Firms"}, 0,
			[]string{"1 row, 1 column", "Quay Ltd"}},
		{"two.xlsx", workbook(t, map[string][][]any{"People": people}, nil), []string{"--sheet", "Boats"}, 1,
			[]string{"Error:", "Boats"}},
		{"files.zip", zipped(t, "a/contacts.csv", "Name,Town\nAda Moe,Oslo\n"), nil, 0, []string{"1 row, 2 columns"}},
		{"files.zip", zipped(t, "a.csv", "Name\nAda\n", "b.csv", "Town\nOslo\n"), []string{"--file", "b.csv"},
			0, []string{"1 row, 1 column", "Oslo"}},
		{"files.zip", zipped(t, "a.csv", "Name\nAda\n"), []string{"--file", "c.csv"}, 1, []string{"Error:", "c.csv"}},
		{"climbs.zip", zipped(t, "../../a.csv", "Name,Town\nAda Moe,Oslo\n"),
			nil, 0, []string{"1 row, 2 columns"}}, // nothing is unpacked
		{"picture.png", "\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR", nil, 1, []string{"Error:"}},
		{"page.html", "<html><body><table><tr><th>Name</th><th>Town</th></tr><tr><td>Quay Ltd</td><td>Oslo</td></tr></table></body></html>", nil, 0,
			[]string{"1 row, 2 columns", "Quay Ltd"}},
		{"letter.pdf", "%PDF-1.7\n1 0 obj\n", nil, 1, []string{"Error:"}},
	} {
		path := filepath.Join(dir, x.name)
		if err := os.WriteFile(path, []byte(x.text), 0o600); err != nil {
			t.Fatal(err)
		}
		c := exec.Command(binary, append([]string{"read", path}, x.args...)...)
		out, _ := c.CombinedOutput() //nolint:errcheck // its code is looked at
		does := strings.Join(append([]string{"read", x.name}, x.args...), " ")
		if got := c.ProcessState.ExitCode(); got != x.code {
			t.Errorf("uchi %s ends with %d, want %d:\n%s", does, got, x.code, out)
			continue
		}
		isSaid(t, does, string(out), x.says)
	}
}
