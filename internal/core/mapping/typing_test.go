package mapping

import (
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
)

// Plans are told apart by whatever may make another draft of a row: of what is said of the columns, and of the columns
// themselves. By what records are found changes no draft, where each row makes one.
func TestTyping(t *testing.T) {
	type change struct {
		r       *Routine
		c       *catalog.Catalog
		columns []sheet.Column
	}
	typing := func(f func(x change)) string {
		c, cols := standard(t), columns("Name", "Turnover in TEUR", "Since", "Share", "Note")
		for i := range cols {
			cols[i].Filled = 20
		}
		cols[1].Samples = []string{"120", "45"}
		r := Routine{May: CreateOrUpdate, Drafts: []Draft{{Type: "account", Fields: map[string]Origin{"name": from("Name"),
			"description": from("Note")}}}}
		f(change{&r, &c, cols})
		p, err := NewPlan(r, c, cols)
		if err != nil {
			t.Fatal(err)
		}
		return p.Typing()
	}
	was := typing(func(change) {})
	for name, f := range map[string]func(x change){
		"its name":     func(x change) { x.r.Name = "monthly" },
		"match rules":  func(x change) { x.r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"name"}}} },
		"a load":       func(x change) { x.r.Load = &LoadPolicy{StopFails: 3} },
		"more samples": func(x change) { x.columns[0].Samples = []string{"Quay", "Kai"} },
		"more rows":    func(x change) { x.columns[0].Filled += 2 },
	} {
		if got := typing(f); got != was {
			t.Errorf("%s changes how rows are typed", name)
		}
	}
	for name, f := range map[string]func(x change){
		"another column":    func(x change) { x.r.Drafts[0].Fields["name"] = from("Note") },
		"a fixed value":     func(x change) { x.r.Drafts[0].Fields["description"] = Origin{Fixed: "x"} },
		"what it may do":    func(x change) { x.r.May = Update },
		"a condition":       func(x change) { x.r.Drafts[0].Where = `cells["Name"] != "x"` },
		"a country":         func(x change) { x.r.Reading.Country = "NO" },
		"a header":          func(x change) { x.columns[3].Header = "Part" },
		"the decimal sign":  func(x change) { x.columns[1].DecimalSign = "," },
		"the order of days": func(x change) { x.columns[2].DateOrder = "day_first" },
		"percentages":       func(x change) { x.columns[3].Percents = "of_one" },
		"longer amounts":    func(x change) { x.columns[1].Samples = []string{"120000", "450000"} },
		"fuller rows": func(x change) {
			for i := range x.columns {
				x.columns[i].Blank = 40
			}
		},
		"words for nothing": func(x change) { x.c.Nothing = []string{"keine"} },
		"a record type":     func(x change) { x.c.Types[0].Version++ },
	} {
		if got := typing(f); got == was {
			t.Errorf("%s does not change how rows are typed", name)
		}
	}
}
