package store

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
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
		values = append(values, fmt.Sprintf("(%d, 1, 1, '%s', '%s', '%s', 'p%d@x.example', 'p%d@x.example', '%s')",
			i, given, family, value.NameKey(given+" "+family), i, i, []string{"NO", "SE"}[i%2]))
	}
	if err := run(t.Context(), s,
		`insert into w_main.r_contact (id, created_by, changed_by, f_given_name, f_family_name, t_key, f_email, k_email,
			f_country) values `+strings.Join(values, ", ")); err != nil {
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
			page, next, err := s.Records(t.Context(), "main", "contact", RecordFilter{View: view.View{Sort: []string{order}},
				After: after, Limit: 10})
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
	for text, want := range map[string]int{"berg7": 1, "ÅSE": 10, "aase": 0, "ase": 10, "CON-12": 1, "con-12": 1,
		"P5@X.example": 1, "nobody": 0, "nils berg1": 5} {
		list, _, err := s.Records(t.Context(), "main", "contact", RecordFilter{Text: text, Limit: 100})
		if err != nil {
			t.Fatal(err)
		}
		if len(list) != want {
			t.Errorf("%q: %d records, want %d", text, len(list), want)
		}
	}
	list, _, err := s.Records(t.Context(), "main", "contact", RecordFilter{View: view.View{Filter: `country == "SE"`},
		Limit: 100})
	if err != nil || len(list) != 15 {
		t.Errorf("in Sweden: %d, %v", len(list), err)
	}
	for code, f := range map[string]RecordFilter{
		"unknown_field": {View: view.View{Sort: []string{"colour"}}}, "bad_cursor": {After: "ACC-1"},
		"bad_filter": {View: view.View{Filter: `account == "x"`}},
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
		if err := s.inTx(t.Context(),
			func(tx pgx.Tx) error { return Remember(t.Context(), tx, "main", "contact", m) }); err != nil {
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

// What records are looked for and ordered by slowly gets an index, which the look then uses;
// of too many the one that was not used the longest goes, and so does one that nobody uses.
func TestViewIndexes(t *testing.T) {
	s := open(t)
	fillContacts(t, s, 3000)
	ctx := t.Context()
	look := func(filter string, sort ...string) *recordSQL {
		t.Helper()
		q, err := s.recordSQL(ctx, "main", "contact", RecordFilter{View: view.View{Filter: filter, Sort: sort}, Limit: 10})
		if err != nil {
			t.Fatal(err)
		}
		return q
	}
	for _, x := range []struct {
		filter string
		sort   []string
		want   []string
	}{
		{`family_name == "Berg7"`, nil, []string{`("f_family_name", id)`}},
		{`job_title.lower().contains("harbour") && birthday > "1990-01-01"`, nil,
			[]string{`using gin (lower("f_job_title") gin_trgm_ops)`, `("f_birthday")`}},
		{`job_title.lower().contains("ha")`, nil, nil}, // too short for an index
		{`email == "p7@x.example"`, nil, nil},          // there is one
		{`account.name == "Tern" || language == "de"`, nil, []string{`using hash ("f_language")`}},
		{`!(family_name == "Berg7")`, nil, nil},
		{``, []string{"family_name", "-changed_at"}, []string{`(lower("f_family_name"), changed_at desc nulls last, id)`}},
		{`description == "x"`, nil, []string{`using hash ("f_description")`}}, // too long for a tree
		{``, []string{"title"}, nil},
		{``, []string{"street", "email", "region", "locality"}, nil}, // together too long for an entry
		{``, []string{"family_name", "title"}, nil},
		{``, []string{"account"}, nil},
	} {
		if got := look(x.filter, x.sort...).wants(); !slices.Equal(got, x.want) {
			t.Errorf("%s by %v wants %q, want %q", x.filter, x.sort, got, x.want)
		}
	}

	make := func() {
		t.Helper()
		for made := true; made; {
			var err error
			if made, err = s.MakeViewIndex(ctx); err != nil {
				t.Fatal(err)
			}
		}
	}
	uses := func(q *recordSQL) (plan string) {
		t.Helper()
		sql, err := q.page("", 10)
		if err != nil {
			t.Fatal(err)
		}
		rows, err := s.pool.Query(ctx, `explain `+sql, q.args...)
		if err != nil {
			t.Fatal(err)
		}
		lines, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			t.Fatal(err)
		}
		return strings.Join(lines, "\n")
	}
	s.noteSlow(ctx, look(`family_name == "Nobody"`), slowLook/2) // it was quick
	s.noteSlow(ctx, look(`language == "de"`), slowLook)
	s.noteSlow(ctx, look(``, "family_name"), slowLook)
	make()
	if plan := uses(look(``, "family_name")); !strings.Contains(plan, "Index Scan using v_contact_") {
		t.Errorf("the order does not use its index:\n%s", plan)
	}
	for _, filter := range []string{`family_name == "Berg7"`, `job_title.lower().contains("harbour")`,
		`job_title.contains("quay")`, `street.lower().contains("quay")`} {
		s.noteSlow(ctx, look(filter), slowLook)
	}
	make()
	var left []string
	if err := s.db.SelectContext(ctx, &left, `select definition from view_indexes where made_at is not null
		and trouble is null order by 1`); err != nil {
		t.Fatal(err)
	}
	if len(left) != mostViewIndexes || slices.Contains(left, `using hash ("f_language")`) {
		t.Errorf("there are %q", left)
	}
	if plan := uses(look(`family_name == "Berg7"`)); !strings.Contains(plan, "v_contact_") {
		t.Errorf("the filter does not use its index:\n%s", plan)
	}
	// A text that may become too long for an entry takes them with it, so that no load is refused.
	long := 4000
	_, err := s.ChangeType(ctx, "main", "contact", 0, 0, "lengthen",
		func(c catalog.Catalog, t catalog.RecordType) (catalog.RecordType, error) {
			return c.ChangeField(t, "family_name", catalog.FieldChange{Length: &long})
		})
	if err != nil {
		t.Fatal(err)
	}
	var kept int
	if err := s.db.GetContext(ctx, &kept, `select (select count(*) from view_indexes) + (select count(*) from pg_indexes
		where schemaname = 'w_main' and indexname like 'v\_%')`); err != nil || kept > 0 {
		t.Errorf("%d indexes are kept: %v", kept, err)
	}
	s.noteSlow(ctx, look(`job_title.contains("quay")`), slowLook)
	make()
	if n, err := s.DropViewIndexes(ctx, 0); err != nil || n == 0 {
		t.Errorf("%d indexes went: %v", n, err)
	}
	var names int
	if err := s.db.GetContext(ctx, &names, `select count(*) from pg_indexes where schemaname = 'w_main'
		and indexname like 'v\_%'`); err != nil || names > 0 {
		t.Errorf("%d indexes are left: %v", names, err)
	}
}
