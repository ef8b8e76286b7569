package suggest

import (
	"testing"

	"uchi/internal/core/sheet"
)

// Of a sheet whose records are columns nothing is suggested, and it is said why; a column of words that
// fields are called by as well is none of labels.
func TestOnItsSide(t *testing.T) {
	c := standard(t)
	firms := column("Customer 1", "Gull Boats", "Hull", "+44 1482 555 101", "info@gull.example", "12")
	for _, x := range []struct {
		of    sheet.Column
		lying bool
	}{
		{column("Field", "Company", "Town", "Phone", "E-mail", "Employees"), true},
		{column("", "Firma:", "Ort:", "Telefon:", "Mail:", "Mitarbeiter:"), true},
		{column("Kind", "call", "mail", "visit", "meeting", "other"), false},
		{column("Name", "Company Town Ltd", "Phone House", "Mail Boxes", "Street Foods", "Nine"), false},
		{column("Field", "Company", "Company", "Phone", "E-mail", "Employees"), false},
	} {
		view := NewView([]sheet.Column{x.of, firms}).Among(c)
		_, sure := Sure(view.Types(c, func(string) Memory { return nil }))
		if told := len(view.OnItsSide()) > 0; told != x.lying || told && sure {
			t.Errorf("%s %v: on its side %v, a type is sure %v", x.of.Header, x.of.Samples, told, sure)
		}
	}
}

// What and when are asked together of what is to be done; alone neither says what it is.
func TestWhatAndWhen(t *testing.T) {
	what := column("Was", "Angebot nachfassen", "Besuch", "Rückruf", "Vertrag senden", "Steg abnehmen")
	when := column("Wann", "30.11.2026", "2.12.2026", "5.12.2026", "24.12.2026", "3.4.2027")
	who := column("Wer", "IH", "Havnes", "Brandt", "Ingrid Havnes", "IH")
	if got := takenOf(t, "task", what, when, who); got["Was"] != "subject" || got["Wann"] != "due_on" {
		t.Errorf("what and when go to %v", got)
	}
	if got := takenOf(t, "task", what, who); got["Was"] != "" {
		t.Errorf("what alone goes to %v", got)
	}
}
