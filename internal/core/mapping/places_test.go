package mapping

import (
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
)

// Parts of an address that stand together, or have slipped into the cell beside, go where they belong;
// what another cell contradicts is a problem.
func TestPartAddress(t *testing.T) {
	all := []string{"street", "postal_code", "locality", "region", "country"}
	for _, c := range []struct {
		row, want string // the cells, and the values, in that order
		code      problem.Code
	}{
		{"Kai 5||24103 Kiel||", "Kai 5|24103|Kiel||", ""},
		{"Kai 5|24103|24103 Kiel||", "Kai 5|24103|Kiel||", ""},
		{"Kai 5|20095|24103 Kiel||", "Kai 5|20095|24103 Kiel||", problem.OtherPlace},
		{"Kai 5|24103 Kiel|||", "Kai 5|24103|Kiel||", ""},
		{"Kai 5|24103 Kiel|Kiel-Wik||", "Kai 5|24103|Kiel-Wik||", ""},
		{"Kai 5|24103 Kiel|Lübeck||", "Kai 5|24103 Kiel|Lübeck||", problem.OtherPlace},
		{"Kai 5||24103||", "Kai 5|24103|||", ""},
		{"Kai 5|Kiel|||", "Kai 5||Kiel||", ""},
		{"Kai 5|Kiel|Lübeck||", "Kai 5|Kiel|Lübeck||", problem.BadPlace},
		{"Kai 5|kiel|||", "Kai 5|kiel|||", problem.BadPlace},
		{"Kai 5, 24103 Kiel||||", "Kai 5|24103|Kiel||", ""},
		{"Kai 5, 24103 Kiel|24 103|Kiel||", "Kai 5|24 103|Kiel||", ""},
		{"Kai 5, 24103 Kiel|24103|Lübeck||", "Kai 5, 24103 Kiel|24103|Lübeck||", problem.OtherPlace},
		{"Kai 5, 24103 Kiel, Germany||||", "Kai 5|24103|Kiel||DE", ""},
		{"12 Main St, Boston, MA 02110|02110|Boston|Massachusetts|US", "12 Main St|02110|Boston|Massachusetts|US", ""},
		{"Kai 5||Kiel, Germany||", "Kai 5||Kiel||DE", ""},
		{"Kai 5||Kiel (Germany)||DE", "Kai 5||Kiel||DE", ""},
		{"Kai 5||Kiel, Germany||AT", "Kai 5||Kiel, Germany||AT", problem.OtherPlace},
		{"Kai 5||D-Kiel||", "Kai 5||Kiel||DE", ""},
		{"Kai 5||Boston, MA||US", "Kai 5||Boston|MA|US", ""},
		{"Kai 5||Boston, MA||", "Kai 5||Boston, MA||", ""},
		{"Kai 5||Kiel, DE||DE", "Kai 5||Kiel||DE", ""},
		{"Kai 5||Kiel, DE||", "Kai 5||Kiel, DE||", ""},
		{"Kai 5||Kiel (Wik)||", "Kai 5||Kiel (Wik)||", ""},
		{"Kai 5|D-24103|Kiel||", "Kai 5|24103|Kiel||DE", ""},
		{"Kai 5|D-24103|Kiel||DE", "Kai 5|24103|Kiel||DE", ""},
		{"Kai 5|D-24103|Kiel||AT", "Kai 5|D-24103|Kiel||AT", problem.OtherPlace},
		{"Kai 5|24103.0|Kiel||DE", "Kai 5|24103|Kiel||DE", ""},
		{"Kai 5|1067.0|Dresden||DE", "Kai 5|1067|Dresden||DE", problem.LostZero},
		{"Kai 5|10676|Dresden||DE", "Kai 5|10676|Dresden||DE", ""},
		{"Kai 5|106|Dresden||DE", "Kai 5|106|Dresden||DE", problem.ShortCode},
		{"5 Dock Rd|2140|Cambridge|MA|", "5 Dock Rd|2140|Cambridge|MA|", problem.LostZero},
		{"5 Dock Rd|2140|Oxford|MD|US", "5 Dock Rd|2140|Oxford|MD|US", problem.ShortCode},
		{"5 Dock Rd|12|Oxford|MD|", "5 Dock Rd|12|Oxford|MD|", problem.BadPlace},
	} {
		got, codes := typedAs(t, Routine{May: Create, Drafts: []Draft{{Type: "account", Fields: origins(all)}}}, all,
			strings.Split(c.row, "|"))
		if got != c.want || codes != string(c.code) {
			t.Errorf("%s: %s %s, want %s %s", c.row, got, codes, c.want, c.code)
		}
	}
}

// A cell for postal code and town may hold the code alone, whose letters fill a blank country.
func TestCodeAloneNamesCountry(t *testing.T) {
	header := []string{"Place", "country"}
	fields := origins(header[1:])
	fields["postal_code"] = Origin{From: []string{"Place"}, Take: TakePostalCode}
	fields["locality"] = Origin{From: []string{"Place"}, Take: TakeTown}
	p, err := NewPlan(Routine{May: Create, Drafts: []Draft{{Type: "account", Fields: fields}}}, standard(t),
		columns(header...))
	if err != nil {
		t.Fatal(err)
	}
	for cell, want := range map[string]string{"D-24159": "24159|DE", "D-24159 Kiel": "Kiel|24159|DE",
		"Kiel, Germany": "Kiel|DE", "Kiel": "Kiel"} {
		var typed Typed
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{cell, ""}}, &typed)
		got := strings.Join(slices.DeleteFunc(slices.Clone(typed.Values), func(v string) bool { return v == "" }), "|")
		if got != want || len(typed.Problems) > 0 {
			t.Errorf("%s: %s %v, want %s", cell, got, typed.Problems, want)
		}
	}
}

// Where no field takes the country, or cells are taken as they stand, nothing is parted from them.
func TestPartAddressLeaves(t *testing.T) {
	some := []string{"street", "postal_code", "locality"}
	take := origins(some)
	for name, o := range take {
		o.Doubtful = TakeRows
		take[name] = o
	}
	id := origins(some)
	id[IDField] = Origin{From: []string{IDField}}
	for _, c := range []struct {
		fields    map[string]Origin
		row, want string
		code      problem.Code
	}{
		{origins(some), "Kai 5|D-24103|Kiel", "Kai 5|D-24103|Kiel", ""},
		{origins(some), "Kai 5||D-24103 Kiel", "Kai 5|D-24103|Kiel", ""},
		{origins(some), "Kai 5||Kiel, Germany", "Kai 5||Kiel, Germany", problem.BadPlace},
		{take, "Kai 5|20095|24103 Kiel", "Kai 5|20095|24103 Kiel", ""},
		{take, "Kai 5||24103 Kiel", "Kai 5||24103 Kiel", ""},
		{id, "Kai 5||24103 Kiel", "Kai 5||24103 Kiel", problem.BadPlace}, // records come back as they are
	} {
		got, codes := typedAs(t, Routine{May: CreateOrUpdate, Drafts: []Draft{{Type: "account", Fields: c.fields}}},
			append(some, IDField), strings.Split(c.row, "|"))
		if got != c.want || codes != string(c.code) {
			t.Errorf("%s: %s %s, want %s %s", c.row, got, codes, c.want, c.code)
		}
	}
}

func origins(fields []string) map[string]Origin {
	all := map[string]Origin{}
	for _, f := range fields {
		all[f] = from(f)
	}
	return all
}

// typedAs gives the values of a row in the order of the columns, and the codes of its problems.
func typedAs(t *testing.T, r Routine, header, cells []string) (values, codes string) {
	t.Helper()
	p, err := NewPlan(r, standard(t), columns(header...))
	if err != nil {
		t.Fatal(err)
	}
	var typed Typed
	p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: cells}, &typed)
	var list []string
	for _, h := range header {
		for i, fp := range p.Drafts[0].Fields {
			if fp.Field.Name == h {
				list = append(list, typed.Values[i])
			}
		}
	}
	for _, one := range typed.Problems {
		codes += string(one.Code)
	}
	return strings.Join(list, "|"), codes
}
