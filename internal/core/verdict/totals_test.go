package verdict

import (
	"reflect"
	"testing"
)

// What is said of a row goes from one count to another, and no empty count stays.
func TestTotalsChange(t *testing.T) {
	all := Totals{Rows: 3, Verdicts: map[string]int64{"create": 2, "hold": 1},
		Problems: []ProblemCount{{Code: "bad_email", Field: "email", Count: 1}},
		Changes:  []FieldCount{{Field: "phone", Count: 4, Over: 2}},
		Drafts:   []DraftCount{{Name: "contact", Verdicts: map[string]int64{"create": 2}}}}
	was := Totals{Rows: 1, Verdicts: map[string]int64{"hold": 1},
		Problems: []ProblemCount{{Code: "bad_email", Field: "email", Count: 1}}, Drafts: []DraftCount{{Name: "contact"}}}
	now := Totals{Rows: 1, Verdicts: map[string]int64{"update": 1},
		Problems: []ProblemCount{{Code: "bad_date", Field: "birthday", Count: 1, Light: true}},
		Changes:  []FieldCount{{Field: "phone", Count: 1, Over: 1}}, Reasons: []ReasonCount{{Reason: ByAnswer, Count: 1}},
		Drafts: []DraftCount{{Name: "contact", Verdicts: map[string]int64{"update": 1}}}}
	want := Totals{Rows: 3, Verdicts: map[string]int64{"create": 2, "update": 1},
		Problems: []ProblemCount{{Code: "bad_date", Field: "birthday", Count: 1, Light: true}},
		Changes:  []FieldCount{{Field: "phone", Count: 5, Over: 3}},
		Reasons:  []ReasonCount{{Reason: ByAnswer, Count: 1}},
		Drafts:   []DraftCount{{Name: "contact", Verdicts: map[string]int64{"create": 2, "update": 1}}}}
	if got := all.Changed(was, now); !reflect.DeepEqual(got, want) {
		t.Errorf("got  %+v\nwant %+v", got, want)
	}
	if back := want.Changed(now, was); !reflect.DeepEqual(back.Verdicts, all.Verdicts) ||
		!reflect.DeepEqual(back.Problems, all.Problems) || !reflect.DeepEqual(back.Changes, all.Changes) {
		t.Errorf("there and back: %+v, want %+v", back, all)
	}
}

// A problem is counted at whatever field it was noted.
func TestProblemsOfACode(t *testing.T) {
	totals := Totals{Problems: []ProblemCount{{Code: "bad_email", Field: "email", Count: 3}, {Code: "bad_date", Field: "birthday", Count: 1},
		{Code: "bad_email", Field: "contact.email", Count: 4, Light: true}}}
	for code, want := range map[string]int64{"bad_email": 7, "bad_date": 1, "bad_phone": 0} {
		if got := totals.Problem(code); got != want {
			t.Errorf("%s: %d, want %d", code, got, want)
		}
	}
}
