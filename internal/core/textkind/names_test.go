package textkind

import (
	"slices"
	"testing"
)

// A name is known to be turned where one of its words is a name of one kind alone and the other
// is not; what is both, or neither, says nothing.
func TestTurnedNames(t *testing.T) {
	var h Halves
	for name, want := range map[[2]string]string{
		{"Kowalska", "Agnieszka"}: "turned", {"Jørgensen", "Marit"}: "turned", {"Egger", "Ralf"}: "turned",
		{"Agnieszka", "Kowalska"}: "usual", {"Marit", "Jørgensen"}: "usual", {"Joris", "Vermeulen"}: "usual",
		{"Thomas", "Henry"}: "", {"Martin", "James"}: "", {"Kim", "Martin"}: "", {"Xqzt", "Wvrp"}: "", {"", "Kade"}: "",
	} {
		turned, usual := h.Turned(name[0], name[1])
		if turned != (want == "turned") || usual != (want == "usual") {
			t.Errorf("%q: turned %v, usual %v; want %q", name, turned, usual, want)
		}
	}
}

func TestLearnNames(t *testing.T) {
	given, family := []string{"Ada", "Jean-Luc"}, []string{"van Kade", "Ada"}
	filters := LearnNames(given, family)
	if !slices.Equal(filters, LearnNames(given, family)) {
		t.Error("the same names give other filters")
	}
	kept := tableBytes
	t.Cleanup(func() { tableBytes = kept })
	tableBytes = append(slices.Clone(kept[:buckets*int(Kinds)]), filters...)
	for word, want := range map[string][2]bool{"ada": {true, true}, "jean": {true, false}, "luc": {true, false},
		"kade": {false, true}, "van": {false, false}, "lund": {false, false}} {
		if got := [2]bool{listed(0, word), listed(1, word)}; got != want {
			t.Errorf("%s: %v, want %v", word, got, want)
		}
	}
}

// Names of two people in one cell are told from a family name with its given names behind a comma.
func TestTwoNames(t *testing.T) {
	var names Halves
	for text, want := range map[string]bool{
		"Paul Martin, Julie Roux": true, "Ingrid Solberg, Ole Hansen": true, "Hélène Blanc, Sébastien Noir": true,
		"Nowak Tomasz, Wolska Ewa": true, "García Martín, José Luis": false, "Le Roux, Julie Anne": false,
		"van der Berg, Anna Maria": false, "García López, Juan Carlos": false, "Roux, Julie": false, "Julie Roux": false,
		"Julie Roux, Lyon":  false,
		"Maria Santos, Ana": false, "": false, ",": false, "Marina Kalvøya, Bergen Havn": false,
	} {
		if got := names.Two(text); got != want {
			t.Errorf("%q: %t, want %t", text, got, want)
		}
	}
}
