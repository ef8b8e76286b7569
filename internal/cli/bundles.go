package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"uchi/internal/client"
	"uchi/internal/core/fault"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"

	"github.com/spf13/cobra"
)

type bundleFlags struct {
	name      string
	yes       bool
	checkOnly bool
	policy    client.BundlePolicy
}

func (f *bundleFlags) policyFlags(cmd *cobra.Command) {
	fl := cmd.Flags()
	fl.BoolVar(&f.policy.GoOn, "go-on", false, "load the next import all the same when one has given way")
	fl.Int64Var(&f.policy.PauseHeld, "pause-held", 0, "pause at an import with so many rows that are held")
	fl.Int64Var(&f.policy.StopFails, "stop-fails", 0, "stop an import when the database has refused so many of its rows")
}

func (a *app) bundleCmd() *cobra.Command {
	var f bundleFlags
	cmd := &cobra.Command{
		Use: "bundle FILE...", GroupID: "load", Args: args(cobra.MinimumNArgs(1)),
		Short: "Upload several files that belong together, check them as one, ask, load",
		Long: `Uploads files, sheets of workbooks and members of ZIP archives that belong together. Each becomes an import with the
record types that fit it; they are checked as one, so that what one file will make counts as found for the others, and
loaded in the order in which their links need each other. Bundles are mended import by import: uchi mapping, uchi mend.

Exit codes are those of uchi import.`,
		Example: "  uchi bundle staff.csv accounts.csv contacts.xlsx\n  uchi bundle takeover.zip --check-only\n" +
			"  uchi bundle takeover.zip --yes --pause-held 50",
		RunE: a.on(func(ctx context.Context, c *client.Conn, files []string) error {
			return a.importBundle(ctx, c, files, f)
		}),
	}
	fl := cmd.Flags()
	fl.StringVar(&f.name, "name", "", "what the bundle is called; the first file's name when left out")
	fl.BoolVarP(&f.yes, "yes", "y", false, "load without asking")
	fl.BoolVar(&f.checkOnly, "check-only", false, "stop after the check; nothing is written")
	f.policyFlags(cmd)
	return cmd
}

// manyIn reports whether a file holds several sheets that may be loaded.
func manyIn(file string) bool {
	if !strings.EqualFold(filepath.Ext(file), ".zip") {
		return false
	}
	f, err := os.Open(file)
	if err != nil {
		return false
	}
	defer f.Close()
	st, err := f.Stat()
	if err != nil {
		return false
	}
	return sheet.Several(sheet.Source{Name: file, Size: st.Size(), ReaderAt: f})
}

// importBundle is the whole way of several files from upload to outcome.
func (a *app) importBundle(ctx context.Context, c *client.Conn, files []string, f bundleFlags) error {
	if f.name == "" {
		f.name = strings.TrimSuffix(filepath.Base(files[0]), filepath.Ext(files[0]))
	}
	for _, file := range files { // before any of them is sent
		if file == "-" {
			continue
		}
		opened, _, err := openFile(file)
		if err != nil {
			return err
		}
		opened.Close()
	}
	made, err := c.AddBundleWithResponse(ctx, c.Workspace, client.AddBundleJSONRequestBody{Name: f.name})
	if err != nil {
		return err
	}
	b := *made.JSON201
	for _, file := range files {
		err := a.sendFile(file, func(name string, body io.Reader) error {
			_, err := c.AddToBundleWithBodyWithResponse(ctx, c.Workspace, b.Id, &client.AddToBundleParams{Name: name},
				"application/octet-stream", body)
			return err
		})
		if err != nil {
			return err
		}
	}
	if b, err = a.followBundle(ctx, c, b.Id, "Reading"); err != nil {
		return err
	}
	if len(b.Imports) > 0 {
		if _, err := c.CheckBundleWithResponse(ctx, c.Workspace, b.Id); err != nil {
			a.bundleTable(ctx, c, b)
			return err
		}
		if b, err = a.followBundle(ctx, c, b.Id, "Checking"); err != nil {
			return err
		}
	}
	if !a.asJSON || !f.checkOnly && !f.yes {
		a.bundleTable(ctx, c, b)
	}
	if b.State != client.Ready {
		return bundleTrouble(b)
	}
	if f.checkOnly {
		if a.asJSON {
			if err := a.printJSON(b); err != nil {
				return err
			}
		} else {
			fmt.Fprintf(a.out, "\nNothing was written. Load it with: uchi bundles load %d\n", b.Id)
		}
		return heldOr(bundleHeld(b))
	}
	if f.yes {
		if err := a.lookedAll(ctx, c, b); err != nil {
			return err
		}
	} else {
		ok, err := a.confirm(bundleQuestion(b))
		if err != nil || !ok {
			fmt.Fprintf(a.errs, "The check is kept; load it with: uchi bundles load %d\n", b.Id)
			return orDeclined(err)
		}
	}
	return a.loadBundle(ctx, c, b.Id, f.policy)
}

// lookedAll gives an error where a file of a bundle that was recognised holds something else than its routine takes.
func (a *app) lookedAll(ctx context.Context, c *client.Conn, b client.Bundle) error {
	for _, x := range b.Imports {
		if x.Routine == "" {
			continue
		}
		r, err := c.SuggestWithResponse(ctx, c.Workspace, x.Import.Id, &client.SuggestParams{})
		if err != nil {
			return err
		}
		err = looked(x.Import.Id, x.Import.Name, r.JSON200.Unlike, fmt.Sprintf("uchi bundles load %d", b.Id))
		if err != nil {
			return err
		}
	}
	return nil
}

func (a *app) loadBundle(ctx context.Context, c *client.Conn, id int64, policy client.BundlePolicy) error {
	if _, err := c.LoadBundleWithResponse(ctx, c.Workspace, id, policy); err != nil {
		return err
	}
	b, err := a.followBundle(ctx, c, id, "Loading")
	if err != nil {
		return err
	}
	if a.asJSON {
		if err := a.printJSON(b); err != nil {
			return err
		}
	} else {
		fmt.Fprintln(a.out)
		a.bundleImports(b)
		a.bundleTroubles(b)
		fmt.Fprintf(a.out, "\nBundle %d is %s. Look at it: %s/w/%s/bundles/%d; take it back: uchi bundles undo %d\n", b.Id,
			b.State, c.Server, c.Workspace, b.Id, b.Id)
	}
	if b.Trouble.Code != "" {
		return bundleTrouble(b)
	}
	return heldOr(bundleHeld(b))
}

func bundleTrouble(b client.Bundle) error {
	t := b.Trouble
	if t.Code == "" {
		return fault.New(fault.Invalid, "nothing_to_load", "nothing of the bundle can be loaded").
			Mended("See what was left out, and name record types with uchi mapping.")
	}
	return fault.New(fault.Conflict, t.Code, t.Message).At(t.Place).With(t.Value).Mended(t.Mend)
}

// bundleHeld counts the rows of a bundle that are held, or asked about.
func bundleHeld(b client.Bundle) (n int64) {
	for _, m := range b.Imports {
		if len(m.Import.Outcomes) > 0 {
			n += m.Import.Outcomes[string(verdict.Held)] + m.Import.Outcomes[string(verdict.Failed)]
		} else {
			n += m.Import.Totals.Verdicts[string(verdict.Hold)] + m.Import.Totals.Verdicts[string(verdict.Ask)]
		}
	}
	return n
}

func bundleQuestion(b client.Bundle) string {
	sum := map[string]int64{}
	for _, m := range b.Imports {
		for v, n := range written(m.Import.Totals) {
			sum[v] += n
		}
	}
	q := loadWords(sum)
	if n := bundleHeld(b); n > 0 {
		q += fmt.Sprintf(" (%s held back)", plural(n, "row", "rows"))
	}
	return q + "?"
}

// followEvery is how often a bundle at work is looked at.
const followEvery = 150 * time.Millisecond

// followBundle waits until nobody works on a bundle or one of its imports.
func (a *app) followBundle(ctx context.Context, c *client.Conn, id int64, what string) (client.Bundle, error) {
	bar := a.bar(-1, what)
	defer bar.Finish() //nolint:errcheck // only a picture
	for {
		r, err := c.GetBundleWithResponse(ctx, c.Workspace, id)
		if err != nil {
			return client.Bundle{}, err
		}
		b := *r.JSON200
		busy := b.Of > 0
		var done, of int64
		for _, m := range b.Imports {
			busy = busy || m.Import.Busy != ""
			of += max(m.Import.Of, m.Import.Rows)
			if m.Import.Busy != "" {
				done += m.Import.Done
			}
		}
		if !busy {
			return b, nil
		}
		if of > 0 {
			bar.ChangeMax64(of)
		}
		bar.Set64(done) //nolint:errcheck // only a picture
		select {
		case <-ctx.Done():
			return b, context.Cause(ctx)
		case <-time.After(followEvery):
		}
	}
}

// bundleTable shows the imports of a bundle in their order, with the reasons, what is open in them, and what
// was left out.
func (a *app) bundleTable(ctx context.Context, c *client.Conn, b client.Bundle) {
	a.bundleImports(b)
	a.bundleOrder(b)
	a.bundleOpen(ctx, c, b)
	a.bundleTroubles(b)
}

func (a *app) bundleImports(b client.Bundle) {
	if len(b.Imports) > 0 {
		tab := a.table("", "Import", "File", "Into", "Rows", "State", "Result")
		for n, m := range b.Imports {
			into := strings.Join(m.Types, ", ")
			if into == "" {
				into = a.paint(amber, "say it")
			}
			tab.AppendRow([]any{n + 1, m.Import.Id, oneLine(m.Import.Name, 36), into, number(m.Import.Rows),
				stateWords(m.Import), a.summary(m.Import)})
		}
		tab.Render()
	}
}

// bundleOrder says why the imports stand in their order.
func (a *app) bundleOrder(b client.Bundle) {
	if slices.ContainsFunc(b.Imports, func(m client.BundleImport) bool { return len(m.Reasons) > 0 }) {
		fmt.Fprintln(a.out, "\nThe order:")
		for n, m := range b.Imports {
			for _, why := range m.Reasons {
				fmt.Fprintf(a.out, "  %d. %s: %s\n", n+1, m.Import.Name, why)
			}
		}
	}
}

// bundleOpen says why rows are held, which of them another file makes before, which columns
// are not placed, and of which country telephone numbers that are held seem to be.
func (a *app) bundleOpen(ctx context.Context, c *client.Conn, b client.Bundle) {
	tab := a.table("File", "Problem", "Field", "Rows", "")
	for _, m := range b.Imports {
		for _, p := range m.Import.Totals.Problems {
			if !p.Light || p.Code == string(problem.MadeBefore) {
				tab.AppendRow([]any{oneLine(m.Import.Name, 28), p.Code, p.Field, number(p.Count),
					oneLine(p.Message, max(30, a.width()-80))})
			}
		}
	}
	if tab.Length() > 0 {
		fmt.Fprintln(a.out)
		tab.Render()
	}
	for _, m := range b.Imports {
		if n := len(m.Import.Unplaced); n > 0 && len(m.Types) > 0 {
			fmt.Fprintf(a.out, "%s: %s not placed, %s; see: uchi mapping %d\n", m.Import.Name,
				plural(int64(n), "column is", "columns are"),
				oneLine(strings.Join(m.Import.Unplaced, ", "), max(30, a.width()-70)), m.Import.Id)
		}
		if slices.ContainsFunc(m.Import.Totals.Problems,
			func(p client.ProblemCount) bool { return p.Code == string(problem.BadPhone) }) {
			if r, err := c.SuggestWithResponse(ctx, c.Workspace, m.Import.Id, &client.SuggestParams{}); err == nil {
				a.showHome(m.Import, r.JSON200.Home)
			}
		}
	}
}

// bundleTroubles says what is not loaded, and why.
func (a *app) bundleTroubles(b client.Bundle) {
	for _, m := range b.Imports {
		if m.Routine != "" {
			fmt.Fprintf(a.out, "%s is set up by the routine %q.\n", m.Import.Name, m.Routine)
		}
	}
	for _, m := range b.Imports {
		if len(m.Types) == 0 && m.Import.Busy == "" {
			why := fmt.Sprintf("no record type fits its columns well enough; say it with uchi mapping %d --add TYPE, or "+
				"make one of its columns with uchi types add --from-import %d", m.Import.Id, m.Import.Id)
			if m.Import.Trouble.Code != "" {
				why = m.Import.Trouble.Message
			}
			fmt.Fprintf(a.out, "%s %s: %s\n", a.paint(amber, "Not loaded:"), m.Import.Name, why)
		}
	}
	if b.Files > 0 {
		fmt.Fprintf(a.out, "%s came along that rows may name, to hang them on records.\n",
			plural(int64(b.Files), "file", "files"))
	}
	for _, l := range b.LeftOut {
		fmt.Fprintf(a.out, "%s %s: %s. %s\n", a.paint(amber, "Left out:"), l.Name, l.Trouble.Message, l.Trouble.Mend)
	}
	if b.Blocks != "" {
		fmt.Fprintf(a.out, "%s %s. Loosen %s.\n", a.paint(amber, "No order will do:"), b.Blocks, b.Loosen)
	}
	if b.Trouble.Code != "" {
		fmt.Fprintf(a.out, "%s %s. %s\n", a.paint(amber, "It has given way:"), b.Trouble.Message, b.Trouble.Mend)
	}
}

func (a *app) bundlesCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "bundles [NUMBER]", GroupID: "look", Args: args(cobra.MaximumNArgs(1)),
		Short:   "List the bundles, or show one",
		Example: "  uchi bundles\n  uchi bundles 3\n  uchi bundles load 3\n  uchi bundles undo 3",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			if len(list) == 1 {
				id, err := numberOf(list[0], "bundle")
				if err != nil {
					return err
				}
				return a.showBundle(ctx, c, id)
			}
			r, err := c.ListBundlesWithResponse(ctx, c.Workspace)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("No.", "Bundle", "State", "By", "When")
			for _, b := range r.JSON200.Bundles {
				tab.AppendRow([]any{b.Id, oneLine(b.Name, 40), b.State, b.MadeBy, b.MadeAt.Local().Format("2006-01-02 15:04")})
			}
			tab.Render()
			return nil
		}),
	}
	cmd.AddCommand(
		a.loadBundleCmd(),
		a.bundleAct("check NUMBER", "Check a bundle, also again after its imports were mended", "Checking", 1,
			func(ctx context.Context, c *client.Conn, id int64, _ []string) error {
				_, err := c.CheckBundleWithResponse(ctx, c.Workspace, id)
				return err
			}),
		a.undoBundleCmd(),
		a.bundleAct("cancel NUMBER", "End the work on a bundle; what is loaded stays", "Ending", 1,
			func(ctx context.Context, c *client.Conn, id int64, _ []string) error {
				_, err := c.CancelBundleWithResponse(ctx, c.Workspace, id)
				return err
			}),
		a.bundleAct("order NUMBER [IMPORT...]", "Put the imports of a bundle into an order by hand; without any, the order "+
			"follows their links again", "", 100, func(ctx context.Context, c *client.Conn, id int64, list []string) error {
			var ids []int64
			for _, s := range list {
				n, err := numberOf(s, "import")
				if err != nil {
					return err
				}
				ids = append(ids, n)
			}
			_, err := c.OrderBundleWithResponse(ctx, c.Workspace, id, client.OrderBundleJSONRequestBody{Imports: ids})
			return err
		}),
		&cobra.Command{
			Use: "save NUMBER NAME", Short: "Keep the set-up of all imports as routines, for the next files of their kind",
			Args:    args(cobra.ExactArgs(2)),
			Example: "  uchi bundles save 3 \"Brightmooring monthly\"",
			RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
				id, err := numberOf(list[0], "bundle")
				if err != nil {
					return err
				}
				r, err := c.SaveBundleWithResponse(ctx, c.Workspace, id, client.SaveBundleJSONRequestBody{Name: list[1]})
				if err != nil {
					return err
				}
				if a.asJSON {
					return a.printJSON(r.JSON200)
				}
				for _, name := range r.JSON200.Routines {
					fmt.Fprintf(a.out, "Saved %s.\n", name)
				}
				return nil
			}),
		},
		&cobra.Command{
			Use: "discard NUMBER", Short: "Give a bundle up before anything of it is loaded", Args: args(cobra.ExactArgs(1)),
			RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
				id, err := numberOf(list[0], "bundle")
				if err != nil {
					return err
				}
				_, err = c.DiscardBundleWithResponse(ctx, c.Workspace, id)
				return err
			}),
		})
	return cmd
}

func (a *app) loadBundleCmd() *cobra.Command {
	var f bundleFlags
	cmd := a.bundleAct("load NUMBER", "Load a checked bundle, or go on with one that has given way", "Loading", 1, nil)
	cmd.RunE = a.on(func(ctx context.Context, c *client.Conn, list []string) error {
		id, err := numberOf(list[0], "bundle")
		if err != nil {
			return err
		}
		r, err := c.GetBundleWithResponse(ctx, c.Workspace, id)
		if err != nil {
			return err
		}
		if !f.yes && r.JSON200.State == client.Ready { // what cannot be loaded the service says
			if ok, err := a.confirm(bundleQuestion(*r.JSON200)); err != nil || !ok {
				return orDeclined(err)
			}
		}
		return a.loadBundle(ctx, c, id, f.policy)
	})
	f.policyFlags(cmd)
	cmd.Flags().BoolVarP(&f.yes, "yes", "y", false, "load without asking")
	return cmd
}

func (a *app) undoBundleCmd() *cobra.Command {
	var plan, yes bool
	cmd := a.bundleAct("undo NUMBER", "Take back what a bundle has loaded, the last import first", "Undoing", 1,
		func(ctx context.Context, c *client.Conn, id int64, _ []string) error {
			if !yes {
				p, err := c.PlanUndoBundleWithResponse(ctx, c.Workspace, id, &client.PlanUndoBundleParams{Limit: 20})
				if err != nil {
					return err
				}
				if a.asJSON {
					return a.printJSON(p.JSON200)
				}
				if !a.showUndoPlan(*p.JSON200) || plan {
					return nil
				}
				if ok, err := a.confirm("Take this back?"); err != nil || !ok {
					return orDeclined(err)
				}
			}
			_, err := c.UndoBundleWithResponse(ctx, c.Workspace, id)
			return err
		})
	cmd.Flags().BoolVar(&plan, "plan", false, "only show what would be taken back")
	cmd.Flags().BoolVarP(&yes, "yes", "y", false, "take back without asking")
	return cmd
}

// bundleAct is a command that does one thing to a bundle and shows it then.
func (a *app) bundleAct(use, short, doing string, most int, do func(context.Context, *client.Conn, int64,
	[]string) error) *cobra.Command {
	return &cobra.Command{
		Use: use, Short: short, Args: args(cobra.RangeArgs(1, most)),
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			id, err := numberOf(list[0], "bundle")
			if err != nil {
				return err
			}
			if err := do(ctx, c, id, list[1:]); err != nil {
				return err
			}
			if doing != "" {
				if _, err := a.followBundle(ctx, c, id, doing); err != nil {
					return err
				}
			}
			return a.showBundle(ctx, c, id)
		}),
	}
}

func (a *app) showBundle(ctx context.Context, c *client.Conn, id int64) error {
	r, err := c.GetBundleWithResponse(ctx, c.Workspace, id)
	if err != nil {
		return err
	}
	b := *r.JSON200
	if a.asJSON {
		return a.printJSON(b)
	}
	fmt.Fprintf(a.out, "%s  %s, %s\n", a.paint(bold, fmt.Sprintf("Bundle %d", b.Id)), b.Name, b.State)
	a.bundleTable(ctx, c, b)
	return nil
}
