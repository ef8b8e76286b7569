package sheet

import (
	"archive/zip"
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

// In OpenDocument as well, where styles have names and equal rows are written once.
func TestStruckThroughInOpenDocument(t *testing.T) {
	const styles = `<office:automatic-styles>
		<style:style style:name="ce1" style:family="table-cell">
		<style:text-properties style:text-line-through-style="solid" style:text-line-through-type="single"/></style:style>
		<style:style style:name="ce2" style:family="table-cell"><style:text-properties style:text-line-through-style="none"/></style:style>
		<style:style style:name="T1" style:family="text"><style:text-properties style:text-line-through-style="solid"/></style:style>
		</office:automatic-styles>`
	cell := func(style, text string) string {
		return `<table:table-cell table:style-name="` + style + `" office:value-type="string"><text:p>` + text + `</text:p></table:table-cell>`
	}
	row := func(cells ...string) string {
		return `<table:table-row>` + strings.Join(cells, "") + `</table:table-row>`
	}
	head := row(cell("ce2", "Name"), cell("ce2", "Phone"))
	gap := `<table:table-cell table:number-columns-repeated="1000"/>`
	for name, x := range map[string]struct {
		rows, header, want string
		count              int64
	}{
		"a row, a cell, two rows at once": {row(cell("ce1", "Berg"), cell("ce1", "1"), gap) + row(cell("ce2", "Lie"), cell("ce1", "2")) +
			row(cell("T1", "Moe"), cell("", "3")) +
			strings.Replace(row(cell("ce1", "Ek")), "table-row", `table-row table:number-rows-repeated="2"`, 1),
			"Name|Phone|Struck through", "Berg|1|yes Lie|2|B Moe|3 Ek||yes Ek||yes", 4},
		"none":            {row(cell("ce2", "Berg"), cell("T1", "1")), "Name|Phone", "Berg|1", 0},
		"the header only": {row(cell("ce2", "Berg"), cell("", "1")), "Name|Phone", "Berg|1", 0},
	} {
		header, list, notices, err := readSource(odsOf(t, styles, head+x.rows), Reading{HeaderRow: 1})
		ok(t, err)
		var got []string
		for _, r := range list {
			got = append(got, strings.Join(r.Cells, "|"))
		}
		if strings.Join(header, "|") != x.header || strings.Join(got, " ") != x.want {
			t.Errorf("%s: %q %q, want %q %q", name, strings.Join(header, "|"), strings.Join(got, " "), x.header, x.want)
		}
		var count int64
		for _, n := range notices {
			if n.Code == "struck_rows" {
				count = n.Count
			}
		}
		if count != x.count {
			t.Errorf("%s: %d rows, want %d", name, count, x.count)
		}
	}
}

// odsOf makes a spreadsheet of one table, of the XML of its styles and its rows.
func odsOf(t *testing.T, styles, rows string) Source {
	t.Helper()
	head, _, _ := strings.Cut(odsHead, "<office:automatic-styles>")
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	content := head + styles + `<office:body><office:spreadsheet><table:table table:name="A">` + rows +
		`</table:table></office:spreadsheet></office:body></office:document-content>`
	for name, text := range map[string]string{"mimetype": odsMime, odsContent: content} {
		w, err := z.Create(name)
		ok(t, err)
		_, err = w.Write([]byte(text))
		ok(t, err)
	}
	ok(t, z.Close())
	return bytesSource("members.ods", out.Bytes())
}
