package mapping

import (
	"errors"
	"reflect"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
)

// A town that is taken out of a cell keeps the state and the country beside it where the draft
// has no field for them.
func TestTownsKeepWhatNobodyTakes(t *testing.T) {
	c := standard(t)
	take := func(take Take) Origin { return Origin{From: []string{"Place"}, Take: take} }
	for _, x := range []struct {
		fields     map[string]Origin
		cell, want string
	}{
		{map[string]Origin{"locality": take(TakeTown)}, "Baltimore, MD 21202", "Baltimore, MD"},
		{map[string]Origin{"locality": take(TakeTown), "postal_code": take(TakePostalCode)}, "Portland ME 04101",
			"Portland, ME"},
		{map[string]Origin{"locality": take(TakeTown), "region": take(TakeRegion)}, "Baltimore, MD 21202", "Baltimore"},
		{map[string]Origin{"locality": take(TakeTown), "region": from("State")}, "Baltimore, MD 21202", "Baltimore"},
		{map[string]Origin{"locality": take(TakeTown), "region": take(TakeRegion)}, "8010 Graz, Austria", "Graz, Austria"},
		{map[string]Origin{"locality": take(TakeTown), "country": take(TakeCountry)}, "8010 Graz, Austria", "Graz"},
		{map[string]Origin{"locality": take(TakeAddressTown), "street": take(TakeAddressStreet)},
			"12 Pier St, Baltimore, MD 21202", "Baltimore, MD"},
		{map[string]Origin{"locality": take(TakeTown)}, "Baltimore, MD", "Baltimore, MD"},
		{map[string]Origin{"locality": take(TakeTown), "region": take(TakeRegion)}, "Savona (SV)", "Savona"},
		{map[string]Origin{"locality": take(TakeTown), "region": take(TakeRegion)}, "Manaus - AM", "Manaus"},
		{map[string]Origin{"locality": take(TakeTown), "region": take(TakeRegion)}, "Stratford-upon-Avon", "Stratford-upon-Avon"},
	} {
		x.fields["family_name"] = from("Name")
		plan, err := NewPlan(routine("contact", x.fields), c, []sheet.Column{{Header: "Name"}, {Header: "Place"},
			{Header: "State"}})
		if err != nil {
			t.Fatal(err)
		}
		var typed Typed
		plan.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{"Kade", x.cell, "MD"}}, &typed)
		for n, fp := range plan.Drafts[0].Fields {
			if fp.Field.Name == "locality" && typed.Values[n] != x.want {
				t.Errorf("%v of %q: %q, want %q", x.fields, x.cell, typed.Values[n], x.want)
			}
		}
	}
}

// What a link names and is not there gets a draft: its name, the place of the row, what both
// belong to; words that mean a record by its id still do.
func TestCreating(t *testing.T) {
	c := standard(t)
	person := routine("contact", map[string]Origin{
		"family_name": from("Name"), "country": from("Land"), "locality": {From: []string{"Ort"}, Take: TakeTown,
			Both: Keep}, "phone": from("Tel"),
		"account": {From: []string{"Firma"}, Unreadable: CreateMissing, Values: map[string]string{"Kai": "ACC-7",
			"Quay": "Quay Marina"}},
	})
	person.Drafts[0].Where = `cells["Name"] != ""`
	got, err := person.Creating(c, nil)
	if err != nil {
		t.Fatal(err)
	}
	want := Draft{Type: "account", May: Create, ByName: true, Where: person.Drafts[0].Where, Fields: map[string]Origin{
		"id":      {Compute: `cells["Firma"] == "Kai" ? "ACC-7" : ""`},
		"name":    {From: []string{"Firma"}, Values: map[string]string{"Quay": "Quay Marina"}},
		"country": from("Land"), "locality": {From: []string{"Ort"}, Take: TakeTown},
	}}
	if len(got.Drafts) != 2 || !reflect.DeepEqual(got.Drafts[1], want) {
		t.Errorf("got %+v\nwant %+v", got.Drafts[1:], want)
	}
	if o := got.Drafts[0].Fields["account"]; !reflect.DeepEqual(o, Origin{Draft: "account"}) {
		t.Errorf("the link is %+v", o)
	}
	if again, err := got.Creating(c, nil); err != nil || !again.SameDrafts(got) {
		t.Errorf("twice: %v, %v", again, err)
	}
	if err := got.Check(c, []string{"Name", "Land", "Ort", "Tel", "Firma"}); err != nil {
		t.Error(err)
	}
	if person.Drafts[0].Fields["account"].Draft != "" {
		t.Error("the routine itself was changed")
	}

	deal := routine("opportunity", map[string]Origin{"title": from("Deal"), "account": from("Firm"),
		"contact": {From: []string{"Who"}, Unreadable: CreateMissing}})
	if got, err = deal.Creating(c, nil); err != nil {
		t.Fatal(err)
	}
	if f := got.Drafts[1].Fields; f["given_name"].Take != TakeGivenName || f["family_name"].Take != TakeFamilyName ||
		!reflect.DeepEqual(f["account"], from("Firm")) {
		t.Errorf("the person is %+v", f)
	}

	parent := routine("account", map[string]Origin{"name": from("Name"), "country": from("Land"),
		"parent": {From: []string{"Group"}, Unreadable: CreateMissing}})
	if got, err = parent.Creating(c, nil); err != nil || got.Drafts[1].Name != "parent" || len(got.Drafts[1].Fields) != 1 {
		t.Errorf("the group is %+v, %v", got.Drafts[1:], err)
	}
}

// What is no name makes no record, wherever it stands in the column.
func TestNumbersAreNoNames(t *testing.T) {
	c := standard(t)
	r, err := routine("contact", map[string]Origin{"family_name": from("Name"),
		"account": {From: []string{"Firma"}, Unreadable: CreateMissing}}).Creating(c, nil)
	if err != nil {
		t.Fatal(err)
	}
	p, err := NewPlan(r, c, columns("Name", "Firma"))
	if err != nil {
		t.Fatal(err)
	}
	for text, want := range map[string]bool{"4001": true, "K-17": true, "LQ-0001": true, "ACC-3": true,
		"a@b.example": true, "Quay 4": false, "B4 Marine": false, "3M": false, "Kai": false, "Pier 39 Charter": false} {
		var typed Typed
		p.Drafts[1].Apply(sheet.Row{Number: 2, Cells: []string{"Berg", text}}, &typed)
		if got := len(typed.Problems) == 1 && typed.Problems[0].Code == problem.LinkNotFound; got != want {
			t.Errorf("%q: %v", text, typed.Problems)
		}
	}
}

func TestCreatingRefused(t *testing.T) {
	c := standard(t)
	numbers := []sheet.Column{{Header: "Firma", Samples: []string{"Quay", "Kai Marina", "4001"}}}
	for name, r := range map[string]Routine{
		"a text": routine("contact",
			map[string]Origin{"family_name": {From: []string{"Name"}, Unreadable: CreateMissing}}),
		"staff":   routine("contact", map[string]Origin{"owner": {From: []string{"Rep"}, Unreadable: CreateMissing}}),
		"numbers": routine("contact", map[string]Origin{"account": {From: []string{"Firma"}, Unreadable: CreateMissing}}),
		"a look-up": routine("contact",
			map[string]Origin{"account": {Find: map[string]Origin{"name": from("Name")}, Unreadable: CreateMissing}}),
		"one value": routine("contact", map[string]Origin{"account": {Fixed: "Quay", Unreadable: CreateMissing}}),
		"no lead": {May: Update, Drafts: []Draft{{Type: "contact",
			Fields: map[string]Origin{"account": {From: []string{"Name"}, Unreadable: CreateMissing}}}}},
		"everything": {May: CreateOrUpdate,
			Drafts: []Draft{{Type: "contact", Unreadable: CreateMissing,
				Fields: map[string]Origin{"family_name": from("Name")}}}},
	} {
		var f *fault.Error
		_, err := r.Creating(c, numbers)
		if err == nil {
			err = r.Check(c, nil)
		}
		if !errors.As(err, &f) || f.Code != "cannot_create" || f.Mend == "" {
			t.Errorf("%s: %v", name, err)
		}
	}
}
