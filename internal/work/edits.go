package work

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// CellEdit is a cell that is to say something else.
type CellEdit struct {
	Row    int64
	Column string // its header
	Value  string
}

// longestCell is how long a cell may be made, in bytes.
const longestCell = 1 << 20

// Edit changes cells of an import; the source stays as it is. Was the import
// checked, then the rows that are touched, and those coupled with them, are
// checked again before this returns. It gives how many cells differ now.
func (s *Service) Edit(ctx context.Context, i store.Import, edits []CellEdit, by store.Person) (int64, error) {
	cells := make([]staging.Cell, 0, len(edits))
	for _, e := range edits {
		place, err := placeOf(i, e.Column)
		if err != nil {
			return 0, err
		}
		if len(e.Value) > longestCell {
			return 0, fault.Newf(fault.Invalid, "cell_too_long", "a cell holds at most %d bytes",
				longestCell).At(fault.Place{Row: e.Row, Column: e.Column})
		}
		value := strings.ReplaceAll(strings.ToValidUTF8(e.Value, string('\ufffd')), "\x00", "\u2400")
		cells = append(cells, staging.Cell{Row: e.Row, Place: place, Value: value})
	}
	return s.editing(ctx, i, by, "", func(ctx context.Context, tx pgx.Tx, now store.Import) (int64, error) {
		return s.room.Edit(ctx, tx, now, cells, by.ID)
	})
}

// TakeEditsBack makes cells say again what the source does: of some rows, of one
// column, or with neither of all.
func (s *Service) TakeEditsBack(ctx context.Context, i store.Import, rows []int64, column string,
	by store.Person) (int64, error) {
	place := -1
	if column == "" {
		if err := MustSee(i); err != nil {
			return 0, err
		}
	} else {
		var err error
		if place, err = placeOf(i, column); err != nil {
			return 0, err
		}
	}
	return s.editing(ctx, i, by, "taken back", func(ctx context.Context, tx pgx.Tx, now store.Import) (int64, error) {
		return s.room.TakeBack(ctx, tx, now, rows, place, by.ID)
	})
}

// placeOf finds a column by its header.
func placeOf(i store.Import, header string) (int, error) {
	for _, c := range i.Columns.V {
		if c.Header == header {
			return c.Position, mustSeeColumn(i, c.Position)
		}
	}
	return 0, fault.New(fault.Invalid, "unknown_column",
		"the sheet has no such column").With(header).Mended("Its columns are " +
		fault.Cut(strings.Join(i.Headers(), ", "), 300) + ".")
}

// Filter looks whether a filter of rows names verdicts, outcomes and problems that there are, and lets it look
// for its text in one column only, by its header.
func Filter(i store.Import, column string, f staging.RowFilter) (staging.RowFilter, error) {
	for _, word := range []struct {
		said, of string
		known    []string
	}{
		{f.Verdict, "verdict", words(verdict.All)}, {f.Outcome, "outcome", words(verdict.Outcomes)},
		{f.Problem, "problem", words(problem.Codes())},
	} {
		err := oneOf("rows", word.of, word.said, word.known)
		if err != nil && f.Outcome == word.said && slices.Contains(words(verdict.All), word.said) {
			err = err.Mended("It is a verdict, which rows have before they are loaded. " + err.Mend)
		}
		if err != nil {
			return f, err
		}
	}
	if column == "" {
		return f, nil
	}
	n, err := placeOf(i, column)
	f.In = n + 1
	return f, err
}

// oneOf refuses a word by which something is looked for that nothing can have; nil for one that there is, and
// for none. Who has mistyped it is not to be told that there is nothing.
func oneOf(these, of, said string, known []string) *fault.Error {
	if said == "" || slices.Contains(known, said) {
		return nil
	}
	return fault.New(fault.Invalid, "unknown_"+of, these+" have no such "+of).With(said).
		Mended("One of: " + strings.Join(known, ", ") + ".")
}

// MustBeQuestions refuses a kind that no questions are of; blank is any.
func MustBeQuestions(kind string) error {
	if err := oneOf("questions", "kind", kind, words(verdict.Questions)); err != nil {
		return err
	}
	return nil
}

// Imports lists the imports of a workspace that a filter chooses, the newest first.
func (s *Service) Imports(ctx context.Context, workspace string, f store.ImportFilter) ([]store.Import, error) {
	for _, state := range f.States {
		if err := oneOf("imports", "state", state, words(life.States)); err != nil {
			return nil, err
		}
	}
	if f.Into != "" {
		if _, _, err := s.typeOf(ctx, workspace, f.Into); err != nil {
			return nil, err
		}
	}
	return s.store.Imports(ctx, workspace, f)
}

// words are texts of any kind as they are written.
func words[T ~string](list []T) (out []string) {
	for _, w := range list {
		out = append(out, string(w))
	}
	return out
}

// OrderOf gives the order of rows by a column, whose header stands behind a hyphen where
// the last is to come first.
func OrderOf(i store.Import, by string) (o staging.RowOrder, err error) {
	header := by
	if !slices.Contains(i.Headers(), header) {
		header, o.Down = strings.CutPrefix(by, "-")
	}
	n, err := placeOf(i, header)
	if err != nil {
		return o, err
	}
	o.By = &i.Columns.V[slices.IndexFunc(i.Columns.V, func(c sheet.Column) bool { return c.Position == n })]
	return o, nil
}

// longestWaitForCheck is how long an edit waits for a check that is under way,
// before it and after it.
const longestWaitForCheck = 20 * time.Second

// editing makes edits by an act, and has checked again what they touch.
func (s *Service) editing(ctx context.Context, i store.Import, by store.Person, detail string,
	f func(ctx context.Context, tx pgx.Tx, now store.Import) (int64, error)) (n int64, err error) {
	// Somebody who mends one cell after the other does not wait for the checks
	// between by hand.
	if err := s.checked(ctx, i, longestWaitForCheck); err != nil {
		return 0, err
	}
	again := false
	err = s.act(ctx, i, life.Edit, by, detail, func(ctx context.Context, tx pgx.Tx, now store.Import) error {
		again = now.Totals.V != nil
		var err error
		n, err = f(ctx, tx, now)
		return err
	})
	if err != nil || n == 0 || !again {
		return n, err
	}
	if err := s.Check(ctx, i, by); err != nil {
		if f, ok := fault.From(err); ok && f.Kind == fault.Conflict { // somebody else was faster, and checks as well
			return n, nil
		}
		return n, err
	}
	return n, s.checked(ctx, i, longestWaitForCheck)
}

// looksOn is how long somebody has looked at rows who goes on with them.
const looksOn = 500 * time.Millisecond

// Looked tells that somebody looks at the rows of an import: they may mend some
// soon, or look for a text, which is made ready beside everything else.
func (s *Service) Looked(i store.Import) {
	if i.CellsRun == nil || i.Work != "" || i.Rows <= staging.MostUnready {
		return
	}
	check := int64(0)
	if i.CheckRun != nil {
		check = *i.CheckRun
	}
	key := fmt.Sprint(i.ID, " ", *i.CellsRun, " ", check)
	if _, done := s.ready.LoadOrStore(key, true); done {
		return
	}
	s.aside(func(ctx context.Context) {
		ctx, cancel := context.WithTimeout(ctx, 5*time.Minute)
		defer cancel()
		err := fault.Safely(func() error {
			// Who loads at once, as a command does that lists the held rows first, mends nothing.
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(looksOn):
			}
			if p, err := s.store.ProgressOf(ctx, i.Workspace, i.ID); err != nil || p.Work != "" {
				s.ready.Delete(key)
				return err
			}
			plan, c, err := s.planOf(ctx, i)
			if err != nil {
				return nil // nothing is mapped; there is nothing to mend yet
			}
			return s.room.ReadyForMending(ctx, i, plan, c)
		})
		if err != nil && !errors.Is(err, context.Canceled) {
			s.opt.Log.Warn("an import is not ready for mending", "import", i.ID, "error", err)
		}
	})
}

// checked waits until a check of an import that is under way has ended, or the
// time is over.
func (s *Service) checked(ctx context.Context, i store.Import, most time.Duration) error {
	ended, done := s.Ended(i.ID)
	defer done()
	over := time.After(most)
	for {
		p, err := s.store.ProgressOf(ctx, i.Workspace, i.ID)
		if err != nil || p.Work != life.CheckingRun {
			return err
		}
		select {
		case <-ended:
		case <-time.After(100 * time.Millisecond): // it may end in another process
		case <-over:
			return nil
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	}
}

// How a replacement finds what it replaces.
const (
	FindWhole   = "whole"   // the whole cell says it
	FindPart    = "part"    // a part of the cell says it
	FindPattern = "pattern" // a part of the cell fits a pattern, in the syntax of RE2
	FindAny     = "any"     // any cell
	FindAbove   = "above"   // cells that take what stands above them; see staging.Above
)

// ReplaceRequest is what is to be found in a column, and what it becomes.
type ReplaceRequest struct {
	Column  string
	How     string
	Find    string
	Replace string // of a pattern, $1 stands for its first group
	Rows    staging.RowFilter
}

func (q ReplaceRequest) change() (func(string) string, error) {
	at := fault.Place{Path: "find"}
	if q.How != FindAny && q.How != FindWhole && q.Find == "" {
		return nil, fault.New(fault.Invalid, "nothing_to_find", "there is nothing to find").At(at).Mended("Say what to find.")
	}
	switch q.How {
	case FindAny:
		return func(string) string { return q.Replace }, nil
	case FindWhole:
		return func(text string) string {
			if text == q.Find {
				return q.Replace
			}
			return text
		}, nil
	case FindPart:
		return func(text string) string { return strings.ReplaceAll(text, q.Find, q.Replace) }, nil
	case FindPattern:
		re, err := regexp.Compile(q.Find)
		if err != nil {
			return nil, fault.New(fault.Invalid, "bad_pattern", "this is not a pattern").At(at).With(q.Find).Mended(err.Error())
		}
		return func(text string) string { return re.ReplaceAllString(text, q.Replace) }, nil
	}
	return nil, fault.New(fault.Invalid, "unknown_how",
		"nothing is found so").At(fault.Place{Path: "how"}).With(q.How).Mended("Choose whole, part, pattern, any or above.")
}

// valuesShown is how many values a replacement lists.
const valuesShown = 50

// Replacing tells what a replacement would change, without changing it: how many
// cells, the most frequent values, and whether there are more.
func (s *Service) Replacing(ctx context.Context, i store.Import, q ReplaceRequest) (cells int64,
	values []staging.Replaced, more bool, err error) {
	x, err := s.replacement(i, q)
	if err != nil {
		return 0, nil, false, err
	}
	err = s.room.EachReplaced(ctx, i, x, func(r staging.Replaced) error {
		cells += r.Count
		if len(values) < valuesShown {
			values = append(values, r)
		} else {
			more = true
		}
		return nil
	})
	return cells, values, more, err
}

func (s *Service) replacement(i store.Import, q ReplaceRequest) (staging.Replacement, error) {
	x := staging.Replacement{Rows: q.Rows}
	var err error
	if x.Place, err = placeOf(i, q.Column); err != nil {
		return x, err
	}
	if q.How == FindAbove {
		x.Above = &staging.Above{Says: q.Find, Any: q.Find == "" && q.Rows != (staging.RowFilter{})}
		return x, nil
	}
	x.Change, err = q.change()
	return x, err
}

// Replace makes a replacement and gives how many cells it has changed.
func (s *Service) Replace(ctx context.Context, i store.Import, q ReplaceRequest, by store.Person) (n int64, err error) {
	x, err := s.replacement(i, q)
	if err != nil {
		return 0, err
	}
	err = s.beside(ctx, i, by, func(ctx context.Context, run store.Run) error {
		if x.Above == nil {
			if err := s.room.StageReplaced(ctx, run, i, x); err != nil {
				return err
			}
		}
		n, err = s.editing(ctx, i, by, "replace in "+q.Column,
			func(ctx context.Context, tx pgx.Tx, now store.Import) (int64, error) {
				return s.room.Replace(ctx, tx, run, now, x, by.ID)
			})
		return err
	})
	return n, err
}

// MarkColumn is the header of the column by which rows that were downloaded take
// their places again.
const MarkColumn = "Row mark"

// rowMark names a row of an import: both numbers, and a sum that tells whether
// somebody has mistyped it.
func rowMark(i store.Import, row int64) string {
	return fmt.Sprintf("%d-%d-%04x", i.ID, row, markSum(i, row))
}

func markSum(i store.Import, row int64) uint32 {
	return crc32.ChecksumIEEE(fmt.Appendf(nil, "%s %d %d", i.FileSHA256, i.ID, row)) & 0xffff
}

// readMark gives the row of a mark, or why it is none of this import's.
func readMark(i store.Import, mark string) (row int64, why string) {
	parts := strings.Split(strings.TrimSpace(mark), "-")
	if strings.TrimSpace(mark) == "" {
		return 0, "it has no row mark, so it is a new row: load it by an import of its own"
	}
	if len(parts) == 3 {
		id, err1 := strconv.ParseInt(parts[0], 10, 64)
		row, err2 := strconv.ParseInt(parts[1], 10, 64)
		sum, err3 := strconv.ParseUint(parts[2], 16, 32)
		if err1 == nil && err2 == nil && err3 == nil {
			if id != i.ID {
				return 0, fmt.Sprintf("it is a row of import %d", id)
			}
			if uint32(sum) == markSum(i, row) {
				return row, ""
			}
		}
	}
	return 0, fmt.Sprintf("%q is not a row mark", fault.Cut(mark, 40))
}

// BroughtBack is what came of a sheet that was brought back.
type BroughtBack struct {
	Rows      int64 // of this import
	Cells     int64 // that became edits
	Left      []staging.LeftRow
	LeftCount int64
	Columns   []string // of the sheet, which the import does not have
}

// leftShown is how many rows that were not taken over are listed.
const leftShown = 100

// BringBack takes over a sheet of rows of the import that was downloaded and
// mended. Each row takes its place by its mark, in whatever order they stand; what
// differs becomes edits. Columns that were added are told, columns and rows that
// were removed stay as they are.
func (s *Service) BringBack(ctx context.Context, i store.Import, name string, body io.Reader, bytes int64,
	by store.Person) (BroughtBack, error) {
	var out BroughtBack
	if err := MustSee(i); err != nil {
		return out, err
	}
	id, err := s.store.SaveSource(ctx, cleanName(name), body, bytes, s.opt.MostBytes)
	if err != nil {
		return out, err
	}
	defer s.store.DropSource(context.WithoutCancel(ctx), id) //nolint:errcheck // else the next cleaning does
	src, err := s.store.OpenSource(ctx, id)
	if err != nil {
		return out, err
	}
	reading, _, err := sheet.Detect(src, sheet.Reading{HeaderRow: 1})
	if err != nil {
		return out, err
	}
	table, err := sheet.Open(src, reading, s.opt.Limits)
	if err != nil {
		return out, err
	}
	defer table.Close()
	mark := slices.IndexFunc(table.Header,
		func(h string) bool { return strings.EqualFold(strings.TrimSpace(h), MarkColumn) })
	if mark < 0 {
		return out, fault.New(fault.Invalid, "no_row_marks", "the sheet has no column "+MarkColumn+
			", by which its rows would take their places").At(fault.Place{File: src.Name}).
			Mended("Bring back a sheet of rows that was downloaded from this import, with this column as it was.")
	}
	at := map[int]int{}
	for n, h := range table.Header {
		place, err := placeOf(i, h)
		switch {
		case err == nil:
			at[place] = n
		case n != mark && !slices.Contains(downloadColumns, h):
			out.Columns = append(out.Columns, h)
		}
	}
	err = s.beside(ctx, i, by, func(ctx context.Context, run store.Run) error {
		b, err := s.room.StageBrought(ctx, run, i)
		if err != nil {
			return err
		}
		if err := b.End(s.bringRows(i, table, mark, b, &out)); err != nil {
			return err
		}
		left, err := b.Left(ctx)
		if err != nil {
			return err
		}
		for _, l := range left {
			out.leave(l)
		}
		if out.Rows == 0 {
			why := "it holds no rows"
			if len(out.Left) > 0 {
				why = out.Left[0].Why
			}
			return fault.New(fault.Invalid, "other_rows", "no row of the sheet is one of this import: "+
				why).At(fault.Place{File: src.Name}).Mended("Bring it back to the import from which it was downloaded.")
		}
		out.Cells, err = s.editing(ctx, i, by, "bring back "+src.Name,
			func(ctx context.Context, tx pgx.Tx, _ store.Import) (int64, error) {
				return b.TakeOver(ctx, tx, at, by.ID)
			})
		return err
	})
	slices.SortFunc(out.Left, func(a, b staging.LeftRow) int { return cmp.Compare(a.Row, b.Row) })
	return out, err
}

func (o *BroughtBack) leave(l staging.LeftRow) {
	o.LeftCount++
	if len(o.Left) < leftShown {
		o.Left = append(o.Left, l)
	}
}

func (s *Service) bringRows(i store.Import, table *sheet.Table, mark int, b *staging.Brought, out *BroughtBack) error {
	for {
		row, err := table.Next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		said := ""
		if mark < len(row.Cells) {
			said = row.Cells[mark]
		}
		number, why := readMark(i, said)
		if why != "" {
			out.leave(staging.LeftRow{Row: row.Number, Why: why})
			continue
		}
		out.Rows++
		if err := b.Add(row, number); err != nil {
			return err
		}
	}
}

// Near is what a cell that cannot be read may have meant.
type Near struct {
	Text  string // what the cell would say
	Label string
}

// nearShown is how many near misses are offered.
const nearShown = 6

// Near gives what the text of a cell may have meant for a field, the nearest
// first: choices, countries, records. Nothing of it is ever taken unasked.
func (s *Service) Near(ctx context.Context, i store.Import, draft, field, text string) ([]Near, error) {
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return nil, err
	}
	if i.Routine.V == nil {
		return nil, fault.New(fault.Conflict, "no_mapping", "no column is mapped yet")
	}
	types, err := i.Routine.V.Types(c)
	if err != nil {
		return nil, err
	}
	if draft == "" {
		draft = i.Routine.V.Drafts[0].Called()
	}
	f, ok := types[draft].Field(field)
	if !ok {
		return nil, fault.New(fault.Invalid, "unknown_field", "the record type has no such field").With(field)
	}
	if f.Kind().Form != catalog.LinkForm {
		var out []Near
		for _, n := range suggest.Near(f, text, nearShown) {
			out = append(out, Near{Text: n.Text, Label: n.Label})
		}
		return out, nil
	}
	target, err := c.MustType(f.To)
	if err != nil {
		return nil, err
	}
	links, err := s.room.NearRecords(ctx, i.Workspace, target, text, nearShown)
	var out []Near
	for _, l := range links {
		out = append(out, Near{Text: l.ID, Label: l.Title})
	}
	return out, err
}
