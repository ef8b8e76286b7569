package sheet

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

// Cells that are struck through are told in a column of their own behind all others: yes of rows whose first cell
// is, the letters of others. Notes at cells are counted. A sheet with neither has no such column.
func TestStruckThrough(t *testing.T) {
	book := func(strike ...string) Source {
		f := excelize.NewFile()
		for n, row := range []string{"List of members", "Name|Phone", "Berg|1", "Lie|2|wide", "Moe|3", "Ek|4"} {
			for at, text := range strings.Split(row, "|") {
				ok(t, f.SetCellStr("Sheet1", fmt.Sprint(Letter(at), n+1), text))
			}
		}
		struck, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Strike: true}})
		ok(t, err)
		for _, cell := range strike {
			ok(t, f.SetCellStyle("Sheet1", cell, cell, struck))
		}
		for _, cell := range []string{"B2", "A5", "A4"} {
			ok(t, f.AddComment("Sheet1", excelize.Comment{Cell: cell, Author: "Ada", Text: "left in May"}))
		}
		var out bytes.Buffer
		_, err = f.WriteTo(&out)
		ok(t, err)
		return bytesSource("members.xlsx", out.Bytes())
	}
	set := Reading{HeaderRow: 2}
	for _, x := range []struct {
		struck       []string
		header, rows string
		count        int64
	}{
		{[]string{"A3", "B3", "B5"}, "Name|Phone||Struck through", "Berg|1||yes Lie|2|wide| Moe|3||B Ek|4||", 2},
		{[]string{"A1", "A2"}, "Name|Phone|", "Berg|1| Lie|2|wide Moe|3| Ek|4|", 0},
		{nil, "Name|Phone|", "Berg|1| Lie|2|wide Moe|3| Ek|4|", 0},
	} {
		header, list, notices, err := readSource(book(x.struck...), set)
		ok(t, err)
		width := strings.Count(x.header, "|") + 1
		padded := func(cells []string) string {
			for len(cells) < width {
				cells = append(cells, "")
			}
			return strings.Join(cells, "|")
		}
		var got []string
		for _, r := range list {
			got = append(got, padded(slices.Clone(r.Cells)))
		}
		if strings.Join(got, " ") != x.rows {
			t.Errorf("%v: %q, want %q", x.struck, strings.Join(got, " "), x.rows)
		}
		if strings.Contains(x.header, Struck) != slices.Contains(header, Struck) {
			t.Errorf("%v: the header is %q", x.struck, header)
		}
		told := map[string]int64{}
		for _, n := range notices {
			told[n.Code] = n.Count
			if n.Code == "cell_notes" && n.Row != 4 {
				t.Errorf("the first note stands at row %d", n.Row)
			}
		}
		if told["struck_rows"] != x.count || told["cell_notes"] != 2 {
			t.Errorf("%v: %v", x.struck, told)
		}
	}
}
