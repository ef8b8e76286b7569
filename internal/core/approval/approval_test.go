package approval

import (
	"strings"
	"testing"

	"uchi/internal/core/fault"
)

// Each rule alone asks for a yes, from the number of records behind the limit on, and
// says why; without rules nothing does.
func TestNeeds(t *testing.T) {
	l := Load{Types: []string{"contact", "account"}, Routine: "marinas", Records: 500, Operator: true,
		Touches: []Touch{{"account", 0, 0}, {"contact", 21, 100}}}
	if got := (Rules{}).Needs(l); got != (Need{}) {
		t.Errorf("without rules: %+v", got)
	}
	for why, r := range map[string]Rules{
		"every load": {Always: true}, "into account": {Types: []string{"account"}},
		"routine marinas": {Routines: []string{"marinas"}}, "above 499": {Above: 499},
		"at most 499 without an administrator": {OperatorsAbove: 499},
		"21 of the 100 records of contact":     {OperatorsShare: 20},
	} {
		got := r.Needs(l)
		if !strings.Contains(got.Why, why) || got.Administrator != (r.OperatorsAbove+r.OperatorsShare > 0) {
			t.Errorf("%s: %+v", why, got)
		}
	}
	within := Rules{Types: []string{"lead"}, Routines: []string{"", "other"}, Above: 500, OperatorsAbove: 500,
		OperatorsShare: 21}
	if got := within.Needs(l); got != (Need{}) {
		t.Errorf("within all: %+v", got)
	}
	l.Operator = false
	if got := (Rules{OperatorsAbove: 1, OperatorsShare: 1}).Needs(l); got != (Need{}) {
		t.Errorf("an administrator: %+v", got)
	}
	for _, r := range []Rules{{Above: -1}, {OperatorsShare: -1}, {OperatorsShare: 101}} {
		if err := r.Check(); !fault.Is(err, "bad_limit") {
			t.Errorf("%+v: %v", r, err)
		}
	}
}
