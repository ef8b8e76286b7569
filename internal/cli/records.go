package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/view"

	"github.com/spf13/cobra"
)

func (a *app) recordsCmd() *cobra.Command {
	var l look
	var p client.ListRecordsParams
	var note, save string
	var set []string
	cmd := &cobra.Command{
		Use: "records TYPE [ID]", GroupID: "look", Args: args(cobra.RangeArgs(1, 2)),
		Short: "List records of a type, or show one with its history",
		Example: "  uchi records contact --text nilsen\n  uchi records account --filter 'country == \"NO\"' --columns " +
			"name,owner,account.name --sort -changed_at\n  uchi records account --view \"Norwegian customers\"\n" +
			"  uchi records contact CON-1042\n  uchi records attachment ATT-3 --save layout.pdf\n  uchi records contact " +
			"CON-1042 --set job_title=Skipper --set phone= --note \"Moved in May\"",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			if len(list) == 2 {
				if save != "" {
					return a.saveFile(ctx, c, list[0], list[1], save)
				}
				if err := a.changeRecord(ctx, c, list[0], list[1], set, note); err != nil {
					return err
				}
				return a.showRecord(ctx, c, list[0], list[1])
			}
			v, err := a.viewOf(ctx, c, list[0], l.view)
			if err != nil {
				return err
			}
			p.View, p.Filter, p.Columns, p.Sort, p.Text, p.Import = v.Id, l.filter, l.columns, l.sort, l.text, l.madeBy
			if len(l.columns) == 0 {
				l.columns = v.View.Columns
			}
			return a.listRecords(ctx, c, list[0], p, l.columns)
		}),
	}
	l.flags(cmd)
	f := cmd.Flags()
	f.StringArrayVar(&set, "set", nil,
		"change a value of the one record: field=value, blank after the sign to blank it (repeatable)")
	f.StringVar(&note, "note", "", "note something about the one record")
	f.StringVar(&save, "save", "", "write the file that hangs on the one record into this file; - is standard output")
	f.StringVar(&p.Cursor, "cursor", "", "go on behind an earlier page")
	f.IntVar(&p.Limit, "limit", 30, "most records to list")
	return cmd
}

// changeRecord changes values of a record as it is now, and notes something.
func (a *app) changeRecord(ctx context.Context, c *client.Conn, typeName, id string, set []string, note string) error {
	if len(set) > 0 {
		r, err := c.GetRecordWithResponse(ctx, c.Workspace, typeName, id)
		if err != nil {
			return err
		}
		body := client.RecordChange{Values: map[string]string{}}
		for _, s := range set {
			field, value, ok := strings.Cut(s, "=")
			if !ok {
				return usageError{fmt.Errorf("%q is not a field, an equals sign and a value", s)}
			}
			body.Values[field] = value
		}
		if _, err := c.ChangeRecordWithResponse(ctx, c.Workspace, typeName, id,
			&client.ChangeRecordParams{IfMatch: client.MadeOn(r.JSON200.Version)}, body); err != nil {
			return err
		}
	}
	if note == "" {
		return nil
	}
	_, err := c.AddNoteWithResponse(ctx, c.Workspace, typeName, id, client.NewNote{Text: note})
	return err
}

// saveFile writes the file of a record into one here.
func (a *app) saveFile(ctx context.Context, c *client.Conn, typeName, id, path string) error {
	r, err := c.GetRecordWithResponse(ctx, c.Workspace, typeName, id)
	if err != nil {
		return err
	}
	if len(r.JSON200.Files) == 0 {
		return fault.New(fault.NotFound, "unknown_file",
			"no file hangs on the record itself").With(id).Mended("See its history for its attachments; each has the id of its own record.")
	}
	// A file may be large, so it is not held in memory as a parsed response would be.
	res, err := c.GetFile(ctx, c.Workspace, typeName, id, r.JSON200.Files[0].Field, &client.GetFileParams{})
	if err != nil {
		return err
	}
	if path == "-" {
		path = ""
	}
	return a.answerInto(path, res.Body)
}

// shownFields is how many fields the list of records shows beside the title.
const shownFields = 5

func (a *app) listRecords(ctx context.Context, c *client.Conn, typeName string, p client.ListRecordsParams,
	columns []string) error {
	kinds, err := c.ListTypesWithResponse(ctx, c.Workspace)
	if err != nil {
		return err
	}
	all := catalog.Catalog{Types: kinds.JSON200.Types}
	t, err := all.MustType(typeName)
	if err != nil {
		return err
	}
	r, err := c.ListRecordsWithResponse(ctx, c.Workspace, typeName, &p)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(r.JSON200)
	}
	header := []any{"Id", t.Label}
	if len(columns) == 0 {
		for _, f := range t.Offered().Fields {
			if !slices.Contains(t.Title, f.Name) && f.Type != catalog.LongText && f.Type != catalog.File &&
				len(columns) < shownFields {
				columns = append(columns, f.Name)
			}
		}
	} else { // who says which columns means those alone
		header = header[:1]
	}
	for _, name := range columns {
		path, err := view.Find(all, t, name)
		if err != nil {
			return err
		}
		header = append(header, path.Label())
	}
	tab := a.table(header...)
	for _, rec := range r.JSON200.Records {
		row := []any{rec.Id}
		if len(header) > len(columns)+1 {
			row = append(row, oneLine(rec.Title, 36))
		}
		for _, name := range columns {
			v := rec.Values[name]
			if l, ok := rec.Links[name]; ok {
				v = l.Title
			}
			row = append(row, oneLine(v, 26))
		}
		tab.AppendRow(row)
	}
	tab.Render()
	if r.JSON200.Next != "" {
		fmt.Fprintf(a.out, "… more; go on with --cursor %s\n", r.JSON200.Next)
	}
	ask := client.FilterAsk{View: p.View, Filter: p.Filter, Text: p.Text, Import: p.Import}
	if n, err := c.ReadFilterWithResponse(ctx, c.Workspace, typeName, ask); err == nil {
		fmt.Fprintln(a.out, plural(n.JSON200.Count, strings.ToLower(t.Label), strings.ToLower(t.Plural)))
	}
	return nil
}

func (a *app) showRecord(ctx context.Context, c *client.Conn, typeName, id string) error {
	t, err := a.recordType(ctx, c, typeName)
	if err != nil {
		return err
	}
	r, err := c.GetRecordWithResponse(ctx, c.Workspace, typeName, id)
	if err != nil {
		return err
	}
	h, err := c.GetHistoryWithResponse(ctx, c.Workspace, typeName, id)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(map[string]any{"record": r.JSON200, "events": h.JSON200.Events})
	}
	rec := r.JSON200
	fmt.Fprintf(a.out, "%s  %s\n\n", a.paint(bold, rec.Title), rec.Id)
	for _, f := range t.Fields {
		v := rec.Values[f.Name]
		if l, ok := rec.Links[f.Name]; ok {
			v = l.Title + "  " + a.paint(faint, l.Id)
		}
		if n := slices.IndexFunc(rec.Files, func(x client.AttachedFile) bool { return x.Field == f.Name }); n >= 0 {
			v = rec.Files[n].Name + "  " + a.paint(faint, rec.Files[n].Media+", "+size(rec.Files[n].Bytes))
		}
		if v != "" {
			fmt.Fprintf(a.out, "  %-24s %s\n", f.Label, strings.ReplaceAll(v, "\n", "\n"+strings.Repeat(" ", 27)))
		}
	}
	for _, ref := range rec.Referring {
		fmt.Fprintf(a.out, "\n%s: %s\n", ref.Label, number(ref.Count))
		for _, l := range ref.Records {
			fmt.Fprintf(a.out, "  %-10s %s\n", l.Id, l.Title)
		}
	}
	fmt.Fprintf(a.out, "\n%s\n", a.paint(bold, "History"))
	for _, e := range h.JSON200.Events {
		by := e.Person
		if e.Import > 0 {
			by += fmt.Sprintf(", import %d", e.Import)
		}
		kind := string(e.Kind)
		if e.Undo {
			kind += " (taken back)"
		}
		fmt.Fprintf(a.out, "  %s  %s by %s\n", e.At.Local().Format("2006-01-02 15:04"), kind, by)
		if e.File.Name != "" {
			fmt.Fprintf(a.out, "      %s  %s\n", e.Text, a.paint(faint, e.Record.Id+", "+e.File.Media+", "+size(e.File.Bytes)))
		} else if e.Text != "" {
			fmt.Fprintf(a.out, "      %s\n", strings.ReplaceAll(e.Text, "\n", "\n      "))
		}
		for _, ch := range e.Changes {
			fmt.Fprintf(a.out, "      %s: %s → %s\n", ch.Field, orBlank(ch.Before), orBlank(ch.After))
		}
	}
	return nil
}
