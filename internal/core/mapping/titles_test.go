package mapping

import (
	"maps"
	"strings"
	"testing"

	"uchi/internal/core/sheet"
)

// Whom an envelope is for goes to the fields of the name, and is no street then; where no field takes it,
// it stays there.
func TestEnvelopes(t *testing.T) {
	take := func(t Take) Origin { return Origin{From: []string{"Address"}, Take: t} }
	whole := map[string]Origin{"street": take(TakeAddressStreet), "locality": take(TakeAddressTown),
		"postal_code": take(TakeAddressCode)}
	named := maps.Clone(whole)
	named["honorific"], named["given_name"] = take(TakeAddresseeHonorific), take(TakeAddresseeGiven)
	named["family_name"] = take(TakeAddresseeFamily)
	beside := maps.Clone(whole)
	beside["family_name"] = from("Surname")
	for _, c := range []struct {
		fields     map[string]Origin
		cell, want string
	}{
		{named, "Herrn\nDr. Peter Kade\nAm Kai 12\n24103 Kiel", "Herrn Dr.|Peter|Kade|Am Kai 12|Kiel|24103"},
		{named, "Frau Silke van der Berg, Am Kai 12, 24103 Kiel", "Frau|Silke|van der Berg|Am Kai 12|Kiel|24103"},
		{named, "Frau Kade und Herr Berg, Am Kai 12, 24103 Kiel",
			"|||Frau Kade und Herr Berg, Am Kai 12|Kiel|24103"},
		{named, "Quay GmbH\nFrau Silke Berg\nAm Kai 12\n24103 Kiel", "Frau|Silke|Berg|Quay GmbH, Am Kai 12|Kiel|24103"},
		{whole, "Frau Silke Lund, Am Kai 12, 24103 Kiel", "|||Frau Silke Lund, Am Kai 12|Kiel|24103"},
		{beside, "Frau Silke Berg, Am Kai 12, 24103 Kiel", "||Berg|Am Kai 12|Kiel|24103"},
		{beside, "Frau Silke Lund, Am Kai 12, 24103 Kiel", "||Berg|Frau Silke Lund, Am Kai 12|Kiel|24103"},
	} {
		got := envelope(t, c.fields, c.cell, "Berg")
		if got != c.want {
			t.Errorf("%q: %s, want %s", c.cell, got, c.want)
		}
	}
}

// envelope types a row of an address and a name, and gives the fields that an envelope says.
func envelope(t *testing.T, fields map[string]Origin, cells ...string) string {
	t.Helper()
	r := Routine{May: Create, Drafts: []Draft{{Type: "contact", Fields: fields}}}
	p, err := NewPlan(r, standard(t), columns("Address", "Surname"))
	if err != nil {
		t.Fatal(err)
	}
	var typed Typed
	p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: cells}, &typed)
	var list []string
	for _, name := range []string{"honorific", "given_name", "family_name", "street", "locality", "postal_code"} {
		said := ""
		for i, fp := range p.Drafts[0].Fields {
			if fp.Field.Name == name {
				said = typed.Values[i]
			}
		}
		list = append(list, said)
	}
	return strings.Join(list, "|")
}

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
		{halves, []string{"Frau", "", "Silke", "Brandt Prof. Dr."}, "Frau Prof. Dr.|Silke|Brandt"},
		{halves, []string{"", "", "Silke", "Dr. Brandt"}, "Dr.|Silke|Brandt"},
		{halves, []string{"Frau", "", "Silke 🚤", "Brandt, MBA"}, "Frau|Silke|Brandt"},
		{whole, []string{"Frau", "Silke Brandt Dr."}, "Frau Dr.|Silke|Brandt"},
		{halves, []string{"Frau", "", "", "Brandt, Silke"}, "Frau|Silke|Brandt"},
		{halves, []string{"Frau", "", "Silke", "Brandt, silke"}, "Frau|Silke|Brandt"},
		{halves, []string{"Frau", "", "Silke", "Brandt, Jr."}, "Frau|Silke|Brandt, Jr."},
	} {
		got, codes := typedAs(t, Routine{May: Create, Drafts: []Draft{{Type: "contact", Fields: c.fields}}}, header, c.row)
		if got != c.want || codes != "" {
			t.Errorf("%q: %s %s, want %s", c.row, got, codes, c.want)
		}
	}
}

// Two people in the column of given names, or something beside a name, hold the row, unless such names are
// taken as they stand.
func TestMoreThanAHalf(t *testing.T) {
	header := []string{"given_name", "family_name"}
	fields := map[string]Origin{"given_name": from("given_name"), "family_name": from("family_name")}
	for _, c := range []struct{ given, family, codes string }{
		{"Ann & Tom", "Reyes", "several_values"}, {"Ann", "Reyes (Hull)", "beside_name"},
		{"Ann", "Reyes, Kari", "beside_name"}, {"Ann", "Reyes, Ann", ""}, {"", "Reyes, Ann", ""}, {"Mrs.", "Reyes", "perhaps_nothing"},
		{"Ann-Marie", "de la Torre y Vega", ""}, {"Ann", "Public, Jr.", ""}, {"Ann", "Lund, MBA", ""},
	} {
		_, codes := typedAs(t, Routine{May: Create, Drafts: []Draft{{Type: "contact", Fields: fields}}}, header,
			[]string{c.given, c.family})
		if codes != c.codes {
			t.Errorf("%s %s: %q, want %q", c.given, c.family, codes, c.codes)
		}
		_, codes = typedAs(t, Routine{May: Create, Drafts: []Draft{{Type: "contact", Fields: fields, Doubtful: TakeRows}}}, header,
			[]string{c.given, c.family})
		if codes != "" {
			t.Errorf("%s %s, taken as it stands: %q", c.given, c.family, codes)
		}
	}
}
