package work

import (
	"strings"
	"testing"

	"uchi/internal/core/mapping"
)

// Of several people of one name the one at the row's company is meant; one who is at another
// company is held, until it is said that it is that one.
func TestPeopleOfOneName(t *testing.T) {
	b := start(t)
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
