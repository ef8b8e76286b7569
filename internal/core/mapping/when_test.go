package mapping

import (
	"strings"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
)

// A column goes to a field in the rows of which another column says so; a word that no field knows
// is said once.
func TestWhen(t *testing.T) {
	about := func(words ...string) Origin {
		return Origin{From: []string{"Nr"}, When: &When{Column: "About", Is: words}}
	}
	r := Routine{May: Create, Drafts: []Draft{{Type: "note", Fields: map[string]Origin{"text": {From: []string{"Text"}},
		"account": about("Company", "firm"), "contact": about("person")}}}}
	names := []string{"Text", "About", "Nr"}
	p, err := NewPlan(r, standard(t), columns(names...))
	if err != nil {
		t.Fatal(err)
	}
	for row, want := range map[string]string{
		"a|company|1000": "account 1000", "a|FIRM|1000": "account 1000", "a| Person |5000": "contact 5000",
		"a|contract|7": "when_unknown contract", "a||7": "when_unknown", "a|contract|": "about_nothing",
	} {
		var typed Typed
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: strings.Split(row, "|")}, &typed)
		var got []string
		for i, fp := range p.Drafts[0].Fields {
			if typed.Values[i] != "" && fp.Field.Name != "text" {
				got = append(got, fp.Field.Name, typed.Values[i])
			}
		}
		for _, one := range typed.Problems {
			if got = append(got, string(one.Code)); one.Value != "" {
				got = append(got, one.Value)
			}
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%s: %v, want %s", row, got, want)
		}
	}
	if err := r.Check(standard(t), names); err != nil {
		t.Error(err)
	}
	if got := strings.Join(r.Unplaced(append(names, "Else")), " "); got != "Else" {
		t.Errorf("not placed: %s", got)
	}
	if moved := r.WithColumns(map[string]string{"About": "Kind"}).Drafts[0].Fields["account"].When; moved.Column != "Kind" || len(moved.Is) != 2 {
		t.Errorf("under a new name: %+v", moved)
	}
	for _, bad := range []Origin{{Fixed: "ACC-1", When: &When{Column: "About", Is: []string{"x"}}},
		{From: []string{"Nr"}, When: &When{Column: "About"}}, {From: []string{"Nr"}, When: &When{Column: "Nowhere", Is: []string{"x"}}}} {
		r.Drafts[0].Fields["lead"] = bad
		if _, ok := fault.From(r.Check(standard(t), names)); !ok {
			t.Errorf("%+v is taken", bad)
		}
	}
}
