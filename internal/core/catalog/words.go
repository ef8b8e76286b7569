package catalog

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// Says puts the rule into words: "the same Number in the old system", "alike in
// Given name, Family name and E-mail".
func (r MatchRule) Says(t RecordType) string {
	labels := func(names []string) []string {
		var out []string
		for _, n := range names {
			if n == "id" {
				out = append(out, "record id")
			} else if f, ok := t.Field(n); ok {
				out = append(out, f.Label)
			} else {
				out = append(out, n)
			}
		}
		return out
	}
	var parts []string
	if len(r.Fields) > 0 {
		parts = append(parts, "the same "+and(labels(r.Fields)))
	}
	if len(r.Alike) > 0 {
		takeAt, askAt := r.Bounds()
		parts = append(parts, fmt.Sprintf("alike in %s (taken from %v %%, asked from %v %%)", and(labels(r.Alike)),
			takeAt, askAt))
	}
	s := strings.Join(parts, " and ")
	if r.One == Ask {
		s += ", always asked"
	}
	if r.Several != "" && r.Several != Ask {
		s += ", several: " + string(r.Several)
	}
	if r.RowsApart {
		s += ", rows of a file that are equal in this stay apart"
	}
	return s
}

// Says gives the rule as a sentence; t is the type that has it, other the one by
// whose records it is known.
func (k KnownAs) Says(t, other RecordType) string {
	var parts []string
	for _, name := range slices.Sorted(maps.Keys(k.Fields)) {
		mine, theirs := t.FieldLabels([]string{name}), other.FieldLabels([]string{k.Fields[name]})
		if mine != theirs {
			mine += " as " + theirs
		}
		parts = append(parts, mine)
	}
	what := "told, and loaded all the same"
	switch k.Means {
	case Hold:
		what = "held"
	case Skip:
		what = "left out"
	}
	return fmt.Sprintf("with the same %s as one of the %s: %s", and(parts), strings.ToLower(other.Plural), what)
}

func and(list []string) string {
	if len(list) < 2 {
		return strings.Join(list, "")
	}
	return strings.Join(list[:len(list)-1], ", ") + " and " + list[len(list)-1]
}
