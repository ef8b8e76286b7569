package cli

import (
	"context"
	"path/filepath"
	"slices"
	"strings"

	"uchi/internal/client"

	"github.com/spf13/cobra"
)

func (a *app) exportCmd() *cobra.Command {
	var p client.ExportRecordsParams
	var order, out, format string
	cmd := &cobra.Command{
		Use: "export TYPE", GroupID: "look", Args: args(cobra.ExactArgs(1)),
		Short: "Write records of a type as a sheet that can be changed and brought back",
		Long: `Writes records as CSV, JSON Lines or a workbook, with their ids and versions. The columns of such a sheet
go to their fields by themselves when it is imported again: only what was changed in the sheet is an update,
what others have changed meanwhile stays, and what both have changed is held. Rows and columns that were
taken away are not touched; a row without an id is looked up like any other.`,
		Example: "  uchi export contact > contacts.csv\n  uchi export account --where country=NO --fields name,status,owner -o accounts.xlsx\n  uchi import accounts.xlsx --into account",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			p.Order = client.ExportRecordsParamsOrder(order)
			for n, w := range p.Where {
				p.Where[n] = strings.Replace(w, "=", ":", 1)
			}
			if format == "" {
				format = "csv"
				if ext := strings.TrimPrefix(filepath.Ext(out), "."); slices.Contains([]string{"csv", "jsonl", "xlsx"}, ext) {
					format = ext
				}
			}
			p.Format = client.ExportRecordsParamsFormat(format)
			r, err := c.ExportRecords(ctx, c.Workspace, list[0], &p)
			if err != nil {
				return err
			}
			return a.sheetInto(out, r.Body)
		}),
	}
	f := cmd.Flags()
	f.StringVarP(&out, "out", "o", "", "write into this file; its ending says the format when none is given")
	f.StringVar(&format, "format", "", "csv, jsonl or xlsx")
	f.StringSliceVar(&p.Fields, "fields", nil, "names of fields, a comma between, in their order; all when left out")
	f.StringVar(&p.Text, "text", "", "words in the title, an id, or an exact key or e-mail")
	f.Int64Var(&p.Import, "import", 0, "only those that this import made")
	f.StringArrayVar(&p.Where, "where", nil, "only those with this value: field=value (repeatable)")
	f.StringVar(&order, "order", "id", "id, -id or title")
	return cmd
}
