package api

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"uchi/api"
	"uchi/internal/core/rights"

	"github.com/getkin/kin-openapi/openapi3"
)

// Whatever an operation is asked, a parameter or a property that the contract does not know is refused, and so is
// a body without what it must hold; who may not ask at all is told that, and not this.
func TestWhatTheContractDoesNotKnow(t *testing.T) {
	t.Parallel()
	f := begin(t)
	doc, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	if err != nil {
		t.Fatal(err)
	}
	if res, body := f.ask(rights.Operator, http.MethodPost, "/api/v1/workspaces/main/imports?into=account&name=marinas.csv",
		"application/octet-stream", "Ref,Company,Town\nA-1,Tern Marina,Ternvik\n"); res.StatusCode >= 300 {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	f.idle()
	code := func(o operation, path, kind, body string) (said string) {
		t.Helper()
		res, answer := f.ask(rights.Administrator, o.method, path, kind, body)
		var e struct{ Code string }
		if json.Unmarshal(answer, &e) != nil || res.StatusCode < 400 {
			t.Errorf("%s %s %s: %d %s", o.method, path, body, res.StatusCode, cut(answer))
		}
		return e.Code
	}
	bodies, missing := 0, 0
	for _, o := range operationsOf(doc) {
		kind, body := o.sent()
		path := o.at("main", usual)
		if strings.HasSuffix(path, "/") {
			continue // there is nothing of the kind
		}
		with := path + "?"
		if strings.Contains(path, "?") {
			with = path + "&"
		}
		if got := code(o, with+"rowz=2-3", kind, body); got != "unknown_parameter" && got != "bad_request" {
			t.Errorf("%s with a parameter that is none: %s", o.OperationID, got)
		}
		var s shape
		if o.RequestBody != nil && kind == "application/json" {
			s = *forms()[o.method+" "+o.path].body
		}
		if len(s.names) > 0 && !s.free && s.others == nil {
			bodies++
			odd := `{"rowz":"2-3"` + strings.TrimSuffix(", "+strings.TrimPrefix(body, "{"), ", }")
			if !strings.HasSuffix(odd, "}") {
				odd += "}"
			}
			for _, kind := range []string{kind, "", "text/plain"} { // it is read all the same
				if got := code(o, path, kind, odd); got != "unknown_property" {
					t.Errorf("%s with a property that is none (%s): %s", o.OperationID, odd, got)
				}
			}
		}
		if len(s.required) > 0 {
			missing++
			if got := code(o, path, kind, `{}`); got != "missing_property" {
				t.Errorf("%s without %s: %s", o.OperationID, s.required[0], got)
			}
		}
	}
	if bodies < 40 || missing < 20 {
		t.Errorf("%d bodies with properties, %d with such as must be there", bodies, missing)
	}
	if res, answer := f.ask(rights.Viewer, http.MethodPost, "/api/v1/workspaces/main/imports/1/load", "application/json",
		`{"row":"2"}`); res.StatusCode != http.StatusForbidden {
		t.Errorf("%d %s", res.StatusCode, answer)
	}
}

// A request says where it says what there is not, and what there is.
func TestWhereTheContractEnds(t *testing.T) {
	t.Parallel()
	for _, x := range []struct{ operation, query, body, want string }{
		{"POST /workspaces/{workspace}/imports/{import}/load", "", `{"rows":"2-11"}`, ""},
		{"POST /workspaces/{workspace}/imports/{import}/load", "", ``, ""},
		{"POST /workspaces/{workspace}/imports/{import}/load", "", `{"row":"2-11"}`, `no such property here: "row". There may be: `},
		{"POST /workspaces/{workspace}/imports/{import}/load", "", `{"Rows":"2-11"}`, `no such property here: "Rows"`},
		{"POST /workspaces/{workspace}/imports/{import}/load", "", `{"rows":`, `the request is no JSON (at character 9)`},
		{"POST /workspaces/{workspace}/imports/{import}/load", "", `{"rows":"2-11",}`, `no JSON (at character 16): "}"`},
		{"POST /workspaces/{workspace}/imports/{import}/load", "", `{"rows":"2-11"} and`, `no JSON (at character 17): "and"`},
		{"POST /workspaces/{workspace}/imports/{import}/load", "", `{"rows":2}`,
			`a whole number stands where a text is wanted (at rows): "2". Write it in quotes.`},
		{"POST /workspaces/{workspace}/imports/{import}/load", "", `{"first":"2"}`,
			`a text stands where a whole number is wanted (at first): "\"2\"". Write it without quotes.`},
		{"POST /workspaces/{workspace}/imports/{import}/load", "", `{"first":2.5}`, `a number stands where a whole number is wanted`},
		{"POST /workspaces/{workspace}/imports/{import}/load", "", `{"first":null}`, ""},
		{"POST /workspaces/{workspace}/imports/{import}/load", "", `["2-11"]`, `a list stands where an object is wanted`},
		{"PATCH /workspaces/{workspace}/records/{type}/{id}", "", `{"values":{"employees":12}}`, `(at values.employees): "12". Write it in quotes.`},
		{"PATCH /workspaces/{workspace}/records/{type}/{id}", "", `{"values":{"employees":null}}`, ""},
		{"POST /workspaces/{workspace}/imports/{import}/edits", "", `{"cells":[{"row":2,"column":"Town","value":"Os"}]}`, ""},
		{"POST /workspaces/{workspace}/imports/{import}/edits", "", `{"cells":[{"row":2,"column":"Town","valu":"Os"}]}`,
			`(at cells[0]): "valu"`},
		{"POST /workspaces/{workspace}/imports/{import}/edits", "", `{"cells":[{"row":2,"value":"Os"}]}`,
			`a property is missing (at cells[0]): "column"`},
		{"POST /workspaces/{workspace}/imports/{import}/edits", "", `{"cells":null}`, `a property is missing: "cells"`},
		{"DELETE /workspaces/{workspace}/imports/{import}/edits", "row=2&row=3", ``, ""},
		{"DELETE /workspaces/{workspace}/imports/{import}/edits", "rows=2", ``,
			`no such parameter here: "rows". There may be: column, row.`},
		{"DELETE /workspaces/{workspace}/imports/{import}/edits", "row=2;column=x", ``, `the parameters cannot be read: "row=2;column=x"`},
		{"DELETE /workspaces/{workspace}/imports/{import}/edits", "row=%zz", ``, `the parameters cannot be read`},
		{"PUT /workspaces/{workspace}/imports/{import}/routine", "",
			`{"may":"create","drafts":[{"type":"account","fields":{"name":{"from":["A"]},"town":{"form":["B"]}}}]}`,
			`(at drafts[0].fields.town): "form"`},
		{"PUT /workspaces/{workspace}/imports/{import}/routine", "", `{"may":"create","drafts":[{"type":"account","fields":{"name":{"from":["A"]}}}]}`, ""},
	} {
		f, ok := forms()[x.operation]
		if !ok {
			t.Fatalf("no %s", x.operation)
		}
		method, _, _ := strings.Cut(x.operation, " ")
		r, err := http.NewRequest(method, "http://127.0.0.1/?"+x.query, strings.NewReader(x.body))
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		if r.Body == nil {
			r.Body = http.NoBody
		}
		if err := f.odd(r); err != nil {
			got = err.Error()
		}
		if x.want == "" && got != "" || !strings.Contains(got, x.want) {
			t.Errorf("%s %s %s: %q, want %q", x.operation, x.query, x.body, got, x.want)
		}
	}
}
