package api

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"

	"uchi/api"
	"uchi/internal/core/fault"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/go-chi/chi/v5"
)

// What a request says that the contract does not know is refused, not passed over: a load that
// was asked for as {"row": "2-11"}, and not as {"rows": …}, would else be one of all rows.
var (
	errParameter = fault.New(fault.Invalid, "unknown_parameter", "there is no such parameter here")
	errQuery     = fault.New(fault.Invalid, "bad_query", "the parameters cannot be read")
	errProperty  = fault.New(fault.Invalid, "unknown_property", "there is no such property here")
	errMissing   = fault.New(fault.Invalid, "missing_property", "a property is missing")
	errBlank     = fault.New(fault.Invalid, "blank_property", "this says nothing").Mended("Leave it out, or say what is meant.")
	errLess      = fault.New(fault.Invalid, "too_little", "the number is too small")
	errJSON      = fault.New(fault.Invalid, "bad_json", "the request is no JSON")
)

// basePath is where the operations of the contract are served.
const basePath = "/api/v1"

// form is what a request of one operation may say.
type form struct {
	query []string
	body  *shape // nil when none is read as JSON
	kinds int    // of how many kinds a body may be
}

// shape is what a JSON value may hold. A nil one may hold anything.
type shape struct {
	kind     string            // as in a schema, such as integer; empty when it may be of several
	names    map[string]*shape // the properties of an object
	required []string
	others   *shape // of the values of an object with any names
	free     bool   // other names are not looked at
	items    *shape // of a list
	least    *float64
	filled   bool // a text says something
}

// formsOf reads the forms of all operations from the contract, by method and path, such as
// "POST /workspaces/{workspace}/imports".
func formsOf(contract []byte) (map[string]form, error) {
	doc, err := openapi3.NewLoader().LoadFromData(contract)
	if err != nil {
		return nil, fmt.Errorf("read the contract: %w", err)
	}
	forms := map[string]form{}
	known := map[*openapi3.Schema]*shape{}
	for path, item := range doc.Paths.Map() {
		for method, o := range item.Operations() {
			var f form
			for _, list := range []openapi3.Parameters{item.Parameters, o.Parameters} {
				for _, p := range list {
					if p.Value.In == openapi3.ParameterInQuery {
						f.query = append(f.query, p.Value.Name)
					}
				}
			}
			slices.Sort(f.query)
			if o.RequestBody != nil {
				if m := o.RequestBody.Value.Content.Get("application/json"); m != nil {
					f.body, f.kinds = shapeOf(m.Schema, known), len(o.RequestBody.Value.Content)
				}
			}
			forms[method+" "+path] = f
		}
	}
	return forms, nil
}

// shapeOf makes the shape of a schema; known holds those that are made, which may hold themselves.
func shapeOf(ref *openapi3.SchemaRef, known map[*openapi3.Schema]*shape) *shape {
	if ref == nil || ref.Value == nil {
		return nil
	}
	s := ref.Value
	if made, ok := known[s]; ok {
		return made
	}
	if len(s.AllOf) == 1 && len(s.Properties) == 0 { // another schema, with words of its own
		return shapeOf(s.AllOf[0], known)
	}
	made := &shape{names: map[string]*shape{}, required: slices.Clone(s.Required)}
	if s.Type != nil && len(*s.Type) == 1 {
		made.kind = (*s.Type)[0]
	}
	known[s] = made
	made.least, made.filled = s.Min, s.MinLength > 0
	made.items = shapeOf(s.Items, known)
	made.others = shapeOf(s.AdditionalProperties.Schema, known)
	for name, p := range s.Properties {
		made.names[name] = shapeOf(p, known)
	}
	for _, part := range s.AllOf {
		if p := shapeOf(part, known); p != nil {
			maps.Copy(made.names, p.names)
			made.required = append(made.required, p.required...)
			made.items, made.others = cmp.Or(made.items, p.items), cmp.Or(made.others, p.others)
		}
	}
	has := s.AdditionalProperties.Has
	made.free = len(made.names) == 0 || has != nil && *has || len(s.OneOf)+len(s.AnyOf) > 0
	slices.Sort(made.required)
	return made
}

// fits gives an error when a value, as encoding/json has read it with its numbers as they are
// written, is of another kind than its shape, says what that does not know, or leaves away what it
// must hold. What has no value fits anything.
func (s *shape) fits(v any, path string) error {
	if s == nil || v == nil {
		return nil
	}
	if is := kindOf(v); s.kind != "" && is != s.kind && (is != "integer" || s.kind != "number") {
		value, err := json.Marshal(v)
		if err != nil {
			return err
		}
		return fault.Newf(fault.Invalid, "wrong_kind", "%s stands where %s is wanted", called[is], called[s.kind]).
			With(string(value)).At(fault.Place{Path: path}).Mended(quoted(s.kind, is))
	}
	switch v := v.(type) {
	case string:
		if s.filled && strings.TrimSpace(v) == "" {
			return errBlank.At(fault.Place{Path: path})
		}
	case json.Number:
		if n, err := v.Float64(); s.least != nil && (err != nil || n < *s.least) {
			return errLess.With(v.String()).At(fault.Place{Path: path}).Mended(fmt.Sprintf("It is at least %v.", *s.least))
		}
	case []any:
		for n, item := range v {
			if err := s.items.fits(item, path+"["+strconv.Itoa(n)+"]"); err != nil {
				return err
			}
		}
	case map[string]any:
		for _, name := range slices.Sorted(maps.Keys(v)) {
			p, ok := s.names[name]
			switch {
			case ok:
			case s.others != nil:
				p = s.others
			case !s.free:
				return errProperty.With(name).At(fault.Place{Path: path}).Mended(mayHold(slices.Sorted(maps.Keys(s.names))))
			}
			if err := p.fits(v[name], strings.TrimPrefix(path+"."+name, ".")); err != nil {
				return err
			}
		}
		for _, name := range s.required {
			if v[name] == nil {
				return errMissing.With(name).At(fault.Place{Path: path}).Mended("See /api/v1/openapi.yaml for its form.")
			}
		}
	}
	return nil
}

// called is what the kinds of JSON are called.
var called = map[string]string{"string": "a text", "integer": "a whole number", "number": "a number", "boolean": "true or false",
	"array": "a list", "object": "an object"}

// quoted says what makes the kind that is wanted of the one that is.
func quoted(wanted, is string) string {
	switch {
	case wanted == "string" && (is == "integer" || is == "number" || is == "boolean"):
		return "Write it in quotes."
	case wanted == "array":
		return "Write it in brackets, also where there is only one."
	case is == "string" && (wanted == "integer" || wanted == "number" || wanted == "boolean"):
		return "Write it without quotes."
	}
	return "See /api/v1/openapi.yaml for its form."
}

// kindOf is the kind of a value, as a schema names it.
func kindOf(v any) string {
	switch v := v.(type) {
	case string:
		return "string"
	case bool:
		return "boolean"
	case []any:
		return "array"
	case map[string]any:
		return "object"
	case json.Number:
		if !strings.ContainsAny(v.String(), ".eE") {
			return "integer"
		}
	}
	return "number"
}

// mayHold says what there is.
func mayHold(names []string) string {
	if len(names) == 0 {
		return "There is none."
	}
	return "There may be: " + strings.Join(names, ", ") + "."
}

type oddityKey struct{}

// read notes what a request says that the contract does not know. Whether they may ask at all
// is seen before it is told.
func read(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		method := r.Method
		if method == http.MethodHead {
			method = http.MethodGet
		}
		path := strings.TrimPrefix(chi.RouteContext(r.Context()).RoutePattern(), basePath)
		if f, ok := forms()[method+" "+path]; ok {
			if err := f.odd(r); err != nil {
				r = r.WithContext(context.WithValue(r.Context(), oddityKey{}, err))
			}
		}
		next.ServeHTTP(w, r)
	})
}

// oddityOf gives what read has noted of a request.
func oddityOf(ctx context.Context) error {
	err, _ := ctx.Value(oddityKey{}).(error)
	return err
}

// odd gives an error when a request says what its form does not know. The body can be read
// again; a blank one is left to who reads it.
func (f form) odd(r *http.Request) error {
	query, err := url.ParseQuery(r.URL.RawQuery)
	if err != nil { // what cannot be read would be passed over
		return errQuery.With(r.URL.RawQuery).Mended("Write signs that mean something in an address as %3B and the like.")
	}
	for _, name := range slices.Sorted(maps.Keys(query)) {
		if !slices.Contains(f.query, name) {
			return errParameter.With(name).Mended(mayHold(f.query))
		}
	}
	if f.body == nil || f.kinds > 1 && !strings.HasPrefix(r.Header.Get("Content-Type"), "application/json") {
		return nil
	}
	b, err := io.ReadAll(r.Body)
	r.Body = again{io.MultiReader(bytes.NewReader(b), failing{err}), r.Body}
	if err != nil || len(bytes.TrimSpace(b)) == 0 {
		return nil
	}
	d := json.NewDecoder(bytes.NewReader(b))
	d.UseNumber()
	var v any
	if err = d.Decode(&v); err == nil {
		if _, err = d.Token(); err == io.EOF {
			return f.body.fits(v, "")
		}
	}
	at := d.InputOffset()
	if syntax, ok := errors.AsType[*json.SyntaxError](err); ok {
		at = max(syntax.Offset-1, 0)
	} else if errors.Is(err, io.ErrUnexpectedEOF) {
		at = int64(len(b))
	}
	rest := bytes.TrimLeft(b[min(at, int64(len(b))):], " \t\r\n")
	return errJSON.With(fault.Cut(string(rest), 20)).At(fault.Place{Path: fmt.Sprintf("character %d", len(b)-len(rest)+1)}).
		Mended("See /api/v1/openapi.yaml for its form.")
}

// again is a body whose bytes were read before.
type again struct {
	io.Reader
	io.Closer
}

// failing is what reading ended with, if it was no end.
type failing struct{ err error }

// Read implements io.Reader.
func (f failing) Read([]byte) (int, error) {
	if f.err != nil {
		return 0, f.err
	}
	return 0, io.EOF
}

// forms are those of the contract that is built in.
var forms = sync.OnceValue(func() map[string]form {
	f, err := formsOf(api.OpenAPI)
	if err != nil {
		panic(err) // the server is generated from it
	}
	return f
})
