package value

import (
	"testing"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

// Days that programs write where there is none are nothing where a day stands.
func TestNoDate(t *testing.T) {
	n := NewNothing(catalog.Field{Name: "birthday", Type: catalog.Date}, nil)
	for text, want := range map[string]bool{"0000-00-00": true, "0000-00-00 00:00:00": true, "00.00.0000": true,
		"01.01.1900": true, "1900-01-01T00:00:00Z": true, "1899-12-30": true, "12/31/9999": true, "9999-12-31": true,
		"1900-01-02": false, "01.01.1901": false, "1980-01-01": false, "1900-01-01 12:30": false, "2": false, "": false,
		"1900": false, "000000": true, "00000000": true, "000001": false} {
		if got := n.Is(text); got != want {
			t.Errorf("%q: %v, want %v", text, got, want)
		}
	}
	if NewNothing(catalog.Field{Name: "ref", Type: catalog.Text}, nil).Is("01.01.1900") {
		t.Error("a day is nothing in a text")
	}
}

// Nobody is born ahead: two figures are of the last century then, and a year in full is held.
func TestDaysOfBirth(t *testing.T) {
	f := field(catalog.Date)
	f.Holds = catalog.HoldsBirth
	check(t, f, Settings{ThisYear: 2026}, []readCase{{"03.04.30", "1930-04-03", ""}, {"03.04.71", "1971-04-03", ""},
		{"03.04.25", "", problem.BirthLately}, {"2199-01-31", "", problem.BirthAhead}, {"1968-04-03", "1968-04-03", ""},
		{"12.03.1081", "", problem.BirthLongAgo}, {"1900-01-01", "", problem.BirthLongAgo}, {"1908-01-01", "", problem.BirthLongAgo},
		{"1919-01-01", "1919-01-01", ""}})
	check(t, field(catalog.Date), Settings{ThisYear: 2026}, []readCase{{"03.04.30", "2030-04-03", ""},
		{"2099-01-31", "2099-01-31", ""}, {"2199-01-31", "", problem.FarDay}})
	past := field(catalog.Date)
	past.Holds = catalog.HoldsPast
	check(t, past, Settings{ThisYear: 2026}, []readCase{{"2099-01-31", "", problem.DayAhead},
		{"2020-01-31", "2020-01-31", ""}})
}

// Days of figures alone, in the order of their column, or in the only one that there is.
func TestDaysInFigures(t *testing.T) {
	born := field(catalog.Date)
	born.Holds = catalog.HoldsBirth
	check(t, born, Settings{ThisYear: 2026, DateOrder: YearFirst}, []readCase{{"800403", "1980-04-03", ""},
		{"031224", "2003-12-24", ""}, {"301224", "1930-12-24", ""}, {"040380", "", problem.BadDate}, {"801303", "", problem.BadDate},
		{"03041980", "", problem.AmbiguousDate}, {"24121980", "1980-12-24", ""}, {"19800403", "1980-04-03", ""}})
	check(t, born, Settings{ThisYear: 2026, DateOrder: DayFirst}, []readCase{{"040380", "1980-03-04", ""},
		{"800403", "", problem.BadDate}, {"04031980", "1980-03-04", ""}, {"19800403", "1980-04-03", ""}, {"290200", "2000-02-29", ""}})
	check(t, born, Settings{ThisYear: 2026, DateOrder: MonthFirst}, []readCase{{"040380", "1980-04-03", ""},
		{"04031980", "1980-04-03", ""}, {"12241980", "1980-12-24", ""}})
	check(t, field(catalog.Date), Settings{ThisYear: 2026}, []readCase{{"800403", "1980-04-03", ""}, {"040380", "", problem.AmbiguousDate},
		{"24122026", "2026-12-24", ""}, {"04032026", "", problem.AmbiguousDate}, {"20260403", "2026-04-03", ""},
		{"999999", "", problem.BadDate}, {"123456789", "", problem.BadDate}, {"18990403", "1899-04-03", ""}})
}

// Days as programs and other calendars write them.
func TestDaysOfPrograms(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	check(t, field(catalog.Date), Settings{}, []readCase{
		{"2026-03-31T22:00:00.000Z", "", problem.DayByZone}, {"2026-03-31 23:00:00Z", "", problem.DayByZone},
		{"2026-03-31T18:30:00.000Z", "", problem.DayByZone},
		{"2026-03-31T00:00:00.000Z", "2026-03-31", ""}, {"2026-03-31T22:14:09Z", "2026-03-31", ""},
		{"2026-03-31T04:00:00.000Z", "2026-03-31", ""}, {"2026-03-31T23:30:00-05:00", "2026-03-31", ""},
		{"令和8年3月31日", "2026-03-31", ""}, {"令和元年5月1日", "2019-05-01", ""}, {"S45.12.3", "1970-12-03", ""},
		{"H30/4/31", "", problem.BadDate},
		{"1er avril 2026", "2026-04-01", ""}, {"1º de abril de 2026", "2026-04-01", ""}, {"46112", "", problem.DayNumber},
		{"46112,25", "", problem.DayNumber}, {"99999", "", problem.BadDate},
	})
	check(t, field(catalog.Date), Settings{Zone: oslo, DayNumbers: Since1900}, []readCase{
		{"2026-03-31T22:00:00.000Z", "2026-04-01", ""}, {"2026-01-31T23:00:00Z", "2026-02-01", ""},
		{"2026-03-31T12:00:00Z", "2026-03-31", ""}, {"46112", "2026-03-31", ""}, {"46112.75", "2026-03-31", ""},
	})
	check(t, field(catalog.Date), Settings{DayNumbers: Since1904}, []readCase{{"44650", "2026-03-31", ""}})
	check(t, field(catalog.DateTime), Settings{DayNumbers: Since1900},
		[]readCase{{"46112.75", "2026-03-31T18:00:00Z", ""}, {"46112", "2026-03-31T00:00:00Z", ""}})
}

// Days that programs write where there is none, in whatever figures.
func TestNoDates(t *testing.T) {
	for s, want := range map[string]bool{"01.01.1900": true, "1.1.1900": true, "1/1/1900": true, "0000-00-00": true,
		"1899-12-30 00:00:00": true, "1.1.1968": false, "1.1.19": false, "11.1.1900": false} {
		if got := NoDate(s); got != want {
			t.Errorf("%s: %v", s, got)
		}
	}
}

// A time of day stands behind a date in many words; a month in Roman figures or in the words of
// the product's languages.
func TestDatesAsPeopleWriteThem(t *testing.T) {
	r := NewReader(catalog.Field{Name: "due", Type: catalog.Date}, Settings{DateOrder: DayFirst})
	for text, want := range map[string]string{
		"13-12-2026 kl. 10.30": "2026-12-13", "13.12.2026 um 10:30 Uhr": "2026-12-13", "13/12/2026 à 10h30": "2026-12-13",
		"13/12/2026 a las 10:30": "2026-12-13", "13.12.2026 klo 10.30": "2026-12-13",
		"13-12-2026 om 10.30 uur": "2026-12-13", "13 grudnia 2026 r., godz. 10:30": "2026-12-13",
		"13.XII.2026": "2026-12-13", "3 iv 2026": "2026-04-03", "13. prosince 2026": "2026-12-13",
		"2026. december 13.": "2026-12-13",
		"13 Aralık 2026":     "2026-12-13", "13.12.2026 um Mittag": "", "13.12.2026 v Praze": "", "13.12.2026 approx": "",
		"13.XIII.2026": "",
	} {
		if got, _ := r.Read(text); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
	at := NewReader(catalog.Field{Name: "at", Type: catalog.DateTime}, Settings{DateOrder: DayFirst})
	for _, text := range []string{"13-12-2026 kl. 10.30", "13.12.2026 um 10:30 Uhr", "13/12/2026 à 10h30",
		"13-12-2026 om 10.30 uur"} {
		if got, _ := at.Read(text); got != "2026-12-13T10:30:00Z" {
			t.Errorf("%q: %q", text, got)
		}
	}
}

// A day of no year is no date, nor is one that its month does not have, and it is said why; what is no day at all is
// not said to lack anything.
func TestDaysThatAreNone(t *testing.T) {
	for in, want := range map[string]string{
		"31/03": "it has no year", "31.3.": "it has no year", "3 May": "it has no year", "3 de mayo": "it has no year",
		"May 3rd": "it has no year", "--03-31": "it has no year", "Room 12": "", "soon": "", "3/4/5/6": "",
		"31/06/2026": "June 2026 has 30 days", "2026-02-30": "February 2026 has 28 days", "30. Feb 2028": "February 2028 has 29 days",
		"2026-13-01": "", "45/06/2026": "",
	} {
		if _, trouble := NewReader(field(catalog.Date), Settings{}).Read(in); trouble != (Trouble{problem.BadDate, want}) {
			t.Errorf("%q: got %+v, want %q", in, trouble, want)
		}
	}
}
