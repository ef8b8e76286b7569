package cli

import (
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"time"

	"uchi/internal/client"
	"uchi/internal/core/sheet"
	"uchi/internal/standin"

	"github.com/spf13/cobra"
)

func (a *app) demoCmd() *cobra.Command {
	var f serveFlags
	var files string
	cmd := &cobra.Command{
		Use: "demo", GroupID: "service", Args: args(cobra.NoArgs),
		Short: "Run the service with made-up data, for a first look",
		Long: `Runs the service with a private PostgreSQL and the records of Lanternquay, a made-up maker of
shore-power pedestals, and signs the command line in. At the first start it leaves one import
loaded, two checked with held rows and questions, and one open, and a feed that has fetched two files from a stand-in
of a host outside: it has loaded one, and the other waits for a person.`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			f.admin = demoAdmin
			f.dir = filepath.Join(f.dir, "demo")
			os.Setenv(passwordEnv, demoPassword) //nolint:errcheck // the name is a constant
			if mails, err := a.startMail(cmd.Context(), &f); err != nil {
				fmt.Fprintf(a.errs, "  the demo's mail server does not start: %v\n", err)
			} else {
				fmt.Fprintf(a.errs, "  the demo's mails are shown at %s\n", mails)
			}
			if err := a.startIssuer(cmd.Context(), &f); err != nil {
				fmt.Fprintf(a.errs, "  the stand-in of the organisation's sign-in does not start: %v\n", err)
			}
			f.private = true // the host that the demo's feed looks into is on this machine
			return a.serve(cmd.Context(), f, func(ctx context.Context, address string) error {
				host, err := a.startHost(ctx, f.dir, address, files)
				if err != nil {
					fmt.Fprintf(a.errs, "  the host of the demo's feed does not start: %v\n", err)
				}
				return a.fillDemo(ctx, "http://"+address, files, host)
			})
		},
	}
	f.add(cmd)
	cmd.Flags().StringVar(&files, "files", "demo", "directory of the demo's files")
	return cmd
}

// What the demo loads, in the order in which the records refer to each other.
var demoRecords = []struct{ file, into string }{
	{"staff.csv", "staff"}, {"existing/accounts.csv", "account"}, {"existing/contacts.csv", "contact"},
	{"existing/opportunities.csv", "opportunity"},
}

// fillDemo loads the demo's records the way a user would, once.
func (a *app) fillDemo(ctx context.Context, server, files string, host *client.FeedPlace) error {
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
		if host != nil {
			if err := a.feedDemo(ctx, c, files, *host); err != nil {
				return err
			}
			if err := a.checkAgainDemo(ctx, c); err != nil {
				return err
			}
		}
	}
	fmt.Fprintf(a.errs, "\n  The console:  %s\n  Sign in with: %s\n  Password:     %s\n\n  The command line is signed "+
		"in: try bin/uchi imports\n  Ctrl-C ends it all.\n\n", server, demoAdmin, demoPassword)
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
		filter: `country == "NO" && status == "customer"`, columns: []string{"name", "owner", "locality", "employees",
			"email"}, sort: []string{"-employees"},
	}, true); err != nil {
		return err
	}
	if err := a.checkDemo(ctx, quiet, files, demoChecks[:2]); err != nil {
		return err
	}
	fmt.Fprintln(a.errs, "  opening brightmooring-accounts.csv")
	i, err := quiet.upload(ctx, c, filepath.Join(files, "brightmooring-accounts.csv"),
		client.UploadParams{Into: "account"})
	if err != nil {
		return err
	}
	if _, err = quiet.follow(ctx, c, i.Id, ""); err != nil {
		return err
	}
	return a.checkDemo(ctx, quiet, files, demoChecks[2:])
}

// checkAgainDemo checks the imports again that the feed's load has left behind what is there.
func (a *app) checkAgainDemo(ctx context.Context, c *client.Conn) error {
	quiet := &app{in: a.in, out: io.Discard, errs: io.Discard, server: a.server, workspace: "main"}
	r, err := c.ListImportsWithResponse(ctx, "main", &client.ListImportsParams{Limit: 50})
	if err != nil {
		return err
	}
	for _, listed := range r.JSON200.Imports {
		r, err := c.GetImportWithResponse(ctx, "main", listed.Id)
		if err != nil {
			return err
		}
		i := *r.JSON200
		if slices.ContainsFunc(i.Acts,
			func(act client.Act) bool { return act.Act == client.ActActLoad && act.Code == "written_since_check" }) {
			if _, err := quiet.check(ctx, c, i.Id); err != nil {
				return err
			}
		}
	}
	return nil
}

// demoCheck is a file of the demo that is checked and left for somebody to load.
type demoCheck struct {
	file  string
	flags importFlags
}

var demoChecks = []demoCheck{
	{"boat-show-leads.csv", importFlags{into: "lead", reading: sheet.Reading{DateOrder: "day_first"}}},
	{"fair-visitors.csv", importFlags{into: "contact"}},
	{"quay-enquiries.csv", importFlags{into: "contact",
		change: routineChange{drafts: []string{"account", "opportunity"}}}},
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

// The stand-in of a host outside, in the demo.
const (
	demoFeed     = "customer changes"
	demoUser     = "billing"
	demoHostWord = "tide table"
)

// startMail starts the stand-in of a mail server, two ports behind that of the service, and
// behind it the page that shows what was sent.
func (a *app) startMail(ctx context.Context, f *serveFlags) (page string, err error) {
	var l [2]net.Listener
	for k := range l {
		if l[k], err = demoListener(f.listen, 2+k); err != nil {
			return "", err
		}
	}
	m := &standin.Mail{}
	go m.Serve(ctx, l[0]) //nolint:errcheck // ends with the demo
	server := &http.Server{Handler: m, ReadHeaderTimeout: 10 * time.Second}
	go server.Serve(l[1])                             //nolint:errcheck // ends with the demo
	context.AfterFunc(ctx, func() { server.Close() }) //nolint:errcheck // it ends
	f.mail, f.mailFrom, f.mailRows = "smtp://"+l[0].Addr().String(), "Uchi at Lanternquay <uchi@lanternquay.example>",
		defaultMailRows
	return "http://" + l[1].Addr().String(), nil
}

// startIssuer starts the stand-in of the sign-in of an organisation, four ports behind
// that of the service.
func (a *app) startIssuer(ctx context.Context, f *serveFlags) error {
	l, err := demoListener(f.listen, 4)
	if err != nil {
		return err
	}
	secret := rand.Text()
	issuer, err := standin.NewIssuer("http://"+l.Addr().String(), "uchi", secret,
		standin.Somebody{Email: "ingrid.havnes@lanternquay.example", Name: "Ingrid Havnes", Groups: []string{"data"}},
		standin.Somebody{Email: "yoko.shiota@lanternquay.example", Name: "Yoko Shiota", Groups: []string{"sales"}},
		standin.Somebody{Email: "lars.brattvik@lanternquay.example", Name: "Lars Brattvik"})
	if err != nil {
		return err
	}
	server := &http.Server{Handler: issuer, ReadHeaderTimeout: 10 * time.Second}
	go server.Serve(l)                                //nolint:errcheck // ends with the demo
	context.AfterFunc(ctx, func() { server.Close() }) //nolint:errcheck // it ends
	os.Setenv("UCHI_OIDC_SECRET", secret)             //nolint:errcheck // the name is a constant
	f.issuer, f.oidcClient, f.oidcLabel, f.oidcRoles = issuer.URL, "uchi", "Lanternquay",
		map[string]string{"data": "administrator", "sales": "operator"}
	return nil
}

// demoListener listens on a port behind that of the service.
func demoListener(address string, behind int) (net.Listener, error) {
	_, port, err := net.SplitHostPort(address)
	if err != nil {
		return nil, err
	}
	n, err := strconv.Atoi(port)
	if err != nil || n == 0 {
		return nil, fmt.Errorf("the port %q leaves none behind it", port)
	}
	return net.Listen("tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(n+behind)))
}

// startHost starts the stand-in of an SFTP host, on the port behind that of the service,
// with the files of the demo's feed; it gives where that is.
func (a *app) startHost(ctx context.Context, dir, address, files string) (*client.FeedPlace, error) {
	l, err := demoListener(address, 1)
	if err != nil {
		return nil, err
	}
	out := filepath.Join(dir, "host")
	if err := os.MkdirAll(filepath.Join(out, "out"), 0o700); err != nil {
		return nil, err
	}
	list, err := filepath.Glob(filepath.Join(files, "feed", "*.csv"))
	if err != nil {
		return nil, err
	}
	for k, from := range list {
		to := filepath.Join(out, "out", filepath.Base(from))
		_, loaded := os.Stat(filepath.Join(out, "out", "loaded", filepath.Base(from)))
		if _, err := os.Stat(to); err == nil || loaded == nil {
			continue
		}
		text, err := os.ReadFile(from)
		if err != nil {
			return nil, err
		}
		at := time.Now().AddDate(0, 0, -7*(len(list)-k))
		if err := errors.Join(os.WriteFile(to, text, 0o600), os.Chtimes(to, at, at)); err != nil {
			return nil, err
		}
	}
	seed := filepath.Join(dir, "host-key")
	key, err := os.ReadFile(seed)
	if err != nil {
		key = make([]byte, ed25519.SeedSize)
		rand.Read(key) //nolint:errcheck // never fails
		if err := os.WriteFile(seed, key, 0o600); err != nil {
			return nil, err
		}
	}
	go standin.SFTP{
		Dir: out, User: demoUser, Password: demoHostWord, HostKey: ed25519.NewKeyFromSeed(key),
	}.Serve(ctx, l) //nolint:errcheck // ends with the demo
	return &client.FeedPlace{Kind: "sftp", Host: "127.0.0.1", Port: l.Addr().(*net.TCPAddr).Port, User: demoUser,
		Folder: "/out"}, nil
}

// feedDemo sets a feed up and has it look.
func (a *app) feedDemo(ctx context.Context, c *client.Conn, files string, host client.FeedPlace) error {
	fmt.Fprintln(a.errs, "  fetching customer-changes-47.csv and -48.csv")
	doc, err := os.Open(filepath.Join(files, "feed", "customer-changes.json"))
	if err != nil {
		return err
	}
	defer doc.Close() //nolint:errcheck // only read from
	if _, err := c.SaveRoutineDocumentWithBodyWithResponse(ctx, "main", demoFeed, &client.SaveRoutineDocumentParams{},
		"application/json", doc); err != nil {
		return err
	}
	word := demoHostWord
	set := client.FeedSetting{Secret: &word, SetUp: client.FeedSetUp{
		Routine: demoFeed, Place: host, Files: "customer-changes-*.csv", Still: 1, After: "move", Cron: "0 6 * * 1-5",
		Zone:   "Europe/Oslo",
		Bounds: client.FeedBounds{Held: "5 %", New: "0", Deleted: "0", Touched: "25 %", Size: "50 %", OtherColumns: true},
	}}
	if _, err := c.SetFeedWithResponse(ctx, "main", demoFeed, nil, set); err != nil {
		return err
	}
	if _, err := c.RunFeedWithResponse(ctx, "main", demoFeed, client.RunFeedJSONRequestBody{}); err != nil {
		return err
	}
	for range 300 { // the second file is taken when the first is loaded
		r, err := c.GetFeedWithResponse(ctx, "main", demoFeed)
		if err != nil {
			return err
		}
		if files := r.JSON200.Files; len(files) > 0 && files[0].State == "waiting" {
			break
		}
		time.Sleep(200 * time.Millisecond)
	}
	return nil
}
