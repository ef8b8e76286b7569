// Package api is the face over HTTP: it signs people in, translates between
// the contract and the layers below, and serves the console. It decides
// nothing about imports or records itself.
package api

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"slices"
	"strings"
	"time"

	"uchi/api"
	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
	"uchi/internal/staging"
	"uchi/internal/store"
	"uchi/internal/work"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
	"go.opentelemetry.io/otel/trace"
)

// Options set up the face.
type Options struct {
	Log      *slog.Logger
	Console  fs.FS     // the built console
	Secure   bool      // the service is reached over TLS, directly or behind a proxy
	Provider *Provider // where people may sign in beside; nil for here alone
	// PublicURL is where people find the console; passkeys belong to its host.
	PublicURL string
	// SecurityContact is whom to tell of faults of security, as a URI; empty for nobody.
	SecurityContact string
	Proxied         bool // a proxy in front tells who asks, in X-Forwarded-For
}

// Server answers requests.
type Server struct {
	store *store.Store
	room  *staging.Room
	work  *work.Service
	opt   Options
	spent *prometheus.HistogramVec

	provider *provider
	devices  *devices // that keep passkeys; nil where none can
}

// New gives the handler for everything that the service answers.
func New(st *store.Store, room *staging.Room, w *work.Service, opt Options) http.Handler {
	s := &Server{store: st, room: room, work: w, opt: opt, devices: devicesAt(opt.PublicURL)}
	reg := prometheus.NewRegistry()
	s.spent = prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "uchi_request_seconds",
		Help: "Time that requests take, by route.", Buckets: prometheus.DefBuckets}, []string{"method", "route", "status"})
	reg.MustRegister(s.spent, gauges{st, opt.Log}, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))

	r := chi.NewRouter()
	r.Use(middleware.RequestID, middleware.GetHead, s.observe, s.recoverer, headers(opt.Secure))
	r.Get("/health", func(w http.ResponseWriter, _ *http.Request) {
		writeJSON(w, http.StatusOK, map[string]string{"health": "ok"})
	})
	r.Get("/ready", s.ready)
	if opt.Provider != nil {
		s.provider = &provider{Provider: *opt.Provider, back: strings.TrimSuffix(opt.PublicURL, "/") + signInBack}
		r.Get(signInStart, s.signInAway)
		r.Get(signInBack, s.signInReturn)
	}
	if opt.SecurityContact != "" {
		r.Get("/.well-known/security.txt", func(w http.ResponseWriter, _ *http.Request) { // RFC 9116
			w.Header().Set("Content-Type", "text/plain; charset=utf-8")
			fmt.Fprintf(w, "Contact: %s\nExpires: %s\nPreferred-Languages: en\n", opt.SecurityContact,
				time.Now().AddDate(0, 6, 0).UTC().Format(time.RFC3339))
		})
	}
	r.Group(func(r chi.Router) {
		r.Use(s.signedIn)
		r.Use(s.everywhere)
		r.Handle("/metrics", promhttp.HandlerFor(reg, promhttp.HandlerOpts{EnableOpenMetrics: true}))
	})
	r.Route("/api/v1", func(r chi.Router) {
		r.Use(http.NewCrossOriginProtection().Handler, bounded, s.signedIn)
		r.Get("/openapi.yaml", document("application/yaml", api.OpenAPI))
		r.Get("/routine.schema.json", document("application/schema+json", api.RoutineSchema))
		strict := NewStrictHandlerWithOptions(&handlers{s}, []StrictMiddlewareFunc{s.allowed}, StrictHTTPServerOptions{
			RequestErrorHandlerFunc:  s.badRequest,
			ResponseErrorHandlerFunc: s.problem,
		})
		HandlerWithOptions(strict, ChiServerOptions{BaseRouter: r, Middlewares: []MiddlewareFunc{read},
			ErrorHandlerFunc: s.badRequest})
		unknown := func(w http.ResponseWriter, r *http.Request) {
			s.problem(w, r, fault.New(fault.NotFound, "unknown_path",
				"there is nothing at this path").With(r.URL.Path).Mended("See /api/v1/openapi.yaml for what there is."))
		}
		r.NotFound(unknown)
		r.MethodNotAllowed(unknown)
	})
	r.NotFound(consoleFiles(opt.Console))
	return r
}

// document serves a file that is built into the binary.
func document(kind string, content []byte) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", kind)
		w.Write(content) //nolint:errcheck // the reader is gone
	}
}

func (s *Server) ready(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
	defer cancel()
	if err := s.store.Ping(ctx); err != nil {
		s.problem(w, r, fault.New(fault.Busy, "not_ready", "the database does not answer"))
		return
	}
	writeJSON(w, http.StatusOK, map[string]string{"ready": "yes"})
}

// policyWith is the content security policy of all answers: nothing but what the service
// itself serves, nothing inline; style elements that the console makes carry the nonce of
// its page.
func policyWith(nonce string) string {
	if nonce != "" {
		nonce = " 'nonce-" + nonce + "'"
	}
	return "default-src 'self'; script-src 'self'; style-src 'self'" + nonce + "; img-src 'self' data:; font-src 'self' " +
		"data:; object-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
}

func headers(secure bool) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			h := w.Header()
			h.Set("X-Content-Type-Options", "nosniff")
			h.Set("Referrer-Policy", "same-origin")
			h.Set("Content-Security-Policy", policyWith(""))
			h.Set("X-Frame-Options", "DENY")
			h.Set("Cross-Origin-Opener-Policy", "same-origin")
			h.Set("Cross-Origin-Resource-Policy", "same-origin")
			h.Set("Permissions-Policy", "camera=(), geolocation=(), microphone=(), payment=(), usb=()")
			if secure {
				h.Set("Strict-Transport-Security", "max-age=31536000")
			}
			next.ServeHTTP(w, r)
		})
	}
}

// observe logs and measures every request.
func (s *Server) observe(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		began := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		ww.Header().Set("X-Request-Id", middleware.GetReqID(r.Context()))
		next.ServeHTTP(ww, r)
		status := ww.Status()
		if status == 0 {
			status = http.StatusOK
		}
		route := chi.RouteContext(r.Context()).RoutePattern()
		if route == "" {
			route = "console"
		}
		took := time.Since(began)
		s.spent.WithLabelValues(r.Method, route, http.StatusText(status)).Observe(took.Seconds())
		level := slog.LevelDebug
		if status >= 500 {
			level = slog.LevelError
		} else if r.Method != http.MethodGet {
			level = slog.LevelInfo
		}
		s.opt.Log.Log(r.Context(), level, "request", "method", r.Method, "path", r.URL.Path, "status", status, "bytes",
			ww.BytesWritten(), "ms", took.Milliseconds(), "request", middleware.GetReqID(r.Context()))
	})
}

func (s *Server) recoverer(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if v := recover(); v != nil {
				if err, ok := v.(error); ok && errors.Is(err, http.ErrAbortHandler) {
					panic(v)
				}
				s.opt.Log.Error("panic in a handler", "value", v, "path", r.URL.Path, "request", middleware.GetReqID(r.Context()))
				s.problem(w, r, errors.New("panic"))
			}
		}()
		next.ServeHTTP(w, r)
	})
}

// cookieName is that of the session; over TLS it is bound to this host and path.
func (s *Server) cookieName() string {
	if s.opt.Secure {
		return "__Host-uchi_session"
	}
	return "uchi_session"
}

// mostJSON is how large the body of a request is at most that is no source.
const mostJSON = 8 << 20

// silentBody is how long a request may send nothing.
const silentBody = time.Minute

// bounded bounds what a request may send, and how slowly.
func bounded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !strings.HasPrefix(r.Header.Get("Content-Type"), "application/octet-stream") {
			r.Body = http.MaxBytesReader(w, r.Body, mostJSON)
		}
		r.Body = &patient{r.Body, http.NewResponseController(w), silentBody}
		w.Header().Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r)
	})
}

// patient reads a body as long as it goes on coming.
type patient struct {
	io.ReadCloser
	conn    *http.ResponseController
	silence time.Duration
}

// Read implements io.Reader.
func (p *patient) Read(b []byte) (int, error) {
	p.conn.SetReadDeadline(time.Now().Add(p.silence)) //nolint:errcheck // not all connections have deadlines
	n, err := p.ReadCloser.Read(b)
	if err == io.EOF {
		p.conn.SetReadDeadline(time.Time{}) //nolint:errcheck // not all connections have deadlines
	}
	return n, err
}

// visit is what the handlers need to know of a request besides its parameters.
type visit struct {
	person    store.Person
	session   string
	announced int64 // bytes of the body, -1 when not told
}

type visitKey struct{}

func visitOf(ctx context.Context) visit {
	v, _ := ctx.Value(visitKey{}).(visit)
	return v
}

func personOf(ctx context.Context) store.Person { return visitOf(ctx).person }
func sessionOf(ctx context.Context) string      { return visitOf(ctx).session }
func announcedOf(ctx context.Context) int64     { return visitOf(ctx).announced }

// unsigned are the paths at which nobody is signed in yet.
var unsigned = []string{"/api/v1/session/ways", "/api/v1/session/invitation", "/api/v1/session/passkey/ask",
	"/api/v1/session/passkey"}

// signedIn lets through who has a session or a token; signing in itself needs neither.
func (s *Server) signedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		origin := store.Origin{Address: s.addressOf(r), Agent: r.UserAgent(), Request: middleware.GetReqID(r.Context())}
		if r.Method == http.MethodPost && r.URL.Path == "/api/v1/session" || slices.Contains(unsigned, r.URL.Path) {
			next.ServeHTTP(w, r.WithContext(store.From(r.Context(), origin)))
			return
		}
		p, err := s.who(r)
		if err != nil {
			s.problem(w, r, err)
			return
		}
		origin.Token = p.Token
		r = r.WithContext(store.From(r.Context(), origin))
		v := visit{person: p, announced: r.ContentLength}
		if c, err := r.Cookie(s.cookieName()); err == nil {
			v.session = c.Value
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), visitKey{}, v)))
	})
}

// everywhere refuses a token of one workspace.
func (s *Server) everywhere(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if only := personOf(r.Context()).Only; only != "" {
			s.problem(w, r, errOfWorkspace.With(only))
			return
		}
		next.ServeHTTP(w, r)
	})
}

// addressOf is the address in the network that a request comes from. What the request
// itself says of it counts only where a proxy has written the last part of it.
func (s *Server) addressOf(r *http.Request) string {
	if s.opt.Proxied {
		all := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
		if last := strings.TrimSpace(all[len(all)-1]); net.ParseIP(last) != nil {
			return last
		}
	}
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

func (s *Server) who(r *http.Request) (store.Person, error) {
	if token, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
		return s.store.ByToken(r.Context(), token)
	}
	c, err := r.Cookie(s.cookieName())
	if err != nil {
		return store.Person{}, store.ErrUnsigned
	}
	return s.store.BySession(r.Context(), c.Value)
}

// anybody needs no role, not even to be signed in.
const anybody rights.Role = ""

// needs says which role each operation takes. An operation that is not named is
// refused.
var needs = map[string]rights.Role{
	"SignIn":     anybody,
	"SignInWays": anybody,

	"AskPasskey":        anybody,
	"SignInWithPasskey": anybody,
	"ListPasskeys":      rights.Viewer,
	"AskNewPasskey":     rights.Viewer,
	"AddPasskey":        rights.Viewer,
	"RemovePasskey":     rights.Viewer,

	"TakeInvitation": anybody,
	"SignOut":        rights.Viewer,
	"WhoAmI":         rights.Viewer,

	"ListTokens":  rights.Viewer,
	"AddToken":    rights.Viewer,
	"RemoveToken": rights.Viewer,

	"ListSessions": rights.Viewer,
	"EndSession":   rights.Viewer,

	"ListNotices": rights.Viewer, "StreamNotices": rights.Viewer,
	"SetNotices": rights.Viewer,

	"ListLog":     rights.Administrator,
	"DownloadLog": rights.Administrator,
	"ProveLog":    rights.Administrator,

	"ListPeople":     rights.Administrator,
	"AddPerson":      rights.Administrator,
	"ChangePerson":   rights.Administrator,
	"InvitePerson":   rights.Administrator,
	"RemovePerson":   rights.Administrator,
	"ChangePassword": rights.Viewer,
	"GetSettings":    rights.Viewer,
	"SetSettings":    rights.Administrator,

	"ListWorkspaces": rights.Viewer,
	"AddWorkspace":   rights.Administrator,

	"GetWorkspace":    rights.Viewer,
	"ChangeWorkspace": rights.Administrator,
	"RemoveWorkspace": rights.Administrator,
	"Start":           rights.Viewer,

	"ListTypes":       rights.Viewer,
	"AddType":         rights.Administrator,
	"ProposeType":     rights.Viewer,
	"GetType":         rights.Viewer,
	"DescribeType":    rights.Viewer,
	"AddField":        rights.Administrator,
	"ChangeField":     rights.Administrator,
	"ChangeMatch":     rights.Administrator,
	"ChangeKnown":     rights.Administrator,
	"TryMatch":        rights.Viewer,
	"AddChoice":       rights.Administrator,
	"GetWeights":      rights.Viewer,
	"EstimateWeights": rights.Administrator,
	"ForgetWeights":   rights.Administrator,

	"ListBundles":    rights.Viewer,
	"AddBundle":      rights.Operator,
	"GetBundle":      rights.Viewer,
	"DiscardBundle":  rights.Operator,
	"AddToBundle":    rights.Operator,
	"OrderBundle":    rights.Operator,
	"SaveBundle":     rights.Operator,
	"CheckBundle":    rights.Operator,
	"LoadBundle":     rights.Operator,
	"UndoBundle":     rights.Operator,
	"PlanUndoBundle": rights.Operator,
	"CancelBundle":   rights.Operator,

	"ListHooks":  rights.Administrator,
	"AddHook":    rights.Administrator,
	"RemoveHook": rights.Administrator,

	"AskApproval":      rights.Operator,
	"DecideApproval":   rights.Operator,
	"GetApprovalRules": rights.Viewer,
	"SetApprovalRules": rights.Administrator,

	"ListFeeds":   rights.Viewer,
	"GetFeed":     rights.Viewer,
	"SetFeed":     rights.Administrator,
	"RemoveFeed":  rights.Administrator,
	"RunFeed":     rights.Operator,
	"PauseFeed":   rights.Operator,
	"SetFeedTold": rights.Viewer,
	"SendToFeed":  rights.Operator,
	"ChangeKey":   rights.Administrator,

	"ListImports":    rights.Viewer,
	"Upload":         rights.Operator,
	"GetImport":      rights.Viewer,
	"DiscardImport":  rights.Operator,
	"Close":          rights.Operator,
	"Reopen":         rights.Operator,
	"HandOver":       rights.Operator,
	"StreamImport":   rights.Viewer,
	"ListRuns":       rights.Viewer,
	"ListGone":       rights.Viewer,
	"DownloadSource": rights.Viewer,

	"Suggest":          rights.Viewer,
	"Preview":          rights.Viewer,
	"ColumnValues":     rights.Viewer,
	"AddDraft":         rights.Operator,
	"SetRoutine":       rights.Operator,
	"GetImportRoutine": rights.Viewer,
	"UseRoutine":       rights.Operator,
	"SetReading":       rights.Operator,
	"ImportBelow":      rights.Operator,
	"Rehearse":         rights.Operator,
	"Rehearsed":        rights.Operator,
	"TryRoutine":       rights.Operator,

	"ListRoutines":        rights.Viewer,
	"GetRoutine":          rights.Viewer,
	"GetRoutineDocument":  rights.Viewer,
	"SaveRoutine":         rights.Operator,
	"SaveRoutineDocument": rights.Operator,
	"CopyRoutine":         rights.Operator,
	"RemoveRoutine":       rights.Operator,

	"Check":      rights.Operator,
	"Load":       rights.Operator,
	"ChooseRows": rights.Operator,
	"Undo":       rights.Operator,
	"PlanUndo":   rights.Operator,
	"Pause":      rights.Operator,
	"Resume":     rights.Operator,
	"Stop":       rights.Operator,
	"Cancel":     rights.Operator,
	"Overwrites": rights.Viewer,

	"ListRows":           rights.Viewer,
	"GetRow":             rights.Viewer,
	"DownloadRows":       rights.Viewer,
	"StarterSheet":       rights.Viewer,
	"ExportRecords":      rights.Viewer,
	"ReadFilter":         rights.Viewer,
	"ListColumns":        rights.Viewer,
	"ListViews":          rights.Viewer,
	"AddView":            rights.Operator,
	"ChangeView":         rights.Operator,
	"RemoveView":         rights.Operator,
	"DownloadOverwrites": rights.Viewer,

	"DownloadWorkbook": rights.Viewer,
	"ListEdits":        rights.Viewer,
	"Edit":             rights.Operator,
	"TakeEditsBack":    rights.Operator,
	"Replace":          rights.Operator,
	"BringBack":        rights.Operator,
	"Near":             rights.Viewer,

	"ListQuestions": rights.Viewer,
	"GetQuestion":   rights.Viewer,
	"ListAnswers":   rights.Viewer,
	"Answer":        rights.Operator,
	"AnswerMany":    rights.Operator,
	"TakeBack":      rights.Operator,

	"ListRecords": rights.Viewer,
	"GetRecord":   rights.Viewer,

	"StartExport":    rights.Viewer,
	"ListExports":    rights.Viewer,
	"GetExport":      rights.Viewer,
	"RemoveExport":   rights.Viewer,
	"DownloadExport": rights.Viewer,

	"ChangeRecord": rights.Operator,
	"AddNote":      rights.Operator,
	"GetHistory":   rights.Viewer,
	"GetFile":      rights.Viewer,
}

// ofClosed are the operations that change a workspace which is closed.
var ofClosed = []string{"ChangeWorkspace", "RemoveWorkspace"}

// ofEverywhere are the operations on a workspace for which a role in it alone does not do: what is
// gone comes not back.
var ofEverywhere = []string{"RemoveWorkspace"}

// ofAnyToken are the operations outside of workspaces for which a token of one workspace
// does; they tell of no other.
var ofAnyToken = []string{"WhoAmI", "ListWorkspaces"}

var errOfWorkspace = fault.New(fault.Denied, "token_of_workspace",
	"the token is for one workspace alone").Mended("Use one that is for all, or sign in with your password.")

// errNoRole refuses an operation for which no role is named.
var errNoRole = fault.New(fault.Denied, "no_role_named",
	"nobody may do this, since no role is named for it").Mended("This is a fault of the service; report it.")

func (s *Server) allowed(next StrictHandlerFunc, operation string) StrictHandlerFunc {
	need, named := needs[operation]
	return func(ctx context.Context, w http.ResponseWriter, r *http.Request, request any) (any, error) {
		trace.SpanFromContext(ctx).SetName(operation)
		p, workspace := personOf(ctx), chi.URLParam(r, "workspace")
		everywhere := p.Role
		if workspace != "" && p.ID != 0 { // what they may do there
			role, err := s.store.RoleIn(ctx, p, workspace)
			if err != nil {
				return nil, err
			}
			v := visitOf(ctx)
			p.Role = role
			v.person = p
			ctx = context.WithValue(ctx, visitKey{}, v)
		}
		if p.ID != 0 {
			ctx = store.SeenAs(ctx, p.Role)
		}
		switch {
		case !named:
			return nil, errNoRole.With(operation)
		case p.Role == rights.None: // as if it were not there
			return nil, store.ErrNoWorkspace.With(workspace)
		case workspace == "" && p.Only != "" && !slices.Contains(ofAnyToken, operation):
			return nil, errOfWorkspace.With(p.Only)
		case need != anybody && !p.Role.Covers(need),
			slices.Contains(ofEverywhere, operation) && !everywhere.Covers(need):
			return nil, work.ErrRole(need)
		}
		if workspace != "" {
			if err := s.store.MustWorkspace(ctx, workspace); err != nil {
				return nil, err
			}
		}
		if workspace != "" && need.Covers(rights.Operator) && r.Method != http.MethodGet &&
			!slices.Contains(ofClosed, operation) {
			if err := s.store.MustBeOpen(ctx, workspace); err != nil {
				return nil, err
			}
		}
		if err := oddityOf(ctx); err != nil {
			return nil, err
		}
		return next(ctx, w, r, request)
	}
}

var statusOf = map[fault.Kind]int{
	fault.Invalid: http.StatusUnprocessableEntity, fault.NotFound: http.StatusNotFound,
	fault.Conflict: http.StatusConflict, fault.Denied: http.StatusForbidden,
	fault.Unsigned: http.StatusUnauthorized, fault.TooLarge: http.StatusRequestEntityTooLarge,
	fault.Busy:  http.StatusServiceUnavailable,
	fault.Stale: http.StatusPreconditionFailed, fault.TooMany: http.StatusTooManyRequests,
}

// problem answers with a problem document (RFC 9457).
func (s *Server) problem(w http.ResponseWriter, r *http.Request, err error) {
	id := middleware.GetReqID(r.Context())
	f, ok := fault.From(err)
	if !ok {
		if r.Context().Err() != nil { // the service stops, and somebody waits for the answer; or nobody does any more
			f = fault.New(fault.Busy, "service_stopping", "the service stops, and may not have done this").
				Mended("Look whether it was done when the service answers again, and try again if not.")
		} else {
			s.opt.Log.Error("request failed", "error", err, "path", r.URL.Path, "request", id)
			if f = store.Told(err); f == nil {
				f = fault.New(-1, "internal",
					"the service could not do this").Mended("Try again; the service's log says more under the request's id.")
			}
		}
	}
	status, known := statusOf[f.Kind]
	if !known {
		status = http.StatusInternalServerError
	}
	p := Problem{Type: "about:blank", Title: f.Message, Status: status, Detail: f.Error(), Code: f.Code, Place: f.Place,
		Value: fault.Cut(f.Value, 300), Mend: f.Mend, Request: id}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(p) //nolint:errcheck // the reader is gone
}

func (s *Server) badRequest(w http.ResponseWriter, r *http.Request, err error) {
	if odd := oddityOf(r.Context()); odd != nil { // says it better
		err = odd
	}
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		err = fault.Newf(fault.TooLarge, "request_too_large", "a request holds at most %d MiB",
			large.Limit>>20).Mended("Send it in parts; sources are sent as application/octet-stream.")
	} else if _, ok := fault.From(err); !ok {
		err = fault.New(fault.Invalid, "bad_request", "the request cannot be read: "+
			err.Error()).Mended("See /api/v1/openapi.yaml for its form.")
	}
	s.problem(w, r, err)
}

func writeJSON(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(v) //nolint:errcheck // the reader is gone
}

// nonceMark stands in the console's page where its nonce goes.
const nonceMark = "nonce-of-this-page"

// consoleFiles serves the console; paths that are no files are its own pages.
func consoleFiles(console fs.FS) http.HandlerFunc {
	files := http.FileServerFS(console)
	return func(w http.ResponseWriter, r *http.Request) {
		name := strings.TrimPrefix(r.URL.Path, "/")
		if st, err := fs.Stat(console, name); err == nil && !st.IsDir() {
			if strings.HasPrefix(name, "assets/") {
				w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			files.ServeHTTP(w, r)
			return
		}
		if strings.HasPrefix(name, "assets/") || r.Method != http.MethodGet && r.Method != http.MethodHead {
			http.NotFound(w, r)
			return
		}
		nonce := rand.Text()
		page, err := fs.ReadFile(console, "index.html")
		if err != nil {
			http.Error(w, "The console is not built into this binary; build it with make.", http.StatusNotFound)
			return
		}
		page = bytes.Replace(page, []byte(nonceMark), []byte(nonce), 1)
		w.Header().Set("Cache-Control", "no-store")
		w.Header().Set("Content-Security-Policy", policyWith(nonce))
		http.ServeContent(w, r, "index.html", time.Time{}, bytes.NewReader(page))
	}
}
