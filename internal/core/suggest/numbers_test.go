package suggest

import (
	"strings"
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
)

// A column without a word for it holds the numbers of the rows where another column names rows by it.
func TestOwnNumbers(t *testing.T) {
	contact, _ := standard(t).Type("contact")
	col := func(header string, samples ...string) sheet.Column {
		return sheet.Column{Header: header, Filled: int64(len(samples)), Distinct: int64(len(samples)), Samples: samples,
			Guess: "text", Share: 1}
	}
	number := col("Kennung", "K-1", "K-2", "K-3", "K-4", "K-5", "K-6")
	names := []sheet.Column{col("Vorname", "Petra", "Jens", "Ute", "Max", "Eva", "Ida"),
		col("Nachname", "Lang", "Kurz", "Ohne", "Muster", "Chef", "Bach")}
	for _, c := range []struct {
		boss sheet.Column
		want bool
	}{
		{col("Vorgesetzter", "K-1", "K-2", "K-6"), true},
		{col("Vorgesetzter", "Petra Lang", "Ida Bach"), false},
		{col("Notiz", "K-1", "K-2"), false},
	} {
		got := false
		for _, s := range Columns(contact, append([]sheet.Column{number, c.boss}, names...), nil) {
			got = got || s.Column == "Kennung" && s.Field == "source_ref" && s.Taken
		}
		if got != c.want {
			t.Errorf("beside %s %v: taken %t, want %t", c.boss.Header, c.boss.Samples, got, c.want)
		}
	}
}

// Where another sheet points to rows by what stands in a column, that numbers them, whatever a header says; and
// numbers that come again count no rows, though they begin 1, 2, 3.
func TestNumbersThatOthersPointTo(t *testing.T) {
	c := standard(t)
	deal, _ := c.Type("opportunity")
	line, _ := c.Type("line")
	id := column("id", "1", "2", "3", "4", "5", "6")
	deals := []sheet.Column{id, column("codigo", "OP-1", "OP-2", "OP-3", "OP-4", "OP-5", "OP-6"),
		column("titulo", "Pasarela", "Torreta", "Anclaje", "Montaje", "Defensas", "Amarres")}
	own := func(by map[string]map[string]string) (header string) {
		for _, s := range NewView(deals).Among(c).PointedTo(by).Across([]Target{{Type: deal}}) {
			if s.Field == "source_ref" && s.Taken {
				header += s.Column
			}
		}
		return header
	}
	for by, want := range map[string]string{"": "codigo", "id": "id", "codigo": "codigo"} {
		if got := own(map[string]map[string]string{"opportunity": {by: "id_oportunidad"}}); got != want {
			t.Errorf("pointed to by %q: %q", by, got)
		}
	}
	// of several that hold the numbers, the one that is called as they are elsewhere, or does more than count the rows
	account, _ := c.Type("account")
	named := map[string]map[string]string{"account": {"id": "company_id", "#": "company_id", "rank": "company_id", "nr": "company_id"}}
	shuffled := column("id", "3", "1", "2", "6", "5", "4")
	firm := column("name", "Tern Boats Ltd", "Gull Marine Ltd", "Heron Sails Ltd", "Skua Yard Ltd", "Kade AS", "Lund AS")
	for n, c2 := range []struct {
		columns []sheet.Column
		want    string
	}{
		{[]sheet.Column{column("#", "1", "2", "3", "4", "5", "6"), shuffled, firm}, "id"},
		{[]sheet.Column{column("rank", "4", "2", "3", "1", "6", "5"), shuffled, firm}, "id"},
		{[]sheet.Column{column("nr", "4", "2", "3", "1", "6", "5"), shuffled, firm}, "id"},
		{[]sheet.Column{column("#", "1", "2", "3", "4", "5", "6"), firm}, "#"},
	} {
		got := ""
		for _, s := range NewView(c2.columns).Among(c).PointedTo(named).Across([]Target{{Type: account}}) {
			if s.Field == "source_ref" && s.Taken {
				got += s.Column
			}
		}
		if got != c2.want {
			t.Errorf("case %d: %q, want %q", n, got, c2.want)
		}
	}
	of := id
	of.Header, of.Filled = "id_oportunidad", 14
	lines := []sheet.Column{of, column("orden", "1", "2", "3"), column("descripcion", "Pasarela", "Torreta", "Anclaje"),
		column("cantidad", "2", "7", "4")}
	lines[1].Filled = 14
	fields := map[string]string{}
	for _, s := range Columns(line, lines, nil) {
		if s.Taken {
			fields[s.Column] = s.Field
		}
	}
	if fields["id_oportunidad"] != "opportunity" || fields["orden"] != "position" {
		t.Error(fields)
	}
}

// Numbers of customers that repeat name the customer of each row, and leave the place of the
// rows' own numbers to another column.
func TestNumbersOfCustomersBesideOwnNumbers(t *testing.T) {
	contact, _ := standard(t).Type("contact")
	own := sheet.Column{Header: "Nr", Filled: 6, Distinct: 6, Samples: []string{"K-1", "K-2", "K-3", "K-4", "K-5",
		"K-6"}, Guess: "text", Share: 1}
	company := sheet.Column{Header: "Kd-Nr", Filled: 6, Distinct: 3, Samples: []string{"100", "101", "102"},
		Guess: "number", Share: 1}
	got := map[string]string{}
	for _, s := range Columns(contact, append([]sheet.Column{own, company}, columns("Vorname", "Nachname")...), nil) {
		if s.Taken {
			got[s.Column] = s.Field
		}
	}
	if got["Nr"] != "source_ref" || got["Kd-Nr"] != "account" {
		t.Errorf("got %v", got)
	}
	// also where no customer comes again
	first, each := column("Henkilönro", "K-1", "K-2", "K-3"), column("Asiakasnro", "100", "101", "102")
	clear(got)
	for _, s := range Columns(contact, append([]sheet.Column{first, each}, columns("Etunimi", "Sukunimi")...), nil) {
		if s.Taken {
			got[s.Column] = s.Field
		}
	}
	if got["Henkilönro"] != "source_ref" || got["Asiakasnro"] != "account" {
		t.Errorf("of one person each: %v", got)
	}
}

// The number and the name of a customer go together, in one word or two and however each is called: the number, which
// is known, is the link, and the rows keep their own.
func TestNumbersBesideNamesOfCustomers(t *testing.T) {
	c := standard(t)
	deal, _ := c.Type("opportunity")
	for _, x := range [][3]string{
		{"Tilbudsnr.", "Debitornr.", "Debitornavn"}, {"Nº Negócio", "Cód. Cliente", "Cliente"},
		{"Offertnr", "Kundnummer", "Kundnamn"}, {"Tarjousnro", "Asiakasnro", "Asiakkaan nimi"},
		{"Quote no.", "Customer no.", "Company"},
	} {
		names := column(x[2], "Tern Boats Ltd", "Gull Marine Ltd", "Heron Sails Ltd", "Tern Boats Ltd", "Skua Yard Ltd", "Tern Boats Ltd")
		names.Distinct = 4
		numbers := column(x[1], "100", "101", "102", "100", "103", "100")
		numbers.Distinct = 4
		cols := []sheet.Column{column(x[0], "T-1", "T-2", "T-3", "T-4", "T-5", "T-6"), numbers, names}
		v := NewView(cols).Among(c).Naming(map[string][]float64{"account": {0, 1, 0}})
		got := map[string]string{}
		for _, s := range v.Across([]Target{{Type: deal}}) {
			if s.Taken {
				got[s.Column] = s.Field
			}
		}
		if got[x[0]] != "source_ref" || got[x[1]] != "account" || got[x[2]] != "" {
			t.Errorf("%v: got %v", x, got)
		}
	}
	for _, x := range []struct {
		numbers, names string
		want           bool
	}{
		{"org_id", "org_name", true}, {"Kontaktnr", "Kontaktnavn", true}, {"Kontaktnr", "Debitornavn", false},
		{"Kundenummer", "Firma", true}, {"Item no.", "Company", false}, {"nr", "name", false},
	} {
		if got := sameStem(x.numbers, x.names); got != x.want {
			t.Errorf("%s and %s: %v", x.numbers, x.names, got)
		}
	}
}

// A column that holds the numbers of another sheet's people is no link to colleagues, though its header means one who
// looks after something.
func TestNumbersOfPeopleElsewhere(t *testing.T) {
	c := standard(t)
	deal, _ := c.Type("opportunity")
	who := column("担当者コード", "T1", "T2", "T3", "T4", "T5", "T6")
	cols := []sheet.Column{column("案件番号", "A-1", "A-2", "A-3", "A-4", "A-5", "A-6"), who}
	for points, want := range map[string]string{"contact": "contact", "": "owner"} {
		got := ""
		for _, s := range NewView(cols).Among(c).Pointing(map[string]string{who.Header: points}).Across([]Target{{Type: deal}}) {
			if s.Taken && s.Column == who.Header {
				got += s.Field
			}
		}
		if got != want {
			t.Errorf("the numbers of a %s: %s", points, got)
		}
	}
}

// A column by which rows name a record is of the draft of such a record, once there is one.
func TestANameMovesToItsDraft(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	cols := columns("Cliente", "NIF", "Nome", "Apelido")
	memory := func(string) Memory { return nil }
	v := NewView(cols)
	r := Routine(contact, v.Across([]Target{{Type: contact}}))
	if from := r.Drafts[0].Fields["account"].From; len(from) != 1 || from[0] != "Cliente" {
		t.Fatalf("the account is named by %v", from)
	}
	further := v.Further(c, []Target{{Type: contact}}, memory)
	if len(further) == 0 || further[0].Type != "account" {
		t.Errorf("offered are %v", further)
	}
	r = v.WithDraft(r, c, mapping.Draft{Type: "account"}, memory)
	if o := r.Drafts[1].Fields["name"]; len(o.From) != 1 || o.From[0] != "Cliente" ||
		r.Drafts[0].Fields["account"].Draft != "account" {
		t.Errorf("the name is %v, the contact's account %v", o, r.Drafts[0].Fields["account"])
	}
}

// Numbers that look like the ids of this workspace are no ids where the header speaks of other numbers; it is said.
func TestNumbersLikeOwnIDs(t *testing.T) {
	account, _ := standard(t).Type("account")
	names := sheet.Column{Header: "Firmanavn", Filled: 3, Distinct: 3, Samples: []string{"Havsund AS", "Tarevik AS", "Lokki Oy"}}
	for _, c := range []struct {
		header  string
		samples []string
		field   string
		said    bool
	}{
		{"Kundenr.", []string{"ACC-4", "ACC-17", "ACC-230"}, "source_ref", true},
		{"Kundenr.", []string{"ACC-0004", "ACC-0017", "ACC-0230"}, "source_ref", false},
		{"Account id", []string{"ACC-4", "ACC-17", "ACC-230"}, "id", false},
	} {
		col := sheet.Column{Header: c.header, Filled: 3, Distinct: 3, Samples: c.samples}
		for _, s := range Columns(account, []sheet.Column{col, names}, nil) {
			if s.Column != c.header {
				continue
			}
			if said := strings.Contains(s.Reason, "ids of this workspace"); s.Field != c.field || said != c.said {
				t.Errorf("%s %v: %s, said %t: %s", c.header, c.samples, s.Field, said, s.Reason)
			}
		}
	}
}
