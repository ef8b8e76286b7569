package store

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/value"
	"uchi/internal/core/verdict"
)

// RowFilter chooses rows of an import; empty parts choose all.
type RowFilter struct {
	Verdict string
	Outcome string
	Problem string
	Field   string // of the problem
	Reason  string // why rows are left out
	Kind    string // of the question
	Text    string // in any cell
}

func (f RowFilter) empty() bool { return f == RowFilter{} }

// GridRow is a row of an import as the grid shows it.
type GridRow struct {
	Row      int64                       `db:"row_no"`
	Cells    JSON[[]string]              `db:"cells"`
	Verdict  *verdict.Verdict            `db:"verdict"`
	Outcome  *verdict.Outcome            `db:"outcome"`
	Record   *int64                      `db:"record_id"`
	Question *verdict.Question           `db:"question"`
	Reason   *verdict.Reason             `db:"why"`
	OtherRow *int64                      `db:"other_row"`
	Score    *float64                    `db:"score"`
	Changes  JSON[map[string][2]*string] `db:"changes"`
	Parts    JSON[[]RowPart]             `db:"parts"` // the drafts of the row, where it makes several
	Problems []problem.Problem           `db:"-"`
}

// RowPart is what is said of one of the drafts of a row.
type RowPart struct {
	Draft    string                `json:"draft"`
	Type     string                `json:"type"`
	Verdict  verdict.Verdict       `json:"verdict"`
	Outcome  verdict.Outcome       `json:"outcome"`
	Record   *int64                `json:"record"`
	Score    *float64              `json:"score"`
	Reason   *verdict.Reason       `json:"why"`
	OtherRow *int64                `json:"other_row"`
	Changes  map[string][2]*string `json:"changes"`
}

type rowSQL struct {
	id                          int64
	verdicts, outcomes, problem bool
	parts, partOutcomes         bool // rows make several drafts
}

func (s *Store) rowSQL(ctx context.Context, id int64) (rowSQL, error) {
	r := rowSQL{id: id}
	err := s.pool.QueryRow(ctx, `select to_regclass($1) is not null, to_regclass($2) is not null, to_regclass($3) is not null, to_regclass($4) is not null, to_regclass($5) is not null`,
		stage(id, "verdicts"), stage(id, "outcomes"), stage(id, "problems"), stage(id, "d1_verdicts"), stage(id, "draft_outcomes")).Scan(&r.verdicts, &r.outcomes, &r.problem, &r.parts, &r.partOutcomes)
	return r, err
}

// from joins what there is of the import's tables; rows are chosen by cond.
func (r rowSQL) from(f RowFilter) (from, cond string, args []any) {
	from = stage(r.id, "cells") + ` c`
	var conds []string
	arg := func(v any) string {
		args = append(args, v)
		return fmt.Sprintf("$%d", len(args))
	}
	if r.verdicts {
		from += ` left join ` + stage(r.id, "verdicts") + ` v on v.row_no = c.row_no`
	}
	if r.outcomes {
		from += ` left join ` + stage(r.id, "outcomes") + ` o on o.row_no = c.row_no`
	}
	if f.Verdict != "" {
		if r.verdicts {
			conds = append(conds, `v.verdict = `+arg(f.Verdict))
		} else {
			conds = append(conds, `false`)
		}
	}
	if f.Outcome != "" {
		if r.outcomes {
			conds = append(conds, `o.outcome = `+arg(f.Outcome))
		} else {
			conds = append(conds, `false`)
		}
	}
	if f.Reason != "" {
		if r.verdicts {
			conds = append(conds, `v.why = `+arg(f.Reason))
		} else {
			conds = append(conds, `false`)
		}
	}
	if f.Kind != "" {
		if r.verdicts {
			conds = append(conds, `v.verdict = 'ask' and c.row_no in (select q.row_no from `+stage(r.id, "questions")+` q where q.kind = `+arg(f.Kind)+`)`)
		} else {
			conds = append(conds, `false`)
		}
	}
	if f.Problem != "" || f.Field != "" {
		if r.problem {
			conds = append(conds, `c.row_no in (select p.row_no from `+stage(r.id, "problems")+` p where (`+arg(f.Problem)+` = '' or p.code = $`+fmt.Sprint(len(args))+`)
				and (`+arg(f.Field)+` = '' or p.field = $`+fmt.Sprint(len(args))+`))`)
		} else {
			conds = append(conds, `false`)
		}
	}
	if f.Text != "" {
		conds = append(conds, `array_to_string(c.cells, ' ') ilike `+arg("%"+likeEscape(f.Text)+"%"))
	}
	if len(conds) == 0 {
		conds = []string{`true`}
	}
	return from, strings.Join(conds, " and "), args
}

func likeEscape(s string) string {
	return strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(s)
}

func (r rowSQL) columns() string {
	cols := `c.row_no, to_jsonb(c.cells) as cells`
	if r.verdicts {
		cols += `, v.verdict, v.changes, v.why, v.other_row, v.score, case when v.verdict = 'ask' then (select q.kind from ` + stage(r.id, "questions") + ` q where q.row_no = v.row_no limit 1) end as question`
	} else {
		cols += `, null::text as verdict, null::jsonb as changes, null::text as why, null::bigint as other_row, null::real as score, null::text as question`
	}
	if r.parts && r.verdicts {
		cols += `, v.parts`
	} else {
		cols += `, null::jsonb as parts`
	}
	switch {
	case r.verdicts && r.outcomes:
		return cols + `, o.outcome, coalesce(o.record_id, v.record_id) as record_id`
	case r.outcomes:
		return cols + `, o.outcome, o.record_id`
	case r.verdicts:
		return cols + `, null::text as outcome, v.record_id`
	}
	return cols + `, null::text as outcome, null::bigint as record_id`
}

// Rows gives a page of rows behind row number after, or from a position (its
// place among the rows chosen, counted from 0) when that is not negative.
func (s *Store) Rows(ctx context.Context, id int64, f RowFilter, after, position int64, limit int) ([]GridRow, error) {
	r, err := s.rowSQL(ctx, id)
	if err != nil {
		return nil, fmt.Errorf("read rows: %w", err)
	}
	pick, cond, args := r.pick(f)
	offset := int64(0)
	if position >= 0 {
		after, offset, err = s.startOf(ctx, id, f, position)
		if err != nil {
			return nil, err
		}
	}
	// The numbers of the page's rows are picked first, so that only they are joined.
	var rows []GridRow
	joined, _, _ := r.from(RowFilter{})
	joined = strings.Replace(joined, ` c`, ` c on c.row_no = page.row_no`, 1)
	n := len(args)
	query := fmt.Sprintf(`with page as materialized (select x.row_no from %s where %s and x.row_no > $%d order by x.row_no offset $%d limit $%d)
		select %s from page join %s order by c.row_no`, pick, cond, n+1, n+2, n+3, r.columns(), joined)
	if err := s.db.SelectContext(ctx, &rows, query, append(args, after, offset, limit)...); err != nil {
		if sqlState(err) == "42P01" {
			return nil, fault.New(fault.Conflict, "rows_not_read", "the rows are not read yet, or no longer kept").Mended("Wait until the source has been read.")
		}
		return nil, fmt.Errorf("read rows: %w", err)
	}
	if r.problem {
		if err := s.addProblems(ctx, id, rows); err != nil {
			return nil, err
		}
	}
	if r.partOutcomes {
		return rows, s.addPartOutcomes(ctx, id, rows)
	}
	return rows, nil
}

// addPartOutcomes says of each draft of rows that were loaded what became of it.
func (s *Store) addPartOutcomes(ctx context.Context, id int64, rows []GridRow) error {
	at := map[int64]int{}
	var numbers []int64
	for i, r := range rows {
		if r.Outcome != nil {
			at[r.Row] = i
			numbers = append(numbers, r.Row)
		}
	}
	var list []struct {
		Row     int64           `db:"row_no"`
		Draft   string          `db:"draft"`
		Type    string          `db:"type"`
		Outcome verdict.Outcome `db:"outcome"`
		Record  *int64          `db:"record_id"`
	}
	err := s.db.SelectContext(ctx, &list, `select row_no, draft, type, outcome, record_id from `+stage(id, "draft_outcomes")+` where row_no = any($1)`, numbers)
	if err != nil {
		return fmt.Errorf("read outcomes of drafts: %w", err)
	}
	for _, x := range list {
		r := &rows[at[x.Row]]
		n := slices.IndexFunc(r.Parts.V, func(p RowPart) bool { return p.Draft == x.Draft })
		if n < 0 { // no longer staged
			r.Parts.V = append(r.Parts.V, RowPart{Draft: x.Draft, Type: x.Type})
			n = len(r.Parts.V) - 1
		}
		r.Parts.V[n].Outcome, r.Parts.V[n].Record = x.Outcome, x.Record
	}
	for _, i := range at { // a row that is held or failed made none of its records
		for n := range rows[i].Parts.V {
			if p := &rows[i].Parts.V[n]; p.Outcome == "" && p.Verdict != verdict.Skip {
				p.Outcome = *rows[i].Outcome
			}
		}
	}
	return nil
}

// pick chooses row numbers, as x.row_no, from as few tables as the filter needs.
func (r rowSQL) pick(f RowFilter) (from, cond string, args []any) {
	switch {
	case f.empty():
		return stage(r.id, "cells") + ` x`, `true`, nil
	case f == RowFilter{Verdict: f.Verdict} && r.verdicts:
		return stage(r.id, "verdicts") + ` x`, `x.verdict = $1`, []any{f.Verdict}
	case f == RowFilter{Outcome: f.Outcome} && r.outcomes:
		return stage(r.id, "outcomes") + ` x`, `x.outcome = $1`, []any{f.Outcome}
	}
	from, cond, args = r.from(f)
	return `(select c.row_no from ` + from + ` where ` + cond + `) x`, `true`, args
}

// startOf finds where to begin for a position: from the nearest kept row
// number when all rows or those of one verdict or outcome are shown, else by
// counting.
func (s *Store) startOf(ctx context.Context, id int64, f RowFilter, position int64) (after, offset int64, err error) {
	word := f.Verdict + f.Outcome
	if f == (RowFilter{Verdict: f.Verdict}) && word != "" || f == (RowFilter{Outcome: f.Outcome}) && word != "" {
		err = s.pool.QueryRow(ctx, `select row_no - 1 from `+stage(id, "anchors")+` where word = $1 and n = $2`, word, position/anchorStep).Scan(&after)
		switch {
		case err == nil:
			return after, position % anchorStep, nil
		case !isMissing(err) && sqlState(err) != "42P01":
			return 0, 0, fmt.Errorf("find position: %w", err)
		}
		return 0, position, nil
	}
	if !f.empty() {
		return 0, position, nil
	}
	err = s.pool.QueryRow(ctx, `select coalesce(anchors[$2], 1) - 1 from imports where id = $1`, id, position/anchorStep+1).Scan(&after)
	if err != nil {
		return 0, 0, fmt.Errorf("find position: %w", err)
	}
	return after, position % anchorStep, nil
}

func (s *Store) addProblems(ctx context.Context, id int64, rows []GridRow) error {
	if len(rows) == 0 {
		return nil
	}
	at := map[int64]int{}
	numbers := make([]int64, len(rows))
	for i, r := range rows {
		at[r.Row], numbers[i] = i, r.Row
	}
	var list []problemRow
	err := s.db.SelectContext(ctx, &list, `select row_no, code, field, col, value, detail from `+stage(id, "problems")+` where row_no = any($1) order by row_no, field, code`, numbers)
	if err != nil {
		return fmt.Errorf("read problems: %w", err)
	}
	for _, p := range list {
		i := at[p.Row]
		rows[i].Problems = append(rows[i].Problems, p.problem())
	}
	return nil
}

type problemRow struct {
	Row    int64  `db:"row_no"`
	Code   string `db:"code"`
	Field  string `db:"field"`
	Col    string `db:"col"`
	Value  string `db:"value"`
	Detail string `db:"detail"`
}

func (p problemRow) problem() problem.Problem {
	return problem.Problem{Code: problem.Code(p.Code), Field: p.Field, Column: p.Col, Value: p.Value, Detail: p.Detail}
}

// CountRows counts the rows that a filter chooses.
func (s *Store) CountRows(ctx context.Context, id int64, f RowFilter) (int64, error) {
	r, err := s.rowSQL(ctx, id)
	if err != nil {
		return 0, fmt.Errorf("count rows: %w", err)
	}
	from, cond, args := r.from(f)
	var n int64
	if err := s.db.GetContext(ctx, &n, `select count(*) from `+from+` where `+cond, args...); err != nil {
		if sqlState(err) == "42P01" {
			return 0, nil
		}
		return 0, fmt.Errorf("count rows: %w", err)
	}
	return n, nil
}

// EachGridRow streams all rows that a filter chooses, with their problems, for
// downloads.
func (s *Store) EachGridRow(ctx context.Context, id int64, f RowFilter, each func(GridRow) error) error {
	const page = 5000
	after := int64(-1)
	for {
		rows, err := s.Rows(ctx, id, f, after, -1, page)
		if err != nil {
			return err
		}
		for _, r := range rows {
			if err := each(r); err != nil {
				return err
			}
			after = r.Row
		}
		if len(rows) < page {
			return nil
		}
	}
}

// FirstOverwrites gives the first updates that would replace values, as a
// foretaste before a load.
func (s *Store) FirstOverwrites(ctx context.Context, id int64, limit int) ([]GridRow, error) {
	var rows []GridRow
	err := s.db.SelectContext(ctx, &rows, `select v.row_no, '[]'::jsonb as cells, v.verdict, v.changes, v.why, v.other_row, v.score, null::text as question, null::text as outcome, v.record_id from `+stage(id, "verdicts")+` v
		where v.verdict in ('create', 'update') and exists (select from jsonb_each(v.changes) e where e.value->>0 is not null) order by v.row_no limit $1`, limit)
	if err != nil && sqlState(err) != "42P01" {
		return nil, fmt.Errorf("read first overwrites: %w", err)
	}
	return rows, nil
}

// RowLinks gives the records that the references of a draft of a checked row
// lead to, by field. The draft is counted from 0.
func (s *Store) RowLinks(ctx context.Context, i Import, plan *mapping.Plan, n int, row int64) (map[string]Link, error) {
	links := map[string]Link{}
	c, err := s.Catalog(ctx, i.Workspace)
	if err != nil {
		return nil, err
	}
	k := s.NewCheck(i, plan, c).drafts[n]
	for _, fp := range k.references() {
		target, err := c.MustType(fp.Field.To)
		if err != nil {
			return nil, err
		}
		var id int64
		l := Link{Type: target.Name}
		err = s.pool.QueryRow(ctx, `select x.id, `+titleText(target, "x")+` from `+k.stage("verdicts")+` v join `+recordTable(i.Workspace, target.Name)+` x on x.id = v.`+fieldColumn(fp.Field.Name)+` where v.row_no = $1`, row).Scan(&id, &l.Title)
		if isMissing(err) || sqlState(err) == "42P01" || sqlState(err) == "42703" { // not found, not checked, or checked before the column was placed
			continue
		}
		if err != nil {
			return nil, fmt.Errorf("read links of a row: %w", err)
		}
		l.ID = target.RecordID(id)
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
func (s *Store) ColumnValues(ctx context.Context, id int64, position, limit int) ([]CellCount, error) {
	var list []CellCount
	err := s.db.SelectContext(ctx, &list, fmt.Sprintf(`select c.cells[%d] as text, count(*) as count from %s c where c.cells[%d] <> '' group by 1 order by 2 desc, 1 limit $1`, position+1, stage(id, "cells"), position+1), limit)
	if sqlState(err) == "42P01" {
		return nil, fault.New(fault.Conflict, "rows_not_read", "the rows are not read yet, or no longer kept").Mended("Wait until the source has been read.")
	}
	if err != nil {
		return nil, fmt.Errorf("read the values of a column: %w", err)
	}
	return list, nil
}

// LinksOf finds for each text the one record of a type that it names as a link
// would: by id, by a key, or by a title that only one record has.
func (s *Store) LinksOf(ctx context.Context, workspace string, t catalog.RecordType, texts []string) (map[string]Link, error) {
	table := recordTable(workspace, t.Name)
	lookups, names, ids := make([]string, len(texts)), make([]string, len(texts)), make([]int64, len(texts))
	for n, text := range texts {
		lookups[n], names[n] = value.LookupKey(text), value.NameKey(text)
		if id, err := t.ParseRecordID(text); err == nil {
			ids[n] = id
		}
	}
	var keys []string
	for _, f := range t.Fields {
		if f.Normalised() {
			keys = append(keys, `select w.n, r.id from want w join `+table+` r on r.`+keyColumn(f.Name)+` = w.l`)
		}
	}
	keys = append(keys, `select w.n, r.id from want w join `+table+` r on r.id = w.id`)
	var list []struct {
		N     int    `db:"n"`
		ID    int64  `db:"id"`
		Title string `db:"title"`
	}
	err := s.db.SelectContext(ctx, &list, `with want as materialized (select n::int, l collate "C" as l, m collate "C" as m, id from unnest($1::text[], $2::text[], $3::bigint[]) with ordinality x (l, m, id, n)),
		by_key as materialized (`+strings.Join(keys, " union ")+`),
		hit as (select n, id from by_key union select w.n, r.id from want w join `+table+` r on r.`+titleColumn+` = w.m where w.m <> '' and not exists (select from by_key b where b.n = w.n))
		select h.n, min(h.id) as id, min(`+titleText(t, "x")+`) as title from hit h join `+table+` x on x.id = h.id group by h.n having count(distinct h.id) = 1`, lookups, names, ids)
	if err != nil {
		return nil, fmt.Errorf("look up what texts name: %w", err)
	}
	out := map[string]Link{}
	for _, x := range list {
		out[texts[x.N-1]] = Link{Type: t.Name, ID: t.RecordID(x.ID), Title: x.Title}
	}
	return out, nil
}
