package cli

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"

	"github.com/spf13/cobra"
)

func (a *app) routineCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "routine", GroupID: "load", Args: args(cobra.NoArgs),
		Short: "List, show, save and remove saved set-ups of imports",
		Example: "  uchi routine\n  uchi routine save branch-contacts --import 12\n  uchi routine show branch-contacts > " +
			"branch.yaml\n  uchi routine save branch-contacts --from branch.yaml\n" +
			"  uchi import new.csv --routine branch-contacts",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListRoutinesWithResponse(ctx, c.Workspace)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("Routine", "Into", "Fields", "Version", "Changed", "By")
			for _, x := range r.JSON200.Routines {
				fields := 0
				var into []string
				for _, d := range x.Routine.Drafts {
					fields += len(d.Fields)
					into = append(into, d.Type)
				}
				tab.AppendRow([]any{x.Name, strings.Join(into, ", "), fields, x.Version,
					x.ChangedAt.Local().Format("2006-01-02 15:04"), x.ChangedBy})
			}
			tab.Render()
			return nil
		}),
	}
	var to client.RoutineCopy
	copied := &cobra.Command{
		Use: "copy NAME", Args: args(cobra.ExactArgs(1)), Short: "Take a routine over into another workspace",
		Example: "  uchi routine copy branch-contacts --workspace practice --to main",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			r, err := c.CopyRoutineWithResponse(ctx, c.Workspace, list[0], to)
			if err == nil {
				fmt.Fprintf(a.out, "%s is in %s, version %d.\n", r.JSON201.Name, to.To, r.JSON201.Version)
			}
			return err
		}),
	}
	copied.Flags().StringVar(&to.To, "to", "main", "the workspace")
	copied.Flags().StringVar(&to.Name, "as", "", "under another name")
	cmd.AddCommand(copied, a.routineShowCmd(), a.routineSaveCmd(), &cobra.Command{
		Use: "remove NAME", Args: args(cobra.ExactArgs(1)), Short: "Forget a routine; imports made with it stay",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			_, err := c.RemoveRoutineWithResponse(ctx, c.Workspace, list[0])
			return err
		}),
	})
	return cmd
}

func (a *app) routineShowCmd() *cobra.Command {
	return &cobra.Command{
		Use: "show NAME", Args: args(cobra.ExactArgs(1)), Short: "Print a routine as YAML (or JSON), as a file to keep",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			r, err := c.GetRoutineWithResponse(ctx, c.Workspace, list[0])
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200.Routine)
			}
			b, err := mapping.WriteRoutine(r.JSON200.Routine)
			if err != nil {
				return fmt.Errorf("write routine: %w", err)
			}
			_, err = a.out.Write(b)
			return err
		}),
	}
}

func (a *app) routineSaveCmd() *cobra.Command {
	var from, importNo string
	cmd := &cobra.Command{
		Use: "save NAME", Args: args(cobra.ExactArgs(1)), Short: "Save the set-up of an import, or of a file, under a name",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			var err error
			var routine mapping.Routine
			switch {
			case importNo != "" && from == "":
				_, i, err := a.withImport(ctx, importNo)
				if err != nil {
					return err
				}
				routine = i.Routine
				routine.Reading, routine.Ignored = i.Reading, i.Unplaced
			case from != "" && importNo == "":
				if routine, err = a.readRoutine(from); err != nil {
					return err
				}
			default:
				return usageError{fmt.Errorf("give either --import or --from")}
			}
			r, err := c.SaveRoutineWithResponse(ctx, c.Workspace, list[0], nil, routine)
			if err != nil {
				return err
			}
			fmt.Fprintf(a.errs, "Saved %s, version %d.\n", r.JSON200.Name, r.JSON200.Version)
			return nil
		}),
	}
	cmd.Flags().StringVar(&importNo, "import", "", "number of the import whose set-up is saved")
	cmd.Flags().StringVar(&from, "from", "", "file with the routine, YAML or JSON; - for standard input")
	return cmd
}

func (a *app) readRoutine(path string) (mapping.Routine, error) {
	b, err := a.contentOf(path)
	if err != nil {
		return mapping.Routine{}, err
	}
	r, err := mapping.ReadRoutine(b)
	if f, ok := fault.From(err); ok {
		return r, f.At(fault.Place{File: strings.TrimPrefix(path, "-")})
	}
	return r, err
}
