package api

import (
	"cmp"
	"slices"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/matching"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"
	"uchi/internal/work"
)

func personView(p store.Person) Person {
	return Person{Id: p.ID, Email: p.Email, Name: p.Name, Role: Role(p.Role), Suspended: !p.Active}
}

func tokenView(t store.Token, secret string) Token {
	return Token{Id: t.ID, Label: t.Label, Role: Role(t.Role), Workspace: t.Workspace, MadeAt: t.MadeAt,
		EndsAt: t.EndsAt, UsedAt: at(t.UsedAt), Secret: secret}
}

func at(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

// importView translates an import; lists leave its columns and routine out.
func importView(i store.Import, whole bool) Import {
	v := Import{Id: i.ID, Name: i.Name, State: ImportState(i.State), Busy: ImportBusy(i.Work), Into: i.Into,
		Rows: i.Rows, Done: i.Done, Of: i.Of, Written: i.Written, Cancelling: i.Cancelled, CleanedAt: at(i.CleanedAt),
		MadeBy: i.MadeByName, MadeAt: i.MadeAt, ChangedAt: i.ChangedAt, CheckedAt: at(i.CheckedAt),
		AnsweredAt: at(i.AnsweredAt), BeganAt: at(i.BeganAt), EndedAt: at(i.EndedAt),
		Outcomes: outcomesView(i.Outcomes.V), Totals: totalsView(i.Totals.V), Trouble: troubleView(i.Trouble.V)}
	v.Bundle = deref(i.Bundle)
	v.Rehearses.Import, v.Rehearses.Workspace = deref(i.Rehearses), i.RehearsesIn
	v.File.Name, v.File.Bytes, v.File.Sha256 = i.FileName, i.FileBytes, i.FileSHA256
	if !whole {
		return v
	}
	v.RoutineVersion = i.RoutineVersion
	v.Reading, v.Findings, v.Columns, v.Notices = i.Reading.V, i.Findings.V, i.Columns.V, i.Notices.V
	v.Unplaced = unplaced(i)
	if i.Routine.V != nil {
		v.Routine = *i.Routine.V
	}
	return v
}

// unplaced gives the headers of the columns of an import that no field takes.
func unplaced(i store.Import) []string {
	if i.Routine.V == nil {
		return i.Headers()
	}
	return i.Routine.V.Unplaced(i.Headers())
}

func outcomesView(outcomes map[verdict.Outcome]int64) map[string]int64 {
	m := map[string]int64{}
	for o, n := range outcomes {
		if n != 0 {
			m[string(o)] = n
		}
	}
	return m
}

func totalsView(t *verdict.Totals) Totals {
	if t == nil {
		return Totals{}
	}
	v := Totals{Rows: t.Rows, Verdicts: t.Verdicts, Problems: []ProblemCount{}, Changes: t.Changes,
		Referred: t.Referred, Drafts: t.Drafts}
	for _, a := range t.Asked {
		v.Asked = append(v.Asked, AskedCount{Kind: a.Kind, Count: a.Count, Message: a.Kind.Says()})
	}
	for _, r := range t.Reasons {
		v.Reasons = append(v.Reasons, ReasonCount{Reason: string(r.Reason), Count: r.Count, Message: r.Reason.Summary()})
	}
	for _, p := range t.Problems {
		v.Problems = append(v.Problems, ProblemCount{Code: p.Code, Field: p.Field, Count: p.Count, Light: p.Light,
			Message: problem.Summary(problem.Code(p.Code))})
	}
	return v
}

func troubleView(t *store.Trouble) Trouble {
	if t == nil {
		return Trouble{}
	}
	return Trouble{Code: t.Code, Message: t.Message, Place: t.Place, Value: t.Value, Mend: t.Mend}
}

func progressView(p store.ProgressOf) Progress {
	return Progress{State: ImportState(p.State), Busy: ProgressBusy(p.Work), Rows: p.Rows, Done: p.Done, Of: p.Of,
		Outcomes: outcomesView(p.Outcomes.V), Trouble: troubleView(p.Trouble.V), ChangedAt: p.Changed}
}

// rowView translates a row of an import. Its record is that of its first draft.
func rowView(r staging.GridRow, c catalog.Catalog) Row {
	v := Row{Row: r.Row, Cells: r.Cells.V, Verdict: deref(r.Verdict), Outcome: deref(r.Outcome),
		Question: deref(r.Question), OtherRow: deref(r.OtherRow), ReasonCode: string(deref(r.Reason))}
	for n, d := range r.Drafts {
		t, _ := c.Type(d.Type)
		out := RowDraft{Draft: d.Name, Type: d.Type, Verdict: deref(d.Verdict), Outcome: deref(d.Outcome)}
		out.Record, out.Percent, out.OtherRow, out.Reason = saidOf(d, t)
		before := ""
		if len(r.Drafts) > 1 {
			before = d.Name + "."
		}
		v.Drafts = append(v.Drafts, out)
		v.Changes = append(v.Changes, changesView(d.Changes.V, t, before)...)
		if n == 0 {
			v.Record, v.Percent = out.Record, out.Percent
		}
	}
	if r.Reason != nil {
		v.Reason = r.Reason.Says(v.Record, v.OtherRow)
	}
	for _, p := range r.Problems {
		v.Problems = append(v.Problems, problemView(p))
	}
	return v
}

// deref gives what a pointer points to, the zero value for none.
func deref[T any](p *T) T {
	var zero T
	if p == nil {
		return zero
	}
	return *p
}

// saidOf gives what is said of a draft of a row.
func saidOf(d staging.RowDraft, t catalog.RecordType) (record string, percent float64, otherRow int64, reason string) {
	if d.Record != nil && t.Prefix != "" {
		record = t.RecordID(*d.Record)
	}
	otherRow = deref(d.OtherRow)
	if d.Reason != nil {
		reason = d.Reason.Says(record, otherRow)
	}
	return record, deref(d.Score), otherRow, reason
}

// changesView lists changes in the order of the type's fields, with what stands
// before their names.
func changesView(m map[string][2]*string, t catalog.RecordType, before string) []Change {
	list := []Change{}
	for field, c := range m {
		list = append(list, Change{Field: t.Now(field), Before: deref(c[0]), After: deref(c[1])})
	}
	order := map[string]int{}
	for i, f := range t.Fields {
		order[f.Name] = i
	}
	slices.SortFunc(list, func(a, b Change) int { return cmp.Compare(order[a.Field], order[b.Field]) })
	for i := range list {
		list[i].Field = before + list[i].Field
	}
	return list
}

func problemView(p problem.Problem) RowProblem {
	return RowProblem{Code: string(p.Code), Field: p.Field, Column: p.Column, Value: p.Value, Message: p.Message(),
		Mend: p.Mend(), Light: p.Light}
}

func rowAsRecordView(r work.RowAsRecord, c catalog.Catalog) RowAsRecord {
	v := RowAsRecord{Row: rowView(r.Row, c), Drafts: []DraftRecord{}}
	for _, d := range r.Drafts {
		out := DraftRecord{Draft: d.Name, Type: d.Type.Name, Verdict: deref(d.Verdict), Outcome: deref(d.Outcome),
			Values: []RowValue{}}
		_, out.Percent, out.OtherRow, out.Reason = saidOf(d.RowDraft, d.Type)
		if d.Found != nil {
			out.Record = Link{Type: d.Type.Name, Id: d.Type.RecordID(d.Found.ID), Title: d.Found.Title}
		}
		for _, x := range d.Values {
			out.Values = append(out.Values, rowValueView(x))
		}
		v.Drafts = append(v.Drafts, out)
	}
	return v
}

func rowValueView(x work.RowValue) RowValue {
	v := RowValue{Field: x.Field.Name, Label: x.Field.Label, Column: x.Column, Before: x.Before, After: x.After,
		Changed: x.Changed, Said: x.Said, Why: x.Why}
	if x.Link != nil {
		v.Link = linkView(*x.Link)
	}
	if x.Problem != nil {
		v.Problem = problemView(*x.Problem)
	}
	return v
}

func ruleEffectView(e staging.RuleEffect, t catalog.RecordType) RuleEffect {
	v := RuleEffect{Says: e.Rule.Says(t), Records: e.Of, LookedAt: e.Looked, Alone: e.Alone, Largest: e.Largest,
		Takes: e.Takes, Taken: e.Taken, Asked: e.Asked, Pairs: []AlikePair{}}
	for _, p := range e.Pairs {
		pair := AlikePair{A: linkView(p.A), B: linkView(p.B), Percent: p.Percent, Taken: p.Taken}
		for _, word := range p.Against {
			pair.Against = append(pair.Against, matching.AgainstSays(word))
		}
		v.Pairs = append(v.Pairs, pair)
	}
	return v
}

func linkView(l store.Link) Link { return Link{Type: l.Type, Id: l.ID, Title: l.Title} }

func recordView(r store.Record) Record {
	v := Record{Type: r.Type.Name, Id: r.Type.RecordID(r.ID), Version: r.Version, Title: r.Title, Values: r.Values,
		CreatedAt: r.CreatedAt, CreatedBy: r.CreatedBy, ChangedAt: r.ChangedAt, ChangedBy: r.ChangedBy}
	if r.Import != nil {
		v.Import = *r.Import
	}
	if len(r.Links) > 0 {
		v.Links = map[string]Link{}
		for f, l := range r.Links {
			v.Links[f] = linkView(l)
		}
	}
	return v
}
