package verdict

import (
	"cmp"
	"slices"
)

// Changed gives totals in which what is said of some rows has changed: what was
// said of them goes, what is said now comes.
func (t Totals) Changed(was, now Totals) Totals {
	out := t
	out.Rows += now.Rows - was.Rows
	out.Partly += now.Partly - was.Partly
	out.Verdicts = changedCounts(t.Verdicts, was.Verdicts, now.Verdicts)
	out.Problems = changed(t.Problems, was.Problems, now.Problems,
		func(p ProblemCount) ProblemCount { p.Count = 0; return p },
		func(a *ProblemCount, b ProblemCount, sign int64) { a.Count += sign * b.Count },
		func(p ProblemCount) bool { return p.Count == 0 })
	slices.SortFunc(out.Problems, func(a, b ProblemCount) int {
		return cmp.Or(bools(a.Light, b.Light), cmp.Compare(b.Count, a.Count), cmp.Compare(a.Code, b.Code),
			cmp.Compare(a.Field, b.Field))
	})
	out.Changes = changed(t.Changes, was.Changes, now.Changes,
		func(c FieldCount) FieldCount { c.Count, c.Over = 0, 0; return c },
		func(a *FieldCount, b FieldCount, sign int64) {
			a.Count, a.Over = a.Count+sign*b.Count, a.Over+sign*b.Over
		},
		func(c FieldCount) bool { return c.Count == 0 })
	out.Asked = changed(t.Asked, was.Asked, now.Asked,
		func(c AskedCount) AskedCount { c.Count = 0; return c },
		func(a *AskedCount, b AskedCount, sign int64) { a.Count += sign * b.Count },
		func(c AskedCount) bool { return c.Count == 0 })
	slices.SortFunc(out.Asked, func(a, b AskedCount) int { return cmp.Compare(a.Kind, b.Kind) })
	out.Reasons = changed(t.Reasons, was.Reasons, now.Reasons,
		func(c ReasonCount) ReasonCount { c.Count = 0; return c },
		func(a *ReasonCount, b ReasonCount, sign int64) { a.Count += sign * b.Count },
		func(c ReasonCount) bool { return c.Count == 0 })
	slices.SortFunc(out.Reasons, func(a, b ReasonCount) int { return cmp.Compare(a.Reason, b.Reason) })
	out.Drafts = slices.Clone(t.Drafts)
	for n := range out.Drafts {
		if n < len(was.Drafts) && n < len(now.Drafts) {
			out.Drafts[n].Verdicts = changedCounts(t.Drafts[n].Verdicts, was.Drafts[n].Verdicts, now.Drafts[n].Verdicts)
			out.Drafts[n].Gone = now.Drafts[n].Gone // of all rows
		}
	}
	return out
}

func bools(a, b bool) int {
	switch {
	case a == b:
		return 0
	case b:
		return -1
	}
	return 1
}

func changedCounts(all, was, now map[string]int64) map[string]int64 {
	out := map[string]int64{}
	for w, n := range all {
		out[w] = n
	}
	for w, n := range was {
		out[w] -= n
	}
	for w, n := range now {
		out[w] += n
	}
	for w, n := range out {
		if n == 0 {
			delete(out, w)
		}
	}
	return out
}

// changed changes a list of counts; bare is what a count counts, add puts one to
// another with a sign, none tells that nothing is left of it.
func changed[T comparable](all, was, now []T, bare func(T) T, add func(a *T, b T, sign int64), none func(T) bool) []T {
	out := slices.Clone(all)
	put := func(list []T, sign int64) {
		for _, x := range list {
			at := slices.IndexFunc(out, func(y T) bool { return bare(y) == bare(x) })
			if at < 0 {
				out = append(out, bare(x))
				at = len(out) - 1
			}
			add(&out[at], x, sign)
		}
	}
	put(was, -1)
	put(now, 1)
	out = slices.DeleteFunc(out, none)
	if out == nil && all != nil {
		return []T{}
	}
	return out
}
