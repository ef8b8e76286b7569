package suggest

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
)

// column makes a column of a header and its cells, each as often as it stands there.
func column(header string, cells ...string) sheet.Column {
	p := sheet.NewProfiler([]string{header})
	for n, c := range cells {
		p.Add(sheet.Row{Number: int64(n + 2), Cells: []string{c}})
	}
	columns, _ := p.Profile()
	return columns[0]
}

// takenOf gives where the columns of a sheet go by themselves.
func takenOf(t *testing.T, typeName string, columns ...sheet.Column) map[string]string {
	t.Helper()
	rt, ok := standard(t).Type(typeName)
	if !ok {
		t.Fatalf("no type %s", typeName)
	}
	got := map[string]string{}
	for _, s := range Columns(rt, columns, nil) {
		if s.Taken {
			got[s.Column] = strings.TrimPrefix(got[s.Column]+"+"+s.Field, "+")
		}
	}
	return got
}

// A header is understood by its words alone, whatever the language, the short form or
// the manner of the program that wrote it.
func TestHeadersByTheirMeaning(t *testing.T) {
	for _, x := range []struct{ typeName, header, want string }{
		{"contact", "NM_FIRST", "given_name"}, {"contact", "LAST_NM", "family_name"}, {"contact", "CTRY_CD", "country"},
		{"contact", "ZIP_CODE1", "postal_code"},
		{"contact", "P/code", "postal_code"}, {"contact", "Tel. (cell)", "mobile"}, {"contact", "Tel. (work)", "phone"},
		{"contact", "Mobilfunknr.", "mobile"},
		{"contact", "Tel./Mobil", "phone"}, {"contact", "Phone or cell", "phone"},
		{"contact", "Teléfono o móvil", "phone"}, {"contact", "Handy/Mobil", "mobile"},
		{"opportunity", "£k", "amount+currency"}, {"opportunity", "€", "amount+currency"},
		{"contact", "Birth_DT", "birthday"}, {"contact", "Geb.datum", "birthday"},
		{"contact", "E-Mail-Adresse (geschäftl.)", "email"}, {"contact", "Pref. lang.", "language"},
		{"contact", "Telefonnummer mobil", "mobile"}, {"contact", "Sté", "account"}, {"contact", "Arbeitgeber", "account"},
		{"contact", "Fonction", "job_title"},
		{"contact", "PSČ", "postal_code"}, {"contact", "Příjmení", "family_name"}, {"contact", "Keresztnév", "given_name"},
		{"contact", "Prenume", "given_name"},
		{"contact", "Soyadı", "family_name"}, {"contact", "Opt-in flag", "email_consent"},
		{"contact", "Famly name", "family_name"}, {"account", "Referente", ""}, {"lead", "Mailing Address", "street"},
		{"contact", "Mailings", "email_consent"}, {"contact", "Last contact", ""}, {"contact", "Letzter Kontakt", ""},
		{"contact", "Last name", "family_name"}, {"contact", "Berth", ""}, {"opportunity", "Contract", ""},
		{"line", "Kosten", ""}, {"account", "Telex", ""}, {"account", "Ende", ""}, {"contact", "Fax", ""},
		{"contact", "Assistant e-mail", ""}, {"contact", "Emergency phone", ""},
		{"account", "Org.nr", "registration_number"}, {"account", "A/c code", "source_ref"},
		{"account", "Kundenbetreuer/in", "owner"}, {"account", "Nº empleados", "employees"},
		{"account", "Aantal medewerkers (FTE)", "employees"},
		{"opportunity", "win_pct", "probability"}, {"opportunity", "Closing exp.", "expected_close"},
		{"opportunity", "Summe (netto)", "amount"},
		{"opportunity", "Motif perte", "loss_reason"}, {"line", "Qté", "quantity"}, {"line", "Stk.preis", "unit_price"},
		{"task", "Fällig bis", "due_on"},
		{"opportunity", "Umsatz (TEUR)", "amount+currency"}, {"opportunity", "Amount in thousands", "amount"},
		{"opportunity", "Volumen k€", "amount+currency"}, {"contact", "Score", ""}, {"opportunity", "VAT", ""},
		{"account", "Last sync", ""}, {"contact", "", ""},
	} {
		if got := takenOf(t, x.typeName, column(x.header)); got[x.header] != x.want {
			t.Errorf("%q of %s: %q, want %q", x.header, x.typeName, got[x.header], x.want)
		}
	}
}

// What the cells hold settles what a header only half says, and contradicts it.
func TestCellsSettleVagueHeaders(t *testing.T) {
	dates := []string{"1961-03-04", "1975-11-30", "1983-01-09", "1990-07-21", "1958-12-02"}
	for _, x := range []struct {
		typeName, header, want string
		cells                  []string
	}{
		{"contact", "Date", "birthday", dates},
		{"contact", "Date", "", []string{"2026-03-04", "2026-01-30", "2025-01-09", "2026-07-21"}},
		{"contact", "Adres", "email", []string{"a@x.example", "b@y.example", "c@z.example"}},
		{"contact", "Title", "job_title", []string{"Skipper and owner", "Purchasing manager", "Harbour master",
			"Sales director", "Head of workshop"}},
		{"contact", "Title", "honorific", []string{"Mr", "Mrs", "Mr", "Dr"}},
		{"account", "Main no.", "phone", []string{"+47 22 33 44 55", "+47 55 66 77 88", "+46 8 123 45 67"}},
		{"opportunity", "Where it is", "stage", []string{"identified", "offered", "won", "offered", "scoped", "lost"}},
		{"opportunity", "F7", "probability", []string{"10 %", "60 %", "90%", "25 %"}},
		{"opportunity", "Whose", "owner", []string{"ih@quay.example", "lb@quay.example", "ih@quay.example",
			"ih@quay.example", "lb@quay.example", "ih@quay.example"}},
		{"contact", "St.", "region", []string{"MA", "NV", "OR", "TX"}},
		{"account", "Company:", "", []string{"Town:", "E-mail:", "Company:", "Town:", "E-mail:"}},
		{"contact", "No.", "", []string{"1", "2", "3", "4", "5", "6", "7"}},
		{"opportunity", "Margin %", "", []string{"30 %", "18 %", "22%", "40 %"}},
		{"opportunity", "Weighted value", "", []string{"1200.50", "300", "44", "9000"}},
		{"account", "Previous phone", "", []string{"+47 22 33 44 55", "+47 55 66 77 88", "+46 8 123 45 67"}},
		{"account", "VAT rate", "", []string{"25 %", "19 %", "21 %", "20 %"}},
		{"lead", "Priority", "", []string{"high", "low", "medium", "high", "low"}},
	} {
		if got := takenOf(t, x.typeName, column(x.header, x.cells...)); got[x.header] != x.want {
			t.Errorf("%q of %s with %q: %q, want %q", x.header, x.typeName, x.cells, got[x.header], x.want)
		}
	}
}

// A name beside a given name is the family name; a name alone is not.
func TestNameBesideGivenName(t *testing.T) {
	names := column("Navn", "Øksnes", "Berg", "Ek")
	if got := takenOf(t, "contact", names, column("Fornavn", "Kari", "Pål", "Åse")); got["Navn"] != "family_name" {
		t.Errorf("beside given names: %v", got)
	}
	if got := takenOf(t, "contact", names, column("E-post")); got["Navn"] != "" {
		t.Errorf("alone: %v", got)
	}
}

// A sheet whose headers say nothing is mapped from its cells, as far as they tell.
func TestSheetWithoutHeaders(t *testing.T) {
	rows := [][]string{
		{"Ingrid", "Solbakken", "Havsund Verft AS", "Innkjøpssjef", "Sjøgata 14", "8010 Bodø", "ingrid@havsund.example",
			"Norway", "ringer på torsdag"},
		{"Matteo", "Ferrando", "Cantiere Ferrando S.r.l.", "Responsabile acquisti", "Via del Porto 3", "16126 Genova",
			"mferrando@ferrando.example", "Italy", "vuole un catalogo"},
		{"Annika", "Lindqvist", "Lindqvist Marin AB", "Inköpschef", "Hamngatan 22", "411 06 Göteborg",
			"annika@lindqvist.example", "Sweden", "vill ha prislista"},
		{"Jürgen", "Petersen", "Petersen Bootsbau GmbH", "Betriebsleiter", "Am Hafen 7", "24103 Kiel",
			"jp@petersen.example", "Germany", "langjähriger Kunde"},
		{"Camille", "Rousseau", "Chantier Rousseau SARL", "Directrice technique", "12 rue du Quai", "29200 Brest",
			"camille@rousseau.example", "France", "paie en retard"},
		{"Piotr", "Nowak", "Nowak Stocznia Sp. z o.o.", "Kierownik zakupów", "ul. Morska 5", "81-001 Gdynia",
			"p.nowak@stocznia.example", "Poland", "chce katalog"},
		{"Helena", "Virtanen", "Virtanen Veneet Oy", "Toimitusjohtaja", "Satamakatu 9", "00160 Helsinki",
			"helena@virtanen.example", "Finland", "haluaa luettelon"},
		{"Carlos", "Romero", "Astilleros Romero S.L.", "Jefe de compras", "Calle Mayor 18", "11006 Cádiz",
			"cromero@romero.example", "Spain", "quiere un catálogo"},
	}
	columns := make([]sheet.Column, len(rows[0]))
	for c := range columns {
		var cells []string
		for _, r := range rows {
			cells = append(cells, r[c])
		}
		columns[c] = column(fmt.Sprintf("Column %d", c+1), cells...)
	}
	got := takenOf(t, "contact", columns...)
	for n, want := range []string{"given_name", "family_name", "account", "job_title", "street", "locality+postal_code",
		"email", "country", ""} {
		if have := got[columns[n].Header]; have != want {
			t.Errorf("column %d: %q, want %q", n+1, have, want)
		}
	}
}

// Every concept that a field is known by stands in the lexicon, and every phrase of the
// lexicon lifts to its concept.
func TestLexicon(t *testing.T) {
	concepts := map[string]bool{}
	for phrase, list := range lexicon {
		for _, c := range list {
			concepts[c] = true
		}
		found := false
		for _, set := range lift(strings.Fields(phrase)).sets {
			found = found || len(set) > 0
		}
		if !found && !small[phrase] {
			t.Errorf("%q means nothing", phrase)
		}
	}
	fields := map[string]bool{}
	for _, rt := range standard(t).Types {
		for _, f := range rt.Fields {
			fields[f.Name], fields[rt.Name+"."+f.Name] = true, true
		}
	}
	for name, sets := range means {
		if !fields[name] {
			t.Errorf("no field is called %s", name)
		}
		for _, set := range sets {
			for c := range strings.FieldsSeq(strings.TrimSuffix(set, "?")) {
				if !concepts[c] {
					t.Errorf("%s: the lexicon has no words for %q", name, c)
				}
			}
		}
	}
}

// What the names of columns in programs say of how a thing is held says nothing of what it is.
func TestAffixes(t *testing.T) {
	t.Parallel()
	for _, x := range []struct{ typeName, header, want string }{
		{"contact", "LIB_FONCTION", "job_title"}, {"contact", "FONCT_LIB", "job_title"},
		{"contact", "strOrt", "locality"}, {"contact", "txtVorname", "given_name"}, {"line", "ART_OMS", "product"},
		{"contact", "FUNKCJA_OPIS", "job_title"}, {"contact", "Opis", "description"}, {"contact", "STR", "street"},
	} {
		if got := takenOf(t, x.typeName, column(x.header))[x.header]; got != x.want {
			t.Errorf("%q of %s is taken as %q, it is %q", x.header, x.typeName, got, x.want)
		}
	}
}

// A type is taken when it is likely enough; else a person is asked.
func TestSure(t *testing.T) {
	for _, x := range []struct {
		scores []float64
		want   bool
	}{{[]float64{0.9, 0.1}, true}, {[]float64{0.55, 0.45}, false}, {[]float64{0.1}, false}, {nil, false},
		{[]float64{sure}, true}} {
		var list []TypeSuggestion
		for n, s := range x.scores {
			list = append(list, TypeSuggestion{Type: fmt.Sprint(n), Score: s})
		}
		if name, ok := Sure(list); ok != x.want || ok && name != "0" {
			t.Errorf("%v: %q %v", x.scores, name, ok)
		}
	}
	c := standard(t)
	person := []sheet.Column{column("Vorname"), column("Nachname"), column("Firma"), column("E-Mail"), column("Funktion")}
	if name, ok := Sure(typesOf(c, person)); !ok || name != "contact" {
		t.Errorf("people at companies are %q", name)
	}
	met := append(person, column("Herkunft", "Messe", "Web", "Messe"), column("Interesse", "hoch", "mittel"),
		column("Getroffen am"))
	if name, ok := Sure(typesOf(c, met)); ok && name != "lead" {
		t.Errorf("people met at a fair are %q", name)
	}
	chances := []sheet.Column{column("Klus", "Kraanonderhoud", "Kadeverlichting", "Steigers"),
		column("Opdrachtgever", "Poels B.V.", "Brack N.V.", "Post V.O.F."), column("Spreken met", "Piet de Boer", "Isabeau Poels", "Eliza Wolters"),
		column("Offertewaarde", "82.000,00", "49.850,00", "53.050,00"), column("% kans", "25", "50", "75")}
	if name, ok := Sure(typesOf(c, chances)); ok && name != "opportunity" {
		t.Errorf("what has a chance is taken for %s", name)
	}
	if _, ok := Sure(typesOf(catalog.Catalog{Types: c.Types}, []sheet.Column{column("Remark"), column("x")})); ok {
		t.Error("a remark alone is of some type")
	}
}

// What is only suggested comes with what it may be instead, each with its reason.
func TestOthers(t *testing.T) {
	rt, _ := standard(t).Type("contact")
	list := Columns(rt, []sheet.Column{column("Title", "Alpha Nine", "Beta Seven", "Gamma Two"), column("E-mail")}, nil)
	if len(list) != 2 || list[0].Taken == (len(list[0].Others) > 0) || list[1].Others != nil {
		t.Errorf("%+v", list)
	}
	for _, s := range Columns(rt,
		[]sheet.Column{column("Contact", "+47 22 33 44 55", "+47 55 66 77 88", "+46 8 123 45 67")}, nil) {
		if !s.Taken && (len(s.Others) == 0 || s.Others[0].Reason == "" || len(s.Others) > mostOthers) {
			t.Errorf("%+v", s)
		}
	}
}

// typesOf ranks the record types for columns of a sheet without a name.
func typesOf(c catalog.Catalog, columns []sheet.Column) []TypeSuggestion {
	return NewView(columns).Types(c, func(string) Memory { return nil })
}

// A sheet's name settles what its columns leave open, and no more.
func TestNamesOfSheets(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	people := []sheet.Column{column("Full name", "Fiona Quill", "Anders Kvamme", "Sofia Dimou"),
		column("Mail", "fiona@x.example", "anders@x.example", "sofia@x.example")}
	for name, want := range map[string]string{"old/sales-people.csv": "staff", "book.xlsx > Mitarbeiter 2026": "staff",
		"export.zip > all/people.csv": "contact", "list.csv": "", "tasks.csv": ""} {
		got, sure := Sure(NewView(people).Called(name).Types(c, func(string) Memory { return nil }))
		if want != "" && (got != want || !sure) || want == "" && got == "task" {
			t.Errorf("%s: %s, want %s", name, got, want)
		}
	}
}

// The names of columns in old programs are cut words in a row; their cells must agree, and what
// people write is never read so.
func TestChainedHeaders(t *testing.T) {
	numbers := []string{"4711", "4725", "4802", "4966", "5020", "5133", "5301", "5377", "5402", "5611"}
	staff := []string{"12", "40", "7", "180", "12", "25", "9", "60", "33", "7"}
	days := []string{"03.04.2026", "17.04.2026", "21.05.2026", "30.05.2026", "02.06.2026", "11.06.2026", "14.07.2026",
		"19.07.2026", "22.08.2026", "28.09.2026"}
	names := []string{"Nordkai GmbH", "Werft Seidel KG", "Marina Kalvøya AS", "Port Bleu SARL", "Kirkby Boats Ltd",
		"Hafenbau Kiel AG", "Harbour Works plc", "Varv Ekström AB", "Lund Marine ApS", "Stocznia Król S.A."}
	for _, x := range []struct {
		header string
		cells  []string
		want   string
	}{
		{"NUMEMP", staff, "employees"}, {"EFFEMP", staff, "employees"}, {"NUMEMP", days, ""}, {"Numemp", staff, ""},
	} {
		got := takenOf(t, "account", column("NUMCLI", numbers...), column("RAISOC", names...), column(x.header, x.cells...))
		if got[x.header] != x.want || got["NUMCLI"] != "source_ref" || got["RAISOC"] != "name" {
			t.Errorf("%s with %s goes to %q, want %q: %v", x.header, x.cells[0], got[x.header], x.want, got)
		}
	}
}

// The number of a customer is one of somebody else on a sheet of people, in short forms too.
func TestNumbersOfCustomers(t *testing.T) {
	for _, h := range []string{"klantnr", "Kl.nr", "Rel.nr.", "Relatienr", "Relatie nr", "Kundennr", "č. zák"} {
		if got := lift(tokens(h)).sets; !slices.ContainsFunc(got, func(set []string) bool {
			return slices.Equal(set, []string{"customer", "number"})
		}) {
			t.Errorf("%s means %v", h, got)
		}
	}
}
