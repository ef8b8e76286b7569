package sheet

import (
	"bytes"
	"slices"
	"testing"

	"github.com/xuri/excelize/v2"
)

// The address behind a cell is read where the cell says only that there is one; what says more, links within the
// workbook, and the header stay.
func TestLinksBehindCells(t *testing.T) {
	f := excelize.NewFile()
	for cell, x := range map[string][2]string{
		"A1": {"Name", ""}, "B1": {"Mail", "https://head.example"}, "C1": {"Web", ""},
		"A2": {"Berg", "mailto:berg@kade.example"}, "B2": {"Mail", "mailto:berg@kade.example?subject=Hi%20there"},
		"C2": {"Website", "https://kade.example/a?b=c"},
		"A3": {"Lie", ""}, "B3": {"E-Mail", "mailto:o%27brien@kade.example"}, "C3": {"www.lie.example", "https://other.example"},
		"A4": {"Moe", ""}, "B4": {"Mail", ""}, "C4": {"Link", "#Sheet1!A1"},
	} {
		ok(t, f.SetCellStr("Sheet1", cell, x[0]))
		if x[1] != "" {
			kind := "External"
			if x[1][0] == '#' {
				kind = "Location"
			}
			ok(t, f.SetCellHyperLink("Sheet1", cell, x[1], kind))
		}
	}
	var book bytes.Buffer
	_, err := f.WriteTo(&book)
	ok(t, err)
	header, list, notices, err := readSource(bytesSource("links.xlsx", book.Bytes()), Reading{})
	ok(t, err)
	want := [][]string{
		{"Name", "Mail", "Web"},
		{"Berg", "berg@kade.example", "https://kade.example/a?b=c"},
		{"Lie", "o'brien@kade.example", "www.lie.example"},
		{"Moe", "Mail", "Link"},
	}
	got := [][]string{header}
	for _, r := range list {
		got = append(got, r.Cells)
	}
	if !slices.EqualFunc(got, want, slices.Equal) {
		t.Errorf("%q, want %q", got, want)
	}
	if len(notices) != 1 || notices[0].Code != "linked_cells" || notices[0].Count != 3 {
		t.Errorf("%+v", notices)
	}
}
