package standin

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
)

// Somebody is a person whom the issuer knows.
type Somebody struct {
	Email, Name string
	Groups      []string
	Unverified  bool // the address was never looked at
}

// Issuer is a provider of OpenID Connect (OpenID Connect Core 1.0): who asks to sign in
// chooses who to be. It knows one client, and wants proof of the exchange (RFC 7636).
type Issuer struct {
	URL            string // of itself
	Client, Secret string
	People         []Somebody

	key   *rsa.PrivateKey
	mu    sync.Mutex
	codes map[string]asked
}

type asked struct {
	person           Somebody
	nonce, challenge string
	redirect         string
	until            time.Time
}

// NewIssuer makes an issuer with a key of its own.
func NewIssuer(url, client, secret string, people ...Somebody) (*Issuer, error) {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		return nil, fmt.Errorf("make a key: %w", err)
	}
	return &Issuer{URL: url, Client: client, Secret: secret, People: people, key: key, codes: map[string]asked{}}, nil
}

var choose = template.Must(template.New("").Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><title>Who are you?</title>
<style>body{font:15px system-ui;max-width:420px;margin:80px auto;background:#f6f3ec;color:#222}a{display:block;background:#fff;border:1px solid #ddd5c4;border-radius:8px;padding:12px 16px;margin:10px 0;color:#1d4280;text-decoration:none}small{color:#666}</style>
<h1>Who are you?</h1><p>A stand-in for the sign-in of your organisation.</p>{{range .}}<a href="{{.URL}}">{{.Name}}<br><small>{{.Email}} · {{.Groups}}</small></a>{{end}}`))

// ServeHTTP implements http.Handler.
func (s *Issuer) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch r.URL.Path {
	case "/.well-known/openid-configuration":
		answer(w, http.StatusOK, map[string]any{
			"issuer": s.URL, "authorization_endpoint": s.URL + "/authorize", "token_endpoint": s.URL + "/token",
			"jwks_uri":                 s.URL + "/keys",
			"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"},
			"id_token_signing_alg_values_supported": []string{"RS256"},
			"scopes_supported":                      []string{"openid", "email", "profile", "groups"},
			"code_challenge_methods_supported":      []string{"S256"},
		})
	case "/keys":
		answer(w, http.StatusOK, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: &s.key.PublicKey, KeyID: "1",
			Algorithm: "RS256", Use: "sig"}}})
	case "/authorize":
		s.authorize(w, r)
	case "/token":
		s.token(w, r)
	default:
		http.NotFound(w, r)
	}
}

func answer(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(v) //nolint:errcheck // the reader is gone
}

func (s *Issuer) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if q.Get("client_id") != s.Client || q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" ||
		q.Get("state") == "" {
		http.Error(w, "This is not a request of the client.", http.StatusBadRequest)
		return
	}
	if email := q.Get("as"); email != "" {
		for _, p := range s.People {
			if p.Email != email {
				continue
			}
			code := rand.Text()
			s.mu.Lock()
			s.codes[code] = asked{p, q.Get("nonce"), q.Get("code_challenge"), q.Get("redirect_uri"), time.Now().Add(time.Minute)}
			s.mu.Unlock()
			http.Redirect(w, r, q.Get("redirect_uri")+"?"+url.Values{"code": {code}, "state": {q.Get("state")}}.Encode(),
				http.StatusFound)
			return
		}
	}
	type one struct{ URL, Name, Email, Groups string }
	var list []one
	for _, p := range s.People {
		q.Set("as", p.Email)
		list = append(list, one{"/authorize?" + q.Encode(), p.Name, p.Email, strings.Join(p.Groups, ", ")})
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	choose.Execute(w, list) //nolint:errcheck // the reader is gone
}

func (s *Issuer) token(w http.ResponseWriter, r *http.Request) {
	refuse := func(why string) {
		answer(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant", "error_description": why})
	}
	client, secret, ok := r.BasicAuth()
	if !ok {
		client, secret = r.FormValue("client_id"), r.FormValue("client_secret")
	}
	if client != s.Client || subtle.ConstantTimeCompare([]byte(secret), []byte(s.Secret)) != 1 {
		answer(w, http.StatusUnauthorized, map[string]string{"error": "invalid_client"})
		return
	}
	s.mu.Lock()
	a, ok := s.codes[r.FormValue("code")]
	delete(s.codes, r.FormValue("code")) // it counts once
	s.mu.Unlock()
	proof := sha256.Sum256([]byte(r.FormValue("code_verifier")))
	switch {
	case !ok || time.Now().After(a.until):
		refuse("the code is not known")
		return
	case base64.RawURLEncoding.EncodeToString(proof[:]) != a.challenge:
		refuse("whoever asks is not who asked")
		return
	case r.FormValue("redirect_uri") != a.redirect:
		refuse("another address")
		return
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: s.key},
		(&jose.SignerOptions{}).WithHeader("kid", "1").WithType("JWT"))
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	now := time.Now()
	id, err := jwt.Signed(signer).Claims(map[string]any{
		"iss": s.URL, "aud": s.Client, "sub": a.person.Email, "iat": now.Unix(), "exp": now.Add(5 * time.Minute).Unix(),
		"nonce": a.nonce,
		"email": a.person.Email, "email_verified": !a.person.Unverified, "name": a.person.Name, "groups": a.person.Groups,
	}).Serialize()
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	answer(w, http.StatusOK, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 300,
		"id_token": id})
}
