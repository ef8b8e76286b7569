package staging

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/fault"
	"uchi/internal/core/matching"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// Candidate is a record, or an earlier row, that a row may be the same as.
type Candidate struct {
	Place    int                           `db:"place"`
	Record   *int64                        `db:"record_id"`
	OtherRow *int64                        `db:"other_row"`
	Percent  float64                       `db:"percent"`
	Reasons  store.JSON[[]matching.Reason] `db:"reasons"`
	Against  store.JSON[[]string]          `db:"against"`
	Alike    store.JSON[[]string]          `db:"alike"` // fields that say the same in other writing
}

// AskedRow is a row about which a person is asked, with the answer if there is
// one that the check has not seen yet.
type AskedRow struct {
	Row        int64                `db:"row_no"`
	Draft      string               `db:"draft"`
	Kind       verdict.Question     `db:"kind"`
	Rule       int                  `db:"rule"`
	Candidates int                  `db:"candidates"`
	Percent    float64              `db:"percent"`
	Cells      store.JSON[[]string] `db:"cells"`
	Answered   bool                 `db:"answered"`
	Answer     *store.Answer        `db:"-"`
	First      *Candidate           `db:"-"`
}

// QuestionFilter chooses questions.
type QuestionFilter struct {
	Kind     verdict.Question
	From, To float64 // percent of the best candidate; To 0 is no bound
	Open     bool    // only those without an answer
	Row      int64   // only this row
	Draft    string  // only of this draft
	Like     DraftOf // only those of the same kind, with the same speaking against the best candidate, as this one
}

// cond is the SQL that chooses the questions; its values come to the others.
func (f QuestionFilter) cond(args arg) string {
	conds := []string{`true`}
	if f.Kind != "" {
		conds, args["kind"] = append(conds, `q.kind = @kind`), string(f.Kind)
	}
	if f.From > 0 {
		conds, args["from"] = append(conds, `q.percent >= @from`), f.From
	}
	if f.To > 0 {
		conds, args["to"] = append(conds, `q.percent < @to`), f.To
	}
	if f.Open {
		conds = append(conds, `a.row_no is null`)
	}
	if f.Row > 0 {
		conds, args["row"] = append(conds, `q.row_no = @row`), f.Row
	}
	if f.Draft != "" {
		conds, args["draft"] = append(conds, `q.draft = @draft`), f.Draft
	}
	if f.Like.Row > 0 {
		args["like"], args["like_draft"] = f.Like.Row, f.Like.Draft
		conds = append(conds, `exists (select from {asked} l
			join {offered} x on x.row_no = l.row_no and x.draft = l.draft and x.place = 1
			join {offered} y on y.row_no = q.row_no and y.draft = q.draft and y.place = 1
			where l.row_no = @like and (@like_draft = '' or l.draft = @like_draft) and l.draft = q.draft and l.kind = q.kind
				and coalesce(x.against, '{}') = coalesce(y.against, '{}'))`)
	}
	return strings.Join(conds, " and ")
}

// questions is the vocabulary of the questions of an import: {asked} about rows
// that wait for an answer, with the answers given since the check; questions of
// rows that are held for problems wait. ok is false before the first check.
func (r *Room) questions(i store.Import) (word vocabulary, ok bool) {
	of, ok := checkOf(i)
	cells, read := cellsOf(i)
	if !ok || !read {
		return nil, false
	}
	return func(w string) (string, bool, bool) {
		switch w {
		case "asked", "offered":
			return of(w), true, true
		case "verdicts":
			return of(draftPart(0, "verdicts")), true, true
		case "cells":
			return cells, true, true
		case "waiting":
			return `{asked} q
				join {verdicts} v on v.row_no = q.row_no and v.row_verdict = 'ask'
				left join answers a on a.import = ` + schema.Int(i.ID) + ` and a.row_no = q.row_no and a.draft = q.draft
					and (a.choice <> 'new' or a.denied is null or not exists (
						select from {offered} x
						where x.row_no = q.row_no and x.draft = q.draft and x.other_row is not null
						and x.other_row <> all(a.denied)))`, false, true
		}
		return "", false, false
	}, true
}

// Questions gives a page of the questions behind a row number; a page holds all
// questions of its rows.
func (r *Room) Questions(ctx context.Context, i store.Import, f QuestionFilter, after int64,
	limit int) ([]AskedRow, error) {
	return looking(ctx, r, i, func(i store.Import) ([]AskedRow,
		error) {
		return r.pageOfQuestions(ctx, i, f, after, limit)
	})
}

// AskedOf gives for each of some rows the drafts that a person is asked about; of several
// those without an answer, if there are any.
func (r *Room) AskedOf(ctx context.Context, i store.Import, rows []int64) (map[int64][]string, error) {
	word, ok := r.questions(i)
	if !ok || len(rows) == 0 {
		return nil, nil
	}
	list, err := collect[DraftOf](ctx, r.pool, word, q(`
		select row_no, draft from (
			select q.row_no, q.draft, a.row_no is null as open, bool_or(a.row_no is null) over (partition by q.row_no) as some_open
			from {waiting} where q.row_no = any(@rows)
		) x
		where open or not some_open order by row_no, draft`, arg{"rows": rows}))
	if err != nil {
		return nil, fmt.Errorf("list the questions of rows: %w", err)
	}
	out := map[int64][]string{}
	for _, d := range list {
		out[d.Row] = append(out[d.Row], d.Draft)
	}
	return out, nil
}

func (r *Room) pageOfQuestions(ctx context.Context, i store.Import, f QuestionFilter, after int64,
	limit int) ([]AskedRow, error) {
	word, ok := r.questions(i)
	if !ok {
		return nil, nil // not checked yet
	}
	args := arg{"after": after, "limit": limit}
	list, err := collect[AskedRow](ctx, r.pool, word, q(`
		select row_no, draft, kind, rule, candidates, percent, cells, answered from (
			select q.row_no, q.draft, q.kind, q.rule, q.candidates, q.percent, to_jsonb(c.cells) as cells, a.row_no is not null as answered,
				dense_rank() over (order by q.row_no) as place
			from {waiting} join {cells} c on c.row_no = q.row_no
			where {which} and q.row_no > @after
		) x
		where place <= @limit order by row_no, draft`, frag{"which": f.cond(args)}, args))
	if err != nil {
		return nil, fmt.Errorf("list questions: %w", err)
	}
	at := map[DraftOf]int{}
	rows := make([]int64, len(list))
	for n := range list {
		rows[n], at[DraftOf{list[n].Row, list[n].Draft}] = list[n].Row, n
		list[n].Cells.V = i.Veil.Cells(list[n].Cells.V)
	}
	answers, err := r.store.AnswersOf(ctx, i.ID, rows)
	if err != nil {
		return nil, err
	}
	for n, a := range answers {
		if m, ok := at[DraftOf{a.Row, a.Draft}]; ok && list[m].Answered {
			list[m].Answer = &answers[n]
		}
	}
	candidates, err := r.candidatesOf(ctx, i, rows)
	if err != nil {
		return nil, err
	}
	for of, offered := range candidates {
		if n, ok := at[of]; ok {
			list[n].First = &offered[0]
		}
	}
	return list, nil
}

const candidateColumns = `place, record_id, other_row, percent, coalesce(reasons, '[]') as reasons, to_jsonb(coalesce(against, '{}')) as against, to_jsonb(coalesce(alike, '{}')) as alike`

// DraftOf names one of the drafts of a row.
type DraftOf struct {
	Row   int64  `db:"row_no"`
	Draft string `db:"draft"`
}

// CandidatesOf gives what the drafts of rows may be the same as, best first.
func (r *Room) CandidatesOf(ctx context.Context, i store.Import, rows []int64) (map[DraftOf][]Candidate, error) {
	return looking(ctx, r, i, func(i store.Import) (map[DraftOf][]Candidate,
		error) {
		return r.candidatesOf(ctx, i, rows)
	})
}

func (r *Room) candidatesOf(ctx context.Context, i store.Import, rows []int64) (map[DraftOf][]Candidate, error) {
	word, ok := r.questions(i)
	if !ok {
		return nil, nil
	}
	type offered struct {
		DraftOf
		Candidate
	}
	list, err := collect[offered](ctx, r.pool, word, q(`select row_no, draft, `+candidateColumns+` from {offered}
		where row_no = any(@rows) order by row_no, draft, place`, arg{"rows": rows}))
	if err != nil {
		return nil, fmt.Errorf("list candidates: %w", err)
	}
	out := map[DraftOf][]Candidate{}
	for _, x := range list {
		x.Candidate.Reasons.V = slices.DeleteFunc(x.Candidate.Reasons.V, func(why matching.Reason) bool {
			return slices.ContainsFunc(why.Fields, func(f string) bool { return i.Veil.Keeps(x.Draft, f) })
		})
		out[x.DraftOf] = append(out[x.DraftOf], x.Candidate)
	}
	return out, nil
}

// CountQuestions counts the questions that a filter chooses.
func (r *Room) CountQuestions(ctx context.Context, i store.Import, f QuestionFilter) (int64, error) {
	return looking(ctx, r, i, func(i store.Import) (int64, error) { return r.countQuestions(ctx, i, f) })
}

func (r *Room) countQuestions(ctx context.Context, i store.Import, f QuestionFilter) (int64, error) {
	word, ok := r.questions(i)
	if !ok {
		return 0, nil
	}
	args := arg{}
	list, err := collect[counted](ctx, r.pool, word, q(`select '' as word, count(*) as count from {waiting}
		where {which}`, frag{"which": f.cond(args)}, args))
	if err != nil {
		return 0, fmt.Errorf("count questions: %w", err)
	}
	return list[0].Count, nil
}

// KeepAnswers keeps answers, each in the place of an earlier one for its draft,
// for the change of an act. It gives how many were kept; rows that the import
// does not have are refused.
func (r *Room) KeepAnswers(ctx context.Context, tx pgx.Tx, i store.Import, answers []store.Answer,
	by int64) (int64, error) {
	cells, ok := cellsOf(i)
	if !ok {
		return 0, errNotStaged
	}
	n := len(answers)
	rows, choices, drafts, keeps := make([]int64, n), make([]string, n), make([]string, n), make([]string, n)
	records, others := make([]*int64, n), make([]*int64, n)
	for at, a := range answers {
		rows[at], choices[at], drafts[at], keeps[at] = a.Row, string(a.Choice), a.Draft, strings.Join(a.Keep.V, ",")
		records[at], others[at] = a.Record, a.OtherRow
	}
	var unknown *int64
	err := tx.QueryRow(ctx, `select min(x) from unnest($1::bigint[]) x where not exists (select from `+cells+
		` c where c.row_no = x)`, rows).Scan(&unknown)
	if err != nil {
		return 0, fmt.Errorf("look for the rows: %w", err)
	}
	if unknown != nil {
		return 0, fault.New(fault.NotFound, "unknown_row",
			"the source has no row of this number, or nothing stands in it").With(fmt.Sprint(*unknown))
	}
	return keep(ctx, tx, i, `
		select r as row_no, d as draft, c as choice, rec as record_id, o as other_row, coalesce(string_to_array(nullif(k, ''), ','), '{}') as keep
		from unnest(@rows::bigint[], @drafts::text[], @choices::text[], @records::bigint[], @others::bigint[],
		@keeps::text[]) x (r, d, c, rec, o, k)`,
		by, pgx.NamedArgs{"rows": rows, "drafts": drafts, "choices": choices, "records": records, "others": others,
			"keeps": keeps})
}

// keep keeps the answers that a query gives, and notes that their rows were
// touched. With an answer that a draft is new stands what it was said not to be:
// the rows and records that it was offered, and the row that it was taken to
// repeat. What later checks find beside is asked again.
func keep(ctx context.Context, tx pgx.Tx, i store.Import, given string, by int64, args pgx.NamedArgs) (int64, error) {
	args["import"], args["by"] = i.ID, by
	offered := `select null::bigint as row_no, '' as draft, null::bigint as record_id, null::bigint as other_row
		where false`
	if of, ok := checkOf(i); ok {
		offered = `select row_no, draft, record_id, other_row from ` + of("offered")
		for n, d := range i.Routine.V.Drafts {
			offered += ` union all select row_no, ` + schema.Literal(d.Called()) + `, null, lead from ` +
				of(draftPart(n, "repeats"))
		}
	}
	tag, err := tx.Exec(ctx, `
		with given as (`+given+`),
		touched as (
			insert into touched_rows (import, row_no) select distinct @import::bigint, row_no from given on conflict do nothing
		),
		no as (
			select o.row_no, o.draft,
				coalesce(array_agg(o.other_row) filter (where o.other_row is not null), '{}') as rows,
				coalesce(array_agg(o.record_id) filter (where o.record_id is not null), '{}') as records
			from (`+offered+`) o join given g on g.row_no = o.row_no and g.draft = o.draft
			group by o.row_no, o.draft
		)
		insert into answers as a (import, row_no, draft, choice, record_id, other_row, keep, denied, denied_records, person)
		select @import, row_no, draft, choice, record_id, other_row, keep, coalesce(no.rows, '{}'), coalesce(no.records, '{}'), @by
		from given left join no using (row_no, draft)
		on conflict (import, row_no, draft) do update set
			choice = excluded.choice, record_id = excluded.record_id, other_row = excluded.other_row,
			keep = excluded.keep, denied = a.denied || excluded.denied, denied_records = a.denied_records || excluded.denied_records,
			person = excluded.person, at = now()`, args)
	if err != nil {
		return 0, fmt.Errorf("keep answers: %w", err)
	}
	return tag.RowsAffected(), nil
}

// errNotChecked says that there is nothing to answer yet.
var errNotChecked = fault.New(fault.Conflict, "not_checked",
	"there are no questions before the check").Mended("Check the import first.")

// AnswerQuestions answers all open questions that a filter chooses alike, for the
// change of an act: take means the best candidate of each.
func (r *Room) AnswerQuestions(ctx context.Context, tx pgx.Tx, i store.Import, f QuestionFilter,
	choice verdict.Choice, by int64) (int64, error) {
	word, ok := r.questions(i)
	if !ok {
		return 0, errNotChecked
	}
	f.Open = true
	args := arg{"choice": string(choice)}
	given, _, err := q(`
		select q.row_no, q.draft, @choice::text as choice,
			case when @choice::text = 'take' then c.record_id end as record_id,
			case when @choice::text = 'take' then c.other_row end as other_row,
			case when @choice::text = 'take' and c.record_id is not null then coalesce(c.alike, '{}') else '{}' end as keep
		from {waiting}
		left join {offered} c on c.row_no = q.row_no and c.draft = q.draft and c.place = 1
		where {which}`, frag{"which": f.cond(args)}).compose(word)
	if err != nil {
		return 0, err
	}
	return keep(ctx, tx, i, given, by, pgx.NamedArgs(args))
}

// LeaveOut leaves out all rows that a filter chooses, which must name a verdict.
func (r *Room) LeaveOut(ctx context.Context, tx pgx.Tx, i store.Import, f RowFilter, by int64) (int64, error) {
	word, ok := r.rows(i)
	if _, checked := checkOf(i); !ok || !checked {
		return 0, errNotChecked
	}
	args := arg{"draft": i.Routine.V.Drafts[0].Called()}
	given, _, err := q(`
		select c.row_no, @draft::text as draft, 'leave_out' as choice, null::bigint as record_id, null::bigint as other_row, '{}'::text[] as keep
		from {cells} c {said} where {cond} and not {settled}`,
		frag{"cond": f.cond(args), "settled": settledRow(resultsTable(i.ID), "c")}).compose(word)
	if err != nil {
		return 0, err
	}
	return keep(ctx, tx, i, given, by, pgx.NamedArgs(args))
}
