package api

import (
	"archive/zip"
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"uchi/api"
	"uchi/internal/core/rights"
	"uchi/internal/core/sheet"
	"uchi/internal/pgtest"
	"uchi/internal/staging"
	"uchi/internal/store"
	"uchi/internal/work"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
)

func TestMain(m *testing.M) { os.Exit(pgtest.Run(m)) }

// face is the handler on a database of its own, with one person of each role.
type face struct {
	*testing.T
	url     string
	tokens  map[rights.Role]string
	handler func(Options) http.Handler
	server  func(Options) // answers with other options from now on
	store   *store.Store
}

func begin(t *testing.T) *face {
	t.Helper()
	log := slog.New(slog.DiscardHandler)
	st, err := store.Open(t.Context(), store.Options{URL: pgtest.Database(t, nil), Process: "test",
		Connections: staging.Connections(2), Log: log})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(st.Close)
	room := staging.New(st, log).Strictly()
	w, err := work.New(st, room, work.Options{Process: "test", Workers: 2, MostBytes: 1 << 20,
		Limits: sheet.DefaultLimits, Log: log})
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Start(context.Background()); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { w.Stop(context.Background()) }) //nolint:errcheck // the test is over
	f := &face{T: t, tokens: map[rights.Role]string{}, store: st}
	f.handler = func(opt Options) http.Handler { return New(st, room, w, opt) }
	f.server = func(opt Options) {
		server := httptest.NewServer(f.handler(opt))
		t.Cleanup(server.Close)
		f.url = server.URL
	}
	f.server(Options{Log: log, Console: fstest.MapFS{"index.html": {Data: []byte("<!doctype html>")}}})
	for _, role := range []rights.Role{rights.Viewer, rights.Operator, rights.Administrator} {
		email := string(role) + "@lanternquay.example"
		p, err := st.AddPerson(t.Context(), email, string(role), role, "shore power for all", 0)
		if err != nil {
			t.Fatal(err)
		}
		_, secret, err := st.AddToken(t.Context(), p, store.NewToken{Label: "test", Role: role,
			Ends: time.Now().AddDate(0, 0, 30)})
		if err != nil {
			t.Fatal(err)
		}
		f.tokens[role] = secret
	}
	return f
}

func (f *face) ask(role rights.Role, method, path, kind, body string) (*http.Response, []byte) {
	f.Helper()
	return f.askOn(role, method, path, kind, body, "")
}

// askOn asks on a version of what is changed, when one is given.
func (f *face) askOn(role rights.Role, method, path, kind, body, ifMatch string) (*http.Response, []byte) {
	f.Helper()
	ctx, cancel := context.WithTimeout(f.Context(), 20*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, method, f.url+path, strings.NewReader(body))
	if err != nil {
		f.Fatal(err)
	}
	if body != "" {
		req.Header.Set("Content-Type", kind)
	}
	if ifMatch != "" {
		req.Header.Set("If-Match", ifMatch)
	}
	if role != "" {
		req.Header.Set("Authorization", "Bearer "+f.tokens[role])
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		f.Fatalf("%s %s: %v", method, path, err)
	}
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	if err != nil {
		f.Fatalf("%s %s: %v", method, path, err)
	}
	return res, answer
}

// idle waits until nobody works on the first import.
func (f *face) idle() {
	f.Helper()
	for range 600 {
		_, body := f.ask(rights.Viewer, http.MethodGet, "/api/v1/workspaces/main/imports/1", "", "")
		var i struct{ Busy string }
		if json.Unmarshal(body, &i) == nil && i.Busy == "" {
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	f.Fatal("the work does not end")
}

// bodies are what operations are sent that need one; the others get an empty object.
var bodies = map[string]string{
	"changePassword": `{"old": "not this one", "new": "shore power for all"}`,
	"changePerson":   `{"name": "Somebody"}`,
	"signIn":         `{"email":"viewer@lanternquay.example","password":"shore power for all"}`,
	"addToken":       `{"label":"ship","role":"viewer","days":3}`,
	"takeInvitation": `{"invitation":"invitation_none","password":"a long password"}`,
	"addPerson":      `{"email":"x@lanternquay.example","name":"X","role":"viewer","password":"a long password"}`,
	"setSettings":    `{"keep_days":30}`,
	"addWorkspace":   `{"name":"third","label":"Third"}`,
	"addField":       `{"name":"berths","label":"Berths","type":"integer"}`, "changeField": `{"label":"Moorings"}`,
	"addChoice": `{"code":"spare","label":"Spare"}`, "setReading": `{"country":"NO"}`, "addDraft": `{"type":"contact"}`,
	"answer": `{"answers":[{"row":2,"choice":"leave_out"}]}`, "answerMany": `{"choice":"leave_out"}`,
	"takeBack": `{"rows":[2]}`, "tryRoutine": `{"may":"create_or_update","drafts":[{"type":"account","fields":{"name":{"from":["Company"]}}}]}`,
	"setRoutine": `{"may":"create_or_update","drafts":[{"type":"account","fields":{"name":{"from":["Company"]},"source_ref":{"from":["Ref"]}}}]}`, "preview": `{"may":"create_or_update","drafts":[{"type":"account","fields":{"name":{"from":["Company"]}}}]}`,
	"changeKnown": `{"means":"hold"}`, "changeMatch": `{"rules":[]}`, "tryMatch": `{"rules":[]}`,
	"copyRoutine": `{"to":"other"}`, "addBundle": `{"name":"All of it"}`, "saveBundle": `{"name":"Monthly"}`,
	"addType": `{"label":"Berth","fields":[{"name":"number","label":"Number","type":"text","key":true}]}`,
	"addHook": `{"url":"https://tools.example/uchi","kinds":["waits"]}`, "decideApproval": `{"yes":true}`,
	"setApprovalRules": `{"above":1000000}`, "setNotices": `{"told":["waits"]}`,
	"setFeed": `{"set_up":{"routine":"none","place":{"kind":"sent"}}}`, "pauseFeed": `{"paused":true}`,
	"addView":    `{"type":"account","name":"In Norway","view":{"filter":"country == \"NO\""}}`,
	"changeView": `{"type":"account","name":"In Norway","view":{}}`, "readFilter": `{"filter":"country == \"NO\""}`,
	"saveRoutine": `{"may":"create_or_update","drafts":[{"type":"account","fields":{"name":{"from":["Company"]}}}]}`,
	"suggest":     `{}`,
}

// later are asked last, since they take away what others look at.
var later = []string{"discardImport", "discardBundle", "close", "signOut", "removeToken", "removeRoutine"}

// usual is what the parameters of operations say in tests.
var usual = map[string]string{
	"import": "1", "type": "account", "id": "ACC-1", "row": "2", "name": "marinas", "feed": "weekly", "hook": "99",
	"token": "99", "export": "99", "session": "99", "view": "99", "person": "99", "column": "Company",
	"draft": "account", "bundle": "1", "field": "berths", "text": "Quay", "other": "contact",
}

// operation is one of the contract's.
type operation struct {
	path, method string
	*openapi3.Operation
}

// operationsOf lists the operations of the contract, those that change nothing before
// those that do, and last those that take something away.
func operationsOf(doc *openapi3.T) []operation {
	var first, last []operation
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			op.Parameters = append(op.Parameters, item.Parameters...)
			o := operation{path, method, op}
			switch {
			// have no end; TestProgressStream and TestNoticeStream follow them
			case op.OperationID == "streamImport", op.OperationID == "streamNotices":
			case slices.Contains(later, op.OperationID):
				last = append(last, o)
			default:
				first = append(first, o)
			}
		}
	}
	slices.SortFunc(first, func(a, b operation) int {
		return cmp.Or(cmp.Compare(bit(a.method != http.MethodGet), bit(b.method != http.MethodGet)),
			cmp.Compare(a.path, b.path), cmp.Compare(a.method, b.method))
	})
	return append(first, last...)
}

// at is the address of an operation, with what its parameters say.
func (o operation) at(workspace string, known map[string]string) string {
	path := o.path
	query := url.Values{}
	for _, p := range o.Parameters {
		value := known[p.Value.Name]
		switch {
		case p.Value.Name == "workspace":
			value = workspace
		case (o.OperationID == "columnValues" || o.OperationID == "near") && p.Value.Name == "field":
			value = cmp.Or(known["of"], "name")
		}
		if p.Value.In == "path" {
			path = strings.ReplaceAll(path, "{"+p.Value.Name+"}", value)
		} else if p.Value.Required {
			query.Set(p.Value.Name, value)
		}
	}
	if len(query) > 0 {
		path += "?" + query.Encode()
	}
	return "/api/v1" + path
}

// sent is what an operation is sent, and of which kind.
func (o operation) sent() (kind, body string) {
	kind = "application/json"
	if o.RequestBody == nil {
		return kind, ""
	}
	for k := range o.RequestBody.Value.Content {
		if kind = k; k == "application/json" {
			break
		}
	}
	return kind, cmp.Or(bodies[o.OperationID], "{}")
}

// Every operation of the contract, asked by nobody, by each role, of a workspace
// that has the thing and of one that has not: who may not is refused, what is
// elsewhere is not found, nothing is an error of the service, and every answer is
// one that the contract names, in its shape.
func TestEveryOperation(t *testing.T) {
	t.Parallel()
	f := begin(t)
	ctx := t.Context()
	doc, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	if err != nil {
		t.Fatal(err)
	}
	if err := doc.Validate(ctx, openapi3.DisableExamplesValidation()); err != nil {
		t.Errorf("the contract: %v", err)
	}
	if res, body := f.ask(rights.Administrator, http.MethodPost, "/api/v1/workspaces", "application/json",
		`{"name":"other","label":"Other"}`); res.StatusCode >= 300 {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	upload := "Ref,Company,Town\nA-1,Tern Marina,Ternvik\nA-2,Gull Marina,Gullvik\nA-3,,\n"
	send := "/api/v1/workspaces/main/imports?into=account&name=marinas.csv"
	if res, body := f.ask(rights.Operator, http.MethodPost, send, "application/octet-stream",
		upload); res.StatusCode >= 300 {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	f.idle()
	if res, body := f.ask(rights.Operator, http.MethodPost, "/api/v1/workspaces/main/bundles", "application/json",
		`{"name":"All of it"}`); res.StatusCode >= 300 {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	for _, act := range []string{"check", "load"} {
		if res, body := f.ask(rights.Operator, http.MethodPost, "/api/v1/workspaces/main/imports/1/"+act, "",
			""); res.StatusCode >= 300 {
			t.Fatalf("%d %s", res.StatusCode, body)
		}
		f.idle()
	}
	rank := map[rights.Role]int{anybody: 0, rights.Viewer: 1, rights.Operator: 2, rights.Administrator: 3}
	asked := 0
	for _, o := range operationsOf(doc) {
		kind, body := o.sent()
		if o.OperationID == "upload" || o.OperationID == "addToBundle" {
			body = upload
		}
		name := strings.ToUpper(o.OperationID[:1]) + o.OperationID[1:]
		for _, workspace := range []string{"main", "other", "nowhere"} {
			if workspace != "main" && !strings.Contains(o.path, "{workspace}") {
				continue
			}
			for _, role := range []rights.Role{"", rights.Viewer, rights.Operator, rights.Administrator} {
				path := o.at(workspace, usual)
				if o.OperationID == "upload" {
					path = strings.Replace(send, "main", workspace, 1)
				}
				res, answer := f.ask(role, o.method, path, kind, body)
				asked++
				said := fmt.Sprintf("%s by %q in %s: %d %s", o.OperationID, role, workspace, res.StatusCode, cut(answer))
				switch {
				case res.StatusCode >= 500:
					t.Error(said)
				case role == "" && needs[name] != anybody:
					if res.StatusCode != http.StatusUnauthorized {
						t.Error(said)
					}
				case rank[role] < rank[needs[name]]:
					if res.StatusCode != http.StatusForbidden {
						t.Error(said)
					}
				case res.StatusCode == http.StatusUnauthorized, res.StatusCode == http.StatusForbidden:
					if needs[name] != anybody {
						t.Error(said)
					}
				case workspace == "nowhere", workspace == "other" && (strings.Contains(o.path, "{import}") ||
					strings.Contains(o.path, "{id}") || strings.Contains(o.path, "{bundle}")):
					if res.StatusCode != http.StatusNotFound && res.StatusCode != http.StatusBadRequest &&
						res.StatusCode != http.StatusUnprocessableEntity {
						t.Error(said)
					}
				case workspace == "main" && o.method == http.MethodGet && res.StatusCode >= 400 &&
					!strings.Contains(o.path, "/routines/{name}") && !strings.Contains(o.path, "/questions/{row}") &&
					!strings.Contains(o.path, "/files/{field}") && !strings.Contains(o.path, "/feeds/{feed}") &&
					!strings.Contains(o.path, "/exports/{export}"):
					t.Error(said)
				}
				input := &openapi3filter.ResponseValidationInput{
					RequestValidationInput: &openapi3filter.RequestValidationInput{
						Request: res.Request, Route: &routers.Route{Spec: doc, Path: o.path, PathItem: doc.Paths.Value(o.path),
							Method: o.method, Operation: o.Operation},
					},
					Status: res.StatusCode, Header: res.Header, Body: io.NopCloser(bytes.NewReader(answer)),
					Options: &openapi3filter.Options{IncludeResponseStatus: true,
						ExcludeResponseBody: !strings.Contains(res.Header.Get("Content-Type"), "json")},
				}
				if err := openapi3filter.ValidateResponse(ctx, input); err != nil {
					t.Errorf("%s: another shape than the contract's: %s", said, cut([]byte(err.Error())))
				}
				if o.method != http.MethodGet && workspace == "main" && res.StatusCode < 300 {
					f.idle()
				}
			}
		}
	}
	if asked < 4*len(needs) {
		t.Errorf("only %d questions were asked of %d operations", asked, len(needs))
	}
}

// What hangs on a record is shown where that is safe, saved else, and runs no script.
func TestAttachedFiles(t *testing.T) {
	t.Parallel()
	f := begin(t)
	var z bytes.Buffer
	w := zip.NewWriter(&z)
	for name, text := range map[string]string{
		"accounts.csv": "Company,External ID\nTern Marina,A-1\n", "attachments.csv": "File,Account\na/page.html,A-1\n" +
			"a/quay.png,A-1\n",
		"a/page.html": "<script>alert(1)</script>", "a/quay.png": "\x89PNG",
	} {
		part, err := w.Create(name)
		if err == nil {
			_, err = io.WriteString(part, text)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	const bundle = "/api/v1/workspaces/main/bundles"
	for _, step := range [][2]string{{"", `{"name":"All of it"}`}, {"/1/files?name=all.zip", z.String()},
		{"/1/check", "{}"}, {"/1/load", "{}"}} {
		kind := "application/json"
		if strings.Contains(step[0], "files") {
			kind = "application/octet-stream"
		}
		if res, body := f.ask(rights.Operator, http.MethodPost, bundle+step[0], kind, step[1]); res.StatusCode >= 300 {
			t.Fatalf("%s: %d %s", step[0], res.StatusCode, body)
		}
		f.until(bundle+"/1", func(b map[string]any) bool {
			return !strings.HasSuffix(b["state"].(string), "ing") &&
				!reading(b)
		})
	}
	_, body := f.ask(rights.Viewer, http.MethodGet, "/api/v1/workspaces/main/records/account/ACC-1/history", "", "")
	var history struct {
		Events []struct {
			Text   string
			Record struct{ ID string }
			File   struct{ Field, Media string }
		}
	}
	if err := json.Unmarshal(body, &history); err != nil || len(history.Events) != 3 {
		t.Fatalf("%v: %s", err, body)
	}
	for _, e := range history.Events[:2] {
		res, content := f.ask(rights.Viewer, http.MethodGet, "/api/v1/workspaces/main/records/attachment/"+e.Record.ID+
			"/files/"+e.File.Field+"?show=true", "", "")
		got := fmt.Sprint(res.StatusCode, " ", res.Header.Get("Content-Type"), " ", res.Header.Get("Content-Disposition"),
			" ", len(content))
		want := map[string]string{"a/page.html": "200 text/plain attachment; filename=page.html 25",
			"a/quay.png": "200 image/png  4"}[e.Text]
		if got != want || !strings.Contains(res.Header.Get("Content-Security-Policy"), "sandbox") ||
			res.Header.Get("X-Content-Type-Options") != "nosniff" {
			t.Errorf("%s: %s, want %s; %v", e.Text, got, want, res.Header)
		}
	}
	if res, body := f.ask(rights.Viewer, http.MethodGet, "/api/v1/workspaces/main/records/account/ACC-1/files/name", "",
		""); res.StatusCode != http.StatusNotFound || !strings.Contains(string(body), "unknown_file") {
		t.Errorf("%d %s", res.StatusCode, body)
	}
}

// until waits until what stands at a path is as it should be.
func (f *face) until(path string, is func(map[string]any) bool) {
	f.Helper()
	for range 600 {
		_, body := f.ask(rights.Viewer, http.MethodGet, path, "", "")
		var v map[string]any
		if json.Unmarshal(body, &v) == nil && is(v) {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	f.Fatalf("%s does not become what it should", path)
}

// reading reports whether an import of a bundle is still read.
func reading(b map[string]any) bool {
	list, _ := b["imports"].([]any)
	return slices.ContainsFunc(list, func(x any) bool {
		busy, _ := x.(map[string]any)["import"].(map[string]any)["busy"].(string)
		return busy != ""
	})
}

// A stream of progress tells what is now, and again what changes, until nobody listens.
func TestProgressStream(t *testing.T) {
	t.Parallel()
	f := begin(t)
	if res, body := f.ask(rights.Operator, http.MethodPost,
		"/api/v1/workspaces/main/imports?into=account&name=marinas.csv", "application/octet-stream",
		"Ref,Company\nA-1,Tern\n"); res.StatusCode >= 300 {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	f.idle()
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, f.url+"/api/v1/workspaces/main/imports/1/events", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+f.tokens[rights.Viewer])
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	until := func(state string) {
		t.Helper()
		for lines.Scan() {
			if strings.Contains(lines.Text(), `"`+state+`"`) {
				return
			}
		}
		t.Fatalf("the stream never says %s: %v", state, lines.Err())
	}
	until("open")
	if res, body := f.ask(rights.Operator, http.MethodPost, "/api/v1/workspaces/main/imports/1/check", "",
		""); res.StatusCode >= 300 {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	until("ready")
}

// A stream of notices tells a person of what is new, and of what came while the line was
// broken; of others' nothing.
func TestNoticeStream(t *testing.T) {
	t.Parallel()
	f := begin(t)
	listen := func(role rights.Role, behind string) *bufio.Scanner {
		t.Helper()
		ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
		t.Cleanup(cancel)
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, f.url+"/api/v1/notices/events", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+f.tokens[role])
		if behind != "" {
			req.Header.Set("Last-Event-ID", behind)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { res.Body.Close() })
		lines := bufio.NewScanner(res.Body)
		lines.Scan() // it is there
		return lines
	}
	says := func(lines *bufio.Scanner) (id, data string) {
		t.Helper()
		for lines.Scan() {
			if x, ok := strings.CutPrefix(lines.Text(), "id: "); ok {
				id = x
			}
			if x, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
				return id, x
			}
		}
		t.Fatalf("the stream says nothing: %v", lines.Err())
		return "", ""
	}
	hand := func(name string) {
		t.Helper()
		res, body := f.ask(rights.Administrator, http.MethodPost, "/api/v1/workspaces/main/imports?into=account&name="+
			name, "application/octet-stream", "Ref,Company\nA-1,"+name+"\n")
		var made struct{ ID int64 }
		if err := json.Unmarshal(body, &made); err != nil || res.StatusCode >= 300 {
			t.Fatalf("%d %s", res.StatusCode, body)
		}
		f.idle()
		if res, body := f.ask(rights.Administrator, http.MethodPost,
			fmt.Sprintf("/api/v1/workspaces/main/imports/%d/hand-over", made.ID), "application/json",
			`{"email":"`+string(rights.Operator)+`@lanternquay.example"}`); res.StatusCode >= 300 {
			t.Fatalf("%d %s", res.StatusCode, body)
		}
	}
	if res, body := f.ask(rights.Operator, http.MethodPut, "/api/v1/notices", "application/json",
		`{"told":["handed_over"]}`); res.StatusCode >= 300 {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	lines := listen(rights.Operator, "")
	hand("first.csv")
	first, data := says(lines)
	if !strings.Contains(data, "first.csv") {
		t.Errorf("the first notice: %s", data)
	}
	hand("second.csv")
	if _, data := says(listen(rights.Operator, first)); !strings.Contains(data, "second.csv") {
		t.Errorf("behind the first: %s", data)
	}
}

// A token outlives neither its maker nor its maker's role, HEAD answers like GET
// without the body, and what is not there is said in the problem's form.
func TestTokensAndHeads(t *testing.T) {
	t.Parallel()
	f := begin(t)
	for body, want := range map[string]string{
		`{"label":"a","role":"viewer","days":31}`:       "outlives_its_maker",
		`{"label":"b","role":"administrator","days":3}`: "role",
	} {
		if res, answer := f.ask(rights.Operator, http.MethodPost, "/api/v1/tokens", "application/json",
			body); res.StatusCode < 400 || !strings.Contains(string(answer), want) {
			t.Errorf("%s: %d %s", body, res.StatusCode, answer)
		}
	}
	for _, path := range []string{"/", "/w/main/imports", "/health", "/api/v1/openapi.yaml"} {
		get, body := f.ask(rights.Viewer, http.MethodGet, path, "", "")
		head, none := f.ask(rights.Viewer, http.MethodHead, path, "", "")
		if get.StatusCode != 200 || head.StatusCode != 200 ||
			head.Header.Get("Content-Type") != get.Header.Get("Content-Type") || len(none) != 0 || len(body) == 0 {
			t.Errorf("%s: GET %d, HEAD %d %v", path, get.StatusCode, head.StatusCode, head.Header)
		}
	}
	if res, body := f.ask(rights.Viewer, http.MethodGet, "/api/v1/nothing", "", ""); res.StatusCode != 404 ||
		!strings.Contains(string(body), "unknown_path") {
		t.Errorf("%d %s", res.StatusCode, body)
	}
}

func bit(is bool) int {
	if is {
		return 1
	}
	return 0
}

func cut(b []byte) string {
	s := strings.ReplaceAll(string(b), "\n", " ")
	if len(s) > 300 {
		s = s[:300] + "…"
	}
	return s
}

// What a browser is told with every page: nothing inline, no frames, no guessing of types;
// each page has a nonce of its own, which its policy names. Over TLS the cookie is bound
// to the host.
func TestHeaders(t *testing.T) {
	t.Parallel()
	f := begin(t)
	page := `<!doctype html><meta name="nonce" content="` + nonceMark + `">`
	f.server(Options{Log: slog.New(slog.DiscardHandler), Secure: true,
		SecurityContact: "mailto:security@lanternquay.example", Console: fstest.MapFS{"index.html": {Data: []byte(page)}}})
	var nonces []string
	for range 2 {
		res, body := f.ask("", http.MethodGet, "/w/main", "", "")
		policy := res.Header.Get("Content-Security-Policy")
		_, nonce, _ := strings.Cut(string(body), `content="`)
		nonce, _, _ = strings.Cut(nonce, `"`)
		if !strings.Contains(policy, "style-src 'self' 'nonce-"+nonce+"'") || strings.Contains(policy, "unsafe") ||
			nonce == nonceMark || len(nonce) < 20 {
			t.Errorf("%s\n%s", policy, body)
		}
		nonces = append(nonces, nonce)
		for name, want := range map[string]string{"X-Content-Type-Options": "nosniff", "X-Frame-Options": "DENY",
			"Cache-Control": "no-store", "Strict-Transport-Security": "max-age=31536000"} {
			if got := res.Header.Get(name); got != want {
				t.Errorf("%s: %q", name, got)
			}
		}
	}
	if nonces[0] == nonces[1] {
		t.Error("two pages have one nonce")
	}
	res, body := f.ask("", http.MethodPost, "/api/v1/session", "application/json",
		`{"email":"viewer@lanternquay.example","password":"shore power for all"}`)
	if c := res.Header.Get("Set-Cookie"); !strings.HasPrefix(c, "__Host-uchi_session=") ||
		!strings.Contains(c, "Secure") || !strings.Contains(c, "HttpOnly") || !strings.Contains(c, "SameSite=Strict") ||
		!strings.Contains(c, "Path=/") {
		t.Errorf("the cookie is %q: %s", c, body)
	}
	if res, body := f.ask(rights.Viewer, http.MethodGet, "/metrics", "", ""); res.StatusCode != http.StatusOK ||
		!strings.Contains(string(body), "uchi_processes 1") || !strings.Contains(string(body), "uchi_notices_waiting 0") {
		t.Errorf("the metrics: %d\n%s", res.StatusCode, body)
	}
	if _, body := f.ask("", http.MethodGet, "/.well-known/security.txt", "", ""); !strings.Contains(string(body),
		"Contact: mailto:security@lanternquay.example\nExpires: ") {
		t.Errorf("security.txt says %s", body)
	}
	if res, body := f.ask(rights.Operator, http.MethodPost, "/api/v1/workspaces/main/bundles", "application/json",
		`{"name":"`+strings.Repeat("x", mostJSON)+`"}`); res.StatusCode != http.StatusRequestEntityTooLarge ||
		!strings.Contains(string(body), "request_too_large") {
		t.Errorf("%d %.200s", res.StatusCode, body)
	}
}

// A body that stops coming is cut off, one that goes on slowly is not.
func TestSlowBody(t *testing.T) {
	t.Parallel()
	got := make(chan error, 1)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, err := io.Copy(io.Discard, &patient{r.Body, http.NewResponseController(w), 300 * time.Millisecond})
		got <- err
	}))
	defer server.Close()
	for name, stops := range map[string]bool{"one that goes on": false, "one that stops": true} {
		body, in := io.Pipe()
		go func() {
			for range 6 {
				io.WriteString(in, "x") //nolint:errcheck // it may be cut off
				time.Sleep(100 * time.Millisecond)
			}
			if !stops {
				in.Close() //nolint:errcheck // it is done
			}
		}()
		req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, server.URL, body)
		if err != nil {
			t.Fatal(err)
		}
		go func() {
			if res, err := http.DefaultClient.Do(req); err == nil {
				res.Body.Close() //nolint:errcheck // only the other side counts
			}
		}()
		if err := <-got; (err != nil) != stops {
			t.Errorf("%s: %v", name, err)
		}
		in.Close() //nolint:errcheck // the test is over
	}
}
