package suggest

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/suggest/sheets"
)

// wholeSheets reads testdata/sheets.txt.
func wholeSheets(t *testing.T) []sheets.Sheet {
	t.Helper()
	f, err := os.Open("testdata/sheets.txt")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	list, err := sheets.Read(f)
	if err != nil {
		t.Fatal(err)
	}
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
		first, _ := c.Type(s.Types[0])
		view := NewView(s.Columns).Among(c)
		r := Routine(first, view.Across([]Target{{Type: first}}))
		for _, name := range s.Types[1:] {
			r = view.WithDraft(r, c, mapping.Draft{Type: name}, none)
		}
		for n, col := range s.Columns {
			may := strings.Split(s.Fields[n], "/")
			got := placesOf(c, r, col.Header, len(s.Types) > 1)
			if may[0] != "-" && !slices.Contains(may, "-") {
				there++
			}
			switch {
			case got == "":
				if !slices.Contains(may, "-") {
					t.Logf("%s: %q is placed nowhere, it is %s", s.About, col.Header, s.Fields[n])
				}
			case slices.Contains(may, got):
				placed++
			default:
				wrong++
				t.Logf("%s: %q is placed on %s, it is %s", s.About, col.Header, got, s.Fields[n])
			}
		}
	}
	t.Logf("of %d columns %d are placed, and %d wrongly", there, placed, wrong)
	if placed*100 < there*95 || wrong*100 > placed {
		t.Errorf("of %d columns %d are placed, and %d wrongly", there, placed, wrong)
	}
}

// mustTellTypes wants the types of some sheets told by themselves, as many of a hundred as given at least; where one is
// not, a person is asked, and it is seldom told wrongly.
func mustTellTypes(t *testing.T, list []sheets.Sheet, least int) {
	t.Helper()
	c := standard(t)
	told, asked, wrong := 0, 0, 0
	for _, s := range list {
		name, sure := Sure(typesOf(c, s.Columns))
		switch {
		case !sure:
			asked++
			t.Logf("%s: it is asked", s.About)
		case slices.Contains(s.Types, name):
			told++
		default:
			wrong++
			t.Logf("%s: it is taken for %s", s.About, name)
		}
	}
	t.Logf("of %d sheets %d are told, %d asked about, %d told wrongly", len(list), told, asked, wrong)
	if told*100 < len(list)*least || wrong*100 > len(list)*3 {
		t.Errorf("of %d sheets %d are told, %d asked about, %d told wrongly", len(list), told, asked, wrong)
	}
}

func TestTypesOfWholeSheets(t *testing.T) {
	t.Parallel()
	var list []sheets.Sheet
	for n, s := range wholeSheets(t) {
		if n%every == 0 {
			list = append(list, s)
		}
	}
	mustTellTypes(t, list, 90)
}

// Where every fourth header says nothing the type is told nearly as often, and no more often wrongly.
func TestTypesOfSheetsUnderstoodInPart(t *testing.T) {
	t.Parallel()
	var list []sheets.Sheet
	for n, s := range wholeSheets(t) {
		if n%(2*every) != 1 {
			continue
		}
		for at := n % 4; at < len(s.Columns); at += 4 {
			s.Columns[at].Header = fmt.Sprintf("%cQX%d", 'B'+rune(at%20), at)
		}
		list = append(list, s)
	}
	mustTellTypes(t, list, 88)
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
