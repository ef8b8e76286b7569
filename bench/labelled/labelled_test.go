package labelled

import (
	"fmt"
	"testing"
)

// The same seed gives the same set, and the labels hold together.
func TestSets(t *testing.T) {
	for _, make := range []func(seed uint64, records, rows int, share float64) Set{People, Companies} {
		s := make(3, 300, 500, .4)
		if fmt.Sprint(s) != fmt.Sprint(make(3, 300, 500, .4)) {
			t.Error("another set of the same seed")
		}
		if fmt.Sprint(s.Rows[0]) == fmt.Sprint(make(4, 300, 500, .4).Rows[0]) {
			t.Error("the same set of another seed")
		}
		there := 0
		for _, r := range s.Rows {
			if r.Truth >= len(s.Records) || len(r.Values) < 2 {
				t.Fatalf("%+v", r)
			}
			if r.Truth >= 0 {
				there++
			}
		}
		if len(s.Records) != 300 || len(s.Rows) != 500 || there < 150 || there > 250 {
			t.Errorf("%d records, %d rows, %d of them there", len(s.Records), len(s.Rows), there)
		}
	}
}
