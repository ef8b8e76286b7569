package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/internal/client"
	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/core/verdict"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"
)

type importFlags struct {
	into      string
	yes       bool
	checkOnly bool
	routine   string
	like      int64
	change    routineChange
	reading   sheet.Reading
	below     int64
}

// fileOrBelow wants files, or the number of an import and none.
func fileOrBelow(f *importFlags) cobra.PositionalArgs {
	return func(cmd *cobra.Command, list []string) error {
		if f.below > 0 {
			if f.routine != "" || f.like > 0 {
				return fmt.Errorf("a table below is set up by itself: --below goes without --routine and --like")
			}
			if len(list) > 0 {
				return fmt.Errorf("give a file or --below, not both")
			}
			return nil
		}
		return cobra.MinimumNArgs(1)(cmd, list)
	}
}

func (a *app) importCmd() *cobra.Command {
	var f importFlags
	cmd := &cobra.Command{
		Use: "import FILE...", GroupID: "load", Args: args(fileOrBelow(&f)),
		Short: "Upload a file, show mapping and check, ask, load",
		Long: `Uploads a file, shows how its columns were placed and what each row would do, asks, and
loads. Use - as FILE to read standard input. Several files, or a ZIP archive of several, are a
bundle: see uchi bundle.

Exit codes: 0 all rows loaded, 3 loaded but rows are held, 4 declined, 1 failed,
2 not understood, 5 service unreachable, 6 not signed in.`,
		Example: `  uchi import contacts.csv --into contact
  uchi import contacts.csv --into contact --map "job_title=Post" --fixed country=NO --yes
  uchi import accounts.csv --check-only --json`,
		RunE: func(cmd *cobra.Command, args []string) error {
			single := f.into != "" || f.routine != "" || f.like > 0 || !f.change.none() || f.reading != (sheet.Reading{})
			switch {
			case f.below > 0:
				return a.importFile(cmd.Context(), "", f)
			case len(args) > 1 && single:
				return usageError{fmt.Errorf("set up several files one by one: uchi bundle them, then uchi mapping")}
			case len(args) > 1, !single && manyIn(args[0]):
				c, err := a.connect()
				if err != nil {
					return err
				}
				return a.importBundle(cmd.Context(), c, args, bundleFlags{yes: f.yes, checkOnly: f.checkOnly})
			}
			return a.importFile(cmd.Context(), args[0], f)
		},
	}
	fl := cmd.Flags()
	fl.StringVar(&f.into, "into", "", "record type of the rows (suggested when left out)")
	fl.BoolVarP(&f.yes, "yes", "y", false, "load without asking")
	fl.BoolVar(&f.checkOnly, "check-only", false, "stop after the check; nothing is written")
	fl.StringVar(&f.routine, "routine", "", "set the import up by a saved routine")
	fl.Int64Var(&f.like, "like", 0, "set the import up as this one is")
	fl.Int64Var(&f.below, "below", 0, "instead of a file: the table that begins below that of this import")
	f.change.add(fl)
	readingFlags(fl, &f.reading)
	return cmd
}

// importFile is the whole way of a file from upload to outcome.
func (a *app) importFile(ctx context.Context, file string, f importFlags) error {
	c, err := a.connect()
	if err != nil {
		return err
	}
	i, err := a.source(ctx, c, file, f)
	if err != nil {
		return err
	}
	if i, err = a.prepare(ctx, c, i, f); err != nil {
		return err
	}
	if i.Routine.Drafts == nil {
		if i, err = a.chooseType(ctx, c, i, f); err != nil {
			return err
		}
	}
	// Of a mapping that nobody is asked about, the check begins before it is shown.
	begun := f.yes && i.Routine.Name == ""
	if begun {
		if err := beginCheck(ctx, c, i.Id); err != nil {
			return err
		}
	}
	r, err := c.SuggestWithResponse(ctx, c.Workspace, i.Id, &client.SuggestParams{})
	if err != nil {
		return err
	}
	lacks := a.showDrift(i, r.JSON200.Routines)
	if !a.asJSON {
		if err := a.showMapping(ctx, c, i, *r.JSON200); err != nil {
			return err
		}
	}
	if len(lacks) > 0 && f.yes {
		return fault.New(fault.Conflict, "routine_drifted", "the file lacks what the routine needs, so nothing is "+
			"loaded without a look: "+strings.Join(lacks, ", ")).With(i.Routine.Name).
			Mended(fmt.Sprintf("Place the columns with uchi mapping %d --map field=Header, or load what there is with uchi load %d.", i.Id, i.Id))
	}
	if f.yes && i.Routine.Name != "" {
		if err := looked(i.Id, i.Name, r.JSON200.Unlike, fmt.Sprintf("uchi load %d", i.Id)); err != nil {
			return err
		}
	}
	if !begun {
		if err := beginCheck(ctx, c, i.Id); err != nil {
			return err
		}
	}
	if i, err = a.follow(ctx, c, i.Id, checking); err != nil {
		return err
	}
	held := i.Totals.Verdicts[string(verdict.Hold)] + i.Totals.Verdicts[string(verdict.Ask)]
	if !a.asJSON {
		a.showCheck(ctx, c, i)
	}
	if f.checkOnly {
		if a.asJSON {
			if err := a.printJSON(i); err != nil {
				return err
			}
		} else {
			fmt.Fprintf(a.out, "\nNothing was written. Load it with: uchi load %d\n", i.Id)
		}
		return heldOr(held)
	}
	if !f.yes {
		ok, err := a.confirm(loadQuestion(i))
		if err != nil || !ok {
			fmt.Fprintf(a.errs, "The check is kept; load it with: uchi load %d\n", i.Id)
			return orDeclined(err)
		}
	}
	return a.loadAndShow(ctx, c, i.Id, client.LoadRequest{})
}

// looked gives an error where a column of an import holds something else than what a routine places it on, and nobody
// has let such a file pass before. Load is how it is loaded all the same.
func looked(id int64, name string, list []client.Unlike, load string) error {
	at := slices.IndexFunc(list, func(u client.Unlike) bool { return !u.Passed })
	if at < 0 {
		return nil
	}
	u := list[at]
	code, said := "unlike_columns", fmt.Sprintf("%s goes to %s by the routine, but %s", u.Column, u.Place(), u.Why)
	if u.Field == "" { // of all columns
		code, said = sheet.HeaderTooLong, u.Why
	}
	return fault.New(fault.Conflict, code, said+", so nothing is loaded without a look").With(name).
		Mended(fmt.Sprintf("Place the columns with uchi mapping %d --map field=Header, or load them as they stand with %s; then the "+
			"routine takes such files.", id, load))
}

// source gives the import of a file, or of the table below that of another import.
func (a *app) source(ctx context.Context, c *client.Conn, file string, f importFlags) (client.Import, error) {
	if f.below == 0 {
		return a.upload(ctx, c, file, client.UploadParams{Into: f.into, Routine: f.routine, Like: f.like,
			AtOnce: (f.yes || f.checkOnly) && f.change.rulesAlone() && f.reading == (sheet.Reading{})})
	}
	r, err := c.ImportBelowWithResponse(ctx, c.Workspace, f.below, &client.ImportBelowParams{Into: f.into})
	if err != nil {
		return client.Import{}, err
	}
	return *r.JSON201, nil
}

// chooseType asks of which record type the rows are, where several fit nearly as well.
func (a *app) chooseType(ctx context.Context, c *client.Conn, i client.Import, f importFlags) (client.Import, error) {
	r, err := c.SuggestWithResponse(ctx, c.Workspace, i.Id, &client.SuggestParams{})
	if err != nil {
		return i, err
	}
	said := "no record type fits the columns well enough"
	likely := suggest.Likely(r.JSON200.Types)
	if len(likely) > 0 {
		var fits []string
		for _, s := range likely {
			fits = append(fits, s.Type+", "+s.Reason)
		}
		said = "several record types fit the columns, none clearly best: " + strings.Join(fits, "; ")
	}
	name := "--into"
	if set := r.JSON200.Together; len(set.Types) > 0 {
		said += "; " + set.Reason + " as records of each row"
		name = "--into " + set.Types[0] + " --add " + strings.Join(set.Types[1:], " --add ") + ", or another with --into"
	}
	if len(likely) > 0 && !f.yes && !a.asJSON {
		answer, err := a.ask(strings.ToUpper(said[:1]) + said[1:] + ".\nOf which type, or types, are the rows? [Enter: none]")
		if err != nil {
			return i, err
		}
		if answer != "" {
			several := strings.FieldsFunc(answer, func(r rune) bool { return r == ' ' || r == ',' || r == '+' })
			f.change.drafts = append(several, f.change.drafts...)
			return a.change(ctx, c, i, f.change)
		}
	}
	if !a.asJSON {
		a.showNotices(i.Notices) // one of them may be why
	}
	unknown := fault.New(fault.Invalid, "type_unknown", said).With(i.Name)
	if noticed(i, "on_its_side") {
		return i, unknown.Mended(fmt.Sprintf("Have it turned with uchi mapping %d --turned, then uchi check %d.", i.Id, i.Id))
	}
	return i, unknown.
		Mended(fmt.Sprintf("Name it with "+name+", or go on with what is there: uchi mapping %d --add TYPE, then uchi check "+
			"%d. See uchi types.", i.Id, i.Id))
}

// showDrift says what is otherwise in a file than in those that its routine was made
// for, and gives the missing columns that are needed.
func (a *app) showDrift(i client.Import, known []client.Recognised) (lacks []string) {
	for _, k := range known {
		if k.Name != i.Routine.Name {
			continue
		}
		var lines []string
		for _, m := range k.Missing {
			where := strings.Join(m.Fields, ", ")
			switch {
			case m.Now != "":
				lines = append(lines, fmt.Sprintf("%s is now called %s (%s)", m.Column, m.Now, where))
			case m.Needed:
				lacks = append(lacks, m.Column)
				lines = append(lines, a.paint(amber, "missing")+fmt.Sprintf(": %s, which is needed (%s)", m.Column, where))
			default:
				lines = append(lines, fmt.Sprintf("missing: %s (%s)", m.Column, where))
			}
		}
		if len(k.New) > 0 {
			lines = append(lines, "new: "+strings.Join(k.New, ", "))
		}
		if len(k.Values) > 0 {
			lines = append(lines, "values that it does not know: "+strings.Join(newValues(k.Values), ", "))
		}
		if len(lines) > 0 && !a.asJSON {
			fmt.Fprintf(a.out, "The file differs from those that the routine %q was made for:\n  %s\n\n", k.Name,
				strings.Join(lines, "\n  "))
		}
	}
	return lacks
}

func heldOr(held int64) error {
	if held > 0 {
		return errHeld
	}
	return nil
}

func orDeclined(err error) error {
	if err != nil {
		return err
	}
	return errDeclined
}

func (a *app) upload(ctx context.Context, c *client.Conn, file string, p client.UploadParams) (client.Import, error) {
	var i client.Import
	err := a.sendFile(file, func(name string, body io.Reader) error {
		p.Name = name
		r, err := c.UploadWithBodyWithResponse(ctx, c.Workspace, &p, "application/octet-stream", body)
		if err == nil {
			i = *r.JSON201
		}
		return err
	})
	if err != nil {
		return i, err
	}
	if len(i.SameFile) > 0 && !a.asJSON {
		x := i.SameFile[0]
		fmt.Fprintf(a.errs, "%s this file came before: import %d of %s, %s, by %s. %s\n", a.paint(amber, "Note:"), x.Id,
			x.MadeAt.Local().Format("2006-01-02 15:04"), x.State, x.MadeBy, outcomeWords(x.Outcomes))
	}
	return i, nil
}

// openFile opens a file to be sent, and gives its size.
func openFile(file string) (*os.File, int64, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, 0, fault.New(fault.Invalid, "file_refused", "the file cannot be opened: "+
			err.Error()).At(fault.Place{File: file})
	}
	st, err := f.Stat()
	if err != nil || st.IsDir() {
		f.Close()
		return nil, 0, fault.New(fault.Invalid, "file_refused", "this is not a file").At(fault.Place{File: file})
	}
	return f, st.Size(), nil
}

// sendFile opens a file, or standard input for a hyphen, and sends it with a bar that
// fills.
func (a *app) sendFile(file string, send func(name string, body io.Reader) error) error {
	var body io.Reader = a.in
	name, size := "standard-input.csv", int64(-1)
	if file != "-" {
		f, n, err := openFile(file)
		if err != nil {
			return err
		}
		defer f.Close()
		body, name, size = f, filepath.Base(file), n
	}
	bar := a.bar(size, "Uploading")
	reader := progressbar.NewReader(body, bar)
	if err := send(name, &reader); err != nil {
		return err
	}
	bar.Finish() //nolint:errcheck // only a picture
	return nil
}

// bar is a progress bar on a terminal, silent elsewhere.
func (a *app) bar(most int64, what string) *progressbar.ProgressBar {
	if !a.terminal || a.asJSON {
		return progressbar.DefaultSilent(most)
	}
	return progressbar.NewOptions64(most, progressbar.OptionSetWriter(a.errs),
		progressbar.OptionSetDescription(fmt.Sprintf("%-10s", what)), progressbar.OptionSetWidth(30),
		progressbar.OptionSetTheme(progressbar.Theme{Saucer: "█", SaucerPadding: "·", BarStart: " ", BarEnd: " "}),
		progressbar.OptionShowCount(), progressbar.OptionSetPredictTime(true),
		progressbar.OptionThrottle(100*time.Millisecond), progressbar.OptionClearOnFinish())
}

// follow waits for work on an import with a bar that fills.
func (a *app) follow(ctx context.Context, c *client.Conn, id int64, what string) (client.Import, error) {
	bar := a.bar(-1, what)
	i, err := c.Wait(ctx, id, func(p client.Progress) {
		switch {
		case p.Of > 0:
			bar.ChangeMax64(p.Of)
		case p.Rows > 0:
			bar.ChangeMax64(p.Rows)
		}
		bar.Set64(p.Done) //nolint:errcheck // only a picture
	})
	bar.Finish() //nolint:errcheck // only a picture
	if err != nil {
		return i, err
	}
	if t := i.Trouble; t.Code != "" {
		return i, fault.New(fault.Invalid, t.Code, t.Message).At(t.Place).With(t.Value).Mended(t.Mend)
	}
	return i, nil
}

// prepare waits for the reading and applies what the flags say about reading
// and mapping.
func (a *app) prepare(ctx context.Context, c *client.Conn, i client.Import, f importFlags) (client.Import, error) {
	i, err := a.follow(ctx, c, i.Id, "Reading")
	if f.reading != (sheet.Reading{}) && (err == nil || i.Id != 0) {
		i, err = a.reread(ctx, c, i, f.reading)
	}
	if err != nil || f.change.none() || len(i.Routine.Drafts) == 0 && f.change.from == "" && len(f.change.drafts) == 0 {
		return i, err
	}
	return a.change(ctx, c, i, f.change)
}

// reread has the source of an import read as it was, but for what is said otherwise.
func (a *app) reread(ctx context.Context, c *client.Conn, i client.Import, said sheet.Reading) (client.Import, error) {
	if _, err := c.SetReadingWithResponse(ctx, c.Workspace, i.Id, over(i.Reading, said)); err != nil {
		return i, err
	}
	return a.follow(ctx, c, i.Id, "Reading")
}

// over gives how a source is read, with what is said otherwise.
func over(there, said sheet.Reading) sheet.Reading {
	switch {
	case said.Turned && !there.Turned: // its rows are others
		there = there.TurnedOver()
	case said.NoHeader:
		there.HeaderRow = 0
	case said.HeaderRow > 0:
		there.NoHeader = false
	}
	if text, err := json.Marshal(said); err == nil {
		_ = json.Unmarshal(text, &there) // what is not said is left out of the text
	}
	return there
}

// shownProblems is how many rows with problems the check shows as examples.
const shownProblems = 6

func (a *app) confirm(question string) (bool, error) {
	answer, err := a.ask(question + " [y/N]")
	answer = strings.ToLower(answer)
	return answer == "y" || answer == "yes", err
}

// ask puts a question and gives the line that is answered, blank where there is none.
func (a *app) ask(question string) (string, error) {
	fmt.Fprintf(a.errs, "\n%s ", a.paint(bold, question))
	line, err := a.line()
	return strings.TrimSpace(line), err
}

// line reads the next line of the input, without its end.
func (a *app) line() (string, error) {
	if a.lines == nil {
		a.lines = bufio.NewReader(a.in)
	}
	line, err := a.lines.ReadString('\n')
	if err != nil && err != io.EOF {
		return "", fmt.Errorf("read the answer: %w", err)
	}
	return strings.TrimRight(line, "\r\n"), nil
}

// checking is what the bar of a check says.
const checking = "Checking"

func beginCheck(ctx context.Context, c *client.Conn, id int64) error {
	_, err := c.CheckWithResponse(ctx, c.Workspace, id)
	return err
}

func (a *app) check(ctx context.Context, c *client.Conn, id int64) (client.Import, error) {
	if err := beginCheck(ctx, c, id); err != nil {
		return client.Import{}, err
	}
	return a.follow(ctx, c, id, checking)
}

func (a *app) loadAndShow(ctx context.Context, c *client.Conn, id int64, body client.LoadRequest) error {
	if _, err := c.LoadWithResponse(ctx, c.Workspace, id, body); err != nil {
		return err
	}
	i, err := a.follow(ctx, c, id, "Loading")
	if err != nil {
		return err
	}
	return a.showOutcome(c, i)
}

// numberOf reads the number of an import, a bundle or the like, which the command of the same name
// in the plural lists.
func numberOf(s, kind string) (int64, error) {
	id, err := strconv.ParseInt(strings.TrimPrefix(s, "#"), 10, 64)
	if err != nil || id < 1 {
		return 0, usageError{fmt.Errorf("%q is not the number of one of the %ss; see uchi %[2]ss", s, kind)}
	}
	return id, nil
}

// withImport connects and reads an import by its number.
func (a *app) withImport(ctx context.Context, s string) (*client.Conn, client.Import, error) {
	id, err := numberOf(s, "import")
	if err != nil {
		return nil, client.Import{}, err
	}
	c, err := a.connect()
	if err != nil {
		return nil, client.Import{}, err
	}
	i, err := c.Import(ctx, id)
	return c, i, err
}
