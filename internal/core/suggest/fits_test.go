package suggest

import (
	"slices"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
)

// Every field type says what speaks for and against a column: cells that are
// its values do not contradict it, cells that are plainly something else do.
func TestEveryFieldTypeIsFitted(t *testing.T) {
	choices := []catalog.Choice{{Code: "high", Label: "High"}, {Code: "low", Label: "Low"}}
	good := map[catalog.FieldType][]string{
		catalog.Text: {"Tern Marina", "Skarv Boatworks"}, catalog.LongText: {"wants pedestals", "met at the fair"},
		catalog.Integer: {"12", "40"},
		catalog.Decimal: {"12.5", "3.75"}, catalog.Money: {"€ 12.50", "€ 100"}, catalog.Percent: {"12 %", "60 %"},
		catalog.Date:     {"2026-03-31", "31.12.2025"},
		catalog.DateTime: {"2026-03-31 10:30", "2026-04-01 08:00"}, catalog.YesNo: {"yes", "no"},
		catalog.OneChoice: {"High", "low"}, catalog.Choices: {"High;low", "low"},
		catalog.Email: {"a@tern.example", "b@skarv.example"}, catalog.Phone: {"+47 55 11 22 33", "55 11 22 44"},
		catalog.URL:     {"www.tern.example", "https://skarv.example"},
		catalog.Country: {"Norway", "Sweden"}, catalog.Language: {"German", "Norwegian"}, catalog.Currency: {"EUR", "NOK"},
		catalog.Reference: {"A-1", "A-2"},
	}
	// whose cells may be anything
	open := []catalog.FieldType{catalog.LongText, catalog.OneChoice, catalog.Choices, catalog.Reference}
	bad := []string{"see the list, below", "(none)"}
	if len(fits) != len(catalog.FieldTypes) {
		t.Errorf("%d field types are fitted, of %d", len(fits), len(catalog.FieldTypes))
	}
	for _, ft := range catalog.FieldTypes {
		f := catalog.Field{Name: "x", Type: ft, Choices: choices}
		column := func(cells []string) sheet.Column { return sheet.Column{Samples: cells, Distinct: 2, Longest: 20} }
		if got, why := fitOf(catalog.RecordType{}, f, column(good[ft]), kindsOf{}); got == contradicts {
			t.Errorf("%s: %q contradicts: %s", ft, good[ft], why)
		}
		if got, why := fitOf(catalog.RecordType{}, f, column(nil), kindsOf{}); got != neutralFit || why != "" {
			t.Errorf("%s: no cells say %s", ft, why)
		}
		if got, why := fitOf(catalog.RecordType{}, f, column([]string{"1.2.2020", "03.04.2021"}),
			kindsOf{}); ft == catalog.Phone && got != contradicts {
			t.Errorf("dates may be telephone numbers: %v %s", got, why)
		}
		if ft == catalog.Text || slices.Contains(open, ft) {
			continue
		}
		if got, _ := fitOf(catalog.RecordType{}, f, column(bad), kindsOf{}); got != contradicts {
			t.Errorf("%s: %q does not contradict", ft, bad)
		}
	}
}

// Telephone numbers whose area code has four figures are no days.
func TestPhonesThatLookLikeDays(t *testing.T) {
	c := standard(t)
	account, _ := c.Type("account")
	phones := column("FTG_TEL", "0480-11 58 53", "0480-47 53 38", "0490-20 85 18", "0498-28 84 68", "0526-10 11 12", "0490-01 02 03")
	for _, s := range Columns(account, []sheet.Column{phones}, nil) {
		if s.Field == "phone" && !s.Taken {
			t.Error(s.Reason)
		}
	}
}

// Initials of a few people are codes of far countries by chance.
func TestInitialsAreNoCountries(t *testing.T) {
	c := standard(t)
	contact, _ := c.Type("contact")
	family := column("Cognome", "Rossi", "Conti", "Greco", "Marino", "Gallo", "Costa")
	for _, x := range []struct {
		cells []string
		want  bool
	}{
		{[]string{"GM", "MC", "CC", "GM", "MC", "CC"}, false}, {[]string{"IT", "FR", "DE", "IT", "IT", "CH"}, true},
	} {
		got := false
		for _, s := range Columns(contact, []sheet.Column{family, column("Rif. interno", x.cells...)}, nil) {
			got = got || s.Field == "country" && s.Taken
		}
		if got != x.want {
			t.Errorf("%v: %t", x.cells, got)
		}
	}
}

// A column is no choice where people are named in it, and no link where it has single letters; what says
// the type of something is the choice where its words are choices.
func TestWhatChoicesAreNot(t *testing.T) {
	c := standard(t)
	lead, _ := c.Type("lead")
	contact, _ := c.Type("contact")
	task, _ := c.Type("task")
	letters := column("Workshop", "A", "B", "A", "B", "A", "B")
	letters.Filled = 6
	for n, of := range []struct {
		in   catalog.RecordType
		of   sheet.Column
		want string
	}{
		{lead, column("Standdienst", "Wiebke Ahrendt", "Henrik Clausen", "Frauke Gosch", "Silke Kruse", "Ulf Eggers", "Lorenz Jessen"), ""},
		{lead, column("Stand", "new", "contacted", "qualified"), "status"},
		{contact, letters, ""},
		{contact, column("Workshop", "Tern Boats Ltd", "Gull Marine Ltd", "Heron Sails Ltd", "Skua Yard Ltd", "Kade AS", "Lund AS"), "account"},
		{task, column("Job type", "visit", "call"), "kind"},
		{task, column("Job type", "inland", "abroad"), ""},
	} {
		got := ""
		for _, s := range Columns(of.in, []sheet.Column{of.of}, nil) {
			if s.Taken {
				got = s.Field
			}
		}
		if got != of.want {
			t.Errorf("case %d: %q is %q, want %q", n, of.of.Header, got, of.want)
		}
	}
}

// Letters before numbers are those of a register, and make no amounts of them unless they are those of a currency.
func TestLettersBeforeNumbers(t *testing.T) {
	t.Parallel()
	registers := column("HRB", "HRB 10233", "HRA 9921", "HRB 551", "HRB 20012", "HRB 7110")
	if got := takenOf(t, "account", registers)["HRB"]; got != "registration_number" {
		t.Errorf("numbers of a register are taken as %q", got)
	}
	if got := takenOf(t, "opportunity", column("F7", "HRB 10233", "HRA 9921", "HRB 551", "HRB 20012"))["F7"]; got != "" {
		t.Errorf("under a header that says nothing they are taken as %q", got)
	}
	amounts := column("F7", "NOK 10 233", "NOK 9 921", "NOK 551", "NOK 20 012")
	if got := takenOf(t, "opportunity", amounts)["F7"]; got != "amount+currency" {
		t.Errorf("amounts with their currency are taken as %q", got)
	}
}

// In a short list, too, numbers of which each is another are not those of who looks after the records.
func TestNumbersOfAShortList(t *testing.T) {
	t.Parallel()
	if got := takenOf(t, "contact", column("Deleg.", "D-114", "D-115", "D-116", "D-117"))["Deleg."]; got == "owner" {
		t.Error("numbers of delegates are taken as owner")
	}
	if got := takenOf(t, "contact", column("Chi", "GB", "GB", "MT", "MT", "GB"))["Chi"]; got == "country" {
		t.Error("initials of who is asked for are taken as country")
	}
}
