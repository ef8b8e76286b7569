package mapping

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
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
		"rule_not_selective": {May: Create,
			Drafts: []Draft{{Type: "contact", Match: []catalog.MatchRule{{Alike: []string{"country"}}}}}},
	} {
		if err := r.Check(c, cols); !fault.Is(err, code) {
			t.Errorf("%+v: %v, want %s", r, err, code)
		}
	}
	if got := good.Unplaced([]string{"Mail", "Extra", "Name"}); !slices.Equal(got, []string{"Extra"}) {
		t.Errorf("unplaced: %q", got)
	}
	computed := good
	computed.Drafts = []Draft{{Type: "contact", Fields: map[string]Origin{"job_title": {Compute: `cells["Extra"].title()`}}}}
	if got := computed.Unplaced([]string{"Extra", "Name"}); !slices.Equal(got, []string{"Name"}) {
		t.Errorf("beside what is computed %v are left", got)
	}
}

// A name whose halves seem turned is held, unless such names are taken as they stand or the
// rows come from records.
func TestNamesThatSeemTurned(t *testing.T) {
	c := standard(t)
	whole := func(take Take) Origin { return Origin{From: []string{"Name"}, Take: take} }
	for name, x := range map[string]struct {
		fields   map[string]Origin
		doubtful Doubtful
		cells    []string
		held     bool
	}{
		"two columns": {map[string]Origin{"given_name": from("First"), "family_name": from("Last")}, "",
			[]string{"", "", "Kowalska", "Agnieszka"}, true},
		"as usual": {map[string]Origin{"given_name": from("First"), "family_name": from("Last")}, "",
			[]string{"", "", "Agnieszka", "Kowalska"}, false},
		"both may be": {map[string]Origin{"given_name": from("First"), "family_name": from("Last")}, "",
			[]string{"", "", "Thomas", "Henry"}, false},
		"one column": {map[string]Origin{"given_name": whole(TakeGivenName), "family_name": whole(TakeFamilyName)},
			"", []string{"", "Kowalska Agnieszka"}, true},
		"with a comma": {map[string]Origin{"given_name": whole(TakeGivenName), "family_name": whole(TakeFamilyName)},
			"", []string{"", "Kowalska, Agnieszka"}, false},
		"family first": {map[string]Origin{"given_name": whole(TakeGivenLast), "family_name": whole(TakeFamilyFirst)},
			"", []string{"", "Agnieszka Kowalska"}, true},
		"taken": {map[string]Origin{"given_name": from("First"), "family_name": from("Last")}, TakeRows,
			[]string{"", "", "Kowalska", "Agnieszka"}, false},
		"from records": {map[string]Origin{"id": from("Id"), "given_name": from("First"), "family_name": from("Last")},
			"", []string{"CON-7", "", "Kowalska", "Agnieszka"}, false},
		"by the mailbox": {map[string]Origin{"given_name": from("First"), "family_name": from("Last"),
			"email": from("Name")}, "", []string{"", "kowalska@quay.example", "Kowalska", "Runa"}, true},
		"a rare given name": {map[string]Origin{"given_name": from("First"), "family_name": from("Last"),
			"email": from("Name")}, "", []string{"", "els@quay.example", "Els", "Wouters"}, false},
		"of the mailbox": {map[string]Origin{"given_name": from("First"), "family_name": from("Last"),
			"email": from("Name")}, "", []string{"", "runa@quay.example", "Runa", "Kowalska"}, false},
		"without the half": {map[string]Origin{"given_name": from("First"), "family_name": from("Last")}, "",
			[]string{"", "", "", "Agnieszka"}, false},
	} {
		r := routine("contact", x.fields)
		r.Drafts[0].Doubtful = x.doubtful
		p, err := NewPlan(r, c, columns("Id", "Name", "First", "Last"))
		if err != nil {
			t.Fatal(err)
		}
		var typed Typed
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: x.cells}, &typed)
		held := slices.ContainsFunc(typed.Problems, func(p problem.Problem) bool {
			return p.Code == problem.NameOrder && p.Field == "family_name" && p.Column != "" && p.Value != "" && p.Detail != ""
		})
		if held != x.held || len(typed.Problems) > 1 {
			t.Errorf("%s: held is %v: %+v", name, held, typed.Problems)
		}
	}
}

// A cell for whole names that names two people, or has a given name alone, is held.
func TestWholeNamesThatAreNone(t *testing.T) {
	c := standard(t)
	fields := map[string]Origin{"given_name": {From: []string{"Name"}, Take: TakeGivenName},
		"family_name": {From: []string{"Name"}, Take: TakeFamilyName}}
	p, err := NewPlan(routine("contact", fields), c, columns("Name"))
	if err != nil {
		t.Fatal(err)
	}
	for cell, want := range map[string]string{
		"Ingrid Solberg": "Ingrid Solberg ", "Solberg, Ingrid": "Ingrid Solberg ", "Lefebvre": " Lefebvre ",
		"Thomas": " Thomas ",
		"Ingrid": "Ingrid  required_missing", "Jean-Luc": "Jean-Luc  required_missing",
		"Ingrid Solberg, Ole Hansen": "  several_values",
	} {
		var typed Typed
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{cell}}, &typed)
		var got []string
		for _, name := range []string{"given_name", "family_name"} {
			at := slices.IndexFunc(p.Drafts[0].Fields, func(fp FieldPlan) bool { return fp.Field.Name == name })
			got = append(got, typed.Values[at])
		}
		code := ""
		for _, x := range typed.Problems {
			code += string(x.Code)
		}
		if got := strings.Join(append(got, code), " "); got != want {
			t.Errorf("%s: %q, want %q", cell, got, want)
		}
	}
}

// What stands with a town is lost nowhere: the country goes to its field where the row's own cell for
// it is blank, and stays where it stands where the draft has no field for it.
func TestCountriesWithTowns(t *testing.T) {
	c := standard(t)
	code, town := Origin{From: []string{"Place"}, Take: TakePostalCode}, Origin{From: []string{"Place"}, Take: TakeTown}
	for _, x := range []struct {
		fields             map[string]Origin
		place, land, wants string
	}{
		{map[string]Origin{"postal_code": code, "locality": town, "country": {From: []string{"Land"}}}, "D-24159 Kiel", "",
			"24159 Kiel DE"},
		{map[string]Origin{"postal_code": code, "locality": town, "country": {From: []string{"Land"}}}, "D-24159 Kiel",
			"Denmark", "24159 Kiel DK"},
		{map[string]Origin{"postal_code": code, "locality": town, "country": {From: []string{"Land"}}},
			"10115 Berlin, Deutschland", "", "10115 Berlin DE"},
		{map[string]Origin{"postal_code": code, "locality": town, "country": {From: []string{"Land"}}}, "Kiel", "", " Kiel "},
		{map[string]Origin{"postal_code": code, "locality": town, "country": {From: []string{"Place"}, Take: TakeCountry}},
			"NL-1012 AB Amsterdam", "", "1012 AB Amsterdam NL"},
		{map[string]Origin{"postal_code": code, "locality": town}, "D-24159 Kiel", "", "D-24159 Kiel "},
		{map[string]Origin{"postal_code": code, "locality": town}, "10115 Berlin, Deutschland", "",
			"10115 Berlin, Deutschland "},
	} {
		x.fields["family_name"] = Origin{From: []string{"Name"}}
		p, err := NewPlan(routine("contact", x.fields), c, columns("Name", "Place", "Land"))
		if err != nil {
			t.Fatal(err)
		}
		var typed Typed
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{"Berg", x.place, x.land}}, &typed)
		var got [3]string
		for i, fp := range p.Drafts[0].Fields {
			if at := slices.Index([]string{"postal_code", "locality", "country"}, fp.Field.Name); at >= 0 {
				got[at] = typed.Values[i]
			}
		}
		if said := strings.Join(got[:], " "); said != x.wants {
			t.Errorf("%s, %s: %q, want %q", x.place, x.land, said, x.wants)
		}
	}
}

// A number that names no country is of that of another number of the row, where it is written as it
// is dialled there: before what the source is of, and before the company.
func TestNumbersBesideEachOther(t *testing.T) {
	c := standard(t)
	fields := map[string]Origin{"family_name": {From: []string{"Name"}}, "phone": {From: []string{"Phone"}},
		"mobile": {From: []string{"Mobile"}}, "country": {From: []string{"Country"}}}
	for _, x := range []struct{ source, phone, mobile, country, want string }{
		{"", "+49 (0) 30 2312 5745", "(0176) 2008 1111", "", "+4917620081111"},
		{"NO", "+49 (0) 30 2312 5745", "0176 2008 1111", "", "+4917620081111"},
		{"NO", "+46 8 123 456 78", "912 34 567", "", "+4791234567"}, // written as in Norway
		{"", "030 2312 5745", "0176 2008 1111", "", "bad_phone"},
		{"", "+49 30 23125745", "0664 123 4567", "AT", "+436641234567"},
		{"", "+47 22 00 00 00", "912 34 567", "", "+4791234567"},
	} {
		r := routine("contact", fields)
		r.Reading.Country = x.source
		p, err := NewPlan(r, c, columns("Name", "Phone", "Mobile", "Country"))
		if err != nil {
			t.Fatal(err)
		}
		var typed Typed
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{"Berg", x.phone, x.mobile, x.country}}, &typed)
		at := slices.IndexFunc(p.Drafts[0].Fields, func(fp FieldPlan) bool { return fp.Field.Name == "mobile" })
		got := typed.Values[at]
		if got == "" {
			got = string(typed.Problems[len(typed.Problems)-1].Code)
		}
		if got != x.want {
			t.Errorf("%+v: %q %v", x, got, typed.Problems)
		}
		if of := p.Drafts[0].PhoneOf(at, []string{"Berg", x.phone, x.mobile, x.country}, "AT", false); x.country == "" &&
			x.source == "" && x.want != "bad_phone" && of != "" {
			t.Errorf("%+v: the company's country goes before: %s", x, of)
		}
	}
}

// Under a header that denies, yes is read as no, unless somebody says otherwise; what a word was
// said to mean is not turned.
func TestOppositeHeaders(t *testing.T) {
	c := standard(t)
	for _, x := range []struct {
		header     string
		sense      value.Sense
		cell, want string
	}{
		{"Opted out", "", "yes", "false"}, {"Opted out", "", "no", "true"}, {"Opted out", "", "partly", "true"},
		{"Opted out", "", "", ""},
		{"Opted out", value.SameSense, "yes", "true"}, {"Newsletter", "", "yes", "true"},
		{"Newsletter", value.OppositeSense, "yes", "false"},
	} {
		p, err := NewPlan(routine("contact", map[string]Origin{"family_name": from("Last"),
			"email_consent": {From: []string{x.header}, Sense: x.sense, Values: map[string]string{"partly": "yes"}}}),
			c, columns("Last", x.header))
		if err != nil {
			t.Fatal(err)
		}
		var typed Typed
		p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{"Kade", x.cell}}, &typed)
		at := slices.IndexFunc(p.Drafts[0].Fields, func(fp FieldPlan) bool { return fp.Field.Name == "email_consent" })
		if got := typed.Values[at]; got != x.want || len(typed.Problems) > 0 {
			t.Errorf("%s (%s), %q: %q, want %q %v", x.header, x.sense, x.cell, got, x.want, typed.Problems)
		}
	}
}

// A row with one cell alone, where rows fill most columns, may be a heading.
func TestRowsOfOneCell(t *testing.T) {
	c := standard(t)
	cols := columns("First", "Last", "Mail", "Tel")
	for n := range cols {
		cols[n].Filled, cols[n].Blank = 18, 2
	}
	r := routine("contact", map[string]Origin{"given_name": from("First"), "family_name": from("Last")})
	for asides, want := range map[string]bool{"": true, "leave_out": true, sheet.ReadAsides: false} {
		r.Reading.Asides = asides
		p, err := NewPlan(r, c, cols)
		if err != nil {
			t.Fatal(err)
		}
		trouble, held := p.Misfit(sheet.Row{Cells: []string{"Norway", "", " "}})
		if held != want || held && (trouble.Code != problem.LoneCell || trouble.Value != "Norway" ||
			trouble.Column != "First") {
			t.Errorf("%q: %v %+v", asides, held, trouble)
		}
		if _, held := p.Misfit(sheet.Row{Cells: []string{"Ada", "Kade"}}); held {
			t.Error("a row with two cells is held")
		}
	}
}

func TestApply(t *testing.T) {
	c := standard(t)
	cols := columns("Id", "First", "Last", "Mail", "Tel", "Land", "Born", "Says")
	cols[6].DateOrder = "day_first"
	r := routine("contact", map[string]Origin{
		"id": from("Id"), "given_name": from("First"), "family_name": from("Last"), "email": from("Mail"),
		"phone": from("Tel"), "country": {From: []string{"Land"}, Otherwise: "NO",
			Values: map[string]string{"Sth Korea (new)": "KR"}},
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
	d.Apply(sheet.Row{Number: 2, Cells: []string{"CON-7", "Åse", " Øksnes ", "A@B.example", "55112233", "",
		"03/04/1990", "hello"}}, &typed)
	if typed.ID != 7 || len(typed.Problems) != 0 {
		t.Fatalf("id %d, problems %+v", typed.ID, typed.Problems)
	}
	for name, want := range map[string]string{"given_name": "Åse", "family_name": "Øksnes", "email": "A@b.example",
		"phone": "+4755112233", "country": "NO", "birthday": "1990-04-03", "description": "hello", "language": "nb"} {
		if got := value(typed, name); got != want {
			t.Errorf("%s: %q, want %q", name, got, want)
		}
	}
	d.Apply(sheet.Row{Number: 3, Cells: []string{"ACC-7", "", "", "nobody", "12", "sth korea (NEW)", "31/02/1990"}},
		&typed)
	var codes []problem.Code
	for _, x := range typed.Problems {
		codes = append(codes, x.Code)
		if x.Column == "" || x.Value == "" || x.Field == "" {
			t.Errorf("a problem without its place: %+v", x)
		}
	}
	slices.Sort(codes)
	if want := []problem.Code{problem.BadDate, problem.BadEmail, problem.BadPhone,
		problem.BadRecordID}; !slices.Equal(codes, want) {
		t.Errorf("problems %v, want %v", codes, want)
	}
	if value(typed, "country") != "KR" {
		t.Errorf("the value list is not used: %q", value(typed, "country"))
	}
	if _, ragged := p.Misfit(sheet.Row{Cells: make([]string, 12)}); ragged {
		t.Error("blank cells beyond the header are not ragged")
	}
	if _, ragged := p.Misfit(sheet.Row{Cells: append(make([]string, 8), "x")}); !ragged {
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
	if got := p.Drafts[0].Rules; len(got) != 1 || !slices.Equal(got[0].Alike, []string{"email"}) {
		t.Errorf("%+v", got)
	}
}

func TestComputeAndWhere(t *testing.T) {
	c := standard(t)
	cols := columns("First", "Last", "Code", "Full")
	r := routine("contact", map[string]Origin{
		"given_name":  {Compute: `cells["First"].title()`},
		"family_name": {From: []string{"Full"}, Take: TakeFamilyName},
		"source_ref":  {Compute: `"K-" + cells["Code"].digits()`},
		"description": {Compute: `fields["given_name"] == "" ? "" : "Dear " + fields["given_name"]`, Otherwise: "nobody"},
	})
	r.Drafts[0].Where = `!cells["Last"].startsWith("x")`
	p, err := NewPlan(r, c, cols)
	if err != nil {
		t.Fatal(err)
	}
	var typed Typed
	p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{"åSE mari", "b", "no. 17", "Åse van der Kade"}}, &typed)
	if want := []string{"Åse Mari", "van der Kade", "K-17", "Dear Åse Mari"}; !slices.Equal(typed.Values, want) ||
		typed.LeftOut {
		t.Errorf("%q, %+v, want %q", typed.Values, typed.Problems, want)
	}
	p.Drafts[0].Apply(sheet.Row{Number: 3, Cells: []string{"", "xb", "1", ""}}, &typed)
	if !typed.LeftOut {
		t.Error("the condition leaves nothing out")
	}
	p.Drafts[0].Apply(sheet.Row{Number: 4, Cells: []string{"", "b", "1", "Berg"}}, &typed)
	if typed.Values[3] != "nobody" && !slices.ContainsFunc(typed.Problems,
		func(x problem.Problem) bool { return x.Code == problem.ComputeFailed }) {
		t.Errorf("otherwise is not used: %q %+v", typed.Values, typed.Problems)
	}
	for path, bad := range map[string]func(*Draft){
		"drafts[0].where":                     func(d *Draft) { d.Where = `cells["Last"]` },
		"drafts[0].fields.given_name.compute": func(d *Draft) { d.Fields["given_name"] = Origin{Compute: `cells["Nowhere"]`} },
	} {
		r := routine("contact", maps.Clone(r.Drafts[0].Fields))
		bad(&r.Drafts[0])
		_, err := NewPlan(r, c, cols)
		if f, ok := fault.From(err); !ok || f.Code != "bad_expression" || f.Place.Path != path {
			t.Errorf("%s: %v", path, err)
		}
	}
}

// A routine comes back from YAML and JSON as it was; a slip is said with its line.
func TestRoutineDocument(t *testing.T) {
	r := routine("contact", map[string]Origin{"email": from("Mail"), "country": {Fixed: "NO"},
		"family_name": {From: []string{"Name"}, Take: TakeFamilyName, Values: map[string]string{"x": "y"}}})
	r.Reading.DateOrder, r.Ignored = "day_first", []string{"Boat"}
	b, err := WriteRoutine(r)
	if err != nil {
		t.Fatal(err)
	}
	again, err := ReadRoutine(b)
	if err != nil || fmt.Sprint(again) != fmt.Sprint(r) {
		t.Errorf("%v\n%+v\n%+v", err, again, r)
	}
	if _, err := ReadRoutine([]byte(`{"may": "create", "drafts": [{"type": "contact", "fields": {"email": {"from": ["Mail"]}}}]}`)); err != nil {
		t.Errorf("JSON: %v", err)
	}
	_, err = ReadRoutine([]byte("may: create\ndrafts:\n- type: contact\n  feilds: {}\n"))
	if f, ok := fault.From(err); !ok || !strings.Contains(f.Message, "line 4") ||
		!strings.Contains(f.Message, "feilds") || strings.Contains(f.Message, "mapping") {
		t.Errorf("a slip: %v", err)
	}
	if kept, ok := r.Fitted([]string{"Mail"}); !ok || len(kept.Drafts[0].Fields) != 2 {
		t.Errorf("fitted: %+v", kept.Drafts)
	}
}

// Notes gather cells behind their headers, cells are parted and cut, and the
// marker empties a value.
func TestPartsOfCells(t *testing.T) {
	c := standard(t)
	cols := columns("Full", "Seen", "By", "Nr", "Mail")
	r := routine("contact", map[string]Origin{
		"family_name": {From: []string{"Full"}, Split: ",", Part: 1},
		"given_name":  {From: []string{"Full"}, Split: ",", Part: -1},
		"description": {From: []string{"Seen", "By"}, Labelled: true, Both: Add},
		"job_title":   {From: []string{"Seen"}, Cut: 5},
		"source_ref":  {From: []string{"Nr"}, Split: "/", Part: 3, Otherwise: "none"},
		"email":       from("Mail"),
	})
	p, err := NewPlan(r, c, cols)
	if err != nil {
		t.Fatal(err)
	}
	d := p.Drafts[0]
	var typed Typed
	d.Apply(sheet.Row{Number: 2, Cells: []string{"Øksnes , Åse", "at the fair", "Ola", "K/7", " (CLEAR) "}}, &typed)
	got := map[string]string{}
	for i, fp := range d.Fields {
		got[fp.Field.Name] = typed.Values[i]
	}
	if got["family_name"] != "Øksnes" || got["given_name"] != "Åse" || got["description"] != "Seen: at the fair\n"+
		"By: Ola" || got["job_title"] != "at th" || got["source_ref"] != "none" ||
		!slices.Equal(typed.Cleared, []string{"email"}) {
		t.Errorf("%q, cleared %v", got, typed.Cleared)
	}
	for code, o := range map[string]Origin{"part_missing": {From: []string{"Full"}, Split: ","},
		"bad_cut": {From: []string{"Full"}, Cut: -1}, "cannot_add": {From: []string{"Full"}, Both: Add}} {
		if err := routine("contact", map[string]Origin{"family_name": o}).Check(c, nil); !fault.Is(err, code) {
			t.Errorf("%+v: %v, want %s", o, err, code)
		}
	}
}
