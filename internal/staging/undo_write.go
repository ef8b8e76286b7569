package staging

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// chunkActs is how many acts a transaction of an undo carries out, but for tests.
const chunkActs = 20_000

// Chunk carries out the next acts of the plan, at most the given number, and where acts do not
// hang together those behind them ahead. It reports whether none are left.
func (u *Undo) Chunk(ctx context.Context, most int) (ended bool, err error) {
	ended, err = u.nextAndAhead(ctx, most)
	if waited(err) {
		return u.next(ctx, &undoChunk{Undo: u, after: u.done, most: most}, nil)
	}
	return ended, err
}

// nextAndAhead carries out the next acts, and those behind them ahead.
func (u *Undo) nextAndAhead(ctx context.Context, most int) (ended bool, err error) {
	var a *ahead
	first := &undoChunk{Undo: u, after: u.done, most: most}
	behind := &undoChunk{Undo: u, most: most}
	well := false
	defer func() {
		if a != nil && a.join(well) == nil {
			u.done, u.writes = behind.high, behind.writes+1
		}
	}()
	ended, err = u.next(ctx, first, func() error {
		if first.writes != u.writes || !first.independent() {
			return nil
		}
		behind.after, behind.most, behind.writes = first.high, first.most, first.writes+1
		a = goAhead(ctx, func(ctx context.Context, before <-chan bool) error {
			return behind.begin(ctx, func() error { return behind.carryOutAhead(ctx, first, before) })
		})
		return waitBriefly(ctx, first.tx)
	})
	well = err == nil && !ended
	return ended, err
}

// next carries out the acts of a chunk. Begun is called when it has locked what it writes, where those behind
// may be carried out ahead.
func (u *Undo) next(ctx context.Context, c *undoChunk, begun func() error) (ended bool, err error) {
	err = c.begin(ctx, func() error {
		if _, err := store.LockImport(ctx, c.tx, u.run); err != nil {
			return err
		}
		if err := c.find(ctx, begun != nil); err != nil || c.acts == 0 {
			ended = err == nil
			return err
		}
		if c.writes, err = c.lock(ctx); err != nil {
			return err
		}
		if begun != nil {
			if err := begun(); err != nil {
				return err
			}
		}
		if err := c.carryOut(ctx, c.writes != u.writes); err != nil {
			return err
		}
		return c.note(ctx)
	})
	if err == nil && !ended {
		u.done = c.high
		u.writes++ // what others have written stays beyond it, for the chunks behind as well
	}
	return ended, err
}

// Refuse notes that the server refuses the next act.
func (u *Undo) Refuse(ctx context.Context) error {
	_, err := u.room.pool.Exec(ctx, `update `+u.table("undo")+` set why = $2 where seq = (select min(seq) from `+
		u.table("undo")+` where seq > $1)`, u.done, verdict.Refused)
	return err
}

// undoChunk is the work of one transaction: acts of one kind on records of one
// type.
type undoChunk struct {
	*Undo
	tx        pgx.Tx
	after     int64 // the last act before it
	most      int   // acts at most
	act       verdict.UndoAct
	t         undoType
	low, high int64
	acts      int64
	writes    int64 // how often the types of the undo were written before
}

// begin runs f in the transaction of the chunk.
func (c *undoChunk) begin(ctx context.Context, f func() error) error {
	return c.room.begin(ctx, func(tx pgx.Tx) error {
		c.tx = tx
		return f()
	})
}

// find finds the acts of the chunk; where others behind may be carried out at the same time, so many that both have
// the same to do.
func (c *undoChunk) find(ctx context.Context, ahead bool) (err error) {
	if ahead {
		c.most, err = shared(c.most, func(most int) (int64, error) {
			err := c.findAtMost(ctx, most)
			return c.acts, err
		})
		return err
	}
	return c.findAtMost(ctx, c.most)
}

// findAtMost finds the next acts of one kind.
func (c *undoChunk) findAtMost(ctx context.Context, most int) error {
	var place int
	err := c.tx.QueryRow(ctx, `
		select act, place, min(seq), max(seq), count(*) from (
			select act, place, seq from `+c.table("undo")+` where seq > $1 order by seq limit $2
		) x group by act, place order by min(seq) limit 1`, c.after, most).Scan(&c.act, &place, &c.low, &c.high, &c.acts)
	if store.IsMissing(err) {
		c.acts = 0
		return nil
	}
	if err != nil {
		return fmt.Errorf("find what is next: %w", err)
	}
	c.t = c.types[place]
	return nil
}

// note brings the counter of the run up to date.
func (c *undoChunk) note(ctx context.Context) error {
	_, err := c.tx.Exec(ctx, `update runs set done_rows = done_rows + $2 where id = $1`, c.run.ID, c.acts)
	return err
}

// lock keeps everybody else from writing to the type, and from pointing to it. It
// gives how often all types of the undo were written before.
func (c *undoChunk) lock(ctx context.Context) (int64, error) {
	linked := slices.Concat(c.written, c.linked)
	linked = slices.DeleteFunc(linked, func(n string) bool { return n == c.t.Name })
	locked, links, err := store.LockTypes(ctx, c.tx, c.i.Workspace, map[string]int64{c.t.Name: 0}, linked)
	return locked[c.t.Name].Writes + links, err
}

func (c *undoChunk) do(ctx context.Context, statements ...stmt) error {
	_, err := c.room.carryOut(ctx, c.tx, c.run, stepUndoWrite, c.of(c.t), statements)
	return err
}

// those is the SQL of the acts of the chunk that can be done, as u.
func (c *undoChunk) those() string {
	return fmt.Sprintf(`(select * from {undo} where seq between %d and %d and why = '')`, c.low, c.high)
}

// carryOut does the acts of the chunk. When somebody else has written since the
// plan was made, what has changed since is kept.
func (c *undoChunk) carryOut(ctx context.Context, written bool) error {
	within := frag{"acts": c.those(), "within": fmt.Sprintf(`u.seq between %d and %d and u.why = ''`, c.low, c.high)}
	if written {
		if err := c.lookAgain(ctx, within); err != nil {
			return err
		}
	}
	switch c.act {
	case verdict.BringBack:
		return c.do(ctx, c.bringBack(within))
	case verdict.Return:
		return c.do(ctx, c.giveBack(within))
	}
	var list []stmt
	if c.t.entangled || written {
		for _, p := range c.circles(c.t) {
			list = append(list, c.unlink(p, c.types[slices.Index(c.written, p.Type.Name)], within))
		}
	}
	remove := deleteRecords(c.t.RecordType,
		`{records} r using {acts} u where r.id = u.record_id and r.version = u.version`, c.i, c.run)
	for k, v := range within {
		remove.words[k] = v
	}
	return c.do(ctx, append(list, remove)...)
}

// independent reports whether what the chunk does does not hang on acts of its kind in other chunks.
func (c *undoChunk) independent() bool {
	switch c.act {
	case verdict.BringBack:
		return !c.t.hangs
	case verdict.Return:
		return !slices.ContainsFunc(c.t.touched, func(f catalog.Field) bool { return f.Kind().Form == catalog.LinkForm })
	case verdict.Remove:
		return !c.t.entangled
	}
	return false
}

// carryOutAhead carries out the acts behind those of a chunk, where they are of its kind, and lets it stand when
// that has ended well and nobody has come between.
func (c *undoChunk) carryOutAhead(ctx context.Context, first *undoChunk, before <-chan bool) error {
	if err := readyAhead(ctx, c.tx, c.run); err != nil {
		return err
	}
	if err := c.find(ctx, false); err != nil {
		return err
	}
	if c.acts == 0 || c.act != first.act || c.t.place != first.t.place {
		return errBetween
	}
	if err := c.carryOut(ctx, false); err != nil {
		return err
	}
	if !<-before {
		return errBetween
	}
	if _, err := store.LockImport(ctx, c.tx, c.run); err != nil {
		return err
	}
	writes, err := c.lock(ctx)
	if err != nil {
		return err
	}
	if writes != c.writes {
		return errBetween
	}
	return c.note(ctx)
}

// lookAgain keeps what somebody else has changed since the plan was made.
func (c *undoChunk) lookAgain(ctx context.Context, within frag) error {
	changed := arg{"why": string(verdict.ChangedSince)}
	if c.act == verdict.BringBack {
		return nil // a key that is taken is refused, a link that is gone stays blank
	}
	list := []stmt{q(`update {undo} u set why = @why where {within} and not exists (select from {records} r
		where r.id = u.record_id and r.version = u.version)`, within, changed)}
	if c.act == verdict.Remove {
		for _, p := range c.catalog.PointingTo(c.t.Name) {
			list = append(list, q(`update {undo} u set why = @why where {within} and exists (
				select from {pointing} x where {link} = u.record_id
					and not exists (select from {undo} g where g.act = 'remove' and g.type = {by} and g.record_id = x.id
					and g.why = '' and g.seq >= @low))`,
				within, frag{"pointing": schema.Records(c.i.Workspace, p.Type.Name), "link": schema.Column(p.Field, "x"),
					"by": literal(p.Type.Name)},
				arg{"why": string(verdict.ReferredTo), "low": c.low}))
		}
	}
	return c.do(ctx, list...)
}

// unlink blanks the links of records that go later, where they point in a circle,
// so that nothing ever points to what is not there.
func (c *undoChunk) unlink(p catalog.Pointing, by undoType, within frag) stmt {
	link := schema.Value(p.Field.Name)
	set := link + ` = null`
	if p.Field.Normalised() {
		set += `, ` + schema.Key(p.Field.Name) + ` = null`
	}
	return q(`
		with todo as materialized (
			select x.id, x.`+link+` as was, g.seq
			from {acts} u
			join {pointing} x on x.`+link+` = u.record_id
			join {undo} g on g.act = 'remove' and g.type = {by} and g.record_id = x.id and g.why = '' and g.seq > @high
		),
		later as (update {undo} g set version = g.version + 1 from todo t where g.seq = t.seq),
		changed as (
			update {pointing} x set version = x.version + 1, changed_at = now(), changed_by = @person, {set}
			from todo t where x.id = t.id returning x.id, x.version, t.was
		)
		insert into {pointing_history} (record_id, version, person, import, run, kind, changes)
		select id, version, @person, @import, @run, 'update', jsonb_build_object({field}, jsonb_build_array({shown}, null))
		from changed`,
		within,
		frag{"pointing": schema.Records(c.i.Workspace, by.Name), "pointing_history": schema.History(c.i.Workspace,
			by.Name), "by": literal(by.Name),
			"set": set, "field": literal(p.Field.Name), "shown": schema.Shown(c.catalog, p.Field, "was")},
		arg{"high": c.high, "person": c.run.Person, "import": c.i.ID, "run": c.run.Piece})
}

// value is the SQL of the value that a field is to have again; a link only when
// what it leads to is there.
func (c *undoChunk) value(f catalog.Field) string {
	if f.Kind().Form != catalog.LinkForm {
		return wanted(f, "w")
	}
	target, _ := c.catalog.Type(f.To)
	return `(select k.id from ` + schema.Records(c.i.Workspace, target.Name) + ` k where k.id = ` + wanted(f, "w") + `)`
}

// bringBack makes deleted records again, with their ids. The history keeps what they are then, but for links to what is
// no longer there.
func (c *undoChunk) bringBack(within frag) stmt {
	var columns, values, names []string
	lost := []string{`null::text`}
	for _, f := range c.t.Fields {
		v := c.value(f)
		columns, values = append(columns, schema.Value(f.Name)), append(values, v)
		if f.Kind().Form == catalog.LinkForm {
			lost = append(lost, `case when `+wanted(f, "w")+` is not null and r.`+schema.Value(f.Name)+` is null then `+
				literal("f_"+f.Name)+` end`)
		}
		if f.Normalised() {
			columns, values = append(columns, schema.Key(f.Name)), append(values, `w.`+schema.Key(f.Name))
		}
		if schema.InTitle(c.t.RecordType, f.Name) {
			columns, values = append(columns, schema.Name(f.Name)), append(values, `w.`+schema.Name(f.Name))
		}
	}
	for _, f := range c.t.Title {
		names = append(names, `w.`+schema.Name(f))
	}
	return q(`
		with made as (
			insert into {records} as r (id, version, created_at, created_by, changed_by, import, {title_column}{columns})
			select w.record_id, w.version + 1, coalesce((w.was->>'created_at')::timestamptz, now()),
			coalesce((w.was->>'created_by')::bigint, @person), @person,
				(w.was->>'import')::bigint, {title}{values}
			from {acts} u join {want} w on w.record_id = u.record_id
			order by w.record_id
			returning r.*
		)
		insert into {history} (record_id, version, person, import, run, kind, changes, was)
		select r.id, r.version, @person, @import, @run, 'restore', '{}', w.was - array_remove(array[{lost}], null)
		from made r join {want} w on w.record_id = r.id`,
		within, frag{"title_column": schema.Title, "columns": behind(columns), "values": behind(values),
			"lost": list(lost), "title": titleOfParts(names)},
		arg{"person": c.run.Person, "import": c.i.ID, "run": c.run.Piece})
}

// titleOfParts is the SQL of a title in its normal form, of its parts.
func titleOfParts(parts []string) string {
	if len(parts) == 0 {
		return `''`
	}
	return `concat_ws(' ', ` + list(parts) + `)`
}

// giveBack changes values back to what they were. A record is as the plan has found it, and what it has of a field is
// what the work has left.
func (c *undoChunk) giveBack(within frag) stmt {
	// What the history then says; a link to what is no longer there stays blank, and one that was is not said.
	said := `(case when u.fields = w.fields then w.back
		else (select jsonb_object_agg(k, w.back->k) from unnest(u.fields) k) end)`
	unsaid := []string{`null::text`}
	var set, changed []string
	names := map[string]string{}
	for _, f := range c.t.touched {
		now, name := schema.Column(f, "r"), literal(f.Name)
		returns := name + ` = any(u.fields)`
		changed = append(changed, returns+` and `+now+` is distinct from `+c.value(f))
		set = append(set, schema.Value(f.Name)+` = case when `+returns+` then `+c.value(f)+` else `+now+` end`)
		if f.Normalised() {
			set = append(set, schema.Key(f.Name)+` = case when `+returns+` then w.`+schema.Key(f.Name)+` else r.`+
				schema.Key(f.Name)+` end`)
		}
		if schema.InTitle(c.t.RecordType, f.Name) {
			names[f.Name] = `case when ` + returns + ` then w.` + schema.Name(f.Name) + ` else r.` + schema.Name(f.Name) + ` end`
			set = append(set, schema.Name(f.Name)+` = `+names[f.Name])
		}
		if f.Kind().Form == catalog.LinkForm {
			unsaid = append(unsaid, `case when `+returns+` and `+now+` is not distinct from `+left(f, "w")+` then `+name+` end`)
			// Where there is no path nothing is set.
			said = `jsonb_set(` + said + `, case when ` + returns + ` and ` + now + ` is null then array[` + name + `, '1'] else '{}' end, 'null')`
		}
	}
	var title []string
	for _, f := range c.t.Title {
		if sql, ok := names[f]; ok {
			title = append(title, sql)
		} else {
			title = append(title, `r.`+schema.Name(f))
		}
	}
	return q(`
		with changed as (
			update {records} r set version = r.version + 1, changed_at = now(), changed_by = @person, {title_column} = {title}, {set}
			from {acts} u join {want} w on w.record_id = u.record_id
			where r.id = u.record_id and r.version = u.version and ({changed})
			returning r.id, r.version, {said} - array_remove(array[{unsaid}], null) as changes
		)
		insert into {history} (record_id, version, person, import, run, kind, changes)
		select id, version, @person, @import, @run, 'update', changes from changed`,
		within, frag{"title_column": schema.Title, "title": titleOfParts(title), "set": list(set),
			"changed": strings.Join(changed, " or "), "said": said, "unsaid": list(unsaid)},
		arg{"person": c.run.Person, "import": c.i.ID, "run": c.run.Piece})
}
