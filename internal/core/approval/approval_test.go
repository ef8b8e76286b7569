package approval

import (
	"strings"
	"testing"

	"uchi/internal/core/fault"
)

// Each rule alone asks for a yes, from the number of records behind the limit on, and
// says why; without rules nothing does.
func TestNeeds(t *testing.T) {
	l := Load{Types: []string{"contact", "account"}, Routine: "marinas", Records: 500, Operator: true}
	if got := (Rules{}).Needs(l); got != (Need{}) {
		t.Errorf("without rules: %+v", got)
	}
	for why, r := range map[string]Rules{
		"every load": {Always: true}, "into account": {Types: []string{"account"}}, "routine marinas": {Routines: []string{"marinas"}}, "above 499": {Above: 499}, "at most 499 without an administrator": {OperatorsAbove: 499},
	} {
		got := r.Needs(l)
		if !strings.Contains(got.Why, why) || got.Administrator != (r.OperatorsAbove > 0) {
			t.Errorf("%s: %+v", why, got)
		}
	}
	within := Rules{Types: []string{"lead"}, Routines: []string{"", "other"}, Above: 500, OperatorsAbove: 500}
	if got := within.Needs(l); got != (Need{}) {
		t.Errorf("within all: %+v", got)
	}
	l.Operator = false
	if got := (Rules{OperatorsAbove: 1}).Needs(l); got != (Need{}) {
		t.Errorf("an administrator: %+v", got)
	}
	if err := (Rules{Above: -1}).Check(); !fault.Is(err, "bad_limit") {
		t.Error(err)
	}
}
