package cli

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"uchi/internal/client"
	"uchi/internal/core/catalog"
	"uchi/internal/core/verdict"

	"github.com/spf13/cobra"
)

func (a *app) importsCmd() *cobra.Command {
	var limit int
	var states []string
	cmd := &cobra.Command{
		Use: "imports [NUMBER]", GroupID: "look", Args: args(cobra.MaximumNArgs(1)),
		Short:   "List the imports, or show one",
		Example: "  uchi imports\n  uchi imports 12\n  uchi imports pause 12",
		RunE: func(cmd *cobra.Command, list []string) error {
			if len(list) == 1 {
				_, i, err := a.withImport(cmd.Context(), list[0])
				if err != nil {
					return err
				}
				return a.showImport(i)
			}
			return a.listImports(cmd.Context(), states, limit)
		},
	}
	cmd.Flags().IntVar(&limit, "limit", 30, "most imports to list")
	cmd.Flags().StringSliceVar(&states, "state", nil, "only those in these states")
	cmd.AddCommand(
		a.actCmd("discard", "Give an import up before it is loaded", func(ctx context.Context, c *client.Conn, id int64) error {
			_, err := c.DiscardImportWithResponse(ctx, c.Workspace, id)
			return err
		}),
		a.actCmd("pause", "Pause a load between two chunks", func(ctx context.Context, c *client.Conn, id int64) error {
			_, err := c.PauseWithResponse(ctx, c.Workspace, id)
			return err
		}),
		a.actCmd("resume", "Go on with a paused load", func(ctx context.Context, c *client.Conn, id int64) error {
			_, err := c.ResumeWithResponse(ctx, c.Workspace, id)
			return err
		}),
		a.actCmd("stop", "Stop a load; what is loaded stays", func(ctx context.Context, c *client.Conn, id int64) error {
			_, err := c.StopWithResponse(ctx, c.Workspace, id)
			return err
		}))
	return cmd
}

// actCmd is a command that does one thing to an import and shows it then.
func (a *app) actCmd(name, short string, do func(context.Context, *client.Conn, int64) error) *cobra.Command {
	return &cobra.Command{
		Use: name + " NUMBER", Short: short, Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			if err := do(cmd.Context(), c, i.Id); err != nil {
				return err
			}
			if i, err = c.Import(cmd.Context(), i.Id); err != nil {
				return err
			}
			return a.showImport(i)
		},
	}
}

func (a *app) listImports(ctx context.Context, states []string, limit int) error {
	c, err := a.connect()
	if err != nil {
		return err
	}
	p := client.ListImportsParams{Limit: limit}
	for _, s := range states {
		p.State = append(p.State, client.ImportState(s))
	}
	r, err := c.ListImportsWithResponse(ctx, c.Workspace, &p)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(r.JSON200)
	}
	tab := a.table("No.", "Source", "Into", "State", "Rows", "Result", "By", "When")
	for _, i := range r.JSON200.Imports {
		tab.AppendRow([]any{i.Id, oneLine(i.Name, 34), i.Into, stateWords(i), number(i.Rows), a.summary(i), i.MadeBy, i.MadeAt.Local().Format("2006-01-02 15:04")})
	}
	tab.Render()
	return nil
}

func stateWords(i client.Import) string {
	if i.Busy != "" && string(i.Busy) != "load" && string(i.Busy) != "check" {
		return string(i.State) + ", reading"
	}
	if i.Trouble.Code != "" {
		return string(i.State) + ", in trouble"
	}
	return string(i.State)
}

// summary counts outcomes where there are some, else verdicts.
func (a *app) summary(i client.Import) string {
	var parts []string
	for _, o := range verdict.Outcomes {
		if n := i.Outcomes[string(o)]; n > 0 {
			parts = append(parts, verdict.Mark(string(o))+" "+number(n)+" "+string(o))
		}
	}
	if parts == nil {
		for _, v := range verdict.All {
			if n := i.Totals.Verdicts[string(v)]; n > 0 {
				parts = append(parts, verdict.Mark(string(v))+" "+number(n)+" "+string(v))
			}
		}
	}
	return strings.Join(parts, "  ")
}

func (a *app) showImport(i client.Import) error {
	if a.asJSON {
		return a.printJSON(i)
	}
	fmt.Fprintf(a.out, "%s  %s\n", a.paint(bold, fmt.Sprintf("Import %d", i.Id)), i.Name)
	line := func(label, s string) {
		if s != "" {
			fmt.Fprintf(a.out, "  %-8s %s\n", label, s)
		}
	}
	line("state", stateWords(i))
	line("into", i.Into)
	line("rows", number(i.Rows))
	line("result", a.summary(i))
	line("made", i.MadeAt.Local().Format("2006-01-02 15:04")+" by "+i.MadeBy)
	if i.Trouble.Code != "" {
		line("trouble", i.Trouble.Message)
		line("where", i.Trouble.Place.String())
		line("mend", i.Trouble.Mend)
	}
	for _, p := range i.Totals.Problems {
		line("problem", fmt.Sprintf("%s rows: %s %s", number(p.Count), p.Code, p.Field))
	}
	return nil
}

func (a *app) mappingCmd() *cobra.Command {
	var change routineChange
	cmd := &cobra.Command{
		Use: "mapping NUMBER", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short:   "Show or change which column goes to which field",
		Example: "  uchi mapping 12\n  uchi mapping 12 --map \"job_title=Post\" --fixed country=NO\n  uchi mapping 12 --map \"description=\"       take the field out again",
		RunE: func(cmd *cobra.Command, list []string) error {
			ctx := cmd.Context()
			c, i, err := a.withImport(ctx, list[0])
			if err != nil {
				return err
			}
			if len(i.Routine.Drafts) > 0 && !change.none() {
				routine, err := change.apply(i.Routine)
				if err != nil {
					return err
				}
				if i, err = a.setRoutine(ctx, c, i.Id, routine); err != nil {
					return err
				}
			}
			if a.asJSON {
				return a.printJSON(i.Routine)
			}
			if len(i.Routine.Drafts) == 0 {
				fmt.Fprintln(a.out, "No column is mapped yet.")
				return nil
			}
			t, err := a.recordType(ctx, c, i.Into)
			if err != nil {
				return err
			}
			return a.showMapping(ctx, c, i, t)
		},
	}
	change.add(cmd.Flags())
	return cmd
}

func (a *app) checkCmd() *cobra.Command {
	return &cobra.Command{
		Use: "check NUMBER", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short: "Work out what each row would do, without touching any record",
		RunE: func(cmd *cobra.Command, list []string) error {
			ctx := cmd.Context()
			c, i, err := a.withImport(ctx, list[0])
			if err != nil {
				return err
			}
			if i, err = a.check(ctx, c, i.Id); err != nil {
				return err
			}
			if a.asJSON {
				if err := a.printJSON(i); err != nil {
					return err
				}
				return heldOr(i.Totals.Verdicts[string(verdict.Hold)])
			}
			t, err := a.recordType(ctx, c, i.Into)
			if err != nil {
				return err
			}
			a.showCheck(ctx, c, i, t)
			return heldOr(i.Totals.Verdicts[string(verdict.Hold)])
		},
	}
}

func (a *app) loadCmd() *cobra.Command {
	var yes bool
	cmd := &cobra.Command{
		Use: "load NUMBER", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short: "Carry out what the check has said",
		RunE: func(cmd *cobra.Command, list []string) error {
			ctx := cmd.Context()
			c, i, err := a.withImport(ctx, list[0])
			if err != nil {
				return err
			}
			if !yes {
				if ok, err := a.confirm(loadQuestion(i)); err != nil || !ok {
					return orDeclined(err)
				}
			}
			return a.loadAndShow(ctx, c, i.Id)
		},
	}
	cmd.Flags().BoolVarP(&yes, "yes", "y", false, "load without asking")
	return cmd
}

func (a *app) rowsCmd() *cobra.Command {
	var p client.ListRowsParams
	var v, o string
	var csv bool
	cmd := &cobra.Command{
		Use: "rows NUMBER", GroupID: "look", Args: args(cobra.ExactArgs(1)),
		Short:   "Show rows of an import with verdicts, problems and outcomes",
		Example: "  uchi rows 12 --verdict hold\n  uchi rows 12 --problem bad_email --limit 200\n  uchi rows 12 --outcome held --csv > held.csv",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			p.Verdict, p.Outcome = verdict.Verdict(v), verdict.Outcome(o)
			if csv {
				return a.rowsAsCSV(cmd.Context(), c, i.Id, p)
			}
			r, err := c.ListRowsWithResponse(cmd.Context(), c.Workspace, i.Id, &p)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			a.printRows(r.JSON200.Rows)
			if r.JSON200.Next != "" {
				fmt.Fprintf(a.out, "… more; go on with --cursor %s\n", r.JSON200.Next)
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&v, "verdict", "", "only rows with this verdict: create, update, same, skip, ask, hold")
	f.StringVar(&o, "outcome", "", "only rows with this outcome: created, updated, unchanged, skipped, held, failed")
	f.StringVar(&p.Problem, "problem", "", "only rows with this problem's code")
	f.StringVar(&p.Field, "field", "", "only rows with a problem at this field")
	f.StringVar(&p.Text, "text", "", "only rows with this text in a cell")
	f.StringVar(&p.Cursor, "cursor", "", "go on behind an earlier page")
	f.IntVar(&p.Limit, "limit", 30, "most rows to show")
	f.BoolVar(&csv, "csv", false, "print all of them as CSV, with what is wrong")
	return cmd
}

func (a *app) rowsAsCSV(ctx context.Context, c *client.Conn, id int64, p client.ListRowsParams) error {
	r, err := c.DownloadRows(ctx, c.Workspace, id, &client.DownloadRowsParams{Verdict: p.Verdict, Outcome: p.Outcome, Problem: p.Problem, Field: p.Field, Text: p.Text})
	if err != nil {
		return err
	}
	defer r.Body.Close()
	_, err = io.Copy(a.out, r.Body)
	return err
}

// printRows shows rows with what would happen to them and why, a line each
// problem or change.
func (a *app) printRows(rows []client.Row) {
	tab := a.table("Row", "Verdict", "Record", "Field", "What")
	room := max(30, a.width()-58)
	for _, r := range rows {
		word := string(r.Verdict)
		if r.Outcome != "" {
			word = string(r.Outcome)
		}
		row := []any{r.Row, a.word(word), r.Record}
		n := 0
		add := func(field, what string) {
			if n > 0 {
				row = []any{"", "", ""}
			}
			n++
			tab.AppendRow(append(slices.Clone(row), field, oneLine(what, room)))
		}
		for _, p := range r.Problems {
			what := p.Message + ". " + p.Mend
			if p.Value != "" {
				what = fmt.Sprintf("%q: %s", oneLine(p.Value, 24), what)
			}
			add(orColumn(p), what)
		}
		for _, ch := range r.Changes {
			if n > 0 && len(r.Problems) > 0 {
				break // a row that is held changes nothing
			}
			add(ch.Field, fmt.Sprintf("%s → %s", orBlank(ch.Before), orBlank(ch.After)))
		}
		if n == 0 {
			add("", strings.Join(filled(r.Cells, 5), " · "))
		}
	}
	tab.Render()
}

func orColumn(p client.RowProblem) string {
	if p.Column != "" {
		return p.Column
	}
	return p.Field
}

func orBlank(s string) string {
	if s == "" {
		return "(blank)"
	}
	return oneLine(s, 40)
}

func filled(cells []string, most int) []string {
	var out []string
	for _, c := range cells {
		if c = strings.TrimSpace(c); c != "" && len(out) < most {
			out = append(out, c)
		}
	}
	return out
}

func (a *app) recordsCmd() *cobra.Command {
	var p client.ListRecordsParams
	var order string
	cmd := &cobra.Command{
		Use: "records TYPE [ID]", GroupID: "look", Args: args(cobra.RangeArgs(1, 2)),
		Short:   "List records of a type, or show one with its history",
		Example: "  uchi records contact --text nilsen\n  uchi records account --where country=NO\n  uchi records contact CON-1042",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			if len(list) == 2 {
				return a.showRecord(ctx, c, list[0], list[1])
			}
			p.Order = client.ListRecordsParamsOrder(order)
			for n, w := range p.Where {
				p.Where[n] = strings.Replace(w, "=", ":", 1)
			}
			return a.listRecords(ctx, c, list[0], p)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&p.Text, "text", "", "words in the title, an id, or an exact key or e-mail")
	f.Int64Var(&p.Import, "import", 0, "only those that this import made")
	f.StringArrayVar(&p.Where, "where", nil, "only those with this value: field=value (repeatable)")
	f.StringVar(&order, "order", "id", "id, -id or title")
	f.StringVar(&p.Cursor, "cursor", "", "go on behind an earlier page")
	f.IntVar(&p.Limit, "limit", 30, "most records to list")
	return cmd
}

// shownFields is how many fields the list of records shows beside the title.
const shownFields = 5

func (a *app) listRecords(ctx context.Context, c *client.Conn, typeName string, p client.ListRecordsParams) error {
	t, err := a.recordType(ctx, c, typeName)
	if err != nil {
		return err
	}
	r, err := c.ListRecordsWithResponse(ctx, c.Workspace, typeName, &p)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(r.JSON200)
	}
	var fields []catalog.Field
	header := []any{"Id", t.Label}
	for _, f := range t.Fields {
		if !slices.Contains(t.Title, f.Name) && f.Type != catalog.LongText && len(fields) < shownFields {
			fields = append(fields, f)
			header = append(header, f.Label)
		}
	}
	tab := a.table(header...)
	for _, rec := range r.JSON200.Records {
		row := []any{rec.Id, oneLine(rec.Title, 36)}
		for _, f := range fields {
			v := rec.Values[f.Name]
			if l, ok := rec.Links[f.Name]; ok {
				v = l.Title
			}
			row = append(row, oneLine(v, 26))
		}
		tab.AppendRow(row)
	}
	tab.Render()
	if r.JSON200.Next != "" {
		fmt.Fprintf(a.out, "… more; go on with --cursor %s\n", r.JSON200.Next)
	}
	return nil
}

func (a *app) showRecord(ctx context.Context, c *client.Conn, typeName, id string) error {
	t, err := a.recordType(ctx, c, typeName)
	if err != nil {
		return err
	}
	r, err := c.GetRecordWithResponse(ctx, c.Workspace, typeName, id)
	if err != nil {
		return err
	}
	h, err := c.GetHistoryWithResponse(ctx, c.Workspace, typeName, id)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(map[string]any{"record": r.JSON200, "events": h.JSON200.Events})
	}
	rec := r.JSON200
	fmt.Fprintf(a.out, "%s  %s\n\n", a.paint(bold, rec.Title), rec.Id)
	for _, f := range t.Fields {
		v := rec.Values[f.Name]
		if l, ok := rec.Links[f.Name]; ok {
			v = l.Title + "  " + a.paint(faint, l.Id)
		}
		if v != "" {
			fmt.Fprintf(a.out, "  %-24s %s\n", f.Label, strings.ReplaceAll(v, "\n", "\n"+strings.Repeat(" ", 27)))
		}
	}
	for _, ref := range rec.Referring {
		fmt.Fprintf(a.out, "\n%s: %s\n", ref.Label, number(ref.Count))
		for _, l := range ref.Records {
			fmt.Fprintf(a.out, "  %-10s %s\n", l.Id, l.Title)
		}
	}
	fmt.Fprintf(a.out, "\n%s\n", a.paint(bold, "History"))
	for _, e := range h.JSON200.Events {
		by := e.Person
		if e.Import > 0 {
			by += fmt.Sprintf(", import %d", e.Import)
		}
		fmt.Fprintf(a.out, "  %s  %s by %s\n", e.At.Local().Format("2006-01-02 15:04"), e.Kind, by)
		for _, ch := range e.Changes {
			fmt.Fprintf(a.out, "      %s: %s → %s\n", ch.Field, orBlank(ch.Before), orBlank(ch.After))
		}
	}
	return nil
}

func (a *app) typesCmd() *cobra.Command {
	return &cobra.Command{
		Use: "types", GroupID: "look", Args: args(cobra.NoArgs), Short: "List the record types",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListTypesWithResponse(ctx, c.Workspace)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("Type", "Label", "Ids", "Fields", "Required", "Found by")
			for _, t := range r.JSON200.Types {
				var required, rules []string
				for _, f := range t.Fields {
					if f.Required {
						required = append(required, f.Name)
					}
				}
				for _, m := range t.Match {
					rules = append(rules, strings.Join(m.Fields, " + "))
				}
				tab.AppendRow([]any{t.Name, t.Plural, t.Prefix, len(t.Fields), strings.Join(required, ", "), strings.Join(rules, ", ")})
			}
			tab.Render()
			return nil
		}),
	}
}

func (a *app) fieldsCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "fields TYPE", GroupID: "look", Args: args(cobra.ExactArgs(1)), Short: "List the fields of a record type, or add one",
		Example: "  uchi fields contact\n  uchi fields add account berth_count --label \"Berths\" --type integer",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			t, err := a.recordType(ctx, c, list[0])
			if err != nil {
				return err
			}
			return a.showFields(t)
		}),
	}
	var f catalog.Field
	var kind string
	var choices []string
	add := &cobra.Command{
		Use: "add TYPE NAME", Args: args(cobra.ExactArgs(2)), Short: "Add a field of your own to a record type",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			f.Name, f.Type = list[1], catalog.FieldType(kind)
			if f.Label == "" {
				f.Label = strings.ToUpper(f.Name[:1]) + strings.ReplaceAll(f.Name[1:], "_", " ")
			}
			for _, ch := range choices {
				code, label, ok := strings.Cut(ch, "=")
				if !ok {
					label = code
				}
				f.Choices = append(f.Choices, catalog.Choice{Code: code, Label: label})
			}
			r, err := c.AddFieldWithResponse(ctx, c.Workspace, list[0], f)
			if err != nil {
				return err
			}
			return a.showFields(*r.JSON201)
		}),
	}
	fl := add.Flags()
	fl.StringVar(&f.Label, "label", "", "words above the column (made from the name when left out)")
	fl.StringVar(&kind, "type", "text", "field type, such as text, integer, date, choice, reference")
	fl.StringVar(&f.Help, "help-text", "", "what belongs into the field")
	fl.BoolVar(&f.Required, "required", false, "every new record needs it")
	fl.BoolVar(&f.Key, "key", false, "unique when filled")
	fl.BoolVar(&f.Lookup, "lookup", false, "can be matched by, though not unique")
	fl.IntVar(&f.Length, "length", 0, "most characters")
	fl.IntVar(&f.Precision, "precision", 0, "digits after the decimal sign")
	fl.StringVar(&f.To, "to", "", "record type that a reference points to")
	fl.StringArrayVar(&choices, "choice", nil, "a choice: code or code=Label (repeatable)")
	cmd.AddCommand(add)
	return cmd
}

func (a *app) showFields(t catalog.RecordType) error {
	if a.asJSON {
		return a.printJSON(t)
	}
	tab := a.table("Field", "Label", "Type", "", "Choices or help")
	for _, f := range t.Fields {
		var marks []string
		for _, m := range []struct {
			on   bool
			word string
		}{{f.Required, "required"}, {f.Key, "key"}, {f.Own, "own"}} {
			if m.on {
				marks = append(marks, m.word)
			}
		}
		what := f.Help
		if len(f.Choices) > 0 {
			var codes []string
			for _, ch := range f.Choices {
				codes = append(codes, ch.Code)
			}
			what = strings.Join(codes, ", ")
		}
		kind := string(f.Type)
		if f.To != "" {
			kind += " → " + f.To
		}
		tab.AppendRow([]any{f.Name, f.Label, kind, strings.Join(marks, ", "), oneLine(what, 60)})
	}
	tab.Render()
	return nil
}

func (a *app) workspacesCmd() *cobra.Command {
	var label string
	cmd := &cobra.Command{
		Use: "workspaces", GroupID: "look", Args: args(cobra.NoArgs), Short: "List the workspaces, or add one",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListWorkspacesWithResponse(ctx)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("Workspace", "Label")
			for _, w := range r.JSON200.Workspaces {
				tab.AppendRow([]any{w.Name, w.Label})
			}
			tab.Render()
			return nil
		}),
	}
	add := &cobra.Command{
		Use: "add NAME", Args: args(cobra.ExactArgs(1)), Short: "Make a workspace with the standard record types", Example: "  uchi workspaces add practice",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			_, err := c.AddWorkspaceWithResponse(ctx, client.Workspace{Name: list[0], Label: label})
			return err
		}),
	}
	add.Flags().StringVar(&label, "label", "", "words for people")
	cmd.AddCommand(add)
	return cmd
}

func (a *app) tokensCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "tokens", GroupID: "service", Args: args(cobra.NoArgs), Short: "List my tokens, make or end one",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListTokensWithResponse(ctx)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("No.", "Label", "Role", "Made", "Ends")
			for _, t := range r.JSON200.Tokens {
				tab.AppendRow([]any{t.Id, t.Label, t.Role, t.MadeAt.Local().Format(time.DateOnly), t.EndsAt.Local().Format(time.DateOnly)})
			}
			tab.Render()
			return nil
		}),
	}
	var role string
	var days int
	add := &cobra.Command{
		Use: "add LABEL", Args: args(cobra.ExactArgs(1)), Short: "Make a token; its secret is printed this once", Example: "  uchi tokens add nightly --role operator --days 30",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			r, err := c.AddTokenWithResponse(ctx, client.NewToken{Label: list[0], Role: client.Role(role), Days: days})
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON201)
			}
			fmt.Fprintln(a.out, r.JSON201.Secret)
			return nil
		}),
	}
	add.Flags().StringVar(&role, "role", "", "viewer, operator or administrator (yours when left out)")
	add.Flags().IntVar(&days, "days", 90, "days until it ends")
	end := &cobra.Command{
		Use: "end NUMBER", Args: args(cobra.ExactArgs(1)), Short: "End a token",
		RunE: func(cmd *cobra.Command, list []string) error {
			id, err := importID(list[0])
			if err != nil {
				return err
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			_, err = c.RemoveTokenWithResponse(cmd.Context(), id)
			return err
		},
	}
	cmd.AddCommand(add, end)
	return cmd
}

func (a *app) peopleCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "people", GroupID: "service", Args: args(cobra.NoArgs), Short: "List who may sign in, or add somebody",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListPeopleWithResponse(ctx)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("Name", "E-mail", "Role")
			for _, p := range r.JSON200.People {
				tab.AppendRow([]any{p.Name, p.Email, p.Role})
			}
			tab.Render()
			return nil
		}),
	}
	var p client.NewPerson
	var role string
	add := &cobra.Command{
		Use: "add EMAIL", Args: args(cobra.ExactArgs(1)), Short: "Let somebody sign in; the password is read from standard input",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			p.Email, p.Role = list[0], client.Role(role)
			var err error
			if p.Password, err = a.readPassword(); err != nil {
				return err
			}
			_, err = c.AddPersonWithResponse(ctx, p)
			return err
		}),
	}
	add.Flags().StringVar(&p.Name, "name", "", "the person's name")
	add.Flags().StringVar(&role, "role", "operator", "viewer, operator or administrator")
	cmd.AddCommand(add)
	return cmd
}
