package catalog

import (
	"slices"
	"testing"

	"uchi/internal/core/fault"
)

// Which fields can say less than a record knows: days but not birthdays, choices that go
// forward, people's mailboxes; never keys.
func TestDoubts(t *testing.T) {
	c, err := Standard()
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []struct {
		typeName, field string
		doubt           Doubt
	}{
		{"contact", "birthday", Turned}, {"contact", "email", Private}, {"account", "email", Private}, {"account", "industry", Vague},
		{"opportunity", "currency", Lent},
		{"lead", "met_on", Older},
		{"opportunity", "expected_close", Older}, {"opportunity", "stage", Lower}, {"lead", "interest", NoDoubt},
		{"staff", "email", NoDoubt},
		{"account", "employees", Zero}, {"opportunity", "amount", Zero}, {"opportunity", "probability", NoDoubt},
		{"line", "quantity", NoDoubt},
		{"contact", "mobile", Fixed}, {"contact", "phone", Abroad}, {"contact", "email_consent", Given}, {"task", "done", NoDoubt},
		{"account", "website", Shared}, {"account", "status", NoDoubt}, {"lead", "status", Lower},
	} {
		rt, _ := c.Type(want.typeName)
		f, ok := rt.Field(want.field)
		if got := rt.Doubts(f); !ok || got != want.doubt {
			t.Errorf("%s.%s: %q, want %q", want.typeName, want.field, got, want.doubt)
		}
	}
}

// A choice for what is none of the others is told by its code or its label, in several languages.
func TestVagueChoices(t *testing.T) {
	f := Field{Choices: []Choice{{Code: "marina", Label: "Marina"}, {Code: "x", Label: "Sonstige"}, {Code: "OTHER", Label: "Rest"},
		{Code: "other_yard", Label: "Another yard"}}}
	if got := f.Vague(); !slices.Equal(got, []string{"x", "OTHER"}) {
		t.Errorf("for none of the others: %v", got)
	}
}

// What is done with rows that are known as records of another type can be changed, and
// what a customer has changed stays when the product learns more.
func TestChangeKnownAndMatch(t *testing.T) {
	c, err := Standard()
	if err != nil {
		t.Fatal(err)
	}
	lead, _ := c.Type("lead")
	own, err := c.ChangeKnown(lead, "contact", Skip)
	if err != nil {
		t.Fatal(err)
	}
	own, err = own.ChangeMatch([]MatchRule{{Fields: []string{"email"}}})
	if err != nil {
		t.Fatal(err)
	}
	learned := own.Learned(lead)
	if learned.Known[0].Means != Skip || len(learned.Match) != 1 || !learned.OwnMatch() ||
		learned.Version != lead.Version+3 {
		t.Errorf("what was changed is lost: %+v", learned)
	}
	if lead.Known[0].Means != "" {
		t.Error("the type that was changed is another now")
	}
	// A workspace of an edition before learns what its choices are, and by what records
	// of other types are known.
	deal, _ := c.Type("opportunity")
	before := deal
	before.Fields = slices.Clone(deal.Fields)
	for n := range before.Fields {
		before.Fields[n].Ordered, before.Fields[n].Likeness = false, ""
	}
	after := before.Learned(deal)
	stage, _ := after.Field("stage")
	old := lead
	old.Known = nil
	if !stage.Ordered || len(old.Learned(lead).Known) != len(lead.Known) {
		t.Error("a type of an edition before does not learn")
	}
	usual, err := learned.ChangeMatch(nil)
	if err != nil || usual.OwnMatch() || !slices.EqualFunc(usual.Match, lead.Match,
		func(a, b MatchRule) bool { return a.Says(lead) == b.Says(lead) }) {
		t.Errorf("the usual rules: %+v, %v", usual.Match, err)
	}
	for code, k := range map[string]KnownAs{
		"unknown_record_type": {Type: "lead", Fields: map[string]string{"email": "email"}}, "rule_empty": {Type: "contact"},
		"unknown_field": {Type: "contact", Fields: map[string]string{"shoe": "email"}},
		"unknown_find":  {Type: "contact", Fields: map[string]string{"email": "email"}, Means: Ask},
	} {
		if err := c.CheckKnown(lead, k); !fault.Is(err, code) {
			t.Errorf("%+v: %v, want %s", k, err, code)
		}
	}
	contact, _ := c.Type("contact")
	if got := lead.Known[0].Says(lead, contact); got != "with the same E-mail and Family name as one of the contacts: "+
		"told, and loaded all the same" {
		t.Error(got)
	}
}
