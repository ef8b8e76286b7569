package suggest

import (
	"slices"
	"testing"

	"uchi/internal/core/sheet"
)

// Rows of companies with a person each fit several types about as well: what is offered then are
// the records of both.
func TestTogetherWhereNoTypeIsClear(t *testing.T) {
	v := NewView([]sheet.Column{
		column("Kundnr", "10023", "10024", "10025"), column("Företag", "Smögens Marina AB", "Båtvarvet HB",
			"Sandhamns Segelsällskap"),
		column("Org.nr", "556123-4567", "969700-1234", "802000-1111"), column("Förnamn", "Karl-Erik", "Lisa", "Göran"),
		column("Efternamn", "Åström", "Öberg", "von Essen"),
		column("Titel", "VD", "Inköpare", "Ordförande"), column("Direkttel", "0523-555 01", "0173-555 02", "08-555 03"),
		column("Mobil", "070-123 45 67", "0730 12 34 56", "076-999 88 77"),
		column("Besöksadress", "Hamngatan 4", "Strandgatan 7 B", "Box 12"), column("Postnr", "456 51", "742 42", "130 39"),
		column("Ort", "Smögen", "Öregrund", "Sandhamn"),
		column("Bransch", "Marina", "Varv", "Klubb"), column("Antal anst.", "14", "6", "3"),
	}).Among(standard(t))
	none := func(string) Memory { return nil }
	if name, ok := Sure(v.Types(standard(t), none)); ok {
		t.Fatalf("it is clearly %s", name)
	}
	set, ok := v.Together(standard(t), nil, none)
	if !ok || !slices.Equal(slices.Sorted(slices.Values(set.Types)), []string{"account", "contact"}) {
		t.Errorf("together %v %v", set, ok)
	}
	var targets []Target
	for _, name := range set.Types {
		of, _ := standard(t).Type(name)
		targets = append(targets, Target{Draft: name, Type: of})
	}
	for _, s := range v.Across(targets) {
		if s.Column == "Direkttel" && (s.Draft != "contact" || !s.Taken) {
			t.Errorf("the direct line: %+v", s)
		}
	}
}
