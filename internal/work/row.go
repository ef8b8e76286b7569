package work

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// RowValue is one field of the record that a row becomes.
type RowValue struct {
	Field   catalog.Field
	Column  string
	Before  string
	After   string
	Changed bool
	Said    string      // what the source says, where After names what was found by it
	Link    *store.Link // the record that a reference leads to, as the check found it
	Why     string      // how the record was found, or why what is there stays
	Problem *problem.Problem
}

// DraftRecord is one of the records that a row becomes.
type DraftRecord struct {
	staging.RowDraft
	Type   catalog.RecordType
	Found  *store.Record // the record that it was found to be, or that was made
	Values []RowValue
}

// RowAsRecord is a row as the records that it becomes.
type RowAsRecord struct {
	Row    staging.GridRow
	Drafts []DraftRecord // in the order of the routine; empty before anything is mapped
}

// Draft gives the record of one draft, by its name.
func (r RowAsRecord) Draft(name string) (DraftRecord, bool) {
	n := slices.IndexFunc(r.Drafts, func(d DraftRecord) bool { return d.Name == name })
	if n < 0 {
		return DraftRecord{}, false
	}
	return r.Drafts[n], true
}

// RowAsRecord types one row by the present routine; once there was a check it
// also shows the records that were found and what would change.
func (s *Service) RowAsRecord(ctx context.Context, i store.Import, number int64) (RowAsRecord, error) {
	var out RowAsRecord
	whole := i
	whole.Veil = mapping.Veil{}
	rows, err := s.room.Rows(store.Whole(ctx), whole, staging.RowFilter{}, number-1, -1, 1)
	if err != nil {
		return out, err
	}
	if len(rows) == 0 || rows[0].Row != number {
		return out, fault.New(fault.NotFound, "unknown_row",
			"the source has no row of this number, or nothing stands in it").With(fmt.Sprint(number))
	}
	out.Row = rows[0]
	plan, _, err := s.planOf(ctx, i)
	if fault.Is(err, "no_mapping") {
		return out, nil
	}
	if err != nil {
		return out, err
	}
	if i.Totals.V == nil { // not checked since the routine was changed: the row's own problems are all that is known
		out.Row.Problems = nil
	}
	for n, dp := range plan.Drafts {
		d := DraftRecord{Type: dp.Type, RowDraft: draftOf(out.Row, dp)}
		var typed mapping.Typed
		dp.Apply(sheet.Row{Number: number, Cells: out.Row.Cells.V}, &typed)
		if i.Totals.V == nil {
			out.Row.Problems = append(out.Row.Problems, typed.Problems...)
		}
		if d.Record != nil {
			found, err := s.store.Record(ctx, i.Workspace, dp.Type.Name, dp.Type.RecordID(*d.Record))
			if err != nil && !fault.Is(err, "unknown_record") {
				return out, err
			}
			if err == nil {
				d.Found = &found
			}
		}
		var links map[string]staging.RowLink
		var dialled map[int]staging.Dialled
		if i.Totals.V != nil {
			if links, err = s.room.RowLinks(ctx, i, plan, n, number); err != nil {
				return out, err
			}
			if dialled, err = s.room.RowDialled(ctx, i, plan, n, number); err != nil {
				return out, err
			}
		}
		for at, fp := range dp.Fields {
			if typed.MakesNone() {
				break
			}
			if x, ok := dialled[at]; ok {
				typed.Values[at] = x.Value
			}
			v := rowValue(dp, fp, typed.Values[at], d, out.Row.Problems)
			if x, ok := dialled[at]; ok && v.Why == "" {
				v.Why = x.Says()
			}
			l, ok := links[fp.Field.Name]
			if d.Found != nil && !v.Changed && v.Problem == nil { // what is there stays
				l.Row, l.In = 0, ""
				l.Link, ok = d.Found.Links[fp.Field.Name]
			}
			if ok && v.Problem == nil && (l.Row == 0 || fp.Rows >= 0 || l.In != "") {
				v.Said = strings.ReplaceAll(typed.Values[at], mapping.FindGap, ", ")
				switch {
				case l.In != "":
					v.After = fmt.Sprintf("the %s of row %d of %s", strings.ToLower(fp.LinkLabel), l.Row, l.In)
				case l.Row > 0:
					v.After = fmt.Sprintf("the %s of row %d", strings.ToLower(fp.LinkLabel), l.Row)
				default:
					v.Link = &l.Link
				}
				if l.How != staging.ByRow && l.How != staging.ByRowName && (typed.Values[at] != "" || fp.Draft >= 0) {
					v.Why = l.How.Says()
				}
			}
			if i.Veil.Keeps(dp.Name, fp.Field.Name) {
				v = v.kept()
			}
			d.Values = append(d.Values, v)
		}
		out.Drafts = append(out.Drafts, d)
	}
	return out.veiled(i.Veil), nil
}

// kept is the value without what it is, for whom it is kept from.
func (v RowValue) kept() RowValue {
	out := RowValue{Field: v.Field, Column: v.Column, Changed: v.Changed, Before: mapping.Mask(v.Before),
		After: mapping.Mask(v.After)}
	if v.Problem != nil {
		out.Problem = &problem.Problem{Code: v.Problem.Code, Field: v.Problem.Field, Column: v.Problem.Column,
			Light: v.Problem.Light, Value: mapping.Mask(v.Problem.Value)}
	}
	return out
}

// veiled masks what is kept of the row itself.
func (r RowAsRecord) veiled(v mapping.Veil) RowAsRecord {
	r.Row.Cells.V = v.Cells(r.Row.Cells.V)
	for n, p := range r.Row.Problems {
		r.Row.Problems[n] = v.Problem(p)
	}
	for n, d := range r.Row.Drafts {
		r.Row.Drafts[n].Changes.V = v.Changes(d.Name, d.Changes.V)
	}
	for n, d := range r.Drafts {
		r.Drafts[n].Changes.V = v.Changes(d.Name, d.Changes.V)
	}
	return r
}

// draftOf gives what the check and the load said of one draft of a row.
func draftOf(r staging.GridRow, dp *mapping.DraftPlan) staging.RowDraft {
	for _, d := range r.Drafts {
		if d.Name == dp.Name && d.Type == dp.Type.Name {
			return d
		}
	}
	return staging.RowDraft{Name: dp.Name, Type: dp.Type.Name}
}

func rowValue(dp *mapping.DraftPlan, fp mapping.FieldPlan, typed string, d DraftRecord,
	problems []problem.Problem) RowValue {
	typed = strings.ReplaceAll(typed, mapping.FindGap, ", ")
	v := RowValue{Field: fp.Field, Column: fp.Column(), After: typed}
	if fp.Draft >= 0 {
		v.After = "the " + strings.ToLower(fp.LinkLabel) + " of this row"
	}
	if d.Found != nil {
		v.Before = d.Found.Values[fp.Field.Name]
	}
	if c, ok := d.Changes.V[fp.Field.Name]; ok { // as the check found it, links resolved
		v.Before, v.After, v.Changed = text(c[0]), text(c[1]), true
	} else if d.Found != nil {
		v.After = v.Before
		v.Why = whyItStays(fp, typed, v.Before)
	}
	for _, p := range problems {
		if p.Field == dp.Named(fp.Field.Name) {
			v.Problem = &p
			v.After = typed
		}
	}
	return v
}

// whyItStays says why a record keeps what it has though the row says something.
func whyItStays(fp mapping.FieldPlan, said, there string) string {
	switch {
	case said == "" || said == there || fp.Field.Kind().Form == catalog.LinkForm:
		return ""
	case fp.Both == mapping.Keep:
		return fmt.Sprintf("the row says %q; the routine keeps what is there", said)
	case fp.Both == mapping.Newer:
		return fmt.Sprintf("the row says %q, which is not newer than what is there", said)
	}
	return fmt.Sprintf("the row says %q: the same in other writing, or less of it", said)
}

func text(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}
