package suggest

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// best tries all ways to give columns from c on to free fields and tells the
// greatest sum of squares.
func best(scores [][]float64, c int, used []bool) float64 {
	if c == len(scores) {
		return 0
	}
	most := best(scores, c+1, used)
	for f, s := range scores[c] {
		if used[f] || s == 0 {
			continue
		}
		used[f] = true
		most = max(most, worth(s)+best(scores, c+1, used))
		used[f] = false
	}
	return most
}

func TestAssignIsBest(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for range 400 {
		columns, fields := 1+r.IntN(6), 1+r.IntN(6) // more columns than fields, and fewer
		scores := make([][]float64, columns)
		for c := range scores {
			scores[c] = make([]float64, fields)
			for f := range scores[c] {
				if r.IntN(3) > 0 {
					scores[c][f] = r.Float64()
				}
			}
		}
		var sum float64
		taken := map[int]bool{}
		for c, f := range assign(scores) {
			if f < 0 {
				continue
			}
			if taken[f] {
				t.Fatalf("field %d twice, of %v", f, scores)
			}
			taken[f] = true
			sum += worth(scores[c][f])
		}
		if want := best(scores, 0, make([]bool, fields)); sum < want-1e-9 {
			t.Fatalf("%v: a sum of %g, want %g", scores, sum, want)
		}
	}
}

// A guess for one column moves no other from where it surely goes.
func TestNoGuessMovesWhatIsCertain(t *testing.T) {
	if got := assign([][]float64{{0.97, 0.59}, {0.92, 0}}); !slices.Equal(got, []int{0, -1}) {
		t.Errorf("%v", got)
	}
	if got := assign([][]float64{{0.97, 0.91}, {0.92, 0}}); !slices.Equal(got, []int{1, 0}) {
		t.Errorf("%v", got)
	}
}

// A sheet of thousands of columns must end in a moment: with the cube of the
// columns this would take minutes.
func TestAssignThousandsOfColumns(t *testing.T) {
	scores := make([][]float64, 20_000)
	for c := range scores {
		scores[c] = make([]float64, 30)
		scores[c][c%30] = float64(c%1000) / 1000
	}
	n := 0
	for _, f := range assign(scores) {
		if f >= 0 {
			n++
		}
	}
	if n != 30 {
		t.Errorf("%d columns have a field, want 30", n)
	}
}
