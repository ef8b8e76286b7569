package store

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/core/suggest"
	"uchi/internal/core/value"
	"uchi/internal/core/view"

	"github.com/jackc/pgx/v5"
)

func fillContacts(t *testing.T, s *Store, n int) {
	t.Helper()
	var values []string
	for i := 1; i <= n; i++ {
		given, family := []string{"Åse", "Nils", "Maja"}[i%3], fmt.Sprintf("Berg%d", i)
		values = append(values, fmt.Sprintf("(%d, 1, 1, '%s', '%s', '%s', 'p%d@x.example', 'p%d@x.example', '%s')", i, given, family, value.NameKey(given+" "+family), i, i, []string{"NO", "SE"}[i%2]))
	}
	if err := run(t.Context(), s, `insert into w_main.r_contact (id, created_by, changed_by, f_given_name, f_family_name, t_key, f_email, k_email, f_country) values `+strings.Join(values, ", ")); err != nil {
		t.Fatal(err)
	}
}

// In any order, pages follow one another without a gap and without a repeat.
func TestPagesOfRecords(t *testing.T) {
	s := open(t)
	fillContacts(t, s, 57)
	for _, order := range []string{"id", "-id", "title"} {
		var ids []int64
		var titles []string
		after := ""
		for {
			page, next, err := s.Records(t.Context(), "main", "contact", RecordFilter{View: view.View{Sort: []string{order}}, After: after, Limit: 10})
			if err != nil {
				t.Fatal(err)
			}
			for _, r := range page {
				ids = append(ids, r.ID)
				titles = append(titles, value.NameKey(r.Title))
			}
			if after = next; next == "" {
				break
			}
		}
		sorted := slices.Clone(ids)
		slices.Sort(sorted)
		if len(slices.Compact(sorted)) != 57 || len(ids) != 57 {
			t.Errorf("%s: %d records, %d different", order, len(ids), len(slices.Compact(sorted)))
		}
		if order == "title" && !slices.IsSorted(titles) {
			t.Errorf("not by title: %v", titles)
		}
		if order == "-id" && ids[0] != 57 {
			t.Errorf("newest first begins with %d", ids[0])
		}
	}
}

func TestFindRecords(t *testing.T) {
	s := open(t)
	fillContacts(t, s, 30)
	for text, want := range map[string]int{"berg7": 1, "ÅSE": 10, "aase": 0, "ase": 10, "CON-12": 1, "con-12": 1, "P5@X.example": 1, "nobody": 0, "nils berg1": 5} {
		list, _, err := s.Records(t.Context(), "main", "contact", RecordFilter{Text: text, Limit: 100})
		if err != nil {
			t.Fatal(err)
		}
		if len(list) != want {
			t.Errorf("%q: %d records, want %d", text, len(list), want)
		}
	}
	list, _, err := s.Records(t.Context(), "main", "contact", RecordFilter{View: view.View{Filter: `country == "SE"`}, Limit: 100})
	if err != nil || len(list) != 15 {
		t.Errorf("in Sweden: %d, %v", len(list), err)
	}
	for code, f := range map[string]RecordFilter{
		"unknown_field": {View: view.View{Sort: []string{"colour"}}}, "bad_cursor": {After: "ACC-1"}, "bad_filter": {View: view.View{Filter: `account == "x"`}},
	} {
		f.Limit = 10
		if _, _, err := s.Records(t.Context(), "main", "contact", f); !fault.Is(err, code) {
			t.Errorf("%+v: %v, want %s", f, err, code)
		}
	}
	counts, err := s.CountRecords(t.Context(), "main")
	if err != nil || counts["contact"] != 30 || counts["account"] != 0 {
		t.Errorf("%v, %v", counts, err)
	}
}

func TestMemoryOfHeaders(t *testing.T) {
	s := open(t)
	for _, m := range []suggest.Memory{{"zeichen": "source_ref", "post": "job_title"}, {"post": "description", "": "x"}} {
		if err := s.inTx(t.Context(), func(tx pgx.Tx) error { return Remember(t.Context(), tx, "main", "contact", m) }); err != nil {
			t.Fatal(err)
		}
	}
	all, err := s.Memories(t.Context(), "main")
	if m := all["contact"]; err != nil || len(m) != 2 || m["post"] != "description" || m["zeichen"] != "source_ref" {
		t.Errorf("%v, %v", all, err)
	}
	if len(all["lead"]) != 0 {
		t.Errorf("of another type: %v", all["lead"])
	}
}
