package sheet

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

// A text in merged cells is read in each of their rows, a number in the first alone; neither where that is
// chosen so, nor in the header, nor in a row that has nothing of its own.
func TestMergedCells(t *testing.T) {
	f := excelize.NewFile()
	for cell, text := range map[string]string{"A1": "Firm", "B1": "Deal", "C1": "Person", "A2": "Quay", "C2": "Kari",
		"C3": "Per", "A5": "Tern", "C5": "Ann", "C6": "Tom", "C7": "Ida"} {
		ok(t, f.SetCellStr("Sheet1", cell, text))
	}
	ok(t, f.SetCellInt("Sheet1", "B2", 500))
	for _, cells := range [][2]string{{"A2", "A4"}, {"B2", "B3"}, {"A5", "A6"}} {
		ok(t, f.MergeCell("Sheet1", cells[0], cells[1]))
	}
	var book bytes.Buffer
	_, err := f.WriteTo(&book)
	ok(t, err)

	cell := func(s string, down int) string {
		return fmt.Sprintf(`<table:table-cell table:number-rows-spanned="%d" office:value-type="string"><text:p>%s</text:p>`+
			`</table:table-cell>`, down, s)
	}
	const covered, blank = `<table:covered-table-cell/>`, `<table:table-cell/>`
	rows := odsRow(cell("Firm", 1), cell("Deal", 1), cell("Person", 1)) +
		odsRow(cell("Quay", 3), cell("500", 2), cell("Kari", 1)) + odsRow(covered, covered, cell("Per", 1)) +
		odsRow(covered, blank, blank) + odsRow(cell("Tern", 2), blank, cell("Ann", 1)) +
		odsRow(covered, blank, cell("Tom", 1)) + odsRow(blank, blank, cell("Ida", 1))

	page := `<table><tr><th>Firm<th>Deal<th>Person<tr><td rowspan=3>Quay<td rowspan=2>500<td>Kari<tr><td>Per<tr><td><td>` +
		`<tr><td rowspan=2>Tern<td><td>Ann<tr><td><td>Tom<tr><td><td><td>Ida</table>`

	for _, src := range []Source{
		bytesSource("merged.xlsx", book.Bytes()),
		odsSource(t, "merged.ods", rows),
		bytesSource("merged.html", []byte(page)),
	} {
		for set, want := range map[Reading]string{
			{}:                    "2 Quay|500|Kari 3 Quay||Per 5 Tern||Ann 6 Tern||Tom 7 ||Ida",
			{Merged: MergedFirst}: "2 Quay|500|Kari 3 ||Per 5 Tern||Ann 6 ||Tom 7 ||Ida",
		} {
			_, list, notices, err := readSource(src, set)
			ok(t, err)
			var got []string
			for _, r := range list {
				got = append(got, fmt.Sprint(r.Number)+" "+strings.Join(r.Cells, "|"))
			}
			if strings.Join(got, " ") != want {
				t.Errorf("%s, %q: %q, want %q", src.Name, set.Merged, strings.Join(got, " "), want)
			}
			said := "a text is read in each of their rows"
			if set.Merged == MergedFirst {
				said = "the first of them only"
			}
			if len(notices) == 0 || !strings.Contains(notices[len(notices)-1].Message, said) {
				t.Errorf("%s, %q: %v", src.Name, set.Merged, notices)
			}
		}
	}
	if err := (Reading{Merged: "all"}).Check(); err == nil {
		t.Error("no such way to read what is merged")
	}
}
