package cli

import (
	"bytes"
	"maps"
	"slices"
	"strings"
	"testing"

	"uchi/internal/client"
	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"

	"github.com/spf13/cobra"
)

func TestRoutineChange(t *testing.T) {
	base := func() mapping.Routine {
		return mapping.Routine{May: mapping.CreateOrUpdate,
			Drafts: []mapping.Draft{{Type: "contact", Fields: map[string]mapping.Origin{"email": {From: []string{"Mail"}},
				"phone": {From: []string{"Tel"}}}}}}
	}
	for _, c := range []struct {
		change routineChange
		want   string // fields that have an origin
	}{
		{routineChange{maps: []string{"family_name=Name"}}, "email family_name phone"},
		{routineChange{maps: []string{"email="}}, "phone"},
		{routineChange{maps: []string{"mobile=Tel"}}, "email mobile"}, // a column moves
		{routineChange{fixed: []string{"country=NO"}}, "country email phone"},
		{routineChange{compute: []string{`description="a=b"`}}, "description email phone"},
		{routineChange{may: "update", where: "true"}, "email phone"},
	} {
		r, err := c.change.apply(base(), []catalog.RecordType{{Name: "contact"}})
		if err != nil {
			t.Errorf("%+v: %v", c.change, err)
			continue
		}
		if got := strings.Join(slices.Sorted(maps.Keys(r.Drafts[0].Fields)), " "); got != c.want {
			t.Errorf("%+v: %s, want %s", c.change, got, c.want)
		}
	}
	r, _ := routineChange{maps: []string{"description=A+B"}}.apply(base(), []catalog.RecordType{{Name: "contact"}})
	if got := r.Drafts[0].Fields["description"].From; !slices.Equal(got, []string{"A", "B"}) {
		t.Errorf("two columns: %v", got)
	}
	// A column goes to several fields, each in the rows of which another column says so.
	about := routineChange{maps: []string{"account=Nr", "contact=Nr"},
		when: []string{"account:Kind=company", "account:Kind=firm", "contact:Kind=person"}}
	r, err := about.apply(base(), []catalog.RecordType{{Name: "contact"}})
	if f := r.Drafts[0].Fields; err != nil || f["account"].When.Column != "Kind" ||
		!slices.Equal(f["account"].When.Is, []string{"company", "firm"}) || !slices.Equal(f["contact"].From, []string{"Nr"}) {
		t.Errorf("in some rows only: %+v, %v", f, err)
	}
	if r, err = (routineChange{when: []string{"account:="}}).apply(r, []catalog.RecordType{{Name: "contact"}}); err != nil || r.Drafts[0].Fields["account"].When != nil {
		t.Errorf("in all rows again: %+v, %v", r.Drafts[0].Fields, err)
	}
	people := []catalog.RecordType{{Name: "contact", Label: "Contact", Fields: []catalog.Field{
		{Name: "given_name", Likeness: catalog.AsGivenName}, {Name: "family_name", Likeness: catalog.AsFamilyName},
		{Name: "email"}, {Name: "phone"},
	}}}
	r, err = routineChange{maps: []string{"family_name+given_name=Tel"}}.apply(base(), people)
	if f := r.Drafts[0].Fields; err != nil || f["family_name"].Take != mapping.TakeFamilyFirst ||
		f["given_name"].Take != mapping.TakeGivenLast || len(f) != 3 {
		t.Errorf("a column parted: %+v, %v", f, err)
	}
	if _, err := (routineChange{maps: []string{"email+phone=Tel"}}).apply(base(), people); err == nil ||
		!strings.Contains(err.Error(), "given_name+family_name") {
		t.Errorf("a column that cannot be parted: %v", err)
	}
	for _, bad := range []routineChange{{maps: []string{"email"}}, {fixed: []string{"country"}},
		{fixed: []string{"country="}}, {compute: []string{"x"}}, {when: []string{"phone:Kind="}}, {when: []string{"mobile:Kind=x"}}} {
		if _, err := bad.apply(base(), []catalog.RecordType{{Name: "contact"}}); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

func TestNumbersAndLines(t *testing.T) {
	for n, want := range map[int64]string{0: "0", 999: "999", 1000: "1 000", 1234567: "1 234 567"} {
		if got := number(n); got != want {
			t.Errorf("%d: %s", n, got)
		}
	}
	if got := plural(1, "row", "rows") + plural(2000, "row", "rows"); got != "1 row2 000 rows" {
		t.Error(got)
	}
	if got := oneLine("a\n b\tc  d", 5); got != "a b c…" {
		t.Errorf("%q", got)
	}
}

// Every command says what it does, shows an example where it takes arguments
// of its own, and its help names no flag that is not there.
func TestHelpOfEveryCommand(t *testing.T) {
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		if c.Name() == "help" || c.Name() == "completion" || c.Parent() != nil && c.Parent().Name() == "completion" {
			return
		}
		if c.Short == "" || strings.HasSuffix(c.Short, ".") {
			t.Errorf("%s: short help %q", c.CommandPath(), c.Short)
		}
		for line := range strings.Lines(c.Example) {
			for word := range strings.FieldsSeq(line) {
				name, _, _ := strings.Cut(strings.TrimPrefix(word, "--"), "=")
				if !strings.HasPrefix(word, "--") {
					continue
				}
				found := c.Flags().Lookup(name) != nil || c.InheritedFlags().Lookup(name) != nil
				for _, sub := range c.Commands() {
					found = found || sub.Flags().Lookup(name) != nil
				}
				for _, other := range c.Root().Commands() {
					found = found || other.Flags().Lookup(name) != nil
				}
				if !found {
					t.Errorf("%s: the example uses --%s, which is not there", c.CommandPath(), name)
				}
			}
		}
		for _, sub := range c.Commands() {
			walk(sub)
		}
	}
	walk((&app{}).root())
}

func TestColourOnlyOnATerminal(t *testing.T) {
	a := &app{out: &bytes.Buffer{}}
	if got := a.word("hold"); got != "■ hold" {
		t.Errorf("%q", got)
	}
	a.terminal = true
	t.Setenv("NO_COLOR", "")
	if got := a.word("hold"); !strings.Contains(got, "\x1b[31m") {
		t.Errorf("%q", got)
	}
	t.Setenv("NO_COLOR", "1")
	if got := a.word("hold"); got != "■ hold" {
		t.Errorf("%q", got)
	}
}

// What would mend a problem is said at the first of the rows that have it, and each row says what it has.
func TestMendsAreSaidOnce(t *testing.T) {
	var out bytes.Buffer
	bad := func(row int64, value string) client.Row {
		return client.Row{Row: row, Verdict: "hold", Problems: []client.RowProblem{{Column: "Land", Value: value,
			Message: "this is not a country", Mend: "Write its name."}}}
	}
	(&app{out: &out}).printRows([]client.Row{bad(2, "Atlantis"), bad(3, "Utopia")})
	for text, want := range map[string]int{"Write its name.": 1, "this is not a country.": 2, "Atlantis": 1, "Utopia": 1} {
		if got := strings.Count(out.String(), text); got != want {
			t.Errorf("%q stands there %d times:\n%s", text, got, &out)
		}
	}
}

// What is wrong with a cell that two records of a row take is said once.
func TestACellOfTwoRecordsIsSaidOnce(t *testing.T) {
	wrong := func(field, column, value string) client.RowProblem {
		return client.RowProblem{Field: field, Column: column, Value: value, Message: "this is no postal code"}
	}
	row := client.Row{Row: 6, Verdict: "hold", Problems: []client.RowProblem{wrong("contact.postal_code", "PLZ", "Kiel"),
		wrong("account.postal_code", "PLZ", "Kiel"), wrong("account.postal_code", "PLZ 2", "Kiel"), wrong("contact.name", "", ""), wrong("account.name", "", "")}}
	var out strings.Builder
	(&app{out: &out}).printRows([]client.Row{row})
	if n := strings.Count(out.String(), "no postal code"); n != 4 {
		t.Errorf("it is said %d times:\n%s", n, out.String())
	}
}

// A bundle says why rows are held, not what rows are loaded without, and which columns are left out of
// imports of which it is known what they become.
func TestWhatIsOpenInABundle(t *testing.T) {
	var out bytes.Buffer
	var read, open client.BundleImport
	read.Types, read.Import.Name, read.Import.Unplaced = []string{"Accounts"}, "firmen.csv", []string{"Rang", "Seit"}
	read.Import.Totals.Problems = []client.ProblemCount{{Code: "bad_email", Field: "email", Count: 4, Message: "no address"},
		{Code: "lost_zero", Field: "postal_code", Count: 9, Message: "a zero is lost", Light: true}}
	open.Import.Name, open.Import.Unplaced = "berths.csv", []string{"Length"}
	(&app{out: &out}).bundleOpen(t.Context(), nil, client.Bundle{Imports: []client.BundleImport{read, open}})
	for text, want := range map[string]bool{"bad_email": true, "firmen.csv: 2 columns are not placed, Rang, Seit": true,
		"lost_zero": false, "Length": false} {
		if strings.Contains(out.String(), text) != want {
			t.Errorf("%q:\n%s", text, &out)
		}
	}
}

// Flags for rules and policies, for all fields and for one.
func TestPolicyFlags(t *testing.T) {
	kind := catalog.RecordType{Name: "contact", Match: []catalog.MatchRule{{Fields: []string{"source_ref"}},
		{Alike: []string{"email"}}}}
	base := func() mapping.Routine {
		return mapping.Routine{May: mapping.CreateOrUpdate,
			Drafts: []mapping.Draft{{Type: "contact", Fields: map[string]mapping.Origin{"email": {From: []string{"Mail"}},
				"phone": {From: []string{"Tel"}}}}}}
	}
	r, err := routineChange{match: []string{"source_ref", "email+family_name", "alike=given_name+email"}, takeAt: 97,
		askAt: 50, both: []string{"keep", "phone=replace"}, blank: []string{"phone=clear"}, newerBy: "Seen",
		repeats: "merge"}.apply(base(), []catalog.RecordType{kind})
	if err != nil {
		t.Fatal(err)
	}
	d := r.Drafts[0]
	if len(d.Match) != 3 || !slices.Equal(d.Match[1].Fields, []string{"email", "family_name"}) ||
		!slices.Equal(d.Match[2].Alike, []string{"given_name", "email"}) || d.Match[2].TakeAt != 97 ||
		d.Match[2].AskAt != 50 || d.Match[0].TakeAt != 0 {
		t.Errorf("rules %+v", d.Match)
	}
	if d.Both != mapping.Keep || d.Fields["phone"].Both != mapping.Replace ||
		d.Fields["phone"].Blank != mapping.Clear || d.NewerBy != "Seen" || d.Repeats != mapping.MergeRows {
		t.Errorf("policies %+v", d)
	}
	if words := strings.Join(policyWords(d), "; "); !strings.Contains(words, "phone, when the row is blank: clear") ||
		!strings.Contains(words, "rows for the same record: merge") {
		t.Error(words)
	}
	r, err = routineChange{takeAt: 90}.apply(base(), []catalog.RecordType{kind})
	if err != nil || len(r.Drafts[0].Match) != 2 || r.Drafts[0].Match[1].TakeAt != 90 || kind.Match[1].TakeAt != 0 {
		t.Errorf("a bound of the usual rules: %+v, %v", r.Drafts[0].Match, err)
	}
	r.Drafts[0].Match = nil
	if r, _ = (routineChange{match: []string{"default"}}).apply(r,
		[]catalog.RecordType{kind}); len(r.Drafts[0].Match) != 0 {
		t.Errorf("the usual rules: %+v", r.Drafts[0].Match)
	}
	if _, err := (routineChange{both: []string{"fax=keep"}}).apply(base(), []catalog.RecordType{kind}); err == nil {
		t.Error("a policy for a field without a column is taken")
	}
}

// A word that is no command is refused, and named with those that may be meant: a script that
// asks for it has not done what it should.
func TestUnknownCommand(t *testing.T) {
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"rwos", "5"}, exitUsage, "perhaps rows"},
		{[]string{"zzz"}, exitUsage, `there is no command "zzz"`},
		{[]string{"tokens", "ad"}, exitUsage, "ad"},
		{[]string{"rows"}, exitUsage, "uchi rows"},
		{nil, exitOK, ""},
	} {
		var out, errs bytes.Buffer
		a := &app{in: strings.NewReader(""), out: &out, errs: &errs}
		if code := a.run(t.Context(), c.args); code != c.code || !strings.Contains(errs.String(), c.says) {
			t.Errorf("uchi %s: %d %s, want %d %s", strings.Join(c.args, " "), code, errs.String(), c.code, c.says)
		}
	}
}
