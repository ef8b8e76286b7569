package suggest

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/sheet"
)

// Where one column says of what the number in the next is, the number goes to each of the links in
// the rows that are about such.
func TestWhatRowsAreAbout(t *testing.T) {
	c := standard(t)
	note, _ := c.Type("note")
	text := column("Tekst", "Gebeld", "Wil offerte", "Klacht opgelost", "Bezoek gepland", "Mail gestuurd", "Contract verlengd")
	placed := func(columns ...sheet.Column) (said []string) {
		r := Routine(note, NewView(columns).Among(c).Across([]Target{{Type: note}}))
		for _, name := range []string{"account", "contact", "opportunity"} {
			if o := r.Drafts[0].Fields[name]; o.When != nil {
				said = append(said, fmt.Sprint(name, " ", o.From, " ", o.When.Column, " ", o.When.Is))
			}
		}
		return said
	}
	number := column("Nummer", "1000", "5001", "1004", "5003", "1007", "1000")
	kind := column("Soort", "relatie", "contactpersoon", "relatie", "contactpersoon", "relatie", "relatie")
	for _, x := range []struct {
		columns []sheet.Column
		want    string
	}{
		{[]sheet.Column{kind, number, text}, "account [Nummer] Soort [relatie], contact [Nummer] Soort [contactpersoon]"},
		{[]sheet.Column{number, kind, text}, "account [Nummer] Soort [relatie], contact [Nummer] Soort [contactpersoon]"},
		{[]sheet.Column{kind, text, number}, ""}, // what stands elsewhere may be another's
		{[]sheet.Column{column("Soort", "relatie", "relatie", "relatie", "relatie", "relatie", "relatie"), number, text}, ""},
		{[]sheet.Column{column("Soort", "relatie", "brief", "brief", "brief", "contactpersoon", "brief"), number, text}, ""},
	} {
		if got := strings.Join(placed(x.columns...), ", "); got != x.want {
			t.Errorf("%s, %s: %s, want %s", x.columns[0].Header, x.columns[1].Header, got, x.want)
		}
	}
}

// Numbers that are drawn by lot are nothing but those of the rows; links are by them rather than
// by the names beside them, and lead where they are known.
func TestLongNumbers(t *testing.T) {
	c := standard(t)
	lot := func(first int) (list []string) {
		for n := range 6 {
			list = append(list, fmt.Sprintf("%08x-3f2a-4c1d-9e8b-0123456789ab", first+n))
		}
		return list
	}
	taken := func(typeName string, shares map[string][]float64, columns ...sheet.Column) string {
		typ, _ := c.Type(typeName)
		var said []string
		for _, s := range NewView(columns).Among(c).Naming(shares).Across([]Target{{Type: typ}}) {
			if s.Taken {
				said = append(said, s.Column+" "+s.Field)
			}
		}
		return strings.Join(said, ", ")
	}
	people := []sheet.Column{column("id", lot(100)...), column("first_name", "Olivia", "Noah", "Amelia", "Liam", "Isla", "Ethan"),
		column("last_name", "Hartley", "Penrose", "Walsh", "Nolan", "Doyle", "Keane"), column("org_id", lot(0)...),
		column("org_name", "Harbour Marina", "Anchor Boatyard", "Beacon Charter", "Windward Ltd", "Halyard Ltd", "Tidewater Inc"),
		column("boss_person_id", "", lot(100)[0], lot(100)[0], "", lot(100)[2], "")}
	if got, want := taken("contact", nil, people...), "id source_ref, first_name given_name, last_name family_name, org_name account"; !strings.HasPrefix(got, want) {
		t.Errorf("what is not known: %s", got)
	}
	known := map[string][]float64{"account": {0, 0, 0, 1, 1, 0}}
	if got, want := taken("contact", known, people...), "id source_ref, first_name given_name, last_name family_name, org_id account"; !strings.HasPrefix(got, want) {
		t.Errorf("what is known: %s", got)
	}
	deals := []sheet.Column{column("title", "Shore power", "Metering", "Pontoon lights", "Annual service", "New posts", "Cables"),
		column("ref_a", lot(100)...)}
	if got := taken("opportunity", map[string][]float64{"contact": {0, 1}}, deals...); !strings.Contains(got, "ref_a contact") {
		t.Errorf("what leads to people: %s", got)
	}
	if got := taken("opportunity", map[string][]float64{"contact": {0, 1}, "account": {0, 1}}, deals...); strings.Contains(got, "ref_a contact") ||
		strings.Contains(got, "ref_a account") {
		t.Errorf("what may lead to both: %s", got)
	}
}

// A header that ends as the numbers of another table are called says that it holds these, and a column
// of theirs goes to the one link that leads there.
func TestNumbersOfOtherTables(t *testing.T) {
	for _, x := range []struct {
		header, own string
		want        bool
	}{
		{"AFF_KONNR", "KON_NR", true}, {"KundNr", "Kund_Nr", true}, {"customer_no", "customer_no", true},
		{"AFF_NR", "NR", false}, {"parent_id", "id", false}, {"KON_NAMN", "KON_NAMN", false}, {"AFF_NR", "KON_NR", false},
	} {
		if got := NumbersOf(x.header, x.own); got != x.want {
			t.Errorf("%s of %s: %t", x.header, x.own, got)
		}
	}
	c := standard(t)
	deal, _ := c.Type("opportunity")
	columns := []sheet.Column{column("AFF_BEN", "Landström", "Laddstolpar", "Elcentral", "Serviceavtal", "Mätare", "Kabel"),
		column("AFF_KONNR", "3", "1", "2", "5", "6", "4"), column("AFF_BELOPP", "1000", "2500", "900", "8000", "1200", "700")}
	for to, want := range map[string]string{"": "", "contact": "AFF_KONNR", "line": ""} {
		got := ""
		for _, s := range NewView(columns).Among(c).Pointing(map[string]string{"AFF_KONNR": to}).Across([]Target{{Type: deal}}) {
			if s.Field == "contact" && s.Taken {
				got = s.Column
			}
		}
		if got != want {
			t.Errorf("to %q: %q", to, got)
		}
	}
}

// Reports that leave nothing over but a day, an author, a text and what they are about may be notes; without
// one of these they are what else they may be.
func TestReportsMayBeNotes(t *testing.T) {
	c := standard(t)
	var reports []sheet.Column
	for _, s := range wholeSheets(t) {
		if s.About == "note fr: comptes rendus" {
			reports = s.Columns
		}
	}
	without := func(header string) []sheet.Column {
		return slices.DeleteFunc(slices.Clone(reports), func(c sheet.Column) bool { return c.Header == header })
	}
	for n, columns := range [][]sheet.Column{reports, without("Rédigé le"), without("Rédacteur"), without("Compte rendu")} {
		ranked := NewView(columns).Among(c).Types(c, func(string) Memory { return nil })
		if got := ranked[0].Type == "note"; got != (n == 0) {
			t.Errorf("%d: it is first taken for %s", n, ranked[0].Type)
		}
	}
}
