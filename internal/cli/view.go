package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/fault"
	"uchi/internal/core/view"

	"github.com/spf13/cobra"
)

// look are the flags that choose records and what is shown of them.
type look struct {
	view    string
	filter  string
	columns []string
	sort    []string
	text    string
	madeBy  int64
}

func (l *look) flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&l.view, "view", "",
		"those of this record view, by its name or number; the other flags narrow it or show it otherwise")
	f.StringVar(&l.filter, "filter", "",
		`only records for which this CEL condition holds, such as 'country == "NO" && filled(email)'`)
	f.StringSliceVar(&l.columns, "columns", nil,
		"names of fields in their order, a comma between, such as name,owner,account.locality")
	f.StringSliceVar(&l.sort, "sort", nil,
		"names of fields to sort by, a comma between, a hyphen before those that go down")
	f.StringVar(&l.text, "text", "", "words in the title, an id, or an exact key or e-mail")
	f.Int64Var(&l.madeBy, "import", 0, "only those that this import made")
}

// views lists the views of a type that the person sees.
func (a *app) views(ctx context.Context, c *client.Conn, typeName string) ([]client.SavedView, error) {
	r, err := c.ListViewsWithResponse(ctx, c.Workspace, &client.ListViewsParams{Type: typeName})
	if err != nil {
		return nil, err
	}
	return r.JSON200.Views, nil
}

// viewOf finds a view by its name or number; one's own goes before that of another.
func (a *app) viewOf(ctx context.Context, c *client.Conn, typeName, name string) (v client.SavedView, err error) {
	if name == "" {
		return v, nil
	}
	list, err := a.views(ctx, c, typeName)
	if err != nil {
		return v, err
	}
	for _, x := range list {
		if strconv.FormatInt(x.Id, 10) == name || strings.EqualFold(x.Name, name) && (v.Id == 0 || x.Mine) {
			v = x
		}
	}
	if v.Id == 0 {
		return v, fault.New(fault.NotFound, "unknown_view", "there is no such view of "+
			typeName).With(name).Mended("See uchi views " + typeName + ".")
	}
	return v, nil
}

func (a *app) viewsCmd() *cobra.Command {
	var l look
	var save, remove string
	var shared bool
	cmd := &cobra.Command{
		Use: "views [TYPE]", GroupID: "look", Args: args(cobra.MaximumNArgs(1)),
		Short: "List record views, save one or forget one",
		Long: `A record view is a filter, columns and an order over the records of a type, kept under a name: for yourself,
or shared with everybody. uchi records and uchi export take one with --view.

A filter is a condition in CEL over the fields of the record; a dot leads to the record that a reference
points to. Texts stand in quotes, choices and countries are compared by their codes:

  country == "NO" && name.lower().contains("nord")
  account.status in ["customer", "partner"] || !filled(account)
  close_date < today(30) && amount >= 10000
  "trade_fair" in interests && changed_at >= "2026-01-01"

A blank is neither smaller nor larger nor equal to anything; filled(field) tells whether there is a value.
Beside its fields a record has id, title, version, made_by, created_at and changed_at.`,
		Example: "  uchi views account\n  uchi views account --save \"Norwegian customers\" --filter 'country == \"NO\"' " +
			"--columns name,owner,status --sort -changed_at --shared\n  uchi records account --view \"Norwegian customers\"\n" +
			"  uchi views account --remove \"Norwegian customers\"",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			typeName := ""
			if len(list) == 1 {
				typeName = list[0]
			} else if save != "" || remove != "" {
				return usageError{fmt.Errorf("say of which record type the view is")}
			}
			switch {
			case save != "":
				if err := a.saveView(ctx, c, typeName, save, l, shared); err != nil {
					return err
				}
			case remove != "":
				v, err := a.viewOf(ctx, c, typeName, remove)
				if err != nil {
					return err
				}
				if _, err := c.RemoveViewWithResponse(ctx, c.Workspace, v.Id); err != nil {
					return err
				}
			}
			return a.listViews(ctx, c, typeName)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&save, "save", "", "save a view under this name, or change the one that is there")
	f.StringVar(&remove, "remove", "", "forget the view of this name; no record is touched")
	f.StringVar(&l.filter, "filter", "", "of the view that is saved, in CEL")
	f.StringSliceVar(&l.columns, "columns", nil, "of the view that is saved: names of fields, a comma between")
	f.StringSliceVar(&l.sort, "sort", nil,
		"of the view that is saved: names of fields, a hyphen before those that go down")
	f.BoolVar(&shared, "shared", false, "everybody sees the view that is saved")
	return cmd
}

func (a *app) saveView(ctx context.Context, c *client.Conn, typeName, name string, l look, shared bool) error {
	body := client.ViewChange{Type: typeName, Name: name, Shared: shared,
		View: view.View{Filter: l.filter, Columns: l.columns, Sort: l.sort}}
	was, err := a.viewOf(ctx, c, typeName, name)
	switch {
	case fault.Is(err, "unknown_view") || err == nil && !was.Mine:
		_, err = c.AddViewWithResponse(ctx, c.Workspace, body)
	case err == nil:
		_, err = c.ChangeViewWithResponse(ctx, c.Workspace, was.Id,
			&client.ChangeViewParams{IfMatch: client.MadeOn(was.Version)}, body)
	}
	return err
}

func (a *app) listViews(ctx context.Context, c *client.Conn, typeName string) error {
	list, err := a.views(ctx, c, typeName)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.out, "No views are saved. See uchi views --help for how to save one.")
		return nil
	}
	tab := a.table("No.", "Type", "View", "Filter", "Sorted by", "Seen by")
	for _, v := range list {
		seen := "you"
		if v.Shared {
			seen = "all, " + v.Owner + "'s"
		}
		tab.AppendRow([]any{v.Id, v.Type, oneLine(v.Name, 30), oneLine(v.View.Filter, 48),
			oneLine(strings.Join(v.View.Sort, ", "), 24), seen})
	}
	tab.Render()
	for _, v := range list {
		if v.Trouble != "" {
			fmt.Fprintf(a.out, "%s cannot be shown: %s\n", v.Name, v.Trouble)
		}
	}
	return nil
}
