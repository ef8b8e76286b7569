package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/mapping"
)

// A link by name is taken when the whole name agrees, or all but a legal form that
// one of the two lacks and nothing else speaks against it; another legal form,
// country or town holds the row and names the company.
func TestLinksByName(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company,Town,Country\n"+
		"Anchorby Marina Ltd,Anchorby,GB\nKalvøya Marina,Kalvøya,NO\nTern AS,Ternvik,NO\nTern Ltd,Ternby,GB\nSkarv GmbH & Co. KG,Skarvholm,DE\n")
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
		"Ek,Skarv GmbH und Co KG,,\n")) // 12 the same
	b.want(b.codes(i), "[5 link_doubtful account 6 link_doubtful account 8 link_doubtful account 10 link_ambiguous account 11 link_doubtful account]")
	links := map[int64]any{}
	for row := range int64(11) {
		r, err := b.work.RowAsRecord(b.Context(), i, row+2)
		b.ok(err)
		for _, v := range r.Drafts[0].Values {
			if v.Field.Name == "account" && v.Link != nil {
				links[row+2] = v.Link.ID + " " + v.Why
			}
		}
	}
	const whole, bare = " found by its whole name", " found by its name without the legal form"
	b.want(links, fmt.Sprint(map[int64]any{2: "ACC-1" + whole, 3: "ACC-1" + whole, 4: "ACC-1" + bare, 7: "ACC-2" + bare, 9: "ACC-3" + whole, 12: "ACC-5" + whole}))
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
	b.want(b.rows(b.check(b.change(b.again(i), func(r *mapping.Routine) { r.Drafts[0].Doubtful = mapping.HoldDoubt }))), "[2 hold (hold)]")
}

// Companies of one name and different legal forms are two, as drafts of rows, too.
func TestDraftsOfOtherForms(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company\nAnchorby Marina Ltd\n")
	i := b.upload("contact", "Family name,Company\nEk,Anchorby Marina\nLi,Anchorby Marina GmbH\nAas,Tern AS\nBo,Tern Ltd\nDahl,Tern\n")
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
	b.loaded("staff", "Name,E-mail\nIngrid Havnes,ingrid@lanternquay.example\nLars Brattvik,lars@lanternquay.example\nAnne-Marie Li,anne@lanternquay.example\nLeo Berg,leo@lanternquay.example\n")
	i := b.check(b.upload("account", "Company,Owner\nA Marina,IH\nB Marina,aml\nC Marina,lars@lanternquay.example\nD Marina,\n"))
	b.want(strings.Join(b.codes(i), "\n"), "")
	b.load(i)
	b.want(b.record("account", "ACC-1").Links["owner"].Title+", "+b.record("account", "ACC-2").Links["owner"].Title, "Ingrid Havnes, Anne-Marie Li")
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
