package staging

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/store"
)

// words is a small vocabulary: two tables, a rule with a parameter, and one that is made of others.
func words(w string) (sql string, isTable, ok bool) {
	switch w {
	case "rows", "problems":
		return `"staging"."` + w + `"`, true, true
	case "n":
		return "2", false, true
	case "of n":
		return "x.n = {n}", false, true
	}
	if rule, row, parameter := cutWord(w); parameter && rule == "sound" {
		return `not exists (select from {problems} p where p.row_no = ` + row + `.row_no)`, false, true
	}
	return "", false, false
}

// Words are replaced by what they stand for, also in what they stand for; braces of SQL stay.
func TestCompose(t *testing.T) {
	for _, x := range []struct {
		s      stmt
		want   string
		tables string
	}{
		{q(`select 1`), `select 1`, ""},
		{q(`select from {rows} r`), `select from "staging"."rows" r`, "rows"},
		{q(`select {n}`), `select 2`, ""},
		{q(`select from {rows} d where {sound d}`),
			`select from "staging"."rows" d where not exists (select from "staging"."problems" p where p.row_no = d.row_no)`, "rows problems"},
		{q(`where {of n}`), `where x.n = 2`, ""},
		{q(`select '{}'::text[], '{"a": 1}'::jsonb, {n}`), `select '{}'::text[], '{"a": 1}'::jsonb, 2`, ""},
		{q(`select '{ not a word }', '{A}'`), `select '{ not a word }', '{A}'`, ""},
		{q(`select {columns} from {rows}`, frag{"columns": "row_no, {n} as n"}), `select row_no, 2 as n from "staging"."rows"`, "rows"},
		{q(`{all}`, frag{"all": "select from {rows} union {more}", "more": "select from {problems}"}),
			`select from "staging"."rows" union select from "staging"."problems"`, "rows problems"},
		{q(`select {n}`, frag{"n": "7"}), `select 7`, ""}, // a statement's own word comes first
		{q(`an end {`), `an end {`, ""},
	} {
		sql, tables, err := x.s.compose(words)
		if err != nil || sql != x.want || strings.Join(tables, " ") != x.tables {
			t.Errorf("%s:\ngot  %s [%s], %v\nwant %s [%s]", x.s.text, sql, strings.Join(tables, " "), err, x.want, x.tables)
		}
	}
	for _, unknown := range []string{`select from {nothing}`, `select {loud d}`, `{all}`} {
		if sql, _, err := q(unknown, frag{"all": "{nothing}"}).compose(words); err == nil || !strings.Contains(err.Error(), "has no word") {
			t.Errorf("%s: %s, %v", unknown, sql, err)
		}
	}
}

// What is given to a statement is put together, from several of a kind.
func TestStatementIsGivenWordsAndValues(t *testing.T) {
	s := q(`x`, frag{"a": "1"}, arg{"n": 1}, frag{"b": "2"}, arg{"m": "two"})
	if len(s.words) != 2 || s.words["b"] != "2" || len(s.args) != 2 || s.args["m"] != "two" {
		t.Errorf("%+v", s)
	}
	for w, want := range map[string][2]string{"sound d": {"sound", "d"}, "n": {"n", ""}, "of n m": {"of", "n m"}} {
		if word, parameter, ok := cutWord(w); word != want[0] || parameter != want[1] && ok {
			t.Errorf("%s: %q, %q", w, word, parameter)
		}
	}
}

// A step may touch what it says that it reads and writes, and nothing else.
func TestStepsSayWhatTheyTouch(t *testing.T) {
	s := step{does: "x", reads: "rows results", writes: "problems"}
	for table, want := range map[string]bool{"rows": true, "results": true, "problems": true, "row": false, "": false, "verdicts": false} {
		if got := s.allows(table); got != want {
			t.Errorf("%s: %v", table, got)
		}
	}
}

// anImport is a check of contacts with a company each, which only puts SQL together.
func anImport(t *testing.T) *Check {
	t.Helper()
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	routine := mapping.Routine{May: mapping.CreateOrUpdate, Drafts: []mapping.Draft{
		{Type: "account", Fields: map[string]mapping.Origin{"name": {From: []string{"Firm"}}, "website": {From: []string{"Web"}}}},
		{Type: "contact", Fields: map[string]mapping.Origin{"family_name": {From: []string{"Name"}}, "given_name": {From: []string{"First"}},
			"email": {From: []string{"Mail"}}, "phone": {From: []string{"Tel"}}, "account": {Draft: "account"}}},
	}}
	plan, err := mapping.NewPlan(routine, c, columnsNamed("Firm", "Web", "Name", "First", "Mail", "Tel"))
	if err != nil {
		t.Fatal(err)
	}
	r := &Room{}
	return r.NewCheck(store.Run{ID: 5, Import: 3}, store.Import{ID: 3, Workspace: "main"}, plan, c)
}

// The tables of a run bear its token and the number of the draft, and those of two runs or drafts differ.
func TestNamesOfTables(t *testing.T) {
	k := anImport(t)
	seen := map[string]string{}
	note := func(what, name string) {
		t.Helper()
		if !regexp.MustCompile(`^"staging"\."i3_r5_[a-z0-9_]+"$`).MatchString(name) {
			t.Errorf("%s is called %s", what, name)
		}
		if other, there := seen[name]; there {
			t.Errorf("%s and %s are both called %s", what, other, name)
		}
		seen[name] = what
	}
	for _, part := range rowTables {
		note(part, k.table(part))
	}
	for _, d := range k.drafts {
		for _, part := range draftTables {
			note(d.plan.Name+" "+part, d.table(part))
		}
	}
	other := k.room.NewCheck(store.Run{ID: 6, Import: 3}, k.i, k.plan, k.catalog)
	if other.table("problems") == k.table("problems") {
		t.Error("two runs have one table")
	}
}

// Every word of the vocabulary can be composed, and tells whether it is a table.
func TestVocabularyOfDrafts(t *testing.T) {
	k := anImport(t)
	for _, d := range k.drafts {
		for _, table := range slices.Concat(rowTables, draftTables, []string{"records", "history", "results", "likeness_keys"}) {
			if sql, isTable, ok := d.word(table); !ok || !isTable || !strings.HasPrefix(sql, `"`) {
				t.Errorf("{%s}: %s, table %v, known %v", table, sql, isTable, ok)
			}
		}
		for _, rule := range []string{"stays", "sound", "unfound", "unanswered", "unasked", "single", "unsettled", "open"} {
			sql, _, err := q(`{` + rule + ` z}`).compose(d.word)
			if err != nil || !strings.Contains(sql, `z.row_no`) {
				t.Errorf("{%s z}: %s, %v", rule, sql, err)
			}
			if strings.Count(sql, "(") != strings.Count(sql, ")") {
				t.Errorf("{%s z} leaves a bracket open: %s", rule, sql)
			}
		}
		for _, wrong := range []string{"nobody", "loud z", "draft z"} {
			if sql, _, ok := d.word(wrong); ok {
				t.Errorf("{%s} is %s", wrong, sql)
			}
		}
	}
}

// What a record would have names nothing but the draft, its record, and the company beside them.
func TestWhatRecordsWouldHave(t *testing.T) {
	k := anImport(t)
	d := k.drafts[1]
	for _, fp := range d.plan.Fields {
		sql := d.after(fp)
		if strings.Count(sql, "(") != strings.Count(sql, ")") {
			t.Errorf("%s leaves a bracket open: %s", fp.Field.Name, sql)
		}
		if strings.Contains(sql, `"w_main"`) {
			t.Errorf("%s looks something up for each row, which keeps the server to one core", fp.Field.Name)
		}
	}
	if sql := d.staged(); !strings.Contains(sql, `"at_account"`) {
		t.Errorf("the company does not stand beside the staged drafts: %s", sql)
	}
}

// The company of a record is asked for its domains where it stands beside the draft.
func TestWorkplaces(t *testing.T) {
	k := anImport(t)
	list := k.drafts[1].workplaces()
	if len(list) != 1 || list[0].field.Name != "account" || list[0].company.Name != "account" {
		t.Fatalf("%+v", list)
	}
	if sql := list[0].has("x"); !strings.HasPrefix(sql, "coalesce(x in (") || !strings.Contains(sql, `"at_account"."f_website"`) {
		t.Error(sql)
	}
	if of := k.drafts[0].workplaces(); len(of) != 0 {
		t.Errorf("an account works at %+v", of)
	}
}

func columnsNamed(headers ...string) (list []sheet.Column) {
	for n, h := range headers {
		list = append(list, sheet.Column{Header: h, Position: n, Filled: 3, Distinct: 3})
	}
	return list
}
