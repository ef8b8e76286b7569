package cli

import (
	"context"
	"strings"

	"uchi/internal/client"

	"github.com/spf13/cobra"
)

func (a *app) starterCmd() *cobra.Command {
	var p client.StarterSheetParams
	var out string
	cmd := &cobra.Command{
		Use: "starter TYPE…", GroupID: "look", Args: args(cobra.MinimumNArgs(1)),
		Short: "Write an empty sheet to be filled in, with what belongs into each column",
		Long: `Writes a workbook whose columns go to their fields by themselves when it is filled in and imported:
required fields first, a note at each header, drop-downs for choices, countries and owners, formats for
dates and numbers, a row that shows what a filled one looks like and is not loaded, and a Guide sheet that
explains the columns. With several record types it has a sheet for each. The name of the file says whether
it is a workbook (.xlsx, .ods) or CSV (.csv; .zip with a file for each of several record types).`,
		Example: "  uchi starter contact -o contacts.xlsx\n  uchi starter account contact opportunity -o new-branch.xlsx\n" +
			"  uchi starter lead --fields family_name,company,email -o leads.csv",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			p.Type = list
			switch {
			case strings.HasSuffix(out, ".csv"), strings.HasSuffix(out, ".zip"):
				p.Format = "csv"
			case strings.HasSuffix(out, ".ods"):
				p.Format = "ods"
			}
			r, err := c.StarterSheet(ctx, c.Workspace, &p)
			if err != nil {
				return err
			}
			return a.answerInto(out, r.Body)
		}),
	}
	f := cmd.Flags()
	f.StringVarP(&out, "out", "o", "", "write into this file")
	f.StringSliceVar(&p.Fields, "fields", nil, "names of fields, a comma between; all when left out")
	return cmd
}
