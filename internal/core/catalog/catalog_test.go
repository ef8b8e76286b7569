package catalog

import (
	"errors"
	"testing"

	"uchi/internal/core/fault"
)

func standardOrFail(t *testing.T) Catalog {
	t.Helper()
	c, err := Standard()
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestStandardTypes(t *testing.T) {
	c := standardOrFail(t)
	want := map[string]int{"staff": 5, "account": 18, "contact": 20, "lead": 22, "opportunity": 13, "line": 5, "task": 10}
	for name, fields := range want {
		rt, ok := c.Type(name)
		if !ok || len(rt.Fields) != fields {
			t.Errorf("%s: %d fields, want %d", name, len(rt.Fields), fields)
		}
	}
}

func TestRecordID(t *testing.T) {
	c := standardOrFail(t)
	contact, _ := c.Type("contact")
	for in, want := range map[string]int64{"CON-1042": 1042, "con-7": 7, " CON12 ": 12} {
		got, err := contact.ParseRecordID(in)
		if err != nil || got != want {
			t.Errorf("%q: got %d, %v; want %d", in, got, err, want)
		}
		if again, err := contact.ParseRecordID(contact.RecordID(got)); err != nil || again != got {
			t.Errorf("%d does not come back: %d, %v", got, again, err)
		}
	}
	for _, in := range []string{"", "ACC-1", "CON-", "CON-x", "CON-0", "CON-99999999999999999999", "1042"} {
		if _, err := contact.ParseRecordID(in); !errors.Is(err, ErrRecordID) {
			t.Errorf("%q: error %v, want ErrRecordID", in, err)
		}
	}
}

func TestAddField(t *testing.T) {
	c := standardOrFail(t)
	account, _ := c.Type("account")
	more, err := c.AddField(account, Field{Name: "berths", Label: "Berths", Type: Integer})
	if err != nil {
		t.Fatal(err)
	}
	if f, ok := more.Field("berths"); !ok || !f.Own || more.Version != account.Version+1 {
		t.Errorf("field %+v, version %d", f, more.Version)
	}
	if _, ok := account.Field("berths"); ok {
		t.Error("the original type has changed")
	}
	bad := map[string]Field{
		"field_exists":        {Name: "name", Label: "Name", Type: Text},
		"bad_name":            {Name: "Berth count", Label: "x", Type: Text},
		"reserved_name":       {Name: "version", Label: "x", Type: Text},
		"label_missing":       {Name: "x", Type: Text},
		"unknown_field_type":  {Name: "x", Label: "x", Type: "colour"},
		"choices_missing":     {Name: "x", Label: "x", Type: OneChoice},
		"unknown_record_type": {Name: "x", Label: "x", Type: Reference, To: "boat"},
		"bad_key":             {Name: "x", Label: "x", Type: Date, Key: true},
		"bad_choice": {Name: "x", Label: "x", Type: OneChoice, Choices: []Choice{{Code: "a", Label: "A"},
			{Code: "a", Label: "B"}}},
	}
	for code, f := range bad {
		if _, err := c.AddField(account, f); !fault.Is(err, code) {
			t.Errorf("%+v: error %v, want %s", f, err, code)
		}
	}
}

// What a match rule may say, and what is told when it cannot work.
func TestWhatRulesMaySay(t *testing.T) {
	c, err := Standard()
	if err != nil {
		t.Fatal(err)
	}
	contact, _ := c.Type("contact")
	for _, good := range []MatchRule{
		{Fields: []string{"id"}}, {Fields: []string{"source_ref"}}, {Fields: []string{"email"}, Several: Full},
		{Fields: []string{"family_name", "street"}}, {Alike: []string{"family_name", "birthday"}},
		{Fields: []string{"email"}, Alike: []string{"given_name"}, One: Ask, Several: Hold, TakeAt: 99, AskAt: 50},
	} {
		if err := contact.CheckMatchRule(good); err != nil {
			t.Errorf("%+v: %v", good, err)
		}
	}
	for code, bad := range map[string][]MatchRule{
		"rule_empty": {{}}, "unknown_field": {{Fields: []string{"shoe"}}, {Alike: []string{"shoe"}}},
		"rule_not_selective":   {{Alike: []string{"country", "locality"}}},
		"field_not_comparable": {{Alike: []string{"email_consent"}}},
		"unknown_find":         {{Fields: []string{"email"}, One: Hold}, {Fields: []string{"email"}, Several: Take}},
		"bad_bounds":           {{Alike: []string{"email"}, TakeAt: 40, AskAt: 60}, {Alike: []string{"email"}, TakeAt: 101}},
	} {
		for _, r := range bad {
			if err := contact.CheckMatchRule(r); !fault.Is(err, code) {
				t.Errorf("%+v: %v, want %s", r, err, code)
			}
		}
	}
	if got := (MatchRule{Fields: []string{"source_ref"}, Alike: []string{"given_name", "family_name"}, One: Ask,
		Several: Skip}).Says(contact); got != "the same Number in the old system and alike in Given name and Family "+
		"name (taken from 95 %, asked from 40 %), always asked, several: skip" {
		t.Error(got)
	}
	if takeAt, askAt := (MatchRule{TakeAt: 30}).Bounds(); takeAt != 30 || askAt != 30 {
		t.Errorf("bounds %v, %v", takeAt, askAt)
	}
}
