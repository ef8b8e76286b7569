package work

import (
	"strings"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// Words by which rows, questions and imports are looked for are refused where nothing can have them, with those that
// there are: who has mistyped one is not told that there is nothing.
func TestFiltersNameWhatThereIs(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", messy))
	for code, x := range map[string]struct {
		f    staging.RowFilter
		mend string
	}{
		"unknown_verdict": {staging.RowFilter{Verdict: "held"}, "create, update"},
		"unknown_outcome": {staging.RowFilter{Outcome: "hold"}, "It is a verdict"},
		"unknown_problem": {staging.RowFilter{Problem: "bad_mail"}, "bad_email"},
	} {
		_, err := Filter(i, "", x.f)
		if f, ok := fault.From(err); !ok || f.Code != code || !strings.Contains(f.Mend, x.mend) {
			t.Errorf("%+v: %v, want %s and %q", x.f, err, code, x.mend)
		}
	}
	if _, err := Filter(i, "Shoe", staging.RowFilter{Text: "44"}); !fault.Is(err, "unknown_column") {
		t.Errorf("a column that is not there: %v", err)
	}
	if f, err := Filter(i, i.Headers()[1], staging.RowFilter{Verdict: "hold", Problem: "bad_email"}); err != nil || f.In != 2 {
		t.Errorf("what there is: %+v, %v", f, err)
	}
	for kind, want := range map[string]string{"": "", "alike": "", "repeat": "", "never": "unknown_kind"} {
		if err := MustBeQuestions(kind); want == "" && err != nil || want != "" && !fault.Is(err, want) {
			t.Errorf("questions of the kind %q: %v", kind, err)
		}
	}
	for want, f := range map[string]store.ImportFilter{
		"unknown_state": {States: []string{"ready", "asleep"}, Limit: 9}, "unknown_record_type": {Into: "contcat", Limit: 9},
	} {
		if _, err := b.work.Imports(b.Context(), "main", f); !fault.Is(err, want) {
			t.Errorf("%+v: %v, want %s", f, err, want)
		}
	}
	list, err := b.work.Imports(b.Context(), "main", store.ImportFilter{States: []string{"ready"}, Into: "contact", Limit: 9})
	b.ok(err)
	b.want(len(list), 1)
	list, err = b.work.Imports(b.Context(), "main", store.ImportFilter{States: []string{"loaded"}, Limit: 9})
	b.ok(err)
	b.want(len(list), 0)
}
