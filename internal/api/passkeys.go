package api

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"net"
	"net/url"
	"strings"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/store"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
)

// devices asks devices for passkeys (Web Authentication, level 3). A passkey belongs to the
// name of a host, and browsers give it to no other; it is asked for with what unlocks the
// device, so that it is two factors in one.
type devices struct {
	origin string // of the console, where passkeys work
	party  *webauthn.WebAuthn
}

// devicesAt prepares passkeys for a console at a URL; nil where browsers give none: by an
// address instead of a name, or without TLS. On the own machine it is the name localhost.
func devicesAt(public string) *devices {
	u, err := url.Parse(public)
	if err != nil {
		return nil
	}
	host := u.Hostname()
	if ip := net.ParseIP(host); ip != nil && ip.IsLoopback() {
		host = "localhost"
	} else if ip != nil {
		return nil
	}
	if host == "" || u.Scheme != "https" && host != "localhost" {
		return nil
	}
	origin := u.Scheme + "://" + host
	if u.Port() != "" {
		origin += ":" + u.Port()
	}
	party, err := webauthn.New(&webauthn.Config{
		RPID: host, RPDisplayName: "Uchi", RPOrigins: []string{origin}, AttestationPreference: protocol.PreferNoAttestation,
		AuthenticatorSelection: protocol.AuthenticatorSelection{
			ResidentKey: protocol.ResidentKeyRequirementRequired, RequireResidentKey: protocol.ResidentKeyRequired(),
			UserVerification: protocol.VerificationRequired,
		},
	})
	if err != nil {
		return nil
	}
	return &devices{origin: origin, party: party}
}

var errNoDevices = fault.New(fault.Conflict, "no_passkeys_here",
	"passkeys need the console under a name of its own, over TLS").
	Mended("Start the service with --public-url and the name under which people open it.")

// holder is a person as a device knows them.
type holder struct {
	handle []byte
	person store.Person
	keys   []webauthn.Credential
}

// WebAuthnID implements [webauthn.User].
func (h holder) WebAuthnID() []byte { return h.handle }

// WebAuthnName implements [webauthn.User].
func (h holder) WebAuthnName() string { return h.person.Email }

// WebAuthnDisplayName implements [webauthn.User].
func (h holder) WebAuthnDisplayName() string { return h.person.Name }

// WebAuthnCredentials implements [webauthn.User].
func (h holder) WebAuthnCredentials() []webauthn.Credential { return h.keys }

// handleLength is how many random bytes stand for a person at their devices.
const handleLength = 32

// holderOf gives a person with their passkeys, under the name by which their devices know
// them already.
func holderOf(p store.Person, list []store.Passkey) (holder, error) {
	h := holder{person: p}
	for _, k := range list {
		var c webauthn.Credential
		if err := json.Unmarshal(k.Kept, &c); err != nil {
			return h, fmt.Errorf("read passkey %d: %w", k.ID, err)
		}
		h.handle, h.keys = k.Handle, append(h.keys, c)
	}
	if h.handle == nil {
		h.handle = make([]byte, handleLength)
		rand.Read(h.handle) //nolint:errcheck // never fails
	}
	return h, nil
}

// asked is what is kept of a question until its answer.
type asked struct {
	Session webauthn.SessionData `json:"session"`
	Handle  []byte               `json:"handle,omitempty"`
}

// ask keeps a question and gives it with what the device is asked.
func (h *handlers) ask(ctx context.Context, by store.Person, q asked, options any) (a PasskeyAsk, err error) {
	data, err := json.Marshal(q)
	if err != nil {
		return a, fmt.Errorf("keep what a device is asked: %w", err)
	}
	if a.Options, err = json.Marshal(options); err != nil {
		return a, fmt.Errorf("ask a device: %w", err)
	}
	a.Ask, err = h.work.AskPasskey(ctx, by, data)
	return a, err
}

// answered gives the question to which an answer belongs.
func (h *handlers) answered(ctx context.Context, by store.Person, ask string) (q asked, err error) {
	if h.devices == nil {
		return q, errNoDevices
	}
	data, err := h.work.TakeAsk(ctx, ask, by)
	if err != nil {
		return q, err
	}
	if err := json.Unmarshal(data, &q); err != nil {
		return q, fmt.Errorf("read what a device was asked: %w", err)
	}
	return q, nil
}

func (h *handlers) AskPasskey(ctx context.Context, _ AskPasskeyRequestObject) (AskPasskeyResponseObject, error) {
	if h.devices == nil {
		return nil, errNoDevices
	}
	options, session, err := h.devices.party.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return nil, fmt.Errorf("ask a device: %w", err)
	}
	a, err := h.ask(ctx, store.Person{}, asked{Session: *session}, options.Response)
	return AskPasskey200JSONResponse(a), err
}

func (h *handlers) SignInWithPasskey(ctx context.Context,
	r SignInWithPasskeyRequestObject) (SignInWithPasskeyResponseObject, error) {
	q, err := h.answered(ctx, store.Person{}, r.Body.Ask)
	if err != nil {
		return nil, err
	}
	answer, err := protocol.ParseCredentialRequestResponseBytes(r.Body.Answer)
	if err != nil {
		return nil, store.ErrPasskey
	}
	k, p, err := h.work.PasskeyOf(ctx, answer.RawID)
	if err != nil {
		return nil, err
	}
	who, err := holderOf(p, []store.Passkey{k})
	if err != nil {
		return nil, err
	}
	_, now, err := h.devices.party.ValidatePasskeyLogin(func(_, handle []byte) (webauthn.User, error) {
		if !bytes.Equal(handle, k.Handle) {
			return nil, store.ErrPasskey
		}
		return who, nil
	}, q.Session, answer)
	if err != nil || now.Authenticator.CloneWarning {
		h.opt.Log.Warn("a passkey was not accepted", "person", p.ID, "passkey", k.ID, "error", err, "copied", err == nil)
		return nil, h.work.PasskeyRefused(ctx, p)
	}
	kept, err := json.Marshal(now)
	if err != nil {
		return nil, fmt.Errorf("keep passkey %d: %w", k.ID, err)
	}
	secret, err := h.work.SignInByPasskey(ctx, k, kept)
	if err != nil {
		return nil, err
	}
	cookie := h.cookie(secret, int(store.SessionLength/time.Second))
	return SignInWithPasskey200JSONResponse{Body: personView(p),
		Headers: SignInWithPasskey200ResponseHeaders{SetCookie: cookie}}, nil
}

func (h *handlers) AskNewPasskey(ctx context.Context, r AskNewPasskeyRequestObject) (AskNewPasskeyResponseObject,
	error) {
	p := personOf(ctx)
	if h.devices == nil {
		return nil, errNoDevices
	}
	if err := h.work.MayHavePasskey(ctx, p, r.Body.Password); err != nil {
		return nil, err
	}
	list, err := h.store.Passkeys(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	who, err := holderOf(p, list)
	if err != nil {
		return nil, err
	}
	options, session, err := h.devices.party.BeginRegistration(who,
		webauthn.WithExclusions(webauthn.Credentials(who.keys).CredentialDescriptors()))
	if err != nil {
		return nil, fmt.Errorf("ask a device for a new passkey: %w", err)
	}
	a, err := h.ask(ctx, p, asked{Session: *session, Handle: who.handle}, options.Response)
	return AskNewPasskey200JSONResponse(a), err
}

func (h *handlers) AddPasskey(ctx context.Context, r AddPasskeyRequestObject) (AddPasskeyResponseObject, error) {
	p := personOf(ctx)
	if strings.TrimSpace(r.Body.Label) == "" { // before the question is used up
		_, err := h.work.AddPasskey(ctx, store.Passkey{}, p)
		return nil, err
	}
	q, err := h.answered(ctx, p, r.Body.Ask)
	if err != nil {
		return nil, err
	}
	answer, err := protocol.ParseCredentialCreationResponseBytes(r.Body.Answer)
	if err != nil {
		return nil, errBadAnswer
	}
	c, err := h.devices.party.CreateCredential(holder{handle: q.Handle, person: p}, q.Session, answer)
	if err != nil {
		h.opt.Log.Warn("a new passkey was not accepted", "person", p.ID, "error", err)
		return nil, errBadAnswer
	}
	kept, err := json.Marshal(c)
	if err != nil {
		return nil, fmt.Errorf("keep a passkey: %w", err)
	}
	k, err := h.work.AddPasskey(ctx, store.Passkey{Label: r.Body.Label, Credential: c.ID, Handle: q.Handle, Kept: kept}, p)
	return AddPasskey201JSONResponse(passkeyView(k)), err
}

var errBadAnswer = fault.New(fault.Invalid, "bad_passkey",
	"the device has not answered what it was asked").Mended("Try again, or with another device.")

func (h *handlers) ListPasskeys(ctx context.Context, _ ListPasskeysRequestObject) (ListPasskeysResponseObject, error) {
	list, err := h.store.Passkeys(ctx, personOf(ctx).ID)
	out := ListPasskeys200JSONResponse{Passkeys: []Passkey{}}
	for _, k := range list {
		out.Passkeys = append(out.Passkeys, passkeyView(k))
	}
	return out, err
}

func (h *handlers) RemovePasskey(ctx context.Context, r RemovePasskeyRequestObject) (RemovePasskeyResponseObject,
	error) {
	return RemovePasskey204Response{}, h.work.RemovePasskey(ctx, personOf(ctx), r.Passkey)
}

func passkeyView(k store.Passkey) Passkey {
	return Passkey{Id: k.ID, Label: k.Label, MadeAt: k.MadeAt, UsedAt: at(k.UsedAt)}
}
