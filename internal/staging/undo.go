package staging

import (
	"context"
	"fmt"
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"
)

// Undo takes back what pieces of work of an import have written: records that
// they made go, values that they changed return, records that they deleted come
// back. It takes nothing back that somebody else has changed since, or that
// something else refers to now. What it does is planned first, in a table of its
// run, from the history alone; then it is carried out in chunks of one
// transaction each. A process may die at any moment: another plans anew what is
// left. An undo is itself a piece of work with a history, and can be taken back.
type Undo struct {
	room    *Room
	run     store.Run
	i       store.Import
	catalog catalog.Catalog
	types   []undoType // each before those that point to it
	written []string   // their names
	linked  []string   // the types beside that point to them, or that they point to
	writes  int64      // of all these, as often as the plan knows of
	planned int64      // acts
	done    int64      // the last act that was carried out
	conn    *conn
}

// undoType is the part of an undo that is about the records of one type.
type undoType struct {
	catalog.RecordType
	place int // among the types of the undo
	// entangled reports whether records that go are pointed to by some that go later, hangs whether records that come
	// back point to others of the type that do.
	entangled, hangs bool
	// touched are the fields of which values were changed.
	touched []catalog.Field
}

// NewUndo prepares an undo, by a run that says what it is to take back.
func (r *Room) NewUndo(run store.Run, i store.Import, c catalog.Catalog) *Undo {
	return &Undo{room: r, run: run, i: i, catalog: c}
}

// Plan works out what the undo is to do, and gives how many acts these are.
func (u *Undo) Plan(ctx context.Context) (int64, error) {
	err := u.room.withConn(ctx, u.run, func(c *conn) error {
		u.conn = c
		if err := u.begin(ctx); err != nil {
			return err
		}
		if err := u.countWrites(ctx); err != nil {
			return err
		}
		if err := u.plan(ctx); err != nil {
			return err
		}
		return c.pg.QueryRow(ctx, `select count(*) from `+u.table("undo")).Scan(&u.planned)
	})
	if err != nil {
		return 0, fmt.Errorf("plan the undo: %w", err)
	}
	return u.planned, nil
}

func (u *Undo) table(part string) string { return table(u.i.ID, u.run.ID, part) }

func (u *Undo) want(t undoType) string { return u.table(fmt.Sprintf("u%d_want", t.place+1)) }

// pieces is the SQL of the list of the pieces of work that are taken back.
func (u *Undo) pieces() string { return `any(` + numbers(u.run.Undoes) + `)` }

// findTypes finds the record types of which anything was written, and puts them
// in order.
func (u *Undo) findTypes(ctx context.Context) error {
	var found []catalog.RecordType
	for _, t := range u.catalog.Types {
		var there bool
		err := u.conn.pg.QueryRow(ctx, `
			select exists (select from run_records where piece = `+u.pieces()+` and type = $1)
				or exists (select from `+schema.History(u.i.Workspace, t.Name)+` where run = `+u.pieces()+`)`, t.Name).Scan(&there)
		if err != nil {
			return err
		}
		if there {
			found = append(found, t)
		}
	}
	u.types, u.written, u.linked = nil, nil, nil
	for len(found) > 0 {
		n := max(0, slices.IndexFunc(found, func(t catalog.RecordType) bool { // none, where they point in a circle
			return !slices.ContainsFunc(t.Fields, func(f catalog.Field) bool {
				return f.Kind().Form == catalog.LinkForm && f.To != t.Name &&
					slices.ContainsFunc(found, func(x catalog.RecordType) bool { return x.Name == f.To })
			})
		}))
		u.types = append(u.types, undoType{RecordType: found[n], place: len(u.types)})
		u.written = append(u.written, found[n].Name)
		found = slices.Delete(found, n, n+1)
	}
	for _, t := range u.types {
		for _, p := range u.catalog.PointingTo(t.Name) {
			u.link(p.Type.Name)
		}
		for _, f := range t.Fields {
			if f.Kind().Form == catalog.LinkForm {
				u.link(f.To)
			}
		}
	}
	return nil
}

func (u *Undo) link(typeName string) {
	if !slices.Contains(u.written, typeName) && !slices.Contains(u.linked, typeName) {
		u.linked = append(u.linked, typeName)
	}
}

func (u *Undo) countWrites(ctx context.Context) (err error) {
	u.writes, err = u.room.store.Writes(ctx, u.i.Workspace, slices.Concat(u.written, u.linked))
	return err
}

// word is the vocabulary of the undo.
func (u *Undo) word(w string) (sql string, isTable, ok bool) {
	switch w {
	case "undo", "rows_of":
		return u.table(w), true, true
	case "results":
		return resultsTable(u.i.ID), true, true
	case "results_now":
		return table(u.i.ID, u.run.ID, w), true, true
	case "pieces":
		return u.pieces(), false, true
	case "run_records":
		return "run_records", true, true
	}
	return "", false, false
}

// of is the vocabulary of the records of one type.
func (u *Undo) of(t undoType) vocabulary {
	return func(w string) (string, bool, bool) {
		switch w {
		case "want":
			return u.want(t), true, true
		case "records":
			return schema.Records(u.i.Workspace, t.Name), true, true
		case "history":
			return schema.History(u.i.Workspace, t.Name), true, true
		case "type":
			return schema.Literal(t.Name), false, true
		case "place":
			return schema.Int(t.place), false, true
		}
		return u.word(w)
	}
}

var (
	stepUndoTables = step{does: "makes room for the plan of the undo", reads: "results", writes: "undo rows_of want"}
	stepPlanBack   = step{does: "plans which records come back",
		reads: "want records history run_records undo rows_of", writes: "undo"}
	stepPlanRemove = step{does: "plans which records go", reads: "want records history run_records undo rows_of",
		writes: "undo"}
	stepPlanReturn  = step{does: "plans which values return", reads: "want records undo", writes: "undo"}
	stepPlanCircles = step{does: "looks whether records hang together", reads: "undo want"}
	stepPlanOrder   = step{does: "makes the plan ready to be looked up", reads: "undo", writes: "undo"}
	stepUndoWrite   = step{does: "takes back", reads: "undo want", writes: "records history undo"}
	stepUndoOutcome = step{does: "notes what has become of the rows", reads: "undo records history", writes: "results results_now"}
)

// begin finds the record types that the undo is about and makes the table of its
// acts. Its columns: its place in their order, what is done, the type, the record with its
// version, why it cannot be done, the fields that return and those that stay.
func (u *Undo) begin(ctx context.Context) error {
	if err := u.findTypes(ctx); err != nil {
		return err
	}
	return u.do(ctx, stepUndoTables, u.word, q(`create unlogged table if not exists {undo} (
		seq bigint not null, act text collate "C" not null, place smallint not null, type text collate "C" not null,
		record_id bigint not null, version integer not null,
		why text collate "C" not null default '', fields text[] not null default '{}', kept text[] not null default '{}')`))
}

// plan fills the table of acts.
func (u *Undo) plan(ctx context.Context) error {
	err := u.do(ctx, stepUndoTables, u.word,
		q(`truncate {undo}`),
		q(`drop table if exists {rows_of}`))
	if err != nil {
		return err
	}
	if err := u.rowsOf(ctx); err != nil {
		return err
	}
	for n := range u.types {
		if err := u.stageWant(ctx, &u.types[n]); err != nil {
			return err
		}
	}
	for _, t := range u.types {
		if err := u.planBack(ctx, t); err != nil {
			return err
		}
		if err := u.planRemove(ctx, t); err != nil {
			return err
		}
	}
	if err := u.do(ctx, stepPlanOrder, u.word, q(`create index on {undo} (type, record_id) where act <> 'return'`),
		q(`analyze {undo} {told}`, told)); err != nil {
		return err
	}
	if err := u.keepReferred(ctx); err != nil {
		return err
	}
	for n, t := range u.types {
		if err := u.planReturn(ctx, t); err != nil {
			return err
		}
		if err := u.findCircles(ctx, &u.types[n]); err != nil {
			return err
		}
	}
	return u.do(ctx, stepPlanOrder, u.word, q(`create unique index on {undo} (seq)`), q(`analyze {undo} {told}`, told))
}

// told are the columns of the acts of which the server is told how many of what there are; lists of fields take long.
var told = frag{"told": "(seq, act, place, type, record_id, version, why)"}

// seqBits is how many bits of an act's place in their order stand for its record.
const seqBits = 44

// seq is the SQL of the place in their order of acts on records of a type: first what
// comes back, then the values, which may point to it, and at last what goes, from what
// points to what is pointed to.
func (u *Undo) seq(act verdict.UndoAct, t undoType, id string) string {
	phase, rank := int64(slices.Index([]verdict.UndoAct{verdict.BringBack, verdict.Return, verdict.Remove}, act)),
		int64(t.place)
	if act == verdict.Remove {
		rank = int64(len(u.types) - 1 - t.place)
	}
	first := (phase*int64(len(u.types)) + rank) << seqBits
	if act == verdict.Remove {
		return schema.Int(first+1<<seqBits-1) + ` - ` + id
	}
	return schema.Int(first) + ` + ` + id
}

func (u *Undo) do(ctx context.Context, st step, word vocabulary, statements ...stmt) error {
	_, err := u.conn.do(ctx, st, word, statements...)
	return err
}

// rowsOf notes which records are of the rows that are taken back, where these are not all.
func (u *Undo) rowsOf(ctx context.Context) error {
	if u.run.Only == nil {
		return nil
	}
	there, err := u.room.there(ctx, resultsTable(u.i.ID))
	if err != nil {
		return err
	}
	if !there || u.i.Routine.V == nil {
		return fault.New(fault.Conflict, "results_not_kept", "what became of the rows is no longer kept, so single "+
			"rows cannot be taken back").Mended("Take the whole load back.")
	}
	list := []stmt{q(`create unlogged table {rows_of} (type text not null, record_id bigint not null)`)}
	for n, d := range u.i.Routine.V.Drafts {
		list = append(list, q(`insert into {rows_of} (type, record_id)
			select distinct {type}, o.record_id from {results} o where {wrote} and o.row_no <@ {only}::int8multirange`,
			frag{"type": literal(d.Type), "wrote": wrote(n), "only": literal(*u.run.Only)}))
	}
	list = append(list, q(`create index on {rows_of} (type, record_id)`), q(`analyze {rows_of}`))
	return u.do(ctx, stepUndoTables, u.word, list...)
}

// wrote is the SQL of the rule that the pieces of work have written the record of the n-th
// draft of a row, in its results o.
func wrote(n int) string {
	return `o.run = {pieces} and o.draft = ` + schema.Int(n+1) + ` and o.record_id is not null
		and o.outcome in ('created', 'updated', 'deleted', 'undone')`
}

// among is the rule that a record is of one of the rows that are taken back,
// behind another rule; empty when these are all.
func (u *Undo) among(t undoType, id string) string {
	if u.run.Only == nil {
		return ""
	}
	return ` and exists (select from ` + u.table("rows_of") + ` x where x.type = ` + literal(t.Name) + `
		and x.record_id = ` + id + `)`
}

// made is the SQL of the ids of records of the type that the pieces of work have
// made: in blocks, or one by one where they came back.
func (u *Undo) made() string {
	return `(
		select lower(b.ids) as low, upper(b.ids) - 1 as high
		from (select unnest(ids) as ids from {run_records} where piece = {pieces} and type = {type}) b
		union all
		select record_id, record_id from {want} where restored > 0 and not gone
	)`
}

// planBack plans the return of records that the work has deleted, and that it had
// not made itself.
func (u *Undo) planBack(ctx context.Context, t undoType) error {
	taken := `false`
	for _, f := range t.Fields {
		if f.Key {
			key := schema.Key(f.Name)
			taken += ` or exists (select from {records} k where k.` + key + ` = w.` + key + `)`
		}
	}
	return u.do(ctx, stepPlanBack, u.of(t), q(`
		insert into {undo} (seq, act, place, type, record_id, version, why)
		select {seq}, 'back', {place}, {type}, w.record_id, w.version,
			case
				when exists (select from {history} h where h.record_id = w.record_id and h.version > w.version) then @changed
				when {taken} then @taken
				else ''
			end
		from {want} w
		where w.gone and w.restored = 0
			and not exists (select from {records} r where r.id = w.record_id)
			and not exists (select from {run_records} m where m.piece = {pieces} and m.type = {type} and m.ids @> w.record_id)`,
		frag{"taken": taken, "seq": u.seq(verdict.BringBack, t, "w.record_id")},
		arg{"taken": string(verdict.KeyTaken), "changed": string(verdict.ChangedSince)}))
}

// planRemove plans that records go which the work has made, but for those that
// somebody else has changed since.
func (u *Undo) planRemove(ctx context.Context, t undoType) error {
	return u.do(ctx, stepPlanRemove, u.of(t), q(`
		insert into {undo} (seq, act, place, type, record_id, version, why)
		with going as materialized (
			select r.id, r.version from {made} m join {records} r on r.id between m.low and m.high
			where true {among}
		),
		others as (
			-- What others have done since, field by field: what they found, and what they left.
			select h.record_id,
				(array_agg(e.value->>0 order by h.version))[1] as found,
				(array_agg(e.value->>1 order by h.version desc))[1] as left
			from going g join {history} h on h.record_id = g.id, jsonb_each(h.changes) e
			where g.version > 1 and h.kind = 'update' and (h.run is null or h.run <> all({list}))
				and h.version > coalesce((select w.restored from {want} w where w.record_id = g.id), 0)
			group by h.record_id, e.key
		)
		select {seq}, 'remove', {place}, {type}, g.id, g.version,
			case when exists (select from others o where o.record_id = g.id and o.found is distinct from o.left) then @changed
			else '' end
		from going g`,
		frag{"seq": u.seq(verdict.Remove, t, "g.id"), "made": u.made(), "among": u.among(t, "r.id"),
			"list": numbers(u.run.Undoes)}, arg{"changed": string(verdict.ChangedSince)}))
}

// keepReferred keeps records to which something points that stays, and that will
// not point elsewhere once its values have returned; until there are no more.
func (u *Undo) keepReferred(ctx context.Context) error {
	for {
		var more int64
		for _, t := range u.types {
			for _, p := range u.catalog.PointingTo(t.Name) {
				link := schema.Column(p.Field, "x")
				returns := `false`
				if n := slices.IndexFunc(u.types, func(x undoType) bool { return x.Name == p.Type.Name }); n >= 0 {
					returns = `exists (
						select from ` + u.want(u.types[n]) + ` w
						where w.record_id = x.id and ` + literal(p.Field.Name) + ` = any(w.fields)
							and ` + left(p.Field, "w") + ` = ` + link + ` and ` + wanted(p.Field, "w") + ` is distinct from ` + link + `)`
				}
				n, err := u.conn.do(ctx, stepPlanRemove, u.of(t), q(`
					update {undo} u set why = @referred
					where u.act = 'remove' and u.type = {type} and u.why = '' and exists (
						select from {pointing} x
						where {link} = u.record_id
							and not exists (select from {undo} g where g.act = 'remove' and g.type = {by} and g.record_id = x.id
							and g.why = '')
							and not {returns})`,
					frag{"pointing": schema.Records(u.i.Workspace, p.Type.Name), "link": link, "by": literal(p.Type.Name),
						"returns": returns},
					arg{"referred": string(verdict.ReferredTo)}))
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

// circles lists the references by which records of a type that go may be pointed to by some that go later.
func (u *Undo) circles(t undoType) (list []catalog.Pointing) {
	for _, p := range u.catalog.PointingTo(t.Name) {
		if n := slices.Index(u.written, p.Type.Name); n >= 0 && n <= t.place {
			list = append(list, p)
		}
	}
	return list
}

// findCircles finds out whether records of a type hang together. What somebody else links meanwhile is not seen: then
// it counts as written since.
func (u *Undo) findCircles(ctx context.Context, t *undoType) error {
	for _, f := range t.Fields {
		if f.Kind().Form != catalog.LinkForm || f.To != t.Name {
			continue
		}
		n, err := u.conn.do(ctx, stepPlanCircles, u.of(*t), q(`
			select from {undo} u join {want} w on {link} = u.record_id
			where u.act = 'back' and u.type = {type} and u.why = '' and w.gone limit 1`, frag{"link": wanted(f, "w")}))
		if err != nil {
			return err
		}
		t.hangs = t.hangs || n > 0
	}
	for _, p := range u.circles(*t) {
		n, err := u.conn.do(ctx, stepPlanCircles, u.of(*t), q(`
			select from {undo} u join {pointing} x on x.{link} = u.record_id
			where u.act = 'remove' and u.type = {type} and u.why = '' limit 1`,
			frag{"pointing": schema.Records(u.i.Workspace, p.Type.Name), "link": schema.Value(p.Field.Name)}))
		if err != nil {
			return err
		}
		t.entangled = t.entangled || n > 0
	}
	return nil
}

// planReturn plans that values return to records that stay, where they are still
// as the work has left them.
func (u *Undo) planReturn(ctx context.Context, t undoType) error {
	if len(t.touched) == 0 {
		return nil
	}
	var back, stay, looked []string
	for _, f := range t.touched {
		name, now := literal(f.Name), schema.Column(f, "r")
		ready := `true`
		if f.Key {
			key := schema.Key(f.Name)
			ready = `not exists (
				select from {records} k where k.` + key + ` = w.` + key + ` and k.id <> r.id
					and not exists (select from {undo} g where g.act = 'remove' and g.type = {type} and g.record_id = k.id
					and g.why = ''))`
		}
		if f.Kind().Form == catalog.LinkForm {
			target, _ := u.catalog.Type(f.To)
			ready = `(` + wanted(f, "w") + ` is null
				or exists (select from ` + schema.Records(u.i.Workspace, target.Name) + ` k where k.id = ` + wanted(f, "w") + `)
				or exists (select from {undo} g where g.act = 'back' and g.type = ` + literal(target.Name) + `
					and g.record_id = ` + wanted(f, "w") + ` and g.why = ''))`
		}
		if ready != `true` {
			looked = append(looked, name)
		}
		differs := name + ` = any(w.fields) and ` + now + ` is distinct from ` + wanted(f, "w")
		asLeft := `(` + now + ` is not distinct from ` + left(f, "w") + ` and ` + ready + `)`
		back = append(back, `case when `+differs+` and `+asLeft+` then `+name+` end`)
		stay = append(stay, `case when `+differs+` and not `+asLeft+` then `+name+` end`)
	}
	// A record of which nobody has made another version is as the work has left it.
	same := `r.version = w.version`
	if len(looked) > 0 {
		same += ` and not w.fields && array[` + list(looked) + `]`
	}
	return u.do(ctx, stepPlanReturn, u.of(t), q(`
		insert into {undo} (seq, act, place, type, record_id, version, fields, kept, why)
		select {seq}, 'return', {place}, {type}, id, version, fields, kept, case when fields = '{}' then @changed else '' end
		from (
			select r.id, r.version,
				case when {same} then w.fields else array_remove(array[{back}]::text[], null) end as fields,
				case when {same} then '{}' else array_remove(array[{stay}]::text[], null) end as kept
			from {want} w join {records} r on r.id = w.record_id
			where not w.gone and w.fields <> '{}'
				and not exists (select from {undo} g where g.act = 'remove' and g.type = {type} and g.record_id = w.record_id
				and g.why = '')
		) x
		where fields <> '{}' or kept <> '{}'`,
		frag{"seq": u.seq(verdict.Return, t, "id"), "same": same, "back": list(back), "stay": list(stay)},
		arg{"changed": string(verdict.ChangedSince)}))
}
