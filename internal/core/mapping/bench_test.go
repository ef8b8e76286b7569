package mapping

import (
	"fmt"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
)

// BenchmarkApply types a row of a contact sheet with fourteen columns.
func BenchmarkApply(b *testing.B) {
	c, err := catalog.Standard()
	if err != nil {
		b.Fatal(err)
	}
	fields := map[string]string{
		"source_ref": "Reference", "given_name": "Given name", "family_name": "Family name", "email": "E-mail",
		"phone": "Phone", "mobile": "Mobile", "job_title": "Job title",
		"street": "Street", "locality": "Town", "region": "Region", "postal_code": "Postal code", "country": "Country",
		"birthday": "Birthday", "description": "Notes",
	}
	var headers []string
	origins := map[string]Origin{}
	for name, h := range fields {
		headers, origins[name] = append(headers, h), from(h)
	}
	plan, err := NewPlan(routine("contact", origins), c, columns(headers...))
	if err != nil {
		b.Fatal(err)
	}
	given, family := []string{"Øyvind", "Jürgen", "Fiona", "Maja", "Νίκος", "陽子"},
		[]string{"Sæther", "Ankermann", "Saltmarsh", "van der Kade", "Γλάρος", "潮田"}
	var rows []sheet.Row
	for n := range 1000 {
		cells := make([]string, len(headers))
		for i, h := range headers {
			cells[i] = map[string]string{
				"Reference": fmt.Sprintf("BM-%07d", n), "Given name": given[n%6], "Family name": family[n/6%6],
				"E-mail": fmt.Sprintf("p%d@quaymail.example", n),
				"Phone":  fmt.Sprintf("+4755%06d", n), "Mobile": fmt.Sprintf("+4798%06d", n), "Job title": "Harbour master",
				"Street": fmt.Sprintf("Strandkaien %d", n%200),
				"Town":   "Tarevik", "Postal code": fmt.Sprintf("%04d", 1000+n), "Country": "NO",
				"Birthday": fmt.Sprintf("19%02d-06-%02d", 20+n%80, 1+n%28),
			}[h]
		}
		rows = append(rows, sheet.Row{Number: int64(n + 2), Cells: cells})
	}
	var out Typed
	b.ReportAllocs()
	for n := 0; b.Loop(); n++ {
		plan.Drafts[0].Apply(rows[n%len(rows)], &out)
		if len(out.Problems) > 0 {
			b.Fatal(out.Problems)
		}
	}
}
