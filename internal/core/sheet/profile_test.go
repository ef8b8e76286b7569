package sheet

import (
	"fmt"
	"testing"
)

// Numbers that are all different are known to be also where they are too many to be counted, and others are not.
func TestAllDiffer(t *testing.T) {
	for _, n := range []int{3, 500, 700, 30_000, 200_000} {
		p := NewProfiler([]string{"Own", "Twice", "Few"})
		for i := range n {
			p.Add(Row{Number: int64(i + 2), Cells: []string{fmt.Sprint("A-", i), fmt.Sprint("B-", i/2), fmt.Sprint(i % 2)}})
		}
		columns, _ := p.Profile()
		for at, want := range []bool{true, false, false} {
			if c := columns[at]; c.AllDiffer() != want {
				t.Errorf("%d rows, %s: %v, of %d filled %d different", n, c.Header, c.AllDiffer(), c.Filled, c.Distinct)
			}
		}
	}
}
