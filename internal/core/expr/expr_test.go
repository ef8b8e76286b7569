package expr

import (
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/problem"
)

func TestStandardRules(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	for _, rt := range c.Types {
		if _, err := CompileRules(rt); err != nil {
			t.Errorf("%s: %v", rt.Name, err)
		}
	}
	opp, _ := c.Type("opportunity")
	rules, err := CompileRules(opp)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range []struct {
		values map[string]string
		broken int
	}{{map[string]string{"stage": "lost"}, 1}, {map[string]string{"stage": "lost", "loss_reason": "price"}, 0},
		{map[string]string{"stage": "won"}, 0}, {nil, 0}} {
		got := rules.Judge(x.values)
		if len(got) != x.broken || len(got) == 1 && (got[0].Code != problem.RuleBroken || got[0].Field != "loss_reason") {
			t.Errorf("%v: %+v", x.values, got)
		}
	}
}

func TestRuleTypes(t *testing.T) {
	rt := catalog.RecordType{Name: "x", Fields: []catalog.Field{{Name: "n", Type: catalog.Money},
		{Name: "ok", Type: catalog.YesNo}, {Name: "s", Type: catalog.Text}},
		Rules: []catalog.RecordRule{{Name: "r", Condition: `n > 10.0 && ok || s == "free"`, Message: "m"}}}
	rules, err := CompileRules(rt)
	if err != nil {
		t.Fatal(err)
	}
	for want, values := range map[int]map[string]string{0: {"n": "12.50", "ok": "true"},
		1: {"n": "12.50", "ok": "false"}} {
		if got := len(rules.Judge(values)); got != want {
			t.Errorf("%v: %d broken, want %d", values, got, want)
		}
	}
	for _, bad := range []string{"n >", "n + 1.0", "unknown == 1"} {
		rt.Rules[0].Condition = bad
		if _, err := CompileRules(rt); !fault.Is(err, "bad_condition") {
			t.Errorf("%q: %v", bad, err)
		}
	}
}
