package api

import (
	"encoding/json"
	"net/http"
	"testing"

	"uchi/internal/core/rights"
)

// Every document that people edit has a version: a change on an older one is
// refused, and one on that which is there counts it up.
func TestVersions(t *testing.T) {
	f := begin(t)
	const (
		asJSON = "application/json"
		main   = "/api/v1/workspaces/main"
	)
	f.ask(rights.Operator, http.MethodPost, main+"/imports?name=a.csv&into=account", "application/octet-stream",
		"Name,Town\nKalvøya Marina,Bodø\n")
	f.idle()
	routine := `{"may": "create_or_update", "drafts": [{"type": "account", "fields": {"name": {"from": ["Name"]}}}]}`
	for _, x := range []struct {
		what, get, method, put, kind, body string
	}{
		{"routine of an import", main + "/imports/1/routine", http.MethodPut, main + "/imports/1/routine", asJSON, routine},
		{"further draft", main + "/imports/1/routine", http.MethodPost, main + "/imports/1/drafts", asJSON,
			`{"type": "contact"}`},
		{"saved routine", main + "/routines/weekly", http.MethodPut, main + "/routines/weekly", asJSON, routine},
		{"saved document", main + "/routines/weekly/document", http.MethodPut, main + "/routines/weekly/document",
			"application/yaml", routine},
		{"saved routine for an import", main + "/imports/1/routine", http.MethodPut,
			main + "/imports/1/routine/weekly", "", ""},
		{"field", main + "/types/account", http.MethodPatch, main + "/types/account/fields/region", asJSON,
			`{"help": "as on the envelope"}`},
	} {
		if x.what == "saved routine" {
			if res, body := f.ask(rights.Operator, http.MethodPut, x.put, asJSON, routine); res.StatusCode != http.StatusOK {
				t.Fatalf("save it first: %d %s", res.StatusCode, body)
			}
		}
		res, _ := f.ask(rights.Viewer, http.MethodGet, x.get, "", "")
		was := res.Header.Get("ETag")
		if was == "" {
			t.Errorf("%s: no ETag", x.what)
			continue
		}
		change := func(on string, want int) string {
			res, body := f.askOn(rights.Administrator, x.method, x.put, x.kind, x.body, on)
			if res.StatusCode != want {
				t.Errorf("%s on %s: %d %s, want %d", x.what, on, res.StatusCode, body, want)
			}
			var p struct{ Code string }
			json.Unmarshal(body, &p) //nolint:errcheck // no problem has no code
			return p.Code
		}
		change(was, http.StatusOK)
		if code := change(was, http.StatusPreconditionFailed); code != "changed_meanwhile" {
			t.Errorf("%s: %s, want changed_meanwhile", x.what, code)
		}
		if res, _ := f.ask(rights.Viewer, http.MethodGet, x.get, "", ""); res.Header.Get("ETag") == was {
			t.Errorf("%s: the change did not count the version up", x.what)
		}
		if code := change("seven", http.StatusUnprocessableEntity); code != "bad_version" {
			t.Errorf("%s: %s, want bad_version", x.what, code)
		}
	}
	if res, body := f.askOn(rights.Operator, http.MethodPut, main+"/imports/1/routine", asJSON, routine,
		"*"); res.StatusCode != http.StatusOK {
		t.Errorf("on whatever is there: %d %s", res.StatusCode, body)
	}
}
