package catalog

import (
	"slices"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
)

func limitsOf(seen, filled rights.Role) FieldChange {
	return FieldChange{SeenBy: &seen, FilledBy: &filled}
}

// A field is seen and filled by its least role and those above; nobody fills what they
// may not see, a viewer nothing, and the usual roles limit nothing.
func TestLimits(t *testing.T) {
	c, err := Standard()
	if err != nil {
		t.Fatal(err)
	}
	account, _ := c.Type("account")
	for _, x := range []struct {
		seen, filled rights.Role
		sees, fills  string // of viewer, operator, administrator
	}{
		{rights.Viewer, rights.Operator, "yes yes yes", "no yes yes"},
		{rights.Operator, rights.Operator, "no yes yes", "no yes yes"},
		{rights.Administrator, rights.Operator, "no no yes", "no no yes"},
		{rights.Viewer, rights.Administrator, "yes yes yes", "no no yes"},
		{"", rights.Viewer, "yes yes yes", "no yes yes"},
	} {
		changed, err := c.ChangeField(account, "employees", limitsOf(x.seen, x.filled))
		if err != nil {
			t.Fatal(err)
		}
		f, _ := changed.Field("employees")
		said := func(is func(rights.Role) bool) (s string) {
			for _, r := range rights.Roles {
				s += map[bool]string{true: " yes", false: " no"}[is(r)]
			}
			return s[1:]
		}
		if said(f.Sees) != x.sees || said(f.Fills) != x.fills {
			t.Errorf("seen by %q, filled by %q: seen %s, filled %s", x.seen, x.filled, said(f.Sees), said(f.Fills))
		}
		if usual := x.sees == "yes yes yes" && x.fills == "no yes yes"; f.Limited() == usual {
			t.Errorf("seen by %q, filled by %q: limited %v", x.seen, x.filled, f.Limited())
		}
		seen := Catalog{Types: []RecordType{changed}}.SeenBy(rights.Operator).Types[0]
		if _, there := seen.Field("employees"); there != f.Sees(rights.Operator) ||
			slices.Contains(seen.Kept, "employees") == there {
			t.Errorf("seen by %q: an operator's record type has it: %v, kept %v", x.seen, there, seen.Kept)
		}
	}
	for code, change := range map[string]FieldChange{"unknown_role": limitsOf("captain", "operator"),
		"title_field": limitsOf("operator", "operator")} {
		name := map[string]string{"unknown_role": "employees", "title_field": "name"}[code]
		if _, err := c.ChangeField(account, name, change); !fault.Is(err, code) {
			t.Errorf("%s: %v", code, err)
		}
	}
	// A product that has learned something leaves the limits as they are.
	changed, err := c.ChangeField(account, "employees", limitsOf(rights.Administrator, rights.Operator))
	if err != nil {
		t.Fatal(err)
	}
	if f, _ := changed.Learned(account).Field("employees"); f.SeenBy != rights.Administrator ||
		!slices.Contains(f.Changed, LimitsPart) {
		t.Errorf("after learning: %q %v", f.SeenBy, f.Changed)
	}
}
