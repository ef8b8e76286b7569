package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/fault"
	"uchi/internal/core/verdict"

	"github.com/spf13/cobra"
)

func (a *app) mendCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "mend", GroupID: "load", Args: args(cobra.NoArgs),
		Short: "Put cells right where they stand: one, or all of a kind",
		Long: `Put cells right where they stand. The source stays as it is: what is changed is kept
as edits, and can be taken back. Rows that are touched, and those coupled with them,
are checked again at once.`,
		Example: `  uchi mend cell 12 14 "E-mail=ada@lanternquay.example"
  uchi mend replace 12 Country "Sth Korea" KR
  uchi mend replace 12 Phone "^00" + --pattern
  uchi mend above 12 Company --problem same_as_above
  uchi mend blank 12 E-mail --problem bad_email
  uchi mend leave-out 12 --problem bad_email
  uchi rows 12 --verdict hold --xlsx held.xlsx && uchi mend sheet 12 held.xlsx
  uchi mend back 12`,
	}
	cmd.AddCommand(a.mendCellCmd(), a.mendReplaceCmd(), a.mendAboveCmd(), a.mendBlankCmd(), a.mendLeaveOutCmd(),
		a.mendSheetCmd(), a.mendNearCmd(), a.mendListCmd(), a.mendBackCmd())
	return cmd
}

// mended says how many cells changed, and what the check says now.
func (a *app) mended(ctx context.Context, c *client.Conn, id, cells int64) error {
	i, err := c.Import(ctx, id)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(map[string]any{"cells": cells, "import": i})
	}
	fmt.Fprintf(a.out, "%s changed.\n", plural(cells, "cell", "cells"))
	if i.Totals.Verdicts != nil {
		fmt.Fprintf(a.out, "The check says now: %s\n", verdictWords(i.Totals.Verdicts))
	}
	return nil
}

func (a *app) mendCellCmd() *cobra.Command {
	return &cobra.Command{
		Use: "cell NUMBER ROW COLUMN=VALUE...", Args: args(cobra.MinimumNArgs(3)),
		Short: "Change cells of a row, by their columns' headers",
		Example: "  uchi mend cell 12 14 \"E-mail=ada@lanternquay.example\" Town=Bergen\n" +
			"  uchi mend cell 12 14 E-mail=        blank it",
		RunE: func(cmd *cobra.Command, list []string) error {
			ctx := cmd.Context()
			row, err := rowNumber(list[1])
			if err != nil {
				return err
			}
			var body client.CellEdits
			for _, s := range list[2:] {
				column, value, ok := strings.Cut(s, "=")
				if !ok {
					return usageError{fmt.Errorf("%q is not a column, an equals sign and a value", s)}
				}
				body.Cells = append(body.Cells, client.CellEdit{Row: row, Column: column, Value: value})
			}
			c, i, err := a.withImport(ctx, list[0])
			if err != nil {
				return err
			}
			r, err := c.EditWithResponse(ctx, c.Workspace, i.Id, body)
			if err != nil {
				return err
			}
			if !a.asJSON {
				rows, err := c.ListRowsWithResponse(ctx, c.Workspace, i.Id,
					&client.ListRowsParams{Cursor: strconv.FormatInt(row-1, 36), Limit: 1})
				if err != nil {
					return err
				}
				a.printRows(rows.JSON200.Rows)
			}
			return a.mended(ctx, c, i.Id, r.JSON200.Count)
		},
	}
}

// where are the flags that choose the rows of a mend.
type where struct{ verdict, problem, field string }

func (w *where) add(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&w.verdict, "verdict", "", "only in rows with this verdict")
	f.StringVar(&w.problem, "problem", "", "only in rows with this problem's code")
	f.StringVar(&w.field, "field", "", "only in rows with a problem at this field")
}

// replace asks for a replacement, after it has been shown, and makes it.
func (a *app) replace(ctx context.Context, importNo string, body client.Replacement, yes bool) error {
	c, i, err := a.withImport(ctx, importNo)
	if err != nil {
		return err
	}
	if !yes {
		body.Preview = true
		r, err := c.ReplaceWithResponse(ctx, c.Workspace, i.Id, body)
		if err != nil {
			return err
		}
		if a.asJSON {
			return a.printJSON(r.JSON200)
		}
		if r.JSON200.Count == 0 {
			fmt.Fprintln(a.out, "No cell says so.")
			return nil
		}
		tab := a.table("Rows", "Says", "Would say")
		for _, v := range r.JSON200.Values {
			tab.AppendRow([]any{number(v.Count), oneLine(v.Was, 40), orBlank(v.Value)})
		}
		tab.Render()
		if r.JSON200.More {
			fmt.Fprintln(a.out, "… the most frequent; there are more")
		}
		if ok, err := a.confirm("Change " + plural(r.JSON200.Count, "cell", "cells") + "?"); err != nil || !ok {
			return orDeclined(err)
		}
		body.Preview = false
	}
	r, err := c.ReplaceWithResponse(ctx, c.Workspace, i.Id, body)
	if err != nil {
		return err
	}
	return a.mended(ctx, c, i.Id, r.JSON200.Count)
}

func (a *app) mendReplaceCmd() *cobra.Command {
	var w where
	var part, pattern, yes bool
	cmd := &cobra.Command{
		Use: "replace NUMBER COLUMN FIND REPLACEMENT", Args: args(cobra.ExactArgs(4)),
		Short: "Find and replace in a column: whole cells, parts, or what fits a pattern (RE2)",
		Example: "  uchi mend replace 12 Country \"Sth Korea\" KR\n  uchi mend replace 12 Phone \"^00\" + --pattern\n" +
			"  uchi mend replace 12 Name \"(\\\\w+), (\\\\w+)\" '$2 $1' --pattern --yes",
		RunE: func(cmd *cobra.Command, list []string) error {
			how := client.ReplacementHow("whole")
			switch {
			case part && pattern:
				return usageError{fmt.Errorf("choose one of --part and --pattern")}
			case part:
				how = "part"
			case pattern:
				how = "pattern"
			}
			return a.replace(cmd.Context(), list[0], client.Replacement{Column: list[1], How: how, Find: list[2],
				Replace: list[3],
				Verdict: verdict.Verdict(w.verdict), Problem: w.problem, Field: w.field}, yes)
		},
	}
	w.add(cmd)
	cmd.Flags().BoolVar(&part, "part", false, "also where the text is a part of the cell")
	cmd.Flags().BoolVar(&pattern, "pattern", false, "find what fits a pattern; $1 in the replacement is its first group")
	cmd.Flags().BoolVarP(&yes, "yes", "y", false, "change without asking")
	return cmd
}

func (a *app) mendAboveCmd() *cobra.Command {
	var w where
	var says string
	var yes bool
	cmd := &cobra.Command{
		Use: "above NUMBER COLUMN", Args: args(cobra.ExactArgs(2)),
		Short: "Let cells of a column say what stands above them: blank ones, or those that say so",
		Long: `Lets cells of a column take what the next cell above says that is none of them and not blank. These are the blank
ones, as in sheets in which a value stands in the first row of those that it is for; those that say a text (--says "s. o."); or, with
--problem, --field or --verdict, those of the rows that are so.`,
		Example: "  uchi mend above 12 Company\n  uchi mend above 12 Company --problem same_as_above\n" +
			"  uchi mend above 12 Town --says \"s. o.\"",
		RunE: func(cmd *cobra.Command, list []string) error {
			return a.replace(cmd.Context(), list[0], client.Replacement{Column: list[1], How: "above", Find: says,
				Verdict: verdict.Verdict(w.verdict), Problem: w.problem, Field: w.field}, yes)
		},
	}
	w.add(cmd)
	cmd.Flags().StringVar(&says, "says", "", "cells that say this")
	cmd.Flags().BoolVarP(&yes, "yes", "y", false, "change without asking")
	return cmd
}

func (a *app) mendBlankCmd() *cobra.Command {
	var w where
	var says string
	var yes bool
	cmd := &cobra.Command{
		Use: "blank NUMBER COLUMN", Args: args(cobra.ExactArgs(2)),
		Short:   "Blank the cells of a column that say something, or are wrong",
		Example: "  uchi mend blank 12 E-mail --problem bad_email\n  uchi mend blank 12 Town --says \"not known\"",
		RunE: func(cmd *cobra.Command, list []string) error {
			if says == "" && w == (where{}) {
				return usageError{fmt.Errorf("say which cells: --says, --problem, --field or --verdict")}
			}
			body := client.Replacement{Column: list[1], How: "any", Verdict: verdict.Verdict(w.verdict), Problem: w.problem,
				Field: w.field}
			if says != "" {
				body.How, body.Find = "whole", says
			}
			return a.replace(cmd.Context(), list[0], body, yes)
		},
	}
	w.add(cmd)
	cmd.Flags().StringVar(&says, "says", "", "only cells that say this")
	cmd.Flags().BoolVarP(&yes, "yes", "y", false, "change without asking")
	return cmd
}

func (a *app) mendLeaveOutCmd() *cobra.Command {
	var w where
	var says string
	cmd := &cobra.Command{
		Use: "leave-out NUMBER", Args: args(cobra.ExactArgs(1)),
		Short:   "Leave the rows out that have a problem",
		Example: "  uchi mend leave-out 12 --problem bad_email\n  uchi mend leave-out 12 --field country --says Atlantis",
		RunE: func(cmd *cobra.Command, list []string) error {
			if w.verdict == "" {
				w.verdict = string(verdict.Hold)
			}
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			r, err := c.AnswerManyWithResponse(cmd.Context(), c.Workspace, i.Id,
				client.ManyAnswers{Choice: verdict.ChooseLeaveOut, Verdict: verdict.Verdict(w.verdict), Problem: w.problem,
					Field: w.field, Value: says})
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			fmt.Fprintf(a.out, "%s left out. Check again: uchi check %d\n", plural(r.JSON200.Count, "row is", "rows are"), i.Id)
			return nil
		},
	}
	w.add(cmd)
	cmd.Flags().StringVar(&says, "says", "", "only rows whose wrong cell says this")
	return cmd
}

func (a *app) mendSheetCmd() *cobra.Command {
	return &cobra.Command{
		Use: "sheet NUMBER FILE", Args: args(cobra.ExactArgs(2)),
		Short:   "Bring back a sheet of rows that was downloaded and mended",
		Example: "  uchi rows 12 --verdict hold --xlsx held.xlsx\n  uchi mend sheet 12 held.xlsx",
		RunE: func(cmd *cobra.Command, list []string) error {
			ctx := cmd.Context()
			c, i, err := a.withImport(ctx, list[0])
			if err != nil {
				return err
			}
			f, err := os.Open(list[1])
			if err != nil {
				return usageError{err}
			}
			defer f.Close()
			r, err := c.BringBackWithBodyWithResponse(ctx, c.Workspace, i.Id,
				&client.BringBackParams{Name: filepath.Base(list[1])}, "application/octet-stream", f)
			if err != nil {
				return err
			}
			x := r.JSON200
			if a.asJSON {
				return a.printJSON(x)
			}
			fmt.Fprintf(a.out, "%s of the import in the sheet.\n", plural(x.Rows, "row", "rows"))
			if len(x.Columns) > 0 {
				fmt.Fprintf(a.out, "Not taken over, since the import has no such columns: %s\n", strings.Join(x.Columns, ", "))
			}
			for _, l := range x.Left {
				fmt.Fprintf(a.out, "  row %d of the sheet: %s\n", l.Row, l.Why)
			}
			if more := x.LeftCount - int64(len(x.Left)); more > 0 {
				fmt.Fprintf(a.out, "  … and %s more\n", number(more))
			}
			return a.mended(ctx, c, i.Id, x.Cells)
		},
	}
}

func (a *app) mendNearCmd() *cobra.Command {
	return &cobra.Command{
		Use: "near NUMBER FIELD TEXT", Args: args(cobra.ExactArgs(3)),
		Short:   "Say what a cell that cannot be read may have meant",
		Example: "  uchi mend near 12 account Anchorbay\n  uchi mend near 12 account.country \"Sth Korea\"",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			draft, field, ok := strings.Cut(list[1], ".")
			if !ok {
				draft, field = "", list[1]
			}
			r, err := c.NearWithResponse(cmd.Context(), c.Workspace, i.Id, &client.NearParams{Draft: draft, Field: field,
				Text: list[2]})
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			if len(r.JSON200.Near) == 0 {
				fmt.Fprintln(a.out, "Nothing is near it.")
			}
			for _, n := range r.JSON200.Near {
				fmt.Fprintf(a.out, "  %-12s %s\n", n.Text, n.Label)
			}
			return nil
		},
	}
}

func (a *app) mendListCmd() *cobra.Command {
	var p client.ListEditsParams
	cmd := &cobra.Command{
		Use: "list NUMBER", Args: args(cobra.ExactArgs(1)),
		Short: "List the cells that were changed, by whom and when",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			r, err := c.ListEditsWithResponse(cmd.Context(), c.Workspace, i.Id, &p)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("Row", "Column", "Source says", "Changed to", "By", "When")
			for _, e := range r.JSON200.Edits {
				tab.AppendRow([]any{e.Row, e.Column, orBlank(e.Was), orBlank(e.Value), e.Person,
					e.At.Local().Format("2006-01-02 15:04")})
			}
			tab.Render()
			if r.JSON200.Next != "" {
				fmt.Fprintf(a.out, "… %s in all; go on with --cursor %s\n", number(r.JSON200.Count), r.JSON200.Next)
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&p.Cursor, "cursor", "", "go on behind an earlier page")
	cmd.Flags().IntVar(&p.Limit, "limit", 50, "most rows to list")
	return cmd
}

func (a *app) mendBackCmd() *cobra.Command {
	var p client.TakeEditsBackParams
	cmd := &cobra.Command{
		Use: "back NUMBER [ROW...]", Args: args(cobra.MinimumNArgs(1)),
		Short:   "Take edits back: of some rows, of a column, or all",
		Example: "  uchi mend back 12 14\n  uchi mend back 12 --column Country\n  uchi mend back 12",
		RunE: func(cmd *cobra.Command, list []string) error {
			for _, s := range list[1:] {
				n, err := rowNumber(s)
				if err != nil {
					return err
				}
				p.Row = append(p.Row, n)
			}
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			r, err := c.TakeEditsBackWithResponse(cmd.Context(), c.Workspace, i.Id, &p)
			if err != nil {
				return err
			}
			return a.mended(cmd.Context(), c, i.Id, r.JSON200.Count)
		},
	}
	cmd.Flags().StringVar(&p.Column, "column", "", "only of this column")
	return cmd
}

// intoFile writes an answer into a file that must not be there yet; half of one is no file, also where the command is
// killed: until all is there it stands under a name of its own beside.
func intoFile(name string, from io.Reader) error {
	exists := fault.New(fault.Invalid, "file_exists", "a file of this name is there already").With(name).
		Mended("Give another name, or move that file away.")
	if _, err := os.Lstat(name); err == nil {
		return exists
	}
	part := fmt.Sprintf("%s.part-%d", name, os.Getpid())
	f, err := os.OpenFile(part, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return fault.New(fault.Invalid, "not_written", "the file cannot be written: "+err.Error()).With(name).
			Mended("Give the name of a file in a folder that is there and that you may write in.")
	}
	defer os.Remove(part) //nolint:errcheck // it has its name by now, or is half of a file
	_, err = io.Copy(f, from)
	if err = errors.Join(err, f.Close()); err != nil {
		return err
	}
	if err = os.Link(part, name); errors.Is(err, fs.ErrExist) {
		return exists // somebody was faster
	}
	if err != nil { // there are file systems that give a file one name only
		return os.Rename(part, name)
	}
	return nil
}
