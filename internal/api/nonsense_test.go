package api

import (
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"uchi/api"
	"uchi/internal/core/rights"

	"github.com/getkin/kin-openapi/openapi3"
)

// texts are what somebody may send where a text is wanted.
var texts = []string{"", " ", "x", "0", "-1", "NaN", "9223372036854775808", "1e400", "null", "true", "a\x00b", "\u202e\ufeff", "𝔘\U0001F6A2",
	"'; drop table people; --", `"`, `\`, "%s%n%d", "{{.}}", "../../etc/passwd", "<script>alert(1)</script>", "name", "account", "contact",
	"=1+1", "country == ", "today(99999999999)", "(?:a|a)*$", "2-", "2-1", "99999999999-99999999999999", "ACC-1", "ACC-99999999999999999999",
	"2026-13-45", "0000-00-00", "https://127.0.0.1:1/x", "http://[::1", "file:///etc/passwd", "ada@lanternquay.example", strings.Repeat("long ", 3000),
	strings.Repeat("(", 500)}

// numbers are what somebody may send where a number is wanted.
var numbers = []any{0, 1, -1, 2, 7, 1 << 31, -(1 << 40), json.Number("9223372036854775807"), json.Number("9223372036854775808"),
	json.Number("1e400"), 0.5, -0.1}

// nonsense makes a value of the shape that a schema describes, or now and then of another.
func nonsense(r *rand.Rand, ref *openapi3.SchemaRef, depth int) any {
	text := func() any { return texts[r.IntN(len(texts))] }
	if ref == nil || ref.Value == nil || depth > 6 || r.IntN(25) == 0 {
		return []any{nil, text(), numbers[r.IntN(len(numbers))], []any{}, map[string]any{}, true}[r.IntN(6)]
	}
	s := ref.Value
	for _, parts := range []openapi3.SchemaRefs{s.AllOf, s.OneOf, s.AnyOf} {
		if len(parts) > 0 {
			return nonsense(r, parts[r.IntN(len(parts))], depth+1)
		}
	}
	switch {
	case len(s.Enum) > 0 && r.IntN(4) > 0:
		return s.Enum[r.IntN(len(s.Enum))]
	case s.Type.Is("boolean"):
		return r.IntN(2) == 0
	case s.Type.Is("integer"), s.Type.Is("number"):
		return numbers[r.IntN(len(numbers))]
	case s.Type.Is("array"):
		list := []any{}
		for range r.IntN(4) {
			list = append(list, nonsense(r, s.Items, depth+1))
		}
		return list
	case s.Type.Is("object"), len(s.Properties) > 0, s.AdditionalProperties.Schema != nil:
		object := map[string]any{}
		for _, name := range slices.Sorted(maps.Keys(s.Properties)) { // the same each time
			if r.IntN(3) > 0 || slices.Contains(s.Required, name) && r.IntN(12) > 0 {
				object[name] = nonsense(r, s.Properties[name], depth+1)
			}
		}
		if s.AdditionalProperties.Schema != nil {
			for range r.IntN(3) {
				object[fmt.Sprint(text())] = nonsense(r, s.AdditionalProperties.Schema, depth+1)
			}
		}
		return object
	}
	return text()
}

// Whatever is sent, the answer is one: nothing is an error of the service, and what is refused says what is wrong.
func TestNonsenseIsAnswered(t *testing.T) {
	t.Parallel()
	f := begin(t)
	doc, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	if err != nil {
		t.Fatal(err)
	}
	upload := func() {
		t.Helper()
		if res, body := f.ask(rights.Operator, http.MethodPost, "/api/v1/workspaces/main/imports?into=account&name=marinas.csv",
			"application/octet-stream", "Ref,Company,Town\nA-1,Tern Marina,Ternvik\nA-2,Gull Marina,Gullvik\nA-3,,\n"); res.StatusCode >= 300 {
			t.Fatalf("%d %s", res.StatusCode, body)
		}
		f.idle()
	}
	upload()
	// What ends the session of who asks, or takes away what the others are asked about; what waits for another system.
	leaves := map[string]bool{"signOut": true, "removeToken": true, "changePassword": true, "removeWorkspace": true,
		"changePerson": true, "upload": true, "addToBundle": true, "endSession": true, "setSettings": true}
	r := rand.New(rand.NewPCG(5, 5))
	asked, refused := 0, 0
	for range 3 {
		for _, o := range operationsOf(doc) {
			if leaves[o.OperationID] {
				continue
			}
			for range 3 {
				known := map[string]string{}
				for _, k := range slices.Sorted(maps.Keys(usual)) {
					if known[k] = usual[k]; r.IntN(6) == 0 {
						known[k] = texts[r.IntN(len(texts))]
					}
				}
				for k, v := range known { // a path has no blank part, and no stroke of its own
					if v == "" || strings.ContainsAny(v, "/\x00") {
						known[k] = "x"
					}
					known[k] = url.PathEscape(known[k])
				}
				path := o.at("main", known)
				query := url.Values{}
				for _, p := range o.Parameters {
					if p.Value.In == "query" && r.IntN(2) == 0 {
						query.Set(p.Value.Name, strings.Trim(fmt.Sprint(nonsense(r, p.Value.Schema, 5)), "\x00"))
					}
				}
				if len(query) > 0 {
					path, _, _ = strings.Cut(path, "?")
					path += "?" + query.Encode()
				}
				kind, body := o.sent()
				if o.RequestBody != nil && kind == "application/json" {
					var shape *openapi3.SchemaRef
					if m := o.RequestBody.Value.Content.Get(kind); m != nil {
						shape = m.Schema
					}
					sent, err := json.Marshal(nonsense(r, shape, 0))
					if err != nil {
						continue // no number of JSON
					}
					if body = string(sent); r.IntN(30) == 0 {
						body = body[:len(body)/2]
					}
				}
				res, answer := f.ask(rights.Administrator, o.method, path, kind, body)
				asked++
				said := fmt.Sprintf("%s %s %s\n%s", o.method, cut([]byte(path)), cut([]byte(body)), cut(answer))
				if res.StatusCode >= 500 {
					t.Errorf("%d: %s", res.StatusCode, said)
				}
				if res.StatusCode >= 400 {
					refused++
					var e struct{ Code, Title string } // problem details (RFC 9457)
					if json.Unmarshal(answer, &e) != nil || e.Code == "" || e.Title == "" {
						t.Errorf("%d says nothing: %s", res.StatusCode, said)
					}
					if strings.Contains(string(answer), "SQLSTATE") {
						t.Errorf("%d tells what the database says: %s", res.StatusCode, said)
					}
				}
			}
		}
	}
	f.idle()
	if asked < 500 || refused*5 < asked {
		t.Errorf("%d were asked, of which %d were refused", asked, refused)
	}
	// And the service still does its work.
	upload()
}
