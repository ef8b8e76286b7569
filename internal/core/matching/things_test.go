package matching

import (
	"testing"

	"uchi/internal/core/catalog"
)

// Opportunities are told apart by title and account; what is another day or a slip is
// asked, another figure or account is another.
func TestThings(t *testing.T) {
	there := map[string]string{"title": "Mooring lines", "account": "7", "expected_close": "2026-12-01",
		"source_ref": "D-1"}
	for _, c := range []struct {
		name string
		row  map[string]string
		want Decision
	}{
		{"itself", map[string]string{"title": "mooring LINES", "account": "7", "expected_close": "2026-12-01"}, Found},
		{"itself, without a day", map[string]string{"title": "Mooring lines", "account": "7"}, Found},
		{"another account", map[string]string{"title": "Mooring lines", "account": "8", "expected_close": "2026-12-01"}, New},
		{"no account", map[string]string{"title": "Mooring lines", "expected_close": "2026-12-01"}, New},
		{"another day", map[string]string{"title": "Mooring lines", "account": "7", "expected_close": "2027-06-30"},
			Doubtful},
		{"a slip", map[string]string{"title": "Moring lines", "account": "7", "expected_close": "2026-12-01"}, Doubtful},
		// a word more
		{"another letter", map[string]string{"title": "Mooring lines B", "account": "7", "expected_close": "2026-12-01"},
			Doubtful},
		{"a word between", map[string]string{"title": "Mooring of lines", "account": "7", "expected_close": "2026-12-01"},
			Doubtful},
		{"turned", map[string]string{"title": "Lines, mooring", "account": "7", "expected_close": "2026-12-01"}, Doubtful},
		{"one word of it", map[string]string{"title": "Crane lines", "account": "7", "expected_close": "2026-12-01"}, New},
		{"a figure more", map[string]string{"title": "Mooring lines 2", "account": "7", "expected_close": "2026-12-01"}, New},
		{"another number", map[string]string{"title": "Mooring lines", "account": "7", "expected_close": "2026-12-01",
			"source_ref": "D-2"}, New},
	} {
		s := compare(t, "opportunity", 10_000, 3, c.row, there)
		if got := Decide([]Score{s}, catalog.DefaultTakeAt, catalog.DefaultAskAt); got != c.want {
			t.Errorf("%s: decision %d, want %d; %.1f bits %v", c.name, got, c.want, s.Bits, s.Against)
		}
	}
}

// A letter that stands alone tells things apart, as a figure does.
func TestThingsByLetter(t *testing.T) {
	there := map[string]string{"title": "Pedestals pier A", "account": "7", "expected_close": "2026-12-01"}
	for title, want := range map[string]Decision{"Pedestals pier B": New, "Pedestals pier A": Found,
		"Pedestal pier A": Doubtful, "Pedestals pier 2": New} {
		s := compare(t, "opportunity", 10_000, 3, map[string]string{"title": title, "account": "7",
			"expected_close": "2026-12-01"}, there)
		if got := Decide([]Score{s}, catalog.DefaultTakeAt, catalog.DefaultAskAt); got != want {
			t.Errorf("%s: decision %d, want %d; %.1f bits %v", title, got, want, s.Bits, s.Against)
		}
	}
}
