package work

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"
	"uchi/internal/store"
)

// A printed report loads what is a record and nothing else; what may be a heading is held, and
// all of it is read where a person says so.
func TestAReportIsLoadedWithoutWhatIsNoRecord(t *testing.T) {
	b := start(t)
	report := `# Berths, printed 2026-11-20
Company;Town;Country;Web;Employees
Norway;;;;
Fjordlys Marin AS;Bergen;NO;fjordlys.example;12
Havnesund AS;Oslo;NO;havnesund.example;3
Subtotal Norway;;;;15
Company;Town;Country;Web;Employees
# Germany
Tidewerft KG;Emden;DE;tidewerft.example;40
Wellenkamp GmbH;Kiel;DE;wellenkamp.example;8
Ostseeprofil e.K.;Rostock;DE;ostseeprofil.example;5
Pier Neun GmbH;Husum;DE;pierneun.example;2
Kaiwerk GmbH;Kappeln;DE;kaiwerk.example;9
Page 1 of 1;;;;
Grand total;;;;79
`
	i := b.check(b.upload("account", report))
	var noticed []string
	for _, n := range i.Notices.V {
		noticed = append(noticed, fmt.Sprint(n.Code, " ", n.Count))
	}
	slices.Sort(noticed)
	b.want(strings.Join(noticed, ", "), "comment_lines 2, header_again 1, lone_cells 1, page_line 1, totals_row 2")
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 7, "hold": 1})
	b.want(b.codes(i), "[3 lone_cell ]")
	i = b.load(i)
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 7, "held": 1})
	if err := b.work.SetReading(b.Context(), i, sheet.Reading{Asides: sheet.ReadAsides}, b.person); !fault.Is(err, "rows_stay") {
		t.Errorf("rows that were loaded would be others: %v", err)
	}

	again := b.upload("account", report)
	b.ok(b.work.SetReading(b.Context(), again, sheet.Reading{Asides: sheet.ReadAsides, Comment: "none"}, b.person))
	again = b.check(b.wait(again.ID))
	if again.Totals.V.Rows != 13 || slices.Contains(b.codes(again), "3 lone_cell ") {
		t.Errorf("read like the others: %d rows, %v", again.Totals.V.Rows, b.codes(again))
	}
}

// Rows that point to each other are held as a whole, however long the chain is; what points
// elsewhere is not.
func TestALongChainIsHeldWithItsFirst(t *testing.T) {
	b := start(t)
	const length = 150
	text := "Name,Number in the old system,Parent account,Employees\nRoot AS,K-0,,many\n"
	for n := 1; n < length; n++ { // from the last to the first, so that each points to a row further down
		text += fmt.Sprintf("Branch %d AS,K-%d,K-%d,5\n", length-n, length-n, length-n-1)
	}
	text += "Sound AS,S-1,,5\nSound branch AS,S-2,S-1,5\n"
	i := b.check(b.change(b.upload("account", text), func(r *mapping.Routine) { r.Drafts[0].Unreadable = "" }))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2, "hold": length})
	held := 0
	for _, p := range i.Totals.V.Problems {
		if p.Code == "link_held" {
			held = int(p.Count)
		}
	}
	b.want(held, length-1)
}

// A name whose halves seem turned is held where it would make a record; where the record that
// is found has them, in whichever order, it stands and what is there stays.
func TestTurnedNamesOfRecordsThatAreThere(t *testing.T) {
	b := start(t)
	b.loaded("contact", "First name,Surname,E-mail\nMarit,Jørgensen,marit@x.example\n")
	b.loaded("contact", "First name,Surname,E-mail\nTom,Hill,tom@x.example\n")
	_, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-2", 0, map[string]string{"given_name": "Egger", "family_name": "Ralf"}, b.person)
	b.ok(err)
	i := b.check(b.upload("contact", "First name,Surname,E-mail,Phone\nJørgensen,Marit,marit@x.example,+4755112233\nEgger,Ralf,tom@x.example,+4755112244\nKowalska,Agnieszka,a@x.example,\nMarit,Bakken,b@x.example,\n"))
	b.want(b.codes(i), "[4 name_order family_name]")
	i = b.load(i)
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 1, "updated": 2, "held": 1})
	b.want(b.record("contact", "CON-1").Values["given_name"]+" "+b.record("contact", "CON-1").Values["family_name"], "Marit Jørgensen")
	b.want(b.record("contact", "CON-2").Values["given_name"]+" "+b.record("contact", "CON-2").Values["family_name"], "Egger Ralf")

	// Found by a key, the names of the row would take the place of the record's own.
	i = b.upload("contact", "First name,Surname,E-mail,Phone\nJørgensen,Marit,marit@x.example,+4755112255\n")
	i = b.check(b.change(i, func(r *mapping.Routine) { r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"email"}}} }))
	b.want(b.codes(i), "[2 name_order family_name]")
}

// A sheet saved in an encoding without some letters changes no record that has them, and makes
// none.
func TestLettersThatASheetHasLost(t *testing.T) {
	b := start(t)
	b.loaded("contact", "First name,Surname,E-mail,City\nŁukasz,Wiśniewski,lw@x.example,Gdańsk\nJiří,Dvořák,jd@x.example,Mělník\n")
	const back = "Contact id,First name,Surname,E-mail,City\nCON-1,?ukasz,Wi?niewski,lw@x.example,Gda?sk\nCON-2,Ji?í,Novot?ý,jd@x.example,M?lník\n,Ay?e,Demir,ad@x.example,\n"
	i := b.check(b.upload("contact", back))
	b.want(b.codes(i), "[3 lost_letters family_name 4 lost_letters given_name]")
	b.want(i.Totals.V.Verdicts, map[string]int64{"same": 1, "hold": 2})

	// Who says that rows replace what is there is asked about each; who takes them as they stand is not.
	chosen := func(policy mapping.Doubtful) store.Import {
		return b.check(b.change(b.upload("contact", back), func(r *mapping.Routine) {
			r.Drafts[0].Both, r.Drafts[0].Doubtful = mapping.Replace, policy
		}))
	}
	b.want(chosen("").Totals.V.Verdicts, map[string]int64{"hold": 3})
	b.want(chosen(mapping.TakeRows).Totals.V.Verdicts, map[string]int64{"update": 2, "create": 1})
}

// What a spreadsheet program makes of numbers and codes changes no record that has them in full;
// a value in full takes the place of what such a program has left.
func TestDigitsThatASheetHasLost(t *testing.T) {
	b := start(t)
	const full = "Name,Street,Postal code,Registration number,Number in the old system\nAlpha Marina,5-6,0150,123456789012345678,00017\nBeta Marina,Kai 7,01067,007E5,MAR-1\n"
	b.loaded("account", full)
	i := b.check(b.upload("account", "Account id,Name,Street,Postal code,Registration number,Number in the old system\nACC-1,Alpha Marina,05-Jun,150,1.23457E+17,17\nACC-2,Beta Marina,Kai 7,1067,700000,01-Mar\n"))
	b.want(i.Totals.V.Verdicts, map[string]int64{"same": 2})
	// What no such program does is a change: another number, another word, a code in capitals.
	i = b.check(b.change(b.upload("account", "Account id,Street,Postal code,Number in the old system,Registration number\nACC-1,5-7,0151,00018,1.23457E+15\nACC-2,Kai 10,01068,Mar-12,12345\n"), func(r *mapping.Routine) { r.Drafts[0].Doubtful = mapping.TakeRows }))
	b.want(i.Totals.V.Changes, []verdict.FieldCount{{Field: "postal_code", Count: 2, Over: 2}, {Field: "registration_number", Count: 2, Over: 2}, {Field: "source_ref", Count: 2, Over: 2}, {Field: "street", Count: 2, Over: 2}})
	b.want(b.check(b.upload("account", "Account id,Street,Number in the old system\nACC-1,2026-06-05,\nACC-2,,Mar-01\n")).Totals.V.Verdicts, map[string]int64{"same": 2})
	b.want(b.codes(b.check(b.upload("account", "Name,Street,Postal code,Number in the old system\nGamma Marina,05-Jun,1000,1.2E+15\n"))), "[2 damaged_number source_ref 2 made_a_date street]")

	_, err := b.work.ChangeRecord(b.Context(), "main", "account", "ACC-1", 0, map[string]string{"postal_code": "150", "street": "05-Jun", "source_ref": "17"}, b.person)
	b.ok(err)
	b.load(b.check(b.upload("account", "Account id,Street,Postal code,Number in the old system\nACC-1,5-6,0150,00017\n")))
	v := b.record("account", "ACC-1").Values
	b.want(v["postal_code"]+" "+v["street"]+" "+v["source_ref"], "0150 5-6 00017")
}
