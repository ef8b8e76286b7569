package api

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"strings"
	"testing"
	"testing/fstest"

	"uchi/internal/core/rights"

	"github.com/fxamacker/cbor/v2"
)

// device is a made-up one that keeps one passkey (Web Authentication, level 3, section 6).
type device struct {
	origin, host string
	id, handle   []byte
	key          *ecdsa.PrivateKey
	count        uint32
	flags        byte // of who uses it: there, and known to be its owner
}

var web64 = base64.RawURLEncoding

// data is what a device says of itself: whom it answers, how, and how often it did.
func (d *device) data(flags byte) []byte {
	host := sha256.Sum256([]byte(d.host))
	return binary.BigEndian.AppendUint32(append(host[:], flags), d.count)
}

func (d *device) client(kind string, options map[string]any) []byte {
	return fmt.Appendf(nil, `{"type": %q, "challenge": %q, "origin": %q, "crossOrigin": false}`, kind,
		options["challenge"], d.origin)
}

// make answers what a new passkey is asked for with.
func (d *device) make(t *testing.T, options map[string]any) map[string]any {
	t.Helper()
	var err error
	if d.key, err = ecdsa.GenerateKey(elliptic.P256(), rand.Reader); err != nil {
		t.Fatal(err)
	}
	d.id = []byte(rand.Text())
	d.handle, _ = web64.DecodeString(options["user"].(map[string]any)["id"].(string))
	point, err := d.key.PublicKey.Bytes()
	if err != nil {
		t.Fatal(err)
	}
	mode, err := cbor.CTAP2EncOptions().EncMode()
	if err != nil {
		t.Fatal(err)
	}
	// RFC 9053: ES256 on P-256
	public, err := mode.Marshal(map[int]any{1: 2, 3: -7, -1: 1, -2: point[1:33], -3: point[33:]})
	if err != nil {
		t.Fatal(err)
	}
	data := append(d.data(d.flags|0x40), make([]byte, 16)...)
	data = append(binary.BigEndian.AppendUint16(data, uint16(len(d.id))), d.id...)
	object, err := mode.Marshal(map[string]any{"fmt": "none", "attStmt": map[string]any{},
		"authData": append(data, public...)})
	if err != nil {
		t.Fatal(err)
	}
	return d.answer(map[string]any{
		"attestationObject": web64.EncodeToString(object),
		"clientDataJSON":    web64.EncodeToString(d.client("webauthn.create", options)),
	})
}

// sign answers what somebody who signs in is asked for.
func (d *device) sign(t *testing.T, options map[string]any) map[string]any {
	t.Helper()
	d.count++
	data, client := d.data(d.flags), d.client("webauthn.get", options)
	hash := sha256.Sum256(client)
	signed := sha256.Sum256(append(data[:len(data):len(data)], hash[:]...))
	signature, err := ecdsa.SignASN1(rand.Reader, d.key, signed[:])
	if err != nil {
		t.Fatal(err)
	}
	return d.answer(map[string]any{
		"authenticatorData": web64.EncodeToString(data), "clientDataJSON": web64.EncodeToString(client),
		"signature": web64.EncodeToString(signature), "userHandle": web64.EncodeToString(d.handle),
	})
}

func (d *device) answer(response map[string]any) map[string]any {
	id := web64.EncodeToString(d.id)
	return map[string]any{"id": id, "rawId": id, "type": "public-key", "clientExtensionResults": map[string]any{},
		"response": response}
}

// browser asks with the cookies that it was given.
type browser struct {
	*face
	c *http.Client
}

func (f *face) browser() browser {
	jar, err := cookiejar.New(nil)
	if err != nil {
		f.Fatal(err)
	}
	return browser{f, &http.Client{Jar: jar}}
}

// do gives the status and the answer.
func (b browser) do(method, path string, body any) (int, map[string]any) {
	b.Helper()
	text, err := json.Marshal(body)
	if err != nil {
		b.Fatal(err)
	}
	req, err := http.NewRequestWithContext(b.Context(), method, b.url+"/api/v1"+path, strings.NewReader(string(text)))
	if err != nil {
		b.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	res, err := b.c.Do(req)
	if err != nil {
		b.Fatal(err)
	}
	defer res.Body.Close() //nolint:errcheck // only read from
	answer := map[string]any{}
	if err := json.NewDecoder(res.Body).Decode(&answer); err != nil && err != io.EOF {
		b.Fatal(err)
	}
	return res.StatusCode, answer
}

type body = map[string]any

// A passkey is made by who knows the password, and signs its person in afterwards: on this
// host alone, each question once, from the device itself, and not when it was copied, was
// ended, or its person is suspended.
func TestPasskeys(t *testing.T) {
	t.Parallel()
	const origin, password = "https://uchi.lanternquay.example", "shore power for all"
	f := begin(t)
	f.server(Options{Log: slog.New(slog.DiscardHandler),
		Console: fstest.MapFS{"index.html": {Data: []byte("<!doctype html>")}}, PublicURL: origin + "/"})
	b := f.browser()
	want := func(what string, status int, answer body, code string, as int) {
		t.Helper()
		if got, _ := answer["code"].(string); status != as || got != code {
			t.Fatalf("%s: %d %v, want %d %s", what, status, answer, as, code)
		}
	}
	if _, ways := b.do(http.MethodGet, "/session/ways", nil); ways["passkeys"] != origin {
		t.Errorf("passkeys are said to work at %v", ways["passkeys"])
	}
	status, answer := b.do(http.MethodPost, "/session", body{"email": "operator@lanternquay.example",
		"password": password})
	want("the password", status, answer, "", http.StatusOK)

	status, answer = b.do(http.MethodPost, "/passkeys/ask", body{"password": "not this one"})
	want("a passkey without the password", status, answer, "wrong_password", http.StatusUnprocessableEntity)
	res, said := f.ask(rights.Operator, http.MethodPost, "/api/v1/passkeys/ask", "application/json",
		`{"password": "shore power for all"}`)
	if res.StatusCode != http.StatusConflict || !strings.Contains(string(said), "by_password_only") {
		t.Errorf("a passkey by a token: %d %s", res.StatusCode, said)
	}

	ask := func(path string, sent any) (string, body) {
		t.Helper()
		status, answer := b.do(http.MethodPost, path, sent)
		want("asking at "+path, status, answer, "", http.StatusOK)
		return answer["ask"].(string), answer["options"].(body)
	}
	const present = 0x01 | 0x04
	d := &device{origin: origin, host: "uchi.lanternquay.example", flags: present}
	add := func(d *device, label, code string, as int) {
		t.Helper()
		key, options := ask("/passkeys/ask", body{"password": password})
		sent := body{"ask": key, "answer": d.make(t, options), "label": label}
		status, answer := b.do(http.MethodPost, "/passkeys", sent)
		want("adding "+label, status, answer, code, as)
		if as == http.StatusCreated {
			status, answer = b.do(http.MethodPost, "/passkeys", sent)
			want("adding it with the same question", status, answer, "passkey_too_late", http.StatusConflict)
		}
	}
	add(&device{origin: origin, host: d.host, flags: present}, "  ", "passkey_without_label",
		http.StatusUnprocessableEntity)
	add(&device{origin: origin, host: d.host, flags: 0x01}, "a device that does not ask who it is", "bad_passkey",
		http.StatusUnprocessableEntity)
	add(&device{origin: "https://uchi.example", host: d.host, flags: present}, "another site", "bad_passkey",
		http.StatusUnprocessableEntity)
	add(d, "the office's computer", "", http.StatusCreated)

	b = f.browser()
	signIn := func(what string, d device, code string, as int) body {
		t.Helper()
		key, options := ask("/session/passkey/ask", nil)
		sent := body{"ask": key, "answer": d.sign(t, options)}
		status, answer := b.do(http.MethodPost, "/session/passkey", sent)
		want(what, status, answer, code, as)
		if as == http.StatusOK {
			status, answer := b.do(http.MethodPost, "/session/passkey", sent)
			want("the same answer again", status, answer, "passkey_too_late", http.StatusConflict)
		}
		return answer
	}
	if p := signIn("the passkey", *d, "", http.StatusOK); p["email"] != "operator@lanternquay.example" {
		t.Errorf("the passkey signs in %v", p)
	}
	status, answer = b.do(http.MethodGet, "/passkeys", nil)
	list, _ := answer["passkeys"].([]any)
	if status != http.StatusOK || len(list) != 1 || list[0].(body)["label"] != "the office's computer" ||
		list[0].(body)["used_at"] == nil {
		t.Fatalf("the passkeys: %d %v", status, answer)
	}
	path := fmt.Sprint("/passkeys/", int64(list[0].(body)["id"].(float64)))

	const refused = "passkey_refused"
	signIn("a copy that has answered less often", *d, refused, http.StatusUnauthorized)
	d.count = 10
	for what, change := range map[string]func(*device){
		"another site":                      func(d *device) { d.origin = "https://uchi.example" },
		"another host":                      func(d *device) { d.host = "uchi.example" },
		"a device that does not know whose": func(d *device) { d.flags = 0x01 },
		"another person's handle":           func(d *device) { d.handle = []byte("somebody else's") },
	} {
		x := *d
		change(&x)
		signIn(what, x, refused, http.StatusUnauthorized)
		signIn("rightly in between", *d, "", http.StatusOK) // so that nobody has to wait
		d.count++
	}
	other := *d
	var err error
	if other.key, err = ecdsa.GenerateKey(elliptic.P256(), rand.Reader); err != nil {
		t.Fatal(err)
	}
	signIn("another key", other, refused, http.StatusUnauthorized)
	other.id = []byte("unknown here")
	signIn("an unknown passkey", other, refused, http.StatusUnauthorized)

	if status, _ := b.do(http.MethodDelete, "/passkeys/4711", nil); status != http.StatusNotFound {
		t.Errorf("an unknown passkey is ended: %d", status)
	}
	person := func(change string) {
		t.Helper()
		_, all := f.ask(rights.Administrator, http.MethodGet, "/api/v1/people", "", "")
		var found struct {
			People []struct {
				ID   int64
				Role rights.Role
			}
		}
		if err := json.Unmarshal(all, &found); err != nil {
			t.Fatal(err)
		}
		for _, p := range found.People {
			if p.Role == rights.Operator {
				f.ask(rights.Administrator, http.MethodPatch, fmt.Sprint("/api/v1/people/", p.ID), "application/json", change)
			}
		}
	}
	person(`{"suspended": true}`)
	signIn("somebody suspended", *d, refused, http.StatusUnauthorized)
	person(`{"suspended": false}`)
	d.count++
	signIn("somebody admitted again", *d, "", http.StatusOK)
	if status, _ := b.do(http.MethodDelete, path, nil); status != http.StatusNoContent {
		t.Errorf("a passkey is ended: %d", status)
	}
	d.count++
	signIn("an ended passkey", *d, refused, http.StatusUnauthorized)

	last := &device{origin: origin, host: d.host, flags: present}
	add(last, "the telephone", "", http.StatusCreated)
	signIn("another one", *last, "", http.StatusOK)
	person(`{"password": "another long password"}`)
	last.count = 5
	signIn("one from before a new password", *last, refused, http.StatusUnauthorized)

	// Who asks without end keeps nobody else from it. A few questions of before are open.
	for range 51 {
		if status, answer = b.do(http.MethodPost, "/session/passkey/ask", nil); status != http.StatusOK {
			break
		}
	}
	want("asking without end", status, answer, "too_many_sign_ins", http.StatusServiceUnavailable)
}

// Passkeys belong to a name; on the own machine that is localhost.
func TestPasskeysNeedAName(t *testing.T) {
	for public, want := range map[string]string{
		"https://uchi.example":       "https://uchi.example",
		"https://uchi.example:8443/": "https://uchi.example:8443",
		"http://127.0.0.1:8844":      "http://localhost:8844",
		"https://[::1]:8844":         "https://localhost:8844",
		"http://localhost:8844":      "http://localhost:8844",
		"http://uchi.example":        "",
		"https://10.1.2.3":           "",
		"":                           "",
	} {
		got := ""
		if d := devicesAt(public); d != nil {
			got = d.origin
		}
		if got != want {
			t.Errorf("%s: passkeys at %q, want %q", public, got, want)
		}
	}
}
