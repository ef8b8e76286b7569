package suggest

import "testing"

// Cut words are understood where nearly all that they can begin means the same, and words of which the middle
// is left out; where they can mean several things the cells must agree.
func TestCutWords(t *testing.T) {
	t.Parallel()
	for _, x := range []struct{ typeName, header, want string }{
		{"contact", "Arb.giver", "account"}, {"opportunity", "Wahrsch'keit", "probability"},
		{"opportunity", "P'stwo", "probability"}, {"contact", "Stillingsb.", "job_title"},
		{"account", "Werkn. aantal", "employees"}, {"opportunity", "Montant prévis.", "amount"},
		{"contact", "Urodz.", "birthday"}, {"opportunity", "Phas.", "stage"},
		{"contact", "Yhteysh.", ""}, {"account", "Disc.", ""}, {"contact", "Hausn.", ""}, {"contact", "Geb.plaats", ""},
	} {
		if got := takenOf(t, x.typeName, column(x.header))[x.header]; got != x.want {
			t.Errorf("%q of %s is taken as %q, it is %q", x.header, x.typeName, got, x.want)
		}
	}
}
