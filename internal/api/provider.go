package api

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/subtle"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
	"uchi/internal/store"

	"github.com/coreos/go-oidc/v3/oidc"
	"github.com/go-chi/chi/v5/middleware"
	"golang.org/x/oauth2"
)

// Provider is where people may sign in instead of with a password: a provider of OpenID
// Connect (Core 1.0), by the code flow with proof of the exchange (RFC 7636).
type Provider struct {
	Issuer         string
	Client, Secret string
	Label          string                 // what people call it
	Roles          map[string]rights.Role // by group; with none, people keep the role that they have here
}

// Where people come to sign in by the provider, and come back.
const (
	signInStart = "/sign-in/start"
	signInBack  = "/sign-in/back"
)

// signingIn is how long somebody may take at the provider.
const signingIn = 10 * time.Minute

// provider is one that was reached; it is looked for again until it is.
type provider struct {
	Provider
	back     string // where it sends people back
	mu       sync.Mutex
	verifier *oidc.IDTokenVerifier
	config   oauth2.Config
}

var errProvider = fault.New(fault.Busy, "provider_unreachable", "the sign-in of your organisation does not answer").
	Mended("Try again, or sign in with a password.")

// reach asks the provider what it offers, the first time.
func (p *provider) reach(ctx context.Context) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.verifier != nil {
		return nil
	}
	found, err := oidc.NewProvider(ctx, p.Issuer)
	if err != nil {
		return errors.Join(errProvider, err)
	}
	p.verifier = found.Verifier(&oidc.Config{ClientID: p.Client})
	p.config = oauth2.Config{ClientID: p.Client, ClientSecret: p.Secret, Endpoint: found.Endpoint(), RedirectURL: p.back,
		Scopes: []string{oidc.ScopeOpenID, "email", "profile", "groups"}}
	return nil
}

func outside(ctx context.Context) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	return oidc.ClientContext(ctx, &http.Client{Timeout: 20 * time.Second}), cancel
}

// askedCookie keeps, while somebody is at the provider, by what they are known again.
func (s *Server) askedCookie(value string, age int) *http.Cookie {
	return &http.Cookie{
		Name: "uchi_sign_in", Value: value, Path: "/sign-in", HttpOnly: true, SameSite: http.SameSiteLaxMode,
		MaxAge: age, Secure: s.opt.Secure,
	}
}

// signInAway sends somebody to the provider.
func (s *Server) signInAway(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := outside(r.Context())
	defer cancel()
	if err := s.provider.reach(ctx); err != nil {
		s.opt.Log.Warn("the provider of sign-ins cannot be reached", "issuer", s.provider.Issuer, "error", err)
		s.comeBack(w, r, errProvider)
		return
	}
	state, nonce, proof := rand.Text(), rand.Text(), oauth2.GenerateVerifier()
	http.SetCookie(w, s.askedCookie(state+"."+nonce+"."+proof, int(signingIn/time.Second)))
	w.Header().Set("Cache-Control", "no-store")
	http.Redirect(w, r, s.provider.config.AuthCodeURL(state, oidc.Nonce(nonce), oauth2.S256ChallengeOption(proof)),
		http.StatusFound)
}

// signInReturn signs somebody in who comes back from the provider.
func (s *Server) signInReturn(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := outside(store.From(r.Context(), store.Origin{
		Address: s.addressOf(r), Agent: r.UserAgent(), Request: middleware.GetReqID(r.Context()),
	}))
	defer cancel()
	http.SetCookie(w, s.askedCookie("", -1))
	w.Header().Set("Cache-Control", "no-store")
	secret, err := s.broughtBack(ctx, r)
	if err != nil {
		s.opt.Log.Warn("a sign-in by the provider has failed", "error", err, "request", middleware.GetReqID(r.Context()))
		s.comeBack(w, r, err)
		return
	}
	w.Header().Add("Set-Cookie", s.cookie(secret, int(store.SessionLength/time.Second)))
	http.Redirect(w, r, "/", http.StatusFound)
}

// comeBack shows the page of signing in, with why it was not done.
func (s *Server) comeBack(w http.ResponseWriter, r *http.Request, err error) {
	code := "provider_failed"
	if f, ok := fault.From(err); ok {
		code = f.Code
	}
	http.Redirect(w, r, "/?sign_in="+code, http.StatusFound)
}

var errNotOurs = fault.New(fault.Denied, "provider_refused", "the sign-in was not begun here, or took too long")

// broughtBack gives the secret of a session for whom the provider has sent back.
func (s *Server) broughtBack(ctx context.Context, r *http.Request) (string, error) {
	c, err := r.Cookie("uchi_sign_in")
	if err != nil {
		return "", errNotOurs
	}
	asked := strings.Split(c.Value, ".")
	q := r.URL.Query()
	if len(asked) != 3 || subtle.ConstantTimeCompare([]byte(asked[0]), []byte(q.Get("state"))) != 1 {
		return "", errNotOurs
	}
	if e := q.Get("error"); e != "" {
		return "", errNotOurs.With(e)
	}
	if err := s.provider.reach(ctx); err != nil {
		return "", err
	}
	token, err := s.provider.config.Exchange(ctx, q.Get("code"), oauth2.VerifierOption(asked[2]))
	if err != nil {
		return "", fmt.Errorf("exchange the code: %w", err)
	}
	raw, ok := token.Extra("id_token").(string)
	if !ok {
		return "", errors.New("the provider has sent no ID token")
	}
	id, err := s.provider.verifier.Verify(ctx, raw)
	if err != nil {
		return "", fmt.Errorf("verify the ID token: %w", err)
	}
	if subtle.ConstantTimeCompare([]byte(id.Nonce), []byte(asked[1])) != 1 {
		return "", errNotOurs
	}
	var claims struct {
		Email    string   `json:"email"`
		Verified *bool    `json:"email_verified"`
		Name     string   `json:"name"`
		Groups   []string `json:"groups"`
	}
	if err := id.Claims(&claims); err != nil {
		return "", fmt.Errorf("read the ID token: %w", err)
	}
	if claims.Email == "" || claims.Verified != nil && !*claims.Verified {
		return "", fault.New(fault.Denied, "provider_no_address",
			"the sign-in of your organisation does not vouch for your address").With(claims.Email)
	}
	_, secret, err := s.work.SignInBy(ctx, claims.Email, cmp.Or(claims.Name, claims.Email),
		s.provider.roleOf(claims.Groups))
	return secret, err
}

// roleOf gives the greatest role of the groups that somebody is in; empty for none.
func (p *provider) roleOf(groups []string) (best rights.Role) {
	for group, role := range p.Roles {
		if slices.Contains(groups, group) && (best == "" || role.Covers(best)) {
			best = role
		}
	}
	return best
}

func (h *handlers) SignInWays(context.Context, SignInWaysRequestObject) (SignInWaysResponseObject, error) {
	out := SignInWays200JSONResponse{}
	if h.provider != nil {
		out.Provider, out.Start = h.provider.Label, signInStart
	}
	if h.devices != nil {
		out.Passkeys = h.devices.origin
	}
	return out, nil
}
