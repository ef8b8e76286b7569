package main_test

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"
)

// inJSON runs a command for scripts and reads what it prints.
func (s *service) inJSON(code int, does string) (v any) {
	s.Helper()
	out := s.uchi(code, "", append(strings.Split(does, "|"), "--json")...)
	if err := json.Unmarshal([]byte(out), &v); err != nil {
		s.Errorf("uchi %s --json: %v in\n%s", does, err, out)
	}
	return v
}

// at gives what stands in JSON at a path of names, parted by dots; a number is a place in a list.
func at(v any, path string) any {
	for _, name := range strings.Split(path, ".") {
		switch x := v.(type) {
		case map[string]any:
			v = x[name]
		case []any:
			n := int(name[0] - '0')
			if n >= len(x) {
				return nil
			}
			v = x[n]
		default:
			return nil
		}
	}
	return v
}

// What people read is printed as JSON for scripts, of every command that says something: with the same words, the same
// numbers and the same codes.
func TestJSONByCommand(t *testing.T) {
	s := serve(t)
	people := s.file("people.csv", "Nr,Given name,Family name,E-mail,Country\nK-1,Ada,Moe,ada@quay.example,Norway\n"+
		"K-2,Bo,Lie,bad,Norway\nK-3,Cy,Ray,cy@quay.example,Atlantis\n")
	for _, x := range []struct {
		does string
		code int
		path string
		want any
	}{
		{"import|" + people + "|--into|contact|--check-only", 3, "totals.verdicts", map[string]any{"create": 1., "hold": 2.}},
		{"imports", 0, "imports.0.state", "ready"},
		{"imports|1", 0, "file.name", "people.csv"},
		{"rows|1", 0, "rows.1.problems.0.code", "bad_email"},
		{"rows|1|--problem|bad_country", 0, "rows.0.row", 4.},
		{"mapping|1", 0, "drafts.0.fields.country.from.0", "Country"},
		{"mend|cell|1|3|E-mail=bo@quay.example", 0, "cells", 1.},
		{"mend|list|1", 0, "edits.0.value", "bo@quay.example"},
		{"check|1", 3, "totals.verdicts.create", 2.},
		{"load|1|--yes", 3, "outcomes.created", 2.},
		{"imports|runs|1", 0, "", nil},
		{"records|contact", 0, "records.0.title", "Ada Moe"},
		{"records|contact|CON-1", 0, "record.values.email", "ada@quay.example"},
		{"types", 0, "types.0.name", "staff"},
		{"fields|contact", 0, "", nil},
		{"rules|contact", 0, "", nil},
		{"views", 0, "", nil},
		{"workspaces", 0, "workspaces.0.name", "main"},
		{"people", 0, "people.0.role", "administrator"},
		{"tokens", 0, "tokens.0.role", "administrator"},
		{"settings", 0, "keep_days", 90.},
		{"log", 0, "", nil},
		{"routine", 0, "", nil},
		{"bundles", 0, "", nil},
		{"feeds", 0, "", nil},
		{"notices", 0, "", nil},
		{"approval", 0, "", nil},
		{"values|1|country", 0, "", nil},
		{"answers|1", 0, "", nil},
		{"questions|1", 0, "", nil},
		{"undo|1|--plan", 0, "", nil},
		{"undo|1|--yes", 0, "", nil},
	} {
		v := s.inJSON(x.code, x.does)
		if x.path == "" {
			continue
		}
		if got := at(v, x.path); !reflect.DeepEqual(got, x.want) {
			t.Errorf("uchi %s --json has %v at %s, want %v", x.does, got, x.path, x.want)
		}
	}
	for does, want := range map[string]string{
		"imports|99": "unknown_import", "records|boat": "unknown_record_type", "rows|1|--verdict|perhaps": "unknown_verdict",
		"check|1|-w|nowhere": "unknown_workspace",
	} {
		if got := at(s.inJSON(1, does), "code"); got != want {
			t.Errorf("uchi %s --json has the code %v, want %s", does, got, want)
		}
	}
}
