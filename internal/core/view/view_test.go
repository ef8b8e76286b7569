package view

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
)

func contact(t testing.TB) (catalog.Catalog, catalog.RecordType) {
	t.Helper()
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	r, err := c.MustType("contact")
	if err != nil {
		t.Fatal(err)
	}
	return c, r
}

// tell writes what was read of a filter, briefly.
func tell(n Node) string {
	list := func(nodes []Node, word string) string {
		var parts []string
		for _, x := range nodes {
			parts = append(parts, tell(x))
		}
		return "(" + strings.Join(parts, word) + ")"
	}
	switch n := n.(type) {
	case All:
		return list(n, " and ")
	case Any:
		return list(n, " or ")
	case Not:
		return "not " + tell(n.Of)
	case Test:
		return fmt.Sprint(n.Name, " ", n.Op, " ", n.Values, " ", n.Lower)
	}
	return "all"
}

func TestFilter(t *testing.T) {
	c, contact := contact(t)
	for text, want := range map[string]string{
		"":                                     "all",
		`country == "NO"`:                      `country == [{NO false}] false`,
		`"NO" == country`:                      `country == [{NO false}] false`,
		`country != "NO" && family_name != ""`: `(not country == [{NO false}] false and family_name filled [] false)`,
		`family_name.lower().startsWith("ø")`:  `family_name startsWith [{ø false}] true`,
		`country in ["NO", "SE"] || !filled(email)`: `(country in [{NO false} {SE false}] false or not email filled [] false)`,
		`account == "ACC-12"`:                       `account == [{12 false}] false`,
		`account.owner.email == "a@b.example"`:      `account.owner.email == [{a@b.example false}] false`,
		`account.employees > 10 && version >= 2`:    `(account.employees > [{10 false}] false and version >= [{2 false}] false)`,
		`created_at < today(-30)`:                   `created_at < [{-30 true}] false`,
		`id in ["CON-3", "CON-4"]`:                  `id in [{3 false} {4 false}] false`,
		`account == ""`:                             `not account filled [] false`,
	} {
		n, err := Filter(c, contact, text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got := tell(n); got != want {
			t.Errorf("%s: %s, want %s", text, got, want)
		}
	}
}

// What is wrong is told with its place and what would mend it.
func TestFilterSaysWhatIsWrong(t *testing.T) {
	c, contact := contact(t)
	for text, want := range map[string]string{
		`country ==`:                     "character 11",
		`shoe == "1"`:                    "character 1",
		`country == "Norway"`:            `"NO"`,
		`country == NO`:                  "quotes",
		`filled(email) && version > "2"`: "character 28",
		`account.shoe == "1"`:            "accounts have no such field",
		`email.shoe == "1"`:              "does not lead",
		`email`:                          "filled(email)",
		`account == "Tern Marina"`:       `"ACC-1042"`,
		`created_at < "31.3.2026"`:       "2026-03-31",
		`email.matches("x")`:             "knows no matches",
		`email.contains()`:               "one value",
		`account > "ACC-1"`:              "no order",
		`today(1.5) < created_at`:        "whole number",
		`email == "a\x00b"`:              "a value is wanted",
		`5`:                              "no condition",
		strings.Repeat("!(true && ", 50) + "true" + strings.Repeat(")", 50): "nested",
	} {
		_, err := Filter(c, contact, text)
		if err == nil || !strings.Contains(err.Error(), want) {
			f, _ := fault.From(err)
			t.Errorf("%s: %v (%+v), want %s", text, err, f, want)
		}
	}
}

// Fields that are no longer in use are told.
func TestViewOfARetiredField(t *testing.T) {
	c, contact := contact(t)
	contact.Fields = slices.Clone(contact.Fields)
	for n := range contact.Fields {
		contact.Fields[n].Retired = contact.Fields[n].Name == "phone"
	}
	for _, v := range []View{{Filter: "filled(phone)"}, {Columns: []string{"phone"}}, {Sort: []string{"-phone"}}} {
		if _, err := Read(c, contact, v); !fault.Is(err, "field_retired") {
			t.Errorf("%+v: %v", v, err)
		}
	}
}

// Conditions written as a filter read back as the same, for every field of every
// type and every way to compare it.
func TestConditionsComeBack(t *testing.T) {
	c, _ := contact(t)
	for _, r := range c.Types {
		for _, p := range Offered(c, r) {
			f := p.Field
			for _, how := range HowsOf(f) {
				one := Condition{Field: p.Name, How: how}
				if how != IsFilled && how != IsBlank {
					one.Values = []string{valueFor(c, f)}
				}
				if how == OneOf || how == NoneOf {
					one.Values = append(one.Values, one.Values[0])
				}
				text, err := Write(c, r, []Condition{one, {Field: "version", How: Above, Values: []string{"1"}}})
				if err != nil {
					t.Fatalf("%s.%s %s: %v", r.Name, f.Name, how, err)
				}
				n, err := Filter(c, r, text)
				if err != nil {
					t.Errorf("%s: %v", text, err)
					continue
				}
				back, plain := Conditions(c, n)
				if !plain || len(back) != 2 || fmt.Sprint(back[0]) != fmt.Sprint(one) {
					t.Errorf("%s: %v, want %v", text, back, one)
				}
			}
		}
	}
	if _, plain := Conditions(c, Any{All{}}); plain {
		t.Error("a choice of two is no list of conditions")
	}
}

func valueFor(c catalog.Catalog, f catalog.Field) string {
	switch f.Kind().Form {
	case catalog.WholeForm, catalog.NumberForm, catalog.AmountForm:
		return "12.5"
	case catalog.DateForm:
		return "today(30)"
	case catalog.MomentForm:
		return "2026-03-31"
	case catalog.YesNoForm:
		return "true"
	case catalog.LinkForm:
		to, _ := c.Type(f.To)
		return to.RecordID(7)
	}
	switch {
	case f.Type == catalog.Country:
		return "NO"
	case len(f.Choices) > 0:
		return f.Choices[0].Code
	}
	return "\"o'øst\\\n"
}

func FuzzFilter(f *testing.F) {
	for _, s := range []string{`country == "NO"`, `!(a in b)`, `x.lower().contains("y")`, `account.owner.email != ""`,
		`[1].contains(2)`, `today(-1) < created_at`, `-email`} {
		f.Add(s)
	}
	c, contact := contact(f)
	f.Fuzz(func(t *testing.T, text string) {
		if n, err := Filter(c, contact, text); err == nil {
			if list, ok := Conditions(c, n); ok {
				if _, err := Write(c, contact, list); err != nil {
					t.Errorf("%q: %v", text, err)
				}
			}
		}
	})
}
