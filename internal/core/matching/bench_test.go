package matching

import (
	"testing"

	"uchi/bench/labelled"
	"uchi/internal/core/catalog"
)

// BenchmarkPair prepares and compares pairs, as a check does for every candidate.
func BenchmarkPair(b *testing.B) {
	c, err := catalog.Standard()
	if err != nil {
		b.Fatal(err)
	}
	for _, set := range []labelled.Set{labelled.People(5, 2000, 10, .4), labelled.Companies(5, 2000, 10, .4)} {
		rt, _ := c.Type(set.Type)
		cmpr := NewComparer(rt, set.Fields)
		var values [][]string
		for _, r := range set.Records {
			v := make([]string, len(cmpr.Fields))
			for i, f := range cmpr.Fields {
				v[i] = r[f.Name]
			}
			values = append(values, v)
		}
		one := cmpr.Prepare(values[0])
		w := DefaultWeights()
		judge := cmpr.Judge(w, Frequencies{N: 1000, Count: func(int32) int64 { return 1 }})
		b.Run(set.Type+"/prepare", func(b *testing.B) {
			for n := range b.N {
				cmpr.Prepare(values[n%len(values)])
			}
		})
		b.Run(set.Type+"/compare", func(b *testing.B) {
			others := make([]Subject, 100)
			for i := range others {
				others[i] = cmpr.Prepare(values[i])
			}
			for n := range b.N {
				judge.Compare(&one, &others[n%100])
			}
		})
		b.Run(set.Type+"/blocks", func(b *testing.B) {
			for range b.N {
				cmpr.Blocks(&one)
			}
		})
	}
}
