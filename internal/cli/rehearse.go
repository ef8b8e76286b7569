package cli

import (
	"fmt"

	"uchi/internal/client"

	"github.com/spf13/cobra"
)

func (a *app) rehearseCmd() *cobra.Command {
	var in string
	var back bool
	cmd := &cobra.Command{
		Use: "rehearse NUMBER", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short: "Try an import first in another workspace, and take over what was set up there",
		Long: `Makes, in another workspace, an import of the same source that is set up as this one is. What is done with it touches
no record here. With --back the set-up of the rehearsal (how the source is read, and the mapping with its rules) becomes
that of the import that it rehearses; answers and changed cells stay behind, since they are about the records there.`,
		Example: "  uchi rehearse 12 --in practice\n  uchi rehearse 34 --back --workspace practice",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			if back {
				r, err := c.RehearsedWithResponse(cmd.Context(), c.Workspace, i.Id)
				if err != nil {
					return err
				}
				if a.asJSON {
					return a.printJSON(r.JSON202)
				}
				fmt.Fprintf(a.out, "Import %d of %s is set up as import %d of %s is. Check it: uchi check %d --workspace %s\n",
					r.JSON202.Id, i.Rehearses.Workspace, i.Id, c.Workspace, r.JSON202.Id, i.Rehearses.Workspace)
				return nil
			}
			r, err := c.RehearseWithResponse(cmd.Context(), c.Workspace, i.Id, client.RehearseJSONRequestBody{Workspace: in})
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON201)
			}
			fmt.Fprintf(a.out, "Import %d of %s rehearses it. Check it: uchi check %d --workspace %s; take its set-up over: "+
				"uchi rehearse %d --back --workspace %s\n",
				r.JSON201.Id, in, r.JSON201.Id, in, r.JSON201.Id, in)
			return nil
		},
	}
	cmd.Flags().StringVar(&in, "in", "practice", "the workspace to rehearse in")
	cmd.Flags().BoolVar(&back, "back", false, "take the set-up of this rehearsal over to the import that it rehearses")
	return cmd
}
