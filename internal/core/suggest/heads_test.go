package suggest

import (
	"strings"
	"testing"
)

// The words of headers are told from those of rows.
func TestHeads(t *testing.T) {
	for _, c := range []struct {
		cells string
		heads bool
	}{
		{"First name;Surname;Company", true},
		{"Vorname;Nachname;;E-Mail", true},
		{"Raison sociale;Ville;Tél.", true},
		{"Titel;Firma;Betrag;Abschluss bis", true},
		{"FIRST_NM;LAST_NM;CTRY_CD", true},
		{"Company;", false}, // one may be a title
		{"Marit;Jørgensen;Fjordlys Marin AS", false},
		{"Tern Marina;Ternvik;Norway", false},
		{"Office Direct;Kiel", false},
		{"Name;Jørgensen", false},
		{";", false},
		{"-;-", false},
	} {
		if got := Heads(strings.Split(c.cells, ";")); got != c.heads {
			t.Errorf("%q: %v", c.cells, got)
		}
	}
}
