package suggest

import (
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
)

// Columns in numbered groups are of several records of a type: one that is there takes the
// first group, and others are offered; no other type takes what is theirs.
func TestNumberedGroups(t *testing.T) {
	c := standard(t)
	column := func(header string, cells ...string) sheet.Column {
		longest := 0
		for _, s := range cells {
			longest = max(longest, len(s))
		}
		return sheet.Column{Header: header, Filled: int64(len(cells)), Distinct: int64(len(cells)), Longest: longest,
			Samples: cells}
	}
	view := func() *View {
		return NewView([]sheet.Column{
			column("Company", "Bayview Marina", "Quay Works Ltd", "Northern Slipways plc", "Harbour Trust"),
			column("Contact 1", "Liz Tanner", "Peter Quay", "Moira Kerr", "Ann Hopper"),
			column("Contact 1 e-mail", "liz@bayview.example", "peter@quay.example", "m.kerr@slip.example", "ann@trust.example"),
			column("Contact 1 phone", "+44 20 7946 0101", "+44 20 7946 0102", "+44 141 496 0103", "+44 20 7946 0104"),
			column("Contact 2", "Bob Crane", "Sue Park", "Euan Kerr", "Tim Frost"),
			column("Contact 2 e-mail", "bob@bayview.example", "sue@quay.example", "e.kerr@slip.example", "tim@trust.example"),
			column("Town", "Brighton", "Hull", "Glasgow", "Ramsgate"),
		}).Among(c)
	}
	v := view()
	if got, want := spots(v.Across(targets(c, "account"))), "Company=account.name Town=account.locality"; got != want {
		t.Errorf("accounts alone:\ngot  %s\nwant %s", got, want)
	}
	said := func(list []DraftSuggestion) string {
		var out []string
		for _, s := range list {
			out = append(out, s.Type+" "+s.Name+": "+strings.Join(s.Columns, ", "))
		}
		return strings.Join(out, "; ")
	}
	if got, want := said(v.Further(c, targets(c, "account"), nothing)),
		"contact : Contact 1, Contact 1 e-mail, Contact 1 phone"; got != want {
		t.Errorf("beside accounts: %s, want %s", got, want)
	}
	both := targets(c, "account", "contact")
	if got, want := spots(v.Across(both)), "Company=account.name Contact 1=contact.family_name Contact "+
		"1=contact.given_name Contact 1 e-mail=contact.email Contact 1 phone=contact.phone Town=account.locality"; got != want {
		t.Errorf("with the first:\ngot  %s\nwant %s", got, want)
	}
	if got, want := said(v.Further(c, both, nothing)), "contact contact_2: Contact 2, Contact 2 e-mail"; got != want {
		t.Errorf("beside the first: %s, want %s", got, want)
	}
	account, _ := c.Type("account")
	r := Routine(account, v.Across([]Target{{Type: account}}))
	r = v.WithDraft(r, c, mapping.Draft{Type: "contact"}, nothing)
	r = v.WithDraft(r, c, mapping.Draft{Type: "contact", Name: "contact_2"}, nothing)
	for at, want := range []string{"locality name", "account email family_name given_name phone",
		"account email family_name given_name"} {
		var got []string
		for name := range r.Drafts[at].Fields {
			got = append(got, name)
		}
		slices.Sort(got)
		if strings.Join(got, " ") != want {
			t.Errorf("draft %d: %v, want %s", at, got, want)
		}
	}
	// Contacts alone are those of the first group; a column alone is in no group.
	if got, want := spots(v.Across(targets(c, "contact"))), "Company=contact.account Contact 1=contact.family_name "+
		"Contact 1=contact.given_name Contact 1 e-mail=contact.email Contact 1 phone=contact.phone Town=contact.locality"; got != want {
		t.Errorf("contacts alone:\ngot  %s\nwant %s", got, want)
	}
	contact, _ := c.Type("contact")
	if got, want := said(v.Further(c, []Target{{Type: contact}}, nothing)),
		"contact contact_2: Contact 2, Contact 2 e-mail"; got != want {
		t.Errorf("beside contacts: %s, want %s", got, want)
	}
	r = Routine(contact, v.Across([]Target{{Type: contact}}))
	r = v.WithDraft(r, c, mapping.Draft{Type: "contact", Name: "contact_2"}, nothing)
	if o := r.Drafts[1].Fields["account"]; !slices.Equal(o.From, []string{"Company"}) || len(r.Drafts[0].Fields) != 6 ||
		len(r.Drafts[1].Fields) != 4 {
		t.Errorf("both have the company: %+v", r.Drafts)
	}
	one := NewView([]sheet.Column{column("Name", "Bay", "Quay"), column("Contact 1 phone", "+44 20 7946 0101",
		"+44 20 7946 0102")}).Among(c)
	if len(one.groups) > 0 {
		t.Errorf("a column alone is a group: %v", one.groups)
	}
}
