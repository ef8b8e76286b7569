package cli

import (
	"context"
	"errors"
	"fmt"
	"time"

	"uchi/internal/client"

	"github.com/spf13/cobra"
)

// exportEvery is how often an export that is being written is looked at.
const exportEvery = 500 * time.Millisecond

func (a *app) exportsCmd() *cobra.Command {
	var out string
	cmd := &cobra.Command{
		Use: "exports [NUMBER]", GroupID: "look", Args: args(cobra.MaximumNArgs(1)),
		Short:   "List my exports that are written in the background, or fetch one when it is ready",
		Example: "  uchi export contact --later\n  uchi exports\n  uchi exports 3 -o contacts.csv\n  uchi exports remove 3",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			if len(list) == 0 {
				return a.listExports(ctx, c)
			}
			id, err := numberOf(list[0], "export")
			if err != nil {
				return err
			}
			if err := a.exportReady(ctx, c, id); err != nil {
				return err
			}
			r, err := c.DownloadExport(ctx, c.Workspace, id)
			if err != nil {
				return err
			}
			return a.answerInto(out, r.Body)
		}),
	}
	cmd.Flags().StringVarP(&out, "out", "o", "", "write into this file")
	cmd.AddCommand(&cobra.Command{
		Use: "remove NUMBER", Args: args(cobra.ExactArgs(1)), Short: "Remove an export, written or not",
		Example: "  uchi exports remove 3",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			id, err := numberOf(list[0], "export")
			if err != nil {
				return err
			}
			_, err = c.RemoveExportWithResponse(ctx, c.Workspace, id)
			return err
		}),
	})
	return cmd
}

func (a *app) listExports(ctx context.Context, c *client.Conn) error {
	r, err := c.ListExportsWithResponse(ctx, c.Workspace)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(r.JSON200)
	}
	tab := a.table("Export", "File", "Records", "Size", "State", "Begun")
	for _, x := range r.JSON200.Exports {
		tab.AppendRow([]any{x.Id, x.Name, number(x.Records), size(x.Bytes), exportState(x),
			x.MadeAt.Local().Format("2006-01-02 15:04")})
	}
	tab.Render()
	return nil
}

func exportState(x client.Export) string {
	switch {
	case x.Ready:
		return "ready"
	case x.Trouble.Code != "":
		return x.Trouble.Message
	}
	return "being written"
}

// exportReady waits until an export is written.
func (a *app) exportReady(ctx context.Context, c *client.Conn, id int64) error {
	for {
		r, err := c.GetExportWithResponse(ctx, c.Workspace, id)
		if err != nil {
			return err
		}
		if r.JSON200.Ready || r.JSON200.Trouble.Code != "" {
			return nil // what went wrong is said by who is asked for the file
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(exportEvery):
		}
	}
}

// exportLater begins an export in the background and says how to fetch it.
func (a *app) exportLater(ctx context.Context, c *client.Conn, typeName, out string,
	p client.ExportRecordsParams) error {
	if out != "" {
		return usageError{errors.New("--later writes no file: fetch it with uchi exports NUMBER -o FILE")}
	}
	r, err := c.StartExportWithResponse(ctx, c.Workspace, typeName, &client.StartExportParams{
		Format: client.StartExportParamsFormat(p.Format), Delimiter: client.StartExportParamsDelimiter(p.Delimiter),
		Encoding: client.StartExportParamsEncoding(p.Encoding),
		View:     p.View, Filter: p.Filter, Columns: p.Columns, Sort: p.Sort, Text: p.Text, Import: p.Import,
	})
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(r.JSON202)
	}
	fmt.Fprintf(a.out, "Export %d of %s is being written. Fetch it: uchi exports %d -o %s\n", r.JSON202.Id,
		plural(r.JSON202.Records, "record", "records"), r.JSON202.Id, r.JSON202.Name)
	return nil
}
