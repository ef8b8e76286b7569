package cli

import (
	"context"
	"fmt"

	"uchi/internal/client"

	"github.com/spf13/cobra"
)

func (a *app) settingsCmd() *cobra.Command {
	var days int
	cmd := &cobra.Command{
		Use: "settings", GroupID: "service", Args: args(cobra.NoArgs),
		Short: "Show or change what holds for the whole service",
		Long: `Shows or changes what holds for the whole service: for how many days after its last change the
source and the results of an import are kept. Records, history and log stay.`,
		Example: "  uchi settings\n  uchi settings --keep-days 30",
	}
	cmd.RunE = a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
		if cmd.Flags().Changed("keep-days") {
			if _, err := c.SetSettingsWithResponse(ctx, client.Settings{KeepDays: days}); err != nil {
				return err
			}
		}
		r, err := c.GetSettingsWithResponse(ctx)
		if err != nil {
			return err
		}
		if a.asJSON {
			return a.printJSON(r.JSON200)
		}
		fmt.Fprintf(a.out, "Sources and results are kept for %s.\n", plural(int64(r.JSON200.KeepDays), "day", "days"))
		return nil
	})
	cmd.Flags().IntVar(&days, "keep-days", 0, "days for which sources and results are kept (administrators)")
	return cmd
}
