package client

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"sync/atomic"
	"testing"

	"uchi/internal/core/fault"
)

func connect(t *testing.T, h http.HandlerFunc) *Conn {
	t.Helper()
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	c, err := Connect(Login{Server: s.URL + "/", Token: "secret"}, "main")
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// Problems come as faults of the same kind, code, place and remedy.
func TestProblemsAreFaults(t *testing.T) {
	for status, kind := range map[int]fault.Kind{422: fault.Invalid, 404: fault.NotFound, 409: fault.Conflict,
		403: fault.Denied, 401: fault.Unsigned, 413: fault.TooLarge, 503: fault.Busy} {
		c := connect(t, func(w http.ResponseWriter, r *http.Request) {
			if r.Header.Get("Authorization") != "Bearer secret" {
				t.Errorf("no token: %v", r.Header)
			}
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(status)
			fmt.Fprintf(w, `{"type":"about:blank","title":"no","status":%d,"code":"the_code","place":{"row":7},"value":"x","mend":"do"}`, status)
		})
		_, err := c.Import(t.Context(), 1)
		f, ok := fault.From(err)
		if !ok || f.Kind != kind || f.Code != "the_code" || f.Place.Row != 7 || f.Value != "x" || f.Mend != "do" {
			t.Errorf("%d: %+v", status, f)
		}
	}
}

// Who looks at rows that are read again waits for them; who wants to change them is told.
func TestLookersWaitForLostRows(t *testing.T) {
	var asked atomic.Int64
	c := connect(t, func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		if asked.Add(1) < 3 || r.Method != http.MethodGet {
			w.WriteHeader(http.StatusConflict)
			fmt.Fprint(w, `{"type":"about:blank","title":"lost","status":409,"code":"staging_lost"}`)
			return
		}
		fmt.Fprint(w, `{"rows":[]}`)
	})
	if _, err := c.ListRowsWithResponse(t.Context(), "main", 1, &ListRowsParams{}); err != nil || asked.Load() != 3 {
		t.Errorf("asked %d times: %v", asked.Load(), err)
	}
	if _, err := c.EditWithResponse(t.Context(), "main", 1, CellEdits{}); !fault.Is(err, stagingLost) || asked.Load() != 4 {
		t.Errorf("a change, after %d times: %v", asked.Load(), err)
	}
	ended, cancel := context.WithCancel(t.Context())
	asked.Store(-1000)
	cancel()
	if _, err := c.ListRowsWithResponse(ended, "main", 1, &ListRowsParams{}); !errors.Is(err, context.Canceled) {
		t.Errorf("nobody waits any more: %v", err)
	}
}

func TestUnreachable(t *testing.T) {
	c := connect(t, func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "<html>", http.StatusBadGateway) })
	if _, err := c.Import(t.Context(), 1); !fault.Is(err, Unreachable) {
		t.Errorf("something else answers: %v", err)
	}
	c, err := Connect(Login{Server: "http://127.0.0.1:1"}, "main")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.Import(t.Context(), 1); !fault.Is(err, Unreachable) {
		t.Errorf("nobody answers: %v", err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := c.Import(ctx, 1); !errors.Is(err, context.Canceled) {
		t.Errorf("given up: %v", err)
	}
}

// A line of events that breaks is taken up again until the work has ended.
func TestWaitSurvivesABrokenLine(t *testing.T) {
	var calls atomic.Int64
	c := connect(t, func(w http.ResponseWriter, r *http.Request) {
		n := calls.Add(1)
		if r.URL.Path == "/api/v1/workspaces/main/imports/1" {
			busy := "load"
			if n > 4 {
				busy = ""
			}
			w.Header().Set("Content-Type", "application/json")
			fmt.Fprintf(w, `{"id":1,"name":"x","state":"loading","busy":%q,"rows":10,"done":%d,"file":{"name":"x","bytes":1,"sha256":""},"made_by":"","made_at":"2026-01-01T00:00:00Z","changed_at":"2026-01-01T00:00:00Z","outcomes":{}}`, busy, n)
			return
		}
		w.Header().Set("Content-Type", "text/event-stream")
		fmt.Fprintf(w, "event: progress\ndata: {\"state\":\"loading\",\"busy\":\"load\",\"rows\":10,\"done\":%d}\n\n", n)
	})
	var seen []int64
	i, err := c.Wait(t.Context(), 1, func(p Progress) { seen = append(seen, p.Done) })
	if err != nil || i.Busy != "" || len(seen) != 3 {
		t.Errorf("%v, busy %q, progress %v", err, i.Busy, seen)
	}
}

// Notices are taken up where the line broke, also from a service that was away meanwhile,
// until it refuses to tell them.
func TestFollowNotices(t *testing.T) {
	var calls atomic.Int64
	var asked []string
	c := connect(t, func(w http.ResponseWriter, r *http.Request) {
		n := calls.Add(1)
		asked = append(asked, r.Header.Get("Last-Event-ID"))
		if n == 2 {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		if n == 4 {
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(http.StatusUnauthorized)
			fmt.Fprint(w, `{"status":401,"code":"unsigned","title":"sign in first"}`)
			return
		}
		w.Header().Set("Content-Type", "text/event-stream")
		if n == 1 {
			fmt.Fprint(w, "id: 6\n\n: nothing new\n\n")
			return
		}
		fmt.Fprint(w, "id: 7\nevent: notice\ndata: {\"id\":7,\"subject\":\"a.csv waits\"}\n\n")
	})
	var told []string
	err := c.FollowNotices(t.Context(), func(n PersonNotice) { told = append(told, n.Subject) })
	if !fault.Is(err, "unsigned") || len(told) != 1 || told[0] != "a.csv waits" || asked[0] != "0" || asked[2] != "6" ||
		asked[3] != "7" {
		t.Errorf("%v, told %q, asked behind %q", err, told, asked)
	}
}

func TestLoginIsKeptForThisUserAlone(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	if l, err := ReadLogin(); err != nil || l != (Login{}) {
		t.Errorf("nothing kept: %+v, %v", l, err)
	}
	want := Login{Server: "http://x", Token: "t"}
	if err := want.Keep(); err != nil {
		t.Fatal(err)
	}
	if got, err := ReadLogin(); err != nil || got != want {
		t.Errorf("%+v, %v", got, err)
	}
	path, err := LoginFile()
	if err != nil {
		t.Fatal(err)
	}
	if st, err := os.Stat(path); err != nil || st.Mode().Perm() != 0o600 {
		t.Errorf("mode %v, %v", st.Mode(), err)
	}
	if err := os.WriteFile(path, []byte("{"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := ReadLogin(); !fault.Is(err, "bad_login_file") {
		t.Errorf("a damaged file: %v", err)
	}
}
