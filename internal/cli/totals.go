package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/verdict"
)

func (a *app) showCheck(ctx context.Context, c *client.Conn, i client.Import) {
	fmt.Fprintln(a.out)
	a.showTotals(i.Totals)
	if asked := i.Totals.Verdicts[string(verdict.Ask)]; asked > 0 {
		fmt.Fprintf(a.out, "\nAnswer %s: uchi questions %d\n", plural(asked, "question", "questions"), i.Id)
	}
	if len(i.Totals.Problems) == 0 {
		return
	}
	fmt.Fprintln(a.out)
	tab := a.table("Problem", "Field", "Rows", "")
	for _, p := range i.Totals.Problems {
		tab.AppendRow([]any{p.Code, p.Field, number(p.Count), oneLine(p.Message, max(30, a.width()-50))})
	}
	tab.Render()
	r, err := c.ListRowsWithResponse(ctx, c.Workspace, i.Id, &client.ListRowsParams{Verdict: verdict.Hold,
		Limit: shownProblems})
	if err != nil || r.JSON200 == nil || len(r.JSON200.Rows) == 0 {
		return
	}
	fmt.Fprintln(a.out)
	a.printRows(r.JSON200.Rows)
	if held := i.Totals.Verdicts[string(verdict.Hold)]; held > shownProblems {
		fmt.Fprintf(a.out, "… %s more; see: uchi rows %d --verdict hold\n", number(held-shownProblems), i.Id)
	}
}

// showTotals shows how many rows there are of each verdict, what would change,
// and what is asked and why rows are left out.
func (a *app) showTotals(t client.Totals) {
	tab := a.table("Verdict", "Rows")
	for _, v := range verdict.All {
		if n := t.Verdicts[string(v)]; n > 0 {
			tab.AppendRow([]any{a.word(string(v)), number(n)})
		}
	}
	tab.Render()
	if len(t.Drafts) > 1 {
		a.showDraftTotals(t.Drafts, t.Partly)
	}
	for _, x := range t.Asked {
		fmt.Fprintf(a.out, "asked, %s: %s\n", x.Message, number(x.Count))
	}
	for _, x := range t.Reasons {
		fmt.Fprintf(a.out, "left out, %s: %s\n", x.Message, number(x.Count))
	}
	for _, d := range t.Drafts {
		a.showGone(d)
	}
	for _, x := range t.Referred {
		fmt.Fprintf(a.out, "%s: %s point by %s to records that the rows name\n", a.paint(amber, "note"),
			plural(x.Count, x.Type, x.Type+" records"), x.Field)
	}
	if len(t.Changes) > 0 {
		var parts []string
		for _, ch := range t.Changes {
			s := fmt.Sprintf("%s %s", ch.Field, number(ch.Count))
			if ch.Over > 0 {
				s += fmt.Sprintf(" (%s replace a value)", number(ch.Over))
			}
			parts = append(parts, s)
		}
		fmt.Fprintf(a.out, "\nValues that would change: %s\n", strings.Join(parts, ", "))
	}
}

// showGone tells of children that are gone from the source.
func (a *app) showGone(d client.DraftCount) {
	if d.Gone == nil {
		return
	}
	many := func(n int64) string { return plural(n, d.Type, d.Type+" records") }
	does := "what is gone stays (--draft " + d.Name + " --gone remove deletes it)"
	if d.Gone.Remove {
		does = a.paint(amber, "what is gone is deleted when all rows are loaded")
	}
	if d.Gone.Records > 0 {
		fmt.Fprintf(a.out, "gone from the file, of %s that it speaks of: %s; %s\n", plural(d.Gone.Of, "record", "records"),
			many(d.Gone.Records), does)
	}
	if d.Gone.Unsure > 0 {
		fmt.Fprintf(a.out, "perhaps gone from the file, perhaps meant by rows that are not settled: %s, which stay\n",
			many(d.Gone.Unsure))
	}
}

// showDraftTotals shows the verdicts of each of the records that rows become, and of how many rows
// that are held others are written.
func (a *app) showDraftTotals(drafts []client.DraftCount, partly int64) {
	header := []any{"Record"}
	var shown []verdict.Verdict
	for _, v := range verdict.All {
		if slices.ContainsFunc(drafts, func(d client.DraftCount) bool { return d.Verdicts[string(v)] > 0 }) {
			shown = append(shown, v)
			header = append(header, string(v))
		}
	}
	fmt.Fprintln(a.out)
	tab := a.table(header...)
	for _, d := range drafts {
		line := []any{d.Name}
		for _, v := range shown {
			line = append(line, number(d.Verdicts[string(v)]))
		}
		tab.AppendRow(line)
	}
	tab.Render()
	if partly > 0 {
		fmt.Fprintf(a.out, "of rows that are held back, other records are written: %s\n", plural(partly, "row", "rows"))
	}
}

// written counts by verdict what a load would write, records where rows make
// several.
func written(t client.Totals) map[string]int64 {
	sum := map[string]int64{}
	for _, d := range t.Drafts {
		for v, n := range d.Verdicts {
			sum[v] += n
		}
		sum[string(verdict.Delete)] += d.Removes()
	}
	return sum
}

func loadQuestion(i client.Import) string {
	q := loadWords(written(i.Totals))
	if n := i.Totals.Verdicts[string(verdict.Hold)] + i.Totals.Verdicts[string(verdict.Ask)]; n > 0 {
		q += fmt.Sprintf(" (%s held back%s)", plural(n, "row", "rows"), partlyWords(i.Totals.Partly))
	}
	return q + "?"
}

// partlyWords says of how many of the rows that are held other records are written.
func partlyWords(n int64) string {
	if n == 0 {
		return ""
	}
	return ", of " + number(n) + " of them other records are written"
}

// loadWords says what a load would do, from the counts of verdicts.
func loadWords(sum map[string]int64) string {
	var parts []string
	if n := sum[string(verdict.Create)]; n > 0 {
		parts = append(parts, "create "+number(n))
	}
	if n := sum[string(verdict.Update)]; n > 0 {
		parts = append(parts, "update "+number(n))
	}
	if n := sum[string(verdict.Delete)]; n > 0 {
		parts = append(parts, "delete "+number(n))
	}
	if len(parts) == 0 {
		return "Nothing would be written. Note the outcomes"
	}
	return strings.ToUpper(parts[0][:1]) + strings.Join(parts, " and ")[1:]
}

func (a *app) showOutcome(c *client.Conn, i client.Import) error {
	held := i.Outcomes[string(verdict.Held)] + i.Outcomes[string(verdict.Failed)]
	if a.asJSON {
		if err := a.printJSON(i); err != nil {
			return err
		}
		return heldOr(held)
	}
	fmt.Fprintln(a.out)
	a.outcomeTable(i)
	if !i.BeganAt.IsZero() && !i.EndedAt.IsZero() {
		fmt.Fprintf(a.out, "\nImport %d is %s after %.1f s.\n", i.Id, i.State, i.EndedAt.Sub(i.BeganAt).Seconds())
	}
	fmt.Fprintf(a.out, "Look at it: %s/w/%s/imports/%d/result\n", c.Server, c.Workspace, i.Id)
	if held > 0 {
		fmt.Fprintf(a.out, "Held rows as a sheet: uchi rows %d --outcome held --xlsx held.xlsx; mended: uchi mend "+
			"sheet %d held.xlsx\n", i.Id, i.Id)
	}
	if i.State == client.Ready {
		fmt.Fprintf(a.out, "The rest is checked: uchi load %d; or take this back: uchi undo %d\n", i.Id, i.Id)
	}
	return heldOr(held)
}
