package work

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/places"
	"uchi/internal/store"
)

// Calls of hooks are signed as the Standard Webhooks specification says: with an id that
// stays the same when a call is made again, the time, and an HMAC-SHA256 of both and the
// body by a secret that is shown once.

// secretMark begins the secret of a hook.
const secretMark = "whsec_"

// hookPatience is how long a program may take to answer.
const hookPatience = 20 * time.Second

// callHooks makes the calls that are to be made.
func (s *Service) callHooks(ctx context.Context) error {
	for {
		ok, err := s.store.CallHook(ctx, func(h store.Hook, c store.HookCall) error {
			err := s.callHook(ctx, h, c)
			if err != nil {
				s.opt.Log.Warn("a hook could not be called", "hook", h.ID, "tries", c.Tries+1, "error", err)
			}
			return err
		})
		if err != nil || !ok {
			return err
		}
	}
}

func (s *Service) callHook(ctx context.Context, h store.Hook, c store.HookCall) error {
	secret, err := s.opt.Secrets.Open(h.Secret, forHook(h.Workspace, h.URL))
	if err != nil {
		return err
	}
	key, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(secret, secretMark))
	if err != nil {
		return fmt.Errorf("secret of the hook: %w", err)
	}
	ctx, cancel := context.WithTimeout(ctx, hookPatience)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, h.URL, bytes.NewReader(c.Body))
	if err != nil {
		return fmt.Errorf("call: %w", err)
	}
	id, at := fmt.Sprintf("msg_%d", c.ID), strconv.FormatInt(time.Now().Unix(), 10)
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("User-Agent", "Uchi")
	r.Header.Set("Webhook-Id", id)
	r.Header.Set("Webhook-Timestamp", at)
	r.Header.Set("Webhook-Signature", "v1,"+signed(key, id, at, c.Body))
	opt := s.opt.Places
	opt.Silence = hookPatience
	client := places.Client(opt)
	client.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	res, err := client.Do(r)
	if err != nil {
		if f, ok := fault.From(err); ok {
			return f
		}
		return fmt.Errorf("call: %w", err)
	}
	defer res.Body.Close()                              //nolint:errcheck // only read from
	io.Copy(io.Discard, io.LimitReader(res.Body, 4096)) //nolint:errcheck // nothing is made of it
	switch {
	case res.StatusCode == http.StatusGone:
		return store.ErrHookGone
	case res.StatusCode/100 != 2:
		return fmt.Errorf("the address answers %s", res.Status)
	}
	return nil
}

// signed is the signature of a call.
func signed(key []byte, id, at string, body []byte) string {
	mac := hmac.New(sha256.New, key)
	fmt.Fprintf(mac, "%s.%s.%s", id, at, body)
	return base64.StdEncoding.EncodeToString(mac.Sum(nil))
}

func forHook(workspace, address string) string { return "hook " + workspace + " " + address }

// AddHook lets a program at an address be told of some kinds of things; it gives the
// secret that calls are signed with, shown this once.
func (s *Service) AddHook(ctx context.Context, workspace, address string, kinds []store.NoticeKind,
	by store.Person) (id int64, secret string, err error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.User != nil || u.Scheme != "https" &&
		(u.Scheme != "http" || !s.opt.Places.Private) {
		return 0, "", fault.New(fault.Invalid, "bad_url",
			"the address cannot be called").At(fault.Place{Path: "url"}).With(address).
			Mended("It looks like https://tools.example/uchi, without a password.")
	}
	var list []string
	for _, k := range kinds {
		if !slices.Contains(store.NoticeKinds, k) {
			return 0, "", fault.New(fault.Invalid, "unknown_notice",
				"nobody is told of such a thing").At(fault.Place{Path: "kinds"}).With(string(k)).
				Mended(fmt.Sprintf("Choose of %v.", store.NoticeKinds))
		}
		list = append(list, string(k))
	}
	if len(list) == 0 {
		return 0, "", fault.New(fault.Invalid, "kinds_missing", "a hook is told of something").At(fault.Place{Path: "kinds"}).
			Mended(fmt.Sprintf("Choose of %v.", store.NoticeKinds))
	}
	key := make([]byte, 32)
	rand.Read(key) //nolint:errcheck // never fails
	secret = secretMark + base64.StdEncoding.EncodeToString(key)
	sealed, err := s.opt.Secrets.Seal(secret, forHook(workspace, address))
	if err != nil {
		return 0, "", err
	}
	id, err = s.store.AddHook(ctx, store.Hook{Workspace: workspace, URL: address, Kinds: list, Secret: sealed}, by.ID)
	return id, secret, err
}

// RemoveHook forgets a hook.
func (s *Service) RemoveHook(ctx context.Context, workspace string, id int64, by store.Person) error {
	return s.store.RemoveHook(ctx, workspace, id, by.ID)
}
