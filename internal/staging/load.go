package staging

import (
	"context"
	"errors"
	"fmt"
	"math/bits"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Load carries out verdicts in chunks. Each chunk is one transaction that
// decides what becomes of its rows, writes records, history and outcomes, and
// notes where the next chunk starts; so a process may die at any moment, and
// another goes on.
type Load struct {
	room  *Room
	run   store.Run
	i     store.Import
	check *Check
}

// ChunkRows is how many rows a transaction of a load carries out.
const ChunkRows = 20_000

// NewLoad prepares the load, by a run, of a checked import.
func (r *Room) NewLoad(run store.Run, i store.Import, plan *mapping.Plan, c catalog.Catalog) (*Load, error) {
	k, ok := r.holding(i, plan, c)
	if !ok {
		return nil, errNotStaged
	}
	return &Load{room: r, run: run, i: i, check: k}, nil
}

// Look prepares for what the checked rows make use of; the verdicts must be staged.
func (l *Load) Look(ctx context.Context) error {
	for _, d := range l.check.drafts {
		if err := d.observe(ctx, l.room.pool); err != nil {
			return err
		}
	}
	return nil
}

// Staged reports whether the verdicts of the check that holds are there: after a
// crash of the database unlogged tables are empty, and the check must run again
// before the load goes on.
func (r *Room) Staged(ctx context.Context, i store.Import) (bool, error) {
	of, ok := checkOf(i)
	if !ok {
		return false, nil
	}
	verdicts := of(draftPart(0, "verdicts"))
	if there, err := r.there(ctx, verdicts); err != nil || !there {
		return false, err
	}
	var there bool
	err := r.pool.QueryRow(ctx, `select exists (select from `+verdicts+`)`).Scan(&there)
	return there, err
}

// Chunk carries out the next rows, at most the given number. It reports whether
// the load has ended, which is also so when it was paused or stopped, or has
// given way by its policy.
func (l *Load) Chunk(ctx context.Context, rows int) (ended bool, err error) {
	err = pgx.BeginFunc(ctx, l.room.pool, func(tx pgx.Tx) error {
		i, err := store.LockImport(ctx, tx, l.run)
		if err != nil {
			return err
		}
		c := chunk{Load: l, tx: tx, i: i, number: i.Done / int64(rows)}
		if err := c.bounds(ctx, rows); err != nil {
			return err
		}
		if i.State != life.Loading {
			ended = true
			return c.end(ctx, life.Interrupt, nil)
		}
		if c.rows == 0 {
			ended = true
			return c.end(ctx, life.WasLoaded, nil)
		}
		if err := c.carryOut(ctx); err != nil {
			return err
		}
		ended, err = c.endIfItGivesWay(ctx)
		return err
	})
	return ended, err
}

// end ends the load by an event. When only some rows were to be loaded and others
// are left, these stay checked, to be loaded as well.
func (c *chunk) end(ctx context.Context, event life.Event, trouble *store.Trouble) error {
	if err := c.finish(ctx); err != nil {
		return err
	}
	if event == life.WasLoaded && c.run.Only != nil {
		left, err := c.keepLeft(ctx)
		if err != nil {
			return err
		}
		if left {
			event = life.PartLoaded
		}
	}
	return store.EndRunIn(ctx, c.tx, c.i, c.run, event, trouble, nil)
}

// endIfItGivesWay ends the load when its policy says so.
func (c *chunk) endIfItGivesWay(ctx context.Context) (ended bool, err error) {
	event, trouble, err := c.givesWay(ctx)
	if err != nil || event == "" {
		return false, err
	}
	return true, c.end(ctx, event, trouble)
}

// givesWay tells whether the load is to end by its policy, after what it has done
// so far.
func (c *chunk) givesWay(ctx context.Context) (life.Event, *store.Trouble, error) {
	p := c.run.Policy.V
	if p.PauseHeld == 0 && p.StopFails == 0 {
		return "", nil, nil
	}
	var held, failed int64
	err := c.tx.QueryRow(ctx, `select coalesce((outcomes->>'held')::bigint, 0), coalesce((outcomes->>'failed')::bigint, 0) from runs where id = $1`, c.run.ID).Scan(&held, &failed)
	switch {
	case err != nil:
		return "", nil, fmt.Errorf("count what is held: %w", err)
	case p.StopFails > 0 && failed >= p.StopFails:
		return life.Failing, &store.Trouble{Code: string(life.Failing), Message: fmt.Sprintf("the load has stopped, as it was to: the database has refused %d rows", failed),
			Mend: "Look at the rows that have failed. What was loaded stays, or can be taken back."}, nil
	case p.PauseHeld > 0 && held >= p.PauseHeld:
		return life.HeldUp, &store.Trouble{Code: string(life.HeldUp), Message: fmt.Sprintf("the load has paused, as it was to: %d rows are held", held),
			Mend: "Look at the rows that are held; then go on, or stop."}, nil
	}
	return "", nil, nil
}

// keepLeft drops what the check has said of rows that are settled now, as a check
// made now would, so that it stands for those that are left. It reports whether
// there are any.
func (c *chunk) keepLeft(ctx context.Context) (bool, error) {
	var parts []string
	for _, part := range []string{"problems", "asked", "offered"} {
		parts = append(parts, c.check.table(part))
	}
	for _, d := range c.check.drafts {
		parts = append(parts, d.table("verdicts"))
	}
	for _, part := range parts {
		if _, err := c.tx.Exec(ctx, `delete from `+part+` v where `+settledRow(resultsTable(c.i.ID), "v")); err != nil {
			return false, fmt.Errorf("drop what is settled: %w", err)
		}
	}
	first := c.check.drafts[0]
	_, err := c.room.carryOut(ctx, c.tx, c.run, step{does: "looks at what is left", reads: "verdicts", writes: "anchors shifts"}, first.word, []stmt{
		q(`drop table if exists {shifts}`),
		q(`analyze {verdicts}`),
		q(`delete from {anchors} where word in ({words})`, frag{"words": literals(verdict.All)}),
		anchorsOf("verdicts", "row_verdict", "true"),
	})
	if err != nil {
		return false, err
	}
	found, err := c.check.found(ctx, c.tx)
	if err != nil {
		return false, err
	}
	_, err = c.tx.Exec(ctx, `update imports set totals = $2, digest = $3, next_row = 0 where id = $1`, c.i.ID, store.JSON[verdict.Totals]{V: found.Totals}, found.Digest)
	if err != nil {
		return false, fmt.Errorf("note what is left: %w", err)
	}
	return found.Totals.Rows > 0, nil
}

// literals writes words as SQL, a comma between.
func literals[T ~string](words []T) string {
	out := make([]string, len(words))
	for n, w := range words {
		out[n] = literal(w)
	}
	return list(out)
}

// chunk is the work of one transaction on the rows from low to high.
type chunk struct {
	*Load
	tx        pgx.Tx
	i         store.Import // as it stands, locked
	whole     bool         // the transaction goes on: what is noted stays in i and told
	told      map[verdict.Outcome]int64
	number    int64 // how many there were before, about
	low, high int64
	rows      int64
	drafts    []*draftChunk // each behind those that it points to
}

// draftChunk is the part of a chunk that is about one of the drafts of a row.
type draftChunk struct {
	*chunk
	check   *draftCheck
	plan    *mapping.DraftPlan
	creates int64
	base    int64 // the new records get the ids after this
}

// bounds finds the rows of the chunk.
func (c *chunk) bounds(ctx context.Context, most int) error {
	var low, high *int64
	err := c.tx.QueryRow(ctx, `
		select min(row_no), max(row_no), count(*) from (
			select row_no from `+c.check.drafts[0].table("verdicts")+` v where row_no >= $1`+c.only("v.row_no")+` order by row_no limit $2
		) x`, c.i.NextRow, most).Scan(&low, &high, &c.rows)
	if err != nil {
		return fmt.Errorf("find the next rows: %w", err)
	}
	if c.rows > 0 {
		c.low, c.high = *low, *high
	}
	return nil
}

// within is the rule that rows of an alias are those of the chunk. It is said of
// each table, so that only the chunk's part of it is looked at.
func (c *chunk) within(row string) string {
	return fmt.Sprintf(`%s.row_no between %d and %d`, row, c.low, c.high) + c.only(row+".row_no")
}

// only is the rule that a row is one of those that the load is about, behind
// another rule; empty when it is about all.
func (c *chunk) only(row string) string {
	if c.run.Only == nil {
		return ""
	}
	return ` and ` + row + ` <@ ` + literal(*c.run.Only) + `::int8multirange`
}

// word is the vocabulary of a chunk: that of the row, with the rows of the chunk.
func (c *chunk) word(w string) (sql string, isTable, ok bool) {
	if rule, row, parameter := cutWord(w); parameter && rule == "within" {
		return c.within(row), false, true
	}
	if w == "late" {
		return "late", true, true
	}
	return c.check.word(w)
}

// word is the vocabulary of one draft of a chunk.
func (c *draftChunk) word(w string) (sql string, isTable, ok bool) {
	if sql, isTable, ok := c.check.word(w); ok {
		return sql, isTable, ok
	}
	return c.chunk.word(w)
}

func (c *chunk) do(ctx context.Context, st step, statements ...stmt) error {
	_, err := c.room.carryOut(ctx, c.tx, c.run, st, c.word, statements)
	return err
}

func (c *draftChunk) do(ctx context.Context, st step, statements ...stmt) (int64, error) {
	return c.room.carryOut(ctx, c.tx, c.run, st, c.word, statements)
}

// prepare counts what the drafts are to make and locks the record types that are
// written and linked to. It gives whether somebody else has written since the
// check: to the types that are written, or to those that are linked to.
func (c *chunk) prepare(ctx context.Context) (written, linked bool, err error) {
	ids := map[string]int64{}
	var links []string
	for _, k := range c.check.inOrder() {
		d := &draftChunk{chunk: c, check: k, plan: k.plan}
		sql := `select count(*) from ` + k.table("verdicts") + ` v where v.verdict = 'create' and ` + c.within("v")
		if err := c.tx.QueryRow(ctx, sql).Scan(&d.creates); err != nil {
			return false, false, fmt.Errorf("count what is to be made: %w", err)
		}
		ids[k.plan.Type.Name] += d.creates
		links = append(links, k.links()...)
		c.drafts = append(c.drafts, d)
	}
	locked, linkWrites, err := store.LockTypes(ctx, c.tx, c.i.Workspace, ids, links)
	if err != nil {
		return false, false, err
	}
	var writes int64
	for _, l := range locked {
		writes += l.Writes
	}
	for _, d := range c.drafts {
		l := locked[d.plan.Type.Name]
		d.base = l.Base
		l.Base += d.creates
		locked[d.plan.Type.Name] = l
		if d.creates > 0 {
			if err := store.NoteMade(ctx, c.tx, c.run.Piece, d.plan.Type.Name, d.base, d.creates); err != nil {
				return false, false, err
			}
		}
	}
	written, linked = writes != c.i.Writes, linkWrites != c.i.LinkWrites
	if c.whole {
		c.i.Writes += int64(len(locked))
		return written, linked, nil
	}
	_, err = c.tx.Exec(ctx, `update imports set writes = writes + $2 where id = $1`, c.i.ID, len(locked))
	return written, linked, err
}

// links lists the record types that the draft links to.
func (k *draftCheck) links() (types []string) {
	for _, fp := range k.references() {
		types = append(types, fp.Field.To)
	}
	return types
}

var (
	stepBefore = step{does: "makes room for what becomes of the rows", reads: "verdicts", writes: "results late"}
	stepLate   = step{does: "sets aside what can no longer be done as checked", reads: "verdicts draft records history results late", writes: "late"}
	stepNoted  = step{does: "notes why", reads: "late", writes: "problems"}
	stepDecide = step{does: "decides what becomes of the rows", reads: "verdicts late results problems", writes: "results"}
	stepCreate = step{does: "makes records", reads: "results draft verdicts", writes: "records"}
	stepUpdate = step{does: "changes records", reads: "results draft verdicts settled", writes: "records history"}
	stepDelete = step{does: "deletes records", reads: "results verdicts", writes: "records history"}
)

// carryOut writes the chunk's records, history and outcomes.
func (c *chunk) carryOut(ctx context.Context) error {
	written, linked, err := c.prepare(ctx)
	if err != nil {
		return err
	}
	before, err := c.count(ctx)
	if err != nil {
		return err
	}
	first := c.check.drafts[0]
	_, err = c.room.carryOut(ctx, c.tx, c.run, stepBefore, c.draft(first).word, []stmt{
		// What an earlier run said of the rows stays, and no longer holds.
		q(`update {results} o set last = false from {verdicts} v where o.last and v.row_no = o.row_no and {within o} and {within v}`),
		q(`create temp table if not exists late (row_no bigint primary key, code text, field text, detail text, why text) on commit drop`),
		q(`truncate {late}`),
		q(`insert into {late} (row_no) select v.row_no from {verdicts} v where {within v} and v.row_verdict in (@hold, @ask)`,
			arg{"hold": string(verdict.Hold), "ask": string(verdict.Ask)}),
	})
	if err != nil {
		return err
	}
	for _, d := range c.drafts {
		if err := d.setAside(ctx, written, linked); err != nil {
			return err
		}
	}
	if err := c.holdDependants(ctx); err != nil {
		return err
	}
	if c.whole {
		if err := c.allOrNothing(ctx); err != nil {
			return err
		}
	}
	if err := c.do(ctx, stepNoted, q(`insert into {problems} (row_no, code, field, col, value, detail)
		select row_no, code, field, '', '', detail from {late} where code is not null`)); err != nil {
		return err
	}
	if err := c.decide(ctx); err != nil {
		return err
	}
	for _, d := range c.drafts {
		if err := d.write(ctx); err != nil {
			return err
		}
	}
	return c.advance(ctx, before)
}

// NotAllError says why a load of all rows or none has written nothing.
type NotAllError struct {
	Row int64 // 0 when it is not known
	Why string
}

// Error implements error.
func (e *NotAllError) Error() string { return fmt.Sprintf("row %d: %s", e.Row, e.Why) }

// allOrNothing gives an error when a row of the chunk cannot be loaded.
func (c *chunk) allOrNothing(ctx context.Context) error {
	e := &NotAllError{}
	err := c.tx.QueryRow(ctx, `select row_no, coalesce(why, 'the row is held') from late order by row_no limit 1`).Scan(&e.Row, &e.Why)
	if store.IsMissing(err) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("look for what is held: %w", err)
	}
	return e
}

// Whole carries out all rows in one transaction, or none: then it gives a
// NotAllError. Others who write to the same record types wait until it ends.
// Progress is told how many rows are done.
func (l *Load) Whole(ctx context.Context, progress func(done int64) error) error {
	err := pgx.BeginFunc(ctx, l.room.pool, func(tx pgx.Tx) error {
		if err := store.Guard(ctx, tx, l.run); err != nil {
			return err
		}
		i, err := l.room.store.ImportAnywhere(ctx, l.run.Import)
		if err != nil {
			return err
		}
		c := chunk{Load: l, tx: tx, i: i, whole: true, told: map[verdict.Outcome]int64{}}
		var done int64
		for {
			if err := c.bounds(ctx, ChunkRows); err != nil {
				return err
			}
			if c.rows == 0 {
				break
			}
			c.drafts = nil
			if err := c.carryOut(ctx); err != nil {
				return err
			}
			done += c.rows
			c.number++
			if err := progress(done); err != nil {
				return err
			}
		}
		noted := c.i
		if c.i, err = store.LockImport(ctx, tx, l.run); err != nil {
			return err
		}
		if c.i.State != life.Loading {
			return &NotAllError{Why: "the load was stopped"}
		}
		if err := c.noteAll(ctx, noted, done); err != nil {
			return err
		}
		return c.end(ctx, life.WasLoaded, nil)
	})
	if Refused(err) {
		return &NotAllError{Why: whyRefused(err)}
	}
	return err
}

// noteAll notes what has come of all rows.
func (c *chunk) noteAll(ctx context.Context, now store.Import, done int64) error {
	_, err := c.tx.Exec(ctx, `update imports set writes = $2, next_row = $3, outcomes = $4, digest = $5, written = $6, changed_at = now() where id = $1`,
		now.ID, now.Writes, now.NextRow, now.Outcomes, now.Digest, now.Written)
	if err == nil {
		_, err = c.tx.Exec(ctx, `update runs set done_rows = $2, outcomes = $3 where id = $1`, c.run.ID, done, store.JSON[map[verdict.Outcome]int64]{V: c.told})
	}
	if err != nil {
		return fmt.Errorf("note what has come of the rows: %w", err)
	}
	return nil
}

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
		_, err := c.do(ctx, stepLate, q(`insert into {late} (row_no, code, field, detail, why)
			select row_no, @code, @field, min(why || ': ' || record), min(why) from ({found}) x
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
		if title := c.check.titleOf("d"); title != "" && c.i.CheckBegan != nil && (c.plan.Shared || c.check.likenessRules() != "") {
			// What is found by likeness or name is not looked up again in a load.
			err := late(problem.ChangedSince, "", `
				select v.row_no, {id} as record, 'a record of this name is there now' as why
				from {verdicts} v join {draft} d using (row_no) join {records} r on r.{key} = {title}
				where {within v} and {within d} and v.verdict = 'create' and r.{key} <> ''
					and r.import is distinct from @import and r.created_at > @since::timestamptz`,
				id, frag{"key": schema.Title, "title": title}, arg{"import": c.i.ID, "since": c.i.CheckBegan.Format(time.RFC3339Nano)})
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
				frag{"link": schema.Column(fp.Field, "v"), "linked_id": schema.RecordID(target, schema.Column(fp.Field, "v")), "targets": schema.Records(c.i.Workspace, target.Name)})
			if err != nil {
				return err
			}
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
		if same := c.check.sameRecord(catalog.MatchRule{Fields: []string{fp.Field.Name}}); fp.Field.Key && !slices.Contains(list, same) {
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
		for _, p := range schema.PointingTo(c.check.catalog, c.plan.Type.Name) {
			stays := `true`
			if p.Type.Name == c.plan.Type.Name {
				stays = `not exists (
					select from {verdicts} g where {within g} and g.verdict = 'delete' and g.record_id = x.id
						and not exists (select from {late} l where l.row_no = g.row_no))`
			}
			n, err := c.do(ctx, stepLate, q(`insert into {late} (row_no, code, field, detail, why)
				select v.row_no, @code, @field, count(*) || ' ' || @by, 'other records point to it'
				from {verdicts} v join {pointing} x on {link} = v.record_id
				where {within v} and v.verdict = 'delete' and {stays}
					and not exists (select from {late} l where l.row_no = v.row_no)
				group by v.row_no`,
				frag{"pointing": schema.Records(c.i.Workspace, p.Type.Name), "link": schema.Column(p.Field, "x"), "stays": stays},
				arg{"code": string(problem.StillReferred), "field": c.plan.Named(""), "by": p.Type.Plural + " by " + p.Field.Label}))
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
				if fp.Draft < 0 {
					continue
				}
				n, err := d.do(ctx, stepLate, q(`insert into {late} (row_no, code, field, detail, why)
					select v.row_no, @code, @field, 'row ' || -{link}, 'row ' || -{link} || ' was not loaded'
					from {verdicts} v
					where {within v} and v.verdict in ('create', 'update', 'same') and {link} < 0 and -{link} <> v.row_no
						and not exists (select from {late} l where l.row_no = v.row_no)
						and case
							when -{link} between @low and @high {only} then exists (select from {late} l where l.row_no = -{link})
							else not exists (
								select from {results} o where o.row_no = -{link} and o.draft = @target and o.last and o.record_id is not null)
						end`,
					frag{"link": schema.Column(fp.Field, "v"), "only": c.only("-" + schema.Column(fp.Field, "v"))},
					arg{"code": string(problem.LinkHeld), "field": d.plan.Named(fp.Field.Name), "low": c.low, "high": c.high, "target": fp.Draft + 1}))
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
var weight = []verdict.Outcome{verdict.Failed, verdict.Held, verdict.Created, verdict.Updated, verdict.Deleted, verdict.Undone, verdict.Unchanged, verdict.Skipped}

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
		sql, _, err := q(`
			select v.row_no, {n} as draft,
				case when l.row_no is not null and v.verdict <> 'skip' then {held} else case v.verdict{outcome} end end as outcome,
				case
					when l.row_no is null and v.verdict = 'create' then
						{base} + count(*) filter (where l.row_no is null and v.verdict = 'create') over (order by v.row_no rows unbounded preceding)
					else v.record_id
				end as record_id,
				coalesce(l.why, v.why{without}) as detail
			from {verdicts} v left join {late} l on l.row_no = v.row_no
			where {within v}`,
			frag{"held": literal(verdict.Held), "outcome": outcome, "base": schema.Int(d.base), "without": d.without()}).compose(d.word)
		if err != nil {
			return err
		}
		all = append(all, sql)
	}
	err := c.do(ctx, stepDecide, q(`insert into {results} (row_no, draft, run, outcome, of_row, record_id, detail)
		select row_no, draft, @run, outcome,
			case when draft = 1 then (array[{words}])[min(array_position(array[{words}], outcome)) over (partition by row_no)] end,
			record_id, detail
		from ({all}) x
		order by row_no, draft`,
		frag{"words": literals(weight), "all": strings.Join(all, " union all ")}, arg{"run": c.run.Piece}))
	if err != nil {
		return err
	}
	for _, d := range c.drafts {
		// A row that another stands for has the record of that.
		_, err := d.do(ctx, stepDecide, q(`update {results} o set record_id = t.record_id
			from {verdicts} v join {results} t on t.row_no = v.other_row and t.draft = {n} and t.last
			where v.row_no = o.row_no and o.draft = {n} and o.last and {within o} and {within v}
				and o.outcome = 'skipped' and o.record_id is null and t.record_id is not null`))
		if err != nil {
			return err
		}
	}
	if c.number > 0 && bits.OnesCount64(uint64(c.number)) == 1 && slices.ContainsFunc(c.drafts, func(d *draftChunk) bool { return d.plan.Shared }) {
		// What points to these records is looked up in a table that is still
		// growing: its size must be known, or the server looks in loops.
		return c.do(ctx, stepDecide, q(`analyze {results}`))
	}
	return nil
}

// without is the SQL, behind a comma, of what a row is loaded without because it
// cannot be read; it is empty when no field may be left out so.
func (c *draftChunk) without() string {
	if !slices.ContainsFunc(c.plan.Fields, func(fp mapping.FieldPlan) bool { return fp.Light }) {
		return ""
	}
	return `, (
		select 'without ' || string_agg(distinct x.col || ' ' || x.value, ', ') from {problems} x
		where x.row_no = v.row_no and x.light and v.verdict in ('create', 'update'))`
}

// write writes the records of one draft, as it was decided.
func (c *draftChunk) write(ctx context.Context) error {
	if c.creates > 0 {
		if _, err := c.do(ctx, stepCreate, c.create()); err != nil {
			return err
		}
	}
	if c.plan.May == mapping.Delete {
		_, err := c.do(ctx, stepDelete, c.remove())
		return err
	}
	if len(c.plan.Fields) == 0 {
		return nil
	}
	_, err := c.do(ctx, stepUpdate, c.update())
	return err
}

// decided is the SQL of the drafts of the chunk with an outcome, as o, with
// their verdicts as v, their values as d, and the records of the rows that their
// references lead to.
func (c *draftChunk) decided(outcome verdict.Outcome) string {
	sql := `{results} o
			join {draft} d on d.row_no = o.row_no
			join {verdicts} v on v.row_no = o.row_no`
	for _, fp := range c.plan.Fields {
		if fp.Draft >= 0 { // what another draft has become by now
			a := linkAlias(fp.Field.Name)
			sql += ` left join {results} ` + a + ` on ` + a + `.row_no = -` + schema.Column(fp.Field, "v") + ` and ` + a + `.draft = ` + schema.Int(fp.Draft+1) + ` and ` + a + `.last`
		}
	}
	return sql + ` where o.last and o.draft = {n} and o.outcome = ` + literal(outcome) + ` and {within o} and {within d} and {within v}`
}

// sources gives for every column that the draft fills its name and the SQL of
// its value; references come resolved from the verdicts.
func (c *draftChunk) sources() (columns, values []string) {
	for _, fp := range c.plan.Fields {
		f := fp.Field
		from := schema.Column(f, "d")
		if f.Kind().Form == catalog.LinkForm {
			from = schema.Column(f, "v")
		}
		if fp.Draft >= 0 {
			from = `case when ` + from + ` < 0 then ` + linkAlias(f.Name) + `.record_id else ` + from + ` end`
		}
		columns, values = append(columns, schema.Value(f.Name)), append(values, from)
		if f.Normalised() {
			columns, values = append(columns, schema.Key(f.Name)), append(values, `d.`+schema.Key(f.Name))
		}
		if schema.InTitle(c.plan.Type, f.Name) {
			columns, values = append(columns, schema.Name(f.Name)), append(values, `d.`+schema.Name(f.Name))
		}
	}
	return columns, values
}

// changes is the SQL of the difference as history keeps it: with the record that
// another draft of the row has become in the place of the row.
func (c *draftChunk) changes() string {
	out := `v.changes`
	for _, fp := range c.plan.Fields {
		if fp.Draft < 0 {
			continue
		}
		t, _ := c.check.catalog.Type(fp.Field.To)
		name := literal(fp.Field.Name)
		out = `case when ` + schema.Column(fp.Field, "v") + ` < 0 and v.changes ? ` + name + `
			then ` + out + ` || jsonb_build_object(` + name + `, jsonb_build_array(v.changes->` + name + `->0, ` + schema.RecordID(t, linkAlias(fp.Field.Name)+`.record_id`) + `))
			else ` + out + ` end`
	}
	return out
}

// titleFrom is the SQL of the record's title in its normal form, of parts that
// are given for each of its columns; an empty part is left out.
func (c *draftChunk) titleFrom(part func(field string, inDraft bool) string) string {
	var parts []string
	for _, name := range c.plan.Type.Title {
		if p := part(name, c.check.field(name) != nil); p != "" {
			parts = append(parts, p)
		}
	}
	if len(parts) == 0 {
		return `''`
	}
	return `concat_ws(' ', ` + list(parts) + `)`
}

// create makes the new records, whose ids are decided.
func (c *draftChunk) create() stmt {
	columns, values := c.sources()
	for _, f := range c.plan.Type.Fields {
		if f.Default == "" || f.Retired {
			continue
		}
		def := literal(f.Default) + `::` + schema.Type(f)
		if i := slices.Index(columns, schema.Value(f.Name)); i >= 0 {
			values[i] = `coalesce(` + values[i] + `, ` + def + `)`
		} else {
			columns, values = append(columns, schema.Value(f.Name)), append(values, def)
		}
	}
	title := c.titleFrom(func(field string, inDraft bool) string {
		if !inDraft {
			return ""
		}
		return `d.` + schema.Name(field)
	})
	return q(`insert into {records} (id, created_by, changed_by, import, {title_column}{columns})
		select o.record_id, @person, @person, @import, {title}{values}
		from {decided}
		order by o.record_id`,
		frag{"title_column": schema.Title, "title": title, "columns": behind(columns), "values": behind(values), "decided": c.decided(verdict.Created)},
		arg{"person": c.run.Person, "import": c.i.ID})
}

// update changes the records that were found, and keeps in the history what
// they were.
func (c *draftChunk) update() stmt {
	columns, values := c.sources()
	var set, picked []string
	for i, col := range columns {
		picked = append(picked, values[i]+` as `+col)
	}
	for _, col := range c.check.extras() {
		switch col {
		case "found_by", "alike":
			picked = append(picked, `v.`+col)
		case "keep":
			picked = append(picked, `(select s.keep from {settled} s where s.row_no = v.row_no) as keep`)
		default:
			picked = append(picked, `d.`+col)
		}
	}
	given := func(f catalog.Field) string { return schema.Column(f, "t") }
	// The normal forms go with the value that is taken.
	with := func(fp mapping.FieldPlan, column string) string {
		was, after := schema.Column(fp.Field, "r"), c.check.after(fp, "t", "r", given)
		return `case when ` + after + ` is not distinct from ` + was + ` then r.` + column + ` when ` + after + ` is null then null else t.` + column + ` end`
	}
	names := map[string]string{}
	for _, fp := range c.plan.Fields {
		f := fp.Field
		set = append(set, schema.Value(f.Name)+` = `+c.check.after(fp, "t", "r", given))
		if f.Normalised() {
			set = append(set, schema.Key(f.Name)+` = `+with(fp, schema.Key(f.Name)))
		}
		if schema.InTitle(c.plan.Type, f.Name) {
			names[f.Name] = with(fp, schema.Name(f.Name))
			set = append(set, schema.Name(f.Name)+` = `+names[f.Name])
		}
	}
	title := c.titleFrom(func(field string, inDraft bool) string {
		if !inDraft {
			return `r.` + schema.Name(field)
		}
		return names[field]
	})
	return q(`with todo as materialized (
			select v.record_id, {changes} as changes{picked} from {decided}
		),
		changed as (
			update {records} r set version = r.version + 1, changed_at = now(), changed_by = @person, {title_column} = {title}, {set}
			from todo t where r.id = t.record_id
			returning r.id, r.version, t.changes
		)
		insert into {history} (record_id, version, person, import, run, kind, changes)
		select id, version, @person, @import, @run, 'update', changes from changed`,
		frag{"changes": c.changes(), "picked": behind(picked), "decided": c.decided(verdict.Updated), "title_column": schema.Title, "title": title, "set": list(set)},
		arg{"person": c.run.Person, "import": c.i.ID, "run": c.run.Piece})
}

// remove deletes records that nothing points to, and keeps what they were.
func (c *draftChunk) remove() stmt {
	return deleteRecords(`{records} r using {results} o
			where r.id = o.record_id and o.last and o.draft = {n} and o.outcome = 'deleted' and {within o}`, c.i, c.run)
}

// deleteRecords is the statement that deletes records r, as from says behind
// delete from, and keeps in the history what they were: their rows.
func deleteRecords(from string, i store.Import, run store.Run) stmt {
	return q(`with gone as (
			delete from `+from+`
			returning r.id, r.version, to_jsonb(r) as was
		)
		insert into {history} (record_id, version, person, import, run, kind, changes, was)
		select id, version + 1, @person, @import, @run, 'delete', '{}', was from gone`, arg{"person": run.Person, "import": i.ID, "run": run.Piece})
}

// count counts the outcomes of the rows of the chunk.
func (c *chunk) count(ctx context.Context) (map[verdict.Outcome]int64, error) {
	return countOutcomes(ctx, c.tx, c.word, q(`
		select o.of_row as word, count(*) as count from {results} o where {within o} and o.last and o.of_row is not null group by o.of_row`))
}

// countOutcomes gives the outcomes that a query has counted.
func countOutcomes(ctx context.Context, tx pgx.Tx, lookup vocabulary, query stmt) (map[verdict.Outcome]int64, error) {
	words, err := collect[counted](ctx, tx, lookup, query)
	if err != nil {
		return nil, fmt.Errorf("count outcomes: %w", err)
	}
	m := map[verdict.Outcome]int64{}
	for _, w := range words {
		m[verdict.Outcome(w.Word)] = w.Count
	}
	return m, nil
}

// advance notes what has become of the rows of the chunk, and where the next one
// starts.
func (c *chunk) advance(ctx context.Context, before map[verdict.Outcome]int64) error {
	after, err := c.count(ctx)
	if err != nil {
		return err
	}
	done, err := c.check.digest(ctx, c.tx, c.within("v"))
	if err != nil {
		return err
	}
	return c.note(ctx, before, after, done, c.high, c.rows)
}

// note brings the counters of import and run up to date.
func (c *chunk) note(ctx context.Context, before, after map[verdict.Outcome]int64, digest, high, rows int64) error {
	now := c.i.Outcomes.V
	if now == nil {
		now = map[verdict.Outcome]int64{}
	}
	for o, n := range before {
		now[o] -= n
	}
	for o, n := range after {
		now[o] += n
	}
	written := after[verdict.Created]+after[verdict.Updated]+after[verdict.Deleted] > 0
	if c.whole {
		c.i.NextRow, c.i.Outcomes.V, c.i.Digest, c.i.Written = high+1, now, c.i.Digest^digest, c.i.Written || written
		for o, n := range after {
			c.told[o] += n
		}
		return nil
	}
	_, err := c.tx.Exec(ctx, `
		update imports set next_row = $2, outcomes = $3, digest = digest # $4::bigint, written = written or $5, changed_at = now()
		where id = $1`, c.i.ID, high+1, store.JSON[map[verdict.Outcome]int64]{V: now}, digest, written)
	if err != nil {
		return fmt.Errorf("note progress: %w", err)
	}
	_, err = c.tx.Exec(ctx, `
		update runs set done_rows = done_rows + $2, outcomes = (
			select coalesce(jsonb_object_agg(key, n), '{}') from (
				select key, sum(value::bigint) as n from (
					select * from jsonb_each_text(runs.outcomes) union all select * from jsonb_each_text($3::jsonb)
				) x group by key
			) y
		) where id = $1`, c.run.ID, rows, store.JSON[map[verdict.Outcome]int64]{V: after})
	if err != nil {
		return fmt.Errorf("note progress: %w", err)
	}
	return nil
}

// Refused reports whether the server refused a value or a constraint, so that
// a smaller chunk can find the row.
func Refused(err error) bool {
	state := store.SQLState(err)
	return strings.HasPrefix(state, "22") || strings.HasPrefix(state, "23")
}

// whyRefused words why the server refused a row.
func whyRefused(err error) string {
	var pg *pgconn.PgError
	if !errors.As(err, &pg) {
		return "the database refused it"
	}
	switch pg.Code {
	case "23505":
		return "another record has been given the same key meanwhile"
	case "22003":
		return "a number is larger than the field can hold"
	case "22001":
		return "a text is longer than the field can hold"
	case "22007", "22008":
		return "a date is outside what the field can hold"
	case "54000":
		return "the values of the row are together too long for an index"
	}
	return "the database refused its values (" + pg.Code + ")"
}

// Refuse writes the outcome failed for the next row, which the server refuses. It
// reports whether the load has given way by its policy.
func (l *Load) Refuse(ctx context.Context, cause error) (ended bool, err error) {
	err = pgx.BeginFunc(ctx, l.room.pool, func(tx pgx.Tx) error {
		i, err := store.LockImport(ctx, tx, l.run)
		if err != nil {
			return err
		}
		c := chunk{Load: l, tx: tx, i: i}
		if err := c.bounds(ctx, 1); err != nil {
			return err
		}
		if c.rows == 0 {
			return nil
		}
		before, err := c.count(ctx)
		if err != nil {
			return err
		}
		why := whyRefused(cause)
		err = c.do(ctx, step{does: "notes the refused row", reads: "results", writes: "results problems"},
			q(`insert into {problems} (row_no, code, field, col, value, detail) values (@row, @code, '', '', '', @why)`,
				arg{"row": c.low, "code": string(problem.WriteRefused), "why": why}),
			q(`update {results} o set last = false where o.last and o.row_no = @row`, arg{"row": c.low}))
		if err != nil {
			return err
		}
		for n := range c.check.drafts {
			err := c.do(ctx, step{does: "notes the refused row", writes: "results"}, q(`insert into {results} (row_no, draft, run, outcome, of_row, detail)
				values (@row, @draft, @run, @failed, nullif(@of_row, ''), @why)`,
				arg{"row": c.low, "draft": n + 1, "run": c.run.Piece, "failed": string(verdict.Failed), "of_row": firstOnly(n, string(verdict.Failed)), "why": why}))
			if err != nil {
				return err
			}
		}
		if err := c.advance(ctx, before); err != nil {
			return err
		}
		ended, err = c.endIfItGivesWay(ctx)
		return err
	})
	return ended, err
}

// firstOnly gives a word for the first draft, and nothing for the others.
func firstOnly(n int, word string) string {
	if n == 0 {
		return word
	}
	return ""
}

// finish readies the outcomes for being looked at.
func (c *chunk) finish(ctx context.Context) error {
	return c.do(ctx, step{does: "puts the outcomes in order", reads: "results", writes: "results anchors"},
		q(`create index if not exists {index} on {results} (of_row, row_no) where last and of_row is not null`,
			frag{"index": schema.Ident(fmt.Sprintf("i%d_results_by_outcome", c.run.Import))}),
		q(`analyze {results}`),
		q(`delete from {anchors} where word in ({words})`, frag{"words": literals(verdict.Outcomes)}),
		anchorsOf("results", "of_row", `last and of_row is not null`))
}
