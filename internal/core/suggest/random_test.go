package suggest

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest/sheets"
)

// anySheet puts columns of many sheets together by chance, each with another header.
func anySheet(r *rand.Rand, all []sheets.Sheet) (columns []sheet.Column) {
	seen := map[string]bool{}
	for range 1 + r.IntN(14) {
		from := all[r.IntN(len(all))]
		col := from.Columns[r.IntN(len(from.Columns))]
		if r.IntN(8) == 0 { // the cells of another
			header := col.Header
			other := all[r.IntN(len(all))]
			col = other.Columns[r.IntN(len(other.Columns))]
			col.Header = header
		}
		if r.IntN(12) == 0 {
			col.Header = fmt.Sprint("F", r.IntN(30))
		}
		if seen[col.Header] {
			continue
		}
		seen[col.Header] = true
		col.Position = len(columns)
		columns = append(columns, col)
	}
	return columns
}

// Whatever columns stand in a sheet, what is suggested of it is a routine that can be carried out: each column is
// there, each field is given once, what is taken is as sure as is said, and no record type or further record ends in
// an error.
func TestWhateverIsSuggestedCanBeCarriedOut(t *testing.T) {
	t.Parallel()
	c := standard(t)
	none := func(string) Memory { return nil }
	all := wholeSheets(t)
	for seed := range uint64(250) {
		r := rand.New(rand.NewPCG(seed, 11))
		columns := anySheet(r, all)
		var headers []string
		there := map[string]bool{}
		for _, col := range columns {
			headers = append(headers, col.Header)
			there[col.Header] = true
		}
		say := func(what string, args ...any) {
			t.Helper()
			t.Errorf("seed %d, %q: %s", seed, headers, fmt.Sprintf(what, args...))
		}
		rt := c.Types[r.IntN(len(c.Types))]
		view := NewView(columns).Among(c)
		list := view.Across([]Target{{Type: rt}})
		given := map[string]int{}
		for _, s := range list {
			if !there[s.Column] {
				say("%q is suggested, and is no column", s.Column)
			}
			if s.Confidence <= 0 || s.Confidence > 1 || s.Taken != (s.Confidence >= certain) || s.Reason == "" {
				say("%+v", s)
			}
			if s.Taken && !s.joins && s.Fixed == "" && s.When == nil && s.Take == "" {
				if given[s.Field]++; given[s.Field] > 1 {
					say("%s of %s is given twice: %+v", s.Field, rt.Name, list)
				}
			}
			if s.Taken && len(s.Others) > 0 {
				say("%q is taken, and may be something else: %+v", s.Column, s)
			}
			for n, o := range s.Others {
				if o.Field == s.Field || n >= mostOthers {
					say("%q may be %+v beside %+v", s.Column, o, s)
				}
			}
		}
		routine := Routine(rt, list)
		if err := routine.Check(c, headers); err != nil {
			say("as %s: %v", rt.Name, err)
			continue
		}
		if _, err := mapping.NewPlan(routine, c, columns); err != nil {
			say("as %s: %v", rt.Name, err)
		}
		further := c.Types[r.IntN(len(c.Types))]
		if further.Name == rt.Name {
			continue
		}
		both := view.WithDraft(routine, c, mapping.Draft{Type: further.Name}, none)
		if err := both.Check(c, headers); err != nil {
			say("as %s with %s: %v", rt.Name, further.Name, err)
			continue
		}
		var targets []Target
		for _, d := range both.Drafts {
			t, _ := c.Type(d.Type)
			targets = append(targets, Target{Draft: d.Called(), Type: t})
		}
		asked := view.Across(targets) // such as whether an amount is that of the deal or of its lines
		for _, col := range columns { // what was placed is not lost
			told := slices.ContainsFunc(asked, func(s Suggestion) bool { return s.Column == col.Header })
			if placesOf(c, routine, col.Header, false) != "" && placesOf(c, both, col.Header, false) == "" && !told {
				say("with %s, %q goes nowhere, and went to %s of %s before", further.Name, col.Header, placesOf(c, routine, col.Header, false), rt.Name)
			}
		}
		// The same columns, looked at once more, are the same.
		if again := NewView(columns).Among(c).Across([]Target{{Type: rt}}); fmt.Sprint(again) != fmt.Sprint(list) {
			say("as %s it is read as %+v and as %+v", rt.Name, list, again)
		}
	}
}
