package staging

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/verdict"
	"uchi/internal/schema"
)

// UndoCount is how much of one kind an undo does, or cannot do.
type UndoCount struct {
	Act     verdict.UndoAct `db:"act"`
	Type    string          `db:"type"`
	Why     verdict.UndoWhy `db:"why"` // empty for what it does
	Records int64           `db:"records"`
	Values  int64           `db:"values"` // that return, or that stay as they are
}

// UndoItem is one record that an undo is about.
type UndoItem struct {
	Act    verdict.UndoAct `db:"act"`
	Type   string          `db:"type"`
	Record int64           `db:"record_id"`
	Title  string          `db:"title"`
	Row    *int64          `db:"row_no"`
	Why    verdict.UndoWhy `db:"why"`
	Fields []string        `db:"fields"` // that return
	Kept   []string        `db:"kept"`   // that stay as they are
}

// UndoPlan says what an undo would do.
type UndoPlan struct {
	Counts []UndoCount
	Items  []UndoItem // what cannot be taken back first
}

// Summary tells what the plan holds: the numbers, and so many single records,
// those that cannot be taken back first.
func (u *Undo) Summary(ctx context.Context, items int) (UndoPlan, error) {
	var out UndoPlan
	var err error
	out.Counts, err = collect[UndoCount](ctx, u.room.pool, u.word, q(`
		select act, type, why, count(*) as records, sum(cardinality(case when why = '' then fields
		else kept end))::bigint as values
		from {undo} group by act, type, why
		union all
		select 'return', type, 'changed_since', count(*), sum(cardinality(kept))::bigint
		from {undo} where act = 'return' and why = '' and kept <> '{}' group by type
		order by why, act, type`))
	if err != nil {
		return out, fmt.Errorf("sum up the plan of the undo: %w", err)
	}
	there, err := u.room.there(ctx, resultsTable(u.i.ID))
	if err != nil {
		return out, err
	}
	for _, t := range u.types {
		list, err := collect[UndoItem](ctx, u.room.pool, u.of(t), q(`
			with few as materialized (
				select * from {undo} where type = {type} order by why = '' and kept = '{}', seq limit @items
			)
			select u.act, u.type, u.record_id, x.row_no, u.why, u.fields, u.kept, coalesce({title}, '') as title
			from few u left join {records} r on r.id = u.record_id left join {from} x on x.record_id = u.record_id
			order by u.why = '' and u.kept = '{}', u.seq`,
			frag{"title": schema.TitleText(t.RecordType, "r"), "from": u.fromRows(t, there)}, arg{"items": items}))
		if err != nil {
			return out, fmt.Errorf("list the plan of the undo: %w", err)
		}
		out.Items = append(out.Items, list...)
	}
	slices.SortStableFunc(out.Items, func(a, b UndoItem) int { return b.stuck() - a.stuck() })
	out.Items = out.Items[:min(items, len(out.Items))]
	return out, nil
}

// fromRows is the SQL of the first rows from which a few records of a type come, while
// what became of the rows is kept.
func (u *Undo) fromRows(t undoType, kept bool) string {
	which := []string{`false`}
	if kept && u.i.Routine.V != nil {
		for n, d := range u.i.Routine.V.Drafts {
			if d.Type == t.Name {
				which = append(which, wrote(n))
			}
		}
	}
	if len(which) == 1 {
		return `(select null::bigint as record_id, null::bigint as row_no)`
	}
	return `(select o.record_id, min(o.row_no) as row_no from {results} o
		where o.record_id in (select record_id from few) and (` + strings.Join(which, ` or `) + `) group by o.record_id)`
}

// stuck is 1 for what cannot be taken back, wholly or in part.
func (x UndoItem) stuck() int {
	if x.Why != "" || len(x.Kept) > 0 {
		return 1
	}
	return 0
}
