package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"uchi/internal/api"
	"uchi/internal/client"
	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/pg"
	"uchi/internal/staging"
	"uchi/internal/store"
	"uchi/internal/work"
	"uchi/web"

	"github.com/spf13/cobra"
	"golang.org/x/term"
)

const (
	defaultListen = "127.0.0.1:8844"
	defaultAdmin  = "admin@localhost.example"
	passwordEnv   = "UCHI_ADMIN_PASSWORD"
)

type serveFlags struct {
	listen      string
	database    string
	dir         string
	admin       string
	process     string
	cert, key   string
	secure      bool
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
made; the password is taken from UCHI_ADMIN_PASSWORD or made up and printed once.`,
		Example: "  uchi serve\n  uchi serve --database postgres://uchi@db.internal:5432/uchi --listen 0.0.0.0:8844 --tls-cert cert.pem --tls-key key.pem",
		RunE:    func(cmd *cobra.Command, _ []string) error { return a.serve(cmd.Context(), f, nil) },
	}
	f.add(cmd)
	fl := cmd.Flags()
	fl.StringVar(&f.database, "database", os.Getenv("UCHI_DATABASE"), "URL of a PostgreSQL of your own (also UCHI_DATABASE)")
	fl.StringVar(&f.admin, "admin", defaultAdmin, "e-mail address of the first administrator")
	fl.StringVar(&f.process, "process", "", "name of this process among several on one database (made from host and port when left out)")
	fl.StringVar(&f.cert, "tls-cert", "", "certificate, to answer over TLS")
	fl.StringVar(&f.key, "tls-key", "", "key of the certificate")
	fl.BoolVar(&f.secure, "behind-tls", false, "a proxy in front speaks TLS: mark cookies as secure")
	fl.BoolVar(&f.proxied, "behind-proxy", false, "a proxy in front tells who asks, in X-Forwarded-For: believe the last address there")
	fl.Int64Var(&f.mostMiB, "max-source", 4096, "largest source, in MiB")
	fl.IntVar(&f.rowMiB, "max-row", sheet.DefaultLimits.RowBytes>>20, "largest row, in MiB")
	fl.Int64Var(&f.unpackedMiB, "max-unpacked", sheet.DefaultLimits.UnpackedBytes>>20, "most that a part of an archive may unpack to, in MiB")
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
		return fault.New(fault.Conflict, "port_taken", "the service cannot answer at this address: "+err.Error()).With(f.listen).Mended("Stop what uses it, or choose another with --listen.")
	}
	defer listener.Close()
	if f.database == "" {
		server, err := pg.Start(ctx, pg.Options{Dir: f.dir})
		if err != nil {
			return err
		}
		defer server.Stop()
		f.database = server.URL
	}
	address := listener.Addr().String()
	if f.process == "" {
		host, _ := os.Hostname()
		f.process = host + "/" + address
	}
	f.workers = max(f.workers, 1)
	st, err := store.Open(ctx, store.Options{URL: f.database, Process: f.process, Connections: staging.Connections(f.workers), Log: log})
	if err != nil {
		return err
	}
	defer st.Close()
	if err := a.firstAdministrator(ctx, st, f.admin); err != nil {
		return err
	}
	room := staging.New(st, log)
	w, err := a.startWork(ctx, st, room, f, log)
	if err != nil {
		return err
	}
	server := &http.Server{Handler: api.New(st, room, w, api.Options{Log: log, Console: web.Console(), Secure: f.cert != "" || f.secure, Proxied: f.proxied}), ReadHeaderTimeout: 10 * time.Second,
		BaseContext: func(net.Listener) context.Context { return ctx }, ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelWarn)}
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

func (a *app) startWork(ctx context.Context, st *store.Store, room *staging.Room, f serveFlags, log *slog.Logger) (*work.Service, error) {
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
	w, err := work.New(st, room, work.Options{Process: f.process, Workers: f.workers, MostBytes: most << 20, Limits: limits, Log: log})
	if err != nil {
		return nil, err
	}
	// The jobs end by Stop, so that they stop between two chunks.
	return w, w.Start(context.WithoutCancel(ctx))
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
	line, err := bufio.NewReader(a.in).ReadString('\n')
	if err != nil && err != io.EOF {
		return "", fmt.Errorf("read the password: %w", err)
	}
	return strings.TrimRight(line, "\r\n"), nil
}

func (a *app) loginCmd() *cobra.Command {
	var days int
	cmd := &cobra.Command{
		Use: "login EMAIL", GroupID: "service", Args: args(cobra.ExactArgs(1)), Short: "Sign in; a token is kept for this user",
		Long:    "Signs in with the password (asked for, or read from standard input) and keeps a token in a file that only you can read.",
		Example: "  uchi login admin@lanternquay.example\n  uchi login --server https://crm.lanternquay.example you@lanternquay.example < password.txt",
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

func (a *app) demoCmd() *cobra.Command {
	var f serveFlags
	var files string
	cmd := &cobra.Command{
		Use: "demo", GroupID: "service", Args: args(cobra.NoArgs), Short: "Run the service with made-up data, for a first look",
		Long: `Runs the service with a private PostgreSQL and the records of Lanternquay, a made-up maker of
shore-power pedestals, and signs the command line in. At the first start it leaves one import
loaded, two checked with held rows and questions, and one open.`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			f.admin = demoAdmin
			f.dir = filepath.Join(f.dir, "demo")
			os.Setenv(passwordEnv, demoPassword) //nolint:errcheck // the name is a constant
			return a.serve(cmd.Context(), f, func(ctx context.Context, address string) error {
				return a.fillDemo(ctx, "http://"+address, files)
			})
		},
	}
	f.add(cmd)
	cmd.Flags().StringVar(&files, "files", "demo", "directory of the demo's files")
	return cmd
}

// What the demo loads, in the order in which the records refer to each other.
var demoRecords = []struct{ file, into string }{
	{"staff.csv", "staff"}, {"existing/accounts.csv", "account"}, {"existing/contacts.csv", "contact"}, {"existing/opportunities.csv", "opportunity"},
}

// fillDemo loads the demo's records the way a user would, once.
func (a *app) fillDemo(ctx context.Context, server, files string) error {
	if err := signIn(ctx, server, demoAdmin, demoPassword, 30); err != nil {
		return err
	}
	a.server = server
	c, err := a.connect()
	if err != nil {
		return err
	}
	r, err := c.ListImportsWithResponse(ctx, "main", &client.ListImportsParams{Limit: 1})
	if err != nil {
		return err
	}
	if r.JSON200 != nil && len(r.JSON200.Imports) == 0 {
		if err := a.loadDemo(ctx, c, files); err != nil {
			return err
		}
	}
	fmt.Fprintf(a.errs, "\n  The console:  %s\n  Sign in with: %s\n  Password:     %s\n\n  The command line is signed in: try bin/uchi imports\n  Ctrl-C ends it all.\n\n", server, demoAdmin, demoPassword)
	return nil
}

func (a *app) loadDemo(ctx context.Context, c *client.Conn, files string) error {
	quiet := &app{in: a.in, out: io.Discard, errs: io.Discard, server: a.server, workspace: "main"}
	for _, d := range demoRecords {
		fmt.Fprintf(a.errs, "  loading %s\n", d.file)
		err := quiet.importFile(ctx, filepath.Join(files, filepath.FromSlash(d.file)), importFlags{into: d.into, yes: true})
		if err != nil && !errors.Is(err, errHeld) {
			return err
		}
	}
	if err := quiet.saveView(ctx, c, "account", "Norwegian customers", look{
		filter: `country == "NO" && status == "customer"`, columns: []string{"name", "owner", "locality", "employees", "email"}, sort: []string{"-employees"},
	}, true); err != nil {
		return err
	}
	if err := a.checkDemo(ctx, quiet, files, demoChecks[:2]); err != nil {
		return err
	}
	fmt.Fprintln(a.errs, "  opening brightmooring-accounts.csv")
	i, err := quiet.upload(ctx, c, filepath.Join(files, "brightmooring-accounts.csv"), client.UploadParams{Into: "account"})
	if err != nil {
		return err
	}
	if _, err = quiet.follow(ctx, c, i.Id, ""); err != nil {
		return err
	}
	return a.checkDemo(ctx, quiet, files, demoChecks[2:])
}

// demoCheck is a file of the demo that is checked and left for somebody to load.
type demoCheck struct {
	file  string
	flags importFlags
}

var demoChecks = []demoCheck{
	{"boat-show-leads.csv", importFlags{into: "lead", reading: sheet.Reading{DateOrder: "day_first"}}},
	{"fair-visitors.csv", importFlags{into: "contact"}},
	{"quay-enquiries.csv", importFlags{into: "contact", change: routineChange{drafts: []string{"account", "opportunity"}}}},
	{"deal-lines.csv", importFlags{into: "opportunity", change: routineChange{drafts: []string{"line"}}}},
}

func (a *app) checkDemo(ctx context.Context, quiet *app, files string, list []demoCheck) error {
	for _, d := range list {
		fmt.Fprintf(a.errs, "  checking %s\n", d.file)
		d.flags.checkOnly = true
		if err := quiet.importFile(ctx, filepath.Join(files, d.file), d.flags); err != nil && !errors.Is(err, errHeld) {
			return err
		}
	}
	return nil
}
