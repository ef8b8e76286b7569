package bundle

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

func link(of, field, to string, required bool) Link {
	return Link{Type: of, Field: field, Path: of + "." + field, To: to, ToPlural: to + "s", Required: required}
}

// What is pointed to goes first, whatever the order in which files come.
func TestOrder(t *testing.T) {
	staff := Member{Name: "staff", Makes: []string{"staff"}}
	accounts := Member{Name: "accounts", Makes: []string{"account"},
		Links: []Link{link("accounts", "Parent", "account", false), link("accounts", "Owner", "staff", false)}}
	contacts := Member{Name: "contacts", Makes: []string{"contact"},
		Links: []Link{link("contacts", "Account", "account", false), link("contacts", "Owner", "staff", false)}}
	lines := Member{Name: "lines", Makes: []string{"line"}, Links: []Link{link("lines", "Deal", "deal", true)}}
	deals := Member{Name: "deals", Makes: []string{"deal"}, Links: []Link{link("deals", "Account", "account", true),
		link("deals", "Contact", "contact", false)}}
	withMain := accounts
	withMain.Links = append([]Link{link("accounts", "Main contact", "contact", false)}, accounts.Links...)
	needsMain := accounts
	needsMain.Links = []Link{link("accounts", "Main contact", "contact", true)}
	needsAccount := Member{Name: "contacts", Makes: []string{"contact"},
		Links: []Link{link("contacts", "Account", "account", true)}}
	for _, test := range []struct {
		name    string
		members []Member
		want    string
		later   string
		trouble string
	}{
		{"all", []Member{lines, deals, contacts, accounts, staff}, "staff accounts contacts deals lines", "", ""},
		{"as they come", []Member{accounts, {Name: "other", Makes: []string{"berth"}}, staff},
			"other staff accounts", "", ""},
		{"a ring", []Member{withMain, contacts}, "accounts contacts", "accounts Main contact>contacts", ""},
		{"a ring of what must be", []Member{needsMain, needsAccount}, "accounts contacts", "accounts Main contact>contacts",
			"accounts must have Main contact, and the contacts are made by contacts, which comes later (accounts.Main contact)"},
		{"two of one type", []Member{accounts, {Name: "more", Makes: []string{"account"}, Links: accounts.Links}},
			"accounts more", "accounts Parent>more", ""},
		{"nothing", nil, "", "", ""},
	} {
		t.Run(test.name, func(t *testing.T) {
			places := Explain(test.members, Order(test.members))
			var names, later []string
			for _, p := range places {
				names = append(names, test.members[p.Member].Name)
				for _, l := range p.Later {
					later = append(later, test.members[p.Member].Name+" "+l.Link.Field+">"+test.members[l.Member].Name)
				}
			}
			trouble, path := Trouble(test.members, places)
			if path != "" {
				trouble = fmt.Sprintf("%s (%s)", trouble, path)
			}
			if got := strings.Join(names, " "); got != test.want || strings.Join(later, ", ") != test.later ||
				trouble != test.trouble {
				t.Errorf("got %q, later %q, trouble %q", got, later, trouble)
			}
		})
	}
}

// Whatever the members are: each stands in the order once; where no ring forces it, none
// stands before one that it needs, and nothing waits; and each that needs another that
// stands before it says so.
func TestOrderOfAny(t *testing.T) {
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 1))
		n := 1 + r.IntN(8)
		rank := r.Perm(n) // only what is below may be pointed to, so that there is no ring
		members := make([]Member, n)
		for i := range members {
			members[i] = Member{Name: fmt.Sprint("m", i), Makes: []string{fmt.Sprint("t", i)}, Rank: r.IntN(n)}
			for j := range members {
				if rank[j] < rank[i] && r.IntN(3) == 0 {
					members[i].Links = append(members[i].Links, link(fmt.Sprint("t", i), "F", fmt.Sprint("t", j), r.IntN(2) == 0))
				}
			}
		}
		order := Order(members)
		if sorted := slices.Sorted(slices.Values(order)); len(order) != n ||
			!slices.Equal(sorted, slices.Sorted(slices.Values(rank))) {
			t.Fatalf("seed %d: order %v of %d", seed, order, n)
		}
		for _, p := range Explain(members, order) {
			if len(p.Later) > 0 || len(p.Reasons) != len(members[p.Member].Links) {
				t.Fatalf("seed %d: %s waits for %v, with the reasons %v", seed, members[p.Member].Name, p.Later, p.Reasons)
			}
		}
	}
}
