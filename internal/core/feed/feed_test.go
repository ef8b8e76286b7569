package feed

import (
	"strings"
	"testing"
	"time"

	"uchi/internal/core/fault"
)

// Times of a zone whose clock is changed: what the clock skips in spring comes as soon
// as it goes on, what it shows twice in autumn comes once, and what comes every hour is
// as the clock goes.
func TestNextAcrossClockChanges(t *testing.T) {
	for _, c := range []struct{ cron, after, want string }{
		// at 2 the clock goes to 3
		{"30 2 * * *", "2026-03-28T12:00:00Z", "2026-03-29T03:30:00+02:00 2026-03-30T02:30:00+02:00"},
		// at 3 the clock goes to 2
		{"30 2 * * *", "2026-10-24T12:00:00Z", "2026-10-25T02:30:00+02:00 2026-10-26T02:30:00+01:00"},
		{"30 6 * * 1-5", "2026-11-26T09:00:00Z", "2026-11-27T06:30:00+01:00 2026-11-30T06:30:00+01:00"},
		{"0 * * * *", "2026-03-29T00:30:00Z", "2026-03-29T03:00:00+02:00 2026-03-29T04:00:00+02:00"},
		{"*/20 2 * * *", "2026-03-28T22:00:00Z", "2026-03-29T03:00:00+02:00 2026-03-30T02:00:00+02:00"},
	} {
		after, err := time.Parse(time.RFC3339, c.after)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, at := range (When{c.cron, "Europe/Oslo"}).NextTimes(after, 2) {
			zone, _ := time.LoadLocation("Europe/Oslo")
			got = append(got, at.In(zone).Format(time.RFC3339))
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%s behind %s: %v, want %s", c.cron, c.after, got, c.want)
		}
	}
}

// Common times have words, the others stay as they are written.
func TestWords(t *testing.T) {
	for cron, want := range map[string]string{
		"30 6 * * 1-5": "on weekdays at 06:30, Europe/Oslo", "0 18 * * 5": "every Friday at 18:00, Europe/Oslo",
		"5 0 1 * *":  "every month on day 1 at 00:05, Europe/Oslo",
		"15 * * * *": "every hour at minute 15", "*/10 * * * *": "every 10 minutes",
		"0 9 1-7 * 1": "0 9 1-7 * 1, Europe/Oslo", "0 7 * * mon,0": "every Monday and Sunday at 07:00, Europe/Oslo",
	} {
		if got := (When{cron, "Europe/Oslo"}).Words(); got != want {
			t.Errorf("%s: %q, want %q", cron, got, want)
		}
	}
}

// What is wrong with a set-up is said with its place; what is sound passes.
func TestCheck(t *testing.T) {
	sound := Feed{
		Name: "marinas weekly", Routine: "marinas", Place: Place{Kind: SFTP, Host: "files.x.example", User: "uchi"},
		Files: "marinas-*.csv", When: When{"30 6 * * 1-5", "Europe/Oslo"}, Bounds: UsualBounds,
	}
	if err := sound.Check(); err != nil {
		t.Fatal(err)
	}
	if u := sound.Usual(); u.Place.Port != 22 || u.Still != UsualStill || u.After != Leave {
		t.Errorf("%+v", u)
	}
	for code, change := range map[string]func(f *Feed){
		"bad_name":        func(f *Feed) { f.Name = "../x" },
		"routine_missing": func(f *Feed) { f.Routine = "" },
		"unknown_place":   func(f *Feed) { f.Place.Kind = "post" },
		"host_missing":    func(f *Feed) { f.Place.Host = "" },
		"bad_pattern":     func(f *Feed) { f.Files = "[a" },
		"unknown_zone":    func(f *Feed) { f.When.Zone = "Sea/Fog" },
		"bad_cron":        func(f *Feed) { f.When.Cron = "61 * * * *" },
		"time_missing":    func(f *Feed) { f.When.Cron = "" },
		"cannot_move":     func(f *Feed) { f.Place, f.After = Place{Kind: HTTPS, URL: "https://x.example/a.csv"}, Move },
		"bad_url":         func(f *Feed) { f.Place = Place{Kind: HTTPS, URL: "https://me:pw@x.example/a.csv"} },
		"bad_folder":      func(f *Feed) { f.After, f.MoveTo = Move, "../up" },
		"bad_limit":       func(f *Feed) { f.Bounds.Touched = Limit{true, 3, false} },
		"bad_mark":        func(f *Feed) { f.Mark = "/etc" },
		"bad_still":       func(f *Feed) { f.Still = -1 },
		"one_file": func(f *Feed) {
			f.Place, f.Then = Place{Kind: HTTPS, URL: "https://x.example/a.csv"}, []Part{{"b-*", "b"}}
		},
		"no_set":          func(f *Feed) { f.Set = true },
		"pattern_missing": func(f *Feed) { f.Then = []Part{{"", "b"}} },
		"too_many_parts":  func(f *Feed) { f.Then = make([]Part, mostParts) },
	} {
		f := sound
		if change(&f); !fault.Is(f.Check(), code) {
			t.Errorf("%s: %v", code, f.Check())
		}
	}
	if err := (When{Cron: "0 0 30 2 *"}).Check(); !fault.Is(err, "bad_cron") {
		t.Errorf("a time that never comes: %v", err)
	}
}

// Names are matched without regard to case; marks and hidden files are never taken.
func TestTakes(t *testing.T) {
	f := Feed{Files: "marinas-*.csv", Mark: ".done"}
	for name, want := range map[string]bool{"marinas-48.csv": true, "MARINAS-48.CSV": true, "leads.csv": false,
		".marinas-1.csv": false, "marinas-48.csv.done": false} {
		if f.Takes(name) != want {
			t.Errorf("%s: %v", name, !want)
		}
	}
}

// Of several kinds of files each has its routine, and of a set its turn.
func TestParts(t *testing.T) {
	f := Feed{Files: "accounts-*", Routine: "a", Then: []Part{{"contacts-*", "c"}, {"*.csv", "rest"}}, Set: true}
	for name, want := range map[string]string{"accounts-1.csv": "a", "CONTACTS-1.csv": "c", "deals.csv": "rest"} {
		if got := f.RoutineOf(name); got != want {
			t.Errorf("%s by %s, want %s", name, got, want)
		}
	}
	for taken, want := range map[string]int{"": 0, "accounts-1.csv": 1, "contacts-1.csv accounts-1.csv": 2,
		"old.txt contacts-1.csv": 2, "deals.csv": 0} {
		if got := f.Turn(strings.Fields(taken)); got != want {
			t.Errorf("behind %q comes part %d, want %d", taken, got, want)
		}
	}
	f.Then[0].Routine = ""
	f.Name, f.Place, f.When = "x", Place{Kind: Folder, Folder: "/in"}, When{Cron: "0 6 * * *"}
	if !fault.Is(f.Check(), "routine_missing") {
		t.Error(f.Check())
	}
}
