package cli

import (
	"bytes"
	"maps"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"

	"github.com/spf13/cobra"
)

func TestRoutineChange(t *testing.T) {
	base := func() mapping.Routine {
		return mapping.Routine{May: mapping.CreateOrUpdate, Drafts: []mapping.Draft{{Type: "contact", Fields: map[string]mapping.Origin{"email": {From: []string{"Mail"}}, "phone": {From: []string{"Tel"}}}}}}
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
		r, err := c.change.apply(base(), catalog.RecordType{})
		if err != nil {
			t.Errorf("%+v: %v", c.change, err)
			continue
		}
		if got := strings.Join(slices.Sorted(maps.Keys(r.Drafts[0].Fields)), " "); got != c.want {
			t.Errorf("%+v: %s, want %s", c.change, got, c.want)
		}
	}
	r, _ := routineChange{maps: []string{"description=A+B"}}.apply(base(), catalog.RecordType{})
	if got := r.Drafts[0].Fields["description"].From; !slices.Equal(got, []string{"A", "B"}) {
		t.Errorf("two columns: %v", got)
	}
	for _, bad := range []routineChange{{maps: []string{"email"}}, {fixed: []string{"country"}}, {fixed: []string{"country="}}, {compute: []string{"x"}}} {
		if _, err := bad.apply(base(), catalog.RecordType{}); err == nil {
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
