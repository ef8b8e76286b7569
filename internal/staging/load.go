package staging

import (
	"context"
	"fmt"
	"maps"

	"uchi/internal/core/catalog"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
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

// chunkRows is how many rows a transaction of a load carries out, but for tests.
const chunkRows = 20_000

// NewLoad prepares the load, by a run, of a checked import, which may stand beside
// others in a bundle.
func (r *Room) NewLoad(run store.Run, i store.Import, plan *mapping.Plan, c catalog.Catalog,
	beside []Beside) (*Load, error) {
	k, ok := r.holding(i, plan, c)
	if !ok {
		return nil, errNotStaged
	}
	k.Among(beside)
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
// given way by its policy. Where rows do not hang together, those behind are carried
// out ahead, at the same time; see ahead.
func (l *Load) Chunk(ctx context.Context, rows int) (ended bool, err error) {
	if !l.independent() {
		return l.next(ctx, rows, nil)
	}
	ended, err = l.nextAndAhead(ctx, rows)
	if waited(err) {
		return l.next(ctx, rows, nil)
	}
	return ended, err
}

// next carries out the next rows in a transaction. Begun is called when it has locked
// what it writes, where rows behind are to be carried out ahead.
func (l *Load) next(ctx context.Context, rows int, begun func(c *chunk) error) (ended bool, err error) {
	err = l.room.begin(ctx, func(tx pgx.Tx) error {
		i, err := store.LockImport(ctx, tx, l.run)
		if err != nil {
			return err
		}
		c := chunk{Load: l, tx: tx, i: i, number: i.Done / int64(rows), most: rows, begun: begun}
		if err := c.bounds(ctx); err != nil {
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
	if event == life.WasLoaded {
		if err := c.fillBeside(ctx); err != nil {
			return err
		}
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
	if event == life.WasLoaded {
		if err := c.removeGone(ctx); err != nil {
			return err
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
	err := c.tx.QueryRow(ctx, `select coalesce((outcomes->>'held')::bigint, 0),
		coalesce((outcomes->>'failed')::bigint, 0) from runs where id = $1`, c.run.ID).Scan(&held, &failed)
	switch {
	case err != nil:
		return "", nil, fmt.Errorf("count what is held: %w", err)
	case p.StopFails > 0 && failed >= p.StopFails:
		return life.Failing, &store.Trouble{Code: string(life.Failing),
			Message: fmt.Sprintf("the load has stopped, as it was to: the database has refused %d rows", failed),
			Mend:    "Look at the rows that have failed. What was loaded stays, or can be taken back."}, nil
	case p.PauseHeld > 0 && held >= p.PauseHeld:
		return life.HeldUp, &store.Trouble{Code: string(life.HeldUp),
			Message: fmt.Sprintf("the load has paused, as it was to: %d rows are held", held),
			Mend:    "Look at the rows that are held; then go on, or stop."}, nil
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
	_, err := c.room.carryOut(ctx, c.tx, c.run, step{does: "looks at what is left", reads: "verdicts",
		writes: "anchors shifts"}, first.word, []stmt{
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
	_, err = c.tx.Exec(ctx, `update imports set totals = $2, digest = $3, next_row = 0 where id = $1`, c.i.ID,
		store.JSON[verdict.Totals]{V: found.Totals}, found.Digest)
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
	most      int   // rows at most
	low, high int64
	rows      int64
	drafts    []*draftChunk        // each behind those that it points to
	begun     func(c *chunk) error // where rows behind are to be carried out ahead
	next      *chunk               // that of the rows behind, then
	held      locks                // once it has them
	spare     map[string]int64     // by record type, the ids that it has for those are the ones after this
}

// draftChunk is the part of a chunk that is about one of the drafts of a row.
type draftChunk struct {
	*chunk
	check   *draftCheck
	plan    *mapping.DraftPlan
	creates int64
	base    int64 // the new records get the ids after this
}

// bounds finds the rows of the chunk; where others behind may be carried out at the same time, so many that both
// have the same to do.
func (c *chunk) bounds(ctx context.Context) (err error) {
	if c.begun != nil {
		c.most, err = shared(c.most, func(most int) (int64, error) {
			err := c.boundsOf(ctx, most)
			return c.rows, err
		})
		return err
	}
	return c.boundsOf(ctx, c.most)
}

// boundsOf finds the next rows.
func (c *chunk) boundsOf(ctx context.Context, most int) error {
	var low, high *int64
	err := c.tx.QueryRow(ctx, `
		select min(row_no), max(row_no), count(*) from (
			select row_no from `+c.check.drafts[0].table("verdicts")+` v where row_no >= $1`+c.only("v.row_no")+
		` order by row_no limit $2
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
	if w == "held_as" {
		return c.check.heldAs(), false, true
	}
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
	ids, err := c.toMake(ctx)
	if err != nil {
		return false, false, err
	}
	if c.begun != nil {
		more, err := c.makesBehind(ctx)
		if err != nil {
			return false, false, err
		}
		for name, n := range more {
			ids[name] += n
		}
	}
	if c.held, err = c.lock(ctx, ids); err != nil {
		return false, false, err
	}
	c.spare = c.give(c.held.bases)
	return c.held.writes != c.i.Writes, c.held.links != c.i.LinkWrites, c.noteMade(ctx)
}

// toMake gives the chunk its drafts, and how many records of each type they are to make.
func (c *chunk) toMake(ctx context.Context) (map[string]int64, error) {
	ids := map[string]int64{}
	for _, k := range c.check.inOrder() {
		d := &draftChunk{chunk: c, check: k, plan: k.plan}
		sql := `select count(*) from ` + k.table("verdicts") + ` v where v.verdict = 'create' and ` + c.within("v")
		if err := c.tx.QueryRow(ctx, sql).Scan(&d.creates); err != nil {
			return nil, fmt.Errorf("count what is to be made: %w", err)
		}
		ids[k.plan.Type.Name] += d.creates
		c.drafts = append(c.drafts, d)
	}
	return ids, nil
}

// give gives the drafts the ids after base, and tells after which there are more.
func (c *chunk) give(base map[string]int64) (rest map[string]int64) {
	rest = maps.Clone(base)
	for _, d := range c.drafts {
		d.base = rest[d.plan.Type.Name]
		rest[d.plan.Type.Name] += d.creates
	}
	return rest
}

// noteMade notes which ids the new records have.
func (c *chunk) noteMade(ctx context.Context) error {
	for _, d := range c.drafts {
		if d.creates > 0 {
			if err := store.NoteMade(ctx, c.tx, c.run.Piece, d.plan.Type.Name, d.base, d.creates); err != nil {
				return err
			}
		}
	}
	return nil
}

// locks are what a chunk has found when it locked the record types that it writes and links to.
type locks struct {
	bases  map[string]int64 // by record type, the ids that it has are those after this
	writes int64            // how often those that it writes were written before
	links  int64            // how often those that it links to were
}

// lock locks the record types that are written, of which it takes so many ids, and those that are
// linked to.
func (c *chunk) lock(ctx context.Context, ids map[string]int64) (l locks, err error) {
	var links []string
	for _, d := range c.drafts {
		links = append(links, d.check.links()...)
	}
	locked, linkWrites, err := store.LockTypes(ctx, c.tx, c.i.Workspace, ids, links)
	if err != nil {
		return l, err
	}
	l = locks{bases: map[string]int64{}, links: linkWrites}
	for name, t := range locked {
		l.bases[name] = t.Base
		l.writes += t.Writes
	}
	if c.whole {
		c.i.Writes += int64(len(locked))
		return l, nil
	}
	_, err = c.tx.Exec(ctx, `update imports set writes = writes + $2 where id = $1`, c.i.ID, len(locked))
	return l, err
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
	stepLate   = step{does: "sets aside what can no longer be done as checked",
		reads: "verdicts draft records history results late", writes: "late"}
	stepNoted = step{does: "notes why", reads: "late", writes: "problems"}
	stepStood = step{does: "notes the records of rows whose values a later row took", reads: "verdicts results",
		writes: "results"}
	stepDecide = step{does: "decides what becomes of the rows", reads: "verdicts late results problems", writes: "results"}
	stepCreate = step{does: "makes records", reads: "results draft verdicts", writes: "records"}
	stepUpdate = step{does: "changes records", reads: "results draft verdicts", writes: "records history"}
	stepDelete = step{does: "deletes records", reads: "results verdicts", writes: "records history"}
)

// carryOut writes the chunk's records, history and outcomes.
func (c *chunk) carryOut(ctx context.Context) error {
	written, linked, err := c.prepare(ctx)
	if err != nil {
		return err
	}
	if c.begun != nil {
		if err := c.begun(c); err != nil {
			return err
		}
	}
	w, err := c.perform(ctx, written, linked)
	if err != nil {
		return err
	}
	return c.conclude(ctx, w)
}

// perform writes what comes of the rows, given whether somebody else has written since the check, and
// tells it.
func (c *chunk) perform(ctx context.Context, written, linked bool) (w came, err error) {
	before, _, err := c.count(ctx)
	if err != nil {
		return w, err
	}
	_, err = c.room.carryOut(ctx, c.tx, c.run, stepBefore, c.draft(c.check.drafts[0]).word, []stmt{
		// What an earlier run said of the rows stays, and no longer holds.
		q(`update {results} o set last = false from {verdicts} v where o.last and v.row_no = o.row_no and {within o}
			and {within v}`),
		q(`create temp table if not exists late (
			row_no bigint, draft smallint, code text, field text, detail text, why text, primary key (row_no, draft))
			on commit drop`),
		q(`truncate {late}`),
	})
	if err != nil {
		return w, err
	}
	for _, d := range c.drafts {
		word := `verdict`
		if !c.check.plan.Apart {
			if word = `row_verdict`; d.check.n > 0 { // it is said of the first
				continue
			}
		}
		if _, err := d.do(ctx, stepLate, q(`insert into {late} (row_no, draft) select v.row_no, {held_as} from {verdicts} v
			where {within v} and v.{word} in (@hold, @ask)`,
			frag{"word": word}, arg{"hold": string(verdict.Hold), "ask": string(verdict.Ask)})); err != nil {
			return w, err
		}
	}
	for _, d := range c.drafts {
		if err := d.setAside(ctx, written, linked); err != nil {
			return w, err
		}
	}
	if err := c.holdDependants(ctx); err != nil {
		return w, err
	}
	if c.whole {
		if err := c.allOrNothing(ctx); err != nil {
			return w, err
		}
	}
	if err := c.do(ctx, stepNoted, q(`insert into {problems} (row_no, code, field, col, value, detail)
		select row_no, code, field, '', '', detail from {late} where code is not null`)); err != nil {
		return w, err
	}
	if err := c.decide(ctx); err != nil {
		return w, err
	}
	for _, d := range c.drafts {
		if err := d.write(ctx); err != nil {
			return w, err
		}
	}
	return c.whatCame(ctx, before)
}

// conclude writes what hangs on rows before as well, and notes what has come of the rows.
func (c *chunk) conclude(ctx context.Context, w came) error {
	for _, d := range c.drafts {
		if d.creates > 0 {
			if _, err := d.do(ctx, stepApart, d.tellApart()); err != nil {
				return err
			}
		}
		if err := d.fillWaiting(ctx); err != nil {
			return err
		}
	}
	return c.note(ctx, w)
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
	err := c.tx.QueryRow(ctx, `select row_no, coalesce(why, 'the row is held') from late order by row_no
		limit 1`).Scan(&e.Row, &e.Why)
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
		c := chunk{Load: l, tx: tx, i: i, most: l.room.chunk, whole: true, told: map[verdict.Outcome]int64{}}
		var done int64
		for {
			if err := c.bounds(ctx); err != nil {
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
