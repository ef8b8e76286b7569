package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
)

// A link by name is taken when the whole name agrees, or all but a legal form that
// one of the two lacks and nothing else speaks against it; another legal form,
// country or town holds the row and names the company.
func TestLinksByName(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company,Town,Country\n"+
		"Anchorby Marina Ltd,Anchorby,GB\nKalvøya Marina,Kalvøya,NO\nTern AS,Ternvik,NO\nTern Ltd,Ternby,GB\n"+
		"Skarv GmbH & Co. KG,Skarvholm,DE\nBrise Boote GmbH,Köln,DE\n")
	i := b.check(b.upload("contact", "Family name,Company,Town,Country\n"+
		"Ek,Anchorby Marina Ltd,Elsewhere,SE\n"+ // 2 the whole name
		"Ek,ANCHORBY MARINA LIMITED,,\n"+ // 3 the same form, written out
		"Ek,Anchorby Marina,,GB\n"+ // 4 without its form, nothing against it
		"Ek,Anchorby Marina,,NO\n"+ // 5 of another country
		"Ek,Anchorby Marina GmbH,,\n"+ // 6 another form
		"Ek,Kalvøya Marina AS,Kalvøya,NO\n"+ // 7 a form where the record has none
		"Ek,Kalvøya Marina AS,Tromvik,NO\n"+ // 8 in another town
		"Ek,Tern A/S,,\n"+ // 9 of two companies that of its form
		"Ek,Tern,,\n"+ // 10 either
		"Ek,Skarv GmbH,,\n"+ // 11 another form
		"Ek,Skarv GmbH und Co KG,,\n"+ // 12 the same
		"Ek,Brise Boote,Cologne,\n")) // 13 in the same town, by another name of it
	b.want(b.codes(i), "[5 link_doubtful account 6 link_doubtful account 8 link_doubtful account 10 link_ambiguous "+
		"account 11 link_doubtful account]")
	links := map[int64]any{}
	for row := range int64(12) {
		r, err := b.work.RowAsRecord(b.Context(), i, row+2)
		b.ok(err)
		for _, v := range r.Drafts[0].Values {
			if v.Field.Name == "account" && v.Link != nil {
				links[row+2] = v.Link.ID + " " + v.Why
			}
		}
	}
	const whole, bare = " found by its whole name", " found by its name without the legal form"
	b.want(links, fmt.Sprint(map[int64]any{2: "ACC-1" + whole, 3: "ACC-1" + whole, 4: "ACC-1" + bare, 7: "ACC-2" + bare,
		9: "ACC-3" + whole, 12: "ACC-5" + whole, 13: "ACC-6" + bare}))
}

// People are named in any order.
func TestLinksToPeople(t *testing.T) {
	b := start(t)
	b.loaded("staff", "Name,E-mail\nIngrid Havnes,ingrid@uchi.example\n")
	i := b.check(b.upload("account", "Company,Owner\nTern,Ingrid Havnes\nGull,\"Havnes, Ingrid\"\nSkarv,ingrid havnes\n"))
	b.want(b.codes(i), "[]")
	// Who has left is told, and holds the row where the routine says so.
	b.loaded("staff", "Name,E-mail,Active\nNils Berg,nils@uchi.example,no\n")
	i = b.upload("account", "Company,Owner\nRagn,Nils Berg\n")
	b.want(b.rows(b.check(i)), "[2 create (create)]")
	b.want(b.codes(b.again(i)), "[2 link_left owner]")
	b.want(b.rows(b.check(b.change(b.again(i), func(r *mapping.Routine) { r.Drafts[0].Doubtful = mapping.HoldDoubt }))),
		"[2 hold (hold)]")
}

// Companies of one name and different legal forms are two, as drafts of rows, too.
func TestDraftsOfOtherForms(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company\nAnchorby Marina Ltd\n")
	i := b.upload("contact", "Family name,Company\nEk,Anchorby Marina\nLi,Anchorby Marina GmbH\nAas,Tern AS\n"+
		"Bo,Tern Ltd\nDahl,Tern\n")
	b.ok(b.work.AddDraft(b.Context(), i, mapping.Draft{Type: "account"}, 0, b.person))
	i = b.check(b.wait(i.ID))
	// The first is asked about the company of the other form, with which the second
	// stands in the file; so are the fifth and sixth about that of the fourth.
	b.want(b.rows(i), "[2 ask (ask, ask) 3 hold (hold, skip) 4 create (create, create) 5 ask (ask, ask) 6 ask (ask, ask)]")
}

// Owners by their initials: taken where the whole column is of our people, and not
// where some of them are others', who may have the same.
func TestOwnersByInitials(t *testing.T) {
	b := start(t)
	b.loaded("staff", "Name,E-mail\nIngrid Havnes,ingrid@lanternquay.example\nLars Brattvik,lars@lanternquay.example\n"+
		"Anne-Marie Li,anne@lanternquay.example\nLeo Berg,leo@lanternquay.example\n")
	i := b.check(b.upload("account", "Company,Owner\nA Marina,IH\nB Marina,aml\nC Marina,lars@lanternquay.example\n"+
		"D Marina,\n"))
	b.want(strings.Join(b.codes(i), "\n"), "")
	b.load(i)
	b.want(b.record("account", "ACC-1").Links["owner"].Title+", "+b.record("account", "ACC-2").Links["owner"].Title,
		"Ingrid Havnes, Anne-Marie Li")
	i = b.check(b.upload("account", "Company,Owner\nE Marina,IH\nF Marina,FQ\n"))
	b.want(strings.Join(b.codes(i), "\n"), "2 link_not_found owner\n3 link_not_found owner")
	// One of their names is enough where all are so, and an initial with the family name anywhere.
	i = b.check(b.upload("account", "Company,Owner\nI Marina,Brattvik\nJ Marina,ingrid\nK Marina,A. Li\n"))
	b.want(strings.Join(b.codes(i), "\n"), "")
	i = b.check(b.upload("account", "Company,Owner\nL Marina,Brattvik\nM Marina,Nobody\nN Marina,I. Havnes\n"))
	b.want(strings.Join(b.codes(i), "\n"), "2 link_not_found owner\n3 link_not_found owner")
	i = b.check(b.upload("account", "Company,Owner\nG Marina,LB\nH Marina,IH\n")) // two of the same
	b.want(strings.Join(b.codes(i), "\n"), "2 link_ambiguous owner")
}

// Companies that contacts name and that are not there are made, each once; near names are
// asked about, those that are there stay as they are, and the second time all is the same.
func TestMissingRecordsAreCreated(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company,Country,Town\nHavneby Havn AS,NO,Havneby\nSkarv GmbH,DE,Skarvholm\n")
	rows := "Last name,E-mail,Company,Town,Country\nBerg,b@x.example,Havneby Havn,Havneby,NO\n" +
		"Lie,l@x.example,Nordkai Marina,Nordkai,NO\n" +
		"Moe,m@x.example,Nordkai Marina,Oslo,NO\nDal,d@x.example,privat,Oslo,NO\nEk,e@x.example,Skarv Ltd,Skarvby,GB\n"
	create := func(r *mapping.Routine) {
		o := r.Drafts[0].Fields["account"]
		o.Unreadable = mapping.CreateMissing
		r.Drafts[0].Fields["account"] = o
	}
	i := b.check(b.upload("contact", rows))
	b.want(strings.Join(b.codes(i), "\n"), "3 link_not_found account\n4 link_not_found account\n6 link_doubtful account")
	i = b.check(b.change(i, create))
	b.want(fields(*i.Routine.V), "contact.account=account contact.country=Country contact.email=E-mail "+
		"contact.family_name=Last name contact.locality=Town account.country=Country account.locality=Town account.name=Company")
	b.want(strings.Join(b.rows(i), "\n"), "2 create (create, skip 1)\n3 create (create, create)\n"+
		"4 create (create, skip)\n5 create (create, skip)\n6 ask (ask, ask)")
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 4, "held": 1})
	b.want(b.record("account", "ACC-1").Values["name"], "Havneby Havn AS")
	// its rows name two towns
	b.want(fmt.Sprint(b.record("account", "ACC-3").Values["country"], b.record("account", "ACC-3").Values["locality"]),
		"NO")
	for id, account := range map[string]string{"CON-1": "ACC-1", "CON-2": "ACC-3", "CON-3": "ACC-3", "CON-4": ""} {
		b.want(b.record("contact", id).Links["account"].ID, account)
	}
	again := b.check(b.change(b.upload("contact", rows), create))
	b.want(again.Totals.V.Verdicts, map[string]int64{"same": 4, "ask": 1})
	// about the account, of which alone it is asked
	answered, err := b.work.Answer(b.Context(), again, []Given{{Row: 6, Choice: verdict.ChooseNew}}, b.person)
	b.ok(err)
	b.want(answered, int64(1))
	again = b.check(again)
	b.want(strings.Join(b.rows(again)[4:], ""), "6 create (create, create)")
	b.undo(i, UndoRequest{})
	b.want(strings.Count(b.records("account", "contact"), "\n"), 1) // the two that were there
}

// The halves of a person's name stand in any order.
func TestNamesInAnyOrder(t *testing.T) {
	b := start(t)
	b.loaded("staff", "Name,E-mail\nIngrid Havnes,i@quay.example\nHeike van der Möwe,h@quay.example\n"+
		"Havnes Ola,o@quay.example\n")
	b.loaded("contact", "First name,Last name\n大輔,鴎川\nAnne Marie,Berg\n")
	b.loaded("account", "Company\nQuay\n")
	i := b.check(b.upload("opportunity", "Title,Account,Contact,Owner,Stage,Expected close\n"+
		"A,Quay,鴎川 大輔,Havnes Ingrid,offered,2027-01-31\nB,Quay,Berg Anne Marie,\"van der Möwe, Heike\",offered,2027-01-31\n"+
		"C,Quay,Anne Berg,Ola Havnes,offered,2027-01-31\n"))
	b.want(strings.Join(b.codes(i), "\n"), "4 link_not_found contact")
	b.load(i)
	for id, want := range map[string]string{"OPP-1": "CON-1 STF-1", "OPP-2": "CON-2 STF-2"} {
		r := b.record("opportunity", id)
		b.want(r.Links["contact"].ID+" "+r.Links["owner"].ID, want)
	}
}
