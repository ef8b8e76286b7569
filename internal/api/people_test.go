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
		res, _ := f.ask("", http.MethodPost, "/api/v1/session", asJSON, fmt.Sprintf(`{"email": %q, "password": %q}`,
			email, password))
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
	if got := as(cookie, http.MethodPatch, "/api/v1/session",
		`{"old": "not this one", "new": "boats and buoys"}`); got != http.StatusUnprocessableEntity {
		t.Errorf("a wrong old password: %d", got)
	}
	if got := as(cookie, http.MethodPatch, "/api/v1/session",
		`{"old": "shore power for all", "new": "boats and buoys"}`); got != http.StatusNoContent {
		t.Errorf("a new password: %d", got)
	}
	if own, others := as(cookie, http.MethodGet, "/api/v1/session", ""),
		as(other, http.MethodGet, "/api/v1/session", ""); own != http.StatusOK || others != http.StatusUnauthorized {
		t.Errorf("after a new password the own session answers %d and the other %d", own, others)
	}
	change(paths[rights.Operator], `{"suspended": true}`, http.StatusOK, `"suspended":true`)
	if got := as(cookie, http.MethodGet, "/api/v1/session", ""); got != http.StatusUnauthorized {
		t.Errorf("a suspended person's session answers %d", got)
	}
	if res, _ := f.ask(rights.Operator, http.MethodGet, "/api/v1/session", "",
		""); res.StatusCode != http.StatusUnauthorized {
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

// Who is added without a password chooses one by a link that counts once, until another
// is made; who is removed is out, and their address is free for somebody else.
func TestInvitations(t *testing.T) {
	t.Parallel()
	f := begin(t)
	const kind = "application/json"
	invited := func(method, path, body string) (id int64, secret string) {
		t.Helper()
		res, answer := f.ask(rights.Administrator, method, "/api/v1"+path, kind, body)
		var p struct {
			ID         int64
			Link       string
			Invitation struct{ Link string }
		}
		if err := json.Unmarshal(answer, &p); err != nil || res.StatusCode != http.StatusCreated {
			t.Fatalf("%s: %d %s", path, res.StatusCode, answer)
		}
		_, secret, ok := strings.Cut(p.Link+p.Invitation.Link, "/invitation#")
		if !ok {
			t.Fatalf("no link: %s", answer)
		}
		return p.ID, secret
	}
	take := func(secret, password string) (code string) {
		t.Helper()
		res, answer := f.ask("", http.MethodPost, "/api/v1/session/invitation", kind, `{"invitation":"`+secret+
			`","password":"`+password+`"}`)
		if res.StatusCode == http.StatusOK {
			return "in " + strings.SplitN(res.Header.Get("Set-Cookie"), "=", 2)[0]
		}
		var p struct{ Code string }
		if err := json.Unmarshal(answer, &p); err != nil {
			t.Fatal(err)
		}
		return p.Code
	}
	signIn := func(password string) int {
		t.Helper()
		res, _ := f.ask("", http.MethodPost, "/api/v1/session", kind, `{"email":"yoko@lanternquay.example","password":"`+
			password+`"}`)
		return res.StatusCode
	}
	is := func(what string, got, want any) {
		t.Helper()
		if got != want {
			t.Errorf("%s: %v, want %v", what, got, want)
		}
	}
	yoko := `{"email":"yoko@lanternquay.example","name":"Yoko","role":"operator"}`
	id, secret := invited(http.MethodPost, "/people", yoko)
	person := fmt.Sprintf("/people/%d", id)
	is("no password is right before", signIn("none"), http.StatusUnauthorized)
	is("a short password", take(secret, "short"), "password_too_short")
	is("another secret", take(secret+"x", "shore power for all"), "no_invitation")
	is("the link", take(secret, "shore power for all"), "in uchi_session")
	is("the link again", take(secret, "another long password"), "no_invitation")
	is("the password", signIn("shore power for all"), http.StatusOK)

	_, first := invited(http.MethodPost, person+"/invitation", "")
	_, second := invited(http.MethodPost, person+"/invitation", "")
	is("a link that was replaced", take(first, "another long password"), "no_invitation")
	is("the newest link", take(second, "another long password"), "in uchi_session")
	is("the old password", signIn("shore power for all"), http.StatusUnauthorized)

	_, third := invited(http.MethodPost, person+"/invitation", "")
	res, answer := f.ask(rights.Administrator, http.MethodDelete, "/api/v1"+person, "", "")
	is("removing: "+string(answer), res.StatusCode, http.StatusNoContent)
	is("the link of who was removed", take(third, "another long password"), "no_invitation")
	is("the password of who was removed", signIn("another long password"), http.StatusUnauthorized)
	res, _ = f.ask(rights.Administrator, http.MethodPatch, "/api/v1"+person, kind, `{"suspended":false}`)
	is("letting them in again", res.StatusCode, http.StatusNotFound)
	_, people := f.ask(rights.Administrator, http.MethodGet, "/api/v1/people", "", "")
	is("listed", strings.Contains(string(people), "yoko@"), false)
	_, log := f.ask(rights.Administrator, http.MethodGet, "/api/v1/log?person=yoko@lanternquay.example", "", "")
	is("what they did stays named", strings.Contains(string(log), "take up invitation"), true)
	again, _ := invited(http.MethodPost, "/people", yoko)
	is("the address is somebody else's", again == id, false)

	var list struct {
		People []struct {
			ID   int64
			Role string
		}
	}
	if err := json.Unmarshal(people, &list); err != nil {
		t.Fatal(err)
	}
	for _, p := range list.People {
		if p.Role == "administrator" {
			res, answer := f.ask(rights.Administrator, http.MethodDelete, fmt.Sprintf("/api/v1/people/%d", p.ID), "", "")
			is("the last administrator: "+string(answer), res.StatusCode, http.StatusConflict)
		}
	}
}
