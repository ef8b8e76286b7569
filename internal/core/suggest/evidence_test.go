package suggest

import (
	"math"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
)

// Each line of the weights is one, and of something that is looked at: a name that was changed in one place only would
// weigh nothing, and nobody would see it.
func TestEachWeightIsOfSomething(t *testing.T) {
	t.Parallel()
	if lines := strings.Count(weightsText, "\n"); lines != len(weights) || lines < 50 {
		t.Fatalf("%d lines are %d weights", lines, len(weights))
	}
	c := standard(t)
	seen := map[string]bool{}
	for n, s := range wholeSheets(t) {
		if n%every == 0 {
			for _, e := range NewView(s.Columns).Among(c).Evidence(c) {
				for what := range e {
					seen[what] = true
				}
			}
		}
	}
	for what := range weights {
		if !seen[what] {
			t.Errorf("%q has a weight, and nothing is ever said so", what)
		}
	}
}

// What is likely is so beside the others, however large the odds are.
func TestLikelihoods(t *testing.T) {
	got := Likelihoods([]float64{1000, 1000 - math.Log(3), -5})
	if math.Abs(got[0]-0.75) > 1e-9 || math.Abs(got[1]-0.25) > 1e-9 || got[2] != 0 {
		t.Errorf("%v", got)
	}
}

// Who may see no record type is told none.
func TestNoTypesToChooseFrom(t *testing.T) {
	list := NewView(columnsOf("Name=Ada Moe|Bo Lie;E-mail=a@x.example|b@x.example")).Types(catalog.Catalog{}, nothing)
	if name, ok := Sure(list); ok || len(Likely(list)) > 0 {
		t.Errorf("%q, %+v", name, list)
	}
}
