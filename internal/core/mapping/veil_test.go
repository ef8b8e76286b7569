package mapping

import (
	"slices"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
	"uchi/internal/core/rights"
)

func veiled(t *testing.T, r Routine) (Veil, catalog.Catalog, []string) {
	t.Helper()
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	account, _ := c.Type("account")
	admin := rights.Administrator
	changed, err := c.ChangeField(account, "employees", catalog.FieldChange{SeenBy: &admin})
	if err != nil {
		t.Fatal(err)
	}
	c.Types = slices.Clone(c.Types)
	c.Types[slices.IndexFunc(c.Types, func(t catalog.RecordType) bool { return t.Name == "account" })] = changed
	headers := []string{"Company", "Staff", "Town"}
	return NewVeil(r, c, headers, rights.Operator), c, headers
}

// What fills a kept field is masked wherever it stands: also where an expression takes it.
func TestVeil(t *testing.T) {
	for name, o := range map[string]Origin{"a column": {From: []string{"Staff"}},
		"an expression": {Compute: `cells["Staff"] + "0"`}} {
		v, _, _ := veiled(t, routine("account", map[string]Origin{"name": {From: []string{"Company"}}, "employees": o}))
		if got := v.Cells([]string{"Tern", "14", "Ternvik"}); !slices.Equal(got,
			[]string{"Tern", catalog.Masked, "Ternvik"}) {
			t.Errorf("%s: %v", name, got)
		}
		if got := v.Cells([]string{"Tern", ""}); !slices.Equal(got, []string{"Tern", ""}) {
			t.Errorf("%s: a blank cell, and none: %v", name, got)
		}
		p := v.Problem(problem.Problem{Code: problem.BadNumber, Field: "employees", Value: "14 or so", Detail: "14"})
		if p.Value != catalog.Masked || p.Detail != "" {
			t.Errorf("%s: %+v", name, p)
		}
		was, now := "13", "14"
		changes := v.Changes("account", map[string][2]*string{"employees": {&was, &now}, "name": {nil, &was}})
		if *changes["employees"][0] != catalog.Masked || *changes["employees"][1] != catalog.Masked ||
			*changes["name"][1] != "13" {
			t.Errorf("%s: %v", name, changes)
		}
	}
	if v, _, _ := veiled(t, routine("account", map[string]Origin{"name": {From: []string{"Staff"}}})); v.Covers() ||
		len(v.Columns) > 0 {
		t.Errorf("nothing is filled that is kept: %+v", v)
	}
}

// Somebody may go on with an import that holds what they may not see, as long as they
// neither look at it by another way nor take it away.
func TestUnveils(t *testing.T) {
	before := routine("account", map[string]Origin{"name": {From: []string{"Company"}},
		"employees": {From: []string{"Staff"}}})
	v, c, headers := veiled(t, before)
	with := func(change func(*Draft)) Routine {
		r := routine("account", map[string]Origin{"name": {From: []string{"Company"}},
			"employees": {From: []string{"Staff"}}})
		change(&r.Drafts[0])
		return r
	}
	for name, x := range map[string]struct {
		after   Routine
		unveils bool
	}{
		"another column placed": {with(func(d *Draft) { d.Fields["locality"] = Origin{From: []string{"Town"}} }), false},
		"taken out":             {with(func(d *Draft) { delete(d.Fields, "employees") }), true},
		"filled otherwise":      {with(func(d *Draft) { d.Fields["employees"] = Origin{Fixed: "1"} }), true},
		"placed elsewhere too":  {with(func(d *Draft) { d.Fields["locality"] = Origin{From: []string{"Staff"}} }), true},
		"computed from":         {with(func(d *Draft) { d.Fields["locality"] = Origin{Compute: `cells['Staff']`} }), true},
		"asked about":           {with(func(d *Draft) { d.Where = `cells["Staff"] == "14"` }), true},
		"the draft renamed":     {with(func(d *Draft) { d.Name = "firm" }), true},
	} {
		if got := v.Unveils(before, x.after, headers); got != x.unveils {
			t.Errorf("%s: %v", name, got)
		}
	}
	if got := before.Unfillable(c, rights.Operator); !slices.Equal(got, []string{"Account · Employees"}) {
		t.Errorf("an operator may not fill %v", got)
	}
	kept := before.Fillable(c, rights.Operator)
	if _, there := kept.Drafts[0].Fields["employees"]; there || len(before.Drafts[0].Fields) != 2 {
		t.Errorf("%v of %v", kept, before)
	}
}
