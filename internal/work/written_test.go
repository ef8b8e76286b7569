package work

import (
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/store"
)

// What a row only writes otherwise, or cut short, leaves a record as it is, unless
// the field's policy says that it replaces.
func TestWrittenOtherwise(t *testing.T) {
	b := start(t)
	const head = "Contact number,Family name,Job title,Street,Notes\n"
	b.loaded("contact", head+
		"K-1,Øksnes,Head of Sales,Storgata 4,Prefers the morning. Ask for Kari.\n"+
		"K-2,Ångström,Skipper,Storgata 1,\n"+
		"K-3,Μακρής,Ναυπηγός,Λιμάνι 7,\n"+
		"K-4,Lund,Skipper,Hafenstraße 12,\n")
	for row, want := range map[string]string{
		// capitals, accents, marks and spaces
		"K-1,OKSNES,HEAD OF SALES,storgata 4,prefers the morning  ask for Kari\n": "same",
		// the first words of what is there
		"K-1,Øksnes,Head,Storgata 4,Prefers the morning.\n": "same",
		"K-1,Øksnes,Header,Storgata 4,\n":                   "update", // no whole word of it
		"K-1,Øksnes,Head of Sales,Storgata 40,\n":           "update", // another house
		"K-1,Øksnes,Head of Sales North,Storgata 4,\n":      "update", // more than is there
		"K-2,Angstrom,skipper,Storgata 1.,\n":               "same",
		"K-2,Ångström,Skipper,Storgata 12,\n":               "update",
		"K-4,Lund,Skipper,Hafenstraße 1.,\n":                "update", // another house
		"K-4,Lund,Skipper,Hafenstr.,\n":                     "same",
		// short forms, and what a narrow column has left
		"K-1,Øks.,Head of Sal.,Storg.,Prefers the morning. Ask for Ka\n": "same",
		"K-1,Øksnes,Head of S,Storgata 4,\n":                             "update", // too little to say
		"K-3,ΜΑΚΡΗΣ,ΝΑΥΠΗΓΟΣ,ΛΙΜΑΝΙ 7,\n":                                "same",
		"K-3,Μακρής,Ναυτικός,Λιμάνι 7,\n":                                "update",
	} {
		i := b.check(b.upload("contact", head+row))
		if n := i.Totals.V.Verdicts[want]; n != 1 {
			t.Errorf("%s: %v, want %s", row, i.Totals.V.Verdicts, want)
		}
	}
	// The letters of a country before a postal code, and lines in a cell.
	const yards = "Customer number,Company,PLZ\n"
	plain := func(row string) store.Import { // the whole code is the value
		return b.check(b.change(b.upload("account", yards+row), func(r *mapping.Routine) {
			delete(r.Drafts[0].Fields, "country")
			r.Drafts[0].Fields["postal_code"] = mapping.Origin{From: []string{"PLZ"}}
		}))
	}
	b.load(plain("Y-1,\"Werft  Kron\nBremen\",D-28195\nY-2,Werft Toft,6400\n"))
	b.want(b.record("account", "ACC-1").Values["name"]+", "+b.record("account", "ACC-1").Values["postal_code"],
		"Werft Kron Bremen, D-28195")
	for row, want := range map[string]string{"Y-1,Werft Kron Bremen,28195\n": "same",
		"Y-2,Werft Toft,DK-6400\n": "same", "Y-2,Werft Toft,DK-6401\n": "update"} {
		if n := plain(row).Totals.V.Verdicts[want]; n != 1 {
			t.Errorf("%s: not %s", row, want)
		}
	}
	const companies = "Customer number,Company,Town\n"
	b.loaded("account", companies+"A-1,Brinewick Boatyard Ltd,Brinewick\n")
	company := b.load(b.check(b.upload("account", companies+"A-1,BRINEWICK BOATYARD LIMITED,Port Brine\n")))
	b.want(company.Outcomes.V, map[verdict.Outcome]int64{"updated": 1})
	b.want(b.record("account", "ACC-3").Values["name"]+", "+b.record("account", "ACC-3").Values["locality"],
		"Brinewick Boatyard Ltd, Port Brine")
	i := b.upload("contact", head+"K-1,Øksnes,HEAD OF SALES,Storgata 4,\n")
	b.load(b.check(b.change(i, func(r *mapping.Routine) {
		o := r.Drafts[0].Fields["job_title"]
		o.Both = mapping.Replace
		r.Drafts[0].Fields["job_title"] = o
	})))
	b.want(b.record("contact", "CON-1").Values["job_title"], "HEAD OF SALES")
}
