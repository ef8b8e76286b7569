package sheet

import (
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"
	"unicode/utf8"

	"uchi/internal/core/fault"

	"github.com/xuri/excelize/v2"
)

// Whatever an archive holds stands there: files in folders and in archives within it,
// each sheet of a workbook, and what cannot be read with the reason.
func TestParts(t *testing.T) {
	book := excelize.NewFile()
	defer book.Close()
	for _, name := range []string{"People", "Notes", "Hidden"} {
		if _, err := book.NewSheet(name); err != nil {
			t.Fatal(err)
		}
	}
	for _, cell := range []string{"A1", "B1", "A2", "B2"} {
		for _, name := range []string{"People", "Sheet1"} {
			if err := book.SetCellValue(name, cell, "x"+cell); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := book.SetSheetVisible("Hidden", false); err != nil {
		t.Fatal(err)
	}
	var xlsx bytes.Buffer
	if err := book.Write(&xlsx); err != nil {
		t.Fatal(err)
	}
	inner := archive(t, "deep/tasks.csv", "Subject\nCall\n")
	src := bytesSource("all.zip", archive(t, "a/accounts.csv", "Name,Town\nA,B\n", "a/", "", "empty.csv", "",
		"book.xlsx", xlsx.String(), "more.zip", string(inner),
		"scan.pdf", "%PDF-1.7 x", ".hidden", "x", "__MACOSX/x.csv", "x", "../climbs.csv", "Name,Town\nC,D\n", "old.xls",
		oleStart+"\x00\x01", "locked.xlsx",
		oleStart+"\x00E\x00n\x00c\x00r\x00y\x00p\x00t\x00e\x00d\x00P\x00a\x00c\x00k\x00a\x00g\x00e\x00"))
	parts, err := Parts(src)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, p := range parts {
		s := p.Called("all.zip")
		if p.Trouble != nil {
			s += ": " + p.Trouble.Code
		} else if _, err := Open(src, mustDetect(t, src, Reading{File: p.File, Sheet: p.Sheet}), DefaultLimits); err != nil {
			t.Errorf("%s: %v", s, err)
		}
		got = append(got, s)
	}
	want := []string{"a/accounts.csv", "empty.csv: empty_source", "book.xlsx > Sheet1", "book.xlsx > People",
		"book.xlsx > Notes: no_table", "more.zip > deep/tasks.csv",
		"../climbs.csv", "old.xls: not_text", "locked.xlsx: encrypted"}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	var files []string
	left, err := Files(src, func(f File, r io.Reader) error {
		body, err := io.ReadAll(r)
		files = append(files, fmt.Sprintf("%s %s %d", f.Path, f.Media, len(body)))
		return err
	})
	if err != nil || len(left) > 0 {
		t.Errorf("left %v, %v", left, err)
	}
	if got := strings.Join(files, "\n"); !strings.Contains(got, "scan.pdf application/pdf 10") ||
		!strings.Contains(got, "deep/tasks.csv text/csv 13") || strings.Contains(got, "empty") ||
		strings.Contains(got, "__MACOSX") {
		t.Errorf("the files are\n%s", got)
	}
	one, err := Parts(bytesSource("one.csv", []byte("a,b\n1,2\n")))
	if err != nil || len(one) != 1 || one[0].Called("one.csv") != "one.csv" {
		t.Errorf("one sheet: %v %v", one, err)
	}
	var many []string
	for range MostParts + 1 {
		many = append(many, "x.csv", "a")
	}
	if _, err := Parts(bytesSource("many.zip", archive(t, many...))); !fault.Is(err, "too_many_files") {
		t.Errorf("too many: %v", err)
	}
}

func mustDetect(t *testing.T, src Source, set Reading) Reading {
	t.Helper()
	r, _, err := Detect(src, set)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// Names of files in archives that are not written in UTF-8 are read in the encoding in
// which they are words.
func TestNamesInArchives(t *testing.T) {
	for raw, want := range map[string]string{
		"Vertr\x84ge/Anlage f\x81r.csv": "Verträge/Anlage für.csv", "Vertr\xe4ge/f\xfcr.csv": "Verträge/für.csv",
		"b\x86t og \x91ble.csv": "båt og æble.csv", "stra\xe1e.csv": "straße.csv",
		"plain.csv": "plain.csv", "naïve.csv": "naïve.csv", "\x84\xae\xa3\xae\xa2\xae\xe0.csv": "Договор.csv",
		"\xff\xfe": nameIn("\xff\xfe"),
	} {
		if got := nameIn(raw); got != want || !utf8.ValidString(got) {
			t.Errorf("%q is read as %q, want %q", raw, got, want)
		}
	}
}
