package cli

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
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
		a.actCmd("discard", "Give an import up before it is loaded", func(ctx context.Context, c *client.Conn,
			id int64) error {
			_, err := c.DiscardImportWithResponse(ctx, c.Workspace, id)
			return err
		}),
		a.actCmd("close", "Put an import away after rows were loaded; its records stay",
			func(ctx context.Context, c *client.Conn, id int64) error {
				_, err := c.CloseWithResponse(ctx, c.Workspace, id)
				return err
			}),
		a.actCmd("cancel", "End whatever runs on an import: reading, check, try or load; what is loaded stays",
			func(ctx context.Context, c *client.Conn, id int64) error {
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
		a.actCmd("reopen", "Take up again what was closed or discarded", func(ctx context.Context, c *client.Conn,
			id int64) error {
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
		Use: "runs NUMBER", Args: args(cobra.ExactArgs(1)),
		Short:   "List what was done on an import: readings, checks and loads",
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
				if x.Removed > 0 {
					result = strings.TrimSpace(fmt.Sprintf("%s  %s deleted that were not in the file", result, number(x.Removed)))
				}
				if x.Partly > 0 {
					result = strings.TrimSpace(fmt.Sprintf("%s  of %s held, other records were written", result,
						plural(x.Partly, "row", "rows")))
				}
				if x.Trouble.Code != "" {
					result = strings.TrimSpace(result + "  " + x.Trouble.Message)
				}
				tab.AppendRow([]any{x.Id, x.Work, x.Person, x.BeganAt.Local().Format("2006-01-02 15:04:05"), took,
					number(x.Done), ended, result})
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
		tab.AppendRow([]any{i.Id, oneLine(i.Name, 34), i.Into, stateWords(i), number(i.Rows), a.summary(i), i.MadeBy,
			i.MadeAt.Local().Format("2006-01-02 15:04")})
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
	if i.Rehearses.Import > 0 {
		line("rehearses", fmt.Sprintf("import %d of %s", i.Rehearses.Import, i.Rehearses.Workspace))
	}
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
	a.showApproval(i.Approval)
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
	var reading sheet.Reading
	cmd := &cobra.Command{
		Use: "mapping NUMBER", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short: "Show or change how a source is read, and which column goes to which field",
		Example: "  uchi mapping 12\n  uchi mapping 12 --map \"job_title=Post\" --fixed country=NO\n" +
			"  uchi mapping 12 --map \"description=\"       take the field out again\n" +
			"  uchi mapping 12 --country NO           " +
			" for telephone numbers that name none\n  uchi mapping 12 --add account --draft account --map name=Company",
		RunE: func(cmd *cobra.Command, list []string) error {
			ctx := cmd.Context()
			c, i, err := a.withImport(ctx, list[0])
			if err != nil {
				return err
			}
			if reading != (sheet.Reading{}) {
				if i, err = a.reread(ctx, c, i, reading); err != nil {
					return err
				}
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
			r, err := c.SuggestWithResponse(ctx, c.Workspace, i.Id, &client.SuggestParams{})
			if err != nil {
				return err
			}
			return a.showMapping(ctx, c, i, *r.JSON200)
		},
	}
	change.add(cmd.Flags())
	readingFlags(cmd.Flags(), &reading)
	return cmd
}

func (a *app) valuesCmd() *cobra.Command {
	var add, yes bool
	cmd := &cobra.Command{
		Use: "values NUMBER FIELD", GroupID: "load", Args: args(cobra.ExactArgs(2)),
		Short: "List what stands in a field's column, each value once, and what it means",
		Example: "  uchi values 12 status\n  uchi values 12 account.country\n  uchi values 12 status --add\n" +
			"  uchi mapping 12 --means \"status:very keen=customer\"",
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
			r, err := c.ColumnValuesWithResponse(cmd.Context(), c.Workspace, i.Id,
				&client.ColumnValuesParams{Column: o.From[0], Draft: d.Called(), Field: field})
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
func (a *app) addUnknown(ctx context.Context, c *client.Conn, typeName, field string, values []client.ColumnValue,
	o mapping.Origin, yes bool) error {
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
		question := fmt.Sprintf("Add %s to %s: %s?", plural(int64(len(words)), "choice", "choices"), field,
			fault.Cut(strings.Join(words, ", "), 300))
		if ok, err := a.confirm(question); err != nil || !ok {
			return orDeclined(err)
		}
	}
	for _, w := range words {
		code := strings.ReplaceAll(value.Words(w), " ", "_")
		if _, err := c.AddChoiceWithResponse(ctx, c.Workspace, typeName, field,
			catalog.Choice{Code: code, Label: w}); err != nil {
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
			for _, name := range []string{"first", "pause-held", "stop-fails"} {
				if f := cmd.Flags().Lookup(name); f.Changed && f.Value.String() == "0" { // would be as if it were not there
					return usageError{fmt.Errorf("--%s 0 says nothing; leave it out, or give a number above 0", name)}
				}
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
func (a *app) loadQuestion(ctx context.Context, c *client.Conn, i client.Import,
	body client.LoadRequest) (string, error) {
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
