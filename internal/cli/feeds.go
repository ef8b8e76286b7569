package cli

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/internal/client"
	"uchi/internal/core/fault"

	"github.com/spf13/cobra"
)

func (a *app) feedsCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "feeds [NAME]", GroupID: "load", Args: args(cobra.MaximumNArgs(1)),
		Short: "List what runs by itself, or show one feed with its files and looks",
		Example: "  uchi feeds\n  uchi feeds \"marinas weekly\"\n  uchi feeds set \"marinas weekly\" --routine marinas " +
			"--sftp uchi@files.example:22/out --files 'marinas-*.csv' --cron '30 6 * * 1-5' --zone Europe/Oslo --bound held=5%",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			if len(list) == 1 {
				r, err := c.GetFeedWithResponse(ctx, c.Workspace, list[0])
				if err != nil {
					return err
				}
				return a.showFeed(*r.JSON200)
			}
			r, err := c.ListFeedsWithResponse(ctx, c.Workspace)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("Feed", "Routine", "From", "When", "Next", "Last file")
			for _, f := range r.JSON200.Feeds {
				next := "paused"
				if !f.Paused {
					next = nextOf(f)
				}
				last := ""
				if len(f.Files) > 0 {
					last = f.Files[0].Name + " " + a.feedWord(f.Files[0].State)
				}
				tab.AppendRow([]any{f.Name, f.SetUp.Routine, oneLine(placeWords(f.SetUp.Place), 40), f.Words, next, last})
			}
			tab.Render()
			return nil
		}),
	}
	cmd.AddCommand(a.setFeedCmd(), a.runFeedCmd(), a.sendToFeedCmd(),
		a.tellOfFeedCmd(), a.pauseFeedCmd("pause", "Pause a feed", true), a.pauseFeedCmd("resume", "Let a feed go on", false),
		&cobra.Command{
			Use: "remove NAME", Args: args(cobra.ExactArgs(1)), Short: "Forget a feed; its imports stay (administrators)",
			RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
				_, err := c.RemoveFeedWithResponse(ctx, c.Workspace, list[0])
				return err
			}),
		},
		&cobra.Command{
			Use: "trust NAME", Args: args(cobra.ExactArgs(1)),
			Short: "Let the SFTP host show another key from now on (administrators)",
			RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
				_, err := c.SetFeedWithResponse(ctx, c.Workspace, list[0], nil, client.FeedSetting{Trust: true})
				return err
			}),
		})
	return cmd
}

// feedWord is where a file stands, in the colour of that.
func (a *app) feedWord(state string) string {
	switch state {
	case "loaded":
		return a.word("created")
	case "waiting":
		return a.paint(amber, state)
	}
	return strings.ReplaceAll(state, "_", " ")
}

func nextOf(f client.Feed) string {
	if len(f.Next) == 0 {
		return "when sent"
	}
	return dayAndTime(f.Next[0])
}

func placeWords(p client.FeedPlace) string {
	switch p.Kind {
	case "folder":
		return p.Folder
	case "sftp":
		port := ""
		if p.Port != 0 && p.Port != 22 {
			port = ":" + strconv.Itoa(p.Port)
		}
		return "sftp " + p.User + "@" + p.Host + port + "/" + strings.TrimPrefix(p.Folder, "/")
	case "https":
		return p.Url
	}
	return "other programs"
}

// toldWords says of what somebody is told of a feed.
func toldWords(t client.FeedTold) string {
	var words []string
	for _, k := range t.Kinds {
		words = append(words, string(k))
	}
	s := cmp.Or(strings.Join(words, ", "), "nothing")
	if t.Usual {
		s += ", as usual"
	}
	return s
}

func (a *app) showFeed(f client.Feed) error {
	if a.asJSON {
		return a.printJSON(f)
	}
	fmt.Fprintf(a.out, "%s\n\n", a.paint(bold, f.Name))
	line := func(label, text string) {
		if text != "" {
			fmt.Fprintf(a.out, "  %-12s %s\n", label, text)
		}
	}
	line("From", placeWords(f.SetUp.Place))
	line("Host key", f.HostKey)
	files := f.SetUp.Files
	if f.SetUp.Newest {
		files += ", only the newest"
	}
	line("Files", files)
	line("Routine", f.SetUp.Routine)
	for _, p := range f.SetUp.Then {
		line("Then", p.Files+", by "+p.Routine)
	}
	if f.SetUp.Set {
		line("", "a set: taken when one of each is there")
	}
	line("When", f.Words)
	if f.Paused {
		line("", a.paint(amber, "paused"))
	}
	var next []string
	for _, t := range f.Next {
		next = append(next, dayAndTime(t))
	}
	line("Next", strings.Join(next, "   "))
	line("Acts for", f.Owner)
	line("Tells me", toldWords(f.Told))
	line("Bounds", boundWords(f.SetUp.Bounds))
	if len(f.Files) > 0 {
		fmt.Fprintf(a.out, "\n%s\n", a.paint(bold, "Files"))
		tab := a.table("File", "Taken", "State", "Import", "Rows", "Why")
		for _, x := range f.Files {
			var why []string
			for _, b := range x.Reasons {
				why = append(why, b.Says)
			}
			id := ""
			if x.Import > 0 {
				id = strconv.FormatInt(x.Import, 10)
			}
			tab.AppendRow([]any{x.Name, dayAndTime(x.TakenAt), strings.ReplaceAll(x.State, "_", " "), id, number(x.Rows),
				strings.Join(why, "\n")})
		}
		tab.Render()
	}
	if len(f.Runs) > 0 {
		fmt.Fprintf(a.out, "\n%s\n", a.paint(bold, "Looks"))
		tab := a.table("When", "Why", "Files there", "What")
		for _, r := range f.Runs[:min(10, len(f.Runs))] {
			what := r.Said
			if r.Trouble.Code != "" {
				what = a.paint(red, r.Trouble.Message+". ") + r.Trouble.Mend
			}
			if r.Missed > 0 {
				what += fmt.Sprintf(" (made up for %s)", plural(int64(r.Missed), "time that was missed", "times that were missed"))
			}
			why := r.Why
			if r.Person != "" {
				why += ", " + r.Person
			}
			tab.AppendRow([]any{dayAndTime(r.BeganAt), why, r.Seen, what})
		}
		tab.Render()
	}
	return nil
}

func boundWords(b client.FeedBounds) string {
	var list []string
	for _, x := range [][2]string{{"held", b.Held}, {"new", b.New}, {"changed", b.Changed}, {"deleted", b.Deleted},
		{"touched", b.Touched}, {"size", b.Size}} {
		if x[1] != "" {
			list = append(list, x[0]+" at most "+x[1])
		}
	}
	if !b.WithoutSome {
		list = append(list, "no column missing")
	}
	if !b.AnyValues {
		list = append(list, "no new words of choices")
	}
	if !b.OtherColumns {
		list = append(list, "no other column")
	}
	return strings.Join(list, ", ")
}

func (a *app) setFeedCmd() *cobra.Command {
	var f client.FeedSetUp
	var folder, sftp, address, secretFile, after string
	var bounds, then []string
	var sent bool
	cmd := &cobra.Command{
		Use: "set NAME", Args: args(cobra.ExactArgs(1)),
		Short: "Make a feed or set it up anew; it acts for you (administrators)",
		Long: `Makes a feed: a place where files come from, the routine by which they are set up, when it looks, and the bounds within
which they are loaded without a person. What is not said stays as it is.

A bound is held, new, changed, deleted (a number of rows or a share of them), touched (share of the records of the type
that may be changed or deleted) or size (by how much the rows may be more or fewer than the last time); a blank one
limits nothing. without_some, any_values and other_columns are yes or no. Without any the careful ones hold.

The password or private key is read from a file, or - for standard input; it is kept encrypted and never shown.`,
		Example: "  uchi feeds set marinas --routine marinas --folder /srv/uchi/in --files 'marinas-*.csv' --cron '*/10 * * " +
			"* *'\n  uchi feeds set marinas --sftp uchi@files.example/out --secret-file key.pem --after move\n" +
			"  uchi feeds set takeover --routine accounts --files 'accounts-*.csv' --then 'contacts-*.csv=contacts' --set " +
			"--folder /srv/uchi/in --cron '0 6 * * *'\n" +
			"  uchi feeds set marinas --bound held=20 --bound touched=10% --bound any_values=yes",
	}
	cmd.RunE = a.on(func(ctx context.Context, c *client.Conn, list []string) error {
		var set client.FeedSetting
		now, err := c.GetFeedWithResponse(ctx, c.Workspace, list[0])
		if err == nil {
			merged(cmd, &f, now.JSON200.SetUp)
		} else if !fault.Is(err, "unknown_feed") {
			return err
		}
		if err := placeOf(&f.Place, folder, sftp, address, sent); err != nil {
			return err
		}
		if cmd.Flags().Changed("after") {
			f.After = client.FeedSetUpAfter(after)
		}
		if err := setBounds(&f.Bounds, bounds); err != nil {
			return err
		}
		if cmd.Flags().Changed("then") {
			if f.Then, err = partsOf(then); err != nil {
				return err
			}
		}
		set.SetUp = f
		if secretFile != "" {
			text, err := a.secretFrom(secretFile)
			if err != nil {
				return err
			}
			set.Secret = &text
		}
		r, err := c.SetFeedWithResponse(ctx, c.Workspace, list[0], nil, set)
		if err != nil {
			return err
		}
		return a.showFeed(*r.JSON200)
	})
	fl := cmd.Flags()
	fl.StringVar(&f.Routine, "routine", "", "the routine by which its files are set up")
	fl.StringVar(&folder, "folder", "", "files come from this folder on the service's machine")
	fl.StringVar(&sftp, "sftp", "", "files come from a host: user@host:port/folder")
	fl.StringVar(&address, "url", "", "the file comes from this address")
	fl.BoolVar(&sent, "sent", false, "other programs send the files: uchi feeds send")
	fl.StringVar(&f.Files, "files", "", "the pattern of their names, with * and ?")
	fl.StringArrayVar(&then, "then", nil, "further files, loaded behind these, with their routine: contacts-*.csv=weekly "+
		"contacts (repeatable)")
	fl.BoolVar(&f.Set, "set", false, "the files are a set: they are taken in their order when one of each is there")
	fl.BoolVar(&f.Newest, "newest", false, "only the newest of those that are new")
	fl.IntVar(&f.Still, "still", 0, "for how many seconds a file must not have grown (5 when left out)")
	fl.StringVar(&f.Mark, "mark", "",
		"behind the name of a file: the name of one that says that it is whole, such as .done")
	fl.StringVar(&after, "after", "", "what is done with a file that was loaded: leave or move")
	fl.StringVar(&f.MoveTo, "move-to", "", "the folder beside it into which it is moved (loaded when left out)")
	fl.StringVar(&f.Cron, "cron", "", "when it looks: minute, hour, day of month, month, day of week")
	fl.StringVar(&f.Zone, "zone", "", "the time zone of that, such as Europe/Oslo")
	fl.StringArrayVar(&bounds, "bound", nil, "a bound, such as held=5% (repeatable)")
	fl.StringVar(&secretFile, "secret-file", "", "file of the password or the private key; - is standard input")
	return cmd
}

// partsOf reads further kinds of files of a feed, such as contacts-*.csv=weekly contacts.
func partsOf(list []string) (parts []client.FeedPart, err error) {
	for _, s := range list {
		files, routine, ok := strings.Cut(s, "=")
		if !ok && s != "" {
			return nil, usageError{fmt.Errorf("%q is not pattern=routine", s)}
		}
		if ok {
			parts = append(parts, client.FeedPart{Files: files, Routine: routine})
		}
	}
	return parts, nil
}

// merged gives what is set of a feed what it had where nothing is said.
func merged(cmd *cobra.Command, f *client.FeedSetUp, was client.FeedSetUp) {
	said := cmd.Flags().Changed
	now := *f
	*f = was
	for flag, set := range map[string]func(){
		"routine": func() { f.Routine = now.Routine }, "files": func() { f.Files = now.Files },
		"newest": func() { f.Newest = now.Newest }, "set": func() { f.Set = now.Set },
		"still": func() { f.Still = now.Still },
		"mark":  func() { f.Mark = now.Mark }, "move-to": func() { f.MoveTo = now.MoveTo },
		"cron": func() { f.Cron = now.Cron }, "zone": func() { f.Zone = now.Zone },
	} {
		if said(flag) {
			set()
		}
	}
}

func placeOf(p *client.FeedPlace, folder, sftp, address string, sent bool) error {
	switch {
	case folder != "":
		*p = client.FeedPlace{Kind: "folder", Folder: folder}
	case sftp != "":
		u, err := url.Parse("sftp://" + sftp)
		if err != nil || u.Host == "" || u.User.Username() == "" {
			return usageError{fmt.Errorf("%q is not user@host:port/folder", sftp)}
		}
		if _, has := u.User.Password(); has {
			return usageError{fmt.Errorf("a password does not belong on the command line; give it with --secret-file")}
		}
		*p = client.FeedPlace{Kind: "sftp", User: u.User.Username(), Host: u.Hostname(), Folder: u.Path}
		if _, port, err := net.SplitHostPort(u.Host); err == nil {
			if p.Port, err = strconv.Atoi(port); err != nil {
				return usageError{fmt.Errorf("%q is no port", port)}
			}
		}
	case address != "":
		*p = client.FeedPlace{Kind: "https", Url: address}
	case sent:
		*p = client.FeedPlace{Kind: "sent"}
	}
	return nil
}

func setBounds(b *client.FeedBounds, list []string) error {
	limits := map[string]*string{"held": &b.Held, "new": &b.New, "changed": &b.Changed, "deleted": &b.Deleted,
		"touched": &b.Touched, "size": &b.Size}
	allows := map[string]*bool{"without_some": &b.WithoutSome, "any_values": &b.AnyValues,
		"other_columns": &b.OtherColumns}
	for _, s := range list {
		name, value, _ := strings.Cut(s, "=")
		switch {
		case limits[name] != nil:
			*limits[name] = value
		case allows[name] != nil && (value == "yes" || value == "no"):
			*allows[name] = value == "yes"
		default:
			return usageError{fmt.Errorf("%q is no bound; they are held, new, changed, deleted, touched, size, and with yes or "+
				"no without_some, any_values, other_columns", s)}
		}
	}
	return nil
}

// secretFrom reads a password or key from a file, or from standard input.
func (a *app) secretFrom(file string) (string, error) {
	var b []byte
	var err error
	if file == "-" {
		b, err = io.ReadAll(io.LimitReader(a.in, 64<<10))
	} else {
		b, err = os.ReadFile(file)
	}
	if err != nil {
		return "", usageError{err}
	}
	return strings.TrimRight(string(b), "\r\n"), nil
}

func (a *app) runFeedCmd() *cobra.Command {
	var try bool
	var wait time.Duration
	cmd := &cobra.Command{
		Use: "run NAME", Args: args(cobra.ExactArgs(1)), Short: "Have a feed look now, and see what comes of it",
		Example: "  uchi feeds run marinas\n  uchi feeds run marinas --try     what it would do with the last file",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			before, err := c.GetFeedWithResponse(ctx, c.Workspace, list[0])
			if err != nil {
				return err
			}
			if _, err := c.RunFeedWithResponse(ctx, c.Workspace, list[0], client.RunFeedJSONRequestBody{Try: try}); err != nil {
				return err
			}
			f, err := a.followFeed(ctx, c, *before.JSON200, wait)
			if err != nil {
				return err
			}
			return a.showFeed(f)
		}),
	}
	cmd.Flags().BoolVar(&try, "try", false, "check what it finds, or the last file again, and load nothing")
	cmd.Flags().DurationVar(&wait, "wait", 2*time.Minute, "for how long to wait for what comes of it")
	return cmd
}

// followFeed waits until a feed has looked since, and its file has come to rest.
func (a *app) followFeed(ctx context.Context, c *client.Conn, before client.Feed,
	wait time.Duration) (client.Feed, error) {
	ctx, cancel := context.WithTimeout(ctx, wait)
	defer cancel()
	for {
		r, err := c.GetFeedWithResponse(ctx, c.Workspace, before.Name)
		if err != nil {
			return before, err
		}
		f := *r.JSON200
		looked := len(f.Runs) > 0 && (len(before.Runs) == 0 || f.Runs[0].BeganAt.After(before.Runs[0].BeganAt))
		resting := len(f.Files) == 0 || f.Files[0].State == "waiting" || !f.Files[0].EndedAt.IsZero()
		if looked && !f.Looks && resting {
			return f, nil
		}
		select {
		case <-ctx.Done():
			return f, nil
		case <-time.After(200 * time.Millisecond):
		}
	}
}

func (a *app) tellOfFeedCmd() *cobra.Command {
	return &cobra.Command{
		Use: "tell NAME KIND...", Args: args(cobra.MinimumNArgs(2)), Short: "Say of what I want to be told of a feed: " +
			"waits, failed, ended, none or usual",
		Long: `Says of what you want to be told of a feed, in the console and by mail: that a file waits for a person, that it
could not look, that a file was loaded; or none. Usually one is told of the feeds that act for oneself.`,
		Example: "  uchi feeds tell weekly waits failed\n  uchi feeds tell weekly none\n  uchi feeds tell weekly usual",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			told := client.FeedTold{Usual: slices.Equal(list[1:], []string{"usual"})}
			if !told.Usual && !slices.Equal(list[1:], []string{"none"}) {
				for _, k := range list[1:] {
					told.Kinds = append(told.Kinds, client.NoticeKind(k))
				}
			}
			r, err := c.SetFeedToldWithResponse(ctx, c.Workspace, list[0], told)
			if err != nil {
				return err
			}
			return a.showFeed(*r.JSON200)
		}),
	}
}

func (a *app) pauseFeedCmd(name, short string, paused bool) *cobra.Command {
	return &cobra.Command{
		Use: name + " NAME", Args: args(cobra.ExactArgs(1)), Short: short,
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			_, err := c.PauseFeedWithResponse(ctx, c.Workspace, list[0], client.PauseFeedJSONRequestBody{Paused: paused})
			return err
		}),
	}
}

func (a *app) sendToFeedCmd() *cobra.Command {
	return &cobra.Command{
		Use: "send NAME FILE", Args: args(cobra.ExactArgs(2)),
		Short: "Send a file to a feed that takes what other programs send",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			return a.sendFile(list[1], func(name string, body io.Reader) error {
				r, err := c.SendToFeedWithBodyWithResponse(ctx, c.Workspace, list[0],
					&client.SendToFeedParams{Name: filepath.Base(name)}, "application/octet-stream", body)
				if err != nil {
					return err
				}
				if a.asJSON {
					return a.printJSON(r.JSON202)
				}
				fmt.Fprintf(a.out, "Taken as import %d; see uchi feeds %q.\n", r.JSON202.Import, list[0])
				return nil
			})
		}),
	}
}
