package cli

import (
	"fmt"
	"io"
	"os"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// readingFlags are the flags that say how a source is read.
func readingFlags(fl *pflag.FlagSet, r *sheet.Reading) {
	fl.StringVar(&r.File, "file", "", "which file of a ZIP archive")
	fl.StringVar(&r.Sheet, "sheet", "", "which sheet of a workbook, table of a web page, or list within the objects of a JSON document")
	fl.StringVar(&r.DateOrder, "date-order", "", "day_first, month_first or year_first")
	fl.StringVar(&r.DecimalSign, "decimal-sign", "", `"." or ","`)
	fl.StringVar(&r.Delimiter, "delimiter", "", "character between the cells")
	fl.StringVar(&r.Encoding, "encoding", "", "such as utf-8 or windows-1252")
	fl.StringVar(&r.Quote, "quote", "", `character around cells, or none`)
	fl.StringVar(&r.Escape, "escape", "", `character before a quote or delimiter that is meant as such, or none`)
	fl.StringVar(&r.Comment, "comment", "", `character that begins lines which are no rows, or none`)
	fl.StringVar(&r.Merged, "merged", "", "what merged cells say: repeat a text in each of their rows (as when left out), or first")
	fl.StringVar(&r.Hidden, "hidden", "", "rows and columns that are hidden in a workbook: read, or leave_out")
	fl.StringVar(&r.Asides, "asides", "", "rows that are no records (the header again, totals, page numbers, another "+
		"table): leave_out, or read")
	fl.StringVar(&r.Misread, "misread", "", "text that was decoded wrongly before (Ã¼ for ü): hold, or mend")
	fl.StringVar(&r.Zone, "zone", "", "time zone of times that name none, such as Europe/Oslo")
	fl.StringVar(&r.Country, "country", "", "ISO 3166 code for phone numbers without a country code")
	fl.Int64Var(&r.HeaderRow, "header-row", 0, "row of the column names")
	fl.BoolVar(&r.NoHeader, "no-header", false, "there is no header row; columns are called A, B, C")
	fl.BoolVar(&r.Turned, "turned", false, "the sheet lies on its side: each of its columns is a record")
	fl.Int64Var(&r.FirstRow, "first-row", 0, "first row of data")
	fl.StringVar(&r.Columns, "columns", "", "columns that are read, by their letters, such as A:D, or F: to the last")
	fl.Int64Var(&r.LastRow, "last-row", 0, "last row that is read")
}

func (a *app) readCmd() *cobra.Command {
	var r sheet.Reading
	cmd := &cobra.Command{
		Use: "read FILE", GroupID: "look", Args: args(cobra.ExactArgs(1)),
		Short: "Say what is in a file, without a service",
		Long: `Reads a whole file and says how it was read, what stands in each column, what seems wrong, and
which record type and fields it seems to hold. Nothing is sent anywhere.`,
		Example: "  uchi read contacts.xlsx\n  uchi read export.zip --file leads.csv --json",
		RunE:    func(_ *cobra.Command, list []string) error { return a.readFile(list[0], r) },
	}
	readingFlags(cmd.Flags(), &r)
	return cmd
}

// whatIsIn is what the command says of a file.
type whatIsIn struct {
	Findings []sheet.Finding          `json:"findings"`
	Rows     int64                    `json:"rows"`
	Columns  []sheet.Column           `json:"columns"`
	Notices  []sheet.Notice           `json:"notices"`
	Types    []suggest.TypeSuggestion `json:"types"`
	Together *suggest.Together        `json:"together,omitempty"` // the types that a row seems to hold records of
	Fields   []suggest.Suggestion     `json:"fields"`
}

func (a *app) readFile(path string, r sheet.Reading) error {
	f, err := os.Open(path)
	if err != nil {
		return fault.New(fault.Invalid, "file_refused", "the file cannot be opened: "+err.Error()).At(fault.Place{File: path})
	}
	defer f.Close()
	st, err := f.Stat()
	if err != nil || st.IsDir() {
		return fault.New(fault.Invalid, "file_refused", "this is not a file").At(fault.Place{File: path})
	}
	w, err := inspect(sheet.Source{Name: st.Name(), Size: st.Size(), ReaderAt: f}, r)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(w)
	}
	a.showFile(st.Name(), w)
	return nil
}

func inspect(src sheet.Source, r sheet.Reading) (whatIsIn, error) {
	var w whatIsIn
	r, findings, err := sheet.Detect(src, r)
	if err != nil {
		return w, err
	}
	t, err := sheet.Open(src, r, sheet.DefaultLimits)
	if err != nil {
		return w, err
	}
	defer t.Close()
	t.JoinGroups(suggest.Heads)
	t.Heads = suggest.Heads
	profile := sheet.NewProfiler(t.Header)
	for {
		row, err := t.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return w, err
		}
		profile.Add(row)
		w.Rows++
	}
	w.Findings = findings
	w.Columns, w.Notices = profile.Profile()
	w.Notices = append(append(t.Notices, w.Notices...), t.Rest()...)
	c, err := catalog.Standard()
	if err != nil {
		return w, err
	}
	view := suggest.NewView(w.Columns).Among(c).Called(sheet.Part{File: r.File, Sheet: r.Sheet}.Called(src.Name), src.Name)
	w.Notices = append(w.Notices, view.OnItsSide()...)
	nothing := func(string) suggest.Memory { return nil }
	w.Types = view.Types(c, nothing)
	best, _ := c.Type(w.Types[0].Type)
	targets := []suggest.Target{{Type: best}}
	if set, ok := view.Together(c, targets, nothing); ok {
		w.Together = &set
		targets = nil
		for _, name := range set.Types {
			t, _ := c.Type(name)
			targets = append(targets, suggest.Target{Draft: name, Type: t})
		}
	}
	w.Fields = view.Across(targets)
	return w, nil
}

func (a *app) showFile(name string, w whatIsIn) {
	fmt.Fprintf(a.out, "%s  %s, %s\n", a.paint(bold, name), plural(w.Rows, "row", "rows"),
		plural(int64(len(w.Columns)), "column", "columns"))
	for _, f := range w.Findings {
		sure := ""
		if !f.Sure {
			sure = a.paint(amber, "  not certain")
		}
		fmt.Fprintf(a.out, "  %-11s %s  %s%s\n", f.Option, readable(f.Value), a.paint(faint, f.Evidence), sure)
		if len(f.Choices) > 1 {
			fmt.Fprintf(a.out, "  %-11s there are: %s\n", "", oneLine(strings.Join(f.Choices, ", "), a.width()-26))
		}
	}
	a.showNotices(w.Notices)
	if _, sure := suggest.Sure(w.Types); sure {
		fmt.Fprintf(a.out, "  %-11s %s  %s\n", "seems to be", w.Types[0].Type, a.paint(faint, w.Types[0].Reason))
	} else if likely := suggest.Likely(w.Types); len(likely) > 0 {
		var may []string
		for _, t := range likely {
			may = append(may, t.Type)
		}
		fmt.Fprintf(a.out, "  %-11s %s  %s\n", "may be", strings.Join(may, " or "), a.paint(faint, "none is likely enough"))
	}
	if w.Together != nil {
		fmt.Fprintf(a.out, "  %-11s %s  %s\n", "or rather", strings.Join(w.Together.Types, " and "),
			a.paint(faint, w.Together.Reason))
	}
	fmt.Fprintln(a.out)
	tab := a.table("", "Column", "Filled", "Blank", "Different", "Looks like", "Field", "First values")
	for _, c := range w.Columns {
		field := ""
		for _, s := range w.Fields {
			if s.Column == c.Header {
				mark := ""
				if !s.Taken {
					mark = "?"
				}
				field = strings.TrimPrefix(field+" + "+strings.TrimPrefix(s.Draft+"."+s.Field, ".")+mark, " + ")
			}
		}
		looks := c.Guess
		switch {
		case c.Unsettled != "":
			looks += ", " + c.Unsettled + " open"
		case c.Guess == "date" && c.DateOrder != "":
			looks += ", " + c.DateOrder
		case c.Guess == "number" && c.DecimalSign != "":
			looks += " with " + c.DecimalSign
		}
		tab.AppendRow([]any{c.Letter, oneLine(c.Header, 24), number(c.Filled), number(c.Blank), number(c.Distinct),
			looks, field,
			oneLine(strings.Join(c.Samples[:min(3, len(c.Samples))], " · "), max(20, a.width()-112))})
	}
	tab.Render()
}
