package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/matching"
	"uchi/internal/core/verdict"

	"github.com/jackc/pgx/v5"
)

// Candidate is a record, or an earlier row, that a row may be the same as.
type Candidate struct {
	Place    int                     `db:"place"`
	Record   *int64                  `db:"record_id"`
	OtherRow *int64                  `db:"other_row"`
	Percent  float64                 `db:"percent"`
	Reasons  JSON[[]matching.Reason] `db:"reasons"`
	Against  JSON[[]string]          `db:"against"`
	Alike    JSON[[]string]          `db:"alike"` // fields that say the same in other writing
}

// AskedRow is a row about which a person is asked, with the answer if there is
// one that the check has not seen yet.
type AskedRow struct {
	Row        int64            `db:"row_no"`
	Draft      string           `db:"draft"`
	Kind       verdict.Question `db:"kind"`
	Rule       int              `db:"rule"`
	Candidates int              `db:"candidates"`
	Percent    float64          `db:"percent"`
	Cells      JSON[[]string]   `db:"cells"`
	Answer     *Answer          `db:"-"`
	First      *Candidate       `db:"-"`
}

// Answer is what a person said of a draft of a row; one that leaves it out is
// about the whole row.
type Answer struct {
	Row      int64          `db:"row_no"`
	Draft    string         `db:"draft"`
	Choice   verdict.Choice `db:"choice"`
	Record   *int64         `db:"record_id"`
	OtherRow *int64         `db:"other_row"`
	Keep     JSON[[]string] `db:"keep"`
	Person   string         `db:"person"`
	At       time.Time      `db:"at"`
}

// QuestionFilter chooses questions.
type QuestionFilter struct {
	Kind     verdict.Question
	From, To float64 // percent of the best candidate; To 0 is no bound
	Open     bool    // only those without an answer
	Row      int64   // only this row
	Draft    string  // only of this draft
}

func (f QuestionFilter) cond(args *[]any) string {
	arg := func(v any) string {
		*args = append(*args, v)
		return fmt.Sprintf("$%d", len(*args))
	}
	conds := []string{`true`}
	if f.Kind != "" {
		conds = append(conds, `q.kind = `+arg(string(f.Kind)))
	}
	if f.From > 0 {
		conds = append(conds, `q.percent >= `+arg(f.From))
	}
	if f.To > 0 {
		conds = append(conds, `q.percent < `+arg(f.To))
	}
	if f.Open {
		conds = append(conds, `a.row_no is null`)
	}
	if f.Row > 0 {
		conds = append(conds, `q.row_no = `+arg(f.Row))
	}
	if f.Draft != "" {
		conds = append(conds, `q.draft = `+arg(f.Draft))
	}
	return strings.Join(conds, " and ")
}

// questionsFrom joins the questions that hold with the answers given since the
// check; questions of rows that are held for problems wait.
func questionsFrom(id int64) string {
	return stage(id, "questions") + ` q join ` + stage(id, "verdicts") + ` v on v.row_no = q.row_no and v.verdict = 'ask' left join answers a on a.import = ` + itoa(id) + ` and a.row_no = q.row_no and a.draft = q.draft`
}

// Questions gives a page of the questions behind a row number; a page holds all
// questions of its rows.
func (s *Store) Questions(ctx context.Context, id int64, f QuestionFilter, after int64, limit int) ([]AskedRow, error) {
	var args []any
	cond := f.cond(&args)
	args = append(args, after, limit)
	var list []AskedRow
	err := s.db.SelectContext(ctx, &list, fmt.Sprintf(`select row_no, draft, kind, rule, candidates, percent, cells from (select q.row_no, q.draft, q.kind, q.rule, q.candidates, q.percent, to_jsonb(c.cells) as cells,
		dense_rank() over (order by q.row_no) as place from %s join %s c on c.row_no = q.row_no where %s and q.row_no > $%d) x where place <= $%d order by row_no, draft`, questionsFrom(id), stage(id, "cells"), cond, len(args)-1, len(args)), args...)
	if sqlState(err) == "42P01" {
		return nil, nil // not checked yet
	}
	if err != nil {
		return nil, fmt.Errorf("list questions: %w", err)
	}
	at := map[DraftOf]int{}
	rows := make([]int64, len(list))
	for i := range list {
		rows[i], at[DraftOf{list[i].Row, list[i].Draft}] = list[i].Row, i
	}
	answers, err := s.answersOf(ctx, id, rows)
	if err != nil {
		return nil, err
	}
	for i, a := range answers {
		if n, ok := at[DraftOf{a.Row, a.Draft}]; ok {
			list[n].Answer = &answers[i]
		}
	}
	candidates, err := s.CandidatesOf(ctx, id, rows)
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
func (s *Store) CandidatesOf(ctx context.Context, id int64, rows []int64) (map[DraftOf][]Candidate, error) {
	var list []struct {
		DraftOf
		Candidate
	}
	err := s.db.SelectContext(ctx, &list, `select row_no, draft, `+candidateColumns+` from `+stage(id, "candidates")+` where row_no = any($1) order by row_no, draft, place`, rows)
	if err != nil && sqlState(err) != "42P01" {
		return nil, fmt.Errorf("list candidates: %w", err)
	}
	out := map[DraftOf][]Candidate{}
	for _, x := range list {
		out[x.DraftOf] = append(out[x.DraftOf], x.Candidate)
	}
	return out, nil
}

// CountQuestions counts the questions that a filter chooses.
func (s *Store) CountQuestions(ctx context.Context, id int64, f QuestionFilter) (int64, error) {
	var args []any
	cond := f.cond(&args)
	var n int64
	err := s.db.GetContext(ctx, &n, `select count(*) from `+questionsFrom(id)+` where `+cond, args...)
	if sqlState(err) == "42P01" {
		return 0, nil
	}
	if err != nil {
		return 0, fmt.Errorf("count questions: %w", err)
	}
	return n, nil
}

const answerColumns = `a.row_no, a.draft, a.choice, a.record_id, a.other_row, to_jsonb(a.keep) as keep, p.name as person, a.at`

func (s *Store) answersOf(ctx context.Context, id int64, rows []int64) ([]Answer, error) {
	var list []Answer
	err := s.db.SelectContext(ctx, &list, `select `+answerColumns+` from answers a join people p on p.id = a.person where a.import = $1 and a.row_no = any($2)`, id, rows)
	if err != nil {
		return nil, fmt.Errorf("read answers: %w", err)
	}
	return list, nil
}

// Answers gives a page of all answers of an import behind a row number; a page
// holds all answers about its rows.
func (s *Store) Answers(ctx context.Context, id, after int64, limit int) ([]Answer, error) {
	var list []Answer
	err := s.db.SelectContext(ctx, &list, `select row_no, draft, choice, record_id, other_row, keep, person, at from (select `+answerColumns+`, dense_rank() over (order by a.row_no) as place
		from answers a join people p on p.id = a.person where a.import = $1 and a.row_no > $2) x where place <= $3 order by row_no, draft`, id, after, limit)
	if err != nil {
		return nil, fmt.Errorf("list answers: %w", err)
	}
	return list, nil
}

// CountAnswers counts the answers of an import, and those that the last check
// has not seen.
func (s *Store) CountAnswers(ctx context.Context, id int64) (all, unseen int64, err error) {
	err = s.pool.QueryRow(ctx, `select count(*), count(*) filter (where i.checked_at is null or a.at > i.checked_at) from answers a join imports i on i.id = a.import where a.import = $1`, id).Scan(&all, &unseen)
	if err != nil {
		return 0, 0, fmt.Errorf("count answers: %w", err)
	}
	return all, unseen, nil
}

// Answer keeps answers, each in the place of an earlier one for its row. It
// gives how many were kept; rows that the import does not have are refused.
func (s *Store) Answer(ctx context.Context, i Import, list []Answer, by int64) (int64, error) {
	rows, choices := make([]int64, len(list)), make([]string, len(list))
	records, others, keeps, drafts := make([]*int64, len(list)), make([]*int64, len(list)), make([]string, len(list)), make([]string, len(list))
	for n, a := range list {
		rows[n], choices[n], records[n], others[n], keeps[n] = a.Row, string(a.Choice), a.Record, a.OtherRow, strings.Join(a.Keep.V, ",")
		drafts[n] = a.Draft
	}
	var kept int64
	err := s.answering(ctx, i, func(tx pgx.Tx) error {
		var unknown *int64
		err := tx.QueryRow(ctx, `select min(x) from unnest($1::bigint[]) x where not exists (select from `+stage(i.ID, "cells")+` c where c.row_no = x)`, rows).Scan(&unknown)
		if err != nil {
			return err
		}
		if unknown != nil {
			return fault.New(fault.NotFound, "unknown_row", "the source has no row of this number, or nothing stands in it").With(itoa(*unknown))
		}
		tag, err := tx.Exec(ctx, `insert into answers (import, row_no, choice, record_id, other_row, keep, person, draft)
			select $1, r, c, rec, o, coalesce(string_to_array(nullif(k, ''), ','), '{}'), $7, d from unnest($2::bigint[], $3::text[], $4::bigint[], $5::bigint[], $6::text[], $8::text[]) x (r, c, rec, o, k, d)
			on conflict (import, row_no, draft) do update set choice = excluded.choice, record_id = excluded.record_id, other_row = excluded.other_row, keep = excluded.keep, person = excluded.person, at = now()`,
			i.ID, rows, choices, records, others, keeps, by, drafts)
		kept = tag.RowsAffected()
		return err
	})
	return kept, err
}

// AnswerQuestions answers all questions that a filter chooses alike: take means
// the best candidate of each.
func (s *Store) AnswerQuestions(ctx context.Context, i Import, f QuestionFilter, choice verdict.Choice, by int64) (int64, error) {
	var kept int64
	err := s.answering(ctx, i, func(tx pgx.Tx) error {
		f.Open = true
		var args []any
		cond := f.cond(&args)
		args = append(args, string(choice), by)
		tag, err := tx.Exec(ctx, fmt.Sprintf(`insert into answers (import, row_no, draft, choice, record_id, other_row, keep, person)
			select %d, q.row_no, q.draft, $%d::text, case when $%d::text = 'take' then c.record_id end, case when $%d::text = 'take' then c.other_row end, case when $%d::text = 'take' and c.record_id is not null then coalesce(c.alike, '{}') else '{}' end, $%d
			from %s left join %s c on c.row_no = q.row_no and c.draft = q.draft and c.place = 1 where %s`, i.ID, len(args)-1, len(args)-1, len(args)-1, len(args)-1, len(args), questionsFrom(i.ID), stage(i.ID, "candidates"), cond), args...)
		kept = tag.RowsAffected()
		return err
	})
	return kept, err
}

// LeaveOut answers all rows of a verdict with leaving them out.
func (s *Store) LeaveOut(ctx context.Context, i Import, v verdict.Verdict, by int64) (int64, error) {
	var kept int64
	err := s.answering(ctx, i, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `insert into answers (import, row_no, choice, person, draft) select $1, row_no, 'leave_out', $3, $4 from `+stage(i.ID, "verdicts")+` where verdict = $2
			on conflict (import, row_no, draft) do update set choice = 'leave_out', record_id = null, other_row = null, keep = '{}', person = excluded.person, at = now()`, i.ID, string(v), by, i.Routine.V.Drafts[0].Called())
		kept = tag.RowsAffected()
		return err
	})
	return kept, err
}

// TakeBack forgets answers: of the given rows, or all with none given.
func (s *Store) TakeBack(ctx context.Context, i Import, rows []int64) (int64, error) {
	var gone int64
	err := s.answering(ctx, i, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `delete from answers where import = $1 and (coalesce(cardinality($2::bigint[]), 0) = 0 or row_no = any($2))`, i.ID, rows)
		gone = tag.RowsAffected()
		return err
	})
	return gone, err
}

// answering changes answers of an import on which nobody is at work; a check
// made before no longer holds.
func (s *Store) answering(ctx context.Context, i Import, f func(tx pgx.Tx) error) error {
	err := s.inPgxTx(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update imports set answered_at = clock_timestamp(), changed_at = now() where id = $1 and workspace = $2 and busy = '' and state in ('open', 'ready', 'loaded', 'stopped')`, i.ID, i.Workspace)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return s.oneRow(ctx, i.Workspace, i.ID, tag0{})
		}
		return f(tx)
	})
	if sqlState(err) == "42P01" {
		return fault.New(fault.Conflict, "not_checked", "there are no questions before the check").Mended("Check the import first.")
	}
	if _, ok := fault.From(err); err != nil && !ok {
		return fmt.Errorf("answer: %w", err)
	}
	return err
}

// tag0 is a result without rows.
type tag0 struct{}

// RowsAffected implements rowsAffected of a statement that met nothing.
func (tag0) RowsAffected() (int64, error) { return 0, nil }
