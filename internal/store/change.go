package store

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/value"
	"uchi/internal/schema"

	"github.com/jackc/pgx/v5"
)

// RecordChange is what a person changes of a record.
type RecordChange struct {
	Record  Record            // as it was read
	Values  map[string]string // by field, canonical; of a reference the number of the record; "" blanks it
	Version int               // that the change was made on; 0 is whatever is there
	By      Person
}

// ChangeRecord changes values of a record and keeps in its history what they were.
// A change on an older version is refused.
func (s *Store) ChangeRecord(ctx context.Context, workspace string, c catalog.Catalog, ch RecordChange) error {
	t := ch.Record.Type
	var links []string
	for _, f := range t.Fields {
		if f.Kind().Form == catalog.LinkForm {
			links = append(links, f.To)
		}
	}
	err := s.inTx(ctx, func(tx pgx.Tx) error {
		if _, _, err := LockTypes(ctx, tx, workspace, map[string]int64{t.Name: 0}, links); err != nil {
			return err
		}
		var now int
		err := tx.QueryRow(ctx, `select version from `+schema.Records(workspace, t.Name)+` where id = $1 for update`,
			ch.Record.ID).Scan(&now)
		if IsMissing(err) || err == nil && ch.Version > 0 && now != ch.Version {
			return errChangedMeanwhile.With(t.RecordID(ch.Record.ID))
		}
		if err != nil {
			return err
		}
		sql, args := changeSQL(workspace, c, ch)
		if _, err := tx.Exec(ctx, sql, pgx.QueryExecModeSimpleProtocol, pgx.StrictNamedArgs(args)); err != nil {
			return err
		}
		return logIn(ctx, tx, Entry{Person: ch.By.ID, Workspace: workspace, Action: "change record",
			Subject: t.RecordID(ch.Record.ID)})
	})
	if SQLState(err) == "23505" {
		return fault.New(fault.Conflict, "key_taken",
			"another record has this key already").Mended("Choose another, or change that record.")
	}
	if err != nil {
		if f, ok := fault.From(err); ok {
			return f
		}
		return fmt.Errorf("change record: %w", err)
	}
	return nil
}

// changeSQL is the statement that changes the record, and writes its history when
// anything is different.
func changeSQL(workspace string, c catalog.Catalog, ch RecordChange) (string, map[string]any) {
	t := ch.Record.Type
	args := map[string]any{"id": ch.Record.ID, "person": ch.By.ID}
	set := []string{}
	names := map[string]string{}
	var changes []schema.Becomes
	n := 0
	for _, f := range t.Fields {
		v, ok := ch.Values[f.Name]
		if !ok {
			continue
		}
		n++
		arg := fmt.Sprintf("v%d", n)
		args[arg] = v
		typed, was := schema.Typed(f, "@"+arg+"::text"), schema.Column(f, "r")
		set = append(set, schema.Value(f.Name)+` = `+typed)
		changes = append(changes, schema.Becomes{Field: f.Name, Is: was + ` is distinct from ` + typed,
			Was: schema.Shown(c, f, was), Now: schema.Shown(c, f, typed)})
		key := func(column, form string) {
			args[arg+"_"+column[1:2]] = form
			set = append(set, column+` = nullif(@`+arg+"_"+column[1:2]+`::text, '')`)
		}
		if f.Normalised() {
			key(schema.Key(f.Name), value.Key(f, v))
		}
		if slices.Contains(t.Title, f.Name) {
			key(schema.Name(f.Name), value.NameKey(v))
			names[f.Name] = `nullif(@` + arg + `_n::text, '')`
		}
	}
	var title []string
	for _, name := range t.Title {
		if sql, ok := names[name]; ok {
			title = append(title, sql)
		} else {
			title = append(title, `r.`+schema.Name(name))
		}
	}
	if len(title) > 0 {
		set = append(set, schema.Title+` = concat_ws(' ', `+strings.Join(title, ", ")+`)`)
	}
	return `
		with todo as materialized (
			select r.id, ` + schema.Changes(changes) + ` as changes from ` + schema.Records(workspace, t.Name) +
		` r where r.id = @id
		),
		changed as (
			update ` + schema.Records(workspace, t.Name) +
		` r set version = r.version + 1, changed_at = now(), changed_by = @person, ` + strings.Join(set, ", ") + `
			from todo t where r.id = t.id and t.changes <> '{}'
			returning r.id, r.version, t.changes
		)
		insert into ` + schema.History(workspace, t.Name) + ` (record_id, version, person, kind, changes)
		select id, version, @person, 'update', changes from changed`, args
}

// mostNote is how long a note may be, in bytes.
const mostNote = 10_000

// AddNote notes something about a record.
func (s *Store) AddNote(ctx context.Context, workspace string, r Record, text string, by Person) error {
	text = strings.TrimSpace(text)
	if text == "" || len(text) > mostNote {
		return fault.Newf(fault.Invalid, "bad_note", "a note has from 1 to %d bytes", mostNote).At(fault.Place{Path: "text"})
	}
	return s.logged(ctx, Entry{Person: by.ID, Workspace: workspace, Action: "add note", Subject: r.Type.RecordID(r.ID)},
		func(tx pgx.Tx) error {
			_, err := tx.Exec(ctx, `insert into notes (workspace, type, record_id, text, person) values ($1, $2, $3, $4, $5)`,
				workspace, r.Type.Name, r.ID, text, by.ID)
			return err
		})
}
