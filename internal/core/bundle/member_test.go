package bundle

import (
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
)

// from is the origin of a field in a column.
func from(column string) mapping.Origin { return mapping.Origin{From: []string{column}} }

// An import's routine says what it makes, what it points to, and where its type stands.
func TestMemberOf(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	rank := func(name string) int {
		return slices.IndexFunc(c.Types, func(x catalog.RecordType) bool { return x.Name == name })
	}
	for name, x := range map[string]struct {
		r     *mapping.Routine
		rank  int
		makes string
		links string
	}{
		"without a routine": {nil, len(c.Types), "", ""},
		"accounts with their parents": {&mapping.Routine{Drafts: []mapping.Draft{{Type: "account", Fields: map[string]mapping.Origin{
			"name": from("Firm"), "parent": from("Group"), "owner": from("Rep")}}}}, rank("account"), "account",
			"account.parent→account account.owner→staff"},
		"a person with the company of the row": {&mapping.Routine{Drafts: []mapping.Draft{
			{Type: "contact", Fields: map[string]mapping.Origin{"family_name": from("Name"), "account": {Draft: "account"}}},
			{Type: "account", Fields: map[string]mapping.Origin{"name": from("Firm"), "parent": from("Group")}},
		}}, rank("contact"), "contact account", "account.parent→account"},
		"lines": {&mapping.Routine{Drafts: []mapping.Draft{{Type: "line", Fields: map[string]mapping.Origin{
			"opportunity": from("Deal"), "product": from("Item")}}}}, rank("line"), "line", "line.opportunity→opportunity!"},
		"two of one type": {&mapping.Routine{Drafts: []mapping.Draft{
			{Type: "contact", Fields: map[string]mapping.Origin{"family_name": from("Name 1")}},
			{Name: "second", Type: "contact", Fields: map[string]mapping.Origin{"family_name": from("Name 2"), "reports_to": from("Chief")}},
		}}, rank("contact"), "contact", "second.reports_to→contact"},
		"a type that is no more": {&mapping.Routine{Drafts: []mapping.Draft{{Type: "berth"}, {Type: "contact"}}}, len(c.Types), "contact", ""},
	} {
		m := MemberOf(c, name, x.r)
		var links []string
		for _, l := range m.Links {
			s := l.Path + "→" + l.To
			if l.Required {
				s += "!"
			}
			if l.Type == "" || l.Field == "" || l.ToPlural == "" {
				t.Errorf("%s: a link has no words: %+v", name, l)
			}
			links = append(links, s)
		}
		want := strings.Fields(x.links)
		slices.Sort(links)
		slices.Sort(want)
		if m.Name != name || m.Rank != x.rank || strings.Join(m.Makes, " ") != x.makes || !slices.Equal(links, want) {
			t.Errorf("%s: %+v, links %v, want rank %d, %s, %v", name, m, links, x.rank, x.makes, want)
		}
	}
}

// Files of the standard types come in the order in which records need each other, whichever way they were dropped.
func TestOrderOfStandardTypes(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	var members []Member
	for _, rt := range c.Types {
		fields := map[string]mapping.Origin{}
		for _, f := range rt.Fields {
			fields[f.Name] = from(f.Label)
		}
		r := &mapping.Routine{Drafts: []mapping.Draft{{Type: rt.Name, Fields: fields}}}
		members = append(members, MemberOf(c, rt.Name, r))
	}
	at := func(list []Member) map[string]int {
		places := map[string]int{}
		for n, m := range Order(list) {
			places[list[m].Name] = n
		}
		return places
	}
	forth := at(members)
	back := slices.Clone(members)
	slices.Reverse(back)
	for name, place := range at(back) {
		if forth[name] != place {
			t.Errorf("%s stands at %d, and the other way round at %d", name, forth[name], place)
		}
	}
	for _, pair := range []string{"staff account", "account contact", "contact opportunity", "account opportunity", "opportunity line"} {
		first, then, _ := strings.Cut(pair, " ")
		if forth[first] > forth[then] {
			t.Errorf("%s come behind %s: %v", first, then, forth)
		}
	}
	if say, path := Trouble(members, Explain(members, Order(members))); say != "" {
		t.Errorf("%s: %s", path, say)
	}
}
