package work

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"
	"uchi/internal/store"
)

// Three tables, one below the other: what tells them apart are words that head columns.
const tables = `Companies
Firma;Ort;Land
Fjordlys Marin AS;Bergen;NO
Tidewerft KG;Emden;DE

Ansprechpartner
Vorname;Nachname;Firma
Marit;Jørgensen;Fjordlys Marin AS
Anke;Petersen;Tidewerft KG

Vorname;Nachname;Mobil
Jens;Wellenkamp;+49 160 9876543
`

// The table below is an import of its own, made once whoever asks for it, and so is the next.
func TestTheTableBelowIsAnImportOfItsOwn(t *testing.T) {
	b := start(t)
	i := b.load(b.check(b.upload("account", tables)))
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 2})

	made := make([]store.Import, 4)
	var all sync.WaitGroup
	for n := range made {
		all.Go(func() {
			got, err := b.work.ImportBelow(b.Context(), i, "", b.person)
			if err != nil {
				t.Error(err)
			}
			made[n] = got
		})
	}
	all.Wait()
	below := b.wait(made[0].ID)
	b.want(fmt.Sprint(made[1].ID, made[2].ID, made[3].ID), fmt.Sprint(below.ID, below.ID, below.ID))
	b.want(below.Name+" into "+below.Into, "test.csv > Ansprechpartner into contact")
	b.want(below.Headers(), []string{"Vorname", "Nachname", "Firma"})
	below = b.load(b.check(below))
	b.want(b.outcomes(below), map[verdict.Outcome]int64{"created": 2})

	last, err := b.work.ImportBelow(b.Context(), below, "lead", b.person)
	b.ok(err)
	last = b.wait(last.ID)
	b.want(last.Name+" into "+last.Into, "test.csv > row 11 into lead")
	_, err = b.work.ImportBelow(b.Context(), last, "", b.person)
	b.want(fault.Is(err, "no_table_below"), true)
	_, err = b.work.ImportBelow(b.Context(), i, "ship", b.person)
	b.want(fault.Is(err, "unknown_record_type"), true)
}

// Into a bundle all tables come by themselves, and what one makes is there for the next; read
// again, a member brings them no second time.
func TestABundleTakesTheTablesOfASheet(t *testing.T) {
	b := start(t)
	bundle := b.bundled("all.csv", tables)
	names := func() string {
		var list []string
		for _, i := range b.members(bundle) {
			list = append(list, fmt.Sprint(i.Place, " ", i.Name, " ", i.Into))
		}
		return strings.Join(list, ", ")
	}
	want := "1 all.csv account, 2 all.csv > Ansprechpartner contact, 3 all.csv > row 11 contact"
	b.want(names(), want)
	first := b.members(bundle)[0]
	b.ok(b.work.SetReading(b.Context(), first, sheet.Reading{Country: "DE"}, b.person))
	bundle = b.settled(bundle)
	b.want(names(), want)
	bundle = b.checkBundle(bundle)
	for _, i := range b.members(bundle) {
		b.want(i.Totals.V.Verdicts["hold"], int64(0))
	}
}

// A row that was held when its bundle was loaded points, mended, to the record that another row
// has made, which is no second one of its name.
func TestHeldRowsOfALoadedBundle(t *testing.T) {
	b := start(t)
	bundle := b.checkBundle(b.bundled("accounts.csv", "Company,Town\nTern Marina,Ternvik\nGull Marina,Gullvik\n",
		"people.csv", "First name,Surname,Company,E-mail\nMarit,Moe,Tern Marina,marit@x.example\n"+
			"Anke,Berg,Gull Marina,nonsense\n"))
	b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
	bundle = b.settled(bundle)
	people := b.members(bundle)[1]
	b.want(b.outcomes(people), map[verdict.Outcome]int64{"created": 1, "held": 1})
	people = b.check(b.mend(people, CellEdit{Row: 3, Column: "E-mail", Value: "anke@x.example"}))
	b.want(b.codes(people), "[]")
	people = b.load(people)
	b.want(b.outcomes(people), map[verdict.Outcome]int64{"created": 2})
	b.want(b.record("contact", "CON-2").Values["account"], "ACC-2")
}
