package work

import (
	"fmt"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
)

// Match rules are kept with the record type: they hold for every import without
// rules of its own, and what they would make of the records is told beforehand.
func TestRulesOfAType(t *testing.T) {
	b := start(t)
	b.loaded("contact", people)
	b.load(b.check(b.change(b.upload("contact", "Ref,Given name,Family name,E-mail,Street,Postal code,Town\n"+
		"P-6,Kari,Oksnes,kari@oksnes.example,Storgata 4,5003,Bergvik\n"), func(r *mapping.Routine) {
		r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"source_ref"}}}
	})))
	byStreet := []catalog.MatchRule{{Fields: []string{"email"}}, {Fields: []string{"family_name", "street"}},
		{Alike: []string{"given_name", "family_name", "email", "birthday"}}}
	_, effects, err := b.work.TryMatch(b.Context(), "main", "contact", byStreet)
	b.ok(err)
	var got []string
	for _, e := range effects {
		got = append(got, fmt.Sprintf("%d of %d, %d alone, most %d, takes %v, %d taken, %d asked, %d shown", e.Looked,
			e.Of, e.Alone, e.Largest, e.Takes, e.Taken, e.Asked, len(e.Pairs)))
	}
	b.want(got, "[4 of 6, 0 alone, most 2, takes true, 0 taken, 0 asked, 2 shown 4 of 6, 2 alone, most 2, takes false, 0 "+
		"taken, 0 asked, 1 shown 6 of 6, 0 alone, most 0, takes true, 1 taken, 0 asked, 1 shown]")
	const sheet = "Given name,Family name,E-mail,Street\nKari,Øksnes,,Storgata 4\nNils,Berg,info@marina.example,\n"
	b.want(b.rows(b.check(b.upload("contact", sheet))), "[2 ask (ask) 3 create (create)]")
	before, err := b.store.Catalog(b.Context(), "main")
	b.ok(err)
	old, _ := before.Type("contact")
	now, err := b.work.ChangeMatch(b.Context(), "main", "contact", byStreet[:1], old.Version, b.person)
	b.ok(err)
	b.want(now.OwnMatch(), true)
	b.want(b.rows(b.check(b.upload("contact", sheet))), "[2 create (create) 3 ask (ask)]")
	if _, err = b.work.ChangeMatch(b.Context(), "main", "contact", nil, old.Version, b.person); !fault.Is(err,
		"changed_meanwhile") && !fault.Is(err, "changed_since") {
		t.Errorf("a change on an older version: %v", err)
	}
	if _, err = b.work.ChangeMatch(b.Context(), "main", "contact", []catalog.MatchRule{{Fields: []string{"shoe"}}},
		now.Version, b.person); !fault.Is(err, "unknown_field") {
		t.Errorf("a rule of a field that is not there: %v", err)
	}
	usual, err := b.work.ChangeMatch(b.Context(), "main", "contact", nil, now.Version, b.person)
	b.ok(err)
	b.want(fmt.Sprint(usual.Match), fmt.Sprint(old.Match))
	b.want(usual.OwnMatch(), false)
}
