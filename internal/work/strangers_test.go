package work

import (
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
)

// A number that finds the record of somebody else, as where one column of a sheet was sorted by
// itself, writes nothing over it; another writing, a marriage and whatever else is the same do not hold a row.
func TestNumbersOfOthers(t *testing.T) {
	b := start(t)
	const head = "Ref,Given name,Family name,E-mail,City\n"
	b.loaded("contact", head+"R1,Anna,Kade,anna@q1.example,Kiel\nR2,Per,Lund,per@q2.example,Oslo\n"+
		"R3,Ute,Moe,ute@q3.example,Bergen\nR4,Ida,Berg,ida@q4.example,Lyon\nR5,Tomás,Reyes,tom@q5.example,Vigo\n")
	slipped := head + "R2,Anna,Kade,anna@q1.example,Kiel\nR3,Per,Lund,per@q2.example,Oslo\n" +
		"R1,Ute,Moe,ute@q3.example,Bergen\n"
	i := b.check(b.upload("contact", slipped))
	b.want(b.codes(i), "[2 other_name family_name 3 other_name family_name 4 other_name family_name]")
	b.want(b.rows(i)[0], "2 hold (hold 2)")
	b.want(b.load(i).Outcomes.V, map[verdict.Outcome]int64{"held": 3})
	b.want(b.record("contact", "CON-2").Title, "Per Lund")

	fine := head +
		"R1,Anna,Kade-Lund,anna.lund@q1.example,Kiel\n" + // married
		"R2,Lund,Per,,Oslo\n" + // turned
		"R3,U.,Moe,,Bergen\n" + // an initial
		"R4,Ina,Kristiansen,ida@q4.example,Lyon\n" + // the mailbox is hers
		"R5,Thomas,Reyse,,Vigo\n" // slips
	b.want(b.codes(b.check(b.upload("contact", fine))), "[3 name_order family_name]")

	taken := b.check(b.change(b.upload("contact", slipped),
		func(r *mapping.Routine) { r.Drafts[0].Doubtful = mapping.TakeRows }))
	b.want(b.codes(taken), "[]")
	gone := b.check(b.change(b.upload("contact", slipped), func(r *mapping.Routine) { r.May = mapping.Delete }))
	b.want(b.codes(gone), "[2 other_name family_name 3 other_name family_name 4 other_name family_name]")
	b.loaded("account", "Ref,Company,Website,Town\nA1,Quay Marina,https://quay.example,Kiel\n"+
		"A2,Tern Marina,https://tern.example,Oslo\nA3,Gull Boats GmbH,https://gull.example,Lyon\nA4,Skua Yachts,,Vigo\n")
	b.want(b.codes(b.check(b.upload("account", "Ref,Company,Website,Town\n"+
		"A1,Tern Marina,,Oslo\n"+ // the word that they share says nothing
		"A2,Heron Marina,https://tern.example,Oslo\n"+ // called otherwise now
		"A3,GULL-BOATS,,Lyon\n"+
		"A4,Skua Sail & Spar,,Vigo\n"))), "[2 other_name name]")
}

// Two lists that number their rows 1, 2, 3: what else they say tells that they are not of one, even where names
// are a little alike or one half of them is the same.
func TestNumbersOfAnotherList(t *testing.T) {
	b := start(t)
	const head = "Ref,Company,Phone,Street,Town\n"
	b.loaded("account", head+"1,Matthiesen Segelmacherei GmbH,+49 431 90182,Am Kai 64,Heide\n"+
		"2,Brandt Lackiererei GmbH,+49 431 90183,Hafenstr. 86,Rendsburg\n3,Maier Yachten,+49 431 90184,Kaistr. 1,Kiel\n")
	b.want(b.codes(b.check(b.upload("account", head+"1,Bäckerei Schulz,+49 221 10007,Ringstr. 2,Köln\n"+
		"2,Steuerbüro Arndt,+49 221 10008,Ringstr. 9,Köln\n"+
		"3,Mayer Yachten,+49 221 10009,Ringstr. 1,Köln\n"))), "[2 other_name name 3 other_name name]") // it has moved
	b.want(b.codes(b.check(b.upload("account", "Ref,Company\n2,Brant Lackierung\n"))), "[]")

	const people = "Ref,Given name,Family name,E-mail,City\n"
	b.loaded("contact", people+"1,Anna,Kade,anna@q1.example,Kiel\n2,Per,Lund,per@q2.example,Oslo\n3,Ida,Moe,ida@q3.example,Lyon\n")
	b.want(b.codes(b.check(b.upload("contact", people+"1,Anna,Reyes,reyes@q4.example,Vigo\n"+
		"2,Lars,Lund,lars@q4.example,Vigo\n3,Ida Marie,Moe,ida@q4.example,Vigo\n"))),
		"[2 other_name family_name 3 other_name family_name]")
}

// Of a deal that is both its title and its company.
func TestNumbersOfOtherDeals(t *testing.T) {
	b := start(t)
	b.loaded("account", "Source ref,Company\nA-1,Tern Marina\nA-2,Gull Boats\n")
	b.loaded("opportunity", deals+"Mooring lines,A-1,offered,5000,EUR,2026-12-01,D-1\n"+
		"Crane,A-2,offered,5000,EUR,2026-12-01,D-2\n")
	b.want(b.codes(b.check(b.upload("opportunity", deals+"Crane,A-2,offered,5000,EUR,2026-12-01,D-1\n"+
		"Cradle,A-2,offered,5000,EUR,2026-12-01,D-2\n"))), "[2 other_name title]")
}

// Another number of the record than its own, a degree, an extension, a longer name and what only a
// writing changes stay as they are.
func TestLessOfAValue(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Title,Given name,Family name,Phone,Street,City,Language,Consent to e-mail\n"+
		"R1,Prof. Dr.,Jürgen,Müller,+49 30 901820 ext. 12,5 High Street,Köln,en-GB,no\n")
	i := b.check(b.upload("contact", "Ref,Title,Given name,Family name,Phone,Street,City,Language,Consent to e-mail\n"+
		"R1,Mr,Juergen,Mueller,+49 30 901820,5 High St,Koeln,en,yes\n"))
	b.want(b.codes(i), "[2 doubtful_value email_consent]")
	b.want(b.rows(i)[0], "2 same (same 1)")
	i = b.check(b.upload("contact", "Ref,Title,Given name,Family name,Phone,Street,City,Language,Consent to e-mail\n"+
		"R1,Dr.,Jürgen,Müller,+49 30 901820 ext. 15,5 High Street North,Köln,de,no\n"))
	b.want(b.codes(i), "[]")
	r := b.load(i)
	b.want(r.Outcomes.V, map[verdict.Outcome]int64{"updated": 1})
	v := b.record("contact", "CON-1").Values
	b.want(v["honorific"]+" "+v["phone"]+" "+v["street"]+" "+v["language"],
		"Prof. Dr. +4930901820;ext=15 5 High Street North de")

	const away = "Ref,Given name,Family name,E-mail,Street,City,State,Country\n"
	b.loaded("contact", away+"R2,Jan,van der Berg,jan@quay.example,Hafenstraße 12,Kiel,California,US\n")
	i = b.check(b.upload("contact", away+"R2,Jan,Berg,jan@gmial.com,Hafenstr. 12,Kiel,CA,US\n"))
	b.want(b.codes(i), "[2 misspelt_domain email]")
	i = b.check(b.upload("contact", away+"R2,Jan,Berg,jan@quay.example,Hafenstr. 12,Kiel,CA,US\n"))
	b.want(b.rows(i)[0], "2 same (same 2)")

	b.loaded("account", "Ref,Company,Registration number,Website\nA1,Quay Ltd,HRB 12345,https://quay.example\n")
	i = b.check(b.upload("account", "Ref,Company,Registration number,Website\n"+
		"A1,Quay Ltd,HRB-12345,https://de.linkedin.com/quay\n"))
	b.want(b.codes(i), "[2 doubtful_value website]")
	b.want(b.rows(i)[0], "2 same (same 1)")
	b.want(b.codes(b.check(b.upload("account", "Ref,Company,Website\nA1,Quay Ltd,https://fb.com/quay\n"))),
		"[2 doubtful_value website]")
	// Signs tell other keys apart.
	b.want(b.codes(b.check(b.upload("account", "Ref,Company,Registration number\nA1,Quay Ltd,HRB 123.45\n"))),
		"[2 key_differs registration_number]")
	b.loaded("staff", "Name,E-mail\nAda Berg,a.berg@x.example\n")
	own := b.check(b.change(b.upload("staff", "ID,Name,E-mail\nSTF-1,Ada Berg,aberg@x.example\n"),
		func(r *mapping.Routine) {
			r.Drafts[0].Fields[mapping.IDField] = mapping.Origin{From: []string{"ID"}}
		}))
	b.want(b.rows(own)[0], "2 update (update 1)")
}

// Where numbers of a bundle are those of other records, what points to its rows is not linked to these.
func TestBundleWithNumbersOfOthers(t *testing.T) {
	b := start(t)
	const companies, deals = "Nr,Firma,Ort\n", "Kunde,Titel,Phase,Betrag,Währung,Abschluss\n"
	b.loaded("account", companies+"101,Heron Marina,Oslo\n102,Tern Boats,Lyon\n")
	bundle := b.checkBundle(b.bundled("firmen.csv", companies+"101,Werft Ahrens,Kiel\n102,Tern Boats,Lyon\n103,Kran Hinz,Husum\n",
		"projekte.csv", deals+"101,Steg,offered,100,EUR,2027-01-01\n102,Kran,offered,100,EUR,2027-01-01\n"+
			"103,Boje,offered,100,EUR,2027-01-01\n"))
	b.want(b.said(bundle), "firmen.csv ready map[create:1 hold:1 same:1]\nprojekte.csv ready map[create:2 hold:1]")
	b.want(b.codes(b.members(bundle)[1]), "[2 link_held account]")
}

// Two columns under each other's header: what a row calls its record is what the record says in another field, and the other
// way round. No record is renamed so, whatever else agrees; one that has moved, or is called otherwise, is.
func TestColumnsTurnedAbout(t *testing.T) {
	b := start(t)
	b.loaded("account", "Ref,Company,Town,E-mail\nA1,Skovly Boats,Aarhus,jm@skovly.example\nA2,Lille Marina,Svendborg,ph@lille.example\n"+
		"A3,Kai Works,Ribe,bo@kai.example\nA4,Østre Bådudlejning,København Ø,kim@ostre.example\nA5,Faaborg Havn,Faaborg,havn@faaborg.example\n")
	b.want(b.codes(b.check(b.upload("account", "Ref,Town,Company,E-mail\nA1,Skovly Boats,Aarhus,jm@skovly.example\n"+
		"A2,LILLE MARINA,svendborg,ph@lille.example\nA3,Ribe,Heron Yard,bo@kai.example\n"+
		"A4,Østre Bådudlejning,København Ø,kim@ostre.example\nA5,Faaborg Havn,Faaborg,havn@faaborg.example\n"))),
		"[2 other_name name 3 other_name name 5 other_name name 6 other_name name]")
}
