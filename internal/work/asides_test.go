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
	if err := b.work.SetReading(b.Context(), i, sheet.Reading{Asides: sheet.ReadAsides}, b.person); !fault.Is(err,
		"rows_stay") {
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
	_, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-2", 0,
		map[string]string{"given_name": "Egger", "family_name": "Ralf"}, b.person)
	b.ok(err)
	i := b.check(b.upload("contact", "First name,Surname,E-mail,Phone\nJørgensen,Marit,marit@x.example,+4755112233\n"+
		"Egger,Ralf,tom@x.example,+4755112244\nKowalska,Agnieszka,a@x.example,\nMarit,Bakken,b@x.example,\n"))
	b.want(b.codes(i), "[4 name_order family_name]")
	i = b.load(i)
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 1, "updated": 2, "held": 1})
	b.want(b.record("contact", "CON-1").Values["given_name"]+" "+b.record("contact", "CON-1").Values["family_name"],
		"Marit Jørgensen")
	b.want(b.record("contact", "CON-2").Values["given_name"]+" "+b.record("contact", "CON-2").Values["family_name"],
		"Egger Ralf")

	// A slip in them is one more writing of the same.
	i = b.check(b.upload("contact", "First name,Surname,E-mail,Phone\nJørgenssen,Marit,marit@x.example,+4755112233\n"))
	b.want(b.codes(i), "[]")
	b.want(i.Totals.V.Verdicts, map[string]int64{"same": 1})

	// While it is asked who it is the doubt does not hold it; who is somebody else is held.
	b.loaded("contact", "First name,Surname,Phone,City,Birthday\nIngrid,Hoffmann,+4755112234,Bergvik,1975-03-02\n")
	i = b.check(b.upload("contact", "First name,Surname,Phone,City,Birthday\n"+
		"Hoffmann,Ingrid,+4755112234,Bergvik,1999-11-21\n"))
	b.want(b.rows(i), "[2 ask (ask)]")
	_, err = b.work.Answer(b.Context(), i, []Given{{Row: 2, Choice: verdict.ChooseNew}}, b.person)
	b.ok(err)
	i = b.check(b.again(i))
	b.want(b.rows(i), "[2 hold (hold)]")
	b.want(b.codes(i), "[2 name_order family_name]")

	// Found by a key, the names of the row would take the place of the record's own.
	i = b.upload("contact", "First name,Surname,E-mail,Phone\nJørgensen,Marit,marit@x.example,+4755112255\n")
	i = b.check(b.change(i, func(r *mapping.Routine) { r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"email"}}} }))
	b.want(b.codes(i), "[2 name_order family_name]")
}
