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
	var l look
	var out, format, delimiter, encoding string
	var later bool
	cmd := &cobra.Command{
		Use: "export TYPE", GroupID: "look", Args: args(cobra.ExactArgs(1)),
		Short: "Write records of a type as a sheet that can be changed and brought back",
		Long: `Writes records as CSV, JSON Lines or a workbook (XLSX or OpenDocument), with their ids and versions. The columns of such a sheet
go to their fields by themselves when it is imported again: only what was changed in the sheet is an update,
what others have changed meanwhile stays, and what both have changed is held. Rows and columns that were
taken away are not touched; a row without an id is looked up like any other.`,
		Example: "  uchi export contact > contacts.csv\n  uchi export account --filter 'country == \"NO\"' --columns " +
			"name,status,owner -o accounts.xlsx\n  uchi export contact --view \"Skippers\" --format csv --delimiter semicolon " +
			"> skippers.csv\n  uchi import accounts.xlsx --into account",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			v, err := a.viewOf(ctx, c, list[0], l.view)
			if err != nil {
				return err
			}
			p.View, p.Filter, p.Columns, p.Sort, p.Text, p.Import = v.Id, l.filter, l.columns, l.sort, l.text, l.madeBy
			p.Delimiter, p.Encoding = client.ExportRecordsParamsDelimiter(delimiter),
				client.ExportRecordsParamsEncoding(encoding)
			if format == "" {
				format = "csv"
				if ext := strings.TrimPrefix(filepath.Ext(out), "."); slices.Contains([]string{"csv", "jsonl", "xlsx", "ods"},
					ext) {
					format = ext
				}
			}
			p.Format = client.ExportRecordsParamsFormat(format)
			if later {
				return a.exportLater(ctx, c, list[0], out, p)
			}
			r, err := c.ExportRecords(ctx, c.Workspace, list[0], &p)
			if err != nil {
				return err
			}
			return a.answerInto(out, r.Body)
		}),
	}
	f := cmd.Flags()
	f.StringVarP(&out, "out", "o", "", "write into this file; its ending says the format when none is given")
	f.BoolVar(&later, "later", false, "write it in the background, to be fetched with uchi exports")
	f.StringVar(&format, "format", "", "csv, jsonl, xlsx or ods")
	f.StringVar(&delimiter, "delimiter", "", "of CSV: comma, semicolon or tab")
	f.StringVar(&encoding, "encoding", "", "of CSV: utf-8 or utf-16")
	l.flags(cmd)
	return cmd
}
