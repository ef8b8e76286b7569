package view

import (
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
)

// Whatever is offered can be shown and, but for lists, sorted by, and is filtered by as what is filled; each path is
// offered once and has a label of its own.
func TestWhatIsOfferedCanBeUsed(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	for _, rt := range c.Types {
		labels, paths := map[string]string{}, map[string]bool{}
		for _, p := range Offered(c, rt) {
			if paths[p.Name] {
				t.Errorf("%s offers %s twice", rt.Name, p.Name)
			}
			paths[p.Name] = true
			if other, taken := labels[p.Label()]; taken || p.Label() == "" {
				t.Errorf("%s: %s and %s are both called %q", rt.Name, other, p.Name, p.Label())
			}
			labels[p.Label()] = p.Name
			if strings.Count(p.Name, ".") != len(p.Links) || strings.Count(p.Label(), Arrow) != len(p.Links) {
				t.Errorf("%s: %s leads over %d links and is called %q", rt.Name, p.Name, len(p.Links), p.Label())
			}
			again, err := Find(c, rt, p.Name)
			if err != nil || again.Field.Name != p.Field.Name || again.Of.Name != p.Of.Name || again.Own != p.Own {
				t.Errorf("%s: %s is found as %+v, %v", rt.Name, p.Name, again, err)
			}
			s, err := Read(c, rt, View{Columns: []string{p.Name}, Sort: []string{"-" + p.Name}, Filter: "filled(" + p.Name + ")"})
			if list := p.Field.Kind().Form == catalog.ListForm; list {
				if !fault.Is(err, "unknown_order") {
					t.Errorf("%s is sorted by the list %s: %v", rt.Name, p.Name, err)
				}
				continue
			}
			if err != nil || len(s.Columns) != 1 || len(s.Sort) != 1 || !s.Sort[0].Down || s.Where == nil {
				t.Errorf("%s: %s: %+v, %v", rt.Name, p.Name, s, err)
			}
			if len(HowsOf(p.Field)) < 4 {
				t.Errorf("%s: %s can be compared in %v alone", rt.Name, p.Name, HowsOf(p.Field))
			}
		}
		if !paths["id"] || !paths["changed_at"] {
			t.Errorf("%s offers neither id nor when it changed: %v", rt.Name, paths)
		}
	}
}

// A path that leads nowhere says where it ends, and what is near.
func TestPathsThatLeadNowhere(t *testing.T) {
	c, contact := contact(t)
	for name, want := range map[string]struct{ code, mend string }{
		"shoe":               {"unknown_field", "uchi types contact"},
		"E-mail":             {"unknown_field", "Is email meant?"},
		"mail":               {"unknown_field", "Is email meant?"},
		"email.domain":       {"no_reference", "behind a reference"},
		"account.shoe":       {"unknown_field", "uchi types account"},
		"account.owner.shoe": {"unknown_field", "uchi types staff"},
		"id.name":            {"no_reference", "behind a reference"},
		"":                   {"unknown_field", ""},
		".":                  {"unknown_field", ""},
		"account.":           {"unknown_field", ""},
		"reports_to.reports_to.reports_to.reports_to.reports_to.family_name": {"no_reference", ""},
	} {
		_, err := Find(c, contact, name)
		f, _ := fault.From(err)
		if !fault.Is(err, want.code) || !strings.Contains(f.Mend, want.mend) {
			t.Errorf("%q: %v (%+v), want %+v", name, err, f, want)
		}
	}
	kept := contact
	kept.Fields = slices.DeleteFunc(slices.Clone(contact.Fields), func(f catalog.Field) bool { return f.Name == "phone" })
	kept.Kept = []string{"phone"}
	if _, err := Find(c, kept, "phone"); !fault.Is(err, "field_kept") {
		t.Errorf("a field that is kept from who asks: %v", err)
	}
}

// What a field is compared with is of its kind, and what is not says how it is written; nothing of it is left to the
// database to refuse.
func TestWhatFieldsAreComparedWith(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	for text, mend := range map[string]string{
		`account: employees == 10`:                      "",
		`account: employees < 10.5`:                     "", // whatever number
		`account: employees == -1`:                      "",
		`account: employees == "10"`:                    "without quotes",
		`account: employees == true`:                    "is a number",
		`account: employees in [1, 2, 3]`:               "",
		`account: employees in [1, "2"]`:                "without quotes",
		`opportunity: amount >= 1000000.0`:              "",
		`opportunity: amount == ""`:                     "", // a blank
		`account: country == "SE"`:                      "",
		`account: country == "se"`:                      `"SE"`,
		`account: country == "Sweden"`:                  `"SE"`,
		`account: country == "Atlantis"`:                "such as \"NO\"",
		`account: status == "customer"`:                 "",
		`account: status == "Customer"`:                 `"customer"`,
		`account: status == "friend"`:                   "Its choices are",
		`account: parent == "ACC-7"`:                    "",
		`account: parent == "CON-7"`:                    `"ACC-1042"`,
		`account: parent == "ACC-99999999999999999999"`: `"ACC-1042"`,
		`account: parent == 7`:                          `"ACC-1042"`,
		`contact: birthday < "1990-01-01"`:              "",
		`contact: birthday < "1990-13-01"`:              "2026-03-31",
		`contact: birthday < "1990-01-01T10:00"`:        "2026-03-31", // a day has no time
		`contact: changed_at > "2026-01-01T10:00"`:      "",
		`contact: changed_at > "2026-01-01T10:00:00Z"`:  "",
		`contact: birthday > today(-9000)`:              "",
		`contact: birthday > today(365000)`:             "",
		`contact: birthday > today(365001)`:             "1990-01-01",
		`contact: birthday > today(-99999999999)`:       "1990-01-01",
		`contact: family_name == today()`:               "a value of its kind",
		`contact: email_consent == true`:                "",
		`contact: email_consent == "true"`:              "true or false",
		`contact: email_consent == 1`:                   "true or false",
		`contact: family_name == 7`:                     "in quotes",
		`contact: family_name == null`:                  "in quotes",
		`contact: family_name == "a\u0000b"`:            "in quotes",
		`contact: family_name == "'); drop table x;--"`: "",
	} {
		typeName, filter, _ := strings.Cut(text, ": ")
		rt, err := c.MustType(typeName)
		if err != nil {
			t.Fatal(err)
		}
		_, err = Filter(c, rt, filter)
		f, _ := fault.From(err)
		if (err == nil) != (mend == "") || err != nil && !strings.Contains(f.Mend, mend) {
			t.Errorf("%s: %v (%q), want %q", text, err, f.Mend, mend)
		}
	}
}
