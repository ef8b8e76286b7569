package sheet

import "testing"

// What cells look like, by their shape.
func TestClassOf(t *testing.T) {
	for cell, want := range map[string]string{
		"04. 12. 1982": "date", "4.12.1982": "date", "4/12/82": "date", "1982-12-04": "date", "12 Mar 2026": "date",
		"Fr. 13.11.2026": "date", "11/13/2026 02:05 PM": "date", "5.580.500,00": "number", "1 234,50": "number", "662 37": "number",
		"+420 377 312 265": "phone", "ada@havsund.example": "email", "www.havsund.example": "url", "Sjøgata 14": "text",
		"ringer på torsdag": "text",
	} {
		p := NewProfiler([]string{"A"})
		p.Add(Row{Number: 2, Cells: []string{cell}})
		if cols, _ := p.Profile(); cols[0].Guess != want {
			t.Errorf("%q looks like %q, want %q", cell, cols[0].Guess, want)
		}
	}
}
