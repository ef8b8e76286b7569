package staging

import (
	"context"
	"fmt"
	"math/bits"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
)

// What a chunk of a load decides before it writes: which rows still stand as the
// check has said, and what becomes of the others.

// draft gives the part of the chunk that is about a draft.
func (c *chunk) draft(k *draftCheck) *draftChunk {
	return c.drafts[slices.IndexFunc(c.drafts, func(d *draftChunk) bool { return d.check == k })]
}

// setAside notes the rows whose verdict no longer holds because somebody else
// has written records since the check: a record that was found has changed, one
// that was not there is there now, one that is linked to is gone, or one that is
// to be deleted is pointed to. Where nobody has written, this costs nothing.
func (c *draftChunk) setAside(ctx context.Context, written, linked bool) error {
	late := func(code problem.Code, field, found string, with ...any) error {
		_, err := c.do(ctx, stepLate, q(`insert into {late} (row_no, draft, code, field, detail, why)
			select row_no, {held_as}, @code, @field, min(why || ': ' || record), min(why) from ({found}) x
			group by row_no on conflict do nothing`,
			append(with, frag{"found": found}, arg{"code": string(code), "field": c.plan.Named(field)})...))
		return err
	}
	id := frag{"id": schema.RecordID(c.plan.Type, "r.id"), "found_id": schema.RecordID(c.plan.Type, "v.record_id")}
	if written {
		err := late(problem.ChangedSince, "", `
			select v.row_no, {found_id} as record, 'the record has changed' as why
			from {verdicts} v left join {records} r on r.id = v.record_id
			where {within v} and v.verdict in ('update', 'delete') and r.version is distinct from v.version`, id)
		if err != nil {
			return err
		}
		for _, same := range c.samesSince() {
			err := late(problem.ChangedSince, "", `
				select v.row_no, {id} as record, 'a record that fits is there now' as why
				from {verdicts} v join {draft} d using (row_no) join {records} r on {same}
				where {within v} and {within d} and (v.verdict = 'create' or v.verdict = 'update' and r.id <> v.record_id)
					and r.import is distinct from @import`, id, frag{"same": same}, arg{"import": c.i.ID})
			if err != nil {
				return err
			}
		}
		if title := c.check.titleOf("d"); title != "" && c.i.CheckBegan != nil &&
			(c.plan.Shared || c.check.likenessRules() != "") {
			// What is found by likeness or name is not looked up again in a load.
			err := late(problem.ChangedSince, "", `
				select v.row_no, {id} as record, 'a record of this name is there now' as why
				from {verdicts} v join {draft} d using (row_no) join {records} r on r.{key} = {title}
				where {within v} and {within d} and v.verdict = 'create' and r.{key} <> ''
					and r.import is distinct from @import and r.created_at > @since::timestamptz`,
				id, frag{"key": schema.Title, "title": title},
				arg{"import": c.i.ID, "since": c.i.CheckBegan.Format(time.RFC3339Nano)})
			if err != nil {
				return err
			}
		}
	}
	if written || linked {
		for _, fp := range c.check.references() {
			target, _ := c.check.catalog.Type(fp.Field.To)
			err := late(problem.LinkGone, fp.Field.Name, `
				select v.row_no, {linked_id} as record, 'the record that it points to is gone' as why
				from {verdicts} v
				where {within v} and v.verdict in ('create', 'update') and {link} > 0
					and not exists (select from {targets} r where r.id = {link})`,
				frag{"link": schema.Column(fp.Field, "v"), "linked_id": schema.RecordID(target, schema.Column(fp.Field, "v")),
					"targets": schema.Records(c.i.Workspace, target.Name)})
			if err != nil {
				return err
			}
		}
	}
	for _, fp := range c.plan.Fields {
		if len(c.check.beside) == 0 || !nameable(fp) {
			continue
		}
		link := schema.Column(fp.Field, "v")
		err := late(problem.LinkHeld, fp.Field.Name, `
			select v.row_no, {says} as record, 'what it points to was not loaded' as why
			from {verdicts} v where {within v} and v.verdict in ('create', 'update') and {outside}`,
			frag{"says": c.check.saysRow(link), "outside": isOutside(link)})
		if err != nil {
			return err
		}
	}
	if c.plan.May == mapping.Delete {
		return c.setAsideReferred(ctx)
	}
	return nil
}

// samesSince gives the conditions under which a record r that is there now fits
// draft d: the rules that compare exactly, and equal keys.
func (c *draftChunk) samesSince() (list []string) {
	for _, rule := range c.plan.Rules {
		if len(rule.Fields) > 0 && rule.Fields[0] != mapping.IDField && c.check.keyed(rule) {
			list = append(list, c.check.sameRecord(rule))
		}
	}
	for _, fp := range c.plan.Fields {
		if same := c.check.sameRecord(catalog.MatchRule{Fields: []string{fp.Field.Name}}); fp.Field.Key &&
			!slices.Contains(list, same) {
			list = append(list, same)
		}
	}
	return list
}

// setAsideReferred sets aside rows that would delete a record to which another
// points that does not go with it in this chunk, until there are no more.
func (c *draftChunk) setAsideReferred(ctx context.Context) error {
	for {
		var more int64
		for _, p := range c.check.catalog.PointingTo(c.plan.Type.Name) {
			stays := `true`
			if p.Type.Name == c.plan.Type.Name {
				stays = `not exists (
					select from {verdicts} g where {within g} and g.verdict = 'delete' and g.record_id = x.id
						and not exists (select from {late} l where l.row_no = g.row_no and l.draft = {held_as}))`
			}
			n, err := c.do(ctx, stepLate, q(`insert into {late} (row_no, draft, code, field, detail, why)
				select v.row_no, {held_as}, @code, @field, count(*) || ' ' || @by, 'other records point to it'
				from {verdicts} v join {pointing} x on {link} = v.record_id
				where {within v} and v.verdict = 'delete' and {stays}
					and not exists (select from {late} l where l.row_no = v.row_no and l.draft = {held_as})
				group by v.row_no`,
				frag{"pointing": schema.Records(c.i.Workspace, p.Type.Name), "link": schema.Column(p.Field, "x"), "stays": stays},
				arg{"code": string(problem.StillReferred), "field": c.plan.Named(""), "by": p.Type.Plural + " by " +
					p.Field.Label}))
			if err != nil {
				return err
			}
			more += n
		}
		if more == 0 {
			return nil
		}
	}
}

// holdDependants holds rows that point to what another row was to make and does
// not, until nothing more depends on what is held.
func (c *chunk) holdDependants(ctx context.Context) error {
	for {
		var more int64
		for _, d := range c.drafts {
			for _, fp := range d.plan.Fields {
				if fp.Becomes() < 0 {
					continue
				}
				// A row further down is loaded after this one, unless it is left out here. What is
				// asked of other chunks is a value: of an exists the server would read whole tables.
				later := `-{link} > @high {only} and (select t.verdict from {theirs} t
					where t.row_no = -{link}) in ('create', 'update', 'same')`
				to := c.check.drafts[fp.Becomes()]
				itself := `-{link} <> v.row_no` // it is held as a whole, but where its records are held apart
				if c.check.plan.Apart && to != d.check {
					itself = `true`
				}
				n, err := d.do(ctx, stepLate, q(`insert into {late} (row_no, draft, code, field, detail, why)
					select v.row_no, {held_as}, @code, @field, 'row ' || -{link}, 'row ' || -{link} || ' was not loaded'
					from {verdicts} v
					where {within v} and v.verdict in ('create', 'update', 'same') and {link} < 0 and {itself}
						and not exists (select from {late} l where l.row_no = v.row_no and l.draft = {held_as})
						and case
							when -{link} between @low and @high {only} then exists (select from {late} l where l.row_no = -{link}
							and l.draft = {theirs_as})
							when {later} then false
							else (select o.record_id from {results} o where o.row_no = -{link} and o.draft = @target and o.last) is null
						end`,
					frag{"link": schema.Column(fp.Field, "v"), "only": c.only("-" + schema.Column(fp.Field, "v")), "later": later,
						"theirs": to.table("verdicts"), "itself": itself, "theirs_as": to.heldAs()},
					arg{"code": string(problem.LinkHeld), "field": d.plan.Named(fp.Field.Name), "low": c.low, "high": c.high,
						"target": fp.Becomes() + 1}))
				if err != nil {
					return err
				}
				more += n
			}
		}
		if more == 0 {
			return nil
		}
	}
}

// weight is the order in which the outcomes of drafts decide that of their row.
var weight = []verdict.Outcome{verdict.Failed, verdict.Held, verdict.Created, verdict.Updated, verdict.Deleted,
	verdict.Undone, verdict.Unchanged, verdict.Skipped}

// decide writes what becomes of each draft of each row, with the ids of new
// records, before any record is written. The outcome of the row as a whole stands
// with its first draft.
func (c *chunk) decide(ctx context.Context) error {
	var outcome string
	for _, v := range verdict.All {
		outcome += ` when ` + literal(v) + ` then ` + literal(verdict.OutcomeOf(v))
	}
	var all []string
	for _, d := range c.drafts {
		without, from := d.without()
		sql, _, err := q(`
			select v.row_no, {n} as draft,
				case when l.row_no is not null and v.verdict <> 'skip' then {held} else case v.verdict{outcome} end end as outcome,
				case
					when l.row_no is null and v.verdict = 'create' then
						{base} + count(*) filter (where l.row_no is null
						and v.verdict = 'create') over (order by v.row_no rows unbounded preceding)
					else v.record_id
				end as record_id,
				coalesce(l.why, v.why{without}) as detail
			from {verdicts} v left join {late} l on l.row_no = v.row_no and l.draft = {held_as}{from}
			where {within v}`,
			frag{"held": literal(verdict.Held), "outcome": outcome, "base": schema.Int(d.base),
				"without": without, "from": from}).compose(d.word)
		if err != nil {
			return err
		}
		all = append(all, sql)
	}
	ofRow := `outcome`
	if len(c.drafts) > 1 {
		ofRow = `case when draft = 1 then
			(array[{words}])[min(array_position(array[{words}], outcome)) over (partition by row_no)] end`
	}
	err := c.do(ctx, stepDecide, q(`insert into {results} (row_no, draft, run, outcome, of_row, record_id, detail)
		select row_no, draft, @run, outcome, `+ofRow+`, record_id, detail
		from ({all}) x
		order by row_no, draft`,
		frag{"words": literals(weight), "all": strings.Join(all, " union all ")}, arg{"run": c.run.Piece}))
	if err != nil {
		return err
	}
	if err := c.standFor(ctx); err != nil {
		return err
	}
	if c.number > 0 && bits.OnesCount64(uint64(c.number)) == 1 &&
		slices.ContainsFunc(c.drafts, func(d *draftChunk) bool { return d.check.becoming() }) {
		// What points to these records is looked up in a table that is still
		// growing: its size must be known, or the server looks in loops.
		return c.do(ctx, stepDecide, q(`analyze {results}`))
	}
	return nil
}

// standFor gives rows that another stands for the record of that, where it has one by now.
func (c *chunk) standFor(ctx context.Context) error {
	for _, d := range c.drafts {
		_, err := d.do(ctx, stepDecide, q(`update {results} o set record_id = t.record_id
			from {verdicts} v join {results} t on t.row_no = v.other_row and t.draft = {n} and t.last
			where v.row_no = o.row_no and o.draft = {n} and o.last and {within o} and {within v}
				and o.outcome = 'skipped' and o.record_id is null and t.record_id is not null`))
		if err != nil {
			return err
		}
	}
	return nil
}

// heldAs is the number by which a draft is noted as held: its own, or 0 for the row as a whole.
func (k *draftCheck) heldAs() string {
	if k.Check.plan.Apart {
		return schema.Int(k.n + 1)
	}
	return "0"
}

// partly counts the rows that this piece of work has held for one of their records, while it has
// written others.
func (c *chunk) partly(ctx context.Context) (n int64, err error) {
	if !c.check.plan.Apart {
		return 0, nil
	}
	sql, _, err := q(`select count(*) from {results} o
		where {within o} and o.last and o.run = {run} and o.of_row in ('held', 'failed')
			and exists (select from {results} d where d.row_no = o.row_no and d.last and d.run = {run}
			and d.outcome in ('created', 'updated'))`,
		frag{"run": schema.Int(c.run.Piece)}).compose(c.word)
	if err == nil {
		err = c.tx.QueryRow(ctx, sql).Scan(&n)
	}
	if err != nil {
		return 0, fmt.Errorf("count rows that are held in part: %w", err)
	}
	return n, nil
}
