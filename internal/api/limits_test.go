package api

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"
	"testing"

	"uchi/api"
	"uchi/internal/core/rights"

	"github.com/getkin/kin-openapi/openapi3"
)

const mainPath = "/api/v1/workspaces/main"

// must asks, and gives what comes back if it was done.
func (f *face) must(role rights.Role, method, path, body string) []byte {
	f.Helper()
	kind := "application/json"
	if strings.Contains(path, "/imports?") || strings.Contains(path, "/files?") {
		kind = "application/octet-stream"
	}
	res, answer := f.ask(role, method, mainPath+path, kind, body)
	if res.StatusCode >= 300 {
		f.Fatalf("%s %s: %d %s", method, path, res.StatusCode, answer)
	}
	return answer
}

// rested waits until nobody works on an import.
func (f *face) rested(id int) {
	f.Helper()
	f.until(fmt.Sprintf("%s/imports/%d", mainPath, id),
		func(i map[string]any) bool { return i["busy"] == nil || i["busy"] == "" })
}

// limited makes a workspace with fields that are kept from some roles, and everything
// that may tell of what stands in them: records with a history, a view, an import that is
// loaded, and one that is checked, with rows that are held, asked about and mended.
func limited(t *testing.T) *face {
	t.Helper()
	f := begin(t)
	const admin = rights.Administrator
	f.must(admin, http.MethodPost, "/types/account/fields",
		`{"name":"credit","label":"Credit line","type":"text","lookup":true,"seen_by":"administrator","synonyms":["credit line"]}`)
	f.must(admin, http.MethodPost, "/types/account/fields",
		`{"name":"moorings","label":"Moorings","type":"integer","seen_by":"operator","synonyms":["moorings"]}`)
	f.must(admin, http.MethodPost, "/types/account/fields",
		`{"name":"grade","label":"Grade","type":"text","filled_by":"administrator","synonyms":["grade"]}`)
	file := "External ID,Company,Town,Credit line,Moorings,Grade\n" +
		"A-1,Tern Marina,Ternvik,hush-1,710001,seen-1\nA-2,Gull Marina,Gullvik,hush-2,710002,seen-2\n" +
		"A-3,Skua Marina,Skuavik,hush-3,710003,seen-3\n"
	f.must(admin, http.MethodPost, "/imports?into=account&name=marinas.csv", file)
	f.rested(1)
	for _, act := range []string{"check", "load"} {
		f.must(admin, http.MethodPost, "/imports/1/"+act, "")
		f.rested(1)
	}
	f.must(admin, http.MethodPatch, "/records/account/ACC-1", `{"values":{"credit":"hush-1 b","moorings":"710008"}}`)
	// The second changes, makes, repeats, asks and holds.
	again := "External ID,Company,Town,Credit line,Moorings,Grade\n" +
		"A-1,Tern Marina,Ternvik,hush-4,710004,seen-4\n,Gull Marinna,Gullvik,hush-5,710005,seen-5\n" +
		"A-7,Auk Marina,Aukvik,hush-6,71000 many,seen-6\n"
	f.must(admin, http.MethodPost, "/imports?into=account&name=again.csv", again)
	f.rested(2)
	f.must(admin, http.MethodPost, "/imports/2/edits", `{"cells":[{"row":4,"column":"Credit line","value":"hush-8"}]}`)
	f.must(admin, http.MethodPost, "/imports/2/check", "")
	f.rested(2)
	f.must(admin, http.MethodPost, "/bundles", `{"name":"All of it"}`)
	f.must(admin, http.MethodPost, "/views",
		`{"type":"account","name":"Credit","shared":true,"view":{"columns":["name","credit"]}}`)
	return f
}

// secretsIn finds what is kept in an answer, also inside an archive such as a workbook.
func secretsIn(answer []byte, secrets ...string) (found []string) {
	texts := [][]byte{answer}
	if z, err := zip.NewReader(bytes.NewReader(answer), int64(len(answer))); err == nil {
		for _, part := range z.File {
			if r, err := part.Open(); err == nil {
				text, _ := io.ReadAll(r) //nolint:errcheck // what can be read is looked at
				texts = append(texts, text)
			}
		}
	}
	for _, s := range secrets {
		if slices.ContainsFunc(texts, func(text []byte) bool { return bytes.Contains(text, []byte(s)) }) {
			found = append(found, s)
		}
	}
	return found
}

// Every operation of the contract, asked by each role of a workspace with fields that are
// kept from some: nobody is told what they may not see, and who may see it is told.
func TestEveryOperationKeepsFields(t *testing.T) {
	t.Parallel()
	f := limited(t)
	doc, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	if err != nil {
		t.Fatal(err)
	}
	kept := map[rights.Role][]string{rights.Viewer: {"hush-", "71000"}, rights.Operator: {"hush-"},
		rights.Administrator: nil}
	told := map[rights.Role]map[string]bool{}
	for role := range kept {
		told[role] = map[string]bool{}
	}
	ask := func(role rights.Role, name, method, path, kind, body string) {
		res, answer := f.ask(role, method, path, kind, body)
		if res.StatusCode >= 500 {
			t.Errorf("%s by %s: %d %s", name, role, res.StatusCode, cut(answer))
		}
		if list := secretsIn(answer, kept[role]...); len(list) > 0 {
			at := max(0, bytes.Index(answer, []byte(list[0])))
			t.Errorf("%s %s tells %s of %v: …%q…", method, path, role, list, answer[max(0, at-150):min(len(answer), at+40)])
		}
		if len(secretsIn(answer, "hush-", "71000")) > 0 {
			told[role][name] = true
		}
		if method != http.MethodGet && res.StatusCode < 300 {
			f.rested(2)
		}
	}
	// A text that is kept is not found by guessing it either.
	for role, want := range map[rights.Role]int{rights.Operator: 0, rights.Administrator: 1} {
		for _, path := range []string{"/records/account?text=hush-2", "/imports/2/rows?text=hush-4"} {
			var page struct{ Records, Rows []any }
			if err := json.Unmarshal(f.must(role, http.MethodGet, path, ""), &page); err != nil ||
				len(page.Records)+len(page.Rows) != want {
				t.Errorf("%s by %s: %d found, %v", path, role, len(page.Records)+len(page.Rows), err)
			}
		}
	}
	bodies := maps.Clone(bodies)
	bodies["replace"] = `{"column":"Credit line","find":"hush","replace":"hush","how":"text","preview":true}`
	bodies["edit"] = `{"cells":[{"row":4,"column":"Credit line","value":"open"}]}`
	bodies["readFilter"] = `{"filter":"credit == \"hush-1\""}`
	bodies["changeRecord"] = `{"values":{"credit":"open"}}`
	bodies["preview"] = `{"may":"create_or_update","drafts":[{"type":"account","fields":{"name":{"from":["Credit line"]}}}]}`
	bodies["setRoutine"] = bodies["preview"]
	for _, o := range operationsOf(doc) {
		if !strings.Contains(o.path, "{workspace}") || o.OperationID == "removeWorkspace" || o.OperationID == "upload" {
			continue
		}
		kind, body := o.sent()
		if own, ok := bodies[o.OperationID]; ok {
			body = own
		}
		for _, of := range [][4]string{{"Credit line", "credit", "2", "4"}, {"Moorings", "moorings", "2", "3"},
			{"Company", "name", "1", "3"}} {
			if o.method != http.MethodGet && of[1] != "credit" {
				continue
			}
			known := maps.Clone(usual)
			maps.Copy(known, map[string]string{"column": of[0], "of": of[1], "field": of[1], "import": of[2], "row": of[3],
				"text": "hush"})
			path := o.at("main", known)
			for _, role := range []rights.Role{rights.Viewer, rights.Operator, rights.Administrator} {
				if o.method != http.MethodGet && role == rights.Administrator {
					continue // what is there stays as it is for the others
				}
				ask(role, o.OperationID, o.method, path, kind, body)
			}
		}
	}
	for _, role := range []rights.Role{rights.Viewer, rights.Operator, rights.Administrator} {
		for _, q := range []string{
			"/records/account?text=hush-1", "/records/account?filter=credit+%3D%3D+%22hush-1%22",
			"/records/account?sort=credit", "/records/account?columns=credit", "/records/account?view=1",
			"/records/contact?columns=account.credit", "/export/account?format=jsonl", "/export/account?format=xlsx",
			"/export/account?view=1",
			"/imports/2/rows?text=hush-4", "/imports/2/rows.csv?verdict=hold", "/imports/2/rows.xlsx", "/imports/2/rows/2",
			"/imports/2/rows/3", "/imports/2/questions/3", "/imports/2/overwrites.csv",
		} {
			ask(role, q, http.MethodGet, mainPath+q, "", "")
		}
	}
	for _, name := range []string{"listRecords", "getRecord", "exportRecords", "listRows", "getRow", "downloadRows",
		"downloadWorkbook", "downloadOverwrites", "overwrites", "listEdits", "columnValues", "getImport", "downloadSource",
		"listQuestions", "getHistory"} {
		if !told[rights.Administrator][name] {
			t.Errorf("%s does not tell an administrator, so that the test says nothing", name)
		}
	}
}

// What somebody may not fill they neither load, nor change, nor take back; of their own
// file it is not placed, and the rest goes its way.
func TestLimitedFieldsAreFilledByFew(t *testing.T) {
	t.Parallel()
	f := limited(t)
	refused := func(code, method, path, body string) {
		t.Helper()
		kind := "application/json"
		if strings.HasSuffix(path, "/rows") && method == http.MethodPost {
			kind = "application/octet-stream"
		}
		res, answer := f.ask(rights.Operator, method, mainPath+path, kind, body)
		if res.StatusCode != http.StatusForbidden || !strings.Contains(string(answer), `"`+code+`"`) {
			t.Errorf("%s %s: %d %s, want %s", method, path, res.StatusCode, answer, code)
		}
	}
	refused("field_limited", http.MethodPost, "/imports/2/load", "")
	refused("field_limited", http.MethodPatch, "/records/account/ACC-1", `{"values":{"grade":"open"}}`)
	refused("field_limited", http.MethodPatch, "/records/account/ACC-1", `{"values":{"credit":"open"}}`)
	refused("field_kept", http.MethodGet, "/imports/2/source", "")
	refused("field_kept", http.MethodPut, "/imports/2/reading", `{"country":"NO"}`)
	refused("field_kept", http.MethodPost, "/imports/2/answers",
		`{"choice":"leave_out","verdict":"hold","value":"71000 many"}`)
	refused("field_kept", http.MethodPost, "/imports/2/edits",
		`{"cells":[{"row":4,"column":"Credit line","value":"open"}]}`)
	refused("field_kept", http.MethodPut, "/imports/2/routine",
		`{"may":"create_or_update","drafts":[{"type":"account","fields":{"name":{"from":["Credit line"]}}}]}`)

	f.must(rights.Operator, http.MethodPost, "/imports?into=account&name=mine.csv", "Company,Town,Credit line,Grade\n"+
		"Puffin Marina,Puffvik,mine-1,mine-2\n")
	f.rested(3)
	var i struct {
		Routine struct {
			Drafts []struct{ Fields map[string]any }
		}
	}
	if err := json.Unmarshal(f.must(rights.Operator, http.MethodGet, "/imports/3", ""), &i); err != nil ||
		len(i.Routine.Drafts) != 1 {
		t.Fatal(err)
	}
	if got := slices.Sorted(maps.Keys(i.Routine.Drafts[0].Fields)); !slices.Equal(got, []string{"locality", "name"}) {
		t.Errorf("an operator's file fills %v", got)
	}
	refused("field_limited", http.MethodPut, "/imports/3/routine",
		`{"may":"create_or_update","drafts":[{"type":"account","fields":{"name":{"from":["Company"]},"grade":{"from":["Grade"]}}}]}`)
	for _, act := range []string{"check", "load", "undo"} {
		f.must(rights.Operator, http.MethodPost, "/imports/3/"+act, "")
		f.rested(3)
	}
	for _, act := range []string{"check", "load", "undo"} {
		f.must(rights.Administrator, http.MethodPost, "/imports/2/"+act, "")
		f.rested(2)
	}
}
