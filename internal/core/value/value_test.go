package value

import (
	"strings"
	"testing"
	"testing/quick"
	"time"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

func field(t catalog.FieldType) catalog.Field {
	return catalog.Field{Name: "x", Label: "X", Type: t, Choices: []catalog.Choice{
		{Code: "high", Label: "Very high", Other: []string{"hot", "hög"}}, {Code: "low", Label: "Low"},
		{Code: "old", Label: "Old", Closed: true}}}
}

type readCase struct {
	in   string
	want string
	code problem.Code
}

func check(t *testing.T, f catalog.Field, set Settings, cases []readCase) {
	t.Helper()
	r := NewReader(f, set)
	for _, c := range cases {
		got, trouble := r.Read(c.in)
		if got != c.want || trouble.Code != c.code {
			t.Errorf("%s %q: got %q, %q; want %q, %q", f.Type, c.in, got, trouble.Code, c.want, c.code)
		}
	}
}

func TestNumbers(t *testing.T) {
	check(t, field(catalog.Decimal), Settings{}, []readCase{
		{"12", "12", ""}, {" 0012 ", "12", ""}, {"1.5", "1.5", ""}, {"1,5", "1.5", ""}, {"1.250,75", "1250.75", ""},
		{"1,250.75", "1250.75", ""},
		{"1 250 000", "1250000", ""}, {"1\u00a0250,5", "1250.5", ""}, {"1'250.50", "1250.5", ""},
		{"1,250,000", "1250000", ""}, {"-3", "-3", ""}, {"−3,5", "-3.5", ""}, {"3-", "-3", ""}, {"(12)", "-12", ""},
		{"1,250", "", problem.AmbiguousNumber}, {"1.250", "", problem.AmbiguousNumber}, {"0.125", "0.125", ""},
		{"1250.125", "1250.125", ""}, {"12,34,567", "1234567", ""},
		{"1.2.3", "", problem.BadNumber}, {"12 3", "", problem.BadNumber}, {"", "", ""}, {"1e3", "1000", ""},
		{"1.5E+2", "150", ""}, {"4.91E+11", "", problem.DamagedNumber},
		{"1234567890123456", "", problem.OutOfRange}, {"0.1234567", "", problem.TooPrecise}, {"-0", "0", ""},
		{"#REF!", "", problem.FormulaError}, {"#FORMULA!", "", problem.FormulaError},
		{"####", "", problem.FormulaError}, {"#ZAHL!", "", problem.FormulaError},
		{"#¿NOMBRE?", "", problem.FormulaError}, {"#NV", "", problem.FormulaError}, {"--", "", problem.BadNumber},
	})
	check(t, field(catalog.Decimal), Settings{DecimalSign: ","}, []readCase{{"1.250", "1250", ""}, {"1,250", "1.25", ""}})
	check(t, field(catalog.Decimal), Settings{DecimalSign: "."}, []readCase{{"1,250", "1250", ""}, {"1.250", "1.25", ""}})
	check(t, field(catalog.Integer), Settings{}, []readCase{{"12", "12", ""}, {"12.0", "12", ""},
		{"12.5", "", problem.TooPrecise}})
	check(t, field(catalog.Money), Settings{}, []readCase{{"1.250,00 €", "1250.00", ""}, {"€ 12", "12.00", ""},
		{"12,50 EUR", "12.50", ""}, {"kr 1 200,-", "1200.00", ""}, {"$1,250.00", "1250.00", ""},
		{"12.345", "", problem.AmbiguousNumber}, {"1.2345", "", problem.TooPrecise}, {"¥1200", "1200.00", ""}})
	check(t, field(catalog.Percent), Settings{}, []readCase{{"25 %", "25", ""}, {"12.5%", "12.5", ""}})
}

// Numbers written with any decimal sign and any grouping read as themselves.
func TestNumberDresses(t *testing.T) {
	property := func(whole uint32, cents uint8) bool {
		c := int(cents) % 100
		plain := itoa(int(whole)) + "." + string([]byte{byte('0' + c/10), byte('0' + c%10)})
		for _, dress := range []struct{ group, sign string }{{"", "."}, {"", ","}, {",", "."}, {".", ","}, {" ", ","},
			{"'", "."}, {"\u202f", ","}} {
			digits := itoa(int(whole))
			for i := len(digits) - 3; i > 0 && dress.group != ""; i -= 3 {
				digits = digits[:i] + dress.group + digits[i:]
			}
			text := digits + dress.sign + plain[len(plain)-2:]
			got, trouble := NewReader(field(catalog.Money), Settings{DecimalSign: dress.sign}).Read(text)
			if got != plain || trouble.Code != "" {
				t.Logf("%q: got %q %v, want %q", text, got, trouble, plain)
				return false
			}
		}
		return true
	}
	if err := quick.Check(property, nil); err != nil {
		t.Error(err)
	}
}

func TestDates(t *testing.T) {
	check(t, field(catalog.Date), Settings{ThisYear: 2026}, []readCase{
		{"2026-03-31", "2026-03-31", ""}, {"20260331", "2026-03-31", ""}, {"31.03.2026", "2026-03-31", ""},
		{"31/03/2026", "2026-03-31", ""}, {"03/31/2026", "2026-03-31", ""}, {"2026/3/1", "2026-03-01", ""},
		{"03/04/2026", "", problem.AmbiguousDate}, {"03-04-2026", "", problem.AmbiguousDate},
		{"04/04/2026", "2026-04-04", ""}, {"3.4.26", "2026-04-03", ""}, {"3.4.62", "1962-04-03", ""},
		{"3 March 2026", "2026-03-03", ""}, {"March 3, 2026", "2026-03-03", ""}, {"3rd March 2026", "2026-03-03", ""},
		{"3. März 2026", "2026-03-03", ""}, {"3 mars 2026", "2026-03-03", ""}, {"3 de marzo de 2026", "2026-03-03", ""},
		{"Tuesday, 3 March 2026", "2026-03-03", ""}, {"3 Μαρτίου 2026", "2026-03-03", ""},
		{"2026年3月31日", "2026-03-31", ""}, {"3-Mar-26", "2026-03-03", ""}, {"2026-03-31 10:15", "2026-03-31", ""},
		{"31/02/2026", "", problem.BadDate}, {"2026-13-01", "", problem.BadDate}, {"soon", "", problem.BadDate},
		{"45000", "", problem.DayNumber}, {"29.02.2024", "2024-02-29", ""}, {"29.02.2023", "", problem.BadDate},
	})
	check(t, field(catalog.Date), Settings{DateOrder: DayFirst}, []readCase{{"03/04/2026", "2026-04-03", ""}})
	check(t, field(catalog.Date), Settings{DateOrder: MonthFirst}, []readCase{{"03/04/2026", "2026-03-04", ""}})
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	check(t, field(catalog.DateTime), Settings{Zone: oslo}, []readCase{{"2026-07-01 12:30", "2026-07-01T10:30:00Z", ""},
		{"2026-07-01T12:30:00+09:00", "2026-07-01T03:30:00Z", ""}, {"01.07.2026", "2026-06-30T22:00:00Z", ""},
		{"2026-07-01 25:00", "", problem.BadDate}})
}

// A date written in any order reads as itself when the order is known.
func TestDateOrders(t *testing.T) {
	property := func(n uint16) bool {
		d := time.Date(1950, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, int(n)%36500)
		want := d.Format(time.DateOnly)
		for layout, order := range map[string]DateOrder{"02/01/2006": DayFirst, "1/2/2006": MonthFirst, "2.1.2006": "",
			"2006/01/02": "", "2 January 2006": "", "Jan 2 2006": ""} {
			got, trouble := NewReader(field(catalog.Date), Settings{DateOrder: order}).Read(d.Format(layout))
			if got != want || trouble.Code != "" {
				t.Logf("%s: got %q %v, want %q", d.Format(layout), got, trouble, want)
				return false
			}
		}
		return true
	}
	if err := quick.Check(property, nil); err != nil {
		t.Error(err)
	}
}

func TestWords(t *testing.T) {
	done := catalog.Field{Name: "done", Label: "Done", Type: catalog.YesNo, Synonyms: []string{"erledigt"}}
	check(t, done, Settings{}, []readCase{{"Done", "true", ""}, {"erledigt", "true", ""},
		{"nicht erledigt", "false", ""}, {"未完了", "false", ""}, {"済", "true", ""},
		{"half", "", problem.BadYesNo}, {"!", "", problem.BadYesNo}, {"open", "false", ""},
		{"Færdig", "true", ""}, {"pendiente", "false", ""}, {"inactive", "", problem.BadYesNo}})
	check(t, catalog.Field{Name: "active", Label: "Active", Type: catalog.YesNo}, Settings{},
		[]readCase{{"aktiv", "true", ""}, {"left", "false", ""}, {"nieaktywny", "false", ""}, {"open", "", problem.BadYesNo}})
	check(t, field(catalog.YesNo), Settings{}, []readCase{{"Yes", "true", ""}, {"ja", "true", ""},
		{"NEIN", "false", ""}, {"ano", "true", ""}, {"nem", "false", ""}, {"hayır", "false", ""}, {"Ν", "true", ""},
		{"N", "false", ""}, {"όχι", "false", ""}, {"0", "false", ""}, {"✓", "true", ""}, {"Opted-out", "false", ""},
		{"subscribed", "true", ""},
		{"Nicht erteilt", "false", ""}, {"désabonné", "false", ""}, {"double opt-in", "true", ""}, {"maybe", "", problem.BadYesNo},
		{"Newsletter ja", "true", ""}, {"kein Newsletter", "false", ""}, {"Mailing: nein", "false", ""},
		{"ja Fax", "", problem.BadYesNo}})
	check(t, field(catalog.OneChoice), Settings{}, []readCase{{"high", "high", ""}, {" HIGH ", "high", ""},
		{"very-high", "high", ""}, {"Hot", "high", ""}, {"hog", "high", ""}, {"medium", "", problem.NotAChoice},
		{"30 very-high", "high", ""}, {"3. Hot", "high", ""}, {"3) high", "high", ""}, {"10 – Hot", "high", ""}, {"2 old", "", problem.NotAChoice},
		{"old", "", problem.NotAChoice}})
	check(t, field(catalog.Choices), Settings{}, []readCase{{"low; hot", "high;low", ""}, {"low, low", "low", ""},
		{"low;purple", "", problem.NotAChoice}})
	check(t, field(catalog.Country), Settings{}, []readCase{{"NO", "NO", ""}, {"no", "NO", ""}, {"NOR", "NO", ""},
		{"Norway", "NO", ""}, {"Norge", "NO", ""}, {"Noruega", "NO", ""}, {"UK", "GB", ""}, {"U.K.", "GB", ""},
		{"England", "GB", ""}, {"Hellas", "GR", ""}, {"Ελλάδα", "GR", ""}, {"Nippon", "JP", ""}, {"日本", "JP", ""},
		{"Alemania", "DE", ""}, {"Holland", "NL", ""}, {"Sth Korea", "KR", ""}, {"D", "DE", ""}, {"N", "NO", ""},
		{"SLO", "SI", ""}, {"X", "", problem.BadCountry}, {"Norway?", "", problem.BadCountry},
		{"Atlantis", "", problem.BadCountry}, {"XX", "", problem.BadCountry},
		{"s.o.", "", problem.SameAsAbove}, {"id.", "", problem.SameAsAbove}, {"so", "SO", ""}, {"ID", "ID", ""}})
	check(t, field(catalog.Language), Settings{}, []readCase{{"nb", "nb", ""}, {"German", "de", ""},
		{"Deutsch", "de", ""}, {"pt-BR", "pt-BR", ""}, {"en_GB", "en-GB", ""}, {"Klingonish", "", problem.BadLanguage}})
	check(t, field(catalog.Currency), Settings{}, []readCase{{"eur", "EUR", ""}, {"€", "EUR", ""}, {"£", "GBP", ""},
		{"NOK", "NOK", ""}, {"shells", "", problem.BadCurrency}})
	check(t, field(catalog.Text), Settings{}, []readCase{{" \u00a0A b\u200b ", "A b", ""}, {"e\u0301", "é", ""},
		{"a\u2400b", "", problem.ControlCharacter}, {"a\ufffdb", "", problem.BadEncoding},
		{strings.Repeat("ø", 256), "", problem.TooLong}, {strings.Repeat("ø", 255), strings.Repeat("ø", 255), ""}})
}

func TestEmailAndWeb(t *testing.T) {
	check(t, field(catalog.Email), Settings{},
		[]readCase{{"Rowena@Gannetsound.EXAMPLE", "Rowena@gannetsound.example", ""},
			{"mailto:a@b.example", "a@b.example", ""}, {"a@b.example.invalid", "", problem.BadEmail},
			{"a@b.invalid", "a@b.invalid", ""}, {"Rowena <a@b.example>", "a@b.example", ""},
			{"a@b", "", problem.BadEmail}, {"a.b.example", "", problem.BadEmail}, {"@b.example", "", problem.BadEmail},
			{"a@", "", problem.BadEmail}, {"a@@b.example", "", problem.BadEmail}, {"a..b@c.example", "", problem.BadEmail},
			{"a b@c.example", "", problem.BadEmail},
			{"a@b.example; c@d.example", "", problem.SeveralValues}, {"a@-b.example", "", problem.BadEmail},
			{"a@b_c.example", "", problem.BadEmail}, {strings.Repeat("x", 65) + "@b.example", "", problem.BadEmail},
			{"post@håvn.example", "post@xn--hvn-ula.example", ""}})
	check(t, field(catalog.URL), Settings{}, []readCase{{"www.Kalvoya.example", "https://www.kalvoya.example", ""},
		{"http://kalvoya.example/", "http://kalvoya.example", ""},
		{"kalvoya.example/berths?x=1", "https://kalvoya.example/berths?x=1", ""}, {"kalvoya", "", problem.BadURL},
		{"ftp://x.example", "", problem.BadURL}, {"not a site", "", problem.BadURL}})
}

// The quick way of reading a phone number and the full parse agree.
// The field's own name is a yes, also where a full stop cuts it short.
func TestOwnNameIsYes(t *testing.T) {
	f := field(catalog.YesNo)
	f.Label, f.Synonyms = "Done", []string{"Erledigt"}
	check(t, f, Settings{}, []readCase{{"erledigt", "true", ""}, {"erl.", "true", ""}, {"Done", "true", ""},
		{"e.", "", problem.BadYesNo}, {"erw.", "", problem.BadYesNo}, {"erl", "", problem.BadYesNo}})
}

// A mailbox of an initial and a name has the family name, and one of both mostly has the given
// name first.
func TestMailOrder(t *testing.T) {
	for _, x := range []struct {
		mail, given, family string
		turned, well        bool
	}{
		{"m.rossi@ondablu.example", "Rossi", "Marco", true, false}, {"m.rossi@ondablu.example", "Marco", "Rossi", false,
			true}, {"mrossi@ondablu.example", "Rossi", "Marco", true, false},
		{"marco.rossi@ondablu.example", "Rossi", "Marco", false, false}, {"m.mueller@x.example", "Mueller", "Maja", false,
			false}, {"info@rossi.example", "Rossi", "Marco", false, false},
		{"", "Rossi", "Marco", false, false}, {"m.li@x.example", "Li", "Maja", false, false},
		{"sooyoung.lim@x.example", "Soo-young", "Lim", false, true}, {"w.han@x.example", "Wei", "Han", false, true},
	} {
		if turned, well := MailOrder(x.mail, x.given, x.family); turned != x.turned || well != x.well {
			t.Errorf("%s of %s %s: turned %v, well %v", x.mail, x.given, x.family, turned, well)
		}
	}
}

// Letters and figures of full width are those of the usual width, but in words.
func TestFullWidth(t *testing.T) {
	check(t, field(catalog.Phone), Settings{Country: "JP"}, []readCase{{"０７８-555-0202", "+81785550202", ""},
		{"０９０ー５５５５ー０１０１", "+819055550101", ""}})
	check(t, field(catalog.Money), Settings{},
		[]readCase{{"￥１２００", "1200.00", ""}, {"１，２３４", "", problem.AmbiguousNumber}})
	check(t, field(catalog.Percent), Settings{}, []readCase{{"５０％", "50", ""}})
	check(t, field(catalog.Date), Settings{}, []readCase{{"２０２６/３/４", "2026-03-04", ""}, {"２０２６年３月４日", "2026-03-04", ""}})
	check(t, field(catalog.Email), Settings{}, []readCase{{"ｙａｍａｄａ＠aonami.example", "yamada@aonami.example", ""}})
	code := field(catalog.Text)
	code.Likeness = catalog.AsPostalCode
	check(t, code, Settings{}, []readCase{{"〒６５０－００４２", "650-0042", ""}, {"〒 650-0042", "650-0042", ""}})
	check(t, field(catalog.Text), Settings{}, []readCase{{"ＡＢＣマリン", "ＡＢＣマリン", ""}})
}

func TestFold(t *testing.T) {
	for in, want := range map[string]string{"  Åse   Øksnes ": "ase oksnes", "MÜLLER": "muller", "Straße": "strasse",
		"ΓΛΆΡΟΣ": "γλαροσ", "γλάρος": "γλαροσ", "Ｆｕｌｌ": "full", "plain": "plain", "O’Hara": "o'hara", "": ""} {
		if got := Fold(in); got != want {
			t.Errorf("Fold(%q) = %q, want %q", in, got, want)
		}
	}
	for in, want := range map[string]string{"Gannetsound Marina Ltd": "gannetsound marina",
		"Gannetsound Marina Limited": "gannetsound marina", "Ankerwiek GmbH & Co. KG": "ankerwiek",
		"The Slipway B.V.": "slipway", "Ltd": "ltd", "AS Havnevesenet": "havnevesenet",
		"Mike Berg": "mike berg", "Åsa Berg": "asa berg", "Berg ASA": "berg",
		"Vaněk s.r.o.": "vanek", "Vaněk, spol. s r.o.": "vanek", "Junk KGaA": "junk", "Yılmaz Ltd. Şti.": "yilmaz",
		"Ky Marina": "ky marina", "Laine Ky": "laine", "鴎浜マリーナ": "鴎浜マリーナ"} {
		if got := NameKey(in); got != want {
			t.Errorf("NameKey(%q) = %q, want %q", in, got, want)
		}
	}
}

// Folding twice is folding once, and case never matters.
func TestFoldProperties(t *testing.T) {
	property := func(s string) bool {
		f := Fold(s)
		return Fold(f) == f && Words(Words(s)) == Words(s) && NameKey(LookupKey(s)) == NameKey(s)
	}
	if err := quick.Check(property, &quick.Config{MaxCount: 2000}); err != nil {
		t.Error(err)
	}
}

// Whatever is read reads again as itself: canonical texts are fixed points.
func FuzzReadIsStable(f *testing.F) {
	for _, s := range []string{"1.250,00 €", "03/04/2026", "yes", "a@b.example", "+47 55 11 22 33", "Norge", "4.91E+11",
		"2026-03-31T10:00:00Z", "https://x.example/a b", "(12)", "1e-5", "=1+1"} {
		for i := range catalog.FieldTypes {
			f.Add(s, uint8(i))
		}
	}
	f.Fuzz(func(t *testing.T, s string, kind uint8) {
		if !utf8.ValidString(s) {
			t.Skip("sheets give valid UTF-8")
		}
		ft := catalog.FieldTypes[int(kind)%len(catalog.FieldTypes)]
		r := NewReader(field(ft), Settings{DecimalSign: ".", DateOrder: DayFirst, Country: "NO", ThisYear: 2026})
		got, trouble := r.Read(s)
		if trouble.Code != "" && got != "" {
			t.Fatalf("%s %q: both a value %q and trouble %s", ft, s, got, trouble.Code)
		}
		if got == "" || strings.Contains(got, ";ext=") {
			return
		}
		again, trouble := r.Read(got)
		if again != got || trouble.Code != "" {
			t.Fatalf("%s %q → %q → %q %s", ft, s, got, again, trouble.Code)
		}
	})
}

// A month or a part of a year is a day only when it is said which; what may be a day of no
// year is never one.
func TestSpans(t *testing.T) {
	f := catalog.Field{Name: "close", Type: catalog.Date}
	for in, want := range map[string][2]string{
		"KW 20/2027": {"2027-05-17", "2027-05-23"}, "week 1 2027": {"2027-01-04", "2027-01-10"},
		"2026-W53": {"2026-12-28", "2027-01-03"}, "vecka 5, 2027": {"2027-02-01", "2027-02-07"},
		"20. KW 27": {"2027-05-17", "2027-05-23"}, "tydz. 7/2027": {"2027-02-15", "2027-02-21"},
		"Dec-26": {"2026-12-01", "2026-12-31"}, "Q1 2027": {"2027-01-01", "2027-03-31"},
		"2027-03": {"2027-03-01", "2027-03-31"}, "1Q27": {"2027-01-01", "2027-03-31"},
		"2028-Q4": {"2028-10-01", "2028-12-31"}, "2. Quartal 2027": {"2027-04-01", "2027-06-30"},
		"H2 2027": {"2027-07-01", "2027-12-31"}, "02/2028": {"2028-02-01", "2028-02-29"},
		"März 2027": {"2027-03-01", "2027-03-31"}, "2027 juin": {"2027-06-01", "2027-06-30"},
		"Feb '27": {"2027-02-01", "2027-02-28"}, "1. Halbjahr 2027": {"2027-01-01", "2027-06-30"},
	} {
		for n, spans := range []Spans{FirstDay, LastDay} {
			if got, trouble := NewReader(f, Settings{ThisYear: 2026, Spans: spans}).Read(in); got != want[n] {
				t.Errorf("%q, %s: %q %s, want %s", in, spans, got, trouble.Code, want[n])
			}
		}
		if _, trouble := NewReader(f, Settings{}).Read(in); trouble.Code != problem.PartialDate {
			t.Errorf("%q unsaid: %s", in, trouble.Code)
		}
	}
	for _, in := range []string{"Dec 26", "4.11.", "KW 40", "KW 54/2027", "sem. 2 2027", "13/2027", "Q5 2027",
		"H3 2027", "soon", "2027", "March"} {
		if got, trouble := NewReader(f, Settings{Spans: LastDay}).Read(in); trouble.Code != problem.BadDate {
			t.Errorf("%q: %q %s", in, got, trouble.Code)
		}
	}
}

// What stands beside a date, an amount or an address is never passed over where it changes
// what is meant.
func TestBeside(t *testing.T) {
	day := catalog.Field{Name: "day", Type: catalog.Date}
	check(t, day, Settings{DateOrder: DayFirst}, []readCase{
		{"14/11/2026 17:02", "2026-11-14", ""}, {"14.11.2026, 17:02 Uhr", "2026-11-14", ""},
		{"2026-11-14T10:00:00+01:00", "2026-11-14", ""}, {"Sat 14 Nov 2026", "2026-11-14", ""},
		{"14/11/2026 5:02 PM", "2026-11-14", ""}, {"Sat Nov 14 2026 17:02:00 GMT+0100 (Central European Time)",
			"2026-11-14", ""}, {"2026-11-14 17:02:00 +0000 UTC", "2026-11-14", ""}, {"14/11/2026 9:00-12:00", "2026-11-14",
			""}, {"14.11.2026 16", "2026-11-14", ""},
		{"14/11/2026 - 15/11/2026", "", problem.BadDate}, {"ab 14.11.2026", "", problem.BadDate},
		{"~14.11.2026", "", problem.BadDate}, {"before 14 Nov 2026", "", problem.BadDate},
		{"14.11.2026 (geplant)", "", problem.BadDate}, {"14.11.2026?", "", problem.BadDate},
		{">14.11.2026", "", problem.BadDate},
	})
	amount := catalog.Field{Name: "amount", Type: catalog.Money}
	check(t, amount, Settings{DecimalSign: ","}, []readCase{{"5.000,-- €", "5000.00", ""}, {"1250.--", "1250.00", ""},
		{"1.250,- EUR", "1250.00", ""}, {"80,=", "80.00", ""}, {"5,00-", "-5.00", ""}, {"5-", "-5.00", ""}})
	mail := catalog.Field{Name: "email", Type: catalog.Email}
	check(t, mail, Settings{}, []readCase{{"'ada@kade.example'", "ada@kade.example", ""},
		{"ada@kade.example.", "ada@kade.example", ""}, {"ada@kade.example,", "ada@kade.example", ""},
		{"ada@kade.example (home)", "", problem.BadEmail}})
}

// A choice may have a comma itself; lists are parted as people part them.
func TestChoiceLists(t *testing.T) {
	f := catalog.Field{Name: "offers", Type: catalog.Choices,
		Choices: []catalog.Choice{{Code: "sails", Label: "Sail lofts"}, {Code: "piers", Label: "Pontoons, floating"},
			{Code: "power", Label: "Power"}, {Code: "rd", Label: "R & D"}}}
	check(t, f, Settings{}, []readCase{
		{"Sail lofts", "sails", ""}, {"Pontoons, floating", "piers", ""}, {"Power, Pontoons, floating, Sail lofts",
			"piers;power;sails", ""}, {"Power;Power", "power", ""}, {"power|sails", "power;sails", ""},
		{"Power / Sail lofts", "power;sails", ""}, {"Power und Sail lofts", "power;sails", ""},
		{"Power + R & D", "power;rd", ""}, {"R & D", "rd", ""}, {"Power, R & D", "power;rd", ""}, {"Power,", "power", ""},
		{",", "", ""},
		{"Power, other", "", problem.NotAChoice}, {"Pontoons", "", problem.NotAChoice},
	})
}

func TestTimes(t *testing.T) {
	f := catalog.Field{Name: "at", Type: catalog.DateTime}
	check(t, f, Settings{DateOrder: DayFirst}, []readCase{
		{"14.11.2026 17:02 Uhr", "2026-11-14T17:02:00Z", ""}, {"14/11/2026 5.02 pm", "2026-11-14T17:02:00Z", ""},
		{"14.11.2026 17h02", "2026-11-14T17:02:00Z", ""}, {"2026-11-14 17:02:00+01:00", "2026-11-14T16:02:00Z", ""},
		{"2026-11-14 17:02 +0100", "2026-11-14T16:02:00Z", ""}, {"14.11.2026 9:00-12:00", "", problem.BadDate},
		{"14.11.2026 17:02 CET", "", problem.BadDate}, {"14.11.2026 25:00", "", problem.BadDate},
	})
}

func TestLanguages(t *testing.T) {
	check(t, catalog.Field{Name: "language", Type: catalog.Language}, Settings{}, []readCase{
		{"Deutsch", "de", ""}, {"pt-BR", "pt-BR", ""}, {"Norsk", "no", ""}, {"se", "", problem.BadLanguage},
		{"Northern Sami", "se", ""}, {"dk", "da", ""}, {"CZ", "cs", ""}, {"uk", "uk", ""}, {"SE", "", problem.BadLanguage},
		{"UK", "", problem.BadLanguage}, {"native", "", problem.BadLanguage},
	})
}

func TestCountries(t *testing.T) {
	for in, want := range map[string]string{
		"Großbritannien": "GB", "Rep. of Ireland": "IE", "Hong Kong": "HK", "Viet Nam": "VN",
		"Bosnia and Herzegovina": "BA", "Bosnia & Herzegovina": "BA", "Hrvatska": "HR", "Eesti": "EE", "Россия": "RU",
		"Korea, Republic of": "KR", "Canary Islands": "ES", "Island": "IS", "UK - England": "GB", "EE.UU.": "US",
		"Georgia": "GE",
		"ČR":      "CZ", "č.r.": "CZ", "CR": "CR", "Śé": "", "Čad": "TD", "Ö": "AT", "GER": "DE", "Amerika": "US",
		"Congo": "", "Bavaria": "", "EU": "", "UN": "", "IC": "", "SU": "", "YU": "",
	} {
		if got, _ := NewReader(catalog.Field{Name: "country", Type: catalog.Country}, Settings{}).Read(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}

// A header may say in what its amounts are; what is too large for that is asked.
func TestOnlyMoney(t *testing.T) {
	for header, want := range map[string]bool{
		"€": true, "£k": true, "CHF": true, "in EUR": true, "(T€)": true, "$": true, "": false, "k": false, "in": false,
		"€ net": false, "Umsatz €": false, "Tausend": false,
	} {
		if got := OnlyMoney(header); got != want {
			t.Errorf("%q: %v", header, got)
		}
	}
}

func TestUnits(t *testing.T) {
	for header, want := range map[string]Unit{"Montant HT (k€)": Thousands, "Betrag in Tsd. EUR": Thousands,
		"TEUR": Thousands, "Value [$k]": Thousands, "Umsatz (Mio. €)": Millions,
		"Amount": "", "Turnover 2000": "", "Mark": "", "k": ""} {
		if got, _ := UnitOf(header); got != want {
			t.Errorf("%q: %q, want %q", header, got, want)
		}
	}
	amount, hours := catalog.Field{Name: "amount", Type: catalog.Money},
		catalog.Field{Name: "hours", Type: catalog.Decimal}
	in := func(u Unit) Settings { return Settings{DecimalSign: ",", Unit: u, UnitUnsaid: true} }
	check(t, amount, in(Thousands), []readCase{{"125,5", "125500.00", ""}, {"1,2M", "1200000.00", ""},
		{"(8)", "-8000.00", ""}, {"12500000", "", problem.AmbiguousNumber}, {"8-10", "", problem.RoughNumber},
		{"0", "0.00", ""}})
	check(t, amount, in(Millions), []readCase{{"0,25", "250000.00", ""}, {"€ 2", "2000000.00", ""}})
	check(t, amount, in(Ones), []readCase{{"125,5", "125.50", ""}, {"12500000", "12500000.00", ""}})
	check(t, amount, Settings{Unit: Thousands}, []readCase{{"12500000", "12500000000.00", ""}})
	full := Settings{DecimalSign: ",", Unit: Thousands, UnitUnsaid: true,
		UnitFigures: FiguresInUnits([]string{"120", "45,5", "80", "120 000", "n/a"}, ",")}
	check(t, amount, full, []readCase{{"120 000", "", problem.AmbiguousNumber}, {"12 000", "12000000.00", ""}})
	for want, texts := range map[int][]string{0: {"n/a", ""}, 5: {"k€ 120", "45,5", "1 200"}, 7: {"120000", "1250000"}} {
		if got := FiguresInUnits(texts, ","); got != want {
			t.Errorf("%q: %d figures, want %d", texts, got, want)
		}
	}
	check(t, hours, in(Thousands), []readCase{{"1,5", "1500", ""}, {"2k", "2000", ""}})
}

// The title of a record names it as it stands, whatever order its names are in.
func TestTitleKey(t *testing.T) {
	person := catalog.RecordType{Name: "contact", Title: []string{"given_name", "family_name"}, Fields: []catalog.Field{
		{Name: "given_name", Type: catalog.Text, Likeness: catalog.AsGivenName},
		{Name: "family_name", Type: catalog.Text, Likeness: catalog.AsFamilyName},
	}}
	for _, title := range []string{"大輔 鴎川", "Văn An Nguyễn", "Nguyễn Văn An", "Ada van der Kade", "Ada Quayle",
		"Tom O'Malley Jr."} {
		if got, want := TitleKey(person, title), NameKey(title); got != want {
			t.Errorf("%q: %q, want %q", title, got, want)
		}
	}
	if got := TitleKey(person, "van der Kade, Dr. Ada"); got != NameKey("Ada van der Kade") {
		t.Errorf("with a comma: %q", got)
	}
}

func TestGivenName(t *testing.T) {
	for in, want := range map[string]string{"Dr. Ada": "Ada", "Herr Dr. Tom": "Tom", "Tom Jr.": "Tom Jr.",
		"Tom MBA": "Tom", "Dipl.-Ing. Ada Mary": "Ada Mary", "Ada": "Ada", "Dr.": "Dr.", "M. Ada": "M. Ada",
		"Ing-Marie": "Ing-Marie", "Mag Ada": "Mag Ada", "Mag. Ada": "Ada", "": "", "Dr. med.": "", "Prof. Dr.": ""} {
		if got := GivenName(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}

// What is one line in a record is made one; remarks keep their lines, and cells that are several what shows it.
func TestOneLine(t *testing.T) {
	street := catalog.Field{Name: "street", Type: catalog.Text, Likeness: catalog.AsStreet}
	name := catalog.Field{Name: "name", Type: catalog.Text, Likeness: catalog.AsCompanyName}
	for _, x := range []struct {
		field    catalog.Field
		in, want string
	}{
		{name, "Marina Kap\r\nHafenmeisterei", "Marina Kap Hafenmeisterei"},
		{name, "Tern\u00a0 Quay  Ltd", "Tern Quay Ltd"}, {name, "Kron\u00adborg\u200b Marina", "Kronborg Marina"},
		{name, "Tern Quay", "Tern Quay"},
		{name, "三浦\u3000マリーナ", "三浦\u3000マリーナ"}, {name, "Tern\tQuay", "Tern\tQuay"},
		{street, "Am Hafen 3\n\n2. OG", "Am Hafen 3, 2. OG"}, {street, "c/o Kade,\nQuay 4", "c/o Kade, Quay 4"},
		{catalog.Field{Name: "job_title", Type: catalog.Text}, "Head\tof  harbour", "Head of harbour"},
		{catalog.Field{Name: "description", Type: catalog.LongText}, "a\n\nb  c", "a\n\nb  c"},
	} {
		if got, trouble := NewReader(x.field, Settings{}).Read(x.in); got != x.want || trouble.Code != "" {
			t.Errorf("%s %q: %q %v, want %q", x.field.Name, x.in, got, trouble, x.want)
		}
	}
}

// Where a company is named, what says that there is none is nothing; a company that is
// called so and something else is one.
func TestNoCompany(t *testing.T) {
	n := NewNothing(catalog.Field{Name: "name", Type: catalog.Text, Likeness: catalog.AsCompanyName}, nil)
	for text, want := range map[string]bool{"privat": true, "Privat": true, "(privat)": true,
		"keine Firma (privat)": true, "Private person": true, "no company": true, "Particulier": true, "sin empresa": true,
		"geen bedrijf":  true,
		"Privat Marina": false, "Private Yachts Ltd": false, "Keine": false, "Sem": false, "None": false, "ohne": false,
		"ohne Firma": true, "Firma Keller": false, "Firma": false, "Person": false, "Berg Marina": false, "-": true} {
		if got := n.Is(text); got != want {
			t.Errorf("%q: %v, want %v", text, got, want)
		}
	}
	if NewNothing(catalog.Field{Name: "notes", Type: catalog.Text}, nil).Is("privat") {
		t.Error("privat is nothing in a text of any kind")
	}
}

// A word that somebody has put in question is not taken, unless the choice is called so.
func TestDoubtedChoice(t *testing.T) {
	f := field(catalog.OneChoice)
	f.Choices = []catalog.Choice{{Code: "won", Label: "Won"}, {Code: "open", Label: "Open"}}
	check(t, f, Settings{}, []readCase{{"won", "won", ""}, {"Won!", "won", ""}, {"won?", "", problem.NotAChoice},
		{"won (?)", "", problem.NotAChoice}})
	f.Choices = append(f.Choices, catalog.Choice{Code: "unclear", Label: "Won?"})
	check(t, f, Settings{}, []readCase{{"open?", "open", ""}})
}

// A percentage without its sign is read as the column writes them; where it writes them in
// two ways, what can be either is held.
func TestPercents(t *testing.T) {
	f := field(catalog.Percent)
	check(t, f, Settings{}, []readCase{{"60", "60", ""}, {"0.5", "0.5", ""}, {"60 %", "60", ""}})
	check(t, f, Settings{Percents: OfOne}, []readCase{{"0.6", "60", ""}, {"1", "100", ""}, {"0", "0", ""},
		{"0.125", "12.5", ""}, {"60 %", "60", ""}, {"x", "", problem.BadNumber}})
	check(t, f, Settings{Percents: MixedPercents}, []readCase{{"60", "60", ""}, {"0", "0", ""},
		{"0.5", "", problem.AmbiguousNumber}, {"1", "", problem.AmbiguousNumber}, {"0.5%", "0.5", ""}, {"1.5", "1.5", ""}})
	check(t, f, Settings{Percents: Either}, []readCase{{"60", "60", ""}, {"0.5", "50", ""}, {"1", "100", ""},
		{"1.5", "1.5", ""}})
	check(t, f, Settings{Percents: OfOne, DecimalSign: ","}, []readCase{{"0,6", "60", ""}})
	for text, want := range map[string]Percents{"0.5": OfOne, "0,25": OfOne, ".5": OfOne, "60": OfHundred,
		"1.5": OfHundred, "1": "", "0": "", "1.0": "", "0.00": "", "60 %": "", "x": "", "": "", "2026-01-31": ""} {
		if got := PercentOf(text); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

// What other cells of a column show of the decimal sign makes no five and a half of 5,500.
func TestGuessedDecimalSign(t *testing.T) {
	guessed, said := Settings{DecimalSign: ",", Guessed: true}, Settings{DecimalSign: ","}
	check(t, field(catalog.Money), guessed, []readCase{{"7,5", "7.50", ""}, {"5,500", "", problem.AmbiguousNumber},
		{"5.500", "5500.00", ""}, {"5.500,25", "5500.25", ""}})
	check(t, field(catalog.Integer), guessed, []readCase{{"5,000", "", problem.AmbiguousNumber}, {"5.000", "5000", ""}})
	check(t, field(catalog.Decimal), guessed, []readCase{{"5,500", "5.5", ""}})
	check(t, field(catalog.Money), said, []readCase{{"5,500", "5.50", ""}})
}

// A word for nothing where a name belongs may be a name; a person's that is written as one is.
// Names that somebody has made up to try something may stand for nobody; a word of them within a name is none.
func TestMadeUpNames(t *testing.T) {
	company, family := catalog.Field{Likeness: catalog.AsCompanyName}, catalog.Field{Likeness: catalog.AsFamilyName}
	for _, c := range []struct {
		f           catalog.Field
		other, text string
		want        bool
	}{
		{company, "", "Test Firma", true}, {company, "", "Testfirma GmbH", true}, {company, "", "Muster AG", true},
		{company, "", "TEST - bitte ignorieren", true}, {company, "", "Empresa de prueba", true},
		{company, "", "Demo Account 2", true}, {company, "", "Test Valley Marina", false}, {company, "", "Testboats Ltd", false},
		{company, "", "Firma", false}, {company, "", "Sample & Sons", false}, {company, "", "De Muster Werf", false},
		{family, "Max", "Mustermann", true}, {family, "John", "Doe", true}, {family, "Mary", "Doe", false},
		{family, "Foo", "Bar", true}, {family, "Ada", "Bar", false}, {family, "N.", "N.", true}, {family, "N.", "Nagy", false},
		{family, "Unknown", "Unknown", true}, {family, "Ulla", "Unknown", false}, {family, "Test", "User", true},
	} {
		if got := Nobody(c.f, c.other, c.text); got != c.want {
			t.Errorf("%s %s: made up %v, want %v", c.other, c.text, got, c.want)
		}
	}
}

func TestNobody(t *testing.T) {
	person, company, other := catalog.Field{Likeness: catalog.AsFamilyName},
		catalog.Field{Likeness: catalog.AsCompanyName}, catalog.Field{Likeness: catalog.AsLocality}
	for _, c := range []struct {
		field catalog.Field
		text  string
		want  bool
	}{
		{person, "Ohne", true}, {person, "brak", true}, {person, "None", true}, {person, "NULL", true},
		{person, "xxx", true}, {person, "Test", true}, {person, "bez nazwiska", true},
		{person, "Null", false}, {person, "Sem", false}, {person, "sem", true}, {person, "Brakel", false},
		{company, "Sem", true}, {company, "None", true}, {company, "Nonesuch Ltd", false}, {other, "none", false},
	} {
		if got := Nobody(c.field, "", c.text); got != c.want {
			t.Errorf("%q of %s: %v", c.text, c.field.Likeness, got)
		}
	}
	for name, want := range map[string]bool{"Ohne": false, "ohne": true, "OHNE": true} {
		if got := Nobody(person, "Ute", name); got != want {
			t.Errorf("%q behind a given name: %v", name, got)
		}
	}
	if !Nobody(person, "Test", "Test") || Nobody(person, "Ute", "Test") {
		t.Error("Test Test is nobody, and Ute Test somebody")
	}
}

// The yes under a header that denies is a no to what the field asks.
func TestHeadersThatDeny(t *testing.T) {
	consent := catalog.Field{Name: "email_consent", Label: "Consent to e-mail", Type: catalog.YesNo}
	for header, want := range map[string]bool{
		"Opted out": true, "OptedOutOfEmail": true, "Unsubscribed": true, "Do not e-mail": true, "Kein Newsletter": true,
		"Werbesperre": true, "Désinscrit": true, "NO_MAILING": true,
		"Newsletter": false, "E-mail opt-in": false, "GDPR": false, "Notes": false, "No": false, "Noemail consent": false,
	} {
		if got := Opposes(consent, header); got != want {
			t.Errorf("%q: %v", header, got)
		}
	}
	own := catalog.Field{Name: "do_not_disturb", Label: "Do not disturb", Type: catalog.YesNo}
	if Opposes(own, "Do not disturb") || Opposes(own, "DoNotDisturb") || Opposes(own, "donotdisturb") ||
		!Opposes(own, "May be disturbed") {
		t.Error("a field that denies itself is read the other way round")
	}
	if Opposes(catalog.Field{Type: catalog.Text, Label: "Remarks"}, "Do not forget") {
		t.Error("a text is turned")
	}
	for text, want := range map[string]string{"yes": "no", "0": "yes", "nein": "yes", "unsubscribed": "no",
		"Opted in": "yes", "maybe": "maybe"} {
		if got := Opposite(text); got != want {
			t.Errorf("%q: %q", text, got)
		}
	}
}

// A country that is said twice is that one, when both say the same.
func TestCountriesSaidTwice(t *testing.T) {
	check(t, field(catalog.Country), Settings{}, []readCase{
		{"Norway (NO)", "NO", ""}, {"NO - Norway", "NO", ""}, {"Germany/DE", "DE", ""},
		{"Norway (SE)", "", problem.BadCountry}, {"Norway (north)", "", problem.BadCountry},
		{"Ireland / Cork", "", problem.BadCountry},
	})
}

// What a program has done to a text is told whatever the text is for, and nothing is said of what people write.
func TestHarmed(t *testing.T) {
	const failed, shortened, neither = "failed", "shortened", ""
	for text, want := range map[string]string{
		"#REF!": failed, "#N/A": failed, "#NAME?": failed, "####": failed, "Err:502": failed,
		"4.91E+11": shortened, "4,91E+11": shortened, "1E+15": shortened,
		"": neither, "#": neither, "#12": neither, "# 4 Quay Street": neither, "E-mail": neither, "Errol": neither, "1.5E+1": neither,
		"4.912345678901E+11": neither, "AE+12": neither, "47E+": neither, "Pier 5E+6": neither, "491555001122": neither,
	} {
		got := neither
		switch f, s := Harmed(text); {
		case f:
			got = failed
		case s:
			got = shortened
		}
		if got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

func TestWithCurrency(t *testing.T) {
	for s, want := range map[string]bool{"€ 3": true, "NOK 640": true, "1.250,00 kr": true, "10 eur": true, "HRB 10233": false,
		"FN 12": false, "10233": false, "3 pcs": false} {
		if got := WithCurrency(s); got != want {
			t.Errorf("%q: %v", s, got)
		}
	}
}
