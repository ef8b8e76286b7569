package work

import (
	"context"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/core/value"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// Previewed is what a routine makes of one row in one field.
type Previewed struct {
	Row     int64
	Text    string
	LeftOut bool
	Problem *problem.Problem
}

// previewRows is how many rows a preview shows.
const previewRows = 8

// Preview says what a routine that is not kept makes of a few rows behind a row
// number: in one field of a draft, or in its condition when field is empty.
func (s *Service) Preview(ctx context.Context, i store.Import, r mapping.Routine, draft, field string,
	after int64) ([]Previewed, error) {
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return nil, err
	}
	_, plan, err := s.planWith(ctx, i, r, c)
	if err != nil {
		return nil, err
	}
	dp, at, err := fieldOf(plan, draft, field)
	if err != nil {
		return nil, err
	}
	rows, err := s.room.Rows(ctx, i, staging.RowFilter{}, after, -1, previewRows)
	if err != nil {
		return nil, err
	}
	var out []Previewed
	var typed mapping.Typed
	for _, row := range rows {
		dp.Apply(sheet.Row{Number: row.Row, Cells: row.Cells.V}, &typed)
		p := Previewed{Row: row.Row, LeftOut: typed.MakesNone()}
		if at >= 0 && !p.LeftOut {
			p.Text = strings.ReplaceAll(typed.Values[at], mapping.FindGap, ", ")
		}
		for _, x := range typed.Problems {
			if x.Field == dp.Named(field) {
				p.Problem = &x
			}
		}
		out = append(out, p)
	}
	return out, nil
}

// fieldOf finds a draft of a plan and the place of its field, -1 for none named.
func fieldOf(plan *mapping.Plan, draft, field string) (*mapping.DraftPlan, int, error) {
	n := slices.IndexFunc(plan.Drafts, func(dp *mapping.DraftPlan) bool { return dp.Name == draft })
	if n < 0 {
		return nil, 0, fault.New(fault.NotFound, "unknown_draft",
			"the routine has no draft of this name").With(draft).Mended("Name one of its drafts.")
	}
	dp := plan.Drafts[n]
	if field == "" {
		return dp, -1, nil
	}
	at := slices.IndexFunc(dp.Fields, func(fp mapping.FieldPlan) bool { return fp.Field.Name == field })
	if at < 0 {
		return nil, 0, fault.New(fault.NotFound, "unknown_field",
			"the draft gives the field no value").With(field).Mended("Place a column on it first.")
	}
	return dp, at, nil
}

// ColumnValue is what stands in a column, with what it means in a field.
type ColumnValue struct {
	Text    string
	Count   int64
	Meaning string // the code, the value, or the id of the record; empty when it means nothing as it stands
	Label   string
	Guess   string // what it seems to mean then
}

// mostValues is how many different values of a column are listed.
const mostValues = 500

// ColumnValues lists the different values of a column with what they mean in a
// field, most frequent first; more tells that there are others.
func (s *Service) ColumnValues(ctx context.Context, i store.Import, column, draft, field string) (list []ColumnValue,
	more bool, err error) {
	n := slices.Index(i.Headers(), column)
	if n < 0 {
		return nil, false, fault.New(fault.NotFound, "unknown_column",
			"the source has no such column").With(column).Mended("Name a header as it stands in the source.")
	}
	if err := mustSeeColumn(i, n); err != nil {
		return nil, false, err
	}
	plan, c, err := s.planOf(ctx, i)
	if err != nil {
		return nil, false, err
	}
	dp, at, err := fieldOf(plan, draft, field)
	if err != nil {
		return nil, false, err
	}
	if at < 0 {
		return nil, false, fault.New(fault.Invalid, "unknown_field",
			"the values are listed for a field").With(field).Mended("Name the field that the column goes to.")
	}
	counts, err := s.room.ColumnValues(ctx, i, i.Columns.V[n].Position, mostValues+1)
	if err != nil {
		return nil, false, err
	}
	if more = len(counts) > mostValues; more {
		counts = counts[:mostValues]
	}
	known := map[string]int{}
	for _, x := range counts {
		text := value.Trim(x.Text)
		if text == "" {
			continue
		}
		if at, ok := known[text]; ok {
			list[at].Count += x.Count
			continue
		}
		known[text] = len(list)
		list = append(list, ColumnValue{Text: text, Count: x.Count})
	}
	return list, more, s.meanings(ctx, i.Workspace, c, dp.Fields[at], list)
}

// meanings says what values mean in a field.
func (s *Service) meanings(ctx context.Context, workspace string, c catalog.Catalog, fp mapping.FieldPlan,
	list []ColumnValue) error {
	if fp.Field.Type == catalog.Reference {
		t, err := c.MustType(fp.Field.To)
		if err != nil {
			return err
		}
		texts := make([]string, len(list))
		for n, v := range list {
			texts[n] = v.Text
		}
		links, err := s.room.LinksOf(ctx, workspace, t, texts)
		if err != nil {
			return err
		}
		for n := range list {
			l := links[list[n].Text]
			list[n].Meaning, list[n].Label = l.ID, l.Title
		}
		return nil
	}
	for n := range list {
		v := &list[n]
		meaning, trouble := fp.Read(v.Text)
		if trouble.Code != "" {
			v.Guess = suggest.Choice(fp.Field, v.Text)
			continue
		}
		v.Meaning, v.Label = meaning, meaning
		if k := slices.IndexFunc(fp.Field.Choices, func(x catalog.Choice) bool { return x.Code == meaning }); k >= 0 {
			v.Label = fp.Field.Choices[k].Label
		}
	}
	return nil
}
