package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"uchi/internal/api"
	"uchi/internal/client"
	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
	"uchi/internal/core/secret"
	"uchi/internal/core/sheet"
	"uchi/internal/mail"
	"uchi/internal/pg"
	"uchi/internal/places"
	"uchi/internal/staging"
	"uchi/internal/store"
	"uchi/internal/work"
	"uchi/web"

	"github.com/spf13/cobra"
	"go.opentelemetry.io/contrib/instrumentation/net/http/otelhttp"
	"go.opentelemetry.io/otel/trace"
	"golang.org/x/term"
)

const (
	defaultListen   = "127.0.0.1:8844"
	defaultAdmin    = "admin@localhost.example"
	passwordEnv     = "UCHI_ADMIN_PASSWORD"
	defaultMailRows = 25
)

type serveFlags struct {
	listen      string
	database    string
	dir         string
	admin       string
	process     string
	cert, key   string
	secure      bool
	folders     []string // that feeds may look into
	private     bool     // networks may be reached
	keyFile     string
	mail        string
	mailFrom    string
	traces      string
	mailRows    int
	contact     string
	issuer      string
	oidcClient  string
	oidcLabel   string
	oidcRoles   map[string]string
	public      string // address of the console
	ownServer   bool   // the database is the private one
	proxied     bool
	mostMiB     int64
	cellKiB     int
	rowMiB      int
	unpackedMiB int64
	columns     int
	workers     int
	debug       bool
}

func (f *serveFlags) add(cmd *cobra.Command) {
	fl := cmd.Flags()
	fl.StringVar(&f.listen, "listen", defaultListen, "address to answer at; loopback unless you say otherwise")
	fl.StringVar(&f.dir, "data", pg.DefaultDir(), "directory of the private PostgreSQL")
	fl.BoolVar(&f.debug, "debug", false, "log every request")
}

func (a *app) serveCmd() *cobra.Command {
	var f serveFlags
	cmd := &cobra.Command{
		Use: "serve", GroupID: "service", Args: args(cobra.NoArgs), Short: "Run the service",
		Long: `Runs the service: interface, console and the jobs of imports. Without --database it starts a
private PostgreSQL on loopback, which ends with it. At the first start an administrator is
made; the password is taken from UCHI_ADMIN_PASSWORD or made up and printed once.

What no flag says is taken from the environment (--mail-server from UCHI_MAIL_SERVER, and so on),
and what that does not say from the file that --config names. Passwords are taken from the
environment alone.`,
		Example: "  uchi serve\n  uchi serve --config /etc/uchi/uchi.yaml\n  uchi serve --database " +
			"postgres://uchi@db.internal:5432/uchi --listen 0.0.0.0:8844 --tls-cert cert.pem --tls-key key.pem",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := configured(cmd); err != nil {
				return err
			}
			return a.serve(cmd.Context(), f, nil)
		},
	}
	f.add(cmd)
	fl := cmd.Flags()
	fl.String(configFlag, "", "file of settings in YAML, with the names of these flags")
	fl.StringVar(&f.database, "database", "", "URL of a PostgreSQL of your own")
	fl.StringVar(&f.admin, "admin", defaultAdmin, "e-mail address of the first administrator")
	fl.StringVar(&f.process, "process", "",
		"name of this process among several on one database (made from host and port when left out)")
	fl.StringVar(&f.cert, "tls-cert", "", "certificate, to answer over TLS")
	fl.StringVar(&f.key, "tls-key", "", "key of the certificate")
	fl.BoolVar(&f.secure, "behind-tls", false, "a proxy in front speaks TLS: mark cookies as secure")
	fl.BoolVar(&f.proxied, "behind-proxy", false,
		"a proxy in front tells who asks, in X-Forwarded-For: believe the last address there")
	fl.StringArrayVar(&f.folders, "feed-folder", nil,
		"a folder on this machine that feeds may look into, with those below (repeatable)")
	fl.BoolVar(&f.private, "allow-private", false, "feeds and notices may reach addresses in private networks")
	fl.StringVar(&f.issuer, "oidc-issuer", "",
		"provider of OpenID Connect by which people may sign in; its secret in UCHI_OIDC_SECRET")
	fl.StringVar(&f.oidcClient, "oidc-client", "uchi", "what the service is called there")
	fl.StringVar(&f.oidcLabel, "oidc-label", "your organisation", "what people call it")
	fl.StringToStringVar(&f.oidcRoles, "oidc-roles", nil,
		"roles by group, such as crm-admins=administrator,sales=operator; who is in none has the role that they have here, or may not sign in")
	fl.StringVar(&f.contact, "security-contact", "",
		"whom to tell of faults of security, such as mailto:security@lanternquay.example; stands in /.well-known/security.txt")
	fl.StringVar(&f.mail, "mail-server", "", "server by which notices go out: smtp://user@host:587 or smtps://user@host; "+
		"the password in UCHI_MAIL_PASSWORD")
	fl.StringVar(&f.mailFrom, "mail-from", "", "sender of notices, such as \"Uchi <uchi@lanternquay.example>\"")
	fl.IntVar(&f.mailRows, "mail-rows", defaultMailRows, "most held rows that hang on a notice as a sheet; 0 for none")
	fl.StringVar(&f.traces, "traces", "",
		"collector that traces go to, by OTLP over HTTP, such as http://127.0.0.1:4318/v1/traces")
	fl.StringVar(&f.public, "public-url", "", "where people find the console, for links in mails and for passkeys (made "+
		"from --listen when left out)")
	fl.StringVar(&f.keyFile, "key-file", "", "file of the key that passwords of other systems are kept with, older "+
		"keys behind it (also the key itself in UCHI_KEY; see uchi key)")
	fl.Int64Var(&f.mostMiB, "max-source", 4096, "largest source, in MiB")
	fl.IntVar(&f.rowMiB, "max-row", sheet.DefaultLimits.RowBytes>>20, "largest row, in MiB")
	fl.Int64Var(&f.unpackedMiB, "max-unpacked", sheet.DefaultLimits.UnpackedBytes>>20,
		"most that a part of an archive may unpack to, in MiB")
	fl.IntVar(&f.cellKiB, "max-cell", sheet.DefaultLimits.CellBytes>>10, "largest cell, in KiB")
	fl.IntVar(&f.columns, "max-columns", sheet.DefaultLimits.Columns, "most columns of a sheet")
	fl.IntVar(&f.workers, "workers", 2, "imports worked on at once by this process")
	return cmd
}

// serve runs the service until the context ends; then is called once it answers.
func (a *app) serve(ctx context.Context, f serveFlags, then func(ctx context.Context, address string) error) error {
	log := a.logger(f.debug)
	listener, err := net.Listen("tcp", f.listen)
	if err != nil {
		return fault.New(fault.Conflict, "port_taken", "the service cannot answer at this address: "+
			err.Error()).With(f.listen).Mended("Stop what uses it, or choose another with --listen.")
	}
	defer listener.Close()
	if f.database == "" {
		server, err := pg.Start(ctx, pg.Options{Dir: f.dir})
		if err != nil {
			return err
		}
		defer server.Stop()
		f.database, f.ownServer = server.URL, true
	}
	address := listener.Addr().String()
	if f.process == "" {
		host, _ := os.Hostname()
		f.process = host + "/" + address
	}
	f.workers = max(f.workers, 1)
	if f.public == "" {
		f.public = map[bool]string{true: "https://", false: "http://"}[f.cert != ""] + address
	}
	st, err := store.Open(ctx, store.Options{URL: f.database, Process: f.process,
		Connections: staging.Connections(f.workers), Log: log})
	if err != nil {
		return err
	}
	defer st.Close()
	if err := a.firstAdministrator(ctx, st, f.admin); err != nil {
		return err
	}
	traces, end, err := tracing(ctx, f.traces, f.process, log)
	if err != nil {
		return err
	}
	defer end()
	room := staging.New(st, log)
	w, err := a.startWork(ctx, st, room, f, traces, log)
	if err != nil {
		return err
	}
	by, err := f.provider()
	if err != nil {
		return err
	}
	handler := api.New(st, room, w, api.Options{Log: log, Console: web.Console(), Secure: f.cert != "" || f.secure,
		Proxied: f.proxied, SecurityContact: f.contact, Provider: by, PublicURL: f.public})
	if f.traces != "" {
		handler = otelhttp.NewHandler(handler, "request", otelhttp.WithTracerProvider(traces))
	}
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		MaxHeaderBytes: 64 << 10,
		BaseContext:    func(net.Listener) context.Context { return ctx },
		ErrorLog:       slog.NewLogLogger(log.Handler(), slog.LevelWarn)}
	ended := make(chan error, 1)
	go func() {
		if f.cert != "" {
			ended <- server.ServeTLS(listener, f.cert, f.key)
		} else {
			ended <- server.Serve(listener)
		}
	}()
	log.Info("the service answers", "address", address)
	if then != nil {
		go func() {
			if err := then(ctx, address); err != nil && ctx.Err() == nil {
				ended <- err
			}
		}()
	}
	select {
	case err = <-ended:
	case <-ctx.Done():
	}
	down, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	server.Shutdown(down) //nolint:errcheck // open streams are cut
	if serr := w.Stop(down); serr != nil {
		log.Warn("jobs did not stop in time; they go on at the next start", "error", serr)
	}
	if errors.Is(err, http.ErrServerClosed) {
		return nil
	}
	return err
}

func (a *app) startWork(ctx context.Context, st *store.Store, room *staging.Room, f serveFlags,
	traces trace.TracerProvider, log *slog.Logger) (*work.Service, error) {
	limits := sheet.DefaultLimits
	if f.cellKiB > 0 {
		limits.CellBytes = f.cellKiB << 10
		limits.RowBytes = max(limits.RowBytes, limits.CellBytes)
	}
	if f.columns > 0 {
		limits.Columns = f.columns
	}
	if f.rowMiB > 0 {
		limits.RowBytes = f.rowMiB << 20
	}
	if f.unpackedMiB > 0 {
		limits.UnpackedBytes = f.unpackedMiB << 20
	}
	most := f.mostMiB
	if most == 0 {
		most = 4096
	}
	box, err := f.secrets()
	if err != nil {
		return nil, err
	}
	var server *mail.Server
	if f.mail != "" {
		if server, err = mail.Parse(f.mail, os.Getenv("UCHI_MAIL_PASSWORD"), f.mailFrom); err != nil {
			return nil, err
		}
	}
	w, err := work.New(st, room, work.Options{Process: f.process, Workers: f.workers, MostBytes: most << 20,
		Limits: limits, Log: log,
		Places: places.Options{Folders: f.folders, Private: f.private}, Secrets: box, Mail: server, MailRows: f.mailRows,
		PublicURL: f.public, Traces: traces})
	if err != nil {
		return nil, err
	}
	// The jobs end by Stop, so that they stop between two chunks.
	return w, w.Start(context.WithoutCancel(ctx))
}

// provider gives the provider of sign-ins that was named; nil for none.
func (f serveFlags) provider() (*api.Provider, error) {
	if f.issuer == "" {
		return nil, nil //nolint:nilnil // there is none
	}
	p := &api.Provider{Issuer: f.issuer, Client: f.oidcClient, Secret: os.Getenv("UCHI_OIDC_SECRET"),
		Label: f.oidcLabel, Roles: map[string]rights.Role{}}
	for group, role := range f.oidcRoles {
		if !rights.Role(role).Valid() {
			return nil, usageError{fmt.Errorf("%q is no role; they are viewer, operator, administrator", role)}
		}
		p.Roles[group] = rights.Role(role)
	}
	return p, nil
}

// keyEnv may hold the keys for passwords of other systems.
const keyEnv = "UCHI_KEY"

// secrets gives what keeps the passwords of other systems: with the key that was said,
// or for a private server one that is made beside its data.
func (f serveFlags) secrets() (secret.Box, error) {
	text := os.Getenv(keyEnv)
	path := f.keyFile
	if path == "" && text == "" && f.ownServer {
		path = filepath.Join(f.dir, "key")
		file, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
		if err == nil {
			_, err = file.WriteString(secret.NewKey() + "\n")
			err = errors.Join(err, file.Close())
		}
		if err != nil && !errors.Is(err, fs.ErrExist) {
			return secret.Box{}, fault.New(fault.Invalid, "key_refused", "the key for passwords cannot be made: "+
				err.Error()).At(fault.Place{File: path})
		}
	}
	if path != "" {
		b, err := os.ReadFile(path)
		if err != nil {
			return secret.Box{}, fault.New(fault.Invalid, "key_refused", "the key for passwords cannot be read: "+
				err.Error()).At(fault.Place{File: path}).Mended("Make one with uchi key > FILE.")
		}
		text = string(b)
	}
	return secret.New(text)
}

func (a *app) keyCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "key", GroupID: "service", Args: args(cobra.NoArgs),
		Short: "Make a key that the service keeps passwords of other systems with",
		Long: `Prints a new key. Keep it in a file that only the service may read, apart from the database and its backups, and start
the service with --key-file. To change it, put the new key in the first line and leave the old one below, start the
service again, run uchi key change, and take the old one away.`,
		Example: "  uchi key > /etc/uchi/key\n  uchi key change",
		RunE: func(*cobra.Command, []string) error {
			_, err := fmt.Fprintln(a.out, secret.NewKey())
			return err
		},
	}
	cmd.AddCommand(&cobra.Command{
		Use: "change", Args: args(cobra.NoArgs), Short: "Keep all passwords of other systems with the service's first " +
			"key from now on (administrators)",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ChangeKeyWithResponse(ctx)
			if err != nil {
				return err
			}
			fmt.Fprintf(a.out, "%s with the first key.\n", plural(int64(r.JSON200.Count), "password is kept",
				"passwords are kept"))
			return nil
		}),
	})
	return cmd
}

func (a *app) firstAdministrator(ctx context.Context, st *store.Store, email string) error {
	if email == "" {
		email = defaultAdmin
	}
	made, password, err := st.FirstAdministrator(ctx, email, os.Getenv(passwordEnv))
	if err != nil {
		return fmt.Errorf("make the first administrator: %w", err)
	}
	if made {
		fmt.Fprintf(a.errs, "\nThe first administrator was made: %s\n", email)
		if password != "" {
			fmt.Fprintf(a.errs, "The password, shown this once:   %s\n\n", password)
		}
	}
	return nil
}

func (a *app) readPassword() (string, error) {
	if f, ok := a.in.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		fmt.Fprint(a.errs, "Password: ")
		b, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(a.errs)
		return string(b), err
	}
	return a.line()
}

func (a *app) loginCmd() *cobra.Command {
	var days int
	cmd := &cobra.Command{
		Use: "login EMAIL", GroupID: "service", Args: args(cobra.ExactArgs(1)),
		Short: "Sign in; a token is kept for this user",
		Long:  "Signs in with the password (asked for, or read from standard input) and keeps a token in a file that only you can read.",
		Example: "  uchi login admin@lanternquay.example\n  uchi login --server https://crm.lanternquay.example " +
			"you@lanternquay.example < password.txt",
		RunE: func(cmd *cobra.Command, list []string) error {
			password, err := a.readPassword()
			if err != nil {
				return err
			}
			server := a.server
			if server == "" {
				server = "http://" + defaultListen
			}
			if err := signIn(cmd.Context(), server, list[0], password, days); err != nil {
				return err
			}
			fmt.Fprintf(a.errs, "Signed in at %s.\n", server)
			return nil
		},
	}
	cmd.Flags().IntVar(&days, "days", 30, "days until the token ends")
	return cmd
}

// signIn gets a token with e-mail and password and keeps it.
func signIn(ctx context.Context, server, email, password string, days int) error {
	c, err := client.Connect(client.Login{Server: server}, "")
	if err != nil {
		return err
	}
	r, err := c.SignInWithResponse(ctx, client.Credentials{Email: email, Password: password})
	if err != nil {
		return err
	}
	cookie := func(_ context.Context, req *http.Request) error {
		for _, k := range r.HTTPResponse.Cookies() {
			req.AddCookie(k)
		}
		return nil
	}
	host, _ := os.Hostname()
	t, err := c.AddTokenWithResponse(ctx, client.NewToken{Label: "command line on " + host, Days: days}, cookie)
	if err != nil {
		return err
	}
	return client.Login{Server: server, Token: t.JSON201.Secret}.Keep()
}

const (
	demoAdmin    = "admin@lanternquay.example"
	demoPassword = "shore power for all"
)
