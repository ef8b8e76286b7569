package cli

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/verdict"

	"github.com/spf13/cobra"
)

func (a *app) rowsCmd() *cobra.Command {
	var p client.ListRowsParams
	var v, o string
	var csv, overwrites, gone bool
	var book string
	var row int64
	cmd := &cobra.Command{
		Use: "rows NUMBER", GroupID: "look", Args: args(cobra.ExactArgs(1)),
		Short: "Show rows of an import with verdicts, problems and outcomes",
		Example: "  uchi rows 12 --verdict hold\n  uchi rows 12 --problem bad_email --limit 200\n" +
			"  uchi rows 12 --sort=-Amount --limit 10              the largest first\n  uchi rows 12 --outcome held --csv > " +
			"held.csv\n  uchi rows 12 --verdict hold --xlsx held.xlsx      to be mended and brought back",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			if row > 0 {
				return a.showRow(cmd.Context(), c, i.Id, row)
			}
			p.Verdict, p.Outcome = verdict.Verdict(v), verdict.Outcome(o)
			if book != "" {
				r, err := c.DownloadWorkbook(cmd.Context(), c.Workspace, i.Id, &client.DownloadWorkbookParams{Verdict: p.Verdict,
					Outcome: p.Outcome, Problem: p.Problem, Field: p.Field, Text: p.Text, Column: p.Column})
				if err != nil {
					return err
				}
				return a.answerInto(book, r.Body)
			}
			if gone {
				return a.listGone(cmd.Context(), c, i.Id, p)
			}
			if overwrites {
				r, err := c.DownloadOverwrites(cmd.Context(), c.Workspace, i.Id)
				if err != nil {
					return err
				}
				return a.answerInto("", r.Body)
			}
			if csv {
				return a.rowsAsCSV(cmd.Context(), c, i.Id, p)
			}
			r, err := c.ListRowsWithResponse(cmd.Context(), c.Workspace, i.Id, &p)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			a.printRows(r.JSON200.Rows, columnsBy(i, p.Sort)...)
			if r.JSON200.Next != "" {
				fmt.Fprintf(a.out, "… more; go on with --cursor %s\n", r.JSON200.Next)
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&v, "verdict", "", "only rows with this verdict: create, update, delete, same, skip, ask, hold")
	f.StringVar(&o, "outcome", "",
		"only rows with this outcome: created, updated, deleted, unchanged, skipped, held, failed, undone")
	f.StringVar(&p.Problem, "problem", "", "only rows with this problem's code")
	f.StringVar(&p.Field, "field", "", "only rows with a problem at this field")
	f.StringVar(&p.Text, "text", "", "only rows with this text in a cell")
	f.StringVar(&p.Column, "column", "", "with --text: only in this column")
	f.StringVar(&p.Sort, "sort", "", "order by this column; a hyphen before it puts the last first, as in --sort=-Amount")
	f.StringVar(&p.Cursor, "cursor", "", "go on behind an earlier page")
	f.IntVar(&p.Limit, "limit", 30, "most rows to show")
	f.Int64Var(&row, "row", 0, "show this row alone, as the records that it becomes, with what each value comes from")
	f.StringVar(&book, "xlsx", "", "write all of them as a workbook into this file, with notes at what is wrong")
	f.BoolVar(&overwrites, "overwrites", false, "print as CSV every value that the load would replace")
	f.BoolVar(&gone, "gone", false,
		"list instead the children, such as lines of a deal, that are not in the file any more")
	f.BoolVar(&csv, "csv", false, "print all of them as CSV, with what is wrong")
	return cmd
}

// showRow shows one row as the records that it becomes.
func (a *app) showRow(ctx context.Context, c *client.Conn, id, row int64) error {
	r, err := c.GetRowWithResponse(ctx, c.Workspace, id, row)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(r.JSON200)
	}
	for n, d := range r.JSON200.Drafts {
		if n > 0 {
			fmt.Fprintln(a.out)
		}
		word := string(d.Verdict)
		if d.Outcome != "" {
			word = string(d.Outcome)
		}
		head := d.Type
		if word == "" {
			head += ", not checked yet"
		}
		if d.Record.Id != "" {
			head += fmt.Sprintf(", %s %s", d.Record.Id, d.Record.Title)
		}
		if d.Percent > 0 {
			head += fmt.Sprintf(", found by likeness, %.1f %%", d.Percent)
		}
		fmt.Fprintf(a.out, "Row %d: %s %s\n", row, a.word(word), head)
		if d.Reason != "" {
			fmt.Fprintf(a.out, "  %s\n", d.Reason)
		}
		if n == 0 {
			a.showProblems(r.JSON200.Row)
		}
		columns := []any{"Field", "There", "Becomes", "Why"}
		if d.Record.Id == "" {
			columns = slices.Delete(columns, 1, 2)
		}
		tab := a.table(columns...)
		for _, v := range d.Values {
			after := v.After
			if v.Link.Id != "" {
				after = v.Link.Title + " (" + v.Link.Id + ")"
			}
			why := v.Why
			if v.Problem.Message != "" { // what would mend it is told above
				why = v.Problem.Message
			}
			row := []any{v.Label, oneLine(v.Before, 40), oneLine(after, 60), why}
			if d.Record.Id == "" {
				row = slices.Delete(row, 1, 2)
			}
			tab.AppendRow(row)
		}
		tab.Render()
	}
	return nil
}

// showProblems says what is wrong with a row and what would mend it, and what is asked about it.
func (a *app) showProblems(r client.Row) {
	for _, p := range eachOnce(r.Problems) {
		where := orColumn(p)
		if where != "" {
			where += ": "
		}
		fmt.Fprintf(a.out, "  %s%s\n", where, saysOf(p, true))
	}
	if r.Question != "" {
		fmt.Fprintf(a.out, "  asked: %s; see uchi questions\n", r.Question.Says())
	}
}

// eachOnce gives the problems of a row without those that say the same of the same cell, for another of its records.
func eachOnce(problems []client.RowProblem) (list []client.RowProblem) {
	type said struct{ where, what, value string }
	seen := map[said]bool{}
	for _, p := range problems {
		if s := (said{orColumn(p), p.Message, p.Value}); p.Column == "" || !seen[s] {
			seen[s] = true
			list = append(list, p)
		}
	}
	return list
}

// saysOf gives what is wrong, with the value that is, and what would mend it where that is to be told.
func saysOf(p client.RowProblem, mend bool) string {
	what := p.Message + "."
	if mend {
		what += " " + p.Mend
	}
	if p.Value != "" {
		what = fmt.Sprintf("%q: %s", oneLine(p.Value, 24), what)
	}
	return what
}

func (a *app) rowsAsCSV(ctx context.Context, c *client.Conn, id int64, p client.ListRowsParams) error {
	r, err := c.DownloadRows(ctx, c.Workspace, id, &client.DownloadRowsParams{Verdict: p.Verdict, Outcome: p.Outcome,
		Problem: p.Problem, Field: p.Field, Text: p.Text, Column: p.Column})
	if err != nil {
		return err
	}
	return a.answerInto("", r.Body)
}

// answerInto writes what the service sends into a file, or prints it when none is named.
func (a *app) answerInto(file string, body io.ReadCloser) error {
	defer body.Close()
	if file != "" {
		if err := intoFile(file, body); err != nil || a.asJSON {
			return err
		}
		fmt.Fprintln(a.out, "Written to "+file+".")
		return nil
	}
	_, err := io.Copy(a.out, body)
	return err
}

// columnsBy gives the column that rows are ordered by, if any.
func columnsBy(i client.Import, sort string) (list []client.Column) {
	for _, c := range i.Columns {
		if sort != "" && (c.Header == sort || "-"+c.Header == sort) {
			list = append(list, c)
		}
	}
	return list
}

// printRows shows rows with what would happen to them and why, a line each
// problem or change, and their cells in the columns that are given.
func (a *app) printRows(rows []client.Row, columns ...client.Column) {
	head := []any{"Row", "Verdict", "Record"}
	for _, c := range columns {
		head = append(head, c.Header)
	}
	tab := a.table(append(head, "Field", "What")...)
	told := map[string]bool{} // what would mend a problem is said at the first row that has it
	for _, r := range rows {
		word := string(r.Verdict)
		if r.Outcome != "" {
			word = string(r.Outcome)
		}
		row := []any{r.Row, a.word(word), recordsOf(r)}
		for _, c := range columns {
			text := ""
			if c.Position < len(r.Cells) {
				text = r.Cells[c.Position]
			}
			row = append(row, oneLine(text, 30))
		}
		n := 0
		add := func(field, what string) {
			if n > 0 {
				row = slices.Repeat([]any{""}, len(head))
			}
			n++
			tab.AppendRow(append(slices.Clone(row), field, strings.Join(strings.Fields(what), " ")))
		}
		for _, p := range eachOnce(r.Problems) {
			add(orColumn(p), saysOf(p, !told[p.Mend]))
			told[p.Mend] = true
		}
		for _, ch := range r.Changes {
			if n > 0 && len(r.Problems) > 0 {
				break // a row that is held changes nothing
			}
			add(ch.Field, fmt.Sprintf("%s → %s", orBlank(ch.Before), orBlank(ch.After)))
		}
		if r.Question != "" {
			add("", fmt.Sprintf("asked: %s; see uchi questions", r.Question.Says()))
		}
		if r.Reason != "" {
			add("", r.Reason)
		}
		for _, d := range r.Drafts {
			if d.Reason != "" && d.OtherRow > 0 && d.Reason != r.Reason {
				add(d.Draft, d.Reason)
			}
		}
		if n == 0 {
			add("", strings.Join(filled(r.Cells, 5), " · "))
		}
	}
	tab.Render()
}

// recordsOf names the record of a row, or those of its drafts.
func recordsOf(r client.Row) string {
	var ids []string
	for _, d := range r.Drafts {
		if d.Record != "" {
			ids = append(ids, d.Record)
		}
	}
	return strings.Join(ids, " ")
}

func orColumn(p client.RowProblem) string {
	if p.Column != "" {
		return p.Column
	}
	return p.Field
}

func orBlank(s string) string {
	if s == "" {
		return "(blank)"
	}
	return oneLine(s, 40)
}

func filled(cells []string, most int) []string {
	var out []string
	for _, c := range cells {
		if c = strings.TrimSpace(c); c != "" && len(out) < most {
			out = append(out, c)
		}
	}
	return out
}

// listGone lists the children that are gone from the source of an import.
func (a *app) listGone(ctx context.Context, c *client.Conn, id int64, p client.ListRowsParams) error {
	r, err := c.ListGoneWithResponse(ctx, c.Workspace, id, &client.ListGoneParams{Cursor: p.Cursor, Limit: p.Limit})
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(r.JSON200)
	}
	tab := a.table("Record", "Title", "Of", "")
	for _, x := range r.JSON200.Records {
		note := ""
		if x.Unsure {
			note = "not sure: a row that is not settled may mean it"
		}
		tab.AppendRow([]any{x.Record, x.Title, x.Of, note})
	}
	tab.Render()
	if r.JSON200.Next != "" {
		fmt.Fprintf(a.out, "… more; go on with --cursor %s\n", r.JSON200.Next)
	}
	return nil
}
