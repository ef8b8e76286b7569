package suggest

import (
	"os"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
)

// sheetOf is a sheet with the fields that each of its columns may go to.
type sheetOf struct {
	types   []string
	about   string
	columns []sheet.Column
	fields  []string
}

// wholeSheets reads testdata/sheets.txt.
func wholeSheets(t *testing.T) (list []sheetOf) {
	t.Helper()
	text, err := os.ReadFile("testdata/sheets.txt")
	if err != nil {
		t.Fatal(err)
	}
	var headers []string
	var rows [][]string
	finish := func() {
		if len(list) == 0 {
			return
		}
		p := sheet.NewProfiler(headers)
		for n, cells := range rows {
			p.Add(sheet.Row{Number: int64(n + 2), Cells: cells})
		}
		list[len(list)-1].columns, _ = p.Profile()
		headers, rows = nil, nil
	}
	for line := range strings.Lines(string(text)) {
		line = strings.TrimSuffix(line, "\n")
		if about, ok := strings.CutPrefix(line, "== "); ok {
			finish()
			types, _, _ := strings.Cut(about, " ")
			list = append(list, sheetOf{types: strings.Split(types, "+"), about: about})
			continue
		}
		if line == "" || strings.HasPrefix(line, "//") {
			continue
		}
		parts := strings.Split(line, "|")
		headers = append(headers, parts[0])
		list[len(list)-1].fields = append(list[len(list)-1].fields, parts[1])
		for n, cell := range parts[2:] {
			if n == len(rows) {
				rows = append(rows, nil)
			}
			rows[n] = append(rows[n], cell)
		}
	}
	finish()
	return list
}

// Of the columns of more than five hundred sheets, most of which have headers that are short,
// technical or hardly any, nearly all are placed where they belong and hardly one elsewhere.
func TestWholeSheets(t *testing.T) {
	t.Parallel()
	c := standard(t)
	none := func(string) Memory { return nil }
	there, placed, wrong := 0, 0, 0
	for _, s := range wholeSheets(t) {
		first, _ := c.Type(s.types[0])
		view := NewView(s.columns).Among(c)
		r := Routine(first, view.Across([]Target{{Type: first}}))
		for _, name := range s.types[1:] {
			r = view.WithDraft(r, c, mapping.Draft{Type: name}, none)
		}
		for n, col := range s.columns {
			may := strings.Split(s.fields[n], "/")
			got := placesOf(c, r, col.Header, len(s.types) > 1)
			if may[0] != "-" && !slices.Contains(may, "-") {
				there++
			}
			switch {
			case got == "":
				if !slices.Contains(may, "-") {
					t.Logf("%s: %q is placed nowhere, it is %s", s.about, col.Header, s.fields[n])
				}
			case slices.Contains(may, got):
				placed++
			default:
				wrong++
				t.Logf("%s: %q is placed on %s, it is %s", s.about, col.Header, got, s.fields[n])
			}
		}
	}
	t.Logf("of %d columns %d are placed, and %d wrongly", there, placed, wrong)
	if placed*100 < there*95 || wrong*100 > placed {
		t.Errorf("of %d columns %d are placed, and %d wrongly", there, placed, wrong)
	}
}

// The type of a sheet, or one of several, is told by itself; where it is not, a person is asked, and it is seldom
// told wrongly.
func TestTypesOfWholeSheets(t *testing.T) {
	t.Parallel()
	c := standard(t)
	told, asked, wrong := 0, 0, 0
	for n, s := range wholeSheets(t) {
		if n%every != 0 {
			continue
		}
		name, sure := Sure(typesOf(c, s.columns))
		switch {
		case !sure:
			asked++
			t.Logf("%s: it is asked", s.about)
		case slices.Contains(s.types, name):
			told++
		default:
			wrong++
			t.Logf("%s: it is taken for %s", s.about, name)
		}
	}
	all := told + asked + wrong
	t.Logf("of %d sheets %d are told, %d asked about, %d told wrongly", all, told, asked, wrong)
	if told*100 < all*90 || wrong*100 > all*3 {
		t.Errorf("of %d sheets %d are told, %d asked about, %d told wrongly", all, told, asked, wrong)
	}
}

// every is which of the sheets are looked at where each is compared with all types.
const every = 4

// placesOf gives the fields that a column goes to, in alphabetical order.
func placesOf(c catalog.Catalog, r mapping.Routine, header string, typed bool) string {
	var fields []string
	for _, d := range r.Drafts {
		for field, o := range d.Fields {
			from := slices.Clone(o.From)
			for _, f := range o.Find {
				from = append(from, f.From...)
			}
			if !slices.Contains(from, header) {
				continue
			}
			if typed {
				field = d.Type + "." + field
			}
			fields = append(fields, field)
		}
	}
	slices.Sort(fields)
	return strings.Join(fields, "+")
}
