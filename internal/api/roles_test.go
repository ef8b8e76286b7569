package api

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"uchi/internal/core/rights"
)

// asks gives a function that asks something of the service and sees what it answers.
func (f *face) asks(t *testing.T) func(role rights.Role, method, path, body string, status int, want string) {
	return func(role rights.Role, method, path, body string, status int, want string) {
		t.Helper()
		res, answer := f.ask(role, method, "/api/v1"+path, "application/json", body)
		if res.StatusCode != status || !strings.Contains(string(answer), want) {
			t.Errorf("%s %s by %s: %d %s, want %d %s", method, path, role, res.StatusCode, answer, status, want)
		}
	}
}

// What people may do in one workspace is what was said for it, and elsewhere what they may
// do everywhere; a workspace that they may not look at is not there for them, and a token
// never gives more than it says.
func TestRolesInWorkspaces(t *testing.T) {
	t.Parallel()
	f := begin(t)
	ask := f.asks(t)
	ask(rights.Administrator, http.MethodPost, "/workspaces", `{"name":"other","label":"Other"}`,
		http.StatusCreated, "other")
	// The people of the tests are 1, 2 and 3 in the order of their roles.
	ask(rights.Administrator, http.MethodPatch, "/people/2", `{"roles":{"other":"administrator","main":"none"}}`,
		http.StatusOK, "operator")
	ask(rights.Administrator, http.MethodGet, "/people", "", http.StatusOK,
		`"roles":{"main":"none","other":"administrator"}`)
	// no more than the token
	ask(rights.Operator, http.MethodGet, "/session?in=other", "", http.StatusOK, `"role_here":"operator"`)
	ask(rights.Operator, http.MethodGet, "/workspaces", "", http.StatusOK, `{"workspaces":[{"label":"Other"`)
	ask(rights.Operator, http.MethodGet, "/workspaces/main/types", "", http.StatusNotFound, "unknown_workspace")
	ask(rights.Operator, http.MethodPost, "/workspaces/other/bundles", `{"name":"x"}`, http.StatusCreated, "x")
	ask(rights.Operator, http.MethodPost, "/workspaces/other/types", `{"label":"Berth"}`, http.StatusForbidden,
		"role_too_low")
	ask(rights.Administrator, http.MethodPatch, "/people/2", `{"roles":{"other":"viewer","main":""}}`,
		http.StatusOK, "operator")
	ask(rights.Operator, http.MethodPost, "/workspaces/other/bundles", `{"name":"x"}`, http.StatusForbidden,
		"role_too_low")
	ask(rights.Operator, http.MethodGet, "/workspaces/main/types", "", http.StatusOK, "types")
	ask(rights.Administrator, http.MethodPatch, "/people/2", `{"roles":{"other":"captain"}}`,
		http.StatusUnprocessableEntity, "unknown_role")
	ask(rights.Administrator, http.MethodPatch, "/people/2", `{"roles":{"nowhere":"viewer"}}`, http.StatusNotFound,
		"unknown_workspace")
	ask(rights.Administrator, http.MethodGet, "/log?text=change%20person", "", http.StatusOK, `"path":"in.main"`)
}

// What is taken into another workspace takes the role there: that in the workspace where one
// stands is worth nothing elsewhere.
func TestRolesInTheOtherWorkspace(t *testing.T) {
	t.Parallel()
	f := begin(t)
	ask := f.asks(t)
	ask(rights.Administrator, http.MethodPost, "/workspaces", `{"name":"other"}`, http.StatusCreated, "other")
	ask(rights.Operator, http.MethodPut, "/workspaces/main/routines/spring",
		`{"name":"spring","may":"create_or_update","drafts":[{"type":"contact","fields":{"family_name":{"from":["Name"]}}}]}`, http.StatusOK, "spring")
	const copies, to = "/workspaces/main/routines/spring/copies", `{"to":"other"}`
	ask(rights.Operator, http.MethodPost, copies, to, http.StatusCreated, "spring")
	ask(rights.Administrator, http.MethodPatch, "/people/2", `{"roles":{"other":"viewer"}}`, http.StatusOK, "operator")
	ask(rights.Operator, http.MethodPost, copies, to, http.StatusForbidden, "role_too_low")
	ask(rights.Administrator, http.MethodPatch, "/people/2", `{"roles":{"other":"none"}}`, http.StatusOK, "operator")
	ask(rights.Operator, http.MethodPost, copies, to, http.StatusNotFound, "unknown_workspace")
	ask(rights.Operator, http.MethodPost, "/workspaces/main/imports?name=a.csv", "Family name\nBerg\n",
		http.StatusCreated, "a.csv")
	ask(rights.Operator, http.MethodPost, "/workspaces/main/imports/1/rehearsals", `{"workspace":"other"}`,
		http.StatusNotFound, "unknown_workspace")
	ask(rights.Administrator, http.MethodPatch, "/people/2", `{"roles":{"other":"viewer"}}`, http.StatusOK, "operator")
	ask(rights.Operator, http.MethodPost, "/workspaces/main/imports/1/rehearsals", `{"workspace":"other"}`,
		http.StatusForbidden, "role_too_low")
	// Who may look everywhere and work in one workspace works in no other.
	ask(rights.Administrator, http.MethodPatch, "/people/2", `{"role":"viewer","roles":{"main":"operator","other":""}}`,
		http.StatusOK, "viewer")
	ask(rights.Operator, http.MethodPost, copies, to, http.StatusForbidden, "role_too_low")
	ask(rights.Administrator, http.MethodPatch, "/people/2", `{"role":"operator","roles":{"other":"none","main":""}}`,
		http.StatusOK, "operator")
	ask(rights.Administrator, http.MethodPost, "/workspaces", `{"name":"second","from":"other"}`,
		http.StatusCreated, "second")
	ask(rights.Operator, http.MethodGet, "/workspaces/second/types", "", http.StatusNotFound, "unknown_workspace")
	// A copy holds all: who may not look at a workspace makes none of it.
	ask(rights.Administrator, http.MethodPatch, "/people/3", `{"roles":{"other":"viewer"}}`, http.StatusOK,
		"administrator")
	ask(rights.Administrator, http.MethodPost, "/workspaces", `{"name":"third","from":"other"}`, http.StatusForbidden,
		"role_too_low")
}

// In a closed workspace nothing changes, whoever asks and from wherever; it can be looked at,
// opened again and removed.
func TestClosedWorkspace(t *testing.T) {
	t.Parallel()
	f := begin(t)
	ask := f.asks(t)
	ask(rights.Administrator, http.MethodPatch, "/workspaces/main", `{"closed":true}`, http.StatusConflict,
		"workspace_stays")
	ask(rights.Administrator, http.MethodPost, "/workspaces", `{"name":"other"}`, http.StatusCreated, "other")
	ask(rights.Operator, http.MethodPost, "/workspaces/main/imports?name=a.csv", "Family name\nBerg\n",
		http.StatusCreated, "a.csv")
	ask(rights.Operator, http.MethodPatch, "/workspaces/other", `{"closed":true}`, http.StatusForbidden, "role_too_low")
	ask(rights.Administrator, http.MethodPatch, "/workspaces/other", `{"closed":true}`, http.StatusOK, `"closed_at"`)
	ask(rights.Viewer, http.MethodGet, "/workspaces", "", http.StatusOK, `"closed_at"`)
	ask(rights.Viewer, http.MethodGet, "/workspaces/other/records/contact", "", http.StatusOK, "records")
	ask(rights.Administrator, http.MethodGet, "/session?in=other", "", http.StatusOK, `"role_here":"viewer"`)
	for _, x := range []struct{ method, path, body string }{
		{http.MethodPost, "/workspaces/other/imports?name=a.csv", "Family name\nBerg\n"},
		{http.MethodPost, "/workspaces/other/bundles", `{"name":"x"}`},
		{http.MethodPost, "/workspaces/other/types", `{"label":"Berth"}`},
		{http.MethodPost, "/workspaces/main/imports/1/rehearsals", `{"workspace":"other"}`},
	} {
		ask(rights.Administrator, x.method, x.path, x.body, http.StatusConflict, "workspace_closed")
	}
	ask(rights.Administrator, http.MethodPatch, "/workspaces/other", `{"closed":false}`, http.StatusOK, `"name":"other"`)
	ask(rights.Operator, http.MethodPost, "/workspaces/other/bundles", `{"name":"x"}`, http.StatusCreated, "x")
	ask(rights.Administrator, http.MethodPatch, "/workspaces/other", `{"closed":true}`, http.StatusOK, `"closed_at"`)
	ask(rights.Administrator, http.MethodDelete, "/workspaces/other?records=0", "", http.StatusNoContent, "")
	ask(rights.Administrator, http.MethodGet, "/log?text=close%20workspace", "", http.StatusOK, "close workspace")
}

// An export in the background is fetched by who asked for it, and is nobody else's.
func TestExportsOverTheAPI(t *testing.T) {
	t.Parallel()
	f := begin(t)
	res, answer := f.ask(rights.Viewer, http.MethodPost, "/api/v1/workspaces/main/records/account/exports?format=jsonl",
		"", "")
	if res.StatusCode != http.StatusAccepted || !strings.Contains(string(answer), `"name":"account.jsonl"`) {
		t.Fatalf("%d %s", res.StatusCode, answer)
	}
	const one = "/api/v1/workspaces/main/exports/1"
	for began := time.Now(); !strings.Contains(string(answer), `"ready":true`); time.Sleep(20 * time.Millisecond) {
		if _, answer = f.ask(rights.Viewer, http.MethodGet, one, "", ""); time.Since(began) > 20*time.Second {
			t.Fatalf("it is never ready: %s", answer)
		}
	}
	if res, answer = f.ask(rights.Viewer, http.MethodGet, one+"/file", "", ""); res.StatusCode != http.StatusOK ||
		!strings.Contains(res.Header.Get("Content-Disposition"), "account.jsonl") {
		t.Errorf("%d %s %v", res.StatusCode, answer, res.Header)
	}
	if _, answer = f.ask(rights.Viewer, http.MethodGet, "/api/v1/workspaces/main/exports", "",
		""); !strings.Contains(string(answer), `"id":1`) {
		t.Errorf("%s", answer)
	}
	for _, path := range []string{one, one + "/file"} {
		if res, answer = f.ask(rights.Administrator, http.MethodGet, path, "", ""); res.StatusCode != http.StatusNotFound {
			t.Errorf("somebody else's: %d %s", res.StatusCode, answer)
		}
	}
	if res, _ = f.ask(rights.Viewer, http.MethodDelete, one, "", ""); res.StatusCode != http.StatusNoContent {
		t.Errorf("%d", res.StatusCode)
	}
}

// A token of one workspace does what its role may there, also where its maker may more than
// elsewhere, and nothing else: the other workspaces are not there for it, and what is of the
// service as a whole is refused. It goes with its workspace.
func TestTokenOfOneWorkspace(t *testing.T) {
	t.Parallel()
	f := begin(t)
	ask := f.asks(t)
	ask(rights.Administrator, http.MethodPost, "/workspaces", `{"name":"other","label":"Other"}`,
		http.StatusCreated, "other")
	ask(rights.Administrator, http.MethodPatch, "/people/1", `{"roles":{"other":"operator"}}`, http.StatusOK, "viewer")
	// Their token is a viewer's: it makes none that may more.
	ask(rights.Viewer, http.MethodPost, "/tokens", `{"label":"x","workspace":"other","role":"operator"}`,
		http.StatusForbidden, "role_too_high")
	ask(rights.Viewer, http.MethodPost, "/tokens", `{"label":"x","workspace":"nowhere"}`, http.StatusNotFound,
		"unknown_workspace")
	b := f.browser()
	if status, answer := b.do(http.MethodPost, "/session", body{"email": "viewer@lanternquay.example",
		"password": "shore power for all"}); status != http.StatusOK {
		t.Fatal(status, answer)
	}
	status, made := b.do(http.MethodPost, "/tokens", body{"label": "nightly", "workspace": "other"})
	if status != http.StatusCreated || made["role"] != "operator" || made["workspace"] != "other" {
		t.Fatalf("a token of one workspace: %d %v", status, made)
	}
	const nightly rights.Role = "nightly"
	f.tokens[nightly] = made["secret"].(string)
	ask(nightly, http.MethodPost, "/workspaces/other/bundles", `{"name":"x"}`, http.StatusCreated, "x")
	ask(nightly, http.MethodPost, "/workspaces/other/types", `{"label":"Berth"}`, http.StatusForbidden, "role_too_low")
	ask(nightly, http.MethodGet, "/session?in=other", "", http.StatusOK, `"role_here":"operator"`)
	ask(nightly, http.MethodGet, "/session?in=main", "", http.StatusOK, `"role_here":"none"`)
	ask(nightly, http.MethodGet, "/workspaces/main/types", "", http.StatusNotFound, "unknown_workspace")
	ask(nightly, http.MethodGet, "/workspaces", "", http.StatusOK, `{"workspaces":[{"label":"Other"`)
	for _, path := range []string{"/tokens", "/sessions", "/passkeys", "/notices", "/settings", "/people", "/log"} {
		ask(nightly, http.MethodGet, path, "", http.StatusForbidden, "token_of_workspace")
	}
	ask(nightly, http.MethodPost, "/tokens", `{"label":"more"}`, http.StatusForbidden, "token_of_workspace")
	if res, answer := f.ask(nightly, http.MethodGet, "/metrics", "", ""); res.StatusCode != http.StatusForbidden ||
		!strings.Contains(string(answer), "token_of_workspace") {
		t.Errorf("the metrics by it: %d %s", res.StatusCode, answer)
	}

	ask(rights.Administrator, http.MethodPatch, "/people/1", `{"roles":{"other":"none"}}`, http.StatusOK, "viewer")
	ask(nightly, http.MethodGet, "/workspaces/other/types", "", http.StatusNotFound, "unknown_workspace")
	ask(rights.Administrator, http.MethodPatch, "/workspaces/other", `{"closed":true}`, http.StatusOK, "other")
	ask(rights.Administrator, http.MethodDelete, "/workspaces/other?records=0", "", http.StatusNoContent, "")
	ask(nightly, http.MethodGet, "/workspaces", "", http.StatusUnauthorized, "not_signed_in")
}
