package cli

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/value"
	"uchi/internal/core/verdict"

	openapi_types "github.com/oapi-codegen/runtime/types"
	"github.com/spf13/cobra"
)

func (a *app) importsCmd() *cobra.Command {
	var p client.ListImportsParams
	var states []string
	var from, to string
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
			for _, s := range states {
				p.State = append(p.State, client.ImportState(s))
			}
			for _, d := range []struct {
				text string
				into *openapi_types.Date
			}{{from, &p.From}, {to, &p.To}} {
				if d.text == "" {
					continue
				}
				if err := d.into.UnmarshalText([]byte(d.text)); err != nil {
					return usageError{fmt.Errorf("%q is not a day; write it as 2026-03-31", d.text)}
				}
			}
			return a.listImports(cmd.Context(), p)
		},
	}
	f := cmd.Flags()
	f.IntVar(&p.Limit, "limit", 30, "most imports to list")
	f.StringSliceVar(&states, "state", nil, "only those in these states")
	f.StringVar(&p.Text, "text", "", "only those with this in the source's name")
	f.StringVar(&p.Into, "into", "", "only those into this record type")
	f.StringVar(&p.Person, "by", "", "only those of this person, by e-mail address")
	f.StringVar(&from, "from", "", "only those made on this day or later")
	f.StringVar(&to, "to", "", "only those made on this day or earlier")
	cmd.AddCommand(
		a.actCmd("discard", "Give an import up before it is loaded", func(ctx context.Context, c *client.Conn, id int64) error {
			_, err := c.DiscardImportWithResponse(ctx, c.Workspace, id)
			return err
		}),
		a.actCmd("close", "Put an import away after rows were loaded; its records stay", func(ctx context.Context, c *client.Conn, id int64) error {
			_, err := c.CloseWithResponse(ctx, c.Workspace, id)
			return err
		}),
		a.actCmd("cancel", "End whatever runs on an import: reading, check, try or load; what is loaded stays", func(ctx context.Context, c *client.Conn, id int64) error {
			_, err := c.CancelWithResponse(ctx, c.Workspace, id)
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
		}),
		a.actCmd("reopen", "Take up again what was closed or discarded", func(ctx context.Context, c *client.Conn, id int64) error {
			_, err := c.ReopenWithResponse(ctx, c.Workspace, id)
			return err
		}),
		a.handOverCmd(), a.runsCmd())
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

func (a *app) handOverCmd() *cobra.Command {
	return &cobra.Command{
		Use: "hand-over NUMBER EMAIL", Short: "Hand an import over to a colleague", Args: args(cobra.ExactArgs(2)),
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			r, err := c.HandOverWithResponse(cmd.Context(), c.Workspace, i.Id, client.HandOver{Email: list[1]})
			if err != nil {
				return err
			}
			return a.showImport(*r.JSON200)
		},
	}
}

func (a *app) runsCmd() *cobra.Command {
	return &cobra.Command{
		Use: "runs NUMBER", Args: args(cobra.ExactArgs(1)), Short: "List what was done on an import: readings, checks and loads",
		Example: "  uchi imports runs 12",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			r, err := c.ListRunsWithResponse(cmd.Context(), c.Workspace, i.Id)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("Run", "Work", "By", "Began", "Took", "Rows", "Ended", "Result")
			for _, x := range r.JSON200.Runs {
				took, ended := "", "goes on"
				if !x.EndedAt.IsZero() {
					took, ended = fmt.Sprintf("%.1f s", x.EndedAt.Sub(x.BeganAt).Seconds()), strings.ReplaceAll(x.Ended, "_", " ")
				}
				result := outcomeWords(x.Outcomes)
				if x.Trouble.Code != "" {
					result = strings.TrimSpace(result + "  " + x.Trouble.Message)
				}
				tab.AppendRow([]any{x.Id, x.Work, x.Person, x.BeganAt.Local().Format("2006-01-02 15:04:05"), took, number(x.Done), ended, result})
			}
			tab.Render()
			return nil
		},
	}
}

func (a *app) listImports(ctx context.Context, p client.ListImportsParams) error {
	c, err := a.connect()
	if err != nil {
		return err
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
	if words := outcomeWords(i.Outcomes); words != "" {
		return words
	}
	return verdictWords(i.Totals.Verdicts)
}

// verdictWords counts verdicts, each with its mark.
func verdictWords(verdicts map[string]int64) string {
	var parts []string
	for _, v := range verdict.All {
		if n := verdicts[string(v)]; n > 0 {
			parts = append(parts, verdict.Mark(string(v))+" "+number(n)+" "+string(v))
		}
	}
	return strings.Join(parts, "  ")
}

// outcomeWords counts outcomes, each with its mark.
func outcomeWords(outcomes map[string]int64) string {
	var parts []string
	for _, o := range verdict.Outcomes {
		if n := outcomes[string(o)]; n > 0 {
			parts = append(parts, verdict.Mark(string(o))+" "+number(n)+" "+string(o))
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
	line("into", intoWords(i))
	line("rows", number(i.Rows))
	line("result", a.summary(i))
	line("made", i.MadeAt.Local().Format("2006-01-02 15:04")+" by "+i.MadeBy)
	if i.Trouble.Code != "" {
		line("trouble", i.Trouble.Message)
		line("where", i.Trouble.Place.String())
		line("mend", i.Trouble.Mend)
	}
	line("can", actWords(i.Acts))
	for _, p := range i.Totals.Problems {
		line("problem", fmt.Sprintf("%s rows: %s %s", number(p.Count), p.Code, p.Field))
	}
	return nil
}

// actWords lists what can be done with an import now.
func actWords(acts []client.Act) string {
	var can []string
	for _, x := range acts {
		if x.Possible {
			can = append(can, strings.ReplaceAll(string(x.Act), "_", " "))
		}
	}
	return strings.Join(can, ", ")
}

// intoWords names the record types that the rows of an import become.
func intoWords(i client.Import) string {
	var names []string
	for _, d := range i.Routine.Drafts {
		names = append(names, d.Called())
	}
	if len(names) < 2 {
		return i.Into
	}
	return strings.Join(names, ", ")
}

func (a *app) mappingCmd() *cobra.Command {
	var change routineChange
	cmd := &cobra.Command{
		Use: "mapping NUMBER", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short:   "Show or change which column goes to which field",
		Example: "  uchi mapping 12\n  uchi mapping 12 --map \"job_title=Post\" --fixed country=NO\n  uchi mapping 12 --map \"description=\"       take the field out again\n  uchi mapping 12 --add account --draft account --map name=Company",
		RunE: func(cmd *cobra.Command, list []string) error {
			ctx := cmd.Context()
			c, i, err := a.withImport(ctx, list[0])
			if err != nil {
				return err
			}
			if (len(i.Routine.Drafts) > 0 || change.from != "" || len(change.drafts) > 0) && !change.none() {
				if i, err = a.change(ctx, c, i, change); err != nil {
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
			return a.showMapping(ctx, c, i)
		},
	}
	change.add(cmd.Flags())
	return cmd
}

func (a *app) valuesCmd() *cobra.Command {
	var add, yes bool
	cmd := &cobra.Command{
		Use: "values NUMBER FIELD", GroupID: "load", Args: args(cobra.ExactArgs(2)),
		Short:   "List what stands in a field's column, each value once, and what it means",
		Example: "  uchi values 12 status\n  uchi values 12 account.country\n  uchi values 12 status --add\n  uchi mapping 12 --means \"status:very keen=customer\"",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			if len(i.Routine.Drafts) == 0 {
				return fault.New(fault.Conflict, "no_mapping", "no column is mapped yet")
			}
			d, field, err := routineChange{}.at(&i.Routine, list[1])
			if err != nil {
				return err
			}
			o := d.Fields[field]
			if len(o.From) != 1 {
				return usageError{fmt.Errorf("no single column goes to the field %s", field)}
			}
			r, err := c.ColumnValuesWithResponse(cmd.Context(), c.Workspace, i.Id, &client.ColumnValuesParams{Column: o.From[0], Draft: d.Called(), Field: field})
			if err != nil {
				return err
			}
			if add {
				return a.addUnknown(cmd.Context(), c, d.Type, field, r.JSON200.Values, o, yes)
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("Value", "Rows", "Means", "")
			for _, v := range r.JSON200.Values {
				meaning, note := v.Meaning, ""
				if said, ok := o.Values[v.Text]; ok {
					meaning, note = said, "by the value list"
					if said == "" {
						meaning = "(blank)"
					}
				} else if meaning == "" {
					note = "not known: held"
					if v.Guess != "" {
						note = "not known: held; perhaps " + v.Guess
					}
				} else if v.Label != meaning {
					note = v.Label
				}
				tab.AppendRow([]any{oneLine(v.Text, 44), number(v.Count), meaning, note})
			}
			tab.Render()
			if r.JSON200.More {
				fmt.Fprintln(a.out, "… the most frequent; there are more")
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&add, "add", false, "add the values that are not known to the field's choices (administrators)")
	cmd.Flags().BoolVarP(&yes, "yes", "y", false, "add without asking")
	return cmd
}

// addUnknown adds the values of a column that mean nothing yet to the choices of their
// field.
func (a *app) addUnknown(ctx context.Context, c *client.Conn, typeName, field string, values []client.ColumnValue, o mapping.Origin, yes bool) error {
	var words []string
	for _, v := range values {
		if _, said := o.Values[v.Text]; !said && v.Meaning == "" {
			words = append(words, v.Text)
		}
	}
	if len(words) == 0 {
		fmt.Fprintln(a.out, "All values are known.")
		return nil
	}
	if !yes {
		question := fmt.Sprintf("Add %s to %s: %s?", plural(int64(len(words)), "choice", "choices"), field, fault.Cut(strings.Join(words, ", "), 300))
		if ok, err := a.confirm(question); err != nil || !ok {
			return orDeclined(err)
		}
	}
	for _, w := range words {
		code := strings.ReplaceAll(value.Words(w), " ", "_")
		if _, err := c.AddChoiceWithResponse(ctx, c.Workspace, typeName, field, catalog.Choice{Code: code, Label: w}); err != nil {
			return err
		}
	}
	fmt.Fprintf(a.out, "Added %s. The next check knows them.\n", plural(int64(len(words)), "choice", "choices"))
	return nil
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
				return heldOr(i.Totals.Verdicts[string(verdict.Hold)] + i.Totals.Verdicts[string(verdict.Ask)])
			}
			a.showCheck(ctx, c, i)
			return heldOr(i.Totals.Verdicts[string(verdict.Hold)] + i.Totals.Verdicts[string(verdict.Ask)])
		},
	}
}

func (a *app) loadCmd() *cobra.Command {
	var yes bool
	var body client.LoadRequest
	cmd := &cobra.Command{
		Use: "load NUMBER", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short: "Carry out what the check has said, of all rows or of some first",
		Example: `  uchi load 12
  uchi load 12 --first 10          look at the records, then load the rest or take them back: uchi undo 12
  uchi load 12 --rows 2-11,40
  uchi load 12 --whole             all rows or none`,
		RunE: func(cmd *cobra.Command, list []string) error {
			ctx := cmd.Context()
			c, i, err := a.withImport(ctx, list[0])
			if err != nil {
				return err
			}
			if err := possible(i, client.ActActLoad); err != nil {
				return err
			}
			if !yes {
				question, err := a.loadQuestion(ctx, c, i, body)
				if err != nil {
					return err
				}
				if ok, err := a.confirm(question); err != nil || !ok {
					return orDeclined(err)
				}
			}
			return a.loadAndShow(ctx, c, i.Id, body)
		},
	}
	f := cmd.Flags()
	f.BoolVarP(&yes, "yes", "y", false, "load without asking")
	f.StringVar(&body.Rows, "rows", "", "only these rows, such as 2-11,15; the rest stays checked")
	f.Int64Var(&body.First, "first", 0, "only the first so many rows that would be written")
	f.BoolVar(&body.Each, "each", false, "only one row of each kind that would be written")
	f.BoolVar(&body.Whole, "whole", false, "all rows in one transaction, or none")
	f.Int64Var(&body.PauseHeld, "pause-held", 0, "pause when so many rows are held")
	f.Int64Var(&body.StopFails, "stop-fails", 0, "stop when the database has refused so many rows")
	return cmd
}

// loadQuestion asks in numbers whether the load is to begin.
func (a *app) loadQuestion(ctx context.Context, c *client.Conn, i client.Import, body client.LoadRequest) (string, error) {
	if body.Rows == "" && body.First == 0 && !body.Each {
		return loadQuestion(i), nil
	}
	r, err := c.ChooseRowsWithResponse(ctx, c.Workspace, i.Id, body)
	if err != nil {
		return "", err
	}
	x := r.JSON200
	q := fmt.Sprintf("%s: %s", plural(x.Rows, "row", "rows"), verdictWords(x.Verdicts))
	if x.Needed > 0 {
		q += fmt.Sprintf("; %d of them because the others need them", x.Needed)
	}
	return q + ". Load them first?", nil
}

// possible gives the service's reason against an act, before anybody is asked
// whether to do it.
func possible(i client.Import, act client.ActAct) error {
	for _, a := range i.Acts {
		if a.Act == act && !a.Possible {
			return fault.New(fault.Conflict, a.Code, a.Why).Mended(a.Mend)
		}
	}
	return nil
}

func (a *app) rowsCmd() *cobra.Command {
	var p client.ListRowsParams
	var v, o string
	var csv, overwrites bool
	var book string
	var row int64
	cmd := &cobra.Command{
		Use: "rows NUMBER", GroupID: "look", Args: args(cobra.ExactArgs(1)),
		Short:   "Show rows of an import with verdicts, problems and outcomes",
		Example: "  uchi rows 12 --verdict hold\n  uchi rows 12 --problem bad_email --limit 200\n  uchi rows 12 --outcome held --csv > held.csv\n  uchi rows 12 --verdict hold --xlsx held.xlsx      to be mended and brought back",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			if row > 0 {
				return a.showRow(cmd.Context(), c, i.Id, row)
			}
			p.Verdict, p.Outcome = verdict.Verdict(v), verdict.Outcome(o)
			if book != "" {
				r, err := c.DownloadWorkbook(cmd.Context(), c.Workspace, i.Id, &client.DownloadWorkbookParams{Verdict: p.Verdict, Outcome: p.Outcome, Problem: p.Problem, Field: p.Field, Text: p.Text})
				if err != nil {
					return err
				}
				return a.sheetInto(book, r.Body)
			}
			if overwrites {
				r, err := c.DownloadOverwrites(cmd.Context(), c.Workspace, i.Id)
				if err != nil {
					return err
				}
				return a.sheetInto("", r.Body)
			}
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
	f.StringVar(&v, "verdict", "", "only rows with this verdict: create, update, delete, same, skip, ask, hold")
	f.StringVar(&o, "outcome", "", "only rows with this outcome: created, updated, deleted, unchanged, skipped, held, failed, undone")
	f.StringVar(&p.Problem, "problem", "", "only rows with this problem's code")
	f.StringVar(&p.Field, "field", "", "only rows with a problem at this field")
	f.StringVar(&p.Text, "text", "", "only rows with this text in a cell")
	f.StringVar(&p.Cursor, "cursor", "", "go on behind an earlier page")
	f.IntVar(&p.Limit, "limit", 30, "most rows to show")
	f.Int64Var(&row, "row", 0, "show this row alone, as the records that it becomes, with what each value comes from")
	f.StringVar(&book, "xlsx", "", "write all of them as a workbook into this file, with notes at what is wrong")
	f.BoolVar(&overwrites, "overwrites", false, "print as CSV every value that the load would replace")
	f.BoolVar(&csv, "csv", false, "print all of them as CSV, with what is wrong")
	return cmd
}

// showRow shows one row as the records that it becomes.
func (a *app) showRow(ctx context.Context, c *client.Conn, id, row int64) error {
	r, err := c.GetRowWithResponse(ctx, c.Workspace, id, row)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(r.JSON200)
	}
	for n, d := range r.JSON200.Drafts {
		if n > 0 {
			fmt.Fprintln(a.out)
		}
		word := string(d.Verdict)
		if d.Outcome != "" {
			word = string(d.Outcome)
		}
		head := d.Type
		if word == "" {
			head += ", not checked yet"
		}
		if d.Record.Id != "" {
			head += fmt.Sprintf(", %s %s", d.Record.Id, d.Record.Title)
		}
		if d.Percent > 0 {
			head += fmt.Sprintf(", found by likeness, %.1f %%", d.Percent)
		}
		fmt.Fprintf(a.out, "Row %d: %s %s\n", row, a.word(word), head)
		if d.Reason != "" {
			fmt.Fprintf(a.out, "  %s\n", d.Reason)
		}
		columns := []any{"Field", "There", "Becomes", "Why"}
		if d.Record.Id == "" {
			columns = slices.Delete(columns, 1, 2)
		}
		tab := a.table(columns...)
		for _, v := range d.Values {
			after := v.After
			if v.Link.Id != "" {
				after = v.Link.Title + " (" + v.Link.Id + ")"
			}
			why := v.Why
			if v.Problem.Message != "" {
				why = v.Problem.Message + ". " + v.Problem.Mend
			}
			row := []any{v.Label, oneLine(v.Before, 40), oneLine(after, 60), why}
			if d.Record.Id == "" {
				row = slices.Delete(row, 1, 2)
			}
			tab.AppendRow(row)
		}
		tab.Render()
	}
	return nil
}

func (a *app) rowsAsCSV(ctx context.Context, c *client.Conn, id int64, p client.ListRowsParams) error {
	r, err := c.DownloadRows(ctx, c.Workspace, id, &client.DownloadRowsParams{Verdict: p.Verdict, Outcome: p.Outcome, Problem: p.Problem, Field: p.Field, Text: p.Text})
	if err != nil {
		return err
	}
	return a.sheetInto("", r.Body)
}

// sheetInto writes what the service sends into a file, or prints it when none is named.
func (a *app) sheetInto(file string, body io.ReadCloser) error {
	defer body.Close()
	if file != "" {
		return intoFile(file, body)
	}
	_, err := io.Copy(a.out, body)
	return err
}

// printRows shows rows with what would happen to them and why, a line each
// problem or change.
func (a *app) printRows(rows []client.Row) {
	tab := a.table("Row", "Verdict", "Record", "Field", "What")
	for _, r := range rows {
		word := string(r.Verdict)
		if r.Outcome != "" {
			word = string(r.Outcome)
		}
		row := []any{r.Row, a.word(word), recordsOf(r)}
		n := 0
		add := func(field, what string) {
			if n > 0 {
				row = []any{"", "", ""}
			}
			n++
			tab.AppendRow(append(slices.Clone(row), field, strings.Join(strings.Fields(what), " ")))
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
		if r.Question != "" {
			add("", fmt.Sprintf("asked: %s; see uchi questions", r.Question.Says()))
		}
		if r.Reason != "" {
			add("", r.Reason)
		}
		for _, d := range r.Drafts {
			if d.Reason != "" && d.OtherRow > 0 && d.Reason != r.Reason {
				add(d.Draft, d.Reason)
			}
		}
		if n == 0 {
			add("", strings.Join(filled(r.Cells, 5), " · "))
		}
	}
	tab.Render()
}

// recordsOf names the record of a row, or those of its drafts.
func recordsOf(r client.Row) string {
	var ids []string
	for _, d := range r.Drafts {
		if d.Record != "" {
			ids = append(ids, d.Record)
		}
	}
	return strings.Join(ids, " ")
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
