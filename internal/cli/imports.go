package cli

import (
	"bufio"
	"cmp"
	"context"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/internal/client"
	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

type importFlags struct {
	into      string
	yes       bool
	checkOnly bool
	routine   string
	change    routineChange
	reading   sheet.Reading
}

// routineChange is what flags change in a routine.
type routineChange struct {
	may                  string
	maps, fixed, compute []string
	where                string
	match, both, blank   []string
	takeAt, askAt        float64
	newerBy, repeats     string
}

func (r *routineChange) add(fl *pflag.FlagSet) {
	fl.StringVar(&r.may, "may", "", "what the import may do: create_or_update, create, update or delete")
	fl.StringArrayVar(&r.maps, "map", nil, "place a column: field=Header (repeatable; A+B joins two; field= takes it out)")
	fl.StringArrayVar(&r.fixed, "fixed", nil, "one value for all rows: field=value (repeatable)")
	fl.StringArrayVar(&r.compute, "compute", nil, `compute a value: field=CEL, such as 'description="No. " + cells["Nr"]' (repeatable)`)
	fl.StringArrayVar(&r.match, "match", nil, "find records by: field, A+B for both, alike=A+B+C by likeness (repeatable, tried in order); default for the type's own rules")
	fl.Float64Var(&r.takeAt, "take-at", 0, "percent of likeness from which a record is taken")
	fl.Float64Var(&r.askAt, "ask-at", 0, "percent of likeness from which a record is asked about")
	fl.StringArrayVar(&r.both, "both", nil, "when record and row both have a value: replace, keep, newer, or field=replace, keep, newer, add (repeatable)")
	fl.StringArrayVar(&r.blank, "blank", nil, "when the row says nothing: leave, clear, or field=leave, clear (repeatable)")
	fl.StringVar(&r.newerBy, "newer-by", "", "the column that tells how old a row is")
	fl.StringVar(&r.repeats, "repeats", "", "rows that are for the same record: hold, first, last, merge or ask")
	fl.StringVar(&r.where, "where", "", `leave rows out for which this does not hold, such as 'cells["State"] != "gone"'`)
}

func (r routineChange) none() bool {
	return len(r.maps)+len(r.fixed)+len(r.compute)+len(r.match)+len(r.both)+len(r.blank) == 0 && r.may+r.where+r.newerBy+r.repeats == "" && r.takeAt+r.askAt == 0
}

func (a *app) importCmd() *cobra.Command {
	var f importFlags
	cmd := &cobra.Command{
		Use: "import FILE", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short: "Upload a file, show mapping and check, ask, load",
		Long: `Uploads a file, shows how its columns were placed and what each row would do, asks, and
loads. Use - as FILE to read standard input.

Exit codes: 0 all rows loaded, 3 loaded but rows are held, 4 declined, 1 failed,
2 not understood, 5 service unreachable, 6 not signed in.`,
		Example: `  uchi import contacts.csv --into contact
  uchi import contacts.csv --into contact --map "job_title=Post" --fixed country=NO --yes
  uchi import accounts.csv --check-only --json`,
		RunE: func(cmd *cobra.Command, args []string) error { return a.importFile(cmd.Context(), args[0], f) },
	}
	fl := cmd.Flags()
	fl.StringVar(&f.into, "into", "", "record type of the rows (suggested when left out)")
	fl.BoolVarP(&f.yes, "yes", "y", false, "load without asking")
	fl.BoolVar(&f.checkOnly, "check-only", false, "stop after the check; nothing is written")
	fl.StringVar(&f.routine, "routine", "", "set the import up by a saved routine")
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
	i, err := a.upload(ctx, c, file, f.into, f.routine)
	if err != nil {
		return err
	}
	if i, err = a.prepare(ctx, c, i, f); err != nil {
		return err
	}
	if i.Routine.Drafts == nil {
		return fault.New(fault.Invalid, "type_unknown", "no record type fits the columns well enough").Mended("Name it with --into; see uchi types.")
	}
	t, err := a.recordType(ctx, c, i.Into)
	if err != nil {
		return err
	}
	if !a.asJSON {
		if err := a.showMapping(ctx, c, i, t); err != nil {
			return err
		}
	}
	if i, err = a.check(ctx, c, i.Id); err != nil {
		return err
	}
	held := i.Totals.Verdicts[string(verdict.Hold)] + i.Totals.Verdicts[string(verdict.Ask)]
	if !a.asJSON {
		a.showCheck(ctx, c, i, t)
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
	return a.loadAndShow(ctx, c, i.Id)
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

func (a *app) upload(ctx context.Context, c *client.Conn, file, into, routine string) (client.Import, error) {
	var body io.Reader = a.in
	name, size := "standard-input.csv", int64(-1)
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return client.Import{}, fault.New(fault.Invalid, "file_refused", "the file cannot be opened: "+err.Error()).At(fault.Place{File: file})
		}
		defer f.Close()
		st, err := f.Stat()
		if err != nil || st.IsDir() {
			return client.Import{}, fault.New(fault.Invalid, "file_refused", "this is not a file").At(fault.Place{File: file})
		}
		body, name, size = f, filepath.Base(file), st.Size()
	}
	bar := a.bar(size, "Uploading")
	reader := progressbar.NewReader(body, bar)
	r, err := c.UploadWithBodyWithResponse(ctx, c.Workspace, &client.UploadParams{Name: name, Into: into, Routine: routine}, "application/octet-stream", &reader)
	if err != nil {
		return client.Import{}, err
	}
	bar.Finish() //nolint:errcheck // only a picture
	return *r.JSON201, nil
}

// bar is a progress bar on a terminal, silent elsewhere.
func (a *app) bar(most int64, what string) *progressbar.ProgressBar {
	if !a.terminal || a.asJSON {
		return progressbar.DefaultSilent(most)
	}
	return progressbar.NewOptions64(most, progressbar.OptionSetWriter(a.errs), progressbar.OptionSetDescription(fmt.Sprintf("%-10s", what)), progressbar.OptionSetWidth(30),
		progressbar.OptionSetTheme(progressbar.Theme{Saucer: "█", SaucerPadding: "·", BarStart: " ", BarEnd: " "}),
		progressbar.OptionShowCount(), progressbar.OptionSetPredictTime(true), progressbar.OptionThrottle(100*time.Millisecond), progressbar.OptionClearOnFinish())
}

// follow waits for work on an import with a bar that fills.
func (a *app) follow(ctx context.Context, c *client.Conn, id int64, what string) (client.Import, error) {
	bar := a.bar(-1, what)
	i, err := c.Wait(ctx, id, func(p client.Progress) {
		if p.Rows > 0 {
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
		_, rerr := c.SetReadingWithResponse(ctx, c.Workspace, i.Id, f.reading)
		if rerr != nil {
			return i, rerr
		}
		i, err = a.follow(ctx, c, i.Id, "Reading")
	}
	if err != nil || f.change.none() || len(i.Routine.Drafts) == 0 {
		return i, err
	}
	routine, _, err := a.changed(ctx, c, i, f.change)
	if err != nil {
		return i, err
	}
	return a.setRoutine(ctx, c, i.Id, routine)
}

// changed gives the routine of an import as flags change it, with the record type.
func (a *app) changed(ctx context.Context, c *client.Conn, i client.Import, change routineChange) (mapping.Routine, catalog.RecordType, error) {
	t, err := a.recordType(ctx, c, i.Into)
	if err != nil {
		return mapping.Routine{}, t, err
	}
	routine, err := change.apply(i.Routine, t)
	return routine, t, err
}

func (a *app) setRoutine(ctx context.Context, c *client.Conn, id int64, routine mapping.Routine) (client.Import, error) {
	r, err := c.SetRoutineWithResponse(ctx, c.Workspace, id, routine)
	if err != nil {
		return client.Import{}, err
	}
	return *r.JSON200, nil
}

// apply changes a routine as the flags say.
func (c routineChange) apply(r mapping.Routine, t catalog.RecordType) (mapping.Routine, error) {
	fields := r.Drafts[0].Fields
	if fields == nil {
		fields = map[string]mapping.Origin{}
		r.Drafts[0].Fields = fields
	}
	for _, m := range c.maps {
		field, header, ok := strings.Cut(m, "=")
		if !ok {
			return r, usageError{fmt.Errorf("%q is not of the form field=Header", m)}
		}
		if header == "" {
			delete(fields, field)
			continue
		}
		for other, o := range fields { // a column moves, it is not copied
			if other != field && slices.Equal(o.From, []string{header}) {
				delete(fields, other)
			}
		}
		o := fields[field]
		o.From, o.Fixed, o.Compute, o.Take = strings.Split(header, "+"), "", "", ""
		fields[field] = o
	}
	for _, set := range []struct {
		pairs  []string
		origin func(string) mapping.Origin
	}{{c.fixed, func(v string) mapping.Origin { return mapping.Origin{Fixed: v} }}, {c.compute, func(v string) mapping.Origin { return mapping.Origin{Compute: v} }}} {
		for _, m := range set.pairs {
			field, v, ok := strings.Cut(m, "=")
			if !ok || v == "" {
				return r, usageError{fmt.Errorf("%q is not of the form field=value", m)}
			}
			fields[field] = set.origin(v)
		}
	}
	if c.may != "" {
		r.May = mapping.May(c.may)
	}
	if c.where != "" {
		r.Drafts[0].Where = c.where
	}
	return r, c.applyPolicies(&r.Drafts[0], t)
}

// applyPolicies changes how records are found and what happens to values.
func (c routineChange) applyPolicies(d *mapping.Draft, t catalog.RecordType) error {
	if len(c.match) > 0 {
		d.Match = nil
	}
	for _, m := range c.match {
		if m == "default" {
			continue
		}
		if alike, ok := strings.CutPrefix(m, "alike="); ok {
			d.Match = append(d.Match, catalog.MatchRule{Alike: strings.Split(alike, "+")})
		} else {
			d.Match = append(d.Match, catalog.MatchRule{Fields: strings.Split(m, "+")})
		}
	}
	if c.takeAt > 0 || c.askAt > 0 {
		if len(d.Match) == 0 {
			d.Match = slices.Clone(t.Match)
		}
		for i := range d.Match {
			if len(d.Match[i].Alike) > 0 {
				d.Match[i].TakeAt, d.Match[i].AskAt = cmp.Or(c.takeAt, d.Match[i].TakeAt), cmp.Or(c.askAt, d.Match[i].AskAt)
			}
		}
	}
	if c.newerBy != "" {
		d.NewerBy = c.newerBy
	}
	if c.repeats != "" {
		d.Repeats = mapping.Repeats(c.repeats)
	}
	set := func(list []string, all func(v string), one func(o *mapping.Origin, v string)) error {
		for _, s := range list {
			field, v, ok := strings.Cut(s, "=")
			if !ok {
				all(s)
				continue
			}
			o, there := d.Fields[field]
			if !there {
				return usageError{fmt.Errorf("%q: no column goes to the field %s", s, field)}
			}
			one(&o, v)
			d.Fields[field] = o
		}
		return nil
	}
	if err := set(c.both, func(v string) { d.Both = mapping.Both(v) }, func(o *mapping.Origin, v string) { o.Both = mapping.Both(v) }); err != nil {
		return err
	}
	return set(c.blank, func(v string) { d.Blank = mapping.Blank(v) }, func(o *mapping.Origin, v string) { o.Blank = mapping.Blank(v) })
}

// rulesInWords says by what records are found, the record type's own rules when
// a routine has none.
func rulesInWords(rules []catalog.MatchRule, t catalog.RecordType) string {
	if len(rules) == 0 {
		rules = t.Match
	}
	var parts []string
	for _, r := range rules {
		parts = append(parts, r.Says(t))
	}
	return strings.Join(parts, "; else ")
}

// policyWords says how values and repeated rows are treated, as far as it is
// not the default.
func policyWords(d mapping.Draft) []string {
	var out []string
	add := func(on bool, format string, v ...any) {
		if on {
			out = append(out, fmt.Sprintf(format, v...))
		}
	}
	add(d.Both != "" && d.Both != mapping.Replace, "when both have a value: %s", d.Both)
	add(d.Blank != "" && d.Blank != mapping.Leave, "when the row is blank: %s", d.Blank)
	add(d.NewerBy != "", "rows are as old as %q says", d.NewerBy)
	add(d.Repeats != "" && d.Repeats != mapping.HoldRepeats, "rows for the same record: %s", d.Repeats)
	for _, name := range slices.Sorted(maps.Keys(d.Fields)) {
		o := d.Fields[name]
		add(o.Both != "", "%s, when both have a value: %s", name, o.Both)
		add(o.Blank != "", "%s, when the row is blank: %s", name, o.Blank)
	}
	return out
}

func (a *app) recordType(ctx context.Context, c *client.Conn, name string) (catalog.RecordType, error) {
	r, err := c.GetTypeWithResponse(ctx, c.Workspace, name)
	if err != nil {
		return catalog.RecordType{}, err
	}
	return *r.JSON200, nil
}

func (a *app) showMapping(ctx context.Context, c *client.Conn, i client.Import, t catalog.RecordType) error {
	r, err := c.SuggestWithResponse(ctx, c.Workspace, i.Id, &client.SuggestParams{Into: t.Name})
	if err != nil {
		return err
	}
	fmt.Fprintf(a.out, "%s  %s, %s into %s\n", a.paint(bold, i.File.Name), plural(i.Rows, "row", "rows"), plural(int64(len(i.Columns)), "column", "columns"), strings.ToLower(t.Plural))
	for _, f := range i.Findings {
		if !f.Sure {
			fmt.Fprintf(a.out, "  %s: %s (%s)\n", f.Option, readable(f.Value), f.Evidence)
		}
	}
	for _, n := range i.Notices {
		fmt.Fprintf(a.out, "  %s: %s%s\n", a.paint(amber, "note"), n.Message, countIn(n.Count))
	}
	fmt.Fprintln(a.out)
	placed := map[string]string{}
	for _, f := range append([]catalog.Field{{Name: mapping.IDField}}, t.Fields...) {
		for _, from := range i.Routine.Drafts[0].Fields[f.Name].From {
			placed[from] = strings.TrimPrefix(placed[from]+" + "+f.Name, " + ")
		}
	}
	tab := a.table("Column", "Filled", "Goes to", "Because")
	for _, col := range i.Columns {
		field, reason := placed[col.Header], ""
		for _, s := range r.JSON200.Columns {
			if s.Column != col.Header {
				continue
			}
			switch {
			case strings.Contains(field, s.Field):
				reason = s.Reason
			case field == "":
				reason = "perhaps " + s.Field + ": " + s.Reason
			}
		}
		if field != "" && reason == "" {
			reason = "chosen by hand"
		}
		shown := field
		if f, ok := t.Field(field); ok && f.Required {
			shown += " *"
		}
		if field == "" {
			shown = a.paint(faint, "–")
		}
		tab.AppendRow([]any{oneLine(col.Header, 28), number(col.Filled), shown, oneLine(reason, max(30, a.width()-62))})
	}
	tab.Render()
	for _, f := range t.Fields {
		switch o := i.Routine.Drafts[0].Fields[f.Name]; {
		case o.Fixed != "":
			fmt.Fprintf(a.out, "%s is %q in all rows\n", f.Name, o.Fixed)
		case o.Compute != "":
			fmt.Fprintf(a.out, "%s is computed: %s\n", f.Name, o.Compute)
		}
	}
	if where := i.Routine.Drafts[0].Where; where != "" {
		fmt.Fprintf(a.out, "only rows with: %s\n", where)
	}
	fmt.Fprintf(a.out, "Found by %s.\n", rulesInWords(i.Routine.Drafts[0].Match, t))
	for _, w := range policyWords(i.Routine.Drafts[0]) {
		fmt.Fprintln(a.out, w)
	}
	for _, k := range r.JSON200.Routines {
		if i.Routine.Name != k.Name {
			fmt.Fprintf(a.out, "The routine %q fits (%d%% of its columns%s%s); use it with --routine\n", k.Name, int(k.Share*100), drift(", missing ", k.Missing), drift(", new ", k.New))
		}
	}
	if n := len(i.Unplaced); n > 0 {
		fmt.Fprintf(a.out, "%s not placed; place it with --map field=Header\n", plural(int64(n), "column is", "columns are"))
	}
	return nil
}

func drift(word string, columns []string) string {
	if len(columns) == 0 {
		return ""
	}
	return word + strings.Join(columns, ", ")
}

func readable(s string) string {
	if s == "\t" {
		return "tab"
	}
	return s
}

func countIn(n int64) string {
	if n == 0 {
		return ""
	}
	return " (" + plural(n, "row", "rows") + ")"
}

// shownProblems is how many rows with problems the check shows as examples.
const shownProblems = 6

func (a *app) showCheck(ctx context.Context, c *client.Conn, i client.Import, t catalog.RecordType) {
	fmt.Fprintln(a.out)
	a.showTotals(i.Totals)
	if asked := i.Totals.Verdicts[string(verdict.Ask)]; asked > 0 {
		fmt.Fprintf(a.out, "\nAnswer %s: uchi questions %d\n", plural(asked, "question", "questions"), i.Id)
	}
	if len(i.Totals.Problems) == 0 {
		return
	}
	fmt.Fprintln(a.out)
	tab := a.table("Problem", "Field", "Rows", "")
	for _, p := range i.Totals.Problems {
		tab.AppendRow([]any{p.Code, p.Field, number(p.Count), oneLine(p.Message, max(30, a.width()-50))})
	}
	tab.Render()
	r, err := c.ListRowsWithResponse(ctx, c.Workspace, i.Id, &client.ListRowsParams{Verdict: verdict.Hold, Limit: shownProblems})
	if err != nil || r.JSON200 == nil || len(r.JSON200.Rows) == 0 {
		return
	}
	fmt.Fprintln(a.out)
	a.printRows(r.JSON200.Rows)
	if held := i.Totals.Verdicts[string(verdict.Hold)]; held > shownProblems {
		fmt.Fprintf(a.out, "… %s more; see: uchi rows %d --verdict hold\n", number(held-shownProblems), i.Id)
	}
}

// showTotals shows how many rows there are of each verdict, what would change,
// and what is asked and why rows are left out.
func (a *app) showTotals(t client.Totals) {
	tab := a.table("Verdict", "Rows")
	for _, v := range verdict.All {
		if n := t.Verdicts[string(v)]; n > 0 {
			tab.AppendRow([]any{a.word(string(v)), number(n)})
		}
	}
	tab.Render()
	for _, x := range t.Asked {
		fmt.Fprintf(a.out, "asked, %s: %s\n", x.Message, number(x.Count))
	}
	for _, x := range t.Reasons {
		fmt.Fprintf(a.out, "left out, %s: %s\n", x.Message, number(x.Count))
	}
	for _, x := range t.Referred {
		fmt.Fprintf(a.out, "%s: %s point by %s to records that the rows name\n", a.paint(amber, "note"), plural(x.Count, x.Type, x.Type+" records"), x.Field)
	}
	if len(t.Changes) > 0 {
		var parts []string
		for _, ch := range t.Changes {
			s := fmt.Sprintf("%s %s", ch.Field, number(ch.Count))
			if ch.Over > 0 {
				s += fmt.Sprintf(" (%s replace a value)", number(ch.Over))
			}
			parts = append(parts, s)
		}
		fmt.Fprintf(a.out, "\nValues that would change: %s\n", strings.Join(parts, ", "))
	}
}

func loadQuestion(i client.Import) string {
	var parts []string
	if n := i.Totals.Verdicts[string(verdict.Create)]; n > 0 {
		parts = append(parts, "create "+number(n))
	}
	if n := i.Totals.Verdicts[string(verdict.Update)]; n > 0 {
		parts = append(parts, "update "+number(n))
	}
	if n := i.Totals.Verdicts[string(verdict.Delete)]; n > 0 {
		parts = append(parts, "delete "+number(n))
	}
	if len(parts) == 0 {
		return "Nothing would be written. Note the outcomes?"
	}
	q := strings.ToUpper(parts[0][:1]) + strings.Join(parts, " and ")[1:]
	if n := i.Totals.Verdicts[string(verdict.Hold)] + i.Totals.Verdicts[string(verdict.Ask)]; n > 0 {
		q += fmt.Sprintf(" (%s held back)", number(n))
	}
	return q + "?"
}

func (a *app) confirm(question string) (bool, error) {
	fmt.Fprintf(a.errs, "\n%s [y/N] ", a.paint(bold, question))
	line, err := bufio.NewReader(a.in).ReadString('\n')
	if err != nil && err != io.EOF {
		return false, fmt.Errorf("read the answer: %w", err)
	}
	answer := strings.ToLower(strings.TrimSpace(line))
	return answer == "y" || answer == "yes", nil
}

func (a *app) check(ctx context.Context, c *client.Conn, id int64) (client.Import, error) {
	if _, err := c.CheckWithResponse(ctx, c.Workspace, id); err != nil {
		return client.Import{}, err
	}
	return a.follow(ctx, c, id, "Checking")
}

func (a *app) loadAndShow(ctx context.Context, c *client.Conn, id int64) error {
	if _, err := c.LoadWithResponse(ctx, c.Workspace, id); err != nil {
		return err
	}
	i, err := a.follow(ctx, c, id, "Loading")
	if err != nil {
		return err
	}
	return a.showOutcome(c, i)
}

func (a *app) showOutcome(c *client.Conn, i client.Import) error {
	held := i.Outcomes[string(verdict.Held)] + i.Outcomes[string(verdict.Failed)]
	if a.asJSON {
		if err := a.printJSON(i); err != nil {
			return err
		}
		return heldOr(held)
	}
	fmt.Fprintln(a.out)
	tab := a.table("Outcome", "Rows")
	for _, o := range verdict.Outcomes {
		if n := i.Outcomes[string(o)]; n > 0 {
			tab.AppendRow([]any{a.word(string(o)), number(n)})
		}
	}
	tab.Render()
	if !i.BeganAt.IsZero() && !i.EndedAt.IsZero() {
		fmt.Fprintf(a.out, "\nImport %d is %s after %.1f s.\n", i.Id, i.State, i.EndedAt.Sub(i.BeganAt).Seconds())
	}
	fmt.Fprintf(a.out, "Look at it: %s/w/%s/imports/%d/result\n", c.Server, c.Workspace, i.Id)
	if held > 0 {
		fmt.Fprintf(a.out, "Held rows as a sheet: uchi rows %d --outcome held --csv > held.csv\n", i.Id)
	}
	return heldOr(held)
}

func importID(s string) (int64, error) {
	id, err := strconv.ParseInt(strings.TrimPrefix(s, "#"), 10, 64)
	if err != nil || id < 1 {
		return 0, usageError{fmt.Errorf("%q is not the number of an import; see uchi imports", s)}
	}
	return id, nil
}

// withImport connects and reads an import by its number.
func (a *app) withImport(ctx context.Context, s string) (*client.Conn, client.Import, error) {
	id, err := importID(s)
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
