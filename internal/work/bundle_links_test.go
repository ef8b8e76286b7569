package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/store"
)

// Who looks after a record is named by the initials, in whichever order the staff file writes the
// names; a national telephone number is one of the country of the company that another file makes.
func TestBundleKnowsOwnersAndCountries(t *testing.T) {
	b := start(t)
	bundle := b.checkBundle(b.bundled(
		"contacts.csv", "Number,First name,Surname,Company,Phone\nK-1,Petra,Lang,100,0431 5550101\n"+
			"K-2,Jens,Kurz,101,22 00 01 02\nK-3,Ute,Ohne,Fjord Marina,22 00 01 03\n",
		"accounts.csv", "Customer no,Company,Country,Owner\n100,Hafen Nord GmbH,DE,MB\n101,Fjord Marina,NO,Klein Tom\n"+
			"102,Werft,DE,M. Bauer\n",
		"staff.csv", "Name,E-mail\n\"Bauer, Maria\",m.bauer@alt.example\n\"Klein, Tom\",t.klein@alt.example\n",
	))
	b.want(b.said(bundle), "staff.csv ready map[create:2]\naccounts.csv ready map[create:3]\n"+
		"contacts.csv ready map[create:3]")
	b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
	bundle = b.settled(bundle)
	b.want(b.said(bundle), "staff.csv loaded map[created:2]\naccounts.csv loaded map[created:3]\n"+
		"contacts.csv loaded map[created:3]")
	for id, owner := range map[string]string{"ACC-1": "STF-1", "ACC-2": "STF-2", "ACC-3": "STF-1"} {
		b.want(b.record("account", id).Values["owner"], owner)
	}
	for id, phone := range map[string]string{"CON-1": "+494315550101", "CON-2": "+4722000102", "CON-3": "+4722000103"} {
		b.want(b.record("contact", id).Values["phone"], phone)
	}

	// Where one of the initials is nobody's, the column speaks of other people.
	other := b.checkBundle(b.bundled(
		"accounts.csv", "Customer no,Company,Owner\n200,North,TK\n201,South,ZZ\n",
		"staff.csv", "Name,E-mail\n\"Klein, Tom\",t.klein@alt.example\n\"Roth, Eva\",e.roth@alt.example\n",
	))
	b.want(b.said(other), "staff.csv ready map[create:1 same:1]\naccounts.csv ready map[hold:2]")
}

// Lists that only count their rows, whatever they call that, are found by these numbers where another file
// points to them; far down the list too, and a number that nobody points to stays unplaced.
func TestBundleOfListsThatCount(t *testing.T) {
	b := start(t)
	companies, people := "Lfd. Nr.,Firma,Ort\n", "#,Kunde,Vorname,Nachname\n"
	names := strings.Fields("Ahrens Brandt Clausen Detlefs Ehlers Friis Gravert Hinz Iversen Jessen Kruse Lorenzen Matthies " +
		"Nissen Olufs Petersen Quast Rickmers Thomsen Uhl Voss Wendt Zander Arp Bock Carl Dose Evers Ohl Gries")
	for n := range 90 {
		companies += fmt.Sprintf("%d,Werft Berg%d GmbH,Kiel\n", n+1, n+1)
		if n%3 == 0 {
			people += fmt.Sprintf("%d,%d,Ida,%s\n", n/3+1, 90-n, names[n/3])
		}
	}
	bundle := b.checkBundle(b.bundled("firmen.csv", companies, "personen.csv", people))
	b.want(b.said(bundle), "firmen.csv ready map[create:90]\npersonen.csv ready map[create:30]")
	list := b.members(bundle)
	b.want(list[0].Routine.V.Drafts[0].Fields["source_ref"].From, []string{"Lfd. Nr."})
	b.want(len(list[1].Routine.V.Drafts[0].Fields["source_ref"].From), 0)
	b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
	b.settled(bundle)
	b.want(b.record("contact", "CON-2").Links["account"].Title, "Werft Berg87 GmbH")
}

// What one file of a bundle tells of the country of telephone numbers is told for the others.
func TestBundleKnowsWhereItIsAtHome(t *testing.T) {
	b := start(t)
	bundle := b.bundled("firmen.csv", "Nr,Firma,PLZ,Ort\nK1,Werft Ahrens,24103,Kiel\nK2,Kranservice Hinz,24937,Flensburg\n",
		"personen.csv", "Kunde,Vorname,Nachname,Telefon\nK1,Ida,Moe,0431 5550101\nK2,Per,Lund,0461 5550102\n")
	s, err := b.work.Suggestions(b.Context(), b.members(bundle)[1], "", b.person)
	b.ok(err)
	b.want(s.Home.Country, "DE")
}

// Notes say in one column of what the number in the next is; links are by numbers that are drawn by
// lot rather than by the names beside them.
func TestBundleOfNotesAboutAnything(t *testing.T) {
	b := start(t)
	id := func(n int) string { return fmt.Sprintf("%08x-3f2a-4c1d-9e8b-0123456789ab", n) }
	bundle := b.checkBundle(b.bundled(
		"organisations.csv", "id,org_name,city\n"+id(1)+",Harbour Marina,Plymouth\n"+id(2)+",Harbour Marina,Cork\n"+
			id(3)+",Anchor Boatyard,Brest\n",
		"people.csv", "id,first_name,last_name,org_id,org_name\n"+id(11)+",Olivia,Hartley,"+id(2)+",Harbour Marina\n"+
			id(12)+",Noah,Penrose,"+id(3)+",Anchor Boatyard\n"+id(13)+",Isla,Walsh,"+id(1)+",Harbour Marina\n",
		"notes.csv", "text,about,about_id\nCalled twice,Organisation,"+id(2)+"\nWants a quote,Person,"+id(11)+"\n"+
			"Renewal due,organisation,"+id(3)+"\nMoved house,Person,"+id(13)+"\nFiled,Person,"+id(99)+"\n"))
	b.want(b.said(bundle), "organisations.csv ready map[create:3]\npeople.csv ready map[create:3]\n"+
		"notes.csv ready map[create:4 hold:1]")
	notes := b.members(bundle)[2]
	b.want(strings.Join(b.codes(notes), ", "), "6 link_not_found contact")
	b.want(notes.Routine.V.Unplaced(notes.Headers()), []string(nil))
	b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
	b.settled(bundle)
	for person, town := range map[string]string{"CON-1": "Cork", "CON-2": "Brest", "CON-3": "Plymouth"} {
		b.want(b.record("account", b.record("contact", person).Links["account"].ID).Values["locality"], town)
	}
	for note, about := range map[string]string{"NTE-1": "ACC-2", "NTE-2": "CON-1", "NTE-3": "ACC-3", "NTE-4": "CON-3"} {
		r := b.record("note", note)
		b.want(r.Links["account"].ID+r.Links["contact"].ID, about)
	}
}

// Where files are numbered 1, 2, 3, the numbers beside names tell two of one name apart.
func TestBundleLinksByNumberBesideNames(t *testing.T) {
	b := start(t)
	bundle := b.checkBundle(b.bundled(
		"companies.csv", "id,company_name,town\n1,Harbour Marina,Plymouth\n2,Harbour Marina,Cork\n3,Anchor Boatyard,Brest\n",
		"people.csv", "id,first_name,last_name,company_id,company_name\n1,Olivia,Hartley,2,Harbour Marina\n"+
			"2,Noah,Penrose,3,Anchor Boatyard\n3,Isla,Walsh,1,Harbour Marina\n"))
	b.want(b.said(bundle), "companies.csv ready map[create:3]\npeople.csv ready map[create:3]")
	b.want(b.members(bundle)[1].Routine.V.Drafts[0].Fields["account"].From, []string{"company_id"})
}

// A column that is called as the numbers of one file are is no number of another file that points there too.
func TestBundleColumnsOfOneName(t *testing.T) {
	b := start(t)
	bundle := b.checkBundle(b.bundled(
		"accounts.csv", "kun_nr,company,town\n11,Harbour Marina,Plymouth\n12,Anchor Boatyard,Brest\n13,Beacon Charter,Cork\n",
		"deals.csv", "deal_no,title,kun_nr,stage,expected_close\n501,Shore power,12,offered,2027-01-31\n"+
			"502,Metering,13,offered,2027-02-28\n503,New posts,11,offered,2027-03-31\n",
		"tasks.csv", "subject,due_on,kun_nr\nCall back,2027-01-05,12\nSite visit,2027-01-06,11\nSend drawings,2027-01-07,13\n"))
	b.want(b.said(bundle), "accounts.csv ready map[create:3]\ndeals.csv ready map[create:3]\ntasks.csv ready map[create:3]")
	for n, field := range map[int]string{0: "source_ref", 1: "account", 2: "account"} {
		b.want(b.members(bundle)[n].Routine.V.Drafts[0].Fields[field].From, []string{"kun_nr"})
	}
	b.want(b.members(bundle)[2].Routine.V.Drafts[0].Fields["opportunity"].From, []string(nil))
}
