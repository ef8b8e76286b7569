package mapping

import (
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"uchi/internal/core/sheet"
)

// What a plan remembers of texts that come again changes nothing: a row is typed after many others as it is by
// a plan that has seen none.
func TestTextsThatComeAgain(t *testing.T) {
	texts := []string{"", " ", "Anna", "ANNA", "anna", "A.", "Anna-Lena", "Anna M.", "Herr", "Dr. Anna", "van der Berg", "Berg, Anna",
		"Anna Berg", "Anna / Ole", "Berg (alt)", "Berg?", "B?rg", "MÃ¸ller", "M&uuml;ller", "Berg*", "Berg:", "n/a", "-", "unknown",
		"ditto", "\"", "s.o.", "Student", "Sales", "CEO", "Harbour master", "left the company", "info@quaymail.example",
		"anna@quaymail.example", "anna@gmial.com", "www.quay.example", "Quay GmbH", "Am Kai 12", "Am Kai 12, 24103 Kiel", "24103 Kiel",
		"24103", "2410", "01234", "1234.0", "Kiel", "Kiel, SH", "KIEL", "formerly Kiel", "Skarvika 2", "05-Jun", "1.2E+17", "+49 431 555019",
		"0431 555019", "NO", "Norway", "Atlantis", "1982-12-04", "4. 12. 1982", "e\u0301toile", "étoile", "Ａｎｎａ", "LEER", "test", "'Anna",
		"Γλάρος", "潮田", "Anna\nBerg", "Anna\u200bBerg", "Ltd.", "GmbH", "12", "x"}
	fields := map[string]string{"given_name": "Given name", "family_name": "Family name", "email": "E-mail", "phone": "Phone",
		"job_title": "Job title", "street": "Street", "locality": "Town", "region": "Region", "postal_code": "Postal code",
		"country": "Country", "birthday": "Birthday", "description": "Notes", "source_ref": "Number"}
	var headers []string
	origins := map[string]Origin{}
	for name, h := range fields {
		headers, origins[name] = append(headers, h), from(h)
	}
	slices.Sort(headers)
	plan := func() *DraftPlan {
		p, err := NewPlan(routine("contact", origins), standard(t), columns(headers...))
		if err != nil {
			t.Fatal(err)
		}
		return p.Drafts[0]
	}
	of := map[string][]string{"Country": {"DE", "US", "GR", "SE", "GB"}, "Postal code": {"10431", "1043", "104 31", "D-10431", "SW1A1AA"}}
	r := rand.New(rand.NewPCG(3, 4))
	again := plan()
	for n := range 1200 {
		row := sheet.Row{Number: int64(n + 2)}
		for _, h := range headers {
			from := texts
			if own := of[h]; own != nil && n%2 > 0 {
				from = own
			}
			row.Cells = append(row.Cells, from[r.IntN(len(from))])
		}
		var got, want Typed
		again.Apply(row, &got)
		if n%4 > 0 { // a plan costs more than a row
			continue
		}
		plan().Apply(row, &want)
		if !reflect.DeepEqual(got, want) {
			t.Fatalf("row %d %q:\n%+v, by a new plan\n%+v", row.Number, row.Cells, got, want)
		}
	}
}
