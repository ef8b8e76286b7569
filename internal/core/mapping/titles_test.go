package mapping

import "testing"

// Titles that are taken off a name go to the form of address beside it.
func TestTitlesBesideNames(t *testing.T) {
	header := []string{"honorific", "name", "given_name", "family_name"}
	halves := map[string]Origin{"honorific": from("honorific"), "given_name": from("given_name"),
		"family_name": from("family_name")}
	whole := map[string]Origin{"honorific": from("honorific"),
		"given_name":  {From: []string{"name"}, Take: TakeGivenName},
		"family_name": {From: []string{"name"}, Take: TakeFamilyName}}
	for _, c := range []struct {
		fields map[string]Origin
		row    []string
		want   string
	}{
		{whole, []string{"Frau", "Dr. Silke Brandt"}, "Frau Dr.|Silke|Brandt"},
		{whole, []string{"Frau", "Frau Prof. Dr. Silke Brandt"}, "Frau Prof. Dr.|Silke|Brandt"},
		{whole, []string{"Dr", "Dr. Silke Brandt"}, "Dr|Silke|Brandt"},
		{whole, []string{"Mr", "Herr Uwe Brandt"}, "Mr|Uwe|Brandt"},
		{whole, []string{"", "Herr Dr. Uwe Brandt"}, "Herr Dr.|Uwe|Brandt"},
		{whole, []string{"Frau", "Silke  van der Brandt"}, "Frau|Silke|van der Brandt"},
		{whole, []string{"Herr", "Brandt, Uwe"}, "Herr|Uwe|Brandt"},
		{halves, []string{"Frau", "", "Dr. Silke", "Brandt"}, "Frau Dr.|Silke|Brandt"},
		{halves, []string{"", "", "Silke", "Brandt"}, "|Silke|Brandt"},
	} {
		got, codes := typedAs(t, Routine{May: Create, Drafts: []Draft{{Type: "contact", Fields: c.fields}}}, header, c.row)
		if got != c.want || codes != "" {
			t.Errorf("%q: %s %s, want %s", c.row, got, codes, c.want)
		}
	}
}
