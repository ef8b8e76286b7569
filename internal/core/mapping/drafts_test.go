package mapping

import (
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// deal is a routine of three drafts that point to each other.
func deal() Routine {
	return Routine{May: CreateOrUpdate, Drafts: []Draft{
		{Type: "opportunity", Fields: map[string]Origin{"title": from("Deal"), "account": {Draft: "account"},
			"contact": {Draft: "person"}}},
		{Name: "person", Type: "contact", Fields: map[string]Origin{"family_name": from("Name"),
			"country": from("Country"), "account": {Draft: "account"}}},
		{Type: "account", Fields: map[string]Origin{"name": from("Company"), "country": from("Country")}},
	}}
}

// A draft without a country of its own reads phone numbers by that of the draft it points to.
func TestPhonesByTheCountryOfTheRow(t *testing.T) {
	r := Routine{May: CreateOrUpdate, Drafts: []Draft{
		{Type: "contact", Fields: map[string]Origin{"family_name": from("Name"), "mobile": from("Mobile"),
			"account": {Draft: "account"}}},
		{Type: "account", Fields: map[string]Origin{"name": from("Company"), "country": from("Country")}},
	}}
	p, err := NewPlan(r, standard(t), columns("Name", "Mobile", "Company", "Country"))
	if err != nil {
		t.Fatal(err)
	}
	for country, want := range map[string]string{"Norway": "+4741000000", "Atlantis": "", "": ""} {
		var out Typed
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{"Berg", "410 00 000", "Berg Marina", country}}, &out)
		at := slices.IndexFunc(p.Drafts[0].Fields, func(fp FieldPlan) bool { return fp.Field.Name == "mobile" })
		if got := out.Values[at]; got != want || (want == "") != (len(out.Problems) == 1) {
			t.Errorf("in %q: %q, %v", country, got, out.Problems)
		}
	}
}

// Percentages are read as the column writes them, unless the routine says how.
func TestPercentsOfAColumn(t *testing.T) {
	cols := columns("Deal", "Chance")
	cols[1].Percents = string(value.OfOne)
	for says, want := range map[value.Percents]string{"": "60", value.OfHundred: "0.6"} {
		r := Routine{May: CreateOrUpdate,
			Drafts: []Draft{{Type: "opportunity", Fields: map[string]Origin{"title": from("Deal"),
				"probability": {From: []string{"Chance"}, Percents: says}}}}}
		p, err := NewPlan(r, standard(t), cols)
		if err != nil {
			t.Fatal(err)
		}
		var out Typed
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{"One", "0.6"}}, &out)
		if !slices.Contains(out.Values, want) {
			t.Errorf("read %q: %q, want %s among them", says, out.Values, want)
		}
	}
}

func TestDraftsAreChecked(t *testing.T) {
	c := standard(t)
	headers := []string{"Deal", "Name", "Company", "Country"}
	if err := deal().Check(c, headers); err != nil {
		t.Fatal(err)
	}
	for code, change := range map[string]func(r *Routine){
		"drafts_missing":  func(r *Routine) { r.Drafts = nil },
		"draft_twice":     func(r *Routine) { r.Drafts[1].Name = "account" },
		"bad_name":        func(r *Routine) { r.Drafts[1].Name = "The person" },
		"unknown_draft":   func(r *Routine) { r.Drafts[0].Fields["contact"] = Origin{Draft: "boat"} },
		"wrong_draft":     func(r *Routine) { r.Drafts[0].Fields["contact"] = Origin{Draft: "account"} },
		"not_a_reference": func(r *Routine) { r.Drafts[0].Fields["title"] = Origin{Draft: "account"} },
		"drafts_in_a_ring": func(r *Routine) {
			r.Drafts[1].Fields["reports_to"] = Origin{Draft: "boss"}
			r.Drafts = append(r.Drafts, Draft{Name: "boss", Type: "contact",
				Fields: map[string]Origin{"reports_to": {Draft: "person"}}})
		},
		"delete_one_type": func(r *Routine) { r.May = Delete },
		"unknown_may":     func(r *Routine) { r.Drafts[2].May = "think" },
		"last_of_linked":  func(r *Routine) { r.Drafts[2].Repeats = LastWins },
		"nothing_grouped": func(r *Routine) { r.Drafts = r.Drafts[2:]; r.Drafts[0].Grouped = true },
		"origin_twice": func(r *Routine) {
			r.Drafts[0].Fields["account"] = Origin{Draft: "account",
				From: []string{"Company"}}
		},
		"rule_not_selective": func(r *Routine) {
			r.Drafts[0].Fields["account"] = Origin{Find: map[string]Origin{"country": from("Country")}}
		},
		"find_in_find": func(r *Routine) {
			r.Drafts[0].Fields["account"] = Origin{Find: map[string]Origin{"name": {Draft: "account"}}}
		},
		"unknown_column": func(r *Routine) {
			r.Drafts[0].Fields["account"] = Origin{Find: map[string]Origin{"name": from("Firm")}}
		},
		"unknown_field": func(r *Routine) {
			r.Drafts[0].Fields["account"] = Origin{Find: map[string]Origin{"owner": from("Name")}}
		},
		"bad_reading": func(r *Routine) {
			r.Drafts[0].Fields["expected_close"] = Origin{From: []string{"Deal"}, DateOrder: "month_last"}
		},
		"too_many_drafts": func(r *Routine) {
			for range MostDrafts {
				r.Drafts = append(r.Drafts, Draft{Type: "task"})
			}
		},
	} {
		r := deal()
		change(&r)
		err := r.Check(c, headers)
		if !fault.Is(err, code) {
			t.Errorf("%s: got %v", code, err)
			continue
		}
		if f, _ := fault.From(err); f.Place.Path == "" {
			t.Errorf("%s does not say where: %v", code, err)
		}
	}
}

// Each draft comes after those it points to, and links that go without saying
// are made without a ring.
func TestOrderAndLinks(t *testing.T) {
	c := standard(t)
	p, err := NewPlan(deal(), c, columns("Deal", "Name", "Company", "Country"))
	if err != nil {
		t.Fatal(err)
	}
	if !slices.Equal(p.Order, []int{2, 1, 0}) || !p.Drafts[2].Shared || p.Drafts[0].Shared ||
		p.Drafts[2].Repeats != Once || p.Drafts[0].Repeats != HoldRepeats {
		t.Errorf("order %v, %+v", p.Order, p.Drafts[2].Repeats)
	}
	bare := Routine{May: Create, Drafts: []Draft{{Type: "contact",
		Fields: map[string]Origin{"family_name": from("Name")}}, {Type: "account",
		Fields: map[string]Origin{"name": from("Company")}}, {Type: "task",
		Fields: map[string]Origin{"subject": from("Deal")}}}}
	linked := bare.Linked(c)
	got := linked.Drafts[0].Fields["account"].Draft + " " + linked.Drafts[2].Fields["contact"].Draft + " " +
		linked.Drafts[2].Fields["account"].Draft + " " + linked.Drafts[1].Fields["parent"].Draft
	if got != "account contact account " {
		t.Errorf("links: %q", got)
	}
	if len(bare.Drafts[0].Fields) != 1 {
		t.Error("the routine that was given is changed")
	}
	if left := linked.Without("account"); len(left.Drafts) != 2 || len(left.Drafts[0].Fields) != 1 {
		t.Errorf("without: %+v", left)
	}
}

// Whether a row has a draft is told by the columns that only this draft takes.
func TestEmptyDraftsAndRowsBelow(t *testing.T) {
	c := standard(t)
	r := deal()
	r.Drafts[2].Grouped = true
	p, err := NewPlan(r, c, columns("Deal", "Name", "Company", "Country"))
	if err != nil {
		t.Fatal(err)
	}
	p.Begin()
	var typed Typed
	apply := func(n int64, draft int, cells ...string) Typed {
		p.Drafts[draft].Apply(sheet.Row{Number: n, Cells: cells}, &typed)
		return typed
	}
	if x := apply(2, 1, "", "", "", "NO"); !x.Empty || len(x.Problems) > 0 {
		t.Errorf("a country alone makes a person: %+v", x)
	}
	if x := apply(2, 2, "", "", "", "NO"); !x.Empty || x.Above != 0 {
		t.Errorf("nothing is above the first row: %+v", x)
	}
	if x := apply(3, 2, "", "", "Harbour", ""); x.Empty {
		t.Errorf("%+v", x)
	}
	if x := apply(4, 2, "Deal", "", " ", ""); !x.Empty || x.Above != 3 {
		t.Errorf("the row below: %+v", x)
	}
	p.Pass(sheet.Row{Number: 5, Cells: []string{"", "", "Quay", ""}})
	if x := apply(6, 2); x.Above != 5 {
		t.Errorf("a row that is passed over counts: %+v", x)
	}
	if x := apply(7, 2, "Deal", "", "privat", ""); x.Empty {
		t.Errorf("who is of no company is of the one above: %+v", x)
	}
	p.Begin()
	if x := apply(2, 2); x.Above != 0 {
		t.Errorf("begun anew: %+v", x)
	}
	r.Drafts[2].Grouped = false
	if p, err = NewPlan(r, c, columns("Deal", "Name", "Company", "Country")); err != nil {
		t.Fatal(err)
	}
	if x := apply(2, 2, "Deal", "", "privat", ""); !x.Empty {
		t.Errorf("who is of no company makes one: %+v", x)
	}
	if got := p.Drafts[1].Named("email") + " " + p.Drafts[1].Named(""); got != "person.email person" {
		t.Error(got)
	}
}

// A look-up compares normal forms, and says nothing when all its cells are blank.
func TestFindText(t *testing.T) {
	c := standard(t)
	r := Routine{May: Create, Drafts: []Draft{{Type: "contact", Fields: map[string]Origin{"family_name": from("Name"),
		"account": {Find: map[string]Origin{"name": from("Company"), "country": from("Country")}}}}}}
	p, err := NewPlan(r, c, columns("Name", "Company", "Country"))
	if err != nil {
		t.Fatal(err)
	}
	var typed Typed
	for cells, want := range map[string]string{"Berg|NORDKAI Marina AS|Norway": "NO" + FindGap + "nordkai marina",
		"Berg||": "", "Berg|Nordkai|": FindGap + "nordkai", "Berg|Nordkai|Atlantis": ""} {
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: strings.Split(cells, "|")}, &typed)
		at := slices.IndexFunc(p.Drafts[0].Fields, func(fp FieldPlan) bool { return fp.Field.Name == "account" })
		if typed.Values[at] != want {
			t.Errorf("%q: %q, want %q", cells, typed.Values[at], want)
		}
		if (len(typed.Problems) > 0) != strings.Contains(cells, "Atlantis") {
			t.Errorf("%q: %v", cells, typed.Problems)
		}
	}
}

// A field may read its column in its own order of dates.
func TestReadAs(t *testing.T) {
	c := standard(t)
	for order, want := range map[string]string{"day_first": "1986-04-03", "month_first": "1986-03-04", "": ""} {
		o := from("Born")
		if order != "" {
			o.DateOrder = "month_first"
			if order == "day_first" {
				o.DateOrder = "day_first"
			}
		}
		p, err := NewPlan(Routine{May: Create,
			Drafts: []Draft{{Type: "contact", Fields: map[string]Origin{"birthday": o}}}}, c, columns("Born"))
		if err != nil {
			t.Fatal(err)
		}
		var typed Typed
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{"03/04/1986"}}, &typed)
		if typed.Values[0] != want || (want == "") != (len(typed.Problems) == 1) {
			t.Errorf("%s: %q %v", order, typed.Values[0], typed.Problems)
		}
	}
}

// Amounts are in the unit that the header names, but for those of a field that is kept in it.
func TestAmountsInUnits(t *testing.T) {
	for _, x := range []struct {
		label string
		unit  value.Unit
		want  string
	}{{"Turnover", "", "70000.00"}, {"Turnover", value.Ones, "70.00"}, {"Turnover", value.Millions, "70000000.00"},
		{"Turnover (k€)", "", "70.00"}} {
		c := catalog.Catalog{Types: []catalog.RecordType{{Name: "yard", Label: "Yard", Plural: "Yards", Prefix: "YAR",
			Title: []string{"name"}, Fields: []catalog.Field{
				{Name: "name", Label: "Name", Type: catalog.Text, Required: true},
				{Name: "turnover", Label: x.label, Type: catalog.Money, Precision: 2},
			}}}}
		o := from("Turnover (k€)")
		o.Unit = x.unit
		p, err := NewPlan(Routine{May: Create, Drafts: []Draft{{Type: "yard", Fields: map[string]Origin{"turnover": o}}}},
			c, columns("Turnover (k€)"))
		if err != nil {
			t.Fatal(err)
		}
		var typed Typed
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{"70"}}, &typed)
		if typed.Values[0] != x.want {
			t.Errorf("%s as %q: %q, want %q %v", x.label, x.unit, typed.Values[0], x.want, typed.Problems)
		}
	}
}

// A routine with all that a draft can say comes back from its document.
func TestDocumentOfDrafts(t *testing.T) {
	r := deal()
	r.Drafts[2].Grouped, r.Drafts[2].May, r.Drafts[2].Repeats = true, Create, Once
	r.Drafts[1].Fields["owner"] = Origin{Find: map[string]Origin{"email": from("Owner")}}
	b, err := WriteRoutine(r)
	if err != nil {
		t.Fatal(err)
	}
	back, err := ReadRoutine(b)
	if err != nil {
		t.Fatal(err)
	}
	again, _ := WriteRoutine(back)
	if string(again) != string(b) {
		t.Errorf("%s\n%s", b, again)
	}
}

// Whatever stands in a routine's document, it is refused with a fault or works
// on rows without a panic, and what is written comes back.
func FuzzRoutine(f *testing.F) {
	f.Add("may: create\ndrafts: [{type: contact, fields: {family_name: {from: [A], split: \",\", part: -1, cut: 3}}}]")
	f.Add("may: create_or_update\ndrafts: [{type: opportunity, grouped: true, where: 'cells[\"A\"] != \"\"', fields: " +
		"{title: {compute: 'cells[\"A\"].title()'}, amount: {from: [B]}, currency: {from: [B], take: currency}, account: " +
		"{draft: account}}}, {type: account, repeats: once, fields: {name: {from: [C]}, owner: {find: {email: {from: [B]}}}}}]")
	f.Add("{\"may\": \"update\", \"drafts\": [{\"type\": \"task\", \"newer_by\": \"A\", \"both\": \"newer\", \"fields\": " +
		"{\"due_on\": {\"from\": [\"A\"], \"date_order\": \"day_first\", \"values\": {\"x\": \"\"}}}}]}")
	f.Add("drafts: [{}]")
	c, err := catalog.Standard()
	if err != nil {
		f.Fatal(err)
	}
	cols := columns("A", "B", "C")
	rows := [][]string{{"Kari", "1.250,00 €", "Tern"}, {"", "", ""}, {"(clear)", "03/04/2026", "\xff"}, {"a,b,c"}}
	f.Fuzz(func(t *testing.T, document string) {
		r, err := ReadRoutine([]byte(document))
		if err != nil {
			return
		}
		p, err := NewPlan(r, c, cols)
		if err != nil {
			if _, ok := fault.From(err); !ok {
				t.Fatalf("no fault: %v", err)
			}
			return
		}
		p.Begin()
		var typed Typed
		for n, cells := range rows {
			for _, dp := range p.Drafts {
				dp.Apply(sheet.Row{Number: int64(n + 2), Cells: cells}, &typed)
				if len(typed.Values) != len(dp.Fields) && !typed.Empty && !typed.LeftOut && len(typed.Problems) == 0 {
					t.Fatalf("%d values for %d fields", len(typed.Values), len(dp.Fields))
				}
			}
		}
		b, err := WriteRoutine(r)
		if err != nil {
			t.Fatal(err)
		}
		back, err := ReadRoutine(b)
		if err != nil {
			t.Fatalf("what is written is refused: %v\n%s", err, b)
		}
		if again, _ := WriteRoutine(back); string(again) != string(b) {
			t.Fatalf("it comes back otherwise:\n%s\n%s", b, again)
		}
	})
}

// What is fixed, and what a word is said to mean, is a value of the field; a choice that is no longer offered is one,
// and nothing stands for a blank.
func TestValuesOfTheField(t *testing.T) {
	c := standard(t)
	opportunity, _ := c.Type("opportunity")
	for _, x := range []struct {
		field string
		o     Origin
		want  string // where it is wrong, empty where it is not
	}{
		{"stage", Origin{Fixed: "Scoped"}, ""},
		{"stage", Origin{Fixed: "thought of"}, "drafts[0].fields.stage.fixed"},
		{"stage", Origin{From: []string{"Deal"}, Values: map[string]string{"Neu": "identified", "Weg": ""}}, ""},
		{"stage", Origin{From: []string{"Deal"}, Values: map[string]string{"Neu": "identified", "Weg": "gone"}},
			"drafts[0].fields.stage.values.Weg"},
		{"currency", Origin{Fixed: "Taler"}, "drafts[0].fields.currency.fixed"},
		{"title", Origin{From: []string{"Deal"}, Values: map[string]string{"Neu": "whatever"}}, ""},
		{"currency", Origin{From: []string{"Deal"}, Values: map[string]string{"none": DefaultClearMarker}}, ""},
	} {
		r := deal()
		r.Drafts[0].Fields[x.field] = x.o
		err := r.Check(c, []string{"Deal", "Name", "Company", "Country"})
		if f, _ := fault.From(err); (err == nil) != (x.want == "") || err != nil && (f.Code != "not_a_value" || f.Place.Path != x.want) {
			t.Errorf("%s %+v: got %v, want %q", x.field, x.o, err, x.want)
		}
	}
	stage, _ := opportunity.Field("stage")
	stage.Choices[0].Closed = true
	if err := (Origin{Fixed: "identified"}).checkValues(stage, DefaultClearMarker, ""); err != nil {
		t.Error(err)
	}
	if !stage.Choices[0].Closed {
		t.Error("the choice was opened")
	}
}
