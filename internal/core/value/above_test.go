package value

import (
	"testing"

	"uchi/internal/core/catalog"
)

// Marks for what stands above are told from names and words.
func TestSameAsAbove(t *testing.T) {
	company := NewDoubter(catalog.Field{Name: "name", Type: catalog.Text, Likeness: catalog.AsCompanyName})
	given := NewDoubter(catalog.Field{Name: "given_name", Type: catalog.Text, Likeness: catalog.AsGivenName})
	for s, want := range map[string]bool{
		`"`: true, "''": true, "〃": true, "dito": true, "Dito": true, "IDEM": true, "s. o.": true, "s.o.": true,
		"as above": true, "See above": true, "jak wyżej": true, `- " -`: true, "Ως άνω": true, "同上": true,
		"j.w.": true, "J. W.": true, "dto.": true, "-||-": true, "w. o.": true, "↑": true,
		"": false, "-": false, "do": false, "id": false, "Ditton": false, "Idem Dito AG": false, "above": false,
		"same": false, "Sö": false,
	} {
		if got := company.SameAsAbove(s); got != want {
			t.Errorf("%q: %t, want %t", s, got, want)
		}
	}
	if given.SameAsAbove("S. O.") || given.SameAsAbove("J.W.") || !given.SameAsAbove("dito") {
		t.Error("initials of a given name, and a mark in its place")
	}
}
