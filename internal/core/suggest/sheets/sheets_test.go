package sheets

import (
	"slices"
	"strings"
	"testing"
)

func TestRead(t *testing.T) {
	list, err := Read(strings.NewReader("// two sheets\n\n== contact+account en: a list\nName|full_name|Ada|Bo\nTown|-|Oslo\n" +
		"== task en: to do\nWhat|subject|Call\n"))
	if err != nil || len(list) != 2 {
		t.Fatal(list, err)
	}
	first := list[0]
	if !slices.Equal(first.Types, []string{"contact", "account"}) || !slices.Equal(first.Fields, []string{"full_name", "-"}) ||
		first.Columns[0].Filled != 2 || first.Columns[1].Blank != 1 || first.Columns[1].Header != "Town" {
		t.Errorf("%+v", first)
	}
	for _, bad := range []string{"Name|name|Ada\n", "== contact en: a list\nName\n"} {
		if _, err := Read(strings.NewReader(bad)); err == nil || !strings.Contains(err.Error(), "line") {
			t.Errorf("%q: %v", bad, err)
		}
	}
}
