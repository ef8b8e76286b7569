package value

import (
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

// A range or a word that says about how many is a number only as somebody has said.
func TestRoughNumbers(t *testing.T) {
	staff, amount := field(catalog.Integer), field(catalog.Money)
	for _, c := range []struct {
		of                   catalog.Field
		in                   string
		lowest, mid, highest string
	}{
		{staff, "11-50", "11", "30", "50"}, {staff, "201 – 500", "201", "350", "500"},
		{staff, "10 bis 20", "10", "15", "20"}, {staff, "5 to 9 people", "5", "7", "9"},
		{staff, "between 5 - 10", "5", "7", "10"}, {staff, "1,001-5,000", "1001", "3000", "5000"},
		{staff, "1.001 à 5.000", "1001", "3000", "5000"},
		{staff, "~50", "50", "50", "50"}, {staff, "ca. 40", "40", "40", "40"}, {staff, "approx 30", "30", "30", "30"}, {staff, "n. 48", "48", "48", "48"}, {staff, "cca 12", "12", "12", "12"}, {staff, "rd. 90", "90", "90", "90"},
		{staff, "rund 60 Mitarbeiter", "60", "60", "60"},
		{staff, ">100", "100", "100", "100"}, {staff, "50+", "50", "50", "50"}, {staff, "less than 10", "10", "10", "10"},
		{staff, "10,000+", "10000", "10000", "10000"}, {staff, "10.500+", "10500", "10500", "10500"},
		{staff, "50 and more", "50", "50", "50"}, {staff, "über 1.250", "1250", "1250", "1250"},
		{staff, "約100名", "100", "100", "100"},
		{amount, "10k-20k", "10000.00", "15000.00", "20000.00"}, {amount, "€ 10 – 20k", "10000.00", "15000.00",
			"20000.00"}, {amount, "over € 100,50", "100.50", "100.50", "100.50"},
		{amount, "5 000,00 - 10 000,00 EUR", "5000.00", "7500.00", "10000.00"},
		{amount, "ca. 3.5k", "3500.00", "3500.00", "3500.00"},
		{field(catalog.Percent), "40-60 %", "40", "50", "60"},
	} {
		for n, want := range []string{c.lowest, c.mid, c.highest} {
			got, trouble := NewReader(c.of, Settings{Rough: WaysOfRough[n]}).Read(c.in)
			if got != want {
				t.Errorf("%s %q, %s: got %q, %q; want %q", c.of.Type, c.in, WaysOfRough[n], got, trouble.Code, want)
			}
		}
		if _, trouble := NewReader(c.of, Settings{}).Read(c.in); trouble.Code != problem.RoughNumber {
			t.Errorf("%s %q: got %q; want it held as a rough number", c.of.Type, c.in, trouble.Code)
		}
	}
	check(t, staff, Settings{Rough: Middle}, []readCase{
		{"20-10", "", problem.BadNumber}, {"1-1-2020", "", problem.BadNumber}, {"-5--2", "", problem.BadNumber},
		{"ab", "", problem.BadNumber}, {"~", "", problem.BadNumber},
		{"12 boxes", "", problem.BadNumber}, {"+47 22 00", "", problem.BadNumber}, {"10-20-30", "", problem.BadNumber},
		{"5 min", "", problem.BadNumber}, {"50?", "", problem.BadNumber},
	})
}

// Heads and pieces are what a count counts; a number of staff has no half.
func TestCounts(t *testing.T) {
	check(t, field(catalog.Integer), Settings{}, []readCase{
		{"12 fte", "12", ""}, {"3 employees", "3", ""}, {"12 Mitarbeiter", "12", ""}, {"25 pers.", "25", ""},
		{"zwölf", "12", ""}, {"Drei", "3", ""}, {"12 kg", "", problem.BadNumber},
		{"1.250", "1250", ""}, {"1,250", "1250", ""}, {"-1.250", "-1250", ""}, {"12.000", "", problem.AmbiguousNumber},
		{"1.5 fte", "", problem.TooPrecise},
	})
	check(t, field(catalog.Integer), Settings{DecimalSign: "."}, []readCase{{"1.250", "", problem.TooPrecise},
		{"1,250", "1250", ""}})
	check(t, field(catalog.Integer), Settings{DecimalSign: ".", Guessed: true}, []readCase{{"1.250", "1250", ""}})
	check(t, field(catalog.Decimal), Settings{}, []readCase{{"10 Stk.", "10", ""}, {"2.5 pcs", "2.5", ""}})
}
