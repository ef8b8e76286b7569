package mapping

import (
	"maps"
	"slices"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
)

func standard(t *testing.T) catalog.Catalog {
	t.Helper()
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func columns(headers ...string) []sheet.Column {
	var cols []sheet.Column
	for i, h := range headers {
		cols = append(cols, sheet.Column{Position: i, Header: h})
	}
	return cols
}

func routine(typeName string, fields map[string]Origin) Routine {
	return Routine{May: CreateOrUpdate, Drafts: []Draft{{Type: typeName, Fields: fields}}}
}

func from(headers ...string) Origin { return Origin{From: headers} }

func TestSuggest(t *testing.T) {
	c := standard(t)
	for typeName, pairs := range map[string]map[string]string{
		"contact": {"First name": "given_name", "SURNAME*": "family_name", "E-Mail-Adresse": "email", "Téléphone": "phone", "Firma": "account", "PLZ": "postal_code", "Geburtsdatum": "birthday", "CON id": "", "Contact ID": "id", "Shoe size": "", "job_title": "job_title", "Anrede": "honorific"},
		"account": {"Company": "name", "Kunden-Nr": "source_ref", "Web": "website", "Group": "parent", "Rep": "owner", "Staff count": "employees", "Turnover": ""},
		"lead":    {"Nachname": "family_name", "Empresa": "company", "Came from": "origin", "Met on": "met_on", "Notes": "description"},
	} {
		rt, _ := c.Type(typeName)
		var headers []string
		for h := range maps.Keys(pairs) {
			headers = append(headers, h)
		}
		slices.Sort(headers)
		got := map[string]string{}
		for _, s := range Suggest(rt, columns(headers...)) {
			got[s.Column] = s.Field
			if !s.Taken || s.Reason == "" {
				t.Errorf("%s %q: %+v, want it taken with a reason", typeName, s.Column, s)
			}
		}
		for h, want := range pairs {
			if got[h] != want {
				t.Errorf("%s %q: got %q, want %q", typeName, h, got[h], want)
			}
		}
	}
}

func TestNoFieldTwice(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	s := Suggest(contact, columns("Mail", "E-mail", "email", "Telephone", "Tel"))
	got := map[string]string{}
	for _, x := range s {
		if other, twice := got[x.Field]; twice {
			t.Errorf("%s is given to %q and %q", x.Field, other, x.Column)
		}
		got[x.Field] = x.Column
	}
	if got["email"] != "email" {
		t.Errorf("the field's own name loses to %q", got["email"])
	}
}

// A header that lies is not taken without asking.
func TestValuesContradict(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	cols := columns("E-mail")
	cols[0].Filled, cols[0].Guess, cols[0].Share = 100, "phone", 1
	if s := Suggest(contact, cols); len(s) != 1 || s[0].Taken {
		t.Errorf("%+v", s)
	}
}

func TestSuggestType(t *testing.T) {
	c := standard(t)
	for want, headers := range map[string][]string{
		"contact":     {"First name", "Surname", "E-mail", "Date of birth", "Company"},
		"account":     {"Company", "Website", "Industry", "Employees", "Registration number"},
		"opportunity": {"Deal", "Stage", "Amount", "Close date", "Account"},
		"line":        {"Opportunity", "Product", "Quantity", "Unit price"},
		"task":        {"Subject", "Due date", "Done"},
	} {
		if got := SuggestType(c, columns(headers...)); got[0].Type != want || got[0].Reason == "" {
			t.Errorf("%v: %+v, want %s", headers, got[0], want)
		}
	}
}

func TestRoutineCheck(t *testing.T) {
	c := standard(t)
	cols := []string{"Mail", "Name"}
	good := routine("contact", map[string]Origin{"email": from("Mail"), "family_name": from("Name")})
	if err := good.Check(c, cols); err != nil {
		t.Fatal(err)
	}
	for code, r := range map[string]Routine{
		"unknown_may":         {May: "destroy", Drafts: good.Drafts},
		"drafts_missing":      {May: Create},
		"unknown_record_type": routine("boat", nil),
		"unknown_field":       routine("contact", map[string]Origin{"shoe_size": from("Mail")}),
		"unknown_column":      routine("contact", map[string]Origin{"email": from("Post")}),
		"origin_missing":      routine("contact", map[string]Origin{"email": {}}),
		"origin_twice":        routine("contact", map[string]Origin{"email": {From: []string{"Mail"}, Fixed: "x"}}),
		"rule_not_selective":  {May: Create, Drafts: []Draft{{Type: "contact", Match: []catalog.MatchRule{{Fields: []string{"street"}}}}}},
	} {
		if err := r.Check(c, cols); !fault.Is(err, code) {
			t.Errorf("%+v: %v, want %s", r, err, code)
		}
	}
	if got := good.Unplaced([]string{"Mail", "Extra", "Name"}); !slices.Equal(got, []string{"Extra"}) {
		t.Errorf("unplaced: %q", got)
	}
}

func TestApply(t *testing.T) {
	c := standard(t)
	cols := columns("Id", "First", "Last", "Mail", "Tel", "Land", "Born", "Says")
	cols[6].DateOrder = "day_first"
	r := routine("contact", map[string]Origin{
		"id": from("Id"), "given_name": from("First"), "family_name": from("Last"), "email": from("Mail"), "phone": from("Tel"), "country": {From: []string{"Land"}, Otherwise: "NO", Values: map[string]string{"Sth Korea (new)": "KR"}},
		"birthday": from("Born"), "description": {From: []string{"Says", "Land"}, Join: " / "}, "language": {Fixed: "nb"},
	})
	p, err := NewPlan(r, c, cols)
	if err != nil {
		t.Fatal(err)
	}
	d := p.Drafts[0]
	value := func(typed Typed, name string) string {
		for i, fp := range d.Fields {
			if fp.Field.Name == name {
				return typed.Values[i]
			}
		}
		return "?"
	}
	var typed Typed
	d.Apply(sheet.Row{Number: 2, Cells: []string{"CON-7", "Åse", " Øksnes ", "A@B.example", "55112233", "", "03/04/1990", "hello"}}, &typed)
	if typed.ID != 7 || len(typed.Problems) != 0 {
		t.Fatalf("id %d, problems %+v", typed.ID, typed.Problems)
	}
	for name, want := range map[string]string{"given_name": "Åse", "family_name": "Øksnes", "email": "A@b.example", "phone": "+4755112233", "country": "NO", "birthday": "1990-04-03", "description": "hello", "language": "nb"} {
		if got := value(typed, name); got != want {
			t.Errorf("%s: %q, want %q", name, got, want)
		}
	}
	d.Apply(sheet.Row{Number: 3, Cells: []string{"ACC-7", "", "", "nobody", "12", "sth korea (NEW)", "31/02/1990"}}, &typed)
	var codes []problem.Code
	for _, x := range typed.Problems {
		codes = append(codes, x.Code)
		if x.Column == "" || x.Value == "" || x.Field == "" {
			t.Errorf("a problem without its place: %+v", x)
		}
	}
	slices.Sort(codes)
	if want := []problem.Code{problem.BadDate, problem.BadEmail, problem.BadPhone, problem.BadRecordID}; !slices.Equal(codes, want) {
		t.Errorf("problems %v, want %v", codes, want)
	}
	if value(typed, "country") != "KR" {
		t.Errorf("the value list is not used: %q", value(typed, "country"))
	}
	if _, ragged := p.Ragged(sheet.Row{Cells: make([]string, 12)}); ragged {
		t.Error("blank cells beyond the header are not ragged")
	}
	if _, ragged := p.Ragged(sheet.Row{Cells: append(make([]string, 8), "x")}); !ragged {
		t.Error("a filled cell beyond the header is ragged")
	}
}

// Only rules whose fields are mapped are used.
func TestRulesInUse(t *testing.T) {
	c := standard(t)
	p, err := NewPlan(routine("contact", map[string]Origin{"email": from("Mail")}), c, columns("Mail"))
	if err != nil {
		t.Fatal(err)
	}
	if got := p.Drafts[0].Rules; len(got) != 1 || got[0].Fields[0] != "email" {
		t.Errorf("%+v", got)
	}
}
