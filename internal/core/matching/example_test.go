package matching_test

import (
	"fmt"

	"uchi/internal/core/catalog"
	"uchi/internal/core/matching"
)

// Two records are made ready, compared, and scored by the weight of evidence: the
// bits of each reason add up.
func ExampleComparer() {
	t := catalog.RecordType{Name: "contact", Fields: []catalog.Field{
		{Name: "given_name", Type: catalog.Text, Likeness: catalog.AsGivenName},
		{Name: "family_name", Type: catalog.Text, Likeness: catalog.AsFamilyName},
		{Name: "email", Type: catalog.Email},
	}}
	c := matching.NewComparer(t, nil)
	a := c.Prepare([]string{"Kari", "Øksnes", "kari@tern.example"})
	b := c.Prepare([]string{"K.", "Oksnes", "kari@tern.example"})
	score := c.Judge(matching.DefaultWeights(), matching.Frequencies{N: 1000}).Compare(&a, &b)
	for _, r := range score.Reasons {
		fmt.Println(r.Kind, r.Level)
	}
	// Output:
	// given_name initial
	// family_name same
	// email same
}
