package api

import (
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"testing/fstest"

	"uchi/internal/core/rights"
	"uchi/internal/standin"
)

// Who signs in by the organisation is who it says, with the role of their groups; who is
// in none and not known here, whose address nobody looked at, and what was not begun
// here, is refused.
func TestSignInByTheOrganisation(t *testing.T) {
	t.Parallel()
	f := begin(t)
	var issuer *standin.Issuer
	outside := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter,
		r *http.Request) {
		issuer.ServeHTTP(w, r)
	}))
	defer outside.Close()
	var err error
	issuer, err = standin.NewIssuer(outside.URL, "uchi", "secret",
		standin.Somebody{Email: "Ingrid@lanternquay.example", Name: "Ingrid", Groups: []string{"data", "sales"}},
		standin.Somebody{Email: "viewer@lanternquay.example", Name: "Somebody"},
		standin.Somebody{Email: "nobody@lanternquay.example", Name: "Nobody"},
		standin.Somebody{Email: "administrator@lanternquay.example", Name: "A", Unverified: true})
	if err != nil {
		t.Fatal(err)
	}
	var console http.Handler
	here := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { console.ServeHTTP(w, r) }))
	defer here.Close()
	console = f.handler(Options{Log: slog.New(slog.DiscardHandler),
		Console: fstest.MapFS{"index.html": {Data: []byte("<!doctype html>")}}, PublicURL: here.URL,
		Provider: &Provider{
			Issuer: outside.URL, Client: "uchi", Secret: "secret", Label: "Lanternquay",
			Roles: map[string]rights.Role{"data": rights.Administrator, "sales": rights.Operator},
		}})
	browser := func() *http.Client {
		jar, err := cookiejar.New(nil)
		if err != nil {
			t.Fatal(err)
		}
		return &http.Client{Jar: jar}
	}
	get := func(c *http.Client, address string) (*http.Response, string) {
		t.Helper()
		res, err := c.Get(address)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close() //nolint:errcheck // only read from
		body, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		return res, string(body)
	}
	for email, want := range map[string]string{
		"Ingrid@lanternquay.example": `"role":"administrator"`, "viewer@lanternquay.example": `"role":"viewer"`,
		"nobody@lanternquay.example": "provider_unknown", "administrator@lanternquay.example": "provider_no_address",
	} {
		c := browser()
		res, page := get(c, here.URL+signInStart)
		if !strings.Contains(page, "Who are you?") {
			t.Fatalf("%s: %d %s", email, res.StatusCode, page)
		}
		q := res.Request.URL.Query()
		q.Set("as", email)
		res, _ = get(c, outside.URL+"/authorize?"+q.Encode())
		_, me := get(c, here.URL+"/api/v1/session")
		if got := res.Request.URL.RawQuery + " " + me; !strings.Contains(got, want) {
			t.Errorf("%s: %s", email, got)
		}
		if res, _ := get(c, here.URL+signInBack+"?"+url.Values{"code": {"x"},
			"state": {q.Get("state")}}.Encode()); !strings.Contains(res.Request.URL.RawQuery, "provider_refused") {
			t.Errorf("%s comes back twice: %s", email, res.Request.URL)
		}
	}
	// A browser that is sent back with what another has begun.
	c, other := browser(), browser()
	res, _ := get(c, here.URL+signInStart)
	q := res.Request.URL.Query()
	q.Set("as", "Ingrid@lanternquay.example")
	c.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	res, _ = get(c, outside.URL+"/authorize?"+q.Encode())
	get(other, here.URL+signInStart) // it has begun something of its own
	if res, _ := get(other, res.Header.Get("Location")); !strings.Contains(res.Request.URL.RawQuery, "provider_refused") {
		t.Errorf("what another has begun: %s", res.Request.URL)
	}
	if _, body := f.ask("", http.MethodPost, "/api/v1/session", "application/json",
		`{"email":"ingrid@lanternquay.example","password":"none"}`); !strings.Contains(string(body), "sign_in_failed") {
		t.Errorf("with a password that there is none of: %s", body)
	}
}
