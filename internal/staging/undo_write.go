package staging

import (
	"context"
	"fmt"
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
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
		a = goAhead(func(before <-chan bool) error {
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
func (c *undoChunk) find(ctx context.Context, ahead bool) error {
	limit := c.most
	if ahead {
		limit *= 2
	}
	if err := c.findAtMost(ctx, limit); err != nil || !ahead {
		return err
	}
	c.most = share(int(c.acts), c.most)
	if c.acts <= int64(c.most) {
		return nil
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

// giveBack changes values back to what they were.
func (c *undoChunk) giveBack(within frag) stmt {
	var set []string
	var changes []schema.Becomes
	names := map[string]string{}
	for _, f := range c.t.touched {
		now := schema.Column(f, "r")
		is := literal(f.Name) + ` = any(u.fields)`
		changes = append(changes, schema.Becomes{Field: f.Name, Is: is, Was: schema.Shown(c.catalog, f, now),
			Now: schema.Shown(c.catalog, f, c.value(f))})
		// What the history then says decides what is written.
		said := `t.changes ? ` + literal(f.Name)
		set = append(set, schema.Value(f.Name)+` = case when `+said+` then `+c.value(f)+` else `+now+` end`)
		if f.Normalised() {
			set = append(set, schema.Key(f.Name)+` = case when `+said+` then w.`+schema.Key(f.Name)+` else r.`+
				schema.Key(f.Name)+` end`)
		}
		if schema.InTitle(c.t.RecordType, f.Name) {
			names[f.Name] = `case when ` + said + ` then w.` + schema.Name(f.Name) + ` else r.` + schema.Name(f.Name) + ` end`
			set = append(set, schema.Name(f.Name)+` = `+names[f.Name])
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
		with todo as materialized (
			select r.id, {changes} as changes
			from {acts} u join {want} w on w.record_id = u.record_id join {records} r on r.id = u.record_id
			and r.version = u.version
		),
		changed as (
			update {records} r set version = r.version + 1, changed_at = now(), changed_by = @person, {title_column} = {title}, {set}
			from todo t join {want} w on w.record_id = t.id
			where r.id = t.id and t.changes <> '{}'
			returning r.id, r.version, t.changes
		)
		insert into {history} (record_id, version, person, import, run, kind, changes)
		select id, version, @person, @import, @run, 'update', changes from changed`,
		within, frag{"title_column": schema.Title, "title": titleOfParts(title), "set": list(set),
			"changes": schema.Changes(changes)},
		arg{"person": c.run.Person, "import": c.i.ID, "run": c.run.Piece})
}

// End ends the undo by an event, or by what is left of the loads; it notes what
// has become of the rows. It is asked of the records and their history, not of
// the plan, so that nothing is told wrongly after a process has died.
func (u *Undo) End(ctx context.Context, event life.Event, trouble *store.Trouble) error {
	if u.types == nil { // it has failed before there was a plan
		err := u.room.withConn(ctx, u.run, func(c *conn) error {
			u.conn = c
			return u.begin(ctx)
		})
		if err != nil {
			return err
		}
	}
	there, err := u.room.there(ctx, resultsTable(u.i.ID))
	if err != nil {
		return err
	}
	return u.room.begin(ctx, func(tx pgx.Tx) error {
		i, err := store.LockImport(ctx, tx, u.run)
		if err != nil {
			return err
		}
		outcomes, undone := map[verdict.Outcome]int64{}, map[verdict.Outcome]int64{}
		if there && i.Routine.V != nil {
			if outcomes, undone, err = u.noteOutcomes(ctx, tx); err != nil {
				return err
			}
		}
		left := outcomes[verdict.Created]+outcomes[verdict.Updated]+outcomes[verdict.Deleted] > 0
		switch {
		case !there:
			left, err = u.somethingLeft(ctx, tx)
		case !left && i.Routine.V != nil && i.Routine.V.Held == mapping.HeldRecord:
			left, err = u.partLeft(ctx, tx)
		}
		if err != nil {
			return err
		}
		if event == "" {
			event = life.WasUndone
			if left {
				event = life.PartUndone
			}
		}
		if there {
			if _, err := tx.Exec(ctx, `update imports set outcomes = $2 where id = $1`, i.ID,
				store.JSON[map[verdict.Outcome]int64]{V: outcomes}); err != nil {
				return fmt.Errorf("note the outcomes: %w", err)
			}
		}
		if _, err := tx.Exec(ctx, `update runs set outcomes = $2 where id = $1`, u.run.ID,
			store.JSON[map[verdict.Outcome]int64]{V: undone}); err != nil {
			return fmt.Errorf("note the outcomes: %w", err)
		}
		return store.EndRunIn(ctx, tx, i, u.run, event, trouble, nil)
	})
}

// somethingLeft tells whether any record of the import's loads is left as they
// made it, when what became of its rows is no longer kept.
func (u *Undo) somethingLeft(ctx context.Context, tx pgx.Tx) (left bool, err error) {
	sql, _, err := q(`select exists (select from {undo} where why <> '' or kept <> '{}')`).compose(u.word)
	if err != nil {
		return false, err
	}
	err = tx.QueryRow(ctx, sql).Scan(&left)
	return left, err
}

// partLeft tells whether some records of rows that are held, or undone by now, are left: also of a draft that an
// earlier load has made or changed and a later one, when its row was no longer held, has found unchanged.
func (u *Undo) partLeft(ctx context.Context, tx pgx.Tx) (left bool, err error) {
	sql, _, err := q(`select exists (select from {results} o where o.last and o.outcome in ('created', 'updated', 'deleted'))
		or exists (
			select from {results} o
			join {results} p on p.row_no = o.row_no and p.draft = o.draft and p.record_id = o.record_id
			where o.last and o.outcome = 'unchanged' and not p.last and p.outcome in ('created', 'updated')
		)`).compose(u.word)
	if err != nil {
		return false, err
	}
	err = tx.QueryRow(ctx, sql).Scan(&left)
	return left, err
}

// noteOutcomes writes what has become of the rows, and counts: of all rows of the
// import, and of those that this piece of work has touched.
func (u *Undo) noteOutcomes(ctx context.Context, tx pgx.Tx) (all, touched map[verdict.Outcome]int64, err error) {
	do := func(word vocabulary, statements ...stmt) error {
		_, err := u.room.carryOut(ctx, tx, u.run, stepUndoOutcome, word, statements)
		return err
	}
	err = do(u.word, q(`create temp table became_now (row_no bigint not null, draft smallint not null,
		run bigint not null, outcome text collate "C" not null, record_id bigint, detail text) on commit drop`))
	if err != nil {
		return nil, nil, err
	}
	for n, d := range u.i.Routine.V.Drafts {
		at := slices.IndexFunc(u.types, func(t undoType) bool { return t.Name == d.Type })
		if at < 0 {
			continue
		}
		if err := do(u.of(u.types[at]), u.becameNow(n), u.keptNow(n)); err != nil {
			return nil, nil, err
		}
	}
	only := ""
	if u.run.Only != nil {
		only = ` and o.row_no <@ ` + literal(*u.run.Only) + `::int8multirange`
	}
	run := arg{"run": u.run.Piece}
	err = do(u.word,
		// The server takes what is left beside these rows for one row, and would look through them for each.
		q(`create index on became_now (row_no, draft); analyze became_now`),
		// A row for which another stood is open again when that is.
		q(`insert into became_now select o.row_no, o.draft, @run, 'undone', null, null
			from {results} o
			where o.last and o.run = {pieces} and o.outcome = 'skipped' and o.detail in ({with}){only}
				and exists (select from became_now b where b.draft = o.draft and b.record_id = o.record_id and b.outcome = 'undone')
				and not exists (select from became_now b where b.row_no = o.row_no and b.draft = o.draft)`,
			frag{"only": only, "with": literals([]verdict.Reason{verdict.Repeated, verdict.Merged, verdict.Grouped})}, run),
		// A row that was opened so is again what it was.
		q(`insert into became_now
			with was as materialized (
				select distinct on (o.row_no, o.draft) o.row_no, o.draft, p.outcome, p.record_id, p.detail
				from {results} o join {results} p on p.row_no = o.row_no and p.draft = o.draft and not p.last and p.run < o.run
				where o.last and o.run = {pieces} and o.outcome = 'undone' and o.record_id is null{only}
				order by o.row_no, o.draft, p.run desc
			),
			again as materialized (select distinct draft, record_id from became_now where outcome <> 'undone')
			select w.row_no, w.draft, @run, w.outcome, w.record_id, w.detail
			from was w left join again b on b.draft = w.draft and b.record_id = w.record_id
			where w.record_id is null or b.record_id is not null`, frag{"only": only}, run))
	if err != nil {
		return nil, nil, err
	}
	// Where a row makes one record, what has become of that has become of the row.
	ofRow, rows, each := `b.outcome`, `became_now b`, `select outcome as of_row from became_now`
	if len(u.i.Routine.V.Drafts) > 1 {
		ofRow, rows, each = `case when b.draft = 1 then r.of_row collate "C" end`,
			`became_now b join rows_now r on r.row_no = b.row_no`, `select of_row from rows_now`
		if err := do(u.word, u.rowsNow()...); err != nil {
			return nil, nil, err
		}
	}
	if err := u.replaceResults(ctx, tx, do, ofRow, rows); err != nil {
		return nil, nil, err
	}
	all, err = countOutcomes(ctx, tx, u.word, q(`select of_row as word, count(*) as count from {results}
		where last and of_row is not null group by of_row`))
	if err == nil {
		touched, err = countOutcomes(ctx, tx, u.word, q(`select of_row as word, count(*) as count from ({each}) x
			group by of_row`, frag{"each": each}))
	}
	return all, touched, err
}

// replaceResults writes what has become of rows in the place of what was so far, which stays and no longer holds. Of
// is the SQL of what has become of a row as a whole, from what has become of its drafts.
//
// Where it is of a third of all rows or more they are all written anew, and the table takes the place of the one before:
// two indexes made once cost less than to follow each row, and who looks at the rows meanwhile sees what was so far.
func (u *Undo) replaceResults(ctx context.Context, tx pgx.Tx, do func(vocabulary, ...stmt) error, of, from string) error {
	now := q(`select b.row_no, b.draft, b.run, true, b.outcome, {of_row}, b.record_id, b.detail from {rows}`,
		frag{"of_row": of, "rows": from})
	var touched, all int64
	err := tx.QueryRow(ctx, `select (select count(*) from became_now), (select count(*) from `+resultsTable(u.i.ID)+`)`).
		Scan(&touched, &all)
	if err != nil {
		return fmt.Errorf("count what has become of rows: %w", err)
	}
	if touched < all/3 {
		return do(u.word,
			q(`update {results} o set last = false from became_now b
				where o.last and o.row_no = b.row_no and o.draft = b.draft`),
			q(`insert into {results} ({columns}) {now} order by b.row_no, b.draft`, frag{"columns": resultColumns, "now": now.text}, now.words),
			q(`analyze {results}`))
	}
	name := fmt.Sprintf("i%d_results", u.i.ID)
	return do(u.word,
		q(`create table {results_now} (like {results} including defaults)`),
		q(`insert into {results_now} ({columns})
			select o.row_no, o.draft, o.run, o.last and b.row_no is null, o.outcome, o.of_row, o.record_id, o.detail
			from {results} o left join became_now b on o.last and b.row_no = o.row_no and b.draft = o.draft
			union all
			{now}`, frag{"columns": resultColumns, "now": now.text}, now.words),
		q(`create unique index on {results_now} `+ofLast),
		q(`create index {by_outcome_now} on {results_now} `+byOutcome, frag{"by_outcome_now": schema.Ident(name + "_by_outcome_now")}),
		q(`analyze {results_now}`),
		q(`drop table {results}`),
		q(`alter table {results_now} rename to {name}; alter index {by_outcome_now} rename to {by_outcome}`, frag{
			"name": schema.Ident(name), "by_outcome": schema.Ident(name + "_by_outcome"),
			"by_outcome_now": schema.Ident("staging", name+"_by_outcome_now")}))
}

// rowsNow are the statements that note what has become of rows that make several records, some of
// which the undo has touched: it stands with the first of them, which is written anew.
func (u *Undo) rowsNow() []stmt {
	return []stmt{
		q(`create temp table rows_now on commit drop as
			select row_no, (array[{words}])[min(array_position(array[{words}], outcome))] as of_row
			from (
				select row_no, draft, outcome from became_now
				union all
				select o.row_no, o.draft, o.outcome from {results} o
				where o.last and o.row_no in (select row_no from became_now)
					and not exists (select from became_now b where b.row_no = o.row_no and b.draft = o.draft)
			) x group by row_no`, frag{"words": literals(weight)}),
		q(`insert into became_now
			select o.row_no, o.draft, o.run, o.outcome, o.record_id, o.detail from {results} o
			where o.last and o.draft = 1 and o.row_no in (select row_no from became_now)
				and not exists (select from became_now b where b.row_no = o.row_no and b.draft = 1)`),
	}
}

// becameNow is the statement that notes what has become of the n-th draft of the
// rows whose records the undo has touched. Of what a load has made, a draft is
// undone when its record is gone, of what it changed, when the undo has changed it
// back; of what an undo took back, a draft is again what it was before.
func (u *Undo) becameNow(n int) stmt {
	only := ""
	if u.run.Only != nil {
		only = ` and o.row_no <@ ` + literal(*u.run.Only) + `::int8multirange`
	}
	return q(`insert into became_now
		with mine as materialized (
			-- By this undo, or by one of the same that could not note what it did.
			select distinct on (record_id) record_id, kind from {history}
			where run = any(array(select piece from runs where import = @import and work = 'undo' and undoes && {list}))
			order by record_id, version desc
		),
		kept as materialized (select distinct record_id from {undo} where type = {type} and kept <> '{}'),
		earlier as materialized (
			-- What was before what holds; also of a draft whose row was held then for another of its records, and that
			-- a later load has found unchanged.
			select row_no, record_id, (array_agg(outcome order by run desc))[1] as was,
				bool_or(run = {pieces} and outcome <> 'deleted') as written, bool_or(run = {pieces} and outcome = 'updated') as changed
			from {results} where not last and draft = {n} and outcome in ('created', 'updated', 'deleted')
			group by row_no, record_id
		)
		select o.row_no, o.draft, @run,
			case when o.outcome = 'undone' then coalesce(e.was, o.outcome) else 'undone' end,
			o.record_id,
			case when k.record_id is not null then 'kept in part: changed_since' end
		from {results} o
		join mine m on m.record_id = o.record_id
		left join earlier e on e.row_no = o.row_no and e.record_id = o.record_id
		left join kept k on k.record_id = o.record_id
		where o.last and o.draft = {n}
			and (
				o.run = {pieces} and o.outcome in ('created', 'updated', 'deleted', 'undone')
				and (o.outcome <> 'created' or m.kind = 'delete')
				or o.outcome = 'unchanged' and e.written and (e.changed or m.kind = 'delete')
			){only}`,
		frag{"n": schema.Int(n + 1), "only": only, "list": numbers(u.run.Undoes)},
		arg{"run": u.run.Piece, "import": u.i.ID})
}

// keptNow is the statement that notes of the n-th draft of rows why what they have
// loaded stays.
func (u *Undo) keptNow(n int) stmt {
	return q(`update {results} o set detail = 'kept: ' || u.why
		from {undo} u
		where u.type = {type} and u.why <> '' and u.record_id = o.record_id and o.last and o.run = {pieces} and o.draft = {n}
			and o.outcome in ('created', 'updated', 'deleted', 'undone')`, frag{"n": schema.Int(n + 1)})
}
