package verdict

import (
	"testing"

	"uchi/internal/core/mapping"
)

func TestDecide(t *testing.T) {
	for _, c := range []struct {
		may  mapping.May
		c    Case
		want Verdict
	}{
		{mapping.CreateOrUpdate, Case{}, Create}, {mapping.CreateOrUpdate, Case{Found: true}, Same},
		{mapping.CreateOrUpdate, Case{Found: true, Changes: true}, Update},
		{mapping.Create, Case{}, Create}, {mapping.Create, Case{Found: true, Changes: true}, Skip},
		{mapping.Create, Case{Found: true}, Skip},
		{mapping.Update, Case{}, Skip}, {mapping.Update, Case{Found: true, Changes: true}, Update},
		{mapping.Update, Case{Found: true}, Same},
		{mapping.CreateOrUpdate, Case{Problems: true}, Hold},
		{mapping.Update, Case{Problems: true, Found: true, Changes: true}, Hold},
		{mapping.Create, Case{Problems: true}, Hold},
		{mapping.Delete, Case{}, Skip}, {mapping.Delete, Case{Found: true}, Delete},
		{mapping.Delete, Case{Found: true, Problems: true}, Hold},
		{mapping.Update, Case{Question: true}, Ask}, {mapping.CreateOrUpdate, Case{Question: true, Problems: true}, Hold},
		{mapping.Delete, Case{LeftOut: true, Problems: true, Question: true}, Skip},
	} {
		if got := Decide(c.may, c.c); got != c.want {
			t.Errorf("%s %+v: %s, want %s", c.may, c.c, got, c.want)
		}
	}
}

// Every verdict leads to one outcome, and every word has a shape of its own kind.
func TestWordsAreWhole(t *testing.T) {
	for _, v := range All {
		if OutcomeOf(v) == "" || Mark(string(v)) == "" || Mark(string(v)) != Mark(string(OutcomeOf(v))) && v != Ask {
			t.Errorf("%s: outcome %q, shapes %q and %q", v, OutcomeOf(v), Mark(string(v)), Mark(string(OutcomeOf(v))))
		}
	}
	for _, q := range Questions {
		if q.Says() == "" {
			t.Errorf("the question %s says nothing", q)
		}
	}
	for _, r := range []Reason{ByCondition, ByAnswer, AlreadyThere, NothingFound, SeveralThere, Repeated, Merged} {
		if r.Says("CON-1", 4) == "" {
			t.Errorf("the reason %s says nothing", r)
		}
	}
	for _, o := range Outcomes {
		if Mark(string(o)) == "" {
			t.Errorf("%s has no shape", o)
		}
	}
}
