package sheet

import (
	"bytes"
	"fmt"
	"testing"

	"github.com/xuri/excelize/v2"
)

// What is hidden in a workbook is told, and read or left out as somebody says; a filter hides rows
// as a hand does. Rows keep their numbers.
func TestHiddenRowsAndColumns(t *testing.T) {
	f := excelize.NewFile()
	for n, row := range [][]any{{"Name", "Old name", "Town", "Secret"}, {"Alpha", "a", "Oslo", "x"},
		{"Beta", "b", "Bergen", "y"}, {"Gamma", "c", "Moss", "z"}} {
		ok(t, f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", n+1), &row))
	}
	ok(t, f.SetColVisible("Sheet1", "B", false))
	ok(t, f.SetColVisible("Sheet1", "D", false))
	ok(t, f.SetRowVisible("Sheet1", 3, false))
	var book bytes.Buffer
	_, err := f.WriteTo(&book)
	ok(t, err)
	rows := `<table:table-column/><table:table-column table:visibility="collapse"/><table:table-column/>` +
		`<table:table-column table:visibility="filter" table:number-columns-repeated="1"/>`
	for n, row := range [][]string{{"Name", "Old name", "Town", "Secret"}, {"Alpha", "a", "Oslo", "x"},
		{"Beta", "b", "Bergen", "y"}, {"Gamma", "c", "Moss", "z"}} {
		rows += map[bool]string{true: `<table:table-row table:visibility="filter">`, false: `<table:table-row>`}[n == 2]
		for _, cell := range row {
			rows += `<table:table-cell office:value-type="string"><text:p>` + cell + `</text:p></table:table-cell>`
		}
		rows += `</table:table-row>`
	}
	for _, src := range []Source{
		bytesSource("hidden.xlsx", book.Bytes()),
		odsSource(t, "hidden.ods", rows),
	} {
		header, list, notices, err := readSource(src, Reading{})
		ok(t, err)
		if fmt.Sprint(header, len(list), notices) != "[Name Old name Town Secret] 3 [{hidden_rows rows are hidden in "+
			"the sheet; they are read like the others 0  1 } {hidden_columns columns are hidden in the sheet; they are "+
			"read like the others 0 B, D 0 }]" {
			t.Errorf("%s: %v, %d rows, %v", src.Name, header, len(list), notices)
		}
		_, list, notices, err = readSource(src, Reading{Hidden: LeaveHidden})
		ok(t, err)
		if len(list) != 2 || fmt.Sprintf("%d %q", list[1].Number, list[1].Cells) != `4 ["Gamma" "" "Moss"]` {
			t.Errorf("%s, without what is hidden: %v", src.Name, list)
		}
		if notices[0].Message != "rows are hidden in the sheet; they are left out" {
			t.Errorf("%s: %v", src.Name, notices)
		}
	}
}
