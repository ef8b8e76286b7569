package work

import (
	"fmt"
	"maps"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// bundled makes a bundle of files, names and contents by turns, and waits until they
// are read.
func (b *bench) bundled(files ...string) store.Bundle {
	b.Helper()
	bundle, err := b.work.NewBundle(b.Context(), "main", "All of it", b.person)
	b.ok(err)
	for n := 0; n < len(files); n += 2 {
		b.ok(b.work.AddToBundle(b.Context(), bundle, Upload{Workspace: "main", FileName: files[n],
			Body: strings.NewReader(files[n+1]), Bytes: int64(len(files[n+1])), By: b.person}))
	}
	return b.settled(bundle)
}

// settled waits until nobody works on a bundle or one of its imports.
func (b *bench) settled(bundle store.Bundle) store.Bundle {
	b.Helper()
	b.until(`select state not in ('checking', 'loading', 'undoing')
		and not exists (select from imports where bundle = b.id and run is not null) from bundles b where id = $1`, bundle.ID)
	now, err := b.store.Bundle(b.Context(), "main", bundle.ID)
	b.ok(err)
	return now
}

func (b *bench) members(bundle store.Bundle) []store.Import {
	b.Helper()
	list, err := b.store.BundleImports(b.Context(), bundle.ID)
	b.ok(err)
	return list
}

func (b *bench) checkBundle(bundle store.Bundle) store.Bundle {
	b.Helper()
	b.ok(b.work.CheckBundle(b.Context(), bundle, b.person))
	bundle = b.settled(bundle)
	b.want([]any{bundle.State, bundle.Trouble.V}, []any{life.Ready, (*store.Trouble)(nil)})
	return bundle
}

// said words what the imports of a bundle would do, or have done.
func (b *bench) said(bundle store.Bundle) string {
	b.Helper()
	var list []string
	for _, i := range b.members(bundle) {
		words := map[string]int64{}
		for o, n := range i.Outcomes.V {
			words[string(o)] = n
		}
		if i.State == life.Ready {
			words = i.Totals.V.Verdicts
		}
		maps.DeleteFunc(words, func(_ string, n int64) bool { return n == 0 })
		list = append(list, fmt.Sprint(i.Name, " ", i.State, " ", words))
	}
	return strings.Join(list, "\n")
}

const (
	bundledAccounts = "Company,External ID,Parent account,Country\nUlvsund Havn,B-1,Kyst Group,NO\nKyst Group,B-2,,NO\n" +
		"Bad one,B-3,,Nowhereland\n"
	bundledContacts = "Given name,Family name,E-mail,Account,External ID\nKari,Berg,kari@ulvsund.example,B-1,P-1\n" +
		"Per,Lie,per@kyst.example,Kyst Group,P-2\nOle,Dal,ole@bad.example,B-3,P-3\nEva,Li,eva@none.example,Nobody,P-4\n"
	bundledDeals = "Deal title,Stage,Account,Contact,Amount,Expected close\nPedestals,offered,Ulvsund " +
		"Havn,kari@ulvsund.example,1200,2026-12-01\nChargers,offered,B-2,P-2,800,2026-12-02\n"
)

// Files in any order are checked as one: what one file will make counts for the
// others; they are loaded in the order of their links, the second time all is the
// same, and one undo takes everything back.
func TestBundle(t *testing.T) {
	b := start(t)
	files := []string{"deals.csv", bundledDeals, "contacts.csv", bundledContacts, "notes.pdf", "%PDF-1.7", "empty.csv",
		"", "accounts.csv", bundledAccounts}
	bundle := b.bundled(files...)
	b.want(len(bundle.LeftOut.V), 1)
	v, err := b.work.Bundle(b.Context(), bundle)
	b.ok(err)
	var order []string
	for _, m := range v.Members {
		order = append(order, m.Import.Name)
	}
	b.want(strings.Join(order, " "), "accounts.csv contacts.csv deals.csv")
	b.want(strings.Join(v.Members[1].Reasons, "; "), "after accounts.csv: Contacts point to accounts by Account")
	bundle = b.checkBundle(bundle)
	b.want(b.said(bundle), "accounts.csv ready map[create:2 hold:1]\ncontacts.csv ready map[create:2 hold:2]\n"+
		"deals.csv ready map[create:2]")
	b.want(strings.Join(b.codes(b.members(bundle)[2]), "\n"), "")
	contacts := b.members(bundle)[1]
	b.want(strings.Join(b.codes(contacts), "\n"), "4 link_held account\n5 link_not_found account")

	b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
	bundle = b.settled(bundle)
	b.want([]any{bundle.State, bundle.Trouble.V}, []any{life.Loaded, (*store.Trouble)(nil)})
	b.want(b.said(bundle), "accounts.csv loaded map[created:2 held:1]\ncontacts.csv loaded map[created:2 held:2]\n"+
		"deals.csv loaded map[created:2]")
	b.want(b.record("contact", "CON-1").Links["account"].Title+" "+b.record("contact", "CON-2").Links["account"].Title,
		"Ulvsund Havn Kyst Group")
	deal := b.record("opportunity", "OPP-2")
	b.want(deal.Links["account"].Title+" "+deal.Links["contact"].Title, "Kyst Group Per Lie")
	b.want(b.parents(), "Ulvsund Havn>Kyst Group Kyst Group")

	again := b.checkBundle(b.bundled(files...))
	b.want(b.said(again), "accounts.csv ready map[hold:1 same:2]\ncontacts.csv ready map[hold:2 same:2]\n"+
		"deals.csv ready map[same:2]")

	b.ok(b.work.UndoBundle(b.Context(), bundle, b.person))
	bundle = b.settled(bundle)
	b.want(bundle.State, life.Undone)
	b.want(b.records("account", "contact", "opportunity"), b.records())
}

// Files whose records point to each other: the links of the first wait until the
// second is loaded, whose load writes them, and goes with them.
func TestTangledBundle(t *testing.T) {
	b := start(t)
	_, err := b.work.AddField(b.Context(), "main", "account", catalog.Field{Name: "main_contact", Label: "Main contact",
		Type: catalog.Reference, To: "contact"}, 0, b.person)
	b.ok(err)
	b.loaded("account", "Company,External ID\nNordkai Marina,B-9\n")
	files := []string{"contacts.csv", bundledContacts, "accounts.csv",
		"Company,External ID,Main contact\nUlvsund Havn,B-1,P-1\nKyst Group,B-2,per@kyst.example\nNordkai Marina,B-9,P-2\n" +
			"Lost,B-4,P-77\n"}
	before := b.records("account", "contact")
	bundle := b.checkBundle(b.bundled(files...))
	v, err := b.work.Bundle(b.Context(), bundle)
	b.ok(err)
	b.want(v.Members[0].Import.Name+" "+strings.Join(v.Members[0].Later, ""), "accounts.csv Main contact → contacts.csv")
	b.want(b.said(bundle), "accounts.csv ready map[create:2 hold:1 update:1]\ncontacts.csv ready map[create:2 hold:2]")
	b.want(strings.Join(b.codes(v.Members[0].Import), "\n"), "5 link_not_found main_contact")
	b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
	bundle = b.settled(bundle)
	b.want([]any{bundle.State, bundle.Trouble.V}, []any{life.Loaded, (*store.Trouble)(nil)})
	var linked []string
	for n := range 3 {
		linked = append(linked, b.record("account", fmt.Sprint("ACC-", n+1)).Links["main_contact"].Title)
	}
	b.want(strings.Join(linked, ", "), "Per Lie, Kari Berg, Per Lie")
	b.want(b.said(bundle), "accounts.csv loaded map[created:2 held:1 unchanged:1]\n"+
		"contacts.csv loaded map[created:2 held:2]")
	b.want(b.record("account", "ACC-1").Version, 2) // changed once, by the load of the contacts
	b.ok(b.work.UndoBundle(b.Context(), bundle, b.person))
	bundle = b.settled(bundle)
	b.want([]any{bundle.State, bundle.Trouble.V}, []any{life.Undone, (*store.Trouble)(nil)})
	b.want(b.records("account", "contact"), before)
	b.want(b.dangling(), 0)
}

// The set-up of a bundle is kept, and the next files of its kind are set up by it: by
// their names, or by their columns; what has other columns is not.
func TestBundleAsRoutine(t *testing.T) {
	b := start(t)
	files := []string{"accounts.csv", bundledAccounts, "contacts.csv", bundledContacts}
	first := b.bundled(files...)
	accounts := b.change(b.members(first)[0], func(r *mapping.Routine) {
		o := r.Drafts[0].Fields["country"]
		o.Values = map[string]string{"Nowhereland": "IS"}
		r.Drafts[0].Fields["country"] = o
	})
	names, err := b.work.SaveBundle(b.Context(), first, "Monthly", b.person)
	b.ok(err)
	b.want(names, "[Monthly: accounts.csv Monthly: contacts.csv]")
	_, err = b.work.SaveBundle(b.Context(), first, " ", b.person)
	if !fault.Is(err, "bad_name") {
		t.Errorf("without a name: %v", err)
	}
	next := b.bundled("accounts 2026-12.csv", bundledAccounts, "contacts.csv",
		strings.Replace(bundledContacts, "External ID", "Shoe size", 1), "others.csv", "Company,Town\nX Marina,Y\n")
	var used []string
	for _, i := range b.members(next) {
		used = append(used, i.Routine.V.Name)
	}
	b.want(strings.Join(used, ", "), "Monthly: accounts.csv, , ")
	b.want(b.members(next)[0].Routine.V.Drafts[0].Fields["country"].Values,
		accounts.Routine.V.Drafts[0].Fields["country"].Values)
	b.want(b.said(b.checkBundle(b.bundled(files...))), "accounts.csv ready map[create:3]\n"+
		"contacts.csv ready map[create:3 hold:1]")
}

// The second of two files of one type is checked again when the first is loaded. Of the rows that
// are in both the check says so, by key as by a company's name, and the load goes on; where
// it says something else then, it waits for a person.
func TestBundleWithTwoOfAType(t *testing.T) {
	b := start(t)
	load := func(bundle store.Bundle) store.Bundle {
		b.Helper()
		b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
		return b.settled(bundle)
	}
	const north, south = "Company,External ID,Country,Phone\nNord Marina,N-1,NO,+47 55 11 22 33\n",
		"Company,External ID,Country,Phone\nSyd Hamn,S-1,SE,+46 8 5551 2233\n"
	bundle := load(b.checkBundle(b.bundled("north.csv", north, "south.csv", south)))
	b.want([]any{bundle.State, b.said(bundle)},
		[]any{life.Loaded, "north.csv loaded map[created:1]\nsouth.csv loaded map[created:1]"})

	bundle = b.checkBundle(b.bundled("one.csv", "Company,External ID,Phone\nVest Marina,V-1,\nInner Quay,V-2,+47 55 66 77 88\n"+
		"Outer Quay,V-3,\n", "two.csv",
		"Company,External ID,Phone,Country\nVest Marina,V-1,,NO\nEast Quay,V-4,,NO\ninner quay,,+47 55 66 77 88,NO\n"))
	b.want(b.said(bundle), "one.csv ready map[create:3]\ntwo.csv ready map[create:3]")
	two := b.members(bundle)[1]
	b.want(strings.Join(b.codes(two), "\n"), "2 made_before \n4 made_before ")
	rows, err := b.room.Rows(b.Context(), two, staging.RowFilter{Problem: "made_before"}, 0, -1, 9)
	b.ok(err)
	b.want(rows[0].Problems[0].Detail+", "+rows[1].Problems[0].Detail, "row 2 of one.csv, row 3 of one.csv")
	bundle = load(bundle)
	b.want([]any{bundle.State, bundle.Trouble.V, b.said(bundle)},
		[]any{life.Loaded, (*store.Trouble)(nil), "one.csv loaded map[created:3]\ntwo.csv loaded map[created:1 updated:2]"})
	b.want(b.record("account", "ACC-3").Values["country"], "NO")

	// What nobody could know of before is a person's to look at: likeness alone says it.
	bundle = b.checkBundle(b.bundled("three.csv", "Company,Street,Town\nSkua Sails,Quay 5,Bergen\n", "four.csv",
		"Company,Street,Town,Country\nSkua Sails & Canvas,Quay 5,Bergen,NO\n"))
	b.want(b.said(bundle), "three.csv ready map[create:1]\nfour.csv ready map[create:1]")
	bundle = load(bundle)
	b.want([]any{bundle.State, bundle.Trouble.V.Code, b.said(bundle)},
		[]any{life.Paused, "checks_differ", "three.csv loaded map[created:1]\nfour.csv ready map[ask:1]"})
}

// A check that is made again in the middle of a load says the same, but that records which an
// import before makes may be there now.
func TestAsSaid(t *testing.T) {
	was := map[string]int64{"create": 10, "update": 3, "hold": 1}
	for _, x := range []struct {
		now   map[string]int64
		twice int64
		want  bool
	}{
		{map[string]int64{"create": 10, "update": 3, "hold": 1}, 0, true},
		{map[string]int64{"create": 9, "update": 4, "hold": 1}, 0, false},
		{map[string]int64{"create": 9, "update": 4, "hold": 1}, 1, true},
		{map[string]int64{"create": 8, "update": 3, "same": 1, "skip": 1, "hold": 1}, 2, true},
		{map[string]int64{"create": 7, "update": 6, "hold": 1}, 2, false},
		{map[string]int64{"create": 9, "update": 3, "hold": 2}, 2, false},
		{map[string]int64{"create": 9, "update": 3, "ask": 1, "hold": 1}, 2, false},
		{map[string]int64{"create": 9, "update": 2, "same": 2, "hold": 1}, 2, false},
		{map[string]int64{"create": 11, "update": 2, "hold": 1}, 2, false},
		{map[string]int64{"create": 9, "update": 3, "hold": 1}, 2, false},
	} {
		if got := asSaid(was, x.now, x.twice); got != x.want {
			t.Errorf("%v, of %d: %v", x.now, x.twice, got)
		}
	}
}

// What somebody has changed since stays when a bundle is taken back: the rest goes, and
// the bundle is not called undone.
func TestBundleTakenBackInPart(t *testing.T) {
	b := start(t)
	bundle := b.bundled("accounts.csv", bundledAccounts, "contacts.csv", bundledContacts)
	if err := b.work.UndoBundle(b.Context(), bundle, b.person); !fault.Is(err, "nothing_written") {
		t.Errorf("nothing is loaded: %v", err)
	}
	bundle = b.checkBundle(bundle)
	b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
	bundle = b.settled(bundle)
	if err := b.work.OrderBundle(b.Context(), bundle, nil, b.person); !fault.Is(err, "wrong_state") {
		t.Errorf("another order after the load: %v", err)
	}
	_, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-1", 0,
		map[string]string{"job_title": "Skipper"}, b.person)
	b.ok(err)
	b.ok(b.work.UndoBundle(b.Context(), bundle, b.person))
	bundle = b.settled(bundle)
	b.want([]any{bundle.State, bundle.Trouble.V.Code}, []any{life.Loaded, "part_undone"})
	b.want(b.record("contact", "CON-1").Links["account"].Title, "Ulvsund Havn")
}

// The files of a bundle say by each other's numbers and names what their columns point to; what a
// person has placed stays. Small numbers say nothing.
func TestColumnsThatNameRowsBeside(t *testing.T) {
	b := start(t)
	bundle := b.bundled(
		"visits.csv", "Date,Subject,With,At,By,Rank\n2026-11-03,Call,P7,K-101,IH,1\n2026-11-04,Visit,P8,K-102,TB,2\n"+
			"2026-11-05,Mail,P9,K-103,IH,3\n",
		"people.csv", "No,First name,Surname,Job title\nP7,Ada,Moe,Buyer\nP8,Ole,Lie,Captain\nP9,Kari,Dahl,Director\n",
		"customers.csv", "No,Company,Town\nK-101,Alpha Marina AS,Bergen\nK-102,Beta Havn AS,Voss\n"+
			"K-103,Gamma Verft AS,Molde\n",
		"staff.csv", "Short,Name,E-mail\nIH,Ilse Hauser,ih@lantern.example\nTB,Tomas Brandt,tb@lantern.example\n",
	)
	bundle = b.checkBundle(bundle)
	var placed []string
	for _, i := range b.members(bundle) {
		if i.Name == "visits.csv" {
			for _, header := range []string{"With", "At", "By", "Rank"} {
				placed = append(placed, b.placed(i, header))
			}
		}
	}
	b.want(placed, "[task contact task account task owner task -]")
	for _, i := range b.members(bundle) {
		b.want(i.Totals.V.Verdicts, map[string]int64{"create": i.Rows})
	}
}

// The same content twice in a bundle makes its records once, and the bundle says so.
func TestSameContentTwice(t *testing.T) {
	b := start(t)
	const customers = "No,Company\nK-101,Alpha Marina AS\n"
	bundle := b.bundled("customers.csv", customers, "copy.csv", customers, "old.zip",
		b.zipped("a/people.csv", "Surname\nMoe\n", "b/people (2).csv", "Surname\nMoe\n", "notes.csv", customers))
	var left []string
	for _, l := range bundle.LeftOut.V {
		left = append(left, l.Name+" "+l.Trouble.Code)
	}
	b.want(left, "[copy.csv same_content b/people (2).csv same_content]")
	b.want(len(b.members(bundle)), 3)
}

// A company of the bundle that people name without its legal form is doubtful where the row is of another town,
// as one that is there would be; that a company of a group is elsewhere than its parent says nothing.
func TestNamesOfTheBundleElsewhere(t *testing.T) {
	b := start(t)
	files := []string{"accounts.csv", "Company,Parent company,Town,Country\nBrise Boote GmbH,,Köln,DE\n" +
		"Brise Nord GmbH,Brise Boote,Husum,DE\n",
		"contacts.csv", "First name,Last name,E-mail,Company,Town\nAda,Ek,ek@x.example,Brise Boote,Cologne\n" +
			"Bo,Lie,lie@x.example,Brise Boote,Kiel\nCy,Moe,moe@x.example,Brise Boote,\nDi,Dahl,dahl@x.example,Brise Boote GmbH,Kiel\n"}
	bundle := b.checkBundle(b.bundled(files...))
	b.want(b.said(bundle), "accounts.csv ready map[create:2]\ncontacts.csv ready map[create:3 hold:1]")
	for _, i := range b.members(bundle) {
		if i.Into == "contact" {
			b.want(b.codes(i), "[3 link_doubtful account]")
		}
	}
	b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
	b.settled(bundle)
	bundle = b.checkBundle(b.bundled(files...))
	b.want(b.said(bundle), "accounts.csv ready map[same:2]\ncontacts.csv ready map[hold:1 same:3]")
}

// How the cells of a bundle's files were understood is part of its routine: the country of telephone
// numbers, and what was decoded wrongly before.
func TestBundleReadAsItsRoutine(t *testing.T) {
	b := start(t)
	files := []string{"accounts.csv", "Number,Company,Phone,Notes\nA-1,Kajen Båtvarv,0480-11 58 53,<p>Ring i maj.</p>\n" +
		"A-2,Norrviks Marina,0490-20 85 18,<p>Vill ha <b>sex</b> stolpar.</p>\nA-3,Almö Segel,0498-28 84 68,<p>Nöjd.</p>\n",
		"contacts.csv", "Number,Given name,Family name,Company,Mobile\nK-1,Åsa,Ek,A-1,070-174 05 11\nK-2,Nils,Hed,,070-174 05 12\n"}
	first := b.checkBundle(b.bundled(files...))
	b.want(b.said(first), "accounts.csv ready map[hold:3]\ncontacts.csv ready map[hold:2]")
	for n, reading := range []sheet.Reading{{Country: "SE", Misread: sheet.MendMisread}, {Country: "SE"}} {
		b.ok(b.work.SetReading(b.Context(), b.members(first)[n], reading, b.person))
		first = b.settled(first)
	}
	_, err := b.work.SaveBundle(b.Context(), first, "Monthly", b.person)
	b.ok(err)
	next := b.checkBundle(b.bundled(files...))
	b.want(b.said(next), "accounts.csv ready map[create:3]\ncontacts.csv ready map[create:2]")
	b.want(b.members(next)[0].Reading.V.Country, "SE")
	b.ok(b.work.LoadBundle(b.Context(), next, store.BundlePolicy{}, b.person))
	b.settled(next)
	b.want(b.record("account", "ACC-2").Values["description"], "Vill ha sex stolpar.")
	b.want(b.record("contact", "CON-2").Values["mobile"], "+46701740512")
	// so it is where a single file is set up by the routine
	one := b.upload("contact", files[3])
	b.ok(b.work.UseRoutine(b.Context(), one, "Monthly: contacts.csv", 0, b.person))
	one = b.wait(one.ID)
	b.want(one.Reading.V.Country+" "+one.Routine.V.Name, "SE Monthly: contacts.csv")
}

// The people within companies, and the items within offers, are tables of a bundle of their own, linked by the numbers
// of what they stand in; the same documents again change nothing.
func TestBundleOfListsWithinObjects(t *testing.T) {
	b := start(t)
	files := []string{"companies.json", `[
		{"accountId": "A1", "name": "Tern Boats Ltd", "addresses": [{"city": "Cowes", "countryCode": "GB"}], "people": [
			{"personId": 901, "givenName": "Ada", "surname": "Berg"}, {"personId": 902, "givenName": "Bo", "surname": "Lie"}]},
		{"accountId": "A2", "name": "Gull Marine Ltd", "addresses": [], "people": []},
		{"accountId": "A3", "name": "Kade AS", "addresses": [{"city": "Bergen", "countryCode": "NO"}], "people": [
			{"personId": 903, "givenName": "Cy", "surname": "Dahl"}]}]`,
		"deals.jsonl", `{"dealId":"D1","title":"Pedestals","accountId":"A1","contactId":902,"stage":"won","expectedCloseDate":"2027-03-01",` +
			`"items":[{"description":"Pedestal 32A","qty":4,"unitPrice":900},{"description":"Meter","qty":4,"unitPrice":120.5}]}` + "\n" +
			`{"dealId":"D2","title":"Lights","accountId":"A3","contactId":903,"stage":"offered","expectedCloseDate":"2027-04-01",` +
			`"items":[{"description":"Pontoon light","qty":12,"unitPrice":80}]}` + "\n"}
	bundle := b.checkBundle(b.bundled(files...))
	b.want(b.said(bundle), "companies.json > objects ready map[create:3]\ncompanies.json > people ready map[create:3]\n"+
		"deals.jsonl > objects ready map[create:2]\ndeals.jsonl > items ready map[create:3]")
	b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
	b.settled(bundle)
	b.want(b.record("account", "ACC-1").Values["locality"]+" "+b.record("account", "ACC-3").Values["country"], "Cowes NO")
	b.want([]any{b.record("contact", "CON-2").Links["account"].ID, b.record("opportunity", "OPP-1").Links["contact"].ID,
		b.record("line", "LIN-3").Links["opportunity"].ID, b.record("line", "LIN-2").Values["product"]},
		[]any{"ACC-1", "CON-2", "OPP-2", "Meter"})
	b.want(b.said(b.checkBundle(b.bundled(files...))), "companies.json > objects ready map[same:3]\ncompanies.json > people ready "+
		"map[same:3]\ndeals.jsonl > objects ready map[same:2]\ndeals.jsonl > items ready map[same:3]")
}
