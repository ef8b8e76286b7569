package matching

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"testing"

	"uchi/bench/labelled"
	"uchi/internal/core/catalog"
)

// tally is how well a set was matched.
type tally struct {
	rows, dup             int
	taken, right          int // taken without asking; of these right
	reached               int // duplicates whose record was taken or asked about
	asked, comparisons    int
	missed, wrong, doubts map[string]int
}

func (t tally) String() string {
	return fmt.Sprintf("%d rows, %d of them there: taken %d (%.2f %% right), taken or asked %.2f %% of those there, "+
		"asked %.2f %% of rows, %.1f comparisons a row",
		t.rows, t.dup, t.taken, 100*float64(t.right)/float64(max(t.taken, 1)),
		100*float64(t.reached)/float64(max(t.dup, 1)), 100*float64(t.asked)/float64(t.rows),
		float64(t.comparisons)/float64(t.rows))
}

// match runs a labelled set through blocking, comparison and decision.
func match(t testing.TB, set labelled.Set, w Weights) tally {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	rt, _ := c.Type(set.Type)
	cmpr := NewComparer(rt, set.Fields)
	values := func(m map[string]string) []string {
		out := make([]string, len(cmpr.Fields))
		for i, f := range cmpr.Fields {
			out[i] = m[f.Name]
		}
		return out
	}
	subjects := make([]Subject, len(set.Records))
	blocks, counts := map[int32][]int{}, map[int32]int64{}
	for i, r := range set.Records {
		subjects[i] = cmpr.Prepare(values(r))
		for _, b := range cmpr.Blocks(&subjects[i]) {
			blocks[b] = append(blocks[b], i)
		}
		for _, x := range subjects[i].Terms() {
			counts[x]++
		}
	}
	judge := cmpr.Judge(w, Frequencies{N: int64(len(set.Records)), Count: func(x int32) int64 { return counts[x] }})
	out := tally{missed: map[string]int{}, wrong: map[string]int{}, doubts: map[string]int{}}
	for _, row := range set.Rows {
		out.rows++
		s := cmpr.Prepare(values(row.Values))
		seen := map[int]bool{}
		type hit struct {
			at int
			s  Score
		}
		var hits []hit
		for _, b := range cmpr.Blocks(&s) {
			if len(blocks[b]) > 100 {
				continue
			}
			for _, at := range blocks[b] {
				if !seen[at] {
					seen[at] = true
					out.comparisons++
					if sc := judge.Compare(&s, &subjects[at]); sc.Asked(catalog.DefaultAskAt) {
						hits = append(hits, hit{at, sc})
					}
				}
			}
		}
		slices.SortFunc(hits, func(a, b hit) int { return cmp.Compare(b.s.Bits, a.s.Bits) })
		var scores []Score
		for _, h := range hits {
			scores = append(scores, h.s)
		}
		d := Decide(scores, catalog.DefaultTakeAt, catalog.DefaultAskAt)
		if row.Truth >= 0 {
			out.dup++
		}
		switch d {
		case Found:
			out.taken++
			if hits[0].at == row.Truth {
				out.right++
				out.reached++
			} else {
				out.wrong[row.Kind]++
				if testing.Verbose() {
					t.Logf("WRONG %s\n  row  %v\n  took %v\n  %.1f bits %+v", row.Kind, row.Values, set.Records[hits[0].at],
						hits[0].s.Bits, hits[0].s.Reasons)
				}
			}
		case New:
			if row.Truth >= 0 {
				out.missed[row.Kind]++
				if testing.Verbose() && len(out.missed) < 40 {
					sc := judge.Compare(&s, &subjects[row.Truth])
					t.Logf("MISSED %s blocked=%v\n  row  %v\n  is   %v\n  %.1f bits %+v %v", row.Kind, seen[row.Truth], row.Values,
						set.Records[row.Truth], sc.Bits, sc.Reasons, sc.Against)
				}
			}
		default:
			out.asked++
			if row.Truth < 0 {
				out.doubts["new: "+row.Kind]++
			} else {
				out.doubts["there"]++
			}
			if slices.ContainsFunc(hits[:min(5, len(hits))], func(h hit) bool { return h.at == row.Truth }) {
				out.reached++
			}
			if testing.Verbose() && len(out.doubts) < 12 && out.doubts["there"]%5 == 1 {
				t.Logf("ASKED %s truth=%v\n  row  %v\n  best %v\n  %.1f bits %+v %v", row.Kind, row.Truth, row.Values,
					set.Records[hits[0].at], hits[0].s.Bits, hits[0].s.Reasons, hits[0].s.Against)
			}
		}
	}
	return out
}

func top(m map[string]int) string {
	keys := slices.SortedFunc(maps.Keys(m), func(a, b string) int { return cmp.Compare(m[b], m[a]) })
	var s string
	for _, k := range keys[:min(8, len(keys))] {
		s += fmt.Sprintf("\n    %d %s", m[k], k)
	}
	return s
}

// What is taken without asking is right, what is there is found, and few are
// asked about: on sets of a seed that nothing was tuned to, small and large.
func TestQuality(t *testing.T) {
	for _, records := range []int{300, 6000} {
		for name, set := range map[string]labelled.Set{"people": labelled.People(4242, records, 2500, .4),
			"companies": labelled.Companies(4243, records, 2500, .4)} {
			got := match(t, set, DefaultWeights())
			t.Logf("%s among %d: %s\n  wrong:%s\n  missed:%s\n  asked:%s", name, records, got, top(got.wrong),
				top(got.missed), top(got.doubts))
			if got.right*1000 < got.taken*995 || got.reached*100 < got.dup*95 || got.asked*100 > got.rows*8 {
				t.Errorf("%s among %d: %s", name, records, got)
			}
		}
	}
}
