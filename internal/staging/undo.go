package staging

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/value"
	"uchi/internal/core/verdict"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
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
}

// UndoCount is how much of one kind an undo does, or cannot do.
type UndoCount struct {
	Act     verdict.UndoAct `db:"act"`
	Type    string          `db:"type"`
	Why     verdict.UndoWhy `db:"why"` // empty for what it does
	Records int64           `db:"records"`
	Values  int64           `db:"values"` // that return, or that stay as they are
}

// UndoItem is one record that an undo is about.
type UndoItem struct {
	Act    verdict.UndoAct `db:"act"`
	Type   string          `db:"type"`
	Record int64           `db:"record_id"`
	Title  string          `db:"title"`
	Row    *int64          `db:"row_no"`
	Why    verdict.UndoWhy `db:"why"`
	Fields []string        `db:"fields"` // that return
	Kept   []string        `db:"kept"`   // that stay as they are
}

// UndoPlan says what an undo would do.
type UndoPlan struct {
	Counts []UndoCount
	Items  []UndoItem // what cannot be taken back first
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
				return f.Kind().Form == catalog.LinkForm && f.To != t.Name && slices.ContainsFunc(found, func(x catalog.RecordType) bool { return x.Name == f.To })
			})
		}))
		u.types = append(u.types, undoType{found[n], len(u.types)})
		u.written = append(u.written, found[n].Name)
		found = slices.Delete(found, n, n+1)
	}
	for _, t := range u.types {
		for _, p := range schema.PointingTo(u.catalog, t.Name) {
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
	stepUndoTables  = step{does: "makes room for the plan of the undo", reads: "results", writes: "undo rows_of want"}
	stepPlanBack    = step{does: "plans which records come back", reads: "want records history run_records undo", writes: "undo"}
	stepPlanRemove  = step{does: "plans which records go", reads: "want records history run_records undo", writes: "undo"}
	stepPlanReturn  = step{does: "plans which values return", reads: "want records undo", writes: "undo"}
	stepPlanOrder   = step{does: "puts the plan in order", reads: "undo rows_of", writes: "undo"}
	stepUndoWrite   = step{does: "takes back", reads: "undo want", writes: "records history undo"}
	stepUndoOutcome = step{does: "notes what has become of the rows", reads: "undo records history", writes: "results"}
)

// begin finds the record types that the undo is about and makes the table of its
// acts. Its columns: what is done, the type, the record with its version, the row
// that it came from, why it cannot be done, the fields that return and those that
// stay.
func (u *Undo) begin(ctx context.Context) error {
	if err := u.findTypes(ctx); err != nil {
		return err
	}
	return u.do(ctx, stepUndoTables, u.word, q(`create unlogged table if not exists {undo} (
		seq bigint, act text collate "C" not null, place smallint not null, type text collate "C" not null, record_id bigint not null, version integer not null,
		row_no bigint, why text collate "C" not null default '', fields text[] not null default '{}', kept text[] not null default '{}')`))
}

// plan fills the table of acts.
func (u *Undo) plan(ctx context.Context) error {
	err := u.do(ctx, stepUndoTables, u.word,
		q(`truncate {undo}`),
		q(`drop table if exists {rows_of}`),
		q(`create unlogged table {rows_of} (type text not null, record_id bigint not null, row_no bigint not null)`))
	if err != nil {
		return err
	}
	if err := u.rowsOf(ctx); err != nil {
		return err
	}
	for _, t := range u.types {
		if err := u.stageWant(ctx, t); err != nil {
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
	if err := u.do(ctx, stepPlanOrder, u.word, q(`create index on {undo} (type, record_id)`), q(`analyze {undo}`)); err != nil {
		return err
	}
	if err := u.keepReferred(ctx); err != nil {
		return err
	}
	for _, t := range u.types {
		if err := u.planReturn(ctx, t); err != nil {
			return err
		}
	}
	// First what comes back, then the values, which may point to it, and at last
	// what goes: from what points to what is pointed to.
	return u.do(ctx, stepPlanOrder, u.word,
		q(`update {undo} u set row_no = x.row_no from {rows_of} x where x.type = u.type and x.record_id = u.record_id`),
		q(`update {undo} u set seq = x.n
			from (
				select ctid as at, row_number() over (order by
					case act when 'back' then 1 when 'return' then 2 else 3 end,
					case act when 'remove' then -place else place end,
					case act when 'remove' then -record_id else record_id end) as n
				from {undo}
			) x where x.at = u.ctid`),
		q(`create unique index on {undo} (seq)`),
		q(`analyze {undo}`))
}

func (u *Undo) do(ctx context.Context, st step, word vocabulary, statements ...stmt) error {
	_, err := u.conn.do(ctx, st, word, statements...)
	return err
}

// rowsOf notes from which rows the records come, while the results are kept.
func (u *Undo) rowsOf(ctx context.Context) error {
	there, err := u.room.there(ctx, resultsTable(u.i.ID))
	if err != nil {
		return err
	}
	if !there || u.i.Routine.V == nil {
		if u.run.Only != nil {
			return fault.New(fault.Conflict, "results_not_kept", "what became of the rows is no longer kept, so single rows cannot be taken back").Mended("Take the whole load back.")
		}
		return nil
	}
	only := ""
	if u.run.Only != nil {
		only = ` and o.row_no <@ ` + literal(*u.run.Only) + `::int8multirange`
	}
	var list []stmt
	for n, d := range u.i.Routine.V.Drafts {
		list = append(list, q(`insert into {rows_of} (type, record_id, row_no)
			select {type}, o.record_id, min(o.row_no) from {results} o
			where o.run = {pieces} and o.draft = {n} and o.record_id is not null and o.outcome in ('created', 'updated', 'deleted', 'undone'){only}
			group by o.record_id`, frag{"type": literal(d.Type), "n": schema.Int(n + 1), "only": only}))
	}
	list = append(list, q(`create index on {rows_of} (type, record_id)`), q(`analyze {rows_of}`))
	return u.do(ctx, stepUndoTables, u.word, list...)
}

// among is the rule that a record is of one of the rows that are taken back,
// behind another rule; empty when these are all.
func (u *Undo) among(t undoType, id string) string {
	if u.run.Only == nil {
		return ""
	}
	return ` and exists (select from ` + u.table("rows_of") + ` x where x.type = ` + literal(t.Name) + ` and x.record_id = ` + id + `)`
}

// Columns of what records of a type are to have again: the value, as w_, that
// which the pieces of work have left, as a_, and the normal forms.
func wanted(f catalog.Field, alias string) string { return alias + `.` + schema.Ident("w_"+f.Name) }
func left(f catalog.Field, alias string) string   { return alias + `.` + schema.Ident("a_"+f.Name) }

// stageWant reads the history of what the pieces of work have changed and stages
// for each record the values that it had before.
func (u *Undo) stageWant(ctx context.Context, t undoType) error {
	defs := []string{`record_id bigint not null`, `gone boolean not null`, `restored integer not null`, `version integer not null`, `was jsonb`, `fields text[] not null`}
	cols := []string{"record_id", "gone", "restored", "version", "was", "fields"}
	for _, f := range t.Fields {
		add := func(name, sqlType string) {
			defs, cols = append(defs, schema.Ident(name)+` `+sqlType), append(cols, schema.Ident(name))
		}
		add("w_"+f.Name, schema.Type(f))
		add("a_"+f.Name, schema.Type(f))
		if f.Normalised() {
			add("k_"+f.Name, keyText)
		}
		if schema.InTitle(t.RecordType, f.Name) {
			add("n_"+f.Name, keyText)
		}
	}
	if err := u.do(ctx, stepUndoTables, u.of(t), q(`drop table if exists {want}`), q(`create unlogged table {want} (`+strings.Join(defs, ", ")+`)`)); err != nil {
		return err
	}
	out := pgcopy.Into(ctx, u.room.onConn(u.run), u.want(t), cols)
	w := wantWriter{t: t, c: u.catalog, out: out, width: len(cols)}
	// The newest first: it says what the work has left.
	query := `select h.record_id, h.version, h.kind, h.changes::text, coalesce(h.was::text, '') from ` + schema.History(u.i.Workspace, t.Name) + ` h
		where h.run = ` + u.pieces() + u.among(t, "h.record_id") + ` order by h.record_id, h.version desc`
	err := pgcopy.Out(ctx, u.room.reading, query, func(fields [][]byte) error {
		return w.add(pgcopy.Int64Of(fields[0]), pgcopy.Int32Of(fields[1]), string(fields[2]), fields[3], fields[4])
	})
	if err == nil {
		err = w.flush()
	}
	if err := out.End(err); err != nil {
		return fmt.Errorf("stage what is to return: %w", err)
	}
	return u.do(ctx, stepUndoTables, u.of(t), q(`create index on {want} (record_id)`), q(`analyze {want}`))
}

// wantWriter folds the entries of a record's history into what it had before.
type wantWriter struct {
	t      undoType
	c      catalog.Catalog
	out    *pgcopy.In
	width  int
	record int64
	now    wantedRecord
}

// wantedRecord is a record with what it had before.
type wantedRecord struct {
	gone       bool
	restored   int32 // the version with which it came back; 0 when it did not
	version    int32 // of the newest entry
	was        []byte
	want, left map[string]string // by field, canonical; blank is ""
	ended      map[string]bool   // fields of which somebody else has written between
}

func (w *wantWriter) add(record int64, version int32, kind string, changes, was []byte) error {
	if record != w.record {
		if err := w.flush(); err != nil {
			return err
		}
		w.record = record
		w.now = wantedRecord{version: version, want: map[string]string{}, left: map[string]string{}, ended: map[string]bool{}}
		w.now.gone = kind == "delete"
		w.now.was = slices.Clone(was)
	}
	if kind == "restore" {
		w.now.restored = version // before that it was not there
		return nil
	}
	if w.now.restored > 0 {
		return nil
	}
	var diff map[string][2]*string
	if err := json.Unmarshal(changes, &diff); err != nil {
		return fmt.Errorf("read the history of record %d: %w", record, err)
	}
	for field, pair := range diff {
		f, ok := w.field(field)
		if !ok {
			continue
		}
		before, after := w.text(f, pair[0]), w.text(f, pair[1])
		switch at, known := w.now.want[f.Name]; {
		case w.now.ended[f.Name]:
		case !known:
			w.now.want[f.Name], w.now.left[f.Name] = before, after
		case at == after:
			w.now.want[f.Name] = before
		default:
			w.now.ended[f.Name] = true
		}
	}
	return nil
}

// field finds a field by the name that it had when the history was written.
func (w *wantWriter) field(name string) (catalog.Field, bool) {
	if f, ok := w.t.Field(name); ok {
		return f, true
	}
	for _, f := range w.t.Fields {
		if slices.Contains(f.Was, name) {
			return f, true
		}
	}
	return catalog.Field{}, false
}

// text gives the canonical text of what the history shows.
func (w *wantWriter) text(f catalog.Field, shown *string) string {
	if shown == nil {
		return ""
	}
	if f.Kind().Form == catalog.LinkForm {
		target, _ := w.c.Type(f.To)
		if id, err := target.ParseRecordID(*shown); err == nil {
			return schema.Int(id)
		}
		return ""
	}
	return *shown
}

func (w *wantWriter) flush() error {
	if w.record == 0 {
		return nil
	}
	b := &w.out.Buffer
	b.Row(w.width)
	b.Int64(w.record)
	b.Bool(w.now.gone)
	b.Int32(w.now.restored)
	b.Int32(w.now.version)
	if len(w.now.was) > 0 {
		b.JSONB(w.now.was)
	} else {
		b.Null()
	}
	var names []string
	for _, f := range w.t.Fields {
		if _, ok := w.now.want[f.Name]; ok {
			names = append(names, f.Name)
		}
	}
	b.Texts(names)
	for _, f := range w.t.Fields {
		write := schema.Copier(f)
		want := w.now.want[f.Name]
		if err := write(b, want); err != nil {
			return err
		}
		if err := write(b, w.now.left[f.Name]); err != nil {
			return err
		}
		if f.Normalised() {
			b.TextOrNull(value.Key(f, want))
		}
		if schema.InTitle(w.t.RecordType, f.Name) {
			b.TextOrNull(value.NameKey(want))
		}
	}
	w.record = 0
	return w.out.Flush()
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
		insert into {undo} (act, place, type, record_id, version, why)
		select 'back', {place}, {type}, w.record_id, w.version,
			case
				when exists (select from {history} h where h.record_id = w.record_id and h.version > w.version) then @changed
				when {taken} then @taken
				else ''
			end
		from {want} w
		where w.gone and w.restored = 0
			and not exists (select from {records} r where r.id = w.record_id)
			and not exists (select from {run_records} m where m.piece = {pieces} and m.type = {type} and m.ids @> w.record_id)`,
		frag{"taken": taken}, arg{"taken": string(verdict.KeyTaken), "changed": string(verdict.ChangedSince)}))
}

// planRemove plans that records go which the work has made, but for those that
// somebody else has changed since.
func (u *Undo) planRemove(ctx context.Context, t undoType) error {
	return u.do(ctx, stepPlanRemove, u.of(t), q(`
		insert into {undo} (act, place, type, record_id, version, why)
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
		select 'remove', {place}, {type}, g.id, g.version,
			case when exists (select from others o where o.record_id = g.id and o.found is distinct from o.left) then @changed else '' end
		from going g`,
		frag{"made": u.made(), "among": u.among(t, "r.id"), "list": numbers(u.run.Undoes)}, arg{"changed": string(verdict.ChangedSince)}))
}

// keepReferred keeps records to which something points that stays, and that will
// not point elsewhere once its values have returned; until there are no more.
func (u *Undo) keepReferred(ctx context.Context) error {
	for {
		var more int64
		for _, t := range u.types {
			for _, p := range schema.PointingTo(u.catalog, t.Name) {
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
							and not exists (select from {undo} g where g.act = 'remove' and g.type = {by} and g.record_id = x.id and g.why = '')
							and not {returns})`,
					frag{"pointing": schema.Records(u.i.Workspace, p.Type.Name), "link": link, "by": literal(p.Type.Name), "returns": returns},
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

// planReturn plans that values return to records that stay, where they are still
// as the work has left them.
func (u *Undo) planReturn(ctx context.Context, t undoType) error {
	var back, stay []string
	for _, f := range t.Fields {
		name, now := literal(f.Name), schema.Column(f, "r")
		ready := `true`
		if f.Key {
			key := schema.Key(f.Name)
			ready = `not exists (
				select from {records} k where k.` + key + ` = w.` + key + ` and k.id <> r.id
					and not exists (select from {undo} g where g.act = 'remove' and g.type = {type} and g.record_id = k.id and g.why = ''))`
		}
		if f.Kind().Form == catalog.LinkForm {
			target, _ := u.catalog.Type(f.To)
			ready = `(` + wanted(f, "w") + ` is null
				or exists (select from ` + schema.Records(u.i.Workspace, target.Name) + ` k where k.id = ` + wanted(f, "w") + `)
				or exists (select from {undo} g where g.act = 'back' and g.type = ` + literal(target.Name) + ` and g.record_id = ` + wanted(f, "w") + ` and g.why = ''))`
		}
		asLeft := `(` + now + ` is not distinct from ` + left(f, "w") + ` and ` + ready + `)`
		back = append(back, `case when `+name+` = any(w.fields) and `+now+` is distinct from `+wanted(f, "w")+` and `+asLeft+` then `+name+` end`)
		stay = append(stay, `case when `+name+` = any(w.fields) and `+now+` is distinct from `+wanted(f, "w")+` and not `+asLeft+` then `+name+` end`)
	}
	return u.do(ctx, stepPlanReturn, u.of(t), q(`
		insert into {undo} (act, place, type, record_id, version, fields, kept, why)
		select 'return', {place}, {type}, id, version, fields, kept, case when fields = '{}' then @changed else '' end
		from (
			select r.id, r.version, array_remove(array[{back}]::text[], null) as fields, array_remove(array[{stay}]::text[], null) as kept
			from {want} w join {records} r on r.id = w.record_id
			where not w.gone and w.fields <> '{}'
				and not exists (select from {undo} g where g.act = 'remove' and g.type = {type} and g.record_id = w.record_id and g.why = '')
		) x
		where fields <> '{}' or kept <> '{}'`, frag{"back": list(back), "stay": list(stay)}, arg{"changed": string(verdict.ChangedSince)}))
}

// Summary tells what the plan holds: the numbers, and so many single records,
// those that cannot be taken back first.
func (u *Undo) Summary(ctx context.Context, items int) (UndoPlan, error) {
	var out UndoPlan
	var err error
	out.Counts, err = collect[UndoCount](ctx, u.room.pool, u.word, q(`
		select act, type, why, count(*) as records, sum(cardinality(case when why = '' then fields else kept end))::bigint as values
		from {undo} group by act, type, why
		union all
		select 'return', type, 'changed_since', count(*), sum(cardinality(kept))::bigint
		from {undo} where act = 'return' and why = '' and kept <> '{}' group by type
		order by why, act, type`))
	if err != nil {
		return out, fmt.Errorf("sum up the plan of the undo: %w", err)
	}
	for _, t := range u.types {
		title := schema.TitleText(t.RecordType, "r")
		list, err := collect[UndoItem](ctx, u.room.pool, u.of(t), q(`
			select u.act, u.type, u.record_id, u.row_no, u.why, u.fields, u.kept, coalesce({title}, '') as title
			from (
				select * from {undo} where type = {type} order by why = '' and kept = '{}', seq limit @items
			) u left join {records} r on r.id = u.record_id
			order by u.why = '' and u.kept = '{}', u.seq`, frag{"title": title}, arg{"items": items}))
		if err != nil {
			return out, fmt.Errorf("list the plan of the undo: %w", err)
		}
		out.Items = append(out.Items, list...)
	}
	slices.SortStableFunc(out.Items, func(a, b UndoItem) int { return b.stuck() - a.stuck() })
	out.Items = out.Items[:min(items, len(out.Items))]
	return out, nil
}

// stuck is 1 for what cannot be taken back, wholly or in part.
func (x UndoItem) stuck() int {
	if x.Why != "" || len(x.Kept) > 0 {
		return 1
	}
	return 0
}

// UndoChunk is how many acts a transaction of an undo carries out.
const UndoChunk = 20_000

// Chunk carries out the next acts of the plan, at most the given number. It
// reports whether none are left.
func (u *Undo) Chunk(ctx context.Context, most int) (ended bool, err error) {
	var acts, next, writes int64
	err = pgx.BeginFunc(ctx, u.room.pool, func(tx pgx.Tx) error {
		if _, err := store.LockImport(ctx, tx, u.run); err != nil {
			return err
		}
		c := undoChunk{Undo: u, tx: tx}
		var place int
		err := tx.QueryRow(ctx, `
			select act, place, min(seq), max(seq), count(*) from (
				select act, place, seq from `+u.table("undo")+` where seq > $1 order by seq limit $2
			) x group by act, place order by min(seq) limit 1`, u.done, most).Scan(&c.act, &place, &c.low, &c.high, &acts)
		if store.IsMissing(err) {
			ended = true
			return nil
		}
		if err != nil {
			return fmt.Errorf("find what is next: %w", err)
		}
		c.t, next = u.types[place], c.high
		if writes, err = c.lock(ctx); err != nil {
			return err
		}
		if err := c.carryOut(ctx, writes != u.writes); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update runs set done_rows = done_rows + $2 where id = $1`, u.run.ID, acts)
		return err
	})
	if err == nil && !ended {
		u.done, u.writes = next, writes+1
	}
	return ended, err
}

// Refuse notes that the server refuses the next act.
func (u *Undo) Refuse(ctx context.Context) error {
	_, err := u.room.pool.Exec(ctx, `update `+u.table("undo")+` set why = $2 where seq = $1`, u.done+1, verdict.Refused)
	u.done++
	return err
}

// undoChunk is the work of one transaction: acts of one kind on records of one
// type.
type undoChunk struct {
	*Undo
	tx        pgx.Tx
	act       verdict.UndoAct
	t         undoType
	low, high int64
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

// acts is the SQL of the acts of the chunk that can be done, as u.
func (c *undoChunk) acts() string {
	return fmt.Sprintf(`(select * from {undo} where seq between %d and %d and why = '')`, c.low, c.high)
}

// carryOut does the acts of the chunk. When somebody else has written since the
// plan was made, what has changed since is kept.
func (c *undoChunk) carryOut(ctx context.Context, written bool) error {
	within := frag{"acts": c.acts(), "within": fmt.Sprintf(`u.seq between %d and %d and u.why = ''`, c.low, c.high)}
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
	for _, p := range schema.PointingTo(c.catalog, c.t.Name) {
		if n := slices.Index(c.written, p.Type.Name); n >= 0 && n <= c.t.place {
			list = append(list, c.unlink(p, c.types[n], within))
		}
	}
	remove := deleteRecords(c.catalog, c.t.RecordType, `{records} r using {acts} u where r.id = u.record_id and r.version = u.version`, c.i, c.run)
	for k, v := range within {
		remove.words[k] = v
	}
	return c.do(ctx, append(list, remove)...)
}

// lookAgain keeps what somebody else has changed since the plan was made.
func (c *undoChunk) lookAgain(ctx context.Context, within frag) error {
	changed := arg{"why": string(verdict.ChangedSince)}
	if c.act == verdict.BringBack {
		return nil // a key that is taken is refused, a link that is gone stays blank
	}
	list := []stmt{q(`update {undo} u set why = @why where {within} and not exists (select from {records} r where r.id = u.record_id and r.version = u.version)`, within, changed)}
	if c.act == verdict.Remove {
		for _, p := range schema.PointingTo(c.catalog, c.t.Name) {
			list = append(list, q(`update {undo} u set why = @why where {within} and exists (
				select from {pointing} x where {link} = u.record_id
					and not exists (select from {undo} g where g.act = 'remove' and g.type = {by} and g.record_id = x.id and g.why = '' and g.seq >= @low))`,
				within, frag{"pointing": schema.Records(c.i.Workspace, p.Type.Name), "link": schema.Column(p.Field, "x"), "by": literal(p.Type.Name)},
				arg{"why": string(verdict.ReferredTo), "low": c.low}))
		}
	}
	return c.do(ctx, list...)
}

// unlink blanks the links of records that go later, where they point in a circle,
// so that nothing ever points to what is not there.
func (c *undoChunk) unlink(p schema.Pointing, by undoType, within frag) stmt {
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
		select id, version, @person, @import, @run, 'update', jsonb_build_object({field}, jsonb_build_array({shown}, null)) from changed`,
		within,
		frag{"pointing": schema.Records(c.i.Workspace, by.Name), "pointing_history": schema.History(c.i.Workspace, by.Name), "by": literal(by.Name),
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

// bringBack makes deleted records again, with their ids.
func (c *undoChunk) bringBack(within frag) stmt {
	var columns, values, names, pairs []string
	for _, f := range c.t.Fields {
		v := c.value(f)
		columns, values = append(columns, schema.Value(f.Name)), append(values, v)
		pairs = append(pairs, literal(f.Name)+`, case when `+v+` is not null then jsonb_build_array(null, `+schema.Shown(c.catalog, f, v)+`) end`)
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
			insert into {records} (id, version, created_at, created_by, changed_by, import, {title_column}{columns})
			select w.record_id, w.version + 1, coalesce((w.was->>'created_at')::timestamptz, now()), coalesce((w.was->>'created_by')::bigint, @person), @person,
				(w.was->>'import')::bigint, {title}{values}
			from {acts} u join {want} w on w.record_id = u.record_id
			order by w.record_id
			returning id, version
		)
		insert into {history} (record_id, version, person, import, run, kind, changes)
		select m.id, m.version, @person, @import, @run, 'restore', {pairs}
		from made m join {want} w on w.record_id = m.id`,
		within, frag{"title_column": schema.Title, "columns": behind(columns), "values": behind(values), "pairs": schema.Object(pairs), "title": titleOfParts(names)},
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
	var set, pairs []string
	names := map[string]string{}
	for _, f := range c.t.Fields {
		now := schema.Column(f, "r")
		returns := literal(f.Name) + ` = any(u.fields) and ` + now + ` is not distinct from ` + left(f, "w")
		pairs = append(pairs, literal(f.Name)+`, case when `+returns+` then jsonb_build_array(`+schema.Shown(c.catalog, f, now)+`, `+schema.Shown(c.catalog, f, c.value(f))+`) end`)
		// What the history then says decides what is written.
		said := `t.changes ? ` + literal(f.Name)
		set = append(set, schema.Value(f.Name)+` = case when `+said+` then `+c.value(f)+` else `+now+` end`)
		if f.Normalised() {
			set = append(set, schema.Key(f.Name)+` = case when `+said+` then w.`+schema.Key(f.Name)+` else r.`+schema.Key(f.Name)+` end`)
		}
		if schema.InTitle(c.t.RecordType, f.Name) {
			names[f.Name] = `case when ` + said + ` then w.` + schema.Name(f.Name) + ` else r.` + schema.Name(f.Name) + ` end`
			set = append(set, schema.Name(f.Name)+` = `+names[f.Name])
		}
	}
	var title []string
	for _, f := range c.t.Title {
		title = append(title, names[f])
	}
	return q(`
		with todo as materialized (
			select r.id, {pairs} as changes
			from {acts} u join {want} w on w.record_id = u.record_id join {records} r on r.id = u.record_id
		),
		changed as (
			update {records} r set version = r.version + 1, changed_at = now(), changed_by = @person, {title_column} = {title}, {set}
			from todo t join {want} w on w.record_id = t.id
			where r.id = t.id and t.changes <> '{}'
			returning r.id, r.version, t.changes
		)
		insert into {history} (record_id, version, person, import, run, kind, changes)
		select id, version, @person, @import, @run, 'update', changes from changed`,
		within, frag{"title_column": schema.Title, "title": titleOfParts(title), "set": list(set), "pairs": schema.Object(pairs)},
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
	return pgx.BeginFunc(ctx, u.room.pool, func(tx pgx.Tx) error {
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
		if !there {
			if left, err = u.somethingLeft(ctx, tx); err != nil {
				return err
			}
		}
		if event == "" {
			event = life.WasUndone
			if left {
				event = life.PartUndone
			}
		}
		if there {
			if _, err := tx.Exec(ctx, `update imports set outcomes = $2 where id = $1`, i.ID, store.JSON[map[verdict.Outcome]int64]{V: outcomes}); err != nil {
				return fmt.Errorf("note the outcomes: %w", err)
			}
		}
		if _, err := tx.Exec(ctx, `update runs set outcomes = $2 where id = $1`, u.run.ID, store.JSON[map[verdict.Outcome]int64]{V: undone}); err != nil {
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

// noteOutcomes writes what has become of the rows, and counts: of all rows of the
// import, and of those that this piece of work has touched.
func (u *Undo) noteOutcomes(ctx context.Context, tx pgx.Tx) (all, touched map[verdict.Outcome]int64, err error) {
	do := func(word vocabulary, statements ...stmt) error {
		_, err := u.room.carryOut(ctx, tx, u.run, stepUndoOutcome, word, statements)
		return err
	}
	err = do(u.word, q(`create temp table became_now (row_no bigint not null, draft smallint not null, run bigint not null, outcome text collate "C" not null, record_id bigint, detail text) on commit drop`))
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
		// A row for which another stood is open again with that.
		q(`insert into became_now select o.row_no, o.draft, @run, 'undone', null, null
			from {results} o
			where o.last and o.run = {pieces} and o.outcome = 'skipped' and o.detail in ({with}) and exists (select from became_now where outcome = 'undone'){only}
				and not exists (select from became_now b where b.row_no = o.row_no and b.draft = o.draft)`,
			frag{"only": only, "with": literals([]verdict.Reason{verdict.Repeated, verdict.Merged, verdict.Grouped})}, run),
		// A row that was opened so is again what it was.
		q(`insert into became_now select o.row_no, o.draft, @run, p.outcome, p.record_id, p.detail
			from {results} o
			cross join lateral (
				select * from {results} x where x.row_no = o.row_no and x.draft = o.draft and not x.last and x.run < o.run order by x.run desc limit 1
			) p
			where o.last and o.run = {pieces} and o.outcome = 'undone' and o.record_id is null{only}`, frag{"only": only}, run),
		q(`create index on became_now (row_no, draft)`),
		q(`analyze became_now`),
		q(`create temp table rows_now on commit drop as
			select row_no, (array[{words}])[min(array_position(array[{words}], outcome))] as of_row
			from (
				select row_no, draft, outcome from became_now
				union all
				select o.row_no, o.draft, o.outcome from {results} o
				where o.last and o.row_no in (select row_no from became_now)
					and not exists (select from became_now b where b.row_no = o.row_no and b.draft = o.draft)
			) x group by row_no`, frag{"words": literals(weight)}),
		// The outcome of the row stands with its first draft, which is written anew.
		q(`insert into became_now
			select o.row_no, o.draft, o.run, o.outcome, o.record_id, o.detail from {results} o
			where o.last and o.draft = 1 and o.row_no in (select row_no from became_now)
				and not exists (select from became_now b where b.row_no = o.row_no and b.draft = 1)`),
		q(`update {results} o set last = false from became_now b where o.last and o.row_no = b.row_no and o.draft = b.draft`),
		q(`insert into {results} (row_no, draft, run, outcome, of_row, record_id, detail)
			select b.row_no, b.draft, b.run, b.outcome, case when b.draft = 1 then r.of_row collate "C" end, b.record_id, b.detail
			from became_now b join rows_now r on r.row_no = b.row_no order by b.row_no, b.draft`),
		q(`analyze {results}`))
	if err != nil {
		return nil, nil, err
	}
	all, err = u.tally(ctx, tx, `select of_row as word, count(*) as count from {results} where last and of_row is not null group by of_row`)
	if err == nil {
		touched, err = u.tally(ctx, tx, `select of_row as word, count(*) as count from rows_now group by of_row`)
	}
	return all, touched, err
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
		kept as materialized (select record_id from {undo} where type = {type} and kept <> '{}')
		select o.row_no, o.draft, @run,
			case
				when o.outcome = 'undone' then coalesce((
					select p.outcome from {results} p
					where p.row_no = o.row_no and p.draft = o.draft and not p.last and p.record_id = o.record_id and p.outcome in ('created', 'updated', 'deleted')
					order by p.run desc limit 1), o.outcome)
				else 'undone'
			end,
			o.record_id,
			case when exists (select from kept k where k.record_id = o.record_id) then 'kept in part: changed_since' end
		from {results} o join mine m on m.record_id = o.record_id
		where o.last and o.run = {pieces} and o.draft = {n} and o.outcome in ('created', 'updated', 'deleted', 'undone')
			and (o.outcome <> 'created' or m.kind = 'delete'){only}`,
		frag{"n": schema.Int(n + 1), "only": only, "list": numbers(u.run.Undoes)}, arg{"run": u.run.Piece, "import": u.i.ID})
}

// keptNow is the statement that notes of the n-th draft of rows why what they have
// loaded stays.
func (u *Undo) keptNow(n int) stmt {
	return q(`update {results} o set detail = 'kept: ' || u.why
		from {undo} u
		where u.type = {type} and u.why <> '' and u.record_id = o.record_id and o.last and o.run = {pieces} and o.draft = {n}
			and o.outcome in ('created', 'updated', 'deleted', 'undone')`, frag{"n": schema.Int(n + 1)})
}

func (u *Undo) tally(ctx context.Context, tx pgx.Tx, query string) (map[verdict.Outcome]int64, error) {
	words, err := collect[counted](ctx, tx, u.word, q(query))
	if err != nil {
		return nil, fmt.Errorf("count outcomes: %w", err)
	}
	m := map[verdict.Outcome]int64{}
	for _, w := range words {
		m[verdict.Outcome(w.Word)] = w.Count
	}
	return m, nil
}
