package work

import (
	"strings"
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// Of several people of one name the one at the row's company is meant; one who is at another
// company is held, until it is said that it is that one.
func TestPeopleOfOneName(t *testing.T) {
	b := start(t)
	b.room.OfMany()
	b.loaded("account", "Company,External ID\nTern Marina,T\nGull Yachts,G\nSkerry Boats,S\n")
	b.loaded("contact", "First name,Family name,E-mail,Account,Birthday,Town\n"+
		"Kari,Ek,k@tern.example,T,1980-04-03,Ternvik\nKari,Ek,kari.ek@gull.example,G,1991-11-12,Gullhaven\n"+
		"Bo,Li,b@gull.example,G,,\nUna,Ås,u@x.example,,,\n")
	const head = "Title,Account,Contact,Stage,Expected close\n"
	i := b.check(b.upload("opportunity", head+
		"One,Tern Marina,Kari Ek,offered,2027-01-31\nTwo,Gull Yachts,\"Ek, Kari\",offered,2027-01-31\n"+
		"Three,Skerry Boats,Kari Ek,offered,2027-01-31\n"+
		"Four,Gull Yachts,Bo Li,offered,2027-01-31\nFive,Tern Marina,Bo Li,offered,2027-01-31\n"+
		"Six,Tern Marina,Una Ås,offered,2027-01-31\nSeven,Tern Marina,b@gull.example,offered,2027-01-31\n"))
	b.want(strings.Join(b.codes(i), ", "), "4 link_ambiguous contact, 6 link_apart contact")
	i = b.mend(i, CellEdit{Row: 6, Column: "Contact", Value: "CON-3"})
	b.want(strings.Join(b.codes(i), ", "), "4 link_ambiguous contact")
	row, err := b.work.RowAsRecord(t.Context(), i, 3)
	b.ok(err)
	for _, v := range row.Drafts[0].Values {
		if v.Field.Name == "contact" {
			b.want(v.Link.ID+", "+v.Why, "CON-2, found by its name, among several by what it belongs to")
		}
	}
	// So it is where the company is another record of the row.
	drafted := b.change(b.upload("opportunity", head+"One,Tern Marina,Ek Kari,offered,2027-01-31\n"+
		"Three,New Marina,Kari Ek,offered,2027-01-31\nFive,Tern Marina,Bo Li,offered,2027-01-31\n"),
		func(r *mapping.Routine) {
			r.Drafts[0].Fields["account"] = mapping.Origin{From: []string{"Account"}, Unreadable: mapping.CreateMissing}
		})
	drafted = b.check(drafted)
	b.want(strings.Join(b.codes(drafted), ", "), "3 link_ambiguous opportunity.contact, 4 link_apart opportunity.contact")
	b.load(i)
	var got []string
	for _, id := range []string{"OPP-1", "OPP-2", "OPP-3", "OPP-4"} {
		got = append(got, b.record("opportunity", id).Links["contact"].ID)
	}
	b.want(strings.Join(got, " "), "CON-1 CON-2 CON-3 CON-3")
}

// So it is in a bundle, where the people and their companies are rows of other files.
func TestPeopleOfOneNameInABundle(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company,External ID\nSkerry Boats,S\n")
	b.loaded("contact", "First name,Family name,E-mail,Account,Birthday,Town\nKari,Ek,ek@skerry.example,S,1970-05-05,Skerry\n")
	bundle := b.checkBundle(b.bundled(
		"accounts.csv", "Company,External ID,Town\nTern Marina,T,Ternvik\nGull Yachts,G,Gullhaven\nSkerry Boats,S,\nHull Works,H,\n",
		"contacts.csv", "First name,Family name,E-mail,Company,Birthday,Town\nKari,Ek,k@tern.example,Tern Marina,1980-04-03,Ternvik\n"+
			"Kari,Ek,kari.ek@gull.example,Gull Yachts,1991-11-12,Gullhaven\nBo,Li,b@gull.example,Gull Yachts,,\n"+
			"Una,Ås,una.hull.example,Hull Works,1980-02-21,Hull\nUna,Ås,ua@tern.example,Tern Marina,1975-03-01,Ternvik\n",
		"deals.csv", "Title,Company,Contact,Stage,Expected close\n"+
			"One,Tern Marina,Kari Ek,offered,2027-01-31\nTwo,G,\"Ek, Kari\",offered,2027-01-31\n"+
			"Three,Skerry Boats,Kari Ek,offered,2027-01-31\nFour,Hull Works,Kari Ek,offered,2027-01-31\n"+
			"Five,Tern Marina,Bo Li,offered,2027-01-31\nSix,Hull Works,Una Ås,offered,2027-01-31\n"+
			"Seven,Tern Marina,Una Ås,offered,2027-01-31\n"))
	b.want(b.said(bundle), "accounts.csv ready map[create:3 same:1]\ncontacts.csv ready map[create:4 hold:1]\n"+
		"deals.csv ready map[create:4 hold:3]")
	deals := b.members(bundle)[2]
	b.want(strings.Join(b.codes(deals), ", "), "5 link_ambiguous contact, 6 link_apart contact, 7 link_held contact")
	rows, err := b.room.Rows(t.Context(), deals, staging.RowFilter{}, 5, -1, 1)
	b.ok(err)
	b.want(rows[0].Problems[0].Detail, "row 4 of contacts.csv Bo Li, of row 3 of accounts.csv")
	row, err := b.work.RowAsRecord(t.Context(), deals, 3)
	b.ok(err)
	for _, v := range row.Drafts[0].Values {
		if v.Field.Name == "contact" {
			b.want(v.Why, "found by its name, among several by what it belongs to")
		}
	}
	// A row that is mended finds the one at its company among the rows of the other file.
	deals = b.mend(deals, CellEdit{Row: 5, Column: "Company", Value: "Gull Yachts"})
	b.want(strings.Join(b.codes(deals), ", "), "6 link_apart contact, 7 link_held contact")
	b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
	b.settled(bundle)
	var got []string
	for _, id := range []string{"OPP-1", "OPP-2", "OPP-3", "OPP-4", "OPP-5"} {
		deal := b.record("opportunity", id)
		got = append(got, deal.Values["title"]+" "+b.record("contact", deal.Links["contact"].ID).Values["email"])
	}
	b.want(strings.Join(got, ", "), "One k@tern.example, Two kari.ek@gull.example, Three ek@skerry.example, "+
		"Four kari.ek@gull.example, Seven ua@tern.example")
}
