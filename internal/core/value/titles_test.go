package value

import "testing"

// Titles and degrees are told from what people do.
func TestOnlyTitles(t *testing.T) {
	for s, want := range map[string]bool{
		"Dr.": true, "Dipl.-Kfm.": true, "Dr.-Ing.": true, "Mag.": true, "MBA": true, "Dipl.-Ing. Dr.": true,
		"Prof. Dr. h.c.": true, "mgr inż.": true, "Ing., MBA": true, "Mr": true,
		"": false, "CEO": false, "Director": false, "Buyer": false, "Dr. Kade": false, "VD": false, "Ing. of ships": false,
	} {
		if got := OnlyTitles(s); got != want {
			t.Errorf("%q: %v", s, got)
		}
	}
}
