package value

import "testing"

// A half of a name is without the name of birth that stands behind it.
func TestWithoutBirthName(t *testing.T) {
	for in, want := range map[string]string{
		"Lehmann geb. Meier": "Lehmann", "Lehmann, geb. Meier": "Lehmann", "Anna (geb. Meier)": "Anna", "Dupont née Blanc": "Dupont", "van Nee": "van Nee", "Nee Lund": "Nee Lund",
		"Anna Nee Lund": "Anna Nee Lund", "geb. Meier": "geb. Meier", "Lehmann geb.": "Lehmann geb.", "": "", "Lehmann": "Lehmann",
	} {
		if got := WithoutBirthName(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}
