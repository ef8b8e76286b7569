package feed

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/core/verdict"
)

// A limit is read as it is written, and what is none says so.
func TestLimits(t *testing.T) {
	for text, want := range map[string]Limit{
		"": {}, "  ": {}, "0": {true, 0, false}, "20": {true, 20, false}, "5%": {true, 5, true}, " 5 % ": {true, 5, true},
		"2.5 %": {true, 2.5, true}, "0 %": {true, 0, true}, "250%": {true, 250, true},
	} {
		got, err := ParseLimit(text)
		if err != nil || got != want {
			t.Errorf("%q: %+v, %v, want %+v", text, got, err, want)
		}
		if back, err := ParseLimit(got.String()); err != nil || back != got {
			t.Errorf("%q is written %q, which reads %+v, %v", text, got, back, err)
		}
	}
	for _, text := range []string{"-1", "many", "5 percent", "%", "1.5", "NaN", "Inf %", "1e400", "5 % %", "5,5 %"} {
		if got, err := ParseLimit(text); !fault.Is(err, "bad_limit") {
			t.Errorf("%q: %+v, %v", text, got, err)
		}
	}
	// As it stands in a routine and over the API.
	var b Bounds
	if err := json.Unmarshal([]byte(`{"held": "5 %", "new": "20", "touched": ""}`), &b); err != nil || b.Held != (Limit{true, 5, true}) ||
		b.New != (Limit{true, 20, false}) || b.Touched.Set {
		t.Errorf("%+v, %v", b, err)
	}
	if text, err := json.Marshal(b); err != nil || !strings.Contains(string(text), `"held":"5 %"`) {
		t.Errorf("%s, %v", text, err)
	}
	if err := json.Unmarshal([]byte(`{"held": "some"}`), &b); err == nil {
		t.Error("a limit of some is taken")
	}
}

// What must be a share is not taken as a number.
func TestSharesOfBounds(t *testing.T) {
	if err := UsualBounds.Check(); err != nil {
		t.Error(err)
	}
	for _, b := range []Bounds{{Touched: Limit{true, 25, false}}, {Size: Limit{true, 50, false}}} {
		if err := b.Check(); !fault.Is(err, "bad_limit") {
			t.Errorf("%+v: %v", b, err)
		}
	}
}

// passedBy lists the bounds that a file has passed.
func passedBy(b Bounds, f Found) (list []string) {
	for _, x := range b.Judge(f) {
		if x.Says == "" || strings.HasSuffix(x.Says, ".") {
			list = append(list, "says "+x.Says)
		}
		list = append(list, x.Bound)
	}
	return list
}

// Each bound is passed by what it is for, just above it and not at it.
func TestJudge(t *testing.T) {
	verdicts := func(v verdict.Verdict, n int64) Found {
		return Found{Rows: 100, Verdicts: map[string]int64{string(v): n}, Records: 1000}
	}
	tenth, ten := Limit{true, 10, true}, Limit{true, 10, false}
	gone := func(n int64) Found { f := verdicts(verdict.Same, 90); f.Removes = n; return f }
	for name, x := range map[string]struct {
		b    Bounds
		f    Found
		want string
	}{
		"nothing limits":         {Bounds{}, verdicts(verdict.Hold, 100), ""},
		"held, at it":            {Bounds{Held: tenth}, verdicts(verdict.Hold, 10), ""},
		"held, above":            {Bounds{Held: tenth}, verdicts(verdict.Hold, 11), "held"},
		"asked, above":           {Bounds{Held: tenth}, verdicts(verdict.Ask, 11), "held"},
		"held by number":         {Bounds{Held: ten}, verdicts(verdict.Hold, 11), "held"},
		"new":                    {Bounds{New: ten}, verdicts(verdict.Create, 11), "new"},
		"new, other verdicts":    {Bounds{New: ten}, verdicts(verdict.Update, 99), ""},
		"changed":                {Bounds{Changed: ten}, verdicts(verdict.Update, 11), "changed"},
		"none may be deleted":    {Bounds{Deleted: Limit{Set: true}}, verdicts(verdict.Delete, 1), "deleted"},
		"none are":               {Bounds{Deleted: Limit{Set: true}}, verdicts(verdict.Update, 50), ""},
		"children that are gone": {Bounds{Deleted: Limit{Set: true}}, gone(1), "deleted"},
		"touched, at it":         {Bounds{Touched: tenth}, verdicts(verdict.Update, 100), ""},
		"touched, above": {Bounds{Touched: tenth}, Found{Rows: 200, Records: 1000,
			Verdicts: map[string]int64{"update": 60, "delete": 41}}, "touched"},
		"touched of no records": {Bounds{Touched: tenth}, Found{Rows: 9, Verdicts: map[string]int64{"update": 9}}, ""},
		"as long as the last":   {Bounds{Size: tenth}, Found{Rows: 110, Last: 100}, ""},
		"longer":                {Bounds{Size: tenth}, Found{Rows: 111, Last: 100}, "size"},
		"shorter":               {Bounds{Size: tenth}, Found{Rows: 89, Last: 100}, "size"},
		"empty":                 {Bounds{Size: tenth}, Found{Rows: 0, Last: 100}, "size"},
		"the first file":        {Bounds{Size: tenth}, Found{Rows: 5}, ""},
		"missing":               {Bounds{}, Found{Missing: []string{"E-mail"}}, "missing columns"},
		"missing may be":        {Bounds{WithoutSome: true}, Found{Missing: []string{"E-mail"}}, ""},
		"other":                 {Bounds{}, Found{Other: []string{"Shoe"}}, "other columns"},
		"other may be":          {Bounds{OtherColumns: true}, Found{Other: []string{"Shoe"}}, ""},
		"words":                 {Bounds{}, Found{Values: []string{"Stage: maybe"}}, "new values"},
		"words may be":          {Bounds{AnyValues: true}, Found{Values: []string{"Stage: maybe"}}, ""},
		"cells of another kind": {Bounds{WithoutSome: true, AnyValues: true, OtherColumns: true}, Found{Unlike: []string{"Phone holds e-mails"}}, "unlike columns"},
		"another table":         {Bounds{}, Found{Another: 12}, "another table"},
	} {
		if got := strings.Join(passedBy(x.b, x.f), ", "); got != x.want {
			t.Errorf("%s: %q, want %q", name, got, x.want)
		}
	}
	all := Bounds{Held: ten, New: ten, Changed: ten, Deleted: ten, Touched: tenth, Size: tenth}
	f := Found{Rows: 300, Last: 100, Records: 100, Removes: 3, Missing: []string{"a"}, Other: []string{"b"}, Values: []string{"c"},
		Unlike: []string{"d"}, Another: 7, Verdicts: map[string]int64{"hold": 20, "ask": 5, "create": 40, "update": 50, "delete": 30}}
	want := "missing columns, other columns, new values, unlike columns, another table, held, new, changed, deleted, touched, size"
	if got := strings.Join(passedBy(all, f), ", "); got != want {
		t.Errorf("all at once: %s", got)
	}
}

// More of what a bound is for never brings a file back within it.
func TestJudgeIsNeverLenientWithMore(t *testing.T) {
	limit := func(r *rand.Rand) Limit {
		switch r.IntN(3) {
		case 0:
			return Limit{}
		case 1:
			return Limit{true, float64(r.IntN(30)), false}
		}
		return Limit{true, float64(r.IntN(40)), true}
	}
	for seed := range uint64(500) {
		r := rand.New(rand.NewPCG(seed, 3))
		b := Bounds{Held: limit(r), New: limit(r), Changed: limit(r), Deleted: limit(r), WithoutSome: true, OtherColumns: true}
		f := Found{Rows: 100, Records: int64(r.IntN(500)), Verdicts: map[string]int64{}}
		for _, v := range verdict.All {
			f.Verdicts[string(v)] = int64(r.IntN(20))
		}
		before := passedBy(b, f)
		v := verdict.All[r.IntN(len(verdict.All))]
		more := f
		more.Verdicts = map[string]int64{}
		for k, n := range f.Verdicts {
			more.Verdicts[k] = n
		}
		more.Verdicts[string(v)] += int64(1 + r.IntN(30))
		after := passedBy(b, more)
		for _, bound := range before {
			if !slices.Contains(after, bound) {
				t.Fatalf("seed %d: with more rows that %s, %q is no longer passed: %v, %v", seed, v, bound, before, after)
			}
		}
	}
}

// A long list of what is wrong does not fill the notice.
func TestBreachesAreShort(t *testing.T) {
	var many []string
	for n := range 400 {
		many = append(many, fmt.Sprint("Column ", n))
	}
	for _, x := range (Bounds{}).Judge(Found{Missing: many, Other: many, Values: many, Unlike: many}) {
		if len(x.Says) > 400 {
			t.Errorf("%s: %d letters", x.Bound, len(x.Says))
		}
	}
}
