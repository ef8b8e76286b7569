// Package cli is the face in a terminal: it reads flags, asks, and prints. The
// service commands (serve, demo) start the layers below; all others talk to a
// running service through its client.
package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"slices"
	"strings"
	"syscall"

	"uchi/internal/client"
	"uchi/internal/core/fault"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"golang.org/x/term"
)

// Exit codes, as documented in docs/guide/command-line.md.
const (
	exitOK          = 0
	exitFailed      = 1 // something went wrong
	exitUsage       = 2 // the command was not understood
	exitHeld        = 3 // it went well, but rows are held
	exitDeclined    = 4 // a question was answered with no
	exitUnreachable = 5 // the service does not answer
	exitSignIn      = 6 // not signed in, or not allowed
)

var (
	errDeclined = errors.New("nothing was changed")
	errHeld     = errors.New("rows are held")
)

type usageError struct{ error }

// app is what the commands share.
type app struct {
	in        io.Reader
	lines     *bufio.Reader // of in, once a line of it was read
	out       io.Writer
	errs      io.Writer
	terminal  bool
	server    string
	token     string
	workspace string
	asJSON    bool
}

// Main runs the command line and gives the exit code.
func Main() int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	a := &app{in: os.Stdin, out: os.Stdout, errs: os.Stderr, terminal: term.IsTerminal(int(os.Stdout.Fd()))}
	return a.run(ctx, os.Args[1:])
}

func (a *app) run(ctx context.Context, args []string) int {
	root := a.root()
	root.SetArgs(args)
	root.SetOut(a.out)
	root.SetErr(a.errs)
	root.SetIn(a.in)
	cmd, err := root.ExecuteContextC(ctx)
	var usage usageError
	f, isFault := fault.From(err)
	switch {
	case err == nil:
		return exitOK
	case errors.Is(err, errHeld):
		return exitHeld
	case errors.Is(err, errDeclined):
		fmt.Fprintln(a.errs, "Nothing was changed.")
		return exitDeclined
	case errors.As(err, &usage):
		fmt.Fprintf(a.errs, "%s\nUsage: %s\nSee %s --help.\n", err, cmd.UseLine(), cmd.CommandPath())
		return exitUsage
	case !isFault:
		fmt.Fprintln(a.errs, "Error:", err)
		return exitFailed
	}
	a.printFault(f)
	switch {
	case f.Code == client.Unreachable:
		return exitUnreachable
	case f.Kind == fault.Unsigned || f.Kind == fault.Denied:
		return exitSignIn
	}
	return exitFailed
}

// printFault says what is wrong, where and what would mend it: to people, or to a script.
func (a *app) printFault(f *fault.Error) {
	if a.asJSON { // as the service says it
		writeJSON(a.errs, struct { //nolint:errcheck // there is nowhere to say so
			Code  string      `json:"code"`
			Title string      `json:"title"`
			Place fault.Place `json:"place,omitzero"`
			Value string      `json:"value,omitempty"`
			Mend  string      `json:"mend,omitempty"`
		}{f.Code, f.Message, f.Place, f.Value, f.Mend})
		return
	}
	fmt.Fprintf(a.errs, "%s %s\n", a.paint(red, "Error:"), f.Message)
	line := func(label, s string) {
		if s != "" {
			fmt.Fprintf(a.errs, "  %-6s %s\n", label, s)
		}
	}
	line("where", f.Place.String())
	if f.Value != "" {
		line("value", fmt.Sprintf("%q", fault.Cut(f.Value, 200)))
	}
	line("mend", f.Mend)
	line("code", f.Code)
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "uchi",
		Short: "Load spreadsheets into CRM records, after saying what it would do",
		Long: `Uchi reads account, contact, lead and opportunity spreadsheets, places their columns on
record fields, finds the records that are already there, shows what each row would do, and
only then writes. Rows with problems are held back and can be mended.

Start a service with "uchi serve" (or "uchi demo" for a first look), sign in once with
"uchi login", then load a file with "uchi import".`,
		Example: `  uchi demo                                      a first look, with made-up data
  uchi import contacts.csv --into contact        check a file, ask, load it
  uchi import leads.csv --check-only --json      what would it do?`,
		SilenceUsage: true, SilenceErrors: true, DisableFlagsInUseLine: true, SuggestionsMinimumDistance: 2,
		Args:              isCommand,
		PersistentPreRunE: func(cmd *cobra.Command, _ []string) error { return noBlanks(cmd) },
		RunE:              func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	flags := root.PersistentFlags()
	flags.StringVar(&a.server, "server", os.Getenv("UCHI_SERVER"), "address of the service (also UCHI_SERVER)")
	flags.StringVar(&a.token, "token", os.Getenv("UCHI_TOKEN"), "token to sign in with (also UCHI_TOKEN)")
	flags.StringVarP(&a.workspace, "workspace", "w", envOr("UCHI_WORKSPACE", "main"), "workspace (also UCHI_WORKSPACE)")
	flags.BoolVar(&a.asJSON, "json", false, "print JSON, for scripts")
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	root.AddGroup(&cobra.Group{ID: "load", Title: "Loading:"}, &cobra.Group{ID: "look", Title: "Looking:"},
		&cobra.Group{ID: "service", Title: "The service:"})
	root.AddCommand(a.importCmd(), a.bundleCmd(), a.bundlesCmd(), a.importsCmd(), a.mappingCmd(), a.valuesCmd(),
		a.routineCmd(), a.checkCmd(), a.loadCmd(), a.undoCmd(), a.mendCmd(), a.rowsCmd(), a.questionsCmd(), a.answerCmd(),
		a.answersCmd(), a.tryCmd(), a.weightsCmd(), a.readCmd(), a.settingsCmd(),
		a.recordsCmd(), a.viewsCmd(), a.exportCmd(), a.exportsCmd(), a.starterCmd(), a.typesCmd(), a.fieldsCmd(),
		a.rulesCmd(), a.workspacesCmd(),
		a.serveCmd(), a.demoCmd(), a.loginCmd(), a.tokensCmd(), a.sessionsCmd(), a.passkeysCmd(), a.peopleCmd(),
		a.logCmd(), a.feedsCmd(), a.noticesCmd(), a.hooksCmd(), a.rehearseCmd(), a.askCmd(), a.approveCmd(),
		a.approvalCmd(), a.keyCmd())
	return root
}

func envOr(name, otherwise string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return otherwise
}

// mayBeBlank reports whether something is made blank by a flag, such as a help, a default or what is kept
// or told, or may be a tab.
func mayBeBlank(f *pflag.Flag) bool {
	return strings.Contains(f.Usage, "blank for none") ||
		slices.Contains([]string{"help-text", "default", "keep", "tell", "delimiter"}, f.Name)
}

// noBlanks refuses flags that are given and say nothing: a script's --rows "$ROWS" with a slip in the
// variable's name would else be a load of all rows.
func noBlanks(cmd *cobra.Command) (err error) {
	cmd.Flags().Visit(func(f *pflag.Flag) {
		said := []string{f.Value.String()}
		if list, ok := f.Value.(pflag.SliceValue); ok {
			said = list.GetSlice()
		} else if f.Value.Type() != "string" {
			return
		}
		blank := len(said) == 0 || slices.ContainsFunc(said, func(s string) bool { return strings.TrimSpace(s) == "" })
		if blank && err == nil && !mayBeBlank(f) {
			err = usageError{fmt.Errorf("--%s is given and says nothing; leave it out, or say what is meant", f.Name)}
		}
	})
	return err
}

// isCommand refuses a word that is no command, and names those that may be meant.
func isCommand(cmd *cobra.Command, list []string) error {
	if len(list) == 0 {
		return nil
	}
	said := fmt.Sprintf("there is no command %q", list[0])
	if near := cmd.SuggestionsFor(list[0]); len(near) > 0 {
		said += "; perhaps " + strings.Join(near, " or ")
	}
	return usageError{errors.New(said)}
}

// args says how many arguments a command takes, as a usage error.
func args(check cobra.PositionalArgs) cobra.PositionalArgs {
	return func(cmd *cobra.Command, list []string) error {
		if err := check(cmd, list); err != nil {
			return usageError{fmt.Errorf("%s: %w", cmd.CommandPath(), err)}
		}
		return nil
	}
}

// connect prepares requests with the flags, the environment and the kept login.
func (a *app) connect() (*client.Conn, error) {
	l, err := client.ReadLogin()
	if err != nil {
		return nil, err
	}
	if a.server != "" && a.server != l.Server {
		l = client.Login{Server: a.server}
	}
	if a.token != "" {
		l.Token = a.token
	}
	if l.Server == "" {
		l.Server = "http://" + defaultListen
	}
	return client.Connect(l, a.workspace)
}

// on makes a command's action of one that talks to the service.
func (a *app) on(f func(ctx context.Context, c *client.Conn, args []string) error) func(*cobra.Command,
	[]string) error {
	return func(cmd *cobra.Command, args []string) error {
		c, err := a.connect()
		if err != nil {
			return err
		}
		return f(cmd.Context(), c, args)
	}
}

func (a *app) printJSON(v any) error { return writeJSON(a.out, v) }

func writeJSON(to io.Writer, v any) error {
	enc := json.NewEncoder(to)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

func (a *app) logger(debug bool) *slog.Logger {
	level := slog.LevelInfo
	if debug {
		level = slog.LevelDebug
	}
	return slog.New(slog.NewTextHandler(a.errs, &slog.HandlerOptions{Level: level}))
}
