package work

import (
	"encoding/base64"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/feed"
	"uchi/internal/core/secret"
	"uchi/internal/store"
)

// A program is told what people are told, signed so that it can tell who does; one that
// fails is tried again under the same id, one that wants no more is left alone, and none
// in a private network is called unless that is allowed.
func TestHooks(t *testing.T) {
	b, dir := fed(t)
	var err error
	b.work.opt.Secrets, err = secret.New(secret.NewKey())
	b.ok(err)
	var mu sync.Mutex
	status, got := http.StatusInternalServerError, []*http.Request{}
	var bodies []string
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		mu.Lock()
		defer mu.Unlock()
		got, bodies = append(got, r), append(bodies, string(body))
		w.WriteHeader(status)
	}))
	defer server.Close()
	_, _, err = b.work.AddHook(b.Context(), "main", server.URL, []store.NoticeKind{store.Ended}, b.person)
	b.want(fault.Is(err, "bad_url"), true) // http outside
	b.work.opt.Places.Private = true
	id, word, err := b.work.AddHook(b.Context(), "main", server.URL, []store.NoticeKind{store.Ended}, b.person)
	b.ok(err)
	b.work.opt.Places.Private = false
	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: dir}, Bounds: feed.UsualBounds})
	b.put(dir, "a.csv", marinas(1, 10, "customer"), 5)
	b.put(dir, "a.csv.done", "", 5)
	b.rests(false)
	again := func(want string) store.HookCall {
		t.Helper()
		for range 200 {
			b.ok(b.work.callHooks(b.Context()))
			calls, err := b.store.HookCalls(b.Context(), id, 10)
			b.ok(err)
			if len(calls) == 1 && (want == "" && calls[0].SentAt != nil || want != "" &&
				strings.Contains(calls[0].Trouble, want)) {
				return calls[0]
			}
			time.Sleep(20 * time.Millisecond)
		}
		t.Fatalf("no call with the trouble %q", want)
		panic("unreachable")
	}
	again("private network")
	due := func() {
		t.Helper()
		_, err := b.store.Pool().Exec(b.Context(), `update hook_calls set next_at = now()`)
		b.ok(err)
	}
	b.work.opt.Places.Private = true
	due()
	again("500")
	mu.Lock()
	status = http.StatusNoContent
	mu.Unlock()
	due()
	again("")
	mu.Lock()
	b.want(len(got), 2)
	b.want(got[0].Header.Get("Webhook-Id"), got[1].Header.Get("Webhook-Id"))
	key, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(word, "whsec_"))
	b.ok(err)
	for n, r := range got {
		b.want(r.Header.Get("Webhook-Signature"), "v1,"+signed(key, r.Header.Get("Webhook-Id"),
			r.Header.Get("Webhook-Timestamp"), []byte(bodies[n])))
	}
	if !strings.Contains(bodies[1], `"subject": "a.csv was loaded"`) ||
		!strings.Contains(bodies[1], `"type": "ended"`) || strings.Contains(bodies[1], "Havn 3") {
		t.Errorf("it is told %s", bodies[1])
	}
	status = http.StatusGone
	mu.Unlock()
	b.put(dir, "b.csv", marinas(1, 12, "customer"), 4)
	b.put(dir, "b.csv.done", "", 4)
	b.rests(false)
	for range 200 {
		b.ok(b.work.callHooks(b.Context()))
		if list, err := b.store.Hooks(b.Context(), "main"); err == nil && list[0].Paused {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Error("a program that wants no more is called on")
}
