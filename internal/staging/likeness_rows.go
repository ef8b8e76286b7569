package staging

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/matching"
	"uchi/internal/core/verdict"
	"uchi/internal/pgcopy"
)

// repeatAlike finds the rows that are the same by likeness as an earlier one, or as
// one that has found its record. A row about a record of which a person is asked,
// and one of which they have said that it is none of the records, are looked at as
// well: else two equal rows, answered alike, would make two records.
func (k *draftCheck) repeatAlike(ctx context.Context, n int, rule catalog.MatchRule) error {
	c := matching.NewComparer(k.plan.Type, rule.Alike)
	if ok, err := k.stageKeys(ctx, n, c); err != nil || !ok {
		return err
	}
	if err := k.do(ctx, stepRepeatLikeness, k.equalRows(c)); err != nil {
		return err
	}
	// How rare a value is, and what is near, does not hang on how many rows are
	// checked again.
	held, err := k.ofRows(ctx)
	if err != nil {
		return err
	}
	freq, err := k.frequencies(ctx, held, 2)
	if err != nil {
		return err
	}
	freq.Prior = matching.PriorRows
	err = k.blockPairs(ctx, "{open d}", held, 1, `
		p.other <> p.row_no
		and (p.other < p.row_no or exists (select from `+k.among("matches")+` m where m.row_no = p.other))
		and `+k.undenied("p", "p.other"))
	if err != nil {
		return err
	}
	err = k.score(ctx, q(`
		select p.row_no, p.other, d.values, r.values
		from {pairs} p join {keys} d using (row_no) `+k.joinAmong("keys", "r", "p.other")+`
		order by p.row_no`), c, freq, rule)
	if err != nil {
		return err
	}
	takeAt, askAt := rule.Bounds()
	sure := arg{"sure": []int32{int32(matching.Found), int32(matching.Many)}, "take_at": takeAt}
	// Many means that several other rows are it, which are then one another's
	// repeats: the first that has found a record leads, else the first. What speaks
	// against the record itself is not outweighed by a row between.
	err = k.do(ctx, stepRepeatLikeness,
		q(`analyze {found}`),
		q(`create unlogged table {twice} as
			select row_no, lead, finds, record_id,
				finds = 0 or finds = 1 and not {other_key} and (
					not exists (select from {candidates} c where c.row_no = x.row_no)
					or record_id in (select c.record_id from {candidates} c where c.row_no = x.row_no
					and coalesce(c.against, '{}') = '{}')
				) as agrees
			from (
				select f.row_no, (array_agg(f.other order by m.record_id is null, f.other))[1] as lead,
					count(distinct m.record_id) as finds, min(m.record_id) as record_id
				from {found} f left join `+k.among("matches")+` m on m.row_no = f.other
				where f.decision = any(@sure) and f.percent >= @take_at
				group by f.row_no
			) x`, sure, frag{"other_key": k.otherKey("x.row_no", "x.record_id")}))
	if err != nil {
		return err
	}
	if err := k.oppose(ctx, c, freq, askAt); err != nil {
		return err
	}
	return k.do(ctx, stepRepeatLikeness,
		q(`insert into {repeats} (row_no, lead) select row_no, lead from {twice} t
			where agrees and not exists (select from {opposed} o where o.row_no = t.row_no) on conflict do nothing`),
		// What is left is asked, but about rows whose record is asked about already, and about those
		// that say nothing for it which their record, that it cannot be, does not say as well.
		q(`delete from {found} f
			where exists (select from {repeats} x where x.row_no = f.row_no)
				or exists (select from `+k.among("matches")+
			` m join {candidates} c on c.record_id = m.record_id where m.row_no = f.other and c.row_no = f.row_no)`),
		q(`delete from {found} f using `+k.among("matches")+` m, {opposed} o
			where m.row_no = f.other and o.row_no = f.row_no and o.record_id = m.record_id and not o.adds`),
		q(`drop table {twice}, {opposed}`),
		q(`insert into {candidates} (row_no, place, other_row, percent, reasons, against, alike)
			select f.row_no, f.place + (select count(*) from {candidates} c
			where c.row_no = f.row_no), f.other, f.percent, f.reasons, f.against, f.alike
			from {found} f`),
		q(`update {questions} x set kind = @several, candidates = x.candidates + f.n
			from (select row_no, count(*) as n from {found} group by row_no) f
			where f.row_no = x.row_no`, arg{"several": string(verdict.AskSeveral)}),
		q(`insert into {questions} (row_no, kind, rule, candidates, percent)
			select f.row_no, @kind, @rule, count(*), max(f.percent) from {found} f
			where not exists (select from {questions} x where x.row_no = f.row_no)
			group by f.row_no`, arg{"kind": string(verdict.AskRepeat), "rule": n}),
		q(`drop table {found}, {pairs}`),
		k.askEqual(c, n))
}

// askEqual asks about rows that are equal to another in all that is compared, and were not found to be the same: a name that
// many rows have tells little, and they may be of as many, but mostly they are one, listed often. Keys that differ tell them
// apart.
func (k *draftCheck) askEqual(c *matching.Comparer, n int) stmt {
	names, _ := c.Telling()
	if len(names) == 0 {
		return stmt{}
	}
	only := ``
	if k.whole != nil {
		only = ` and x.said in (select said from {keys})`
	}
	return q(`with equal as materialized (
			select d.row_no, g.lead
			from {keys} d
			join (
				select x.said, coalesce(min(m.row_no), min(x.row_no)) as lead
				from {all} x left join {matched} m on m.row_no = x.row_no
				where not exists (select from {left_out} a where a.row_no = x.row_no){only}
				group by x.said having count(*) > 1
			) g on g.said = d.said
			where d.row_no <> g.lead and {named} and {open d} and {unasked d} and {undenied}
				and not exists (select from {draft} a, {drafts} b where a.row_no = d.row_no and b.row_no = g.lead and ({differ}))
		),
		asked as (
			insert into {questions} (row_no, kind, rule, candidates, percent)
			select row_no, @kind, @rule, 1, @percent from equal
		)
		insert into {candidates} (row_no, place, other_row, percent, against)
			select row_no, 1, lead, @percent, @against::text[] from equal`,
		frag{"all": k.among("keys"), "matched": k.among("matches"), "left_out": k.among("aside"), "drafts": k.among("draft"),
			"only": only, "named": filled(names), "undenied": k.undenied("d", "g.lead"), "differ": k.keysDiffer("a", "b")},
		arg{"kind": string(verdict.AskRepeat), "rule": n, "percent": namesakePercent, "against": []string{matching.OnlyEqual}})
}

// filled is the SQL of whether any of some of the compared values of a row d is filled.
func filled(at []int) string {
	var parts []string
	for _, i := range at {
		parts = append(parts, fmt.Sprintf(`d.values[%d] <> ''`, i+1))
	}
	return `(` + strings.Join(parts, " or ") + `)`
}

// oppose finds the rows that are surely the same as one with a record, and cannot be that record: the son, of
// whom a row without a birthday lies between him and his father. It notes whether the rows between add something
// that speaks for it: where they do not, they change nothing, as if they were not there. Those that are compared
// with the record already, and were near enough to be asked about, say so themselves.
func (k *draftCheck) oppose(ctx context.Context, c *matching.Comparer, freq matching.Frequencies, askAt float64) error {
	if err := k.do(ctx, stepOpposed,
		q(`create unlogged table {opposed} (row_no bigint not null, record_id bigint not null, adds boolean not null)`)); err != nil {
		return err
	}
	query, _, err := q(`
		select t.row_no, t.record_id, d.values, {values}, array(
			select e::text from {found} f cross join lateral jsonb_array_elements(f.reasons) e
			where f.row_no = t.row_no and (e->>'bits')::float8 > 0
		)
		from {twice} t join {keys} d using (row_no) join {records} r on r.id = t.record_id
		where t.agrees and t.finds = 1 and not exists (select from {candidates} c where c.row_no = t.row_no)`,
		frag{"values": comparedColumns(c.Fields, ofRecord("r"), employerOf(k.i.Workspace, k.catalog, "r"))}).compose(k.word)
	if err != nil {
		return err
	}
	judge := c.Judge(k.weights, freq)
	out := pgcopy.Into(ctx, k.room.onConn(k.run), k.table("opposed"), []string{"row_no", "record_id", "adds"})
	err = pgcopy.Out(ctx, k.room.reading, query, func(f [][]byte) error {
		row, record := c.Prepare(pgcopy.TextsOf(f[2], nil)), c.Prepare(pgcopy.TextsOf(f[3], nil))
		s := judge.Compare(&row, &record)
		if s.Most == matching.MayTake || s.Asked(askAt) {
			return nil
		}
		adds, err := saysMore(pgcopy.TextsOf(f[4], nil), s.Reasons)
		if err != nil {
			return err
		}
		out.Row(3)
		out.Int64(pgcopy.Int64Of(f[0]))
		out.Int64(pgcopy.Int64Of(f[1]))
		out.Bool(adds)
		return out.Flush()
	})
	if err := out.End(err); err != nil {
		return fmt.Errorf("%s: %w", stepOpposed.does, err)
	}
	return nil
}

// moreBits is by how much a comparison must weigh more to say more, eight times as likely: the same
// house does beside the same town, a town beside its country does not.
const moreBits = 3

// saysMore reports whether any of some reasons, as JSON, speaks for a pair more than the same comparison does among
// others.
func saysMore(reasons []string, others []matching.Reason) (bool, error) {
	for _, text := range reasons {
		var r matching.Reason
		if err := json.Unmarshal([]byte(text), &r); err != nil {
			return false, fmt.Errorf("read a reason: %w", err)
		}
		if !slices.ContainsFunc(others, func(o matching.Reason) bool { return o.Kind == r.Kind && o.Bits > r.Bits-moreBits && o.Bits > 0 }) {
			return true, nil
		}
	}
	return false, nil
}

// otherKey is the SQL of whether a row has another key than a record, both given as
// SQL.
func (k *draftCheck) otherKey(row, record string) string {
	return `exists (select from {draft} d, {records} r where d.row_no = ` + row + ` and r.id = ` + record + `
		and (` + k.keysDiffer("d", "r") + `))`
}

// equalRows finds rows equal in all that is compared where they are more than
// blocking takes; there need be no score for them.
func (k *draftCheck) equalRows(c *matching.Comparer) stmt {
	names, others := c.Telling()
	if len(names) == 0 || len(others) == 0 {
		return stmt{}
	}
	return q(`insert into {repeats} (row_no, lead)
		select d.row_no, g.lead
		from {keys} d
		join (
			select values, coalesce(min(m.row_no), min(x.row_no)) as lead
			from {keys} x left join {matches} m on m.row_no = x.row_no
			where {stays x}
			group by values having count(*) > @sharing
		) g on g.values = d.values
		where d.row_no <> g.lead and {named} and {told} and {open d} and {undenied}
		on conflict do nothing`, frag{"named": filled(names), "told": filled(others),
		"undenied": k.undenied("d", "g.lead")}, arg{"sharing": mostSharing})
}
