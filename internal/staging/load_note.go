package staging

import (
	"context"
	"fmt"

	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"
)

// What a load notes of itself: counters, where it goes on, and its outcomes in order.

// noteAll notes what has come of all rows.
func (c *chunk) noteAll(ctx context.Context, now store.Import, done int64) error {
	_, err := c.tx.Exec(ctx, `update imports
		set writes = $2, next_row = $3, outcomes = $4, digest = $5, written = $6, changed_at = now() where id = $1`,
		now.ID, now.Writes, now.NextRow, now.Outcomes, now.Digest, now.Written)
	if err == nil {
		_, err = c.tx.Exec(ctx, `update runs set done_rows = $2, outcomes = $3 where id = $1`, c.run.ID, done,
			store.JSON[map[verdict.Outcome]int64]{V: c.told})
	}
	if err != nil {
		return fmt.Errorf("note what has come of the rows: %w", err)
	}
	return nil
}

// count counts the outcomes that hold for the rows from the first to the last of the chunk,
// also of those that were loaded before, and those that this piece of work has given.
func (c *chunk) count(ctx context.Context) (all, given map[verdict.Outcome]int64, err error) {
	words, err := collect[struct {
		counted
		Given int64 `db:"given"`
	}](ctx, c.tx, c.word, q(`
		select o.of_row as word, count(*) as count, count(*) filter (where o.run = @run) as given
		from {results} o where {within o} and o.last and o.of_row is not null group by o.of_row`, arg{"run": c.run.Piece}))
	if err != nil {
		return nil, nil, fmt.Errorf("count outcomes: %w", err)
	}
	all, given = map[verdict.Outcome]int64{}, map[verdict.Outcome]int64{}
	for _, w := range words {
		all[verdict.Outcome(w.Word)] = w.Count
		if w.Given > 0 {
			given[verdict.Outcome(w.Word)] = w.Given
		}
	}
	return all, given, nil
}

// came is what has come of the rows of a chunk.
type came struct {
	before map[verdict.Outcome]int64 // what had before
	now    map[verdict.Outcome]int64
	given  map[verdict.Outcome]int64 // by this piece of work
	partly int64                     // rows that are held in part
	digest int64                     // of their verdicts
}

// whatCame tells what has come of the rows of the chunk, given what had before.
func (c *chunk) whatCame(ctx context.Context, before map[verdict.Outcome]int64) (w came, err error) {
	w.before = before
	if w.now, w.given, err = c.count(ctx); err != nil {
		return w, err
	}
	if w.digest, err = c.check.digest(ctx, c.tx, c.within("v")); err != nil {
		return w, err
	}
	w.partly, err = c.partly(ctx)
	return w, err
}

// note brings the counters of import and run up to date, and tells where the next chunk starts.
func (c *chunk) note(ctx context.Context, w came) error {
	now := c.i.Outcomes.V
	if now == nil {
		now = map[verdict.Outcome]int64{}
	}
	for o, n := range w.before {
		now[o] -= n
	}
	for o, n := range w.now {
		now[o] += n
	}
	written := w.given[verdict.Created]+w.given[verdict.Updated]+w.given[verdict.Deleted]+w.partly > 0
	if c.whole {
		c.i.NextRow, c.i.Outcomes.V, c.i.Digest, c.i.Written = c.high+1, now, c.i.Digest^w.digest, c.i.Written || written
		for o, n := range w.given {
			c.told[o] += n
		}
		return nil
	}
	_, err := c.tx.Exec(ctx, `
		update imports set next_row = $2, outcomes = $3, digest = digest # $4::bigint, written = written
		or $5, changed_at = now()
		where id = $1`, c.i.ID, c.high+1, store.JSON[map[verdict.Outcome]int64]{V: now}, w.digest, written)
	if err != nil {
		return fmt.Errorf("note progress: %w", err)
	}
	_, err = c.tx.Exec(ctx, `
		update runs set done_rows = done_rows + $2, partly = partly + $4, outcomes = (
			select coalesce(jsonb_object_agg(key, n), '{}') from (
				select key, sum(value::bigint) as n from (
					select * from jsonb_each_text(runs.outcomes) union all select * from jsonb_each_text($3::jsonb)
				) x group by key
			) y
		) where id = $1`, c.run.ID, c.rows, store.JSON[map[verdict.Outcome]int64]{V: w.given}, w.partly)
	if err != nil {
		return fmt.Errorf("note progress: %w", err)
	}
	return nil
}

// finish readies the outcomes for being looked at.
func (c *chunk) finish(ctx context.Context) error {
	for _, k := range c.check.drafts {
		d := &draftChunk{chunk: c, check: k, plan: k.plan}
		// The row that stands for them may have come after them; mostly there is none such.
		var later bool
		if err := c.tx.QueryRow(ctx, `select exists (select from `+k.table("verdicts")+
			` where other_row > row_no)`).Scan(&later); err != nil {
			return fmt.Errorf("%s: %w", stepStood.does, err)
		}
		if !later {
			continue
		}
		_, err := d.do(ctx, stepStood, q(`update {results} o set record_id = t.record_id
			from {verdicts} v join {results} t on t.row_no = v.other_row and t.draft = {n} and t.last
			where v.other_row > v.row_no and v.row_no = o.row_no and o.draft = {n} and o.last
				and o.run = @run and o.outcome = 'skipped' and o.record_id is null and t.record_id is not null`,
			arg{"run": c.run.Piece}))
		if err != nil {
			return err
		}
	}
	var counts store.JSON[map[verdict.Outcome]int64]
	if err := c.tx.QueryRow(ctx, `select outcomes from imports where id = $1`, c.run.Import).Scan(&counts); err != nil {
		return fmt.Errorf("read what has come of the rows: %w", err)
	}
	return c.do(ctx, step{does: "puts the outcomes in order", reads: "results", writes: "results anchors"},
		q(`create index if not exists {index} on {results} `+byOutcome(counts.V),
			frag{"index": schema.Ident(fmt.Sprintf("i%d_results_by_outcome", c.run.Import))}),
		q(`analyze {results}`),
		q(`delete from {anchors} where word in ({words})`, frag{"words": literals(verdict.Outcomes)}),
		anchorsOf("results", "of_row", `last and of_row is not null`))
}
