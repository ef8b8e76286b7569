package api

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"reflect"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/matching"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"
	"uchi/internal/work"
)

// Every role named for an operation is for one that there is, reading needs no
// more than a viewer, and changing things needs at least an operator.
func TestRolesOfOperations(t *testing.T) {
	operations := map[string]bool{}
	rt := reflect.TypeOf((*StrictServerInterface)(nil)).Elem()
	for i := range rt.NumMethod() {
		operations[rt.Method(i).Name] = true
	}
	for name, role := range needs {
		if !operations[name] {
			t.Errorf("there is no operation %s", name)
		}
		if role != "" && !role.Valid() {
			t.Errorf("%s needs the role %q", name, role)
		}
	}
	for name := range operations {
		if _, named := needs[name]; !named {
			t.Errorf("no role is named for %s", name)
		}
	}
}

// A request that the service cuts off when it stops is never answered as if it had been done.
func TestRequestsThatAreCutOff(t *testing.T) {
	ctx, stop := context.WithCancel(t.Context())
	stop()
	s := &Server{opt: Options{Log: slog.New(slog.DiscardHandler)}}
	w := httptest.NewRecorder()
	s.problem(w, httptest.NewRequestWithContext(ctx, http.MethodDelete, "/", nil), fmt.Errorf("discard: %w", ctx.Err()))
	if w.Code != http.StatusServiceUnavailable || !strings.Contains(w.Body.String(), "service_stopping") {
		t.Errorf("answered %d %s", w.Code, w.Body)
	}
}

func TestCursors(t *testing.T) {
	for _, n := range []int64{1, 35, 36, 1_000_000, 1 << 60} {
		if got, err := cursorOf(cursorTo(n)); err != nil || got != n {
			t.Errorf("%d came back as %d, %v", n, got, err)
		}
	}
	if _, err := cursorOf("not one!"); err == nil {
		t.Error("any text is a cursor")
	}
	if n, err := cursorOf(""); n != 0 || err != nil {
		t.Error("no cursor is the beginning")
	}
}

func TestLimits(t *testing.T) {
	for in, want := range map[int]int{0: 50, -3: 50, 7: 7, 500: 500, 501: 500, 1_000_000: 500} {
		if got := limitOf(in, 50); got != want {
			t.Errorf("%d: %d, want %d", in, got, want)
		}
	}
}

func TestRowView(t *testing.T) {
	v, rec, was, now := verdict.Update, int64(7), "a", "b"
	row := staging.GridRow{Row: 3, Cells: store.JSON[[]string]{V: []string{"x"}}, Verdict: &v,
		Drafts: []staging.RowDraft{{Name: "contact", Type: "contact", Verdict: &v, Record: &rec,
			Changes: store.JSON[map[string][2]*string]{V: map[string][2]*string{"b": {nil, &now}, "a": {&was, &now}}}}},
		Problems: []problem.Problem{{Code: problem.BadEmail, Field: "email", Column: "Mail", Value: "x",
			Detail: "there is no @ in it"}}}
	c := catalog.Catalog{Types: []catalog.RecordType{{Name: "contact", Prefix: "CON",
		Fields: []catalog.Field{{Name: "a"}, {Name: "b"}}}}}
	got := rowView(row, c)
	if got.Record != "CON-7" || got.Verdict != verdict.Update || len(got.Problems) != 1 || got.Problems[0].Mend == "" {
		t.Errorf("%+v", got)
	}
	if want := []Change{{Field: "a", Before: "a", After: "b"}, {Field: "b", After: "b"}}; !slices.Equal(got.Changes,
		want) {
		t.Errorf("changes %+v, want %+v in the order of the type", got.Changes, want)
	}
}

// A question says in words what speaks for and against each candidate, what
// speaks most first.
func TestQuestionView(t *testing.T) {
	t0 := catalog.RecordType{Name: "contact", Prefix: "CON",
		Fields: []catalog.Field{{Name: "family_name", Label: "Family name", Likeness: catalog.AsFamilyName},
			{Name: "locality", Label: "Town", Likeness: catalog.AsLocality}}}
	rec := int64(4)
	q := work.Question{AskedRow: staging.AskedRow{Row: 6, Kind: verdict.AskAlike}, Type: t0,
		Candidates: []work.CandidateRecord{{Title: "Kari Øksnes", Candidate: staging.Candidate{Record: &rec, Percent: 97.5,
			Reasons: store.JSON[[]matching.Reason]{V: []matching.Reason{{Kind: matching.Place, Fields: []string{"locality"},
				Level: "area", Bits: 2.1, Count: 12}, {Kind: matching.Family, Fields: []string{"family_name"}, Level: "differs",
				Bits: -4.8}}},
			Against: store.JSON[[]string]{V: []string{matching.OtherFamily}}}}}}
	v := questionView(q)
	if len(v.Candidates) != 1 || v.Candidates[0].Record != "CON-4" || v.Message == "" {
		t.Fatalf("%+v", v)
	}
	if want := []string{"Family name: differs (-4.8)",
		"Address: the same town, shared by 12 (+2.1)"}; !slices.Equal(v.Candidates[0].Says, want) {
		t.Errorf("says %q, want %q", v.Candidates[0].Says, want)
	}
	if want := []string{"another family name"}; !slices.Equal(v.Candidates[0].Against, want) {
		t.Errorf("against %q", v.Candidates[0].Against)
	}
}
