package cli

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"

	"github.com/spf13/cobra"
)

func (a *app) questionsCmd() *cobra.Command {
	var p client.ListQuestionsParams
	var kind, draft string
	cmd := &cobra.Command{
		Use: "questions NUMBER [ROW]", GroupID: "load", Args: args(cobra.RangeArgs(1, 2)),
		Short:   "Show what a person must say of an import's rows, or one question side by side",
		Example: "  uchi questions 12\n  uchi questions 12 --kind alike --from 80\n  uchi questions 12 17",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			if len(list) == 2 {
				return a.showQuestion(cmd.Context(), c, i, list[1], draft)
			}
			p.Kind = verdict.Question(kind)
			return a.listQuestions(cmd.Context(), c, i, p)
		},
	}
	f := cmd.Flags()
	f.StringVar(&kind, "kind", "", "only questions of this kind: alike, several, repeat")
	f.StringVar(&draft, "draft", "", "with a row: which of its drafts; the first that is not answered when left out")
	f.Int64Var(&p.Like, "like", 0, "only those like this row's question, of its kind, with the same speaking against")
	f.Float64Var(&p.From, "from", 0, "only with a best candidate of at least so many percent")
	f.Float64Var(&p.To, "to", 0, "only with a best candidate below so many percent")
	f.BoolVar(&p.Open, "open", false, "only those without an answer")
	f.IntVar(&p.Limit, "limit", 30, "most questions to show")
	f.StringVar(&p.Cursor, "cursor", "", "go on behind an earlier page")
	return cmd
}

func (a *app) listQuestions(ctx context.Context, c *client.Conn, i client.Import, p client.ListQuestionsParams) error {
	r, err := c.ListQuestionsWithResponse(ctx, c.Workspace, i.Id, &p)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(r.JSON200)
	}
	switch {
	case len(r.JSON200.Questions) == 0 && i.Totals.Rows == 0:
		fmt.Fprintf(a.out, "The import is not checked; questions come with the check: uchi check %d\n", i.Id)
	case len(r.JSON200.Questions) == 0:
		fmt.Fprintln(a.out, "There are no such questions.")
	default:
		tab := a.table("Row", "Record", "Question", "Likeness", "Best", "Others", "Answer", "The row says")
		for _, q := range r.JSON200.Questions {
			tab.AppendRow([]any{q.Row, q.Draft, string(q.Kind), percent(q.Percent), orRow(q.Record, q.OtherRow),
				max(0, q.Candidates-1), answerWords(q.Answer), oneLine(strings.Join(filled(q.Cells, 5), " · "),
					max(24, a.width()-78))})
		}
		tab.Render()
	}
	if r.JSON200.Next != "" {
		fmt.Fprintf(a.out, "… more of %s; go on with --cursor %s\n", number(r.JSON200.Count), r.JSON200.Next)
	}
	if r.JSON200.Unchecked > 0 {
		fmt.Fprintf(a.out, "%s since the check; they count after: uchi check %d\n",
			plural(r.JSON200.Unchecked, "answer was given", "answers were given"), i.Id)
	}
	return nil
}

// percent shows a likeness; what is nearly sure is not called sure.
func percent(p float64) string {
	if p >= 99.5 {
		return "over 99 %"
	}
	return strconv.Itoa(int(p)) + " %"
}

func orRow(record string, row int64) string {
	if record != "" {
		return record
	}
	return fmt.Sprintf("row %d", row)
}

func answerWords(x client.Answer) string {
	switch {
	case x.Choice == "":
		return ""
	case x.Record != "" || x.OtherRow > 0:
		return string(x.Choice) + " " + orRow(x.Record, x.OtherRow)
	}
	return string(x.Choice)
}

func rowNumber(s string) (int64, error) {
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil || n < 1 {
		return 0, usageError{fmt.Errorf("%q is not the number of a row", s)}
	}
	return n, nil
}

// showQuestion lays the row beside its candidates, differences marked.
func (a *app) showQuestion(ctx context.Context, c *client.Conn, i client.Import, row, draft string) error {
	n, err := rowNumber(row)
	if err != nil {
		return err
	}
	r, err := c.GetQuestionWithResponse(ctx, c.Workspace, i.Id, n, &client.GetQuestionParams{Draft: draft})
	if err != nil {
		return err
	}
	q := r.JSON200
	if a.asJSON {
		return a.printJSON(q)
	}
	const side = 3 // candidates that fit beside each other
	shown := q.Candidates[:min(side, len(q.Candidates))]
	fmt.Fprintf(a.out, "%s, %s: %s\n\n", a.paint(bold, fmt.Sprintf("Row %d", q.Row)), q.Draft, q.Message)
	header := []any{"", "The row"}
	for _, x := range shown {
		header = append(header, fmt.Sprintf("%s, %s", orRow(x.Record, x.Row), percent(x.Percent)))
	}
	tab := a.table(header...)
	room := max(14, (a.width()-24)/(len(shown)+1)-2)
	for _, v := range q.Values {
		line := []any{v.Label, oneLine(v.After, room)}
		said := v.After != ""
		for _, x := range shown {
			value := oneLine(x.Values[v.Field], room)
			said = said || value != ""
			if value != "" && v.After != "" && !strings.EqualFold(value, v.After) {
				value = a.paint(amber, "≠ "+value)
			}
			line = append(line, value)
		}
		if said {
			tab.AppendRow(line)
		}
	}
	tab.Render()
	for _, x := range q.Candidates {
		fmt.Fprintf(a.out, "\n%s  %s  %s\n", a.paint(bold, orRow(x.Record, x.Row)), x.Title, percent(x.Percent))
		for _, s := range x.Says {
			fmt.Fprintf(a.out, "  %s\n", s)
		}
		if len(x.Against) > 0 {
			fmt.Fprintf(a.out, "  %s\n", a.paint(amber, "not taken because: "+strings.Join(x.Against, ", ")))
		}
	}
	if w := answerWords(q.Answer); w != "" {
		fmt.Fprintf(a.out, "\nAnswered by %s: %s\n", q.Answer.Person, w)
	} else if len(q.Candidates) > 0 {
		of := ""
		if len(i.Routine.Drafts) > 1 {
			of = " --draft " + q.Draft
		}
		fmt.Fprintf(a.out, "\nAnswer with: uchi answer %d %d take %s%s   (or new, or leave_out)\n", i.Id, q.Row,
			q.Candidates[0].Record, of)
	}
	return nil
}

type answerFlags struct {
	file, kind, verdict string
	draft               string
	many                bool
	from, to            float64
	like                int64
	keep                []string
	otherRow            int64
}

func (a *app) answerCmd() *cobra.Command {
	var f answerFlags
	cmd := &cobra.Command{
		Use: "answer NUMBER [ROW] take|new|leave_out [RECORD|row N]", GroupID: "load", Args: args(cobra.MinimumNArgs(1)),
		Short: "Answer questions about rows: one, many alike, or from a file",
		Long: `Answers what a row is: take says that it is the named record (the best candidate when none is
named; an earlier row by its number), new that it is none of them, leave_out that it is not to be loaded. The next check
follows the answers; an answer takes the place of an earlier one.

A file for --file is CSV with the columns row and choice, and if wanted draft, record, other_row
and keep (fields whose value in the record stays, parted by spaces). uchi answers prints one.`,
		Example: `  uchi answer 12 17 take CON-4 --keep phone
  uchi answer 12 18 new
  uchi answer 12 19 take row 7
  uchi answer 12 --many --kind alike --from 90 take
  uchi answer 12 --rows create leave_out
  uchi answer 12 --file answers.csv`,
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			return a.answer(cmd.Context(), c, i, list[1:], f)
		},
	}
	fl := cmd.Flags()
	fl.StringVar(&f.file, "file", "", "take the answers from a CSV file (- is standard input)")
	fl.BoolVar(&f.many, "many", false, "answer all open questions alike, as --kind, --from and --to choose them")
	fl.StringVar(&f.kind, "kind", "", "with --many: only questions of this kind: alike, several, repeat")
	fl.Int64Var(&f.like, "like", 0,
		"with --many: only those like this row's question, of its kind, with the same speaking against")
	fl.Float64Var(&f.from, "from", 0, "with --many: only with a best candidate of at least so many percent")
	fl.Float64Var(&f.to, "to", 0, "with --many: only with a best candidate below so many percent")
	fl.StringVar(&f.verdict, "rows", "", "with leave_out: all rows of this verdict")
	fl.StringVar(&f.draft, "draft", "", "which of the row's drafts is answered; the one that is asked about when left out")
	fl.StringSliceVar(&f.keep, "keep", nil, "with take: fields whose value in the record stays")
	fl.Int64Var(&f.otherRow, "other-row", 0, "with take: the earlier row that this one repeats")
	return cmd
}

// answersAtOnce is how many answers of a file go into one request.
const answersAtOnce = 10_000

func (a *app) answer(ctx context.Context, c *client.Conn, i client.Import, list []string, f answerFlags) error {
	var kept client.Kept
	switch {
	case f.file != "":
		answers, err := a.readAnswers(f.file)
		if err != nil {
			return err
		}
		for some := range slices.Chunk(answers, answersAtOnce) {
			r, err := c.AnswerWithResponse(ctx, c.Workspace, i.Id, client.AnswerJSONRequestBody{Answers: some})
			if err != nil {
				return err
			}
			kept.Count += r.JSON200.Count
		}
	case f.many || f.verdict != "":
		if len(list) != 1 {
			return usageError{errors.New("give one answer for all: take, new or leave_out")}
		}
		r, err := c.AnswerManyWithResponse(ctx, c.Workspace, i.Id, client.ManyAnswers{Choice: verdict.Choice(list[0]),
			Kind: verdict.Question(f.kind), From: f.from, To: f.to, Like: f.like, Draft: f.draft,
			Verdict: verdict.Verdict(f.verdict)})
		if err != nil {
			return err
		}
		kept = *r.JSON200
	default:
		if len(list) == 4 && list[2] == "row" { // an earlier row
			other, err := rowNumber(list[3])
			if err != nil {
				return err
			}
			f.otherRow, list = other, list[:2]
		}
		if len(list) < 2 || len(list) > 3 {
			return usageError{errors.New("name a row and an answer, such as: 17 take CON-4")}
		}
		row, err := rowNumber(list[0])
		if err != nil {
			return err
		}
		one := client.Answer{Row: row, Draft: f.draft, Choice: verdict.Choice(list[1]), Keep: f.keep, OtherRow: f.otherRow}
		if len(list) == 3 {
			one.Record = list[2]
		}
		r, err := c.AnswerWithResponse(ctx, c.Workspace, i.Id, client.AnswerJSONRequestBody{Answers: []client.Answer{one}})
		if err != nil {
			return err
		}
		kept = *r.JSON200
	}
	return a.saidKept(i, kept, "answer was kept", "answers were kept")
}

func (a *app) saidKept(i client.Import, kept client.Kept, one, many string) error {
	if a.asJSON {
		return a.printJSON(kept)
	}
	fmt.Fprintf(a.out, "%s. Follow them with: uchi check %d\n", plural(kept.Count, one, many), i.Id)
	return nil
}

// answerColumns are those of a sheet of answers; the first two must be there.
var answerColumns = []string{"row", "choice", "draft", "record", "other_row", "keep"}

// readAnswers reads answers from a sheet whose first line names its columns: CSV, with any sign between, or a workbook.
func (a *app) readAnswers(file string) ([]client.Answer, error) {
	text, err := a.contentOf(file)
	if err != nil {
		return nil, err
	}
	src := sheet.Source{Name: file, Size: int64(len(text)), ReaderAt: bytes.NewReader(text)}
	bad := func(row int64, message, value string) error {
		return fault.New(fault.Invalid, "bad_answers", message).At(fault.Place{File: file, Row: row}).With(value).
			Mended("Write the columns row and choice, and if wanted " + strings.Join(answerColumns[2:], ", ") +
				", as uchi answers NUMBER --csv does.")
	}
	reading, _, err := sheet.Detect(src, sheet.Reading{HeaderRow: 1, Asides: sheet.ReadAsides})
	if fault.Is(err, "empty_source") {
		return nil, bad(1, "there are no answers", "")
	}
	if err != nil {
		return nil, err
	}
	table, err := sheet.Open(src, reading, sheet.DefaultLimits)
	if err != nil {
		return nil, err
	}
	defer table.Close()
	at := map[string]int{}
	for n, h := range table.Header {
		h = strings.ToLower(strings.TrimSpace(h))
		if h != "" && !slices.Contains(answerColumns, h) { // a slip in record would take whoever is likeliest
			return nil, bad(1, "answers have no such column", h)
		}
		at[h] = n
	}
	for _, h := range answerColumns[:2] {
		if _, ok := at[h]; !ok {
			return nil, bad(1, "the first line must name the columns row and choice", "")
		}
	}
	var list []client.Answer
	for {
		line, err := table.Next()
		if err == io.EOF {
			return list, nil
		}
		if err != nil {
			return nil, err
		}
		cell := func(name string) string {
			if n, ok := at[name]; ok && n < len(line.Cells) {
				return strings.TrimSpace(line.Cells[n])
			}
			return ""
		}
		x := client.Answer{Draft: cell("draft"), Choice: verdict.Choice(cell("choice")), Record: cell("record"),
			Keep: strings.Fields(cell("keep"))}
		for name, n := range map[string]*int64{"row": &x.Row, "other_row": &x.OtherRow} {
			text := cell(name)
			if text == "" && name == "other_row" {
				continue
			}
			if *n, err = strconv.ParseInt(text, 10, 64); err != nil {
				return nil, bad(line.Number, "this is not the number of a row", text)
			}
		}
		if x.Choice != "" { // a question that is left open
			list = append(list, x)
		}
	}
}

// contentOf reads a file, or with - what is piped in.
func (a *app) contentOf(file string) (content []byte, err error) {
	if file == "-" {
		content, err = io.ReadAll(a.in)
	} else {
		content, err = os.ReadFile(file)
	}
	if err != nil {
		return nil, fault.New(fault.Invalid, "file_refused", "the file cannot be read: "+err.Error()).At(fault.Place{File: file}).
			Mended("Give the path of a file that may be read, or - and pipe it in.")
	}
	return content, nil
}

func (a *app) answersCmd() *cobra.Command {
	var asCSV bool
	cmd := &cobra.Command{
		Use: "answers NUMBER", GroupID: "look", Args: args(cobra.ExactArgs(1)),
		Short:   "List the answers that were given for an import",
		Example: "  uchi answers 12\n  uchi answers 12 --csv > answers.csv\n  uchi answers take-back 12 17",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			return a.listAnswers(cmd.Context(), c, i, asCSV)
		},
	}
	cmd.Flags().BoolVar(&asCSV, "csv", false, "print them as a file for uchi answer --file")
	var all bool
	back := &cobra.Command{
		Use: "take-back NUMBER [ROW…]", Args: args(cobra.MinimumNArgs(1)), Short: "Take answers back, of these rows or all",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			if len(list) == 1 && !all {
				return usageError{errors.New("name the rows, or say --all")}
			}
			var p client.TakeBackParams
			for _, s := range list[1:] {
				n, err := rowNumber(s)
				if err != nil {
					return err
				}
				p.Row = append(p.Row, n)
			}
			r, err := c.TakeBackWithResponse(cmd.Context(), c.Workspace, i.Id, &p)
			if err != nil {
				return err
			}
			return a.saidKept(i, *r.JSON200, "answer was taken back", "answers were taken back")
		},
	}
	back.Flags().BoolVar(&all, "all", false, "take all answers of the import back")
	cmd.AddCommand(back)
	return cmd
}

func (a *app) listAnswers(ctx context.Context, c *client.Conn, i client.Import, asCSV bool) error {
	all := []client.Answer{}
	p := client.ListAnswersParams{Limit: 500}
	for {
		r, err := c.ListAnswersWithResponse(ctx, c.Workspace, i.Id, &p)
		if err != nil {
			return err
		}
		all = append(all, r.JSON200.Answers...)
		if p.Cursor = r.JSON200.Next; p.Cursor == "" {
			break
		}
	}
	switch {
	case a.asJSON:
		return a.printJSON(all)
	case asCSV:
		w := csv.NewWriter(a.out)
		w.Write(answerColumns) //nolint:errcheck // Error tells
		for _, x := range all {
			other := ""
			if x.OtherRow > 0 {
				other = strconv.FormatInt(x.OtherRow, 10)
			}
			//nolint:errcheck // Error tells
			w.Write([]string{strconv.FormatInt(x.Row, 10), string(x.Choice), x.Draft, x.Record, other, strings.Join(x.Keep, " ")})
		}
		w.Flush()
		return w.Error()
	}
	tab := a.table("Row", "Record", "Answer", "Keeps", "By", "When")
	for _, x := range all {
		tab.AppendRow([]any{x.Row, x.Draft, answerWords(x), strings.Join(x.Keep, ", "), x.Person,
			x.At.Local().Format("2006-01-02 15:04")})
	}
	tab.Render()
	return nil
}

func (a *app) tryCmd() *cobra.Command {
	var change routineChange
	var p client.TryRoutineParams
	var sample int64
	cmd := &cobra.Command{
		Use: "try NUMBER", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short: "Say what a changed mapping or other match rules would do, from a sample; nothing is kept",
		Example: "  uchi try 12 --match source_ref --match alike=given_name+family_name+email\n" +
			"  uchi try 12 --take-at 90 --sample 0",
		RunE: func(cmd *cobra.Command, list []string) error {
			ctx := cmd.Context()
			c, i, err := a.withImport(ctx, list[0])
			if err != nil {
				return err
			}
			if len(i.Routine.Drafts) == 0 {
				return fault.New(fault.Conflict, "no_mapping", "no column is mapped yet")
			}
			types, err := a.draftTypes(ctx, c, i.Routine)
			if err != nil {
				return err
			}
			if len(change.drafts) > 0 || change.from != "" {
				return usageError{errors.New("--add and --from change the mapping: use them with uchi mapping first")}
			}
			routine, err := change.apply(i.Routine, types)
			if err != nil {
				return err
			}
			p.Sample = &sample
			r, err := c.TryRoutineWithResponse(ctx, c.Workspace, i.Id, &p, routine)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			fmt.Fprintf(a.out, "Tried on %s of %s.", number(r.JSON200.Rows), plural(r.JSON200.Of, "row", "rows"))
			for n, d := range routine.Drafts {
				fmt.Fprintf(a.out, " %s found by %s.", types[n].Plural, rulesInWords(d.Match, types[n]))
			}
			fmt.Fprint(a.out, "\n\n")
			a.showTotals(r.JSON200.Totals)
			return nil
		},
	}
	change.add(cmd.Flags())
	cmd.Flags().Int64Var(&sample, "sample", 2000, "about how many rows to look at; 0 looks at all")
	return cmd
}

func (a *app) weightsCmd() *cobra.Command {
	var estimate, byDefault bool
	cmd := &cobra.Command{
		Use: "weights TYPE", GroupID: "look", Args: args(cobra.ExactArgs(1)),
		Short: "Show by which chances likeness is weighed, or estimate them from the records",
		Long: `Likeness weighs how often a result of a comparison is seen between records of the same person
or company (m) and between any two (u). --estimate finds both from the workspace's own records,
without anybody saying which of them are the same; --default takes the ones that come with Uchi.`,
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			if byDefault {
				if _, err := c.ForgetWeightsWithResponse(ctx, c.Workspace, list[0]); err != nil {
					return err
				}
			}
			var w client.TypeWeights
			if estimate {
				r, err := c.EstimateWeightsWithResponse(ctx, c.Workspace, list[0])
				if err != nil {
					return err
				}
				w = *r.JSON200
			} else {
				r, err := c.GetWeightsWithResponse(ctx, c.Workspace, list[0])
				if err != nil {
					return err
				}
				w = *r.JSON200
			}
			if a.asJSON {
				return a.printJSON(w)
			}
			if w.Estimated {
				fmt.Fprintf(a.out, "Estimated by %s from %s alike in something, of which %.1f %% seem to belong together.\n\n",
					w.MadeBy, plural(w.Pairs, "pair", "pairs of records"), 100*w.Share)
			} else {
				fmt.Fprint(a.out, "The default weights.\n\n")
			}
			tab := a.table("Comparison", "Result", "m", "u")
			for _, x := range w.Chances {
				tab.AppendRow([]any{x.Kind, x.Level, strconv.FormatFloat(x.M, 'g', 3, 64), strconv.FormatFloat(x.U, 'g', 3, 64)})
			}
			tab.Render()
			return nil
		}),
	}
	cmd.Flags().BoolVar(&estimate, "estimate", false, "estimate them from the workspace's records (administrators)")
	cmd.Flags().BoolVar(&byDefault, "default", false, "take the default ones again (administrators)")
	return cmd
}
