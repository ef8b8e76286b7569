package api

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"uchi/internal/core/rights"
)

// People are changed and suspended at once, and the last administrator stays.
func TestPeople(t *testing.T) {
	f := begin(t)
	const asJSON = "application/json"
	var list struct {
		People []struct {
			ID        int64
			Role      rights.Role
			Suspended bool
		}
	}
	people := func() map[rights.Role]string {
		_, body := f.ask(rights.Administrator, http.MethodGet, "/api/v1/people", "", "")
		if err := json.Unmarshal(body, &list); err != nil {
			t.Fatal(err)
		}
		paths := map[rights.Role]string{}
		for _, p := range list.People {
			paths[p.Role] = fmt.Sprint("/api/v1/people/", p.ID)
		}
		return paths
	}
	paths := people()
	change := func(path, body string, want int, code string) {
		t.Helper()
		res, answer := f.ask(rights.Administrator, http.MethodPatch, path, asJSON, body)
		if res.StatusCode != want || !strings.Contains(string(answer), code) {
			t.Errorf("%s %s: %d %s, want %d %s", path, body, res.StatusCode, answer, want, code)
		}
	}
	change(paths[rights.Administrator], `{"role": "viewer"}`, http.StatusConflict, "last_administrator")
	change(paths[rights.Administrator], `{"suspended": true}`, http.StatusConflict, "last_administrator")
	change(paths[rights.Operator], `{"role": "king"}`, http.StatusUnprocessableEntity, "")
	change(paths[rights.Operator], `{"name": "  "}`, http.StatusUnprocessableEntity, "person_incomplete")
	change(paths[rights.Operator], `{"password": "short"}`, http.StatusUnprocessableEntity, "password_too_short")
	change("/api/v1/people/4711", `{"name": "Nobody"}`, http.StatusNotFound, "unknown_person")

	signIn := func(email, password string) (int, *http.Cookie) {
		res, _ := f.ask("", http.MethodPost, "/api/v1/session", asJSON, fmt.Sprintf(`{"email": %q, "password": %q}`, email, password))
		for _, c := range res.Cookies() {
			return res.StatusCode, c
		}
		return res.StatusCode, nil
	}
	as := func(c *http.Cookie, method, path, body string) int {
		req, err := http.NewRequestWithContext(t.Context(), method, f.url+path, strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		req.AddCookie(c)
		req.Header.Set("Content-Type", asJSON)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res.StatusCode
	}
	const email = "operator@lanternquay.example"
	_, cookie := signIn(email, "shore power for all")
	_, other := signIn(email, "shore power for all")
	if got := as(cookie, http.MethodPatch, "/api/v1/session", `{"old": "not this one", "new": "boats and buoys"}`); got != http.StatusUnprocessableEntity {
		t.Errorf("a wrong old password: %d", got)
	}
	if got := as(cookie, http.MethodPatch, "/api/v1/session", `{"old": "shore power for all", "new": "boats and buoys"}`); got != http.StatusNoContent {
		t.Errorf("a new password: %d", got)
	}
	if own, others := as(cookie, http.MethodGet, "/api/v1/session", ""), as(other, http.MethodGet, "/api/v1/session", ""); own != http.StatusOK || others != http.StatusUnauthorized {
		t.Errorf("after a new password the own session answers %d and the other %d", own, others)
	}
	change(paths[rights.Operator], `{"suspended": true}`, http.StatusOK, `"suspended":true`)
	if got := as(cookie, http.MethodGet, "/api/v1/session", ""); got != http.StatusUnauthorized {
		t.Errorf("a suspended person's session answers %d", got)
	}
	if res, _ := f.ask(rights.Operator, http.MethodGet, "/api/v1/session", "", ""); res.StatusCode != http.StatusUnauthorized {
		t.Errorf("a suspended person's token answers %d", res.StatusCode)
	}
	if got, _ := signIn(email, "boats and buoys"); got != http.StatusUnauthorized {
		t.Errorf("a suspended person signs in: %d", got)
	}
	change(paths[rights.Operator], `{"suspended": false, "role": "administrator"}`, http.StatusOK, `"administrator"`)
	if got, _ := signIn(email, "boats and buoys"); got != http.StatusOK {
		t.Errorf("an admitted person cannot sign in: %d", got)
	}
	change(paths[rights.Administrator], `{"role": "viewer"}`, http.StatusOK, `"viewer"`)
}
