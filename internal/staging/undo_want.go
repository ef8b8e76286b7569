package staging

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"

	"github.com/tidwall/gjson"
)

// What an undo reads of the history: for each record that the work has written, the values that it had before.

// Columns of what records of a type are to have again: the value, as w_, that
// which the pieces of work have left, as a_, and the normal forms.
func wanted(f catalog.Field, alias string) string { return alias + `.` + schema.Ident("w_"+f.Name) }
func left(f catalog.Field, alias string) string   { return alias + `.` + schema.Ident("a_"+f.Name) }

// stageWant reads the history of what the pieces of work have changed and stages
// for each record the values that it had before, and as back what the history is to say when they return.
func (u *Undo) stageWant(ctx context.Context, at *undoType) error {
	t := *at
	defs := []string{`record_id bigint not null`, `gone boolean not null`, `restored integer not null`,
		`version integer not null`, `was jsonb`, `fields text[] not null`, `back jsonb`}
	cols := []string{"record_id", "gone", "restored", "version", "was", "fields", "back"}
	var columns []int
	for _, f := range t.Fields {
		before := len(cols)
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
		columns = append(columns, len(cols)-before)
	}
	if err := u.do(ctx, stepUndoTables, u.of(t), q(`drop table if exists {want}`),
		q(`create unlogged table {want} (`+strings.Join(defs, ", ")+`)`)); err != nil {
		return err
	}
	out := pgcopy.Into(ctx, u.room.onConn(u.run), u.want(t), cols)
	w := newWantWriter(t, u.catalog, out, columns, len(cols))
	// The newest first: it says what the work has left.
	query := `select h.record_id, h.version, h.kind, h.changes::text, coalesce(h.was::text, '') from ` +
		schema.History(u.i.Workspace, t.Name) + ` h
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
	for n, f := range t.Fields {
		if w.changed[n] {
			at.touched = append(at.touched, f)
		}
	}
	return u.do(ctx, stepUndoTables, u.of(t), q(`create index on {want} (record_id)`),
		q(`analyze {want} (record_id, gone, restored, version)`))
}

// wantWriter folds the entries of a record's history into what it had before.
type wantWriter struct {
	t      undoType
	c      catalog.Catalog
	out    *pgcopy.In
	width  int
	record int64
	now    wantedRecord
	row    *schema.RowReader
	back   []byte         // what the history is to say, in JSON
	places map[string]int // of fields among those of the type, by the names that the history knows
	// By field: whether values of it were changed of records that stayed, how its values are written, and how many
	// columns it has.
	changed []bool
	copiers []func(*pgcopy.Buffer, string) error
	columns []int
}

// wantedRecord is a record with what it had before.
type wantedRecord struct {
	gone     bool
	restored int32 // the version with which it came back; 0 when it did not
	version  int32 // of the newest entry
	was      []byte
	fields   []wantedField // by field
}

// wantedField is what a record had of a field, and has: both canonical, blank is "".
type wantedField struct {
	known      bool // the history has said it
	ended      bool // somebody else has written between
	want, left string
	shown      [2]string // what is left, and what is wanted, as the history shows them, in JSON
}

// newWantWriter readies a writer for records of a type.
func newWantWriter(t undoType, c catalog.Catalog, out *pgcopy.In, columns []int, width int) *wantWriter {
	w := &wantWriter{t: t, c: c, out: out, columns: columns, width: width, row: schema.NewRowReader(t.RecordType),
		places: t.Places(), changed: make([]bool, len(t.Fields))}
	for _, f := range t.Fields {
		w.copiers = append(w.copiers, schema.Copier(f))
	}
	w.now.fields = make([]wantedField, len(t.Fields))
	return w
}

func (w *wantWriter) add(record int64, version int32, kind string, changes, was []byte) error {
	if record != w.record {
		if err := w.flush(); err != nil {
			return err
		}
		w.record = record
		clear(w.now.fields)
		w.now = wantedRecord{version: version, gone: kind == "delete", was: slices.Clone(was), fields: w.now.fields}
	}
	if kind == "restore" {
		w.now.restored = version // before that it was not there
		return nil
	}
	if w.now.restored > 0 {
		return nil
	}
	if kind == "delete" && len(was) > 0 && string(changes) == "{}" {
		err := w.row.Read(was, func(n int, text string) {
			if at := &w.now.fields[n]; !at.known {
				at.want = text
			}
		})
		if err != nil {
			return fmt.Errorf("read the history of record %d: %w", record, err)
		}
		for n := range w.now.fields { // what is not in it was blank
			w.now.fields[n].known = true
		}
		return nil
	}
	gjson.ParseBytes(changes).ForEach(func(field, pair gjson.Result) bool {
		if n, ok := w.places[field.String()]; ok {
			w.fold(n, pair.Array())
		}
		return true
	})
	return nil
}

// fold puts what an entry of the history says of a field, before and after, before what later ones have said.
func (w *wantWriter) fold(n int, pair []gjson.Result) {
	if len(pair) != 2 {
		return
	}
	if !w.now.gone {
		w.changed[n] = true
	}
	f, at := w.t.Fields[n], &w.now.fields[n]
	before, after := w.text(f, pair[0]), w.text(f, pair[1])
	switch {
	case at.ended:
	case !at.known:
		*at = wantedField{known: true, want: before, left: after, shown: [2]string{pair[1].Raw, pair[0].Raw}}
	case at.want == after:
		at.want, at.shown[1] = before, pair[0].Raw
	default:
		at.ended = true
	}
}

// text gives the canonical text of what the history shows; nothing is shown of a blank.
func (w *wantWriter) text(f catalog.Field, shown gjson.Result) string {
	if f.Kind().Form == catalog.LinkForm {
		target, _ := w.c.Type(f.To)
		if id, err := target.ParseRecordID(shown.String()); err == nil {
			return schema.Int(id)
		}
		return ""
	}
	return shown.String()
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
	w.back = append(w.back[:0], '{')
	for n, at := range w.now.fields {
		if at.want == at.left { // there is nothing to return
			continue
		}
		if len(names) > 0 {
			w.back = append(w.back, ',')
		}
		names = append(names, w.t.Fields[n].Name)
		w.back = append(strconv.AppendQuote(w.back, w.t.Fields[n].Name), ":["...)
		w.back = append(append(append(append(w.back, at.shown[0]...), ','), at.shown[1]...), ']')
	}
	b.Texts(names)
	if w.now.gone || len(names) == 0 {
		b.Null()
	} else {
		b.JSONB(append(w.back, '}'))
	}
	for n, at := range w.now.fields {
		if at.want == "" && at.left == "" {
			for range w.columns[n] {
				b.Null()
			}
			continue
		}
		f, write := w.t.Fields[n], w.copiers[n]
		if err := write(b, at.want); err != nil {
			return err
		}
		if err := write(b, at.left); err != nil {
			return err
		}
		if f.Normalised() {
			b.TextOrNull(value.Key(f, at.want))
		}
		if schema.InTitle(w.t.RecordType, f.Name) {
			b.TextOrNull(value.NameKey(at.want))
		}
	}
	w.record = 0
	return w.out.Flush()
}
