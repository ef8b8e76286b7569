package cli

import (
	"context"
	"fmt"

	"uchi/internal/client"
	"uchi/internal/core/verdict"

	"github.com/spf13/cobra"
)

func (a *app) undoCmd() *cobra.Command {
	var body client.UndoRequest
	var yes, plan bool
	cmd := &cobra.Command{
		Use: "undo NUMBER", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short: "Take back what an import has loaded, or one of its loads",
		Long: `Take back what an import has loaded: records that it made go, values that it changed
return, records that it deleted come back. What somebody else has changed since, or
refers to now, stays and is listed. An undo can be taken back as well: name its run.`,
		Example: `  uchi undo 12                 what goes, what cannot, and why; then ask
  uchi undo 12 --rows 2-11     only what came of these rows
  uchi undo 12 --run 48        one load, or one undo, of uchi imports runs 12`,
		RunE: func(cmd *cobra.Command, list []string) error {
			ctx := cmd.Context()
			c, i, err := a.withImport(ctx, list[0])
			if err != nil {
				return err
			}
			if err := possible(i, client.ActActUndo); err != nil {
				return err
			}
			if !yes || plan {
				p, err := c.PlanUndoWithResponse(ctx, c.Workspace, i.Id, &client.PlanUndoParams{Limit: 20}, body)
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
			if _, err := c.UndoWithResponse(ctx, c.Workspace, i.Id, body); err != nil {
				return err
			}
			if i, err = a.follow(ctx, c, i.Id, "Taking back"); err != nil {
				return err
			}
			return a.showUndone(ctx, c, i)
		},
	}
	f := cmd.Flags()
	f.Int64Var(&body.Run, "run", 0, "take back this load, or this undo; see uchi imports runs")
	f.StringVar(&body.Rows, "rows", "", "only what came of these rows, such as 2-11,15")
	f.BoolVar(&plan, "plan", false, "only show what would be taken back")
	f.BoolVarP(&yes, "yes", "y", false, "take back without asking")
	return cmd
}

// showUndoPlan shows what an undo would do, and reports whether that is anything.
func (a *app) showUndoPlan(p client.UndoPlan) bool {
	does := false
	for _, x := range p.Counts {
		if x.Why == "" {
			does = true
			fmt.Fprintf(a.out, "  %s\n", x.Says)
		}
	}
	var kept bool
	for _, x := range p.Counts {
		if x.Why != "" {
			if !kept {
				fmt.Fprintf(a.out, "%s\n", a.paint(bold, "What cannot be taken back:"))
			}
			kept = true
			fmt.Fprintf(a.out, "  %s\n", x.Says)
		}
	}
	if len(p.Counts) == 0 {
		fmt.Fprintln(a.out, "There is nothing left to take back.")
		return false
	}
	tab := a.table("Record", "", "Row", "What happens")
	for _, x := range p.Items {
		row := ""
		if x.Row > 0 {
			row = number(x.Row)
		}
		tab.AppendRow([]any{x.Record, oneLine(x.Title, 30), row, x.Says})
	}
	tab.Render()
	return does
}

func (a *app) showUndone(_ context.Context, c *client.Conn, i client.Import) error {
	if a.asJSON {
		return a.printJSON(i)
	}
	fmt.Fprintln(a.out)
	a.outcomeTable(i)
	fmt.Fprintf(a.out, "\nImport %d is %s after %.1f s.\n", i.Id, i.State, i.EndedAt.Sub(i.BeganAt).Seconds())
	fmt.Fprintf(a.out, "Look at it: %s/w/%s/imports/%d/result\n", c.Server, c.Workspace, i.Id)
	return nil
}

// outcomeTable shows how many rows have each outcome.
func (a *app) outcomeTable(i client.Import) {
	tab := a.table("Outcome", "Rows")
	for _, o := range verdict.Outcomes {
		if n := i.Outcomes[string(o)]; n > 0 {
			tab.AppendRow([]any{a.word(string(o)), number(n)})
		}
	}
	tab.Render()
}
