package staging

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
)

// What an undo reads of the history: for each record that the work has written, the values that it had before.

// Columns of what records of a type are to have again: the value, as w_, that
// which the pieces of work have left, as a_, and the normal forms.
func wanted(f catalog.Field, alias string) string { return alias + `.` + schema.Ident("w_"+f.Name) }
func left(f catalog.Field, alias string) string   { return alias + `.` + schema.Ident("a_"+f.Name) }

// stageWant reads the history of what the pieces of work have changed and stages
// for each record the values that it had before.
func (u *Undo) stageWant(ctx context.Context, at *undoType) error {
	t := *at
	defs := []string{`record_id bigint not null`, `gone boolean not null`, `restored integer not null`,
		`version integer not null`, `was jsonb`, `fields text[] not null`}
	cols := []string{"record_id", "gone", "restored", "version", "was", "fields"}
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
	row    *schema.RowReader
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
	var diff map[string][2]*string
	if err := json.Unmarshal(changes, &diff); err != nil {
		return fmt.Errorf("read the history of record %d: %w", record, err)
	}
	for field, pair := range diff {
		n, ok := w.places[field]
		if !ok {
			continue
		}
		if !w.now.gone {
			w.changed[n] = true
		}
		f, at := w.t.Fields[n], &w.now.fields[n]
		before, after := w.text(f, pair[0]), w.text(f, pair[1])
		switch {
		case at.ended:
		case !at.known:
			*at = wantedField{known: true, want: before, left: after}
		case at.want == after:
			at.want = before
		default:
			at.ended = true
		}
	}
	return nil
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
	for n, at := range w.now.fields {
		if at.want != at.left { // else there is nothing to return
			names = append(names, w.t.Fields[n].Name)
		}
	}
	b.Texts(names)
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
