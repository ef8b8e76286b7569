package suggest

import (
	"slices"
	"strings"
	"testing"
	"testing/quick"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
)

func TestTokens(t *testing.T) {
	for in, want := range map[string]string{
		"firstName": "first name", "E-Mail (private)*": "email", "1. Surname:": "surname", "customer_no": "customer no",
		"HTTPServer": "http server", "Tel. No.": "tel no", "  Postal   Code ": "postal code",
		"b) Town": "town", "Prob. (%)": "prob", "N° client": "nr client", "Straße": "strasse", "(Name)": "name",
		"会社名": "会社名", "": "",
	} {
		if got := strings.Join(tokens(in), " "); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}

// The quick look for decorations overlooks none.
func TestDecorationsAreSeen(t *testing.T) {
	for i := 0; i < len(decorations); i += 2 {
		for _, s := range []string{decorations[i], "Work " + decorations[i] + " 2", "x" + decorations[i]} {
			if !mayBeDecorated(s) {
				t.Errorf("%q holds %q", s, decorations[i])
			}
		}
	}
}

func TestOneSlipApart(t *testing.T) {
	for pair, want := range map[[2]string]bool{{"surname", "surnmae"}: true, {"surname", "surnam"}: true,
		{"surname", "surnames"}: true, {"surname", "sirname"}: true, {"surname", "surnmea"}: false,
		{"name", "nane"}: false, {"email address", "emial adress"}: true, {"phone", "stone"}: false} {
		if got := close1(pair[0], pair[1]); got != want {
			t.Errorf("%v: %v, want %v", pair, got, want)
		}
	}
}

// The distance is one: it is nothing only between equals, the same both ways,
// and never more than the longer text.
func TestDistance(t *testing.T) {
	property := func(a, b string) bool {
		if len(a) > 30 || len(b) > 30 {
			return true
		}
		ra, rb := []rune(a), []rune(b)
		d := distance(ra, rb)
		return d == distance(rb, ra) && (d == 0) == slices.Equal(ra, rb) && d <= max(len(ra), len(rb))
	}
	if err := quick.Check(property, nil); err != nil {
		t.Error(err)
	}
}

// Columns that look alike by their header are told apart by their cells.
func TestCellsDecide(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	column := func(header string, cells ...string) sheet.Column {
		p := sheet.NewProfiler([]string{header})
		for i, cell := range cells {
			p.Add(sheet.Row{Number: int64(i + 2), Cells: []string{cell}})
		}
		cols, _ := p.Profile()
		return cols[0]
	}
	for want, col := range map[string]sheet.Column{
		"honorific": column("Title", "Mr", "Ms", "Mr", "Dr"),
		"job_title": column("Title", "Skipper", "Cook", "Treasurer", "Owner"),
		"email":     column("Kontakt X", "a@x.example", "b@x.example", "c@x.example"),
		"phone":     column("Contact number", "+47 55 11 22 33", "+47 55 11 22 34", "+47 55 11 22 35"),
		"":          column("E-mail", "yes", "no", "yes", "no"),
	} {
		got := ""
		for _, s := range Columns(contact, []sheet.Column{col}, nil) {
			if s.Taken {
				got = s.Field
			}
		}
		if got != want {
			t.Errorf("%s %v: taken as %q, want %q", col.Header, col.Samples, got, want)
		}
	}
}

// A column that means both halves of a name goes to both, in the order that its cells or
// its header tell; one of given names stays one.
func TestBothHalvesOfAName(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	turned, plain, front := []string{"Brandt, Sibylle", "Okonjo, Felix", "Heide, Marie-Luise"},
		[]string{"Sibylle Brandt", "Felix Okonjo", "Marie Heide"}, []string{"Brandt Sibylle", "Okonjo Felix", "Heide Marie"}
	given := []string{"Anna Maria", "Jan Ole", "Marie Luise"}
	const parts, reversed = "family_name:family_name given_name:given_name",
		"family_name:family_name_first given_name:given_name_last"
	for _, x := range []struct {
		header string
		cells  []string
		want   string
	}{
		{"Name, Vorname", turned, reversed}, {"Nom Prénom", plain, parts}, {"Vorname Nachname", plain, parts},
		{"Nombre y apellidos", plain, parts}, {"Vorname", turned, parts},
		{"Nom Prénom", front, reversed}, {"Name", front, reversed},
		{"NOMINATIVO", []string{"Sig. Rossi Giulia", "Dott. Ferraro Luca", "Sig.ra Gallo Francesca"}, reversed},
		{"Nom Prénom", []string{"Thomas Martin", "Simon Paul", "Laurent Marie"}, reversed},
		{"Name", []string{"Vermeulen, Joris", "Mme Claire Dubreuil", "Sven-Åke Lindqvist", "Joris Vermeulen",
			"Kowalska Agnieszka", "Lars Bakken", "山田 太郎", "Fatima el Amrani"}, parts},
		{"Kontaktní osoba", []string{"Ing. Jiří Dvořák, Ph.D.", "Šárka Němcová", "Mgr. Tomáš Růžička", "Kučerová Lenka",
			"Pavel Černý ml.", "pan Novák"}, parts},
		{"Vorname", given, "given_name:"}, {"First name", given, "given_name:"},
	} {
		var got []string
		for _, s := range Columns(contact, []sheet.Column{{Header: x.header, Filled: 3, Samples: x.cells}}, nil) {
			if s.Taken {
				got = append(got, s.Field+":"+string(s.Take))
			}
		}
		slices.Sort(got)
		if got := strings.Join(got, " "); got != x.want {
			t.Errorf("%s of %q: %s, want %s", x.header, x.cells[0], got, x.want)
		}
	}
}

// Numbers are no choices of words, whatever the header says.
func TestNumbersAreNoChoices(t *testing.T) {
	c := standard(t)
	lead, _ := c.Type("lead")
	for cells, want := range map[string]bool{"12,5 3 8": false, "pontoons lighting solar": true,
		"high low medium": true, "tepid keen icy": true} {
		got := false
		for _, s := range Columns(lead,
			[]sheet.Column{{Header: "Interest", Filled: 3, Distinct: 3, Samples: strings.Fields(cells)}}, nil) {
			got = got || s.Taken && s.Field == "interest"
		}
		if got != want {
			t.Errorf("%s: taken is %v", cells, got)
		}
	}
}

// A path is read word by word, and a column of which all cells are blank gives way to it.
func TestPaths(t *testing.T) {
	c := standard(t)
	task, _ := c.Type("task")
	owners := []string{"Ingrid Havnes", "Lars Brattvik", "Yoko Shiota"}
	got := map[string]string{}
	for _, s := range Columns(task,
		[]sheet.Column{{Header: "assignee"}, {Header: "assignee.name", Longest: 20, Filled: 3, Distinct: 3,
			Samples: owners}, {Header: "Subj.", Longest: 9, Filled: 3, Distinct: 3, Samples: owners}}, nil) {
		if s.Taken {
			got[s.Field] = s.Column
		}
	}
	if got["owner"] != "assignee.name" || got["subject"] != "Subj." {
		t.Error(got)
	}
}

// What services wrap their answers in says nothing of what is in it, and a few rows that hold a
// person make no sheet of people of companies.
func TestWrappedPaths(t *testing.T) {
	c := standard(t)
	columns := []sheet.Column{
		{Header: "attributes.name", Longest: 20, Filled: 8, Distinct: 8,
			Samples: []string{"Pontoon Works Ltd", "Sjøbua AS", "Cantiere Doria S.r.l.", "Hausboot Müller"}},
		{Header: "attributes.address.city", Longest: 9, Filled: 7, Blank: 1, Distinct: 4,
			Samples: []string{"Leith", "Bergen", "Köln", "Genova"}},
		{Header: "people.first", Longest: 5, Filled: 1, Blank: 7, Distinct: 1, Samples: []string{"Uwe"}},
		{Header: "people.last", Longest: 6, Filled: 1, Blank: 7, Distinct: 1, Samples: []string{"Müller"}},
	}
	if got := NewView(columns).Among(c).Types(c, func(string) Memory { return nil }); got[0].Type != "account" || got[1].Score > 0.2 {
		t.Errorf("%+v", got)
	}
}

// Rows that are those who own records already are of staff, where
// they might be leads as well.
func TestRowsOfStaff(t *testing.T) {
	c := standard(t)
	columns := []sheet.Column{
		{Header: "Employee", Longest: 20, Filled: 4, Distinct: 4, Samples: []string{"Havnes, Ingrid", "Lars Brattvik",
			"Harbottle Callum", "New Person"}},
		{Header: "Work e-mail", Longest: 40, Filled: 4, Distinct: 4, Samples: []string{"ingrid.havnes@lantern.example",
			"lars.brattvik@lantern.example", "callum.harbottle@lantern.example", "new@lantern.example"}},
		{Header: "Dept", Longest: 8, Filled: 4, Distinct: 2, Samples: []string{"Norway", "UK"}},
		{Header: "Status", Longest: 10, Filled: 4, Distinct: 3, Samples: []string{"Active", "On leave", "Terminated"}},
	}
	of := func(named float64) (string, bool) {
		v := NewView(columns).Among(c).Naming(map[string][]float64{"staff": {0.5, named, 0, 0}})
		return Sure(v.Types(c, func(string) Memory { return nil }))
	}
	if got, _ := of(0.75); got != "staff" {
		t.Error(got)
	}
	for house, want := range map[string]string{"lantern.example": "staff", "other.example": ""} { // of who imports it
		if got, _ := Sure(NewView(columns).Among(c).AtHouse(house).Types(c, func(string) Memory { return nil })); got != want {
			t.Errorf("of %s: %q", house, got)
		}
	}
	if got, ok := of(0.5); ok {
		t.Error(got)
	}
}

// What most headers of a sheet begin with, and that means nothing, is left out; what was chosen
// before is remembered by the whole header.
func TestSharedPrefixes(t *testing.T) {
	lead, _ := standard(t).Type("lead")
	columns := []sheet.Column{
		{Header: "LX_FNAME", Longest: 9, Filled: 6, Distinct: 6, Samples: []string{"Ada", "Ole", "Kari", "Nils",
			"Berit", "Jan"}},
		{Header: "LX_ORG", Longest: 20, Filled: 6, Distinct: 6, Samples: []string{"Alpha AS", "Beta AS", "Gamma AS",
			"Delta AS", "Quay Ltd", "Kai GmbH"}},
		{Header: "LX_NOTE", Longest: 20, Filled: 6, Distinct: 6, Samples: []string{"ring", "later", "wants price", "no",
			"yes please", "soon"}},
		{Header: "LX_ZZ", Longest: 9, Filled: 6, Distinct: 6, Samples: []string{"q1", "q2", "q3", "q4", "q5", "q6"}},
		{Header: "Ccy", Longest: 3, Filled: 6, Distinct: 2, Samples: []string{"EUR", "NOK"}},
	}
	got := map[string]string{}
	for _, s := range Columns(lead, columns, Memory{Key("LX_ZZ"): "source_ref"}) {
		if s.Taken {
			got[s.Column] = s.Field
		}
	}
	if got["LX_NOTE"] != "description" || got["LX_ORG"] != "company" || got["LX_ZZ"] != "source_ref" {
		t.Error(got)
	}
	if p := sharedPrefix(columns[:2]); p != "" {
		t.Errorf("two columns share %q", p)
	}
	lines := []sheet.Column{{Header: "RAD_NR"}, {Header: "RAD_BEN"}, {Header: "RAD_ANTAL"}}
	if p := sharedPrefix(lines); p != "RAD_" { // a word, but of all
		t.Errorf("all columns share %q", p)
	}
	known := slices.Clone(columns)
	for n := range known {
		known[n].Header = strings.Replace(known[n].Header, "LX_", "TEL_", 1)
	}
	if p := sharedPrefix(known); p != "" {
		t.Errorf("%q means something", p)
	}
	// Two letters may mean a canton, and mean the table; but a firm's things are the firm's.
	contact, _ := standard(t).Type("contact")
	for header, want := range map[string]string{"KT_NAME": "family_name", "KT_VORNAME": "given_name", "KT_ORT": "locality"} {
		var columns []sheet.Column
		for h := range strings.FieldsSeq("KT_NAME KT_VORNAME KT_ORT KT_PLZ KT_MAIL") {
			columns = append(columns, sheet.Column{Header: h})
		}
		field := ""
		for _, s := range Columns(contact, columns, nil) {
			if s.Column == header && s.Taken {
				field = s.Field
			}
		}
		if field != want {
			t.Errorf("%s is placed on %s", header, field)
		}
	}
	if vagueMark("FA_") || !vagueMark("KT_") || vagueMark("KTO_") {
		t.Error("a mark is taken for what it is not")
	}
	for headers, want := range map[string]string{
		"CUSTNO CUSTNAME CUSTCITY CUSTZIP CUSTTEL CUSTWEB": "NAME", "CODCLI NOMCLI DOMCLI POBCLI TELCLI MAICLI": "NOM",
		"CUSTNO CUSTNAME CITY ZIP TEL WEB": "", "Name Nation Note Nick Number Nothing": "",
	} {
		var columns []sheet.Column
		for header := range strings.FieldsSeq(headers) {
			columns = append(columns, sheet.Column{Header: header})
		}
		if got, ok := markOf(columns).cut(columns[1].Header); ok != (want != "") || ok && got != want {
			t.Errorf("%s: %q", headers, got)
		}
	}
}

// A short form that was meant otherwise, as the cells say beyond doubt, is no reason to leave the
// column out; a word about somebody else is.
func TestHeadersThatCellsRefute(t *testing.T) {
	contact, _ := standard(t).Type("contact")
	lands := []string{"NO", "SE", "Danmark", "DE", "Italia", "FR", "NL"}
	for header, want := range map[string]string{"Town": "country", "Mobile": "country", "Delivery town": ""} {
		got := ""
		for _, s := range Columns(contact,
			[]sheet.Column{{Header: header, Longest: 7, Filled: 7, Distinct: 7, Samples: lands}}, nil) {
			if s.Taken {
				got = s.Field
			}
		}
		if got != want {
			t.Errorf("%s: %q, want %q", header, got, want)
		}
	}
}

// Of two columns that are called by the company, the one whose cells are family names gives way.
func TestLettingTellingGo(t *testing.T) {
	contact, _ := standard(t).Type("contact")
	columns := []sheet.Column{
		{Header: "Name/Firma", Longest: 9, Filled: 7, Distinct: 7, Samples: []string{"Müller", "Schmidt", "Schneider",
			"Fischer", "Weber", "Wagner", "Hoffmann"}},
		{Header: "Gehört zu Firma", Longest: 20, Filled: 7, Distinct: 7, Samples: []string{"Alpha GmbH", "Beta AG",
			"Gamma KG", "Delta GmbH", "Quay Ltd", "Kai GmbH", "Boot AG"}},
	}
	for _, s := range Columns(contact, columns, nil) {
		if s.Field == "account" && s.Column != "Gehört zu Firma" {
			t.Errorf("%+v", s)
		}
	}
}

// Nothing is taken from what seems to be another table beside the one that is read, on either side
// of it; an empty column alone parts no table.
func TestTablesBeside(t *testing.T) {
	account, _ := standard(t).Type("account")
	main := []sheet.Column{
		{Header: "Company", Longest: 20, Filled: 24, Distinct: 24, Samples: []string{"Seglerhof Adler", "Marina Brandt",
			"Rederi Coral"}},
		{Header: "Town", Longest: 9, Filled: 24, Distinct: 9, Samples: []string{"Dresden", "Graz", "Plymouth"}},
	}
	for _, c := range []struct {
		filled int64
		first  bool
		want   string
	}{{2, false, "name locality "}, {2, true, "name locality "}, {22, false, "name locality email "}} {
		side := []sheet.Column{{Header: "Mail", Longest: 30, Filled: c.filled, Blank: 24 - c.filled, Distinct: 2,
			Samples: []string{"info@adler.example", "info@brandt.example"}}}
		columns := slices.Concat(main, []sheet.Column{{Header: "Column C", Blank: 24}}, side)
		if c.first {
			columns = slices.Concat(side, []sheet.Column{{Header: "Column B", Blank: 24}}, main)
		}
		got := ""
		for _, s := range Columns(account, columns, nil) {
			if s.Taken {
				got += s.Field + " "
			}
		}
		if got != c.want {
			t.Errorf("%+v: %s", c, got)
		}
	}
}

// The main line is the company's, but where one company has several.
func TestWhoseMainLine(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	account, _ := c.Type("account")
	lines := []string{"+44 113 496 0123", "+44 20 7946 0018", "+44 113 496 0871", "+44 117 496 0662"}
	for distinct, want := range map[int64]string{5: "account", 18: "contact"} {
		columns := []sheet.Column{
			{Header: "Surname", Filled: 20, Distinct: 19, Samples: []string{"Whitlock", "Osei", "Chandra", "Kirkby"}},
			{Header: "Company", Filled: 20, Distinct: 5, Samples: []string{"Havneby Marina Ltd", "Kai Charter Ltd",
				"Quay Boats Ltd", "Tangby Yard Ltd"}},
			{Header: "Main tel.", Filled: 20, Distinct: distinct, Samples: lines},
		}
		for _, s := range NewView(columns).Across([]Target{{Draft: "contact", Type: contact},
			{Draft: "account", Type: account}}) {
			if s.Column == "Main tel." && s.Draft != want {
				t.Errorf("%d numbers of 5 companies are of the %s", distinct, s.Draft)
			}
		}
	}
}

// The number of a customer is no contact's own: where it repeats it names the account, and
// where it does not, nobody can tell.
func TestWhoseNumbers(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	account, _ := c.Type("account")
	numbers := sheet.Column{Header: "Customer No", Filled: 4, Distinct: 3, Samples: []string{"4001", "4002", "4003"}}
	names := sheet.Column{Header: "Company", Filled: 4, Distinct: 3, Samples: []string{"Havneby Marina", "Kai Charter",
		"Quay Boats"}}
	own := numbers
	own.Filled = 3
	for _, x := range []struct {
		name    string
		t       catalog.RecordType
		columns []sheet.Column
		want    string
	}{
		{"repeats", contact, []sheet.Column{numbers}, "account"},
		{"repeats beside a name", contact, []sheet.Column{numbers, names}, ""},
		{"is each one's own", contact, []sheet.Column{own}, ""}, {"of accounts", account, []sheet.Column{own}, "source_ref"},
	} {
		got := ""
		for _, s := range Columns(x.t, x.columns, nil) {
			if s.Column == "Customer No" && s.Taken {
				got = s.Field
			}
		}
		if got != x.want {
			t.Errorf("%s: %q, want %q", x.name, got, x.want)
		}
	}
	for _, s := range NewView([]sheet.Column{own}).Naming(map[string][]float64{"account": {0.9}}).Across([]Target{{Type: contact}}) {
		if s.Column == "Customer No" && (s.Field != "account" || !s.Taken) {
			t.Errorf("numbers of customers that are there go to %s", s.Field)
		}
	}
	for _, s := range Columns(contact, []sheet.Column{own}, Memory{Key("Customer No"): "source_ref"}) {
		if s.Column == "Customer No" && !s.Taken {
			t.Error("what was chosen before is not taken")
		}
	}
}

// What a header says of somebody else is not taken for its cells, and what cells cannot be is
// not taken for its header.
func TestSomebodyElses(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	mails := []string{"ada@kade.example", "bo@lund.example", "per@berg.example", "liz@tanner.example", "kai@steg.example"}
	for _, x := range []struct {
		header string
		cells  []string
		want   string
	}{
		{"Emergency", mails, ""}, {"Insurance", mails, ""}, {"Assistant", mails, ""}, {"Writes from", mails, "email"},
		{"Broker", []string{"Norway", "Germany", "UK", "Sweden", "France"}, ""},
		{"Seller", []string{"2019-03-04", "2011-10-21", "2015-06-30", "1998-01-12", "2020-02-02"}, ""},
		{"Seller", []string{"I. Havnes", "T. Osei", "M. Visser"}, "owner"},
		{"Ref", []string{"2019-03-04", "2011-10-21", "2015-06-30", "1998-01-12", "2020-02-02"}, ""},
		{"Ref", []string{"Bergen", "Hamburg", "London", "Oslo"}, ""},
		{"Ref", []string{"A-1001", "A-1002", "A-1003"}, "source_ref"}, {"Ref", []string{"BRG", "HAM", "LON"}, "source_ref"},
	} {
		got := ""
		for _, s := range Columns(contact,
			[]sheet.Column{{Header: x.header, Filled: 40, Distinct: 40, Longest: 20, Samples: x.cells}}, nil) {
			if s.Taken {
				got = s.Field
			}
		}
		if got != x.want {
			t.Errorf("%s with %s: %q, want %q", x.header, x.cells[0], got, x.want)
		}
	}
}

// Whole addresses in one column are parted; beside a column of towns only the street is taken.
func TestWholeAddresses(t *testing.T) {
	c := standard(t)
	account, _ := c.Type("account")
	address := sheet.Column{Header: "Anschrift", Longest: 30, Filled: 3, Distinct: 3,
		Samples: []string{"Am Hafen 3, 17493 Greifswald", "Hafenstr. 12\n18546 Sassnitz", "Sund 4"}}
	for want, columns := range map[string][]sheet.Column{
		"locality address_town, postal_code address_postal_code, street address_street": {address},
		"locality , postal_code address_postal_code, street address_street": {address,
			{Header: "Ort", Filled: 3, Distinct: 3, Samples: []string{"Greifswald", "Sassnitz", "Stralsund"}}},
		"street ": {{Header: "Anschrift", Longest: 12, Filled: 3, Distinct: 3,
			Samples: []string{"Am Hafen 3", "Hafenstr. 12", "Sund 4"}}},
	} {
		var got []string
		for _, s := range Columns(account, columns, nil) {
			if s.Taken {
				got = append(got, s.Field+" "+string(s.Take))
			}
		}
		slices.Sort(got)
		if strings.Join(got, ", ") != want {
			t.Errorf("%v, want %s", got, want)
		}
	}
}

// A column of towns goes to both, though only some cells have a postal code before the town.
func TestPostalCodeAndTown(t *testing.T) {
	c := standard(t)
	account, _ := c.Type("account")
	for header, want := range map[string]int{"PLZ Ort": 2, "Ort": 2, "Firma": 0} {
		got := 0
		for _, s := range Columns(account,
			[]sheet.Column{{Header: header, Filled: 5, Samples: []string{"24103 Kiel", "Kiel", "Berlin", "23966 Wismar",
				"8607 AA Sneek"}}}, nil) {
			if s.Taken && (s.Field == "postal_code" || s.Field == "locality") {
				got++
			}
		}
		if got != want {
			t.Errorf("%s goes to %d fields, want %d", header, got, want)
		}
	}
}

func TestFullNamesAreSplitOnlyWhenNeeded(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	name := sheet.Column{Header: "Name", Filled: 3, Samples: []string{"Ada Berg", "Bo Li", "Cy Ek"}}
	fields := func(cols ...sheet.Column) string {
		var list []string
		for i := range cols {
			cols[i].Position = i
		}
		for _, s := range Columns(contact, cols, nil) {
			if s.Taken {
				list = append(list, s.Field+string(s.Take))
			}
		}
		slices.Sort(list)
		return strings.Join(list, " ")
	}
	if got := fields(name); got != "family_namefamily_name given_namegiven_name" {
		t.Errorf("a column of full names: %s", got)
	}
	if got := fields(name, sheet.Column{Header: "Surname", Filled: 3,
		Samples: []string{"Berg", "Li", "Ek"}}); strings.Contains(got, "given_namegiven_name") {
		t.Errorf("with a surname beside it: %s", got)
	}
	nordic := sheet.Column{Header: "Kontakt", Filled: 4,
		Samples: []string{"Åsa Lindqvist", "Mike Öberg", "Eva Ek", "Asa Lindqvist"}} // Asa is no legal form in front
	if got := fields(nordic); got != "family_namefamily_name given_namegiven_name" {
		t.Errorf("a column of contacts: %s", got)
	}
	one := name
	one.Samples = []string{"Ada", "Bo", "Cy"}
	if got := fields(one); strings.Contains(got, "family_namefamily_name") {
		t.Errorf("single words are split: %s", got)
	}
}
