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

// A type is not sure where little is found, and more is wanted where something is lacking that each record must have.
func TestEnoughOfAType(t *testing.T) {
	two := map[string]bool{"Name": true, "Town": true}
	for _, x := range []struct {
		found finding
		want  bool
	}{
		{finding{placed: two, sum: 2.5, lacks: true}, false}, {finding{placed: two, sum: 3.5, lacks: true}, true},
		{finding{placed: two, sum: 2.5}, true}, {finding{placed: two, sum: 1.5}, false},
		{finding{placed: two, sum: 9, lacks: true, wanted: 1}, false}, {finding{sum: 2.5}, false},
	} {
		if got := x.found.enough(10) >= sure; got != x.want {
			t.Errorf("%+v: enough %v", x.found, got)
		}
	}
}

// People whom somebody has met at a fair are leads rather than contacts.
func TestMetAtAFair(t *testing.T) {
	c := standard(t)
	columns := []sheet.Column{column("First name", "Ada", "Per", "Kari", "Ola"), column("Last name", "Kade", "Lund", "Moe", "Lie"),
		column("Company", "Tern AS", "Gull Ltd", "Quay Ltd", "Kelp AG"), column("E-mail", "a@x.example", "b@x.example",
			"c@x.example", "d@x.example")}
	best := func(more sheet.Column) string {
		view := NewView(append(columns[:len(columns):len(columns)], more)).Among(c)
		return view.Types(c, func(string) Memory { return nil })[0].Type
	}
	if got := best(column("Badge no", "4711", "4725", "4802", "4966")); got != "lead" {
		t.Errorf("people with badges are of type %s", got)
	}
	if got := best(column("No", "4711", "4725", "4802", "4966")); got != "contact" {
		t.Errorf("people with numbers are of type %s", got)
	}
}

// Who fills in a form may be a contact as well as a lead: it is asked.
func TestFormsThatAddressWhoFillsThemIn(t *testing.T) {
	c := standard(t)
	sure := func(name, company, job, mail string) bool {
		view := NewView([]sheet.Column{
			column(name, "Anna Berg", "Peter Lund", "Maria Moe", "Thomas Lie", "Laura Ek", "Paul Hansen"),
			column(company, "Tern Ltd", "Gull Ltd", "Quay Ltd", "Kelp AG", "Skarv AS", "Ulv GmbH"),
			column(job, "Director", "Skipper", "Buyer", "Engineer", "Manager", "Accountant"),
			column(mail, "a@x.example", "b@x.example", "c@x.example", "d@x.example", "e@x.example", "f@x.example"),
		}).Among(c)
		_, ok := Sure(view.Types(c, func(string) Memory { return nil }))
		return ok
	}
	if sure("Your name", "Where you work", "Job title", "E-mail") || sure("Ihr Name", "Ihre Firma", "Beruf", "E-Mail") {
		t.Error("what a form asks is taken for a list of one kind")
	}
	if !sure("Name", "Company", "Job title", "Your e-mail") {
		t.Error("one word makes a form of a list")
	}
}

// A thing is not called by people who come again and again, and nobody by a company.
func TestNamesOfOthers(t *testing.T) {
	c := standard(t)
	firms := []string{"Tern Marina AS", "Gull Boats Ltd", "Quay Rigging GmbH", "Kelp Sails AG", "Ulv Motor AB", "Skarv ApS"}
	opportunity, _ := c.Type("opportunity")
	view := NewView([]sheet.Column{column("What", "Pier 1", "Pier 2", "Pier 3", "Pier 4", "Pier 5", "Pier 6"),
		column("For", firms...), column("Name", "Ada Berg", "Per Lund", "Ada Berg", "Per Lund", "Ada Berg", "Ada Berg")}).Among(c)
	for _, s := range view.Across([]Target{{Type: opportunity}}) {
		if s.Column == "Name" && s.Field == "title" && s.Taken {
			t.Errorf("deals are called by who has them: %+v", s)
		}
	}
	contact, _ := c.Type("contact")
	view = NewView([]sheet.Column{column("Surname", firms...), column("E-mail", "a@x.example", "b@x.example", "c@x.example",
		"d@x.example", "e@x.example", "f@x.example")}).Among(c)
	for _, s := range view.Across([]Target{{Type: contact}}) {
		if s.Column == "Surname" && s.Field == "family_name" && s.Taken {
			t.Errorf("people are called by companies: %+v", s)
		}
	}
}
