package work

import (
	"context"
	"fmt"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/store"
)

// RowValue is one field of the record that a row becomes.
type RowValue struct {
	Field   catalog.Field
	Column  string
	Before  string
	After   string
	Changed bool
	Problem *problem.Problem
}

// RowAsRecord is a row as the record it becomes.
type RowAsRecord struct {
	Row    store.GridRow
	Type   catalog.RecordType
	Found  *store.Record // the record that it was found to be
	Values []RowValue
}

// RowAsRecord types one row by the present routine; once there was a check it
// also shows the record that was found and what would change.
func (s *Service) RowAsRecord(ctx context.Context, i store.Import, number int64) (RowAsRecord, error) {
	var out RowAsRecord
	rows, err := s.store.Rows(ctx, i.ID, store.RowFilter{}, number-1, -1, 1)
	if err != nil {
		return out, err
	}
	if len(rows) == 0 || rows[0].Row != number {
		return out, fault.New(fault.NotFound, "unknown_row", "the source has no row of this number, or nothing stands in it").With(fmt.Sprint(number))
	}
	out.Row = rows[0]
	plan, _, err := s.planOf(ctx, i)
	if fault.Is(err, "no_mapping") {
		return out, nil
	}
	if err != nil {
		return out, err
	}
	draft := plan.Drafts[0]
	out.Type = draft.Type
	if out.Row.Record != nil {
		found, err := s.store.Record(ctx, i.Workspace, draft.Type.Name, draft.Type.RecordID(*out.Row.Record))
		if err != nil && !fault.Is(err, "unknown_record") {
			return out, err
		}
		if err == nil {
			out.Found = &found
		}
	}
	var typed mapping.Typed
	draft.Apply(sheet.Row{Number: number, Cells: out.Row.Cells.V}, &typed)
	if i.Totals.V == nil { // not checked since the routine was changed: the row's own problems are all that is known
		out.Row.Problems = typed.Problems
	}
	for n, fp := range draft.Fields {
		out.Values = append(out.Values, rowValue(fp, typed.Values[n], out))
	}
	return out, nil
}

func rowValue(fp mapping.FieldPlan, typed string, row RowAsRecord) RowValue {
	v := RowValue{Field: fp.Field, Column: fp.Column(), After: typed}
	if row.Found != nil {
		v.Before = row.Found.Values[fp.Field.Name]
	}
	if c, ok := row.Row.Changes.V[fp.Field.Name]; ok { // as the check found it, links resolved
		v.Before, v.After, v.Changed = text(c[0]), text(c[1]), true
	} else if row.Found != nil {
		v.After = v.Before
	}
	for _, p := range row.Row.Problems {
		if p.Field == fp.Field.Name {
			v.Problem = &p
			v.After = typed
		}
	}
	return v
}

func text(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}
