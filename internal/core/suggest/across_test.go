package suggest

import (
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
)

func nothing(string) Memory { return nil }

// spots lists what is taken as column=draft.field, in the order of the columns.
func spots(list []Suggestion) string {
	var out []string
	for _, s := range taken(list) {
		out = append(out, s.Column+"="+s.Draft+"."+s.Field)
	}
	return strings.Join(out, " ")
}

func targets(c catalog.Catalog, names ...string) []Target {
	var list []Target
	for _, n := range names {
		t, _ := c.Type(n)
		list = append(list, Target{Draft: n, Type: t})
	}
	return list
}

// Columns of several records in one row go to the draft that their header
// names, or beside which they stand.
func TestAcross(t *testing.T) {
	c := standard(t)
	for _, x := range []struct {
		types   []string
		headers []string
		want    string
	}{
		{[]string{"contact", "account"}, []string{"Company", "Street", "City", "Company phone", "Contact first name",
			"Contact last name", "E-mail", "Phone"},
			"Company=account.name Street=account.street City=account.locality Company phone=account.phone Contact first " +
				"name=contact.given_name Contact last name=contact.family_name E-mail=contact.email Phone=contact.phone"},
		{[]string{"contact", "account"}, []string{"Kontakt Vorname", "Kontakt Nachname", "Kontakt E-Mail", "Firma",
			"Straße", "PLZ", "Ort"},
			"Kontakt Vorname=contact.given_name Kontakt Nachname=contact.family_name Kontakt E-Mail=contact.email " +
				"Firma=account.name Straße=account.street PLZ=account.postal_code Ort=account.locality"},
		{[]string{"opportunity", "line"}, []string{"Deal", "Stage", "Expected close", "Product", "Quantity", "Unit price"},
			"Deal=opportunity.title Stage=opportunity.stage Expected close=opportunity.expected_close Product=line.product " +
				"Quantity=line.quantity Unit price=line.unit_price"},
		// Nothing says whose the phone is: it is not taken.
		{[]string{"contact", "account"}, []string{"Phone", "Surname", "Registration number"},
			"Surname=contact.family_name Registration number=account.registration_number"},
	} {
		if got := spots(NewView(columns(x.headers...)).Across(targets(c, x.types...))); got != x.want {
			t.Errorf("%v:\ngot  %s\nwant %s", x.headers, got, x.want)
		}
	}
}

// A further record type is offered when it would take columns that are left and
// nothing that it needs is missing.
func TestFurther(t *testing.T) {
	c := standard(t)
	for _, x := range []struct {
		into    string
		headers []string
		want    []string
	}{
		{"contact", []string{"First name", "Last name", "E-mail", "Company", "Website", "Employees"}, []string{"account"}},
		{"contact", []string{"First name", "Last name", "E-mail", "Company"}, nil},
		{"opportunity", []string{"Deal", "Account", "Stage", "Expected close", "Product", "Quantity"}, []string{"line"}},
		{"opportunity", []string{"Deal", "Account", "Stage", "Expected close", "Product"}, nil}, // a line needs a quantity
	} {
		rt, _ := c.Type(x.into)
		var got []string
		for _, s := range NewView(columns(x.headers...)).Further(c, []Target{{Type: rt}}, nothing) {
			got = append(got, s.Type)
			if s.Reason == "" || len(s.Columns) < 2 {
				t.Errorf("%+v", s)
			}
		}
		if !slices.Equal(got, x.want) {
			t.Errorf("%v: %v, want %v", x.headers, got, x.want)
		}
	}
}

// A draft that is added takes its columns from the others, is linked, and has
// its rows grouped only where another cannot be without it.
func TestWithDraft(t *testing.T) {
	c := standard(t)
	filled := func(blank int64, headers ...string) []sheet.Column {
		cols := columns(headers...)
		for i := range cols {
			cols[i].Blank = blank
		}
		return cols
	}
	cols := slices.Concat(filled(3, "Deal", "Stage", "Expected close"), filled(0, "Product", "Quantity"))
	rt, _ := c.Type("opportunity")
	r := NewView(cols).WithDraft(Routine(rt, Columns(rt, cols, nil)), c, mapping.Draft{Type: "line"}, nothing)
	if !r.Drafts[0].Grouped || r.Drafts[1].Grouped || r.Drafts[1].Fields["opportunity"].Draft != "opportunity" {
		t.Errorf("%+v", r)
	}
	// A customer that was forgotten is not that of the row above.
	for _, x := range []struct {
		filled, distinct, blank int64
		above                   bool
	}{{7, 3, 1, false}, {40, 40, 2, false}, {9, 4, 5, false}, {4, 4, 9, true}} {
		deals := filled(0, "Deal name", "Stage", "Expected close", "Customer")
		for i := range deals {
			deals[i].Filled = x.filled + x.blank
		}
		deals[3].Filled, deals[3].Distinct, deals[3].Blank = x.filled, x.distinct, x.blank
		r = NewView(deals).WithDraft(Routine(rt, Columns(rt, deals, nil)), c, mapping.Draft{Type: "account"}, nothing)
		if r.Drafts[1].Grouped != x.above {
			t.Errorf("%+v: %v", x, r.Drafts[1].Grouped)
		}
	}
	list := filled(0, "Firm", "Name", "Position", "Zip", "Town")
	list[0].Samples = []string{"Kelpie Marine Ltd", "Sea Loch Charters", "Solent Sails", "Rigging Direct",
		"Harbour Lights", "Moss Boats"}
	list[1].Samples = []string{"Fiona McAllister", "Ross Tait", "Priya Nair", "Thomas Smith", "Anna Berg", "Peter Moss"}
	person, _ := c.Type("contact")
	r = NewView(list).WithDraft(Routine(person, Columns(person, list, nil)), c, mapping.Draft{Type: "account"}, nothing)
	if o := r.Drafts[1].Fields["name"]; !slices.Equal(o.From, []string{"Firm"}) ||
		!slices.Equal(r.Drafts[0].Fields["family_name"].From, []string{"Name"}) {
		t.Errorf("the names of people are taken for those of companies: %+v", r.Drafts)
	}
	// Lines of an address go with their town.
	book := columnsOf(strings.Join([]string{
		"First Name=Robert|Teresa|Wei|Maria|Sandra|John",
		"Last Name=Hanley|O'Dell|Chang|Lund|Smith|McDonald",
		"Title=VP Ops|Dockmaster|Director|Owner|Manager|Manager",
		"Company=Hanley Marine, Inc.|Harbor Point Yacht Club|Pacific Marine Institute|Lund Charters LLC|Smith & Associates|Lakeside Marina",
		"Address 1=12 Wharf St|1 Harbor Pt|500 Ocean Ave|PO Box 77|77 Pier Rd|12 Lake St",
		"Address 2=Ste 400|Floor 2|Bldg. C|Unit 4|Suite 3|Floor 1",
		"City=Portland|Annapolis|Monterey|Key West|Boston|Lake Placid",
		"ZIP=04101|21403|93940|33040|02110|12946",
		"Phone=(207) 555-0110|410 555 0120|831 555 0130|305 555 0140|617 555 0150|518 555 0160",
		"Contact cell=207 555 0111|410 555 0121|831 555 0131|305 555 0141|617 555 0151|518 555 0161",
		"E-mail=rhanley@hanley.example|todell@hpyc.example|wchang@pmi.example|mlund@lund.example|ssmith@sja.example|jmcdonald@lakeside.example",
		"Web=hanley.example|hpyc.example|pmi.example|lund.example|sja.example|lakeside.example",
	}, ";"))
	r = NewView(book).WithDraft(Routine(person, Columns(person, book, nil)), c, mapping.Draft{Type: "account"}, nothing)
	if o, still := r.Drafts[0].Fields["street"]; still || !slices.Equal(r.Drafts[1].Fields["street"].From,
		[]string{"Address 1", "Address 2"}) {
		t.Errorf("the street stays behind when its town goes: %v of %v", o.From, r.Drafts[1].Fields["street"].From)
	}
	// What stands between two columns of one of them is that one's.
	for order, want := range map[string]string{
		"Company,Industry,Town,Company phone,First name,Last name": "account", "Company,Last name,First name,Town,Mobile": "contact",
	} {
		var cols []sheet.Column
		for _, h := range strings.Split(order, ",") {
			cols = append(cols, columnsOf(map[string]string{
				"Company": "Company=Hanley Ltd|Kade Ltd|Lund Ltd", "Industry": "Industry=Marina|Boats|Sails",
				"Town": "Town=Whitby|Truro|Ludlow", "Company phone": "Company phone=0113 496 0123|0113 496 0871|0117 496 0662",
				"First name": "First name=Robert|Teresa|Wei", "Last name": "Last name=Hanley|Lund|Chang", "Mobile": "Mobile=07700 900123|07700 900124|07700 900125",
			}[h])...)
		}
		r = NewView(cols).WithDraft(Routine(person, Columns(person, cols, nil)), c, mapping.Draft{Type: "account"}, nothing)
		for _, d := range r.Drafts {
			if _, ok := d.Fields["locality"]; ok != (d.Type == want) {
				t.Errorf("%s: the town is in %s: %v", order, d.Type, ok)
			}
		}
	}
	people := slices.Concat(filled(0, "Surname"), filled(2, "Company", "Website"))
	ct, _ := c.Type("contact")
	r = NewView(people).WithDraft(Routine(ct, Columns(ct, people, nil)), c, mapping.Draft{Type: "account"}, nothing)
	if r.Drafts[0].Grouped || r.Drafts[1].Grouped {
		t.Error("a person without a company is given to the company above")
	}
	if o := r.Drafts[0].Fields["account"]; o.Draft != "account" || len(o.From) > 0 {
		t.Errorf("the column goes on as a link: %+v", o)
	}
	if err := r.Check(c, []string{"Surname", "Company", "Website"}); err != nil {
		t.Error(err)
	}
}

// A sum beside quantities and prices is that of a line; so is an amount on rows where the deal
// is not named. The amount of a deal stays that of the deal.
func TestTotalsOfLinesAreNotThoseOfDeals(t *testing.T) {
	c := standard(t)
	rt, _ := c.Type("opportunity")
	line, _ := c.Type("line")
	money := []string{"1.250,00", "89,90", "13.500,00", "980,00"}
	for name, x := range map[string]struct {
		header string
		filled int64
		taken  bool
	}{
		"a sum in every line":            {"Total", 10, false},
		"a sum where the deal is named":  {"Total", 4, true},
		"filled where the deal is blank": {"Deal amount", 10, false},
		"the deal's own":                 {"Deal amount", 4, true},
	} {
		cols := columns("Deal name", "Product", "Quantity", "Unit price", x.header)
		for i, n := range []int64{4, 10, 10, 10, x.filled} {
			cols[i].Filled, cols[i].Blank = n, 10-n
		}
		cols[2].Samples, cols[3].Samples, cols[4].Samples = []string{"12", "3", "40", "1"}, money, money
		before := Routine(rt, Columns(rt, cols, nil))
		if len(before.Drafts[0].Fields["amount"].From) == 0 {
			t.Fatalf("%s: the amount of deals alone is not found", name)
		}
		taken := false
		for _, s := range NewView(cols).Across([]Target{{Draft: "opportunity", Type: rt}, {Draft: "line", Type: line}}) {
			taken = taken || s.Field == "amount" && s.Taken
		}
		r := NewView(cols).WithDraft(before, c, mapping.Draft{Type: "line"}, nothing)
		if kept := len(r.Drafts[0].Fields["amount"].From) > 0; taken != x.taken || kept != x.taken {
			t.Errorf("%s: taken %v, kept with a draft for lines %v, want %v", name, taken, kept, x.taken)
		}
	}
}

func TestChoiceGuess(t *testing.T) {
	f := catalog.Field{Type: catalog.OneChoice,
		Choices: []catalog.Choice{{Code: "high", Label: "High", Other: []string{"very interested"}},
			{Code: "low", Label: "Low"}, {Code: "gone", Label: "Interested", Closed: true}}}
	for text, want := range map[string]string{"hihg": "", "very intrested": "high", "rather low": "low", "": "",
		"boat": "", "interested": "", "very interested indeed": "high"} {
		if got := Choice(f, text); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

// A currency that stands beside the amounts is taken from them, unless it has a
// column or they carry none.
func TestCurrencyBesideAmounts(t *testing.T) {
	c := standard(t)
	rt, _ := c.Type("opportunity")
	for _, x := range []struct {
		headers []string
		samples []string
		want    bool
	}{
		{[]string{"Deal", "Value"}, []string{"1.250,00 €", "18.400,00 €"}, true},
		{[]string{"Deal", "Value"}, []string{"NOK 640", "EUR 12.50", "¥640,000"}, true},
		{[]string{"Deal", "Value"}, []string{"640", "12.50"}, false},
		{[]string{"Deal", "Value"}, []string{"12 boats", "3 boats"}, false},
		{[]string{"Deal", "Value", "Currency"}, []string{"1.250,00 €"}, false},
	} {
		cols := columns(x.headers...)
		cols[1].Samples = x.samples
		got := slices.ContainsFunc(Columns(rt, cols, nil),
			func(s Suggestion) bool { return s.Field == "currency" && s.Take == mapping.TakeCurrency && s.Taken })
		if got != x.want {
			t.Errorf("%v %v: %v", x.headers, x.samples, got)
		}
	}
}

// A set of types is told of when it takes clearly more of the columns.
func TestTogether(t *testing.T) {
	c := standard(t)
	lead, _ := c.Type("lead")
	contact, _ := c.Type("contact")
	all := []string{"Company", "Website", "Town", "Contact first name", "Contact last name", "Contact e-mail",
		"Deal title", "Stage", "Deal value", "Expected close"}
	for _, x := range []struct {
		now     catalog.RecordType
		headers []string
		want    string
	}{
		{lead, all, "contact account opportunity"},
		{contact, all, "contact account opportunity"},
		{lead, []string{"First name", "Last name", "Company", "E-mail", "Came from"}, ""},
		{contact, []string{"First name", "Last name", "E-mail", "Phone", "Company"}, ""},
	} {
		got, ok := NewView(columns(x.headers...)).Together(c, []Target{{Type: x.now}}, nothing)
		slices.Sort(got.Types)
		want := strings.Fields(x.want)
		slices.Sort(want)
		if !slices.Equal(got.Types, want) || ok != (x.want != "") {
			t.Errorf("%s %v: %+v", x.now.Name, x.headers, got)
		}
	}
}

// Mailboxes that are called like the people are theirs, whatever stands beside them.
func TestMailboxesOfPeople(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	account, _ := c.Type("account")
	column := func(header string, cells ...string) sheet.Column {
		return sheet.Column{Header: header, Filled: int64(len(cells)), Distinct: int64(len(cells)), Samples: cells}
	}
	for mails, want := range map[string]string{
		"s.brandt@werft.example felix@segeln.example m.heide@boote.example": "contact",
		"info@werft.example office@segeln.example post@boote.example":       "account",
	} {
		list := NewView([]sheet.Column{
			column("Name", "Sibylle Brandt", "Felix Okonjo", "Marie Heide"),
			column("Firma", "Werft Brandt", "Segelschule Nord", "Heide Boote"), column("Mail", strings.Fields(mails)...),
		}).Across([]Target{{Draft: "contact", Type: contact}, {Draft: "account", Type: account}})
		for _, s := range list {
			if s.Column == "Mail" && (s.Draft != want || !s.Taken) {
				t.Errorf("%s: %+v, want the %s", mails, s, want)
			}
		}
	}
}

// A word before the given and the family names says who the people are, whatever else it means.
func TestWordForPeople(t *testing.T) {
	c := standard(t)
	account, _ := c.Type("account")
	contact, _ := c.Type("contact")
	columns := columnsOf("Firm=" + strings.Repeat("Varnholt Ltd|Quellick plc|", 4) + "Estrava Ltd;" +
		"Rep first name=Grace|Simon|Priya|Hazel|Owen|Ruth|Tariq|Fiona|Joan;" +
		"Rep surname=Whitlock|Osei|Chandra|Kirkby|Moffat|Sexton|Lyle|Rudge|Vance;" +
		"Rep role=Buyer|Owner|Buyer|Manager|Buyer|Owner|Clerk|Buyer|Clerk;" +
		"Rep mail=grace@varnholt.example|simon@quellick.example|priya@estrava.example|hazel@a.example|owen@b.example|ruth@c.example|" +
		"tariq@d.example|fiona@e.example|joan@f.example")
	got := map[string]string{}
	targets := []Target{{Draft: "account", Type: account}, {Draft: "contact", Type: contact}}
	for _, s := range NewView(columns).Among(c).Across(targets) {
		if s.Taken {
			got[s.Column] += s.Draft + "." + s.Field + " "
		}
	}
	for column, want := range map[string]string{"Rep first name": "contact.given_name ", "Rep surname": "contact.family_name ",
		"Rep role": "contact.job_title ", "Rep mail": "contact.email "} {
		if got[column] != want {
			t.Errorf("%s: %q, want %q", column, got[column], want)
		}
	}
	for _, s := range Columns(account, columns, nil) { // alone, the company has none of it
		if s.Taken && s.Column == "Rep mail" {
			t.Errorf("%s is %s of the company", s.Column, s.Field)
		}
	}
	// Few of our own stay those who look after the records.
	ours := columnsOf("Company=Varnholt Ltd|Quellick plc|Estrava Ltd;Owner first name=Grace|Simon|Priya;Owner surname=Whitlock|Osei|" +
		"Chandra;Owner e-mail=grace@lq.example|simon@lq.example|priya@lq.example")
	if !slices.ContainsFunc(Columns(account, ours, nil), func(s Suggestion) bool { return s.Taken && s.Field == "owner" }) {
		t.Error("who looks after the company is somebody else")
	}
	// What was chosen for such headers is remembered by the whole of them.
	for header, field := range map[string]string{"Rep role": "description", "hot/cold": "interest"} {
		lead, _ := c.Type("lead")
		cols := append(slices.Clone(columns), column("hot/cold", "hot", "cold", "hot", "cold"))
		chosen := Columns(lead, cols, Memory{Key(header): field})
		if !slices.ContainsFunc(chosen, func(s Suggestion) bool { return s.Column == header && s.Field == field && s.Taken }) {
			t.Errorf("%s was chosen for %s, and is forgotten: %+v", field, header, chosen)
		}
	}
}

// A main number is the company's; the main person of it is a person.
func TestMainNumber(t *testing.T) {
	for header, want := range map[string]bool{"Hovednr.": true, "Main no.": true, "Main phone": true, "Zentrale": true,
		"Main contact": false, "Phone": false} {
		if got := meansLine(header, "main"); got != want {
			t.Errorf("%s: %v, want %v", header, got, want)
		}
	}
}

// A column that is only called a code holds postal codes where it stands beside the town.
func TestCodesBesideTowns(t *testing.T) {
	ct, _ := standard(t).Type("account")
	for name, x := range map[string]struct {
		headers []string
		codes   []string
		want    string
	}{
		"beside the town": {[]string{"Nazwa firmy", "Ulica", "Kod", "Miasto"}, []string{"80-560", "81-339", "11-500"},
			"postal_code"},
		"behind the name":   {[]string{"Kod", "Nazwa firmy", "Ulica", "Miasto"}, []string{"80-560", "81-339", "11-500"}, ""},
		"words of a status": {[]string{"Nazwa firmy", "Ulica", "Kod", "Miasto"}, []string{"AKT", "NEU", "GES"}, ""},
	} {
		cols := columns(x.headers...)
		at := slices.Index(x.headers, "Kod")
		cols[at].Samples = x.codes
		got := ""
		for _, s := range Columns(ct, cols, nil) {
			if s.Column == "Kod" && s.Taken {
				got = s.Field
			}
		}
		if got != x.want && (x.want != "" || got == "postal_code") {
			t.Errorf("%s: %q, want %q", name, got, x.want)
		}
	}
}

// Of several columns of one name the first is it.
func TestFirstOfSeveral(t *testing.T) {
	ct, _ := standard(t).Type("account")
	for _, name := range []string{"Firma 1,Firma 2", "Firma 2,Firma 1", "Name1,Name2", "NAME_1,NAME_2",
		"Name 1,Name 2,Name 3"} {
		cols := columns(append(strings.Split(name, ","), "KdNr", "PLZ", "Ort")...)
		first := ""
		for n := range strings.Split(name, ",") {
			cols[n].Filled, cols[n].Samples = 2, []string{"Bootsbau & Reparatur", "z.Hd. Hafenmeister"}
			if strings.HasSuffix(cols[n].Header, "1") {
				first = cols[n].Header
				cols[n].Filled, cols[n].Samples = 4, []string{"Werft Köhler GmbH", "Stein & Söhne KG", "Marina Nord e.V.",
					"Holm Charter ApS"}
			}
		}
		got := ""
		for _, s := range Columns(ct, cols, nil) {
			if s.Field == "name" && s.Taken {
				got = s.Column
			}
		}
		if got != first {
			t.Errorf("%s: the name is in %q", name, got)
		}
	}
}

// What stands before a colon says of which type a header is, and no more.
func TestTypesBeforeAColon(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	account, _ := c.Type("account")
	got := map[string]string{}
	for _, s := range NewView([]sheet.Column{
		column("Contact: Full Name", "Marit Moe", "Anke Petersen", "John O'Neil"),
		column("Contact: Title", "Harbour Master", "Buyer", "Owner"), column("Account: Name", "Tern AS", "Gull KG",
			"O'Neil's Yard"),
		column("Contact: Phone", "+47 55 30 30 31"), column("Account: Phone", "+47 55 30 30 30"),
		column("Note: Title", "x", "y"),
	}).Among(c).Across([]Target{{Draft: "account", Type: account}, {Draft: "contact", Type: contact}}) {
		if s.Taken {
			got[s.Column] = s.Draft + "." + s.Field
		}
	}
	for header, want := range map[string]string{"Contact: Title": "contact.job_title", "Account: Name": "account.name",
		"Contact: Phone": "contact.phone", "Account: Phone": "account.phone", "Note: Title": ""} {
		if got[header] != want {
			t.Errorf("%s: %q, want %q", header, got[header], want)
		}
	}
}

// An item's code gives way to its description, unless it was chosen before; where nothing describes the item, it is
// the product.
func TestCodesBesideDescriptions(t *testing.T) {
	line, _ := standard(t).Type("line")
	sku, said := column("sku", "P32", "M1", "LQ-L2"), column("description", "Pedestal 32A", "Meter", "Light")
	for _, x := range []struct {
		columns []sheet.Column
		memory  Memory
		want    string
	}{
		{[]sheet.Column{sku, said}, nil, "description"}, {[]sheet.Column{sku}, nil, "sku"},
		{[]sheet.Column{sku, said}, Memory{"sku": "product"}, "sku"},
		{[]sheet.Column{column("sku", "Pedestal 32A", "Meter", "Light"), said}, nil, "sku"},
	} {
		got := ""
		for _, s := range Columns(line, x.columns, x.memory) {
			if s.Taken && s.Field == "product" {
				got += s.Column
			}
		}
		if got != x.want {
			t.Errorf("of %d columns, %v: %q, want %q", len(x.columns), x.memory, got, x.want)
		}
	}
}

// Of two drafts that may have a column, it is that one's whose choices its cells are, where they are none of the
// other's; where they are neither's, nobody can tell.
func TestCellsTellWhose(t *testing.T) {
	c := standard(t)
	deal, _ := c.Type("opportunity")
	account, _ := c.Type("account")
	targets := []Target{{Draft: "opportunity", Type: deal}, {Draft: "account", Type: account}}
	name := column("Zorb", "Tern Boats Ltd", "Gull Marine Ltd", "Kade AS", "Lund AS", "Skua Yard Ltd", "Heron Sails Ltd")
	// where it stands beside the company, the cells tell as well
	beside := column("Prospect", "Tern Boats Ltd", "Gull Marine Ltd", "Kade AS", "Lund AS", "Skua Yard Ltd", "Heron Sails Ltd")
	stage := column("Status", "offered", "won", "lost", "agreed", "scoped", "won")
	stage.Distinct = 5
	if !slices.ContainsFunc(NewView([]sheet.Column{beside, stage}).Across(targets),
		func(s Suggestion) bool { return s.Field == "stage" && s.Taken }) {
		t.Error("stages beside the company are not taken for such")
	}
	for cells, want := range map[string]string{
		"customer prospect partner former customer prospect": "account.status",
		"offered won lost agreed scoped won":                 "opportunity.stage",
		"red green blue red green blue":                      "",
	} {
		status := column("Status", strings.Fields(cells)...)
		status.Distinct = 4
		got := ""
		for _, s := range NewView([]sheet.Column{name, status}).Across(targets) {
			if s.Taken && s.Column == "Status" {
				got += s.Draft + "." + s.Field
			}
		}
		if got != want {
			t.Errorf("%s: %q, want %q", cells, got, want)
		}
	}
}

// An address behind the name of a company is the company's where the person comes behind it, and stays the person's
// where the person comes first and no other column says whose it is.
func TestAddressesBeforePeople(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	nothing := func(string) Memory { return nil }
	company := "Firma=Tern GmbH|Gull KG|Kade AG|Lund GmbH|Skua e.K.|Heron KG"
	address := "Straße=Am Kai 3|Hafenweg 1|Uferallee 8|Werftstr. 2|Deich 9|Mole 4;PLZ=24103|24937|18055|28195|24103|18055;Ort=Kiel|Flensburg|" +
		"Rostock|Bremen|Kiel|Rostock"
	person := "Anrede=Herr|Frau|Herr|Frau|Herr|Frau;Vorname=Uwe|Anke|Jörg|Birgit|Sönke|Heike;Nachname=Lang|Kurz|Voss|Thomsen|Jessen|Friis"
	for order, want := range map[string]string{
		strings.Join([]string{company, address, person}, ";"): "account", strings.Join([]string{person, company, address}, ";"): "contact",
	} {
		v := NewView(columnsOf(order))
		r := v.WithDraft(Routine(contact, v.Across([]Target{{Type: contact}})), c, mapping.Draft{Type: "account"}, nothing)
		for _, field := range []string{"street", "postal_code", "locality"} {
			for _, d := range r.Drafts {
				if _, has := d.Fields[field]; has != (d.Called() == want) {
					t.Errorf("%.5s first: the %s has %s: %t", order, d.Called(), field, has)
				}
			}
		}
	}
}

// A column that is called a name beside the given names is the person's, though it stands behind the company; so the
// company is offered.
func TestNamesByGivenNames(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	v := NewView(columnsOf("Firma=Tern GmbH|Gull KG|Kade AG|Lund GmbH|Skua e.K.|Heron KG;Homepage=tern.example|gull.example|kade.example|" +
		"lund.example|skua.example|heron.example;Zentrale=0431 555010|0461 555020|0381 555030|0421 555040|0431 555050|0461 555060;" +
		"Vorname=Uwe|Anke|Jörg|Birgit|Sönke|Heike;Name=Lang|Kurz|Voss|Thomsen|Jessen|Friis"))
	further := v.Further(c, []Target{{Type: contact}}, func(string) Memory { return nil })
	if len(further) == 0 || further[0].Type != "account" || strings.Join(further[0].Columns, " ") != "Firma Homepage Zentrale" {
		t.Errorf("offered are %+v", further)
	}
}

// Mailboxes that are called like the people are theirs, also where nobody knows their names as such but the headers.
func TestMailboxesOfPeopleWithRareNames(t *testing.T) {
	c := standard(t)
	account, _ := c.Type("account")
	v := NewView(columnsOf("Company=Tern AB|Gull AB|Kade AB|Lund HB;Company town=Moss|Oslo|Moss|Oslo;First name=Muhisa|Tikipo|Najovu|Rilepu;" +
		"Last name=Kinoba|Depulo|Rapemu|Gurari;E-mail=muhisa.kinoba@quaymail.example|tikipo@quaymail.example|" +
		"rapemu.n@quaymail.example|rgurari@quaymail.example"))
	nothing := func(string) Memory { return nil }
	r := v.WithDraft(Routine(account, v.Across([]Target{{Type: account}})), c, mapping.Draft{Type: "contact"}, nothing)
	if o := r.Drafts[1].Fields["email"]; !slices.Equal(o.From, []string{"E-mail"}) {
		t.Errorf("the mailboxes go to %+v", r.Drafts)
	}
}

// What a header says of a record that is made later goes there, though it was taken for something like it of one that
// was there before.
func TestHeadersThatSayItBetter(t *testing.T) {
	c := standard(t)
	deal, _ := c.Type("opportunity")
	nothing := func(string) Memory { return nil }
	cols := columnsOf("Affär=Elstolpar|Mätare|Belysning|Kablar|Service|Mätare B;Företag=Tern AB|Gull AB|Kade AB|Lund HB|Skua AB|Heron AB;" +
		"Förnamn=Lars|Karin|Göran|Åsa|Nils|Maja;Efternamn=Öberg|Holm|Ek|Lindqvist|Dahl|Berg;Mobil=070-174 05 11|070-174 05 12|" +
		"070-174 05 13|070-174 05 14|070-174 05 15|070-174 05 16;Steg=offererad|vunnen|ny|offererad|vunnen|ny")
	v := NewView(cols)
	r := Routine(deal, v.Across([]Target{{Type: deal}}))
	for _, typeName := range []string{"account", "contact"} {
		r = v.WithDraft(r, c, mapping.Draft{Type: typeName}, nothing)
	}
	if o := r.Drafts[2].Fields["mobile"]; !slices.Equal(o.From, []string{"Mobil"}) || len(r.Drafts[1].Fields["phone"].From) > 0 {
		t.Errorf("the mobile number goes to %+v", r.Drafts)
	}
	// where a person has placed it elsewhere, it stays there
	r = v.WithDraft(Routine(deal, v.Across([]Target{{Type: deal}})), c, mapping.Draft{Type: "account"}, nothing)
	delete(r.Drafts[1].Fields, "phone")
	r.Drafts[1].Fields["description"] = mapping.Origin{From: []string{"Mobil"}}
	r = v.WithDraft(r, c, mapping.Draft{Type: "contact"}, nothing)
	if o := r.Drafts[1].Fields["description"]; !slices.Equal(o.From, []string{"Mobil"}) || len(r.Drafts[2].Fields["mobile"].From) > 0 {
		t.Errorf("what was placed by hand goes to %+v", r.Drafts)
	}
}
