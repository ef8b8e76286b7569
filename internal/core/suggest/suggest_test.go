package suggest

import (
	"encoding/csv"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
)

func standard(t *testing.T) catalog.Catalog {
	t.Helper()
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func columns(headers ...string) []sheet.Column {
	var cols []sheet.Column
	for i, h := range headers {
		cols = append(cols, sheet.Column{Position: i, Header: h})
	}
	return cols
}

func TestSuggest(t *testing.T) {
	c := standard(t)
	for typeName, pairs := range map[string]map[string]string{
		"contact": {"First name": "given_name", "SURNAME*": "family_name", "E-Mail-Adresse": "email", "Téléphone": "phone",
			"Firma": "account", "PLZ": "postal_code", "Geburtsdatum": "birthday", "Contact ID": "id", "Shoe size": "",
			"job_title": "job_title", "Anrede": "honorific"},
		"account": {"Company": "name", "Kunden-Nr": "source_ref", "Web": "website", "Group": "parent", "Rep": "owner",
			"Staff count": "employees", "Turnover": ""},
		"lead": {"Nachname": "family_name", "Empresa": "company", "Came from": "origin", "Met on": "met_on",
			"Notes": "description"},
	} {
		rt, _ := c.Type(typeName)
		var headers []string
		for h := range maps.Keys(pairs) {
			headers = append(headers, h)
		}
		slices.Sort(headers)
		got := map[string]string{}
		for _, s := range Columns(rt, columns(headers...), nil) {
			got[s.Column] = s.Field
			if !s.Taken || s.Reason == "" {
				t.Errorf("%s %q: %+v, want it taken with a reason", typeName, s.Column, s)
			}
		}
		for h, want := range pairs {
			if got[h] != want {
				t.Errorf("%s %q: got %q, want %q", typeName, h, got[h], want)
			}
		}
	}
}

func TestNoFieldTwice(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	s := Columns(contact, columns("Mail", "E-mail", "email", "Telephone", "Tel"), nil)
	got := map[string]string{}
	for _, x := range s {
		if other, twice := got[x.Field]; twice {
			t.Errorf("%s is given to %q and %q", x.Field, other, x.Column)
		}
		got[x.Field] = x.Column
	}
	if got["email"] != "email" && got["email"] != "E-mail" {
		t.Errorf("the field's own name loses to %q", got["email"])
	}
}

// A header that lies is not taken without asking.
func TestValuesContradict(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	cols := columns("E-mail")
	cols[0].Filled, cols[0].Samples = 100, []string{"+47 55 11 22 33", "+47 55 11 22 34", "+47 55 11 22 35"}
	if s := Columns(contact, cols, nil); len(s) != 1 || s[0].Taken {
		t.Errorf("%+v", s)
	}
}

func TestSuggestType(t *testing.T) {
	c := standard(t)
	for want, headers := range map[string][]string{
		"contact":     {"First name", "Surname", "E-mail", "Date of birth", "Company"},
		"account":     {"Company", "Website", "Industry", "Employees", "Registration number"},
		"opportunity": {"Deal", "Stage", "Amount", "Close date", "Account"},
		"line":        {"Opportunity", "Product", "Quantity", "Unit price"},
		"task":        {"Subject", "Due date", "Done"},
	} {
		if got := typesOf(c, columns(headers...)); got[0].Type != want || got[0].Reason == "" {
			t.Errorf("%v: %+v, want %s", headers, got[0], want)
		}
	}
}

// Only people have birthdays, and what both a country and a region may be is told by its cells.
func TestWhatSpeaksAgainstAType(t *testing.T) {
	c := standard(t)
	cols := columns("ID", "Name", "Phone", "E-mail", "DOB")
	if got, ok := Sure(NewView(cols).Types(c, nothing)); ok && got != "contact" {
		t.Errorf("people with birthdays are taken for %s", got)
	}
	lead, _ := c.Type("lead")
	cols = columns("Your name", "Company", "Country / region")
	cols[0].Samples = []string{"Aoife Ní Bhriain", "van den Berg, Joost", "Tom", "MARÍA JOSÉ GARCÍA LÓPEZ", "asdf",
		"Li Wei", "Stand two by the gate"}
	cols[2].Samples = []string{"Ireland / Cork", "NL", "España", "UK", "Deutschland"}
	list := Columns(lead, cols, nil)
	at := func(column, field string) int {
		return slices.IndexFunc(list, func(s Suggestion) bool { return s.Column == column && s.Field == field })
	}
	if n := at("Country / region", "country"); n < 0 || !list[n].Taken {
		t.Errorf("the countries are missed: %+v", list)
	}
	if n := at("Your name", "family_name"); n < 0 || list[n].Taken {
		t.Errorf("names that may be those of people are not offered: %+v", list)
	}
}

func TestMemory(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	s := Columns(contact, columns("Zeichen"), Memory{Key("ZEICHEN:"): "source_ref"})
	if len(s) != 1 || s[0].Field != "source_ref" || !s[0].Taken {
		t.Errorf("what was chosen before is not taken: %+v", s)
	}
	// also where its cells may be names, which is a guess
	deal, _ := c.Type("opportunity")
	titles := column("Omschrijving", "Walstroom Hoorn", "Laadpalen Sneek", "Onderhoud Veere", "Walstroom Urk", "Laadpalen Hoorn",
		"Onderhoud Sneek", "Walstroom Veere", "Laadpalen Urk")
	s = Columns(deal, []sheet.Column{titles}, Memory{Key("Omschrijving"): "title"})
	if len(s) != 1 || s[0].Field != "title" || !s[0].Taken {
		t.Errorf("what was chosen before is not taken: %+v", s)
	}
}

// Initials are the given names where nothing says them in full.
func TestInitialsGiveWay(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	initials := column("Voorletters", "A.", "P.J.", "F.", "S.", "M. W.", "K.")
	full := column("Roepnaam", "Anneke", "Pieter", "Femke", "Sjoerd", "Maaike", "Kees")
	family := column("Achternaam", "Visser", "Bakker", "Smit", "Postma", "Mulder", "Dijkstra")
	for want, list := range map[string][]sheet.Column{
		"Voorletters": {initials, family}, "Roepnaam": {initials, full, family},
	} {
		r := Routine(contact, Columns(contact, list, nil))
		if got := r.Drafts[0].Fields["given_name"].From; !slices.Equal(got, []string{want}) {
			t.Errorf("the given name is taken from %q, want %q", got, want)
		}
	}
}

// labelled is a file of the labelled set: the first line names the record type
// and the right field of each column (- for none), then come header and rows.
type labelled struct {
	name    string
	typ     string
	fields  []string
	columns []sheet.Column
}

func readLabelled(t *testing.T) []labelled {
	t.Helper()
	paths, err := filepath.Glob("testdata/*.csv")
	if err != nil || len(paths) == 0 {
		t.Fatalf("no labelled files: %v", err)
	}
	var list []labelled
	for _, p := range paths {
		b, err := os.ReadFile(p)
		if err != nil {
			t.Fatal(err)
		}
		for n, block := range strings.Split(strings.TrimSpace(string(b)), "\n\n") {
			r := csv.NewReader(strings.NewReader(block))
			r.Comma, r.FieldsPerRecord, r.LazyQuotes = ';', -1, true
			rows, err := r.ReadAll()
			if err != nil {
				t.Fatalf("%s: %v", p, err)
			}
			l := labelled{name: fmt.Sprintf("%s %d", filepath.Base(p), n+1), typ: rows[0][0], fields: rows[0][1:]}
			if len(rows[1]) != len(l.fields) {
				t.Fatalf("%s: %d labels for %d columns", l.name, len(l.fields), len(rows[1]))
			}
			profile := sheet.NewProfiler(rows[1])
			for i, row := range rows[2:] {
				profile.Add(sheet.Row{Number: int64(i + 2), Cells: row})
			}
			l.columns, _ = profile.Profile()
			list = append(list, l)
		}
	}
	return list
}

// Of what is taken without asking at least 99 of 100 is right, and of what can
// be found at least 93 of 100 is taken.
func TestLabelledFiles(t *testing.T) {
	c := standard(t)
	right, wrong, there, types := 0, 0, 0, 0
	list := readLabelled(t)
	for _, l := range list {
		rt, ok := c.Type(l.typ)
		if !ok {
			t.Fatalf("%s: no type %s", l.name, l.typ)
		}
		got := map[string][]string{}
		for _, s := range Columns(rt, l.columns, nil) {
			if s.Taken {
				got[s.Column] = append(got[s.Column], s.Field)
			}
		}
		for i, want := range l.fields {
			have := strings.Join(got[l.columns[i].Header], "+")
			if want != "-" {
				there++
			}
			switch {
			case have == want:
				right++
			case have != "":
				wrong++
				t.Logf("%s: %q is taken as %s, it is %s", l.name, l.columns[i].Header, have, want)
			case want != "-":
				t.Logf("%s: %q is not found, it is %s", l.name, l.columns[i].Header, want)
			}
		}
		if typesOf(c, l.columns)[0].Type == l.typ {
			types++
		} else {
			t.Logf("%s: the type is taken for %s", l.name, typesOf(c, l.columns)[0].Type)
		}
	}
	precision, recall := float64(right)/float64(max(1, right+wrong)), float64(right)/float64(there)
	t.Logf("%d files: precision %.4f, recall %.4f, types %d", len(list), precision, recall, types)
	if precision < 0.99 || recall < 0.93 {
		t.Errorf("precision %.4f (bar 0.99), recall %.4f (bar 0.93)", precision, recall)
	}
}
