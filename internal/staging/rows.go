package staging

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/value"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"
)

// RowFilter chooses rows of an import; empty parts choose all.
type RowFilter struct {
	Verdict string
	Outcome string
	Problem string
	Field   string // of the problem
	Value   string // of the cell with the problem
	Reason  string // why rows are left out
	Kind    string // of the question
	Text    string // in any cell
	In      int    // the column that the text stands in, counted from 1; any when 0

	found *[]int64 // the rows that have the text in some cell, once they were looked up; see Find
}

// GridRow is a row of an import as the grid shows it.
type GridRow struct {
	Row      int64                `db:"row_no"`
	Cells    store.JSON[[]string] `db:"cells"`
	Verdict  *verdict.Verdict     `db:"verdict"`
	Outcome  *verdict.Outcome     `db:"outcome"`
	Question *verdict.Question    `db:"question"`
	Reason   *verdict.Reason      `db:"why"`
	OtherRow *int64               `db:"other_row"`
	Drafts   []RowDraft           `db:"-"` // in the order of the routine
	Problems []problem.Problem    `db:"-"`
}

// Unchecked is the row without what a check has said of it that no longer holds;
// what became of it stays.
func (g GridRow) Unchecked() GridRow {
	g.Verdict, g.Question, g.Reason, g.OtherRow, g.Problems = nil, nil, nil, nil, nil
	drafts := g.Drafts
	g.Drafts = nil
	for _, d := range drafts {
		g.Drafts = append(g.Drafts, RowDraft{Row: d.Row, Place: d.Place, Name: d.Name, Type: d.Type, Outcome: d.Outcome,
			Record: d.Record})
	}
	return g
}

// RowDraft is what is said of one of the drafts of a row.
type RowDraft struct {
	Row      int64                             `db:"row_no"`
	Place    int                               `db:"draft"` // counted from 1
	Name     string                            `db:"-"`
	Type     string                            `db:"-"`
	Verdict  *verdict.Verdict                  `db:"verdict"`
	Outcome  *verdict.Outcome                  `db:"outcome"`
	Record   *int64                            `db:"record_id"`
	Score    *float64                          `db:"score"`
	Reason   *verdict.Reason                   `db:"why"`
	OtherRow *int64                            `db:"other_row"`
	Changes  store.JSON[map[string][2]*string] `db:"changes"`
}

// rows is the vocabulary of the rows of an import, with what is said of them:
// {said} joins to cells c the verdict of the row as v and its outcome as o, and
// before the first check a verdict that says nothing. ok is false when the cells
// are not staged.
func (r *Room) rows(i store.Import) (word vocabulary, ok bool) {
	cells, ok := cellsOf(i)
	if !ok {
		return nil, false
	}
	of, checked := checkOf(i)
	texts := r.hasTexts(i)
	return func(w string) (string, bool, bool) {
		switch {
		case w == "cells":
			return cells, true, true
		case w == "results":
			return resultsTable(i.ID), true, true
		case w == "verdicts" && checked:
			return of(draftPart(0, "verdicts")), true, true
		case (w == "problems" || w == "asked" || w == "anchors") && checked:
			return of(w), true, true
		case w == "verdicts":
			return `(select null::bigint as row_no, null::text as row_verdict, null::text as row_why, null::bigint as row_other where false)`, true, true
		case w == "problems":
			return `(select null::bigint as row_no, null::text as code, null::text as field, null::text as col, null::text as value, null::text as detail, false as light where false)`, true, true
		case w == "asked":
			return `(select null::bigint as row_no, null::text as kind where false)`, true, true
		case w == "anchors":
			return `(select null::text as word, null::bigint as n, null::bigint as row_no where false)`, true, true
		case w == "has_text":
			if len(i.Veil.Columns) > 0 {
				return saidIn(seenCells(i)) + ` like @text`, false, true
			}
			if texts {
				return `c.row_no in (select t.row_no from ` + textsOf(i) + ` t where t.said like @text)`, false, true
			}
			return saidIn("c.cells") + ` like @text`, false, true
		case w == "said":
			return `
				left join {verdicts} v on v.row_no = c.row_no
				left join {results} o on o.row_no = c.row_no and o.last and o.of_row is not null`, false, true
		}
		return "", false, false
	}, true
}

// cond is the SQL that chooses rows of cells c and what is {said} of them; its
// values come to the others.
func (f RowFilter) cond(args arg) string {
	conds := []string{`true`}
	if f.Verdict != "" {
		conds = append(conds, `v.row_verdict = `+literal(f.Verdict))
	}
	if f.Outcome != "" {
		conds = append(conds, `o.of_row = `+literal(f.Outcome))
	}
	if f.Reason != "" {
		conds, args["reason"] = append(conds, `v.row_why = @reason`), f.Reason
	}
	if f.Kind != "" {
		conds, args["kind"] = append(conds, `v.row_verdict = 'ask' and c.row_no in (select x.row_no from {asked} x
			where x.kind = @kind)`), f.Kind
	}
	if f.Problem != "" || f.Field != "" || f.Value != "" {
		args["problem"], args["field"], args["value"] = f.Problem, f.Field, f.Value
		conds = append(conds, `c.row_no in (
			select p.row_no from {problems} p
			where (@problem::text = '' or p.code = @problem) and (@field::text = '' or p.field = @field)
			and (@value::text = '' or p.value = @value))`)
	}
	if f.Text != "" {
		where := `{has_text}`
		if f.In > 0 {
			where = `lower(c.cells[` + schema.Int(f.In) + `]) like @text`
		}
		if f.found != nil {
			conds, args["found"] = append(conds, `c.row_no = any(@found)`), *f.found
		}
		if f.found == nil || f.In > 0 {
			conds, args["text"] = append(conds, where), "%"+store.LikeEscape(strings.ToLower(f.Text))+"%"
		}
	}
	return strings.Join(conds, " and ")
}

// chosen is the SQL of the numbers of the rows that a filter chooses, as x, from
// as few tables as it needs. Verdicts and outcomes are words of the statement and no
// values, as some have an index and others none.
func (f RowFilter) chosen(args arg) string {
	switch f {
	case RowFilter{}:
		return `{cells} x where true`
	case RowFilter{Verdict: f.Verdict}:
		return `{verdicts} x where x.row_verdict = ` + literal(f.Verdict)
	case RowFilter{Outcome: f.Outcome}:
		return `{results} x where x.last and x.of_row is not null and x.of_row = ` + literal(f.Outcome)
	}
	return `(select c.row_no from {cells} c {said} where ` + f.cond(args) + `) x where true`
}

// Rows gives a page of rows behind row number after, or from a position (its
// place among the rows chosen, counted from 0) when that is not negative.
func (r *Room) Rows(ctx context.Context, i store.Import, f RowFilter, after, position int64,
	limit int) ([]GridRow, error) {
	return looking(ctx, r, i, func(i store.Import) ([]GridRow, error) {
		word, ok := r.rows(i)
		if !ok {
			return nil, errNotStaged
		}
		offset := int64(0)
		if position >= 0 {
			var err error
			if after, offset, err = r.startOf(ctx, i, word, f, position); err != nil {
				return nil, err
			}
		}
		args := arg{"after": after, "offset": offset, "limit": limit}
		return r.page(ctx, i, word, `select x.row_no from `+f.chosen(args)+` and x.row_no > @after
			order by x.row_no offset @offset limit @limit`, args)
	})
}

// RowsInOrder gives a page of rows from a position in an order by a column.
func (r *Room) RowsInOrder(ctx context.Context, i store.Import, f RowFilter, o RowOrder, position int64,
	limit int) ([]GridRow, error) {
	return looking(ctx, r, i, func(i store.Import) ([]GridRow, error) {
		word, ok := r.rows(i)
		if !ok {
			return nil, errNotStaged
		}
		if err := r.readyOrder(ctx, i, o); err != nil {
			return nil, err
		}
		args := arg{"offset": position, "limit": limit}
		return r.page(ctx, i, word, f.ordered(i, o, args), args)
	})
}

// page gives the rows whose numbers a query gives, in its order.
func (r *Room) page(ctx context.Context, i store.Import, word vocabulary, numbers string, args arg) ([]GridRow, error) {
	// The numbers of the page's rows are picked first, so that only they are joined.
	list, err := collect[GridRow](ctx, r.pool, word, q(`
		with page as materialized (
			select row_no, row_number() over () as place from ({numbers}) n
		)
		select c.row_no, to_jsonb(c.cells) as cells, v.row_verdict as verdict, v.row_why as why, v.row_other as other_row, o.of_row as outcome,
			case when v.row_verdict = 'ask' then (select x.kind from {asked} x where x.row_no = v.row_no limit 1) end as question
		from page join {cells} c on c.row_no = page.row_no {said}
		order by page.place`, frag{"numbers": numbers}, args))
	if err != nil {
		return nil, fmt.Errorf("read rows: %w", err)
	}
	for n := range list {
		list[n].Cells.V = i.Veil.Cells(list[n].Cells.V)
	}
	if err := r.addProblems(ctx, i, word, list); err != nil {
		return nil, err
	}
	return list, r.addDrafts(ctx, i, list)
}

// numbersOf gives the numbers of rows, and the place of each.
func numbersOf(rows []GridRow) (numbers []int64, at map[int64]int) {
	at = map[int64]int{}
	for n, r := range rows {
		numbers = append(numbers, r.Row)
		at[r.Row] = n
	}
	return numbers, at
}

// addDrafts adds what is said of each draft of rows.
func (r *Room) addDrafts(ctx context.Context, i store.Import, rows []GridRow) error {
	if i.Routine.V == nil || len(rows) == 0 {
		return nil
	}
	numbers, at := numbersOf(rows)
	var all []string
	of, checked := checkOf(i)
	for n := range i.Routine.V.Drafts {
		if !checked {
			break
		}
		all = append(all, fmt.Sprintf(`
			select row_no, %d as draft, verdict, record_id, score::float8 as score, why, other_row, changes
			from %s where row_no = any(@rows)`, n+1, of(draftPart(n, "verdicts"))))
	}
	// Of rows that are settled the check says nothing, only what became of them.
	all = append(all, `
		select row_no, draft, null::text as verdict, null::bigint as record_id, null::float8 as score, null::text as why,
		null::bigint as other_row, null::jsonb as changes
		from {results} where last and row_no = any(@rows)`)
	list, err := collect[RowDraft](ctx, r.pool,
		func(w string) (string, bool, bool) { return resultsTable(i.ID), true, w == "results" }, q(`
		select distinct on (x.row_no, x.draft) x.row_no, x.draft, x.verdict,
		coalesce(o.record_id, x.record_id) as record_id, x.score, x.why, x.other_row, x.changes, o.outcome
		from ({all}) x
		left join {results} o on o.row_no = x.row_no and o.draft = x.draft and o.last
		order by x.row_no, x.draft, x.verdict is null`, frag{"all": strings.Join(all, " union all ")}, arg{"rows": numbers}))
	if err != nil {
		return fmt.Errorf("read what is said of drafts: %w", err)
	}
	for _, d := range list {
		if d.Place <= len(i.Routine.V.Drafts) {
			draft := i.Routine.V.Drafts[d.Place-1]
			d.Name, d.Type = draft.Called(), draft.Type
		}
		d.Changes.V = i.Veil.Changes(d.Name, d.Changes.V)
		row := &rows[at[d.Row]]
		row.Drafts = append(row.Drafts, d)
	}
	return nil
}

// startOf finds where to begin for a position: from the nearest kept row
// number when all rows or those of one verdict or outcome are shown, else by
// counting.
func (r *Room) startOf(ctx context.Context, i store.Import, word vocabulary, f RowFilter, position int64) (after,
	offset int64, err error) {
	switch f {
	case RowFilter{}:
		err = r.pool.QueryRow(ctx, `select coalesce(anchors[$2], 1) - 1 from imports where id = $1`, i.ID,
			position/anchorStep+1).Scan(&after)
	case RowFilter{Verdict: f.Verdict}, RowFilter{Outcome: f.Outcome}:
		shifts, there := `0`, false
		if of, checked := checkOf(i); checked && f.Verdict != "" {
			if there, err = r.there(ctx, of("shifts")); err != nil {
				return 0, 0, err
			}
			if there { // rows that were checked again since stand elsewhere
				shifts = `coalesce((select sum(s.by) from ` + of("shifts") + ` s where s.word = a.word and s.row_no < a.row_no), 0)`
			}
		}
		var sql string
		if sql, _, err = q(`
			select row_no - 1, at from (
				select a.row_no, a.n, a.n + {shifts} as at from {anchors} a where a.word = $1
			) x where at <= $2 order by n desc limit 1`,
			frag{"shifts": shifts}).compose(word); err != nil {
			return 0, 0, err
		}
		var at int64
		err = r.pool.QueryRow(ctx, sql, f.Verdict+f.Outcome, position).Scan(&after, &at)
		if err == nil {
			return after, position - at, nil
		}
	default:
		return 0, position, nil
	}
	if store.IsMissing(err) {
		return 0, position, nil
	}
	if err != nil {
		return 0, 0, fmt.Errorf("find position: %w", err)
	}
	return after, position % anchorStep, nil
}

type problemRow struct {
	Row    int64        `db:"row_no"`
	Code   problem.Code `db:"code"`
	Field  string       `db:"field"`
	Column string       `db:"col"`
	Value  string       `db:"value"`
	Detail string       `db:"detail"`
	Light  bool         `db:"light"`
}

// addProblems adds what is wrong with rows.
func (r *Room) addProblems(ctx context.Context, i store.Import, word vocabulary, rows []GridRow) error {
	if len(rows) == 0 {
		return nil
	}
	numbers, at := numbersOf(rows)
	list, err := collect[problemRow](ctx, r.pool, word, q(`select row_no, code, field, col, value, detail, light
		from {problems} p where row_no = any(@rows) order by row_no, field, code`, arg{"rows": numbers}))
	if err != nil {
		return fmt.Errorf("read problems: %w", err)
	}
	for _, p := range list {
		row := &rows[at[p.Row]]
		row.Problems = append(row.Problems,
			i.Veil.Problem(problem.Problem{Code: p.Code, Field: p.Field, Column: p.Column, Value: p.Value, Detail: p.Detail,
				Light: p.Light}))
	}
	return nil
}

// CountRows counts the rows that a filter chooses.
func (r *Room) CountRows(ctx context.Context, i store.Import, f RowFilter) (int64, error) {
	return looking(ctx, r, i, func(i store.Import) (int64, error) { return r.countRows(ctx, i, f) })
}

func (r *Room) countRows(ctx context.Context, i store.Import, f RowFilter) (int64, error) {
	word, ok := r.rows(i)
	if !ok {
		return 0, nil
	}
	switch { // what is counted already
	case f == RowFilter{Verdict: f.Verdict} && f.Verdict != "" && i.Totals.V != nil:
		return i.Totals.V.Verdicts[f.Verdict], nil
	case f == RowFilter{Outcome: f.Outcome} && f.Outcome != "":
		return i.Outcomes.V[verdict.Outcome(f.Outcome)], nil
	}
	args := arg{}
	list, err := collect[counted](ctx, r.pool, word, q(`select '' as word, count(*) as count from {chosen}`,
		frag{"chosen": f.chosen(args)}, args))
	if err != nil {
		return 0, fmt.Errorf("count rows: %w", err)
	}
	return list[0].Count, nil
}

// EachGridRow streams all rows that a filter chooses, with their problems, for
// downloads.
func (r *Room) EachGridRow(ctx context.Context, i store.Import, f RowFilter, each func(GridRow) error) error {
	const page = 5000
	after := int64(-1)
	for {
		rows, err := r.Rows(ctx, i, f, after, -1, page)
		if err != nil {
			return err
		}
		for _, row := range rows {
			if err := each(row); err != nil {
				return err
			}
			after = row.Row
		}
		if len(rows) < page {
			return nil
		}
	}
}

// mostRanked is how many updates are looked through for the worst.
const mostRanked = 20_000

// FirstOverwrites gives updates that would replace values, as a foretaste before a
// load: of the first ones those that look worst, which change what a record is named
// or known by, empty a value, shorten it, or put something quite different.
func (r *Room) FirstOverwrites(ctx context.Context, i store.Import, limit int) ([]GridRow, error) {
	return looking(ctx, r, i, func(i store.Import) ([]GridRow, error) { return r.firstOverwrites(ctx, i, limit) })
}

func (r *Room) firstOverwrites(ctx context.Context, i store.Import, limit int) ([]GridRow, error) {
	of, ok := checkOf(i)
	if !ok || i.Routine.V == nil {
		return nil, nil
	}
	c, err := r.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return nil, err
	}
	var all []string
	for n, d := range i.Routine.V.Drafts {
		t, err := c.MustType(d.Type)
		if err != nil {
			return nil, err
		}
		known := []string{`''`}
		for _, f := range t.Fields {
			if f.Key || schema.InTitle(t, f.Name) {
				known = append(known, schema.Literal(f.Name))
			}
		}
		all = append(all, `select v.row_no, e.key in (`+list(known)+
			`) as known, e.value->>0 as was, coalesce(e.value->>1, '') as now
			from (select * from `+of(draftPart(n, "verdicts"))+` v where v.verdict = 'update' order by row_no limit `+
			schema.Int(mostRanked)+`) v, jsonb_each(v.changes) e
			where e.value->>0 <> ''`)
	}
	list, err := collect[GridRow](ctx, r.pool,
		func(string) (string, bool, bool) { return of(draftPart(0, "verdicts")), true, true }, q(`
		select v.row_no, '[]'::jsonb as cells, v.row_verdict as verdict, v.row_why as why, v.row_other as other_row,
		null::text as question, null::text as outcome
		from {verdicts} v
		join (
			select row_no, max(
				case when known then 2 else 0 end
				+ greatest(0, 1 - length(now)::float8 / length(was))
				+ case when lower(left(now, least(3, length(was)))) = lower(left(was, least(3, length(now)))) then 0
				else 0.5 end) as worst
			from ({all}) x group by row_no
		) w using (row_no)
		where v.row_verdict in ('create', 'update')
		order by w.worst desc, v.row_no limit @limit`, frag{"all": strings.Join(all, " union all ")}, arg{"limit": limit}))
	if err != nil {
		return nil, fmt.Errorf("read first overwrites: %w", err)
	}
	return list, r.addDrafts(ctx, i, list)
}

// RowLink is a record that a reference of a row leads to.
type RowLink struct {
	store.Link
	How LinkFind
	Row int64  // of the row that is to make the record; 0 when it is there
	In  string // the import of the bundle in which the row is, where it is another
}

// RowLinks gives the records that the references of a draft of a checked row
// lead to, by field. The draft is counted from 0.
func (r *Room) RowLinks(ctx context.Context, i store.Import, plan *mapping.Plan, n int,
	row int64) (map[string]RowLink, error) {
	links := map[string]RowLink{}
	c, err := r.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return nil, err
	}
	check, ok := r.holding(i, plan, c)
	if !ok {
		return links, nil
	}
	var beside []store.Import
	if i.Bundle != nil {
		if beside, err = r.store.BundleImports(ctx, *i.Bundle); err != nil {
			return nil, err
		}
	}
	k := check.drafts[n]
	for _, fp := range k.references() {
		target, err := c.MustType(fp.Field.To)
		if err != nil {
			return nil, err
		}
		var id int64
		l := RowLink{Link: store.Link{Type: target.Name}}
		how := literal(ByDraft)
		if fp.Draft < 0 {
			how = `coalesce((select case when l.finds > 1 then ` + literal(ByBelonging) + ` else l.how end from ` +
				k.table("links") + ` l join ` + k.table("draft") + ` d on d.` + textColumn(fp.Field.Name) + ` = l.lookup
				where d.row_no = v.row_no and l.field = ` + schema.Literal(fp.Field.Name) + `
					and (l.record_id = ` + schema.Column(fp.Field, "v") + ` or l.record_id < 0 or l.finds > 1) limit 1), ` + literal(ByID) + `)`
		}
		link := schema.Column(fp.Field, "v")
		err = r.pool.QueryRow(ctx, `
			select coalesce(x.id, 0), case when `+link+` < 0 then -`+link+` else 0 end, coalesce(`+
			schema.TitleText(target, "x")+`, ''), `+how+`
			from `+k.table("verdicts")+` v left join `+schema.Records(i.Workspace, target.Name)+` x on x.id = `+link+`
			where v.row_no = $1 and (x.id is not null or `+link+` < 0)`, row).Scan(&id, &l.Row, &l.Title, &l.How)
		// not found, not checked, or checked before the column was placed
		if store.IsMissing(err) || isGone(err) || store.SQLState(err) == "42703" {
			continue
		}
		if err != nil {
			return nil, fmt.Errorf("read links of a row: %w", err)
		}
		if l.Row == 0 {
			l.ID = target.RecordID(id)
		}
		if place := l.Row >> rowBits; place > 0 {
			l.Row &= -outsideOf - 1
			at := slices.IndexFunc(beside, func(b store.Import) bool { return b.Place == place })
			if at < 0 {
				continue
			}
			l.In = beside[at].Name
		}
		links[fp.Field.Name] = l
	}
	return links, nil
}

// CellCount is a text that stands in a column, with the number of rows.
type CellCount struct {
	Text  string `db:"text"`
	Count int64  `db:"count"`
}

// ColumnValues gives the different texts of a column, most frequent first.
func (r *Room) ColumnValues(ctx context.Context, i store.Import, position, limit int) ([]CellCount, error) {
	return looking(ctx, r, i, func(i store.Import) ([]CellCount, error) { return r.columnValues(ctx, i, position, limit) })
}

func (r *Room) columnValues(ctx context.Context, i store.Import, position, limit int) ([]CellCount, error) {
	word, ok := r.rows(i)
	if !ok {
		return nil, errNotStaged
	}
	list, err := collect[CellCount](ctx, r.pool, word, q(`
		select c.cells[{n}] as text, count(*) as count from {cells} c where c.cells[{n}] <> ''
		group by 1 order by 2 desc, 1 limit @limit`, frag{"n": schema.Int(position + 1)}, arg{"limit": limit}))
	if err != nil {
		return nil, fmt.Errorf("read the values of a column: %w", err)
	}
	return list, nil
}

// LinksOf finds for each text the one record of a type that it names as a link
// would: by id, by a key in any spelling, or by a title that only one record has.
func (r *Room) LinksOf(ctx context.Context, workspace string, t catalog.RecordType,
	texts []string) (map[string]store.Link, error) {
	namer := value.NewNamer(t, value.Settings{})
	var at []int
	var forms []string
	names, ids := make([]string, len(texts)), make([]int64, len(texts))
	for n, text := range texts {
		for _, form := range namer.Forms(text) {
			at, forms = append(at, n), append(forms, form)
		}
		names[n] = value.TitleKey(t, text)
		if id, err := t.ParseRecordID(text); err == nil {
			ids[n] = id
		}
	}
	keys := []string{`select w.n, r.id from want w join {targets} r on r.id = w.id`}
	for _, f := range t.Fields {
		if f.Normalised() {
			keys = append(keys, `select w.n, r.id from forms w join {targets} r on r.`+schema.Key(f.Name)+` = w.form`)
		}
	}
	other := `false`
	if namesCompany(t) {
		other = schema.OtherForm(`w.said`, schema.TitleText(t, "x"))
	}
	type found struct {
		N     int    `db:"n"`
		ID    int64  `db:"id"`
		Title string `db:"title"`
	}
	list, err := collect[found](ctx, r.pool,
		func(string) (string, bool, bool) { return schema.Records(workspace, t.Name), true, true }, q(`
		with want as materialized (
			select n::int - 1 as n, m collate "C" as m, said, id
			from unnest(@names::text[], @said::text[], @ids::bigint[]) with ordinality x (m, said, id, n)
		),
		forms as materialized (
			select n, form collate "C" as form from unnest(@at::int[], @forms::text[]) x (n, form)
		),
		by_key as materialized ({keys}),
		hit as (
			select n, id from by_key
			union
			select w.n, x.id from want w join {targets} x on x.{title_key} = w.m
			where w.m <> '' and not {other} and not exists (select from by_key b where b.n = w.n)
		)
		select h.n, min(h.id) as id, min({title}) as title
		from hit h join {targets} x on x.id = h.id
		group by h.n having count(distinct h.id) = 1`,
			frag{"keys": strings.Join(keys, " union "), "title_key": schema.Title, "title": schema.TitleText(t, "x"),
				"other": other},
			arg{"names": names, "said": texts, "ids": ids, "at": at, "forms": forms}))
	if err != nil {
		return nil, fmt.Errorf("look up what texts name: %w", err)
	}
	out := map[string]store.Link{}
	for _, x := range list {
		out[texts[x.N]] = store.Link{Type: t.Name, ID: t.RecordID(x.ID), Title: x.Title}
	}
	return out, nil
}
