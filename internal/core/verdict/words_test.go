package verdict

import (
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
)

// Every word that a person may meet says something of its own.
func TestEveryWordSaysSomething(t *testing.T) {
	said := map[string]string{}
	say := func(what, s string) {
		t.Helper()
		if s == "" || strings.HasSuffix(s, ".") || strings.TrimSpace(s) != s {
			t.Errorf("%s: %q", what, s)
		}
		if other, is := said[s]; is {
			t.Errorf("%s and %s say the same: %q", what, other, s)
		}
		said[s] = what
	}
	for _, q := range Questions {
		say(string(q), q.Says())
	}
	reasons := append(slices.Clone(Again), Repeated, Merged, Grouped)
	for _, r := range reasons {
		say(string(r), r.Summary())
	}
	for _, w := range []UndoWhy{ChangedSince, ReferredTo, KeyTaken, Refused} {
		say(string(w), w.Says())
	}
	if Question("other").Says() != "" || Reason("other").Says("x", 1) != "" || UndoWhy("other").Says() != "" {
		t.Error("what is not there says something")
	}
	for reason, want := range map[Reason]string{
		Repeated: "row 12 stands for the same record", Grouped: "the row belongs to the record of row 12",
		Merged: "its values are in row 12, which is for the same record", AlreadyThere: "the record is already there: Ada, CON-3",
	} {
		if got := reason.Says("Ada, CON-3", 12); got != want {
			t.Errorf("%s: %q, want %q", reason, got, want)
		}
	}
}

// Every verdict leads to an outcome, and those that differ to a person differ.
func TestEveryVerdictHasItsOutcome(t *testing.T) {
	want := map[Verdict]Outcome{Create: Created, Update: Updated, Delete: Deleted, Same: Unchanged, Skip: Skipped, Ask: Held, Hold: Held}
	if len(want) != len(All) {
		t.Fatalf("%d verdicts are known here, and there are %d", len(want), len(All))
	}
	for _, v := range All {
		if got := OutcomeOf(v); got != want[v] {
			t.Errorf("%s: %s, want %s", v, got, want[v])
		}
		if !slices.Contains(Outcomes, OutcomeOf(v)) {
			t.Errorf("%s becomes %s, which is not listed", v, OutcomeOf(v))
		}
	}
}

// What an undo does is said of one and of many.
func TestUndoSays(t *testing.T) {
	for _, x := range []struct {
		act             UndoAct
		why             UndoWhy
		records, values int64
		want            string
	}{
		{Remove, "", 1, 0, "1 contact goes"},
		{Remove, "", 12, 0, "12 contacts go"},
		{Remove, ReferredTo, 1, 0, "1 contact stays: other records refer to it now"},
		{Remove, ChangedSince, 3, 0, "3 contacts stay: changed by somebody else since"},
		{Return, "", 1, 1, "1 value of 1 contact returns"},
		{Return, "", 2, 5, "5 values of 2 contacts return"},
		{Return, KeyTaken, 1, 1, "1 value of 1 contact stays: another record has its key now"},
		{Return, ChangedSince, 2, 3, "3 values of 2 contacts stay: changed by somebody else since"},
		{BringBack, "", 1, 0, "1 contact comes back"},
		{BringBack, "", 4, 0, "4 contacts come back"},
		{BringBack, KeyTaken, 1, 0, "1 contact stays deleted: another record has its key now"},
		{BringBack, Refused, 2, 0, "2 contacts stay deleted: the database refuses it"},
	} {
		if got := UndoSays(x.act, "Contact", "Contacts", x.why, x.records, x.values); got != x.want {
			t.Errorf("%+v: %q", x, got)
		}
	}
}

// said is what a check says of one row, for the counts below.
type said struct {
	verdict  Verdict
	problems []ProblemCount
	changes  []FieldCount
	asked    Question
	reason   Reason
}

// countIn gives the count in a list that is of something, and begins one where there is none.
func countIn[T any](list *[]T, of T, is func(T) bool) *T {
	at := slices.IndexFunc(*list, is)
	if at < 0 {
		*list = append(*list, of)
		at = len(*list) - 1
	}
	return &(*list)[at]
}

// counted counts what is said of rows from the beginning.
func counted(rows []said) Totals {
	t := Totals{Rows: int64(len(rows)), Verdicts: map[string]int64{}, Drafts: []DraftCount{{Name: "contact", Verdicts: map[string]int64{}}}}
	for _, x := range rows {
		t.Verdicts[string(x.verdict)]++
		t.Drafts[0].Verdicts[string(x.verdict)]++
		for _, p := range x.problems {
			countIn(&t.Problems, ProblemCount{Code: p.Code, Field: p.Field, Light: p.Light},
				func(o ProblemCount) bool { return o.Code == p.Code && o.Field == p.Field && o.Light == p.Light }).Count++
		}
		for _, c := range x.changes {
			n := countIn(&t.Changes, FieldCount{Field: c.Field}, func(o FieldCount) bool { return o.Field == c.Field })
			n.Count += c.Count
			n.Over += c.Over
		}
		if x.asked != "" {
			countIn(&t.Asked, AskedCount{Kind: x.asked}, func(o AskedCount) bool { return o.Kind == x.asked }).Count++
		}
		if x.reason != "" {
			countIn(&t.Reasons, ReasonCount{Reason: x.reason}, func(o ReasonCount) bool { return o.Reason == x.reason }).Count++
		}
	}
	return t
}

// anyRow says something of a row by chance.
func anyRow(r *rand.Rand) said {
	x := said{verdict: All[r.IntN(len(All))]}
	for _, code := range []string{"bad_email", "bad_date", "link_not_found"} {
		if r.IntN(3) == 0 {
			x.problems = append(x.problems, ProblemCount{Code: code, Field: []string{"email", "birthday"}[r.IntN(2)], Light: r.IntN(2) == 0, Count: 1})
		}
	}
	for _, f := range []string{"phone", "email", "street"} {
		if r.IntN(3) == 0 {
			x.changes = append(x.changes, FieldCount{Field: f, Count: 1, Over: int64(r.IntN(2))})
		}
	}
	switch x.verdict {
	case Ask:
		x.asked = Questions[r.IntN(len(Questions))]
	case Skip:
		x.reason = Again[r.IntN(len(Again))]
	}
	return x
}

// plain are totals as they compare: no count of nothing, in one order.
func plain(t Totals) Totals {
	slices.SortFunc(t.Problems, func(a, b ProblemCount) int {
		return strings.Compare(a.Code+a.Field+map[bool]string{true: "1"}[a.Light], b.Code+b.Field+map[bool]string{true: "1"}[b.Light])
	})
	slices.SortFunc(t.Changes, func(a, b FieldCount) int { return strings.Compare(a.Field, b.Field) })
	slices.SortFunc(t.Asked, func(a, b AskedCount) int { return strings.Compare(string(a.Kind), string(b.Kind)) })
	slices.SortFunc(t.Reasons, func(a, b ReasonCount) int { return strings.Compare(string(a.Reason), string(b.Reason)) })
	if len(t.Problems) == 0 {
		t.Problems = nil
	}
	if len(t.Changes) == 0 {
		t.Changes = nil
	}
	if len(t.Asked) == 0 {
		t.Asked = nil
	}
	if len(t.Reasons) == 0 {
		t.Reasons = nil
	}
	return t
}

// However often some rows are looked at again, the counts are those of the rows as they stand.
func TestTotalsOfRowsThatAreLookedAtAgain(t *testing.T) {
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 7))
		rows := make([]said, 1+r.IntN(20))
		for n := range rows {
			rows[n] = anyRow(r)
		}
		totals := counted(rows)
		for range 6 {
			var was, now []said
			for _, n := range r.Perm(len(rows))[:r.IntN(len(rows)+1)] {
				was = append(was, rows[n])
				rows[n] = anyRow(r)
				now = append(now, rows[n])
			}
			totals = totals.Changed(counted(was), counted(now))
			if got, want := plain(totals), plain(counted(rows)); !reflect.DeepEqual(got, want) {
				t.Fatalf("seed %d:\ngot  %+v\nwant %+v", seed, got, want)
			}
		}
	}
}
