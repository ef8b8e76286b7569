package staging

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"

	"github.com/jackc/pgx/v5"
)

var (
	stepProblems = step{does: "puts the problems in order", writes: "problems"}
	stepAsked    = step{does: "gathers what is asked", reads: "questions candidates", writes: "asked offered"}
	stepVerdicts = step{
		does:   "gives the verdicts",
		reads:  "draft matches links settled became aside problems asked records moved verdicts",
		writes: "verdicts waits",
	}
	stepOrder = step{does: "puts the verdicts in order", reads: "verdicts", writes: "verdicts anchors asked offered"}
)

// conclude gives the verdicts of the drafts, and with that of the first draft
// that of the row.
func (k *Check) conclude(ctx context.Context) error {
	err := k.do(ctx, stepProblems,
		k.index("problems", "row_no"),
		k.index("problems", "code, field, row_no"),
		q(`analyze {problems}`))
	if err != nil {
		return err
	}
	if err := k.do(ctx, stepAsked,
		k.gather("asked", "questions"), k.gather("offered", "candidates"),
		k.index("asked", "kind, percent, row_no"),
		k.index("asked", "row_no"),
		k.index("offered", "row_no, draft, place"),
		q(`analyze {asked}`)); err != nil {
		return err
	}
	if err := k.holdTogether(ctx); err != nil {
		return err
	}
	for n := len(k.drafts) - 1; n >= 0; n-- { // the first at last: it says what the row would do
		if err := k.drafts[n].decide(ctx); err != nil {
			return err
		}
	}
	for _, d := range k.drafts {
		if k.whole == nil { // else it is found for all rows at the end
			if err := d.do(ctx, stepGone, d.goneFrom()...); err != nil {
				return err
			}
		}
	}
	if k.whole != nil { // whose order stands; how it shifts is noted when the rows take their places
		return nil
	}
	if k.said, err = k.sayings(ctx, k.conn.pg, `true`); err != nil {
		return err
	}
	rows := map[string]int64{}
	for _, s := range k.said {
		rows[s.Row] += s.Count
	}
	return k.drafts[0].do(ctx, stepOrder,
		k.indexSome("verdicts", "row_verdict, row_no", `row_verdict <> all(`+common(rows)+`)`),
		q(`create unlogged table {anchors} (word text collate "C" not null, n bigint not null, row_no bigint not null, primary key (word, n))`),
		anchorsOf("verdicts", "row_verdict", "true"))
}

// common is the SQL of a list of the words that a tenth of the rows have, or more. The next rows with such a word
// are found as quickly by their numbers, so that an index by word and number leaves them out.
func common[W ~string](counts map[W]int64) string {
	var all int64
	for _, n := range counts {
		all += n
	}
	var words []W
	for _, w := range slices.Sorted(maps.Keys(counts)) {
		if counts[w]*10 >= all {
			words = append(words, w)
		}
	}
	return `array[` + literals(words) + `]::text[]`
}

// anchorsOf notes of each word in a column of a table its first row in every thousand row numbers, with how many
// rows that have it stand before.
func anchorsOf(table, column, which string) stmt {
	return q(`insert into {anchors} (word, n, row_no)
		select word, sum(count) over (partition by word order by row_no) - count, row_no
		from (
			select {column} as word, min(row_no) as row_no, count(*) as count
			from {from} where {which}
			group by {column}, row_no / @step
		) x`,
		frag{"from": "{" + table + "}", "column": column, "which": which}, arg{"step": anchorStep})
}

// gather makes a table of what the drafts have each in a table of their own.
func (k *Check) gather(into, part string) stmt {
	var all []string
	for _, d := range k.drafts {
		all = append(all, `select *, `+schema.Literal(d.plan.Name)+`::text as draft from `+d.table(part))
	}
	return q(`create unlogged table {into} as {all}`,
		frag{"into": "{" + into + "}", "all": strings.Join(all, " union all ")})
}

// word of a verdict, an outcome or a reason as SQL.
func literal[T ~string](w T) string { return schema.Literal(string(w)) }

// decide computes the difference of every draft once and gives the verdict. The
// verdicts of the first draft also say what the row would do: it is held or asked
// about as a whole, else what weighs most of its drafts counts.
func (k *draftCheck) decide(ctx context.Context) error {
	var afters, differ, refs, refsOf, none []string
	var shown []schema.Becomes
	for _, fp := range k.plan.Fields {
		f := fp.Field
		// The value that the record would have is worked out once, in the innermost query.
		was, after := `s.`+wasColumn(f.Name), `s.`+afterColumn(f.Name)
		afters = append(afters, schema.Column(f, "r")+` as `+wasColumn(f.Name), k.after(fp)+` as `+
			afterColumn(f.Name))
		differs := after + ` is distinct from ` + was
		differ = append(differ, `(`+differs+`)`)
		shown = append(shown, schema.Becomes{Field: f.Name, Is: differs, Was: k.shown(f, was), Now: k.shown(f, after)})
	}
	changed, changes := `false`, `null::jsonb`
	if len(differ) > 0 && k.plan.May != mapping.Delete {
		changed, changes = `(`+strings.Join(differ, " or ")+`)`, schema.Changes(shown)
	}
	for _, fp := range k.references() {
		refs = append(refs, `q.`+resolvedColumn(fp.Field.Name)+` as `+schema.Value(fp.Field.Name))
		refsOf = append(refsOf, schema.Value(fp.Field.Name))
		none = append(none, `null::bigint`)
	}
	given := func(c verdict.Case) string { return literal(verdict.Decide(k.plan.May, c)) }
	skips := func(c verdict.Case) string { return fmt.Sprint(verdict.Decide(k.plan.May, c) == verdict.Skip) }
	if changed == `false` {
		afters = nil
	}
	words := frag{
		"afters": behind(afters), "changed": changed, "changes": changes, "refs": behind(refs), "refs_of": behind(refsOf),
		"none": behind(none), "staged": k.staged(),
		"wrong": k.wrong("p"), "about": k.about("x"),
		"left_out": given(verdict.Case{LeftOut: true}), "held": given(verdict.Case{Problems: true}),
		"asked_about": given(verdict.Case{Question: true}),
		"missing":     given(verdict.Case{}), "changing": given(verdict.Case{Found: true, Changes: true}),
		"there":         given(verdict.Case{Found: true}),
		"nothing_found": literal(verdict.NothingFound), "already_there": literal(verdict.AlreadyThere),
		"skips_missing": skips(verdict.Case{}), "skips_there": skips(verdict.Case{Found: true}),
	}
	// What records would have, and the difference, are computed once, in inner queries;
	// a volatile column keeps the server from computing them again wherever they are used,
	// and, unlike "offset 0", lets it compute them on all cores.
	words["said"] = `
			select row_no, record_id, version, found_by, score, alike{refs_of},
				(case
					when left_out then {left_out}
					when wrong then {held}
					when open then {asked_about}
					when record_id is null then {missing}
					when changes is not null then {changing}
					else {there}
				end) collate "C" as verdict,
				changes,
				(case
					when left_out then why
					when wrong or open then null
					when record_id is null and {skips_missing} then {nothing_found}
					when record_id is not null and {skips_there} then {already_there}
				end) collate "C" as why,
				other_row
			from (
				select s.*, case when record_id is not null and not left_out and {changed} then {changes} end as changes,
					clock_timestamp() as differed
				from (
					select q.row_no, q.record_id, q.version, q.found_by, q.score, q.alike{refs},
						a.row_no is not null as left_out, p.row_no is not null as wrong, x.row_no is not null as open, a.why, a.other_row{afters},
						clock_timestamp() as looked
					from {staged}
					left join {aside} a on a.row_no = q.row_no
					left join (select distinct row_no from {problems} p where {wrong}) p on p.row_no = q.row_no
					left join (select distinct row_no from {asked} x where {about}) x on x.row_no = q.row_no
				) s
			) s
			union all
			select a.row_no, null, null, null, null, null{none}, {left_out} collate "C", null, a.why collate "C", a.other_row
			from {aside} a
			where not exists (select from {draft} d where d.row_no = a.row_no)`
	return k.do(ctx, stepVerdicts, append([]stmt{
		q(`create unlogged table {verdicts} with (fillfactor = {spare}) as `+k.withRow(), words, frag{"spare": k.spare()}),
		k.findable("verdicts"),
		q(`analyze {verdicts}`),
	}, k.wait()...)...)
}

// wasColumn and afterColumn name what a record has in a field, and would have.
func wasColumn(field string) string   { return schema.Ident("was_" + field) }
func afterColumn(field string) string { return schema.Ident("to_" + field) }

// withRow is the SQL that sets what is said of the row beside what is said of
// its first draft; of the other drafts it is just what is {said}.
func (k *draftCheck) withRow() string {
	if k.n > 0 {
		return `{said}`
	}
	verdicts, whys, others := []string{`v.verdict`}, []string{`v.why`}, []string{`v.other_row`}
	var joins string
	for _, d := range k.Check.drafts[1:] {
		a := schema.Ident(fmt.Sprintf("v%d", d.n+1))
		joins += ` join ` + d.table("verdicts") + ` ` + a + ` on ` + a + `.row_no = v.row_no`
		verdicts, whys, others = append(verdicts, a+`.verdict`), append(whys, a+`.why`), append(others, a+`.other_row`)
	}
	var whens string
	for _, w := range []verdict.Verdict{verdict.Hold, verdict.Ask, verdict.Delete, verdict.Create, verdict.Update,
		verdict.Same} {
		whens += ` when ` + literal(w) + ` in (` + list(verdicts) + `) then ` + literal(w)
	}
	row := `(case` + whens + ` else ` + literal(verdict.Skip) + ` end) collate "C"`
	left := strings.Join(verdicts, ` = `+literal(verdict.Skip)+` and `) + ` = ` + literal(verdict.Skip)
	return `
		select v.*, ` + row + ` as row_verdict,
			case when ` + left + ` then coalesce(` + list(whys) + `) end as row_why,
			case when ` + left + ` then coalesce(` + list(others) + `) end as row_other
		from ({said}) v` + joins
}

// digest tells verdicts apart: the exclusive or of a hash of each. It is the
// same for the same verdicts in any order, and what is carried out can be taken
// out of it.
func (k *Check) digest(ctx context.Context, on querier, which string) (int64, error) {
	var sum int64
	for _, d := range k.drafts {
		sql, _, err := q(`
			select coalesce(bit_xor(
				hashint8extended(v.row_no, hashtextextended(v.verdict, coalesce(v.record_id, 0) * 8 + {n}))
				# coalesce(jsonb_hash_extended(v.changes, v.row_no), 0)), 0)
			from {verdicts} v where {which}`, frag{"which": which}).compose(d.word)
		if err != nil {
			return 0, err
		}
		var part int64
		if err := on.QueryRow(ctx, sql).Scan(&part); err != nil {
			return 0, fmt.Errorf("sum up the verdicts: %w", err)
		}
		sum ^= part
	}
	return sum, nil
}

// DigestFrom is the digest of the verdicts of all rows from a row number on.
func (k *Check) DigestFrom(ctx context.Context, row int64) (int64, error) {
	sum, err := k.digest(ctx, k.room.pool, `v.row_no >= `+schema.Int(row))
	if err != nil {
		return 0, err
	}
	gone, err := k.digestGone(ctx, k.room.pool)
	return sum ^ gone, err
}

// collect reads the rows of a query into a list.
func collect[T any](ctx context.Context, on querier, lookup vocabulary, s stmt) ([]T, error) {
	sql, _, err := s.compose(lookup)
	if err != nil {
		return nil, err
	}
	rows, err := on.Query(ctx, sql, pgx.StrictNamedArgs(s.args))
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[T])
}

// counted is a word with how often it stands.
type counted struct {
	Word  string `db:"word"`
	Count int64  `db:"count"`
}

// saying is how many rows are said the same of: the verdict of the row, why it is left out, and the verdict of its first
// draft.
type saying struct {
	Row   string          `db:"row_verdict"`
	Why   *verdict.Reason `db:"row_why"`
	Draft string          `db:"verdict"`
	Count int64           `db:"count"`
}

// sayings counts them, of the rows of which a condition on row_no holds.
func (k *Check) sayings(ctx context.Context, on querier, which string) ([]saying, error) {
	list, err := collect[saying](ctx, on, k.drafts[0].word, q(`select row_verdict, row_why, verdict, count(*) as count
		from {verdicts} where {which} group by row_verdict, row_why, verdict order by row_why`, frag{"which": which}))
	if err != nil {
		return nil, fmt.Errorf("count verdicts: %w", err)
	}
	return list, nil
}

// totals counts what is said of the rows of which a condition on row_no holds.
func (k *Check) totals(ctx context.Context, on querier, which string) (t verdict.Totals, err error) {
	of := frag{"which": which}
	t = verdict.Totals{Verdicts: map[string]int64{}, Problems: []verdict.ProblemCount{}, Changes: []verdict.FieldCount{}}
	first := k.drafts[0]
	said := k.said
	if which != `true` || said == nil {
		if said, err = k.sayings(ctx, on, which); err != nil {
			return t, err
		}
	}
	ofFirst := map[string]int64{}
	for _, s := range said {
		t.Rows += s.Count
		t.Verdicts[s.Row] += s.Count
		ofFirst[s.Draft] += s.Count
		switch last := len(t.Reasons) - 1; {
		case s.Why == nil:
		case last >= 0 && t.Reasons[last].Reason == *s.Why:
			t.Reasons[last].Count += s.Count
		default:
			t.Reasons = append(t.Reasons, verdict.ReasonCount{Reason: *s.Why, Count: s.Count})
		}
	}
	t.Problems, err = collect[verdict.ProblemCount](ctx, on, first.word, q(`
		select code, field, light, count(distinct row_no) as count from {problems} where {which}
		group by code, field, light order by light, count desc, code, field`, of))
	if err != nil {
		return t, fmt.Errorf("count problems: %w", err)
	}
	t.Asked, err = collect[verdict.AskedCount](ctx, on, first.word, q(`
		select x.kind, count(*) as count from {asked} x join {verdicts} v using (row_no)
		where v.row_verdict = 'ask' and {which} group by x.kind order by x.kind`, of))
	if err != nil {
		return t, fmt.Errorf("count questions: %w", err)
	}
	for n, d := range k.drafts {
		verdicts := ofFirst
		if n > 0 {
			words, err := collect[counted](ctx, on, d.word, q(`select verdict as word, count(*) as count from {verdicts}
				where {which} group by verdict`, of))
			if err != nil {
				return t, fmt.Errorf("count verdicts: %w", err)
			}
			verdicts = map[string]int64{}
			for _, w := range words {
				verdicts[w.Word] = w.Count
			}
		}
		if err := d.count(ctx, on, of, verdicts, &t); err != nil {
			return t, err
		}
	}
	if k.plan.Apart {
		return t, k.countPartly(ctx, on, of, &t)
	}
	return t, nil
}

// countPartly counts the rows that are held or asked about, of which other records are written.
func (k *Check) countPartly(ctx context.Context, on querier, which frag, t *verdict.Totals) error {
	var writes []string
	for _, d := range k.drafts {
		writes = append(writes, `exists (select from `+d.table("verdicts")+
			` w where w.row_no = {verdicts}.row_no and w.verdict in ('create', 'update'))`)
	}
	sql, _, err := q(`select count(*) from {verdicts} where row_verdict in ('hold', 'ask') and ({writes}) and {which}`,
		which, frag{"writes": strings.Join(writes, " or ")}).compose(k.drafts[0].word)
	if err != nil {
		return err
	}
	if err := on.QueryRow(ctx, sql).Scan(&t.Partly); err != nil {
		return fmt.Errorf("count rows that are held in part: %w", err)
	}
	return nil
}

// count counts what is said of one draft of the rows, beside its verdicts.
func (k *draftCheck) count(ctx context.Context, on querier, which frag, verdicts map[string]int64,
	t *verdict.Totals) (err error) {
	of := verdict.DraftCount{Name: k.plan.Name, Type: k.plan.Type.Name, Verdicts: verdicts}
	if of.Gone, err = k.countGone(ctx, on); err != nil {
		return fmt.Errorf("count what is gone from the source: %w", err)
	}
	t.Drafts = append(t.Drafts, of)
	changes, err := collect[verdict.FieldCount](ctx, on, k.word, q(`
		select e.key as field, count(*) as count, count(*) filter (where e.value->>0 is not null) as over
		from {verdicts} v, jsonb_each(v.changes) e
		where v.verdict = 'update' and {which} group by e.key order by count desc, e.key`, which))
	if err != nil {
		return fmt.Errorf("count changes: %w", err)
	}
	for _, c := range changes {
		c.Field = k.plan.Named(c.Field)
		t.Changes = append(t.Changes, c)
	}
	if k.plan.May == mapping.Delete {
		return k.countReferred(ctx, on, t)
	}
	return nil
}

// countReferred tells how many records point to those that the rows name.
func (k *draftCheck) countReferred(ctx context.Context, on querier, t *verdict.Totals) error {
	for _, p := range k.catalog.PointingTo(k.plan.Type.Name) {
		c := verdict.ReferredCount{Type: p.Type.Name, Field: p.Field.Name}
		sql, _, err := q(`select count(*) from {pointing} x where {link} in (select record_id from {matches})`,
			frag{"pointing": schema.Records(k.i.Workspace, p.Type.Name), "link": schema.Column(p.Field, "x")}).compose(k.word)
		if err != nil {
			return err
		}
		if err := on.QueryRow(ctx, sql).Scan(&c.Count); err != nil {
			return fmt.Errorf("count what refers: %w", err)
		}
		if c.Count > 0 {
			t.Referred = append(t.Referred, c)
		}
	}
	return nil
}
