package store

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/view"
	"uchi/internal/schema"

	"github.com/jackc/pgx/v5"
)

// Link is a record as another points to it.
type Link struct {
	Type  string `json:"type"`
	ID    string `json:"id"`
	Title string `json:"title"`
}

// Record is one record with its values as canonical texts.
type Record struct {
	Type      catalog.RecordType
	ID        int64
	Version   int
	Title     string
	Values    map[string]string
	Links     map[string]Link // reference fields
	CreatedAt time.Time
	CreatedBy string
	ChangedAt time.Time
	ChangedBy string
	Import    *int64
}

// RecordFilter chooses and orders records of a type.
type RecordFilter struct {
	view.View
	Text   string // beginning of a title or word in it, an id, an e-mail
	Import int64  // only those that it made
	After  string // cursor of the page before
	Limit  int
}

func (q *recordSQL) scan(row pgx.CollectableRow) (Record, error) {
	r := Record{Type: q.t, Values: map[string]string{}, Links: map[string]Link{}}
	var values, links []string
	if err := row.Scan(&r.ID, &r.Version, &r.Title, &values, &links, &r.CreatedAt, &r.CreatedBy, &r.ChangedAt,
		&r.ChangedBy, &r.Import, &q.at); err != nil {
		return r, err
	}
	n := 0
	for i, p := range q.shown.Columns {
		v := values[i]
		if v != "" {
			r.Values[p.Name] = v
		}
		if p.Field.Type == catalog.Reference && !p.Own {
			if v != "" {
				r.Links[p.Name] = Link{Type: p.Field.To, ID: v, Title: links[n]}
			}
			n++
		}
	}
	if r.Title == "" {
		r.Title = q.t.RecordID(r.ID)
	}
	return r, nil
}

// Records gives a page of records and the cursor of the next, empty at the end.
func (s *Store) Records(ctx context.Context, workspace, typeName string, f RecordFilter) ([]Record, string, error) {
	q, err := s.recordSQL(ctx, workspace, typeName, f)
	if err != nil {
		return nil, "", err
	}
	sql, err := q.page(f.After, f.Limit+1)
	if err != nil {
		return nil, "", err
	}
	began := time.Now()
	rows, err := s.pool.Query(ctx, sql, q.args...)
	if err != nil {
		return nil, "", fmt.Errorf("list records: %w", err)
	}
	defer rows.Close()
	var list []Record
	next := ""
	for rows.Next() {
		if len(list) == f.Limit {
			next = cursor(q.at)
			break
		}
		r, err := q.scan(rows)
		if err != nil {
			return nil, "", fmt.Errorf("list records: %w", err)
		}
		list = append(list, r)
	}
	rows.Close()
	if err := rows.Err(); err != nil {
		if f.After != "" && strings.HasPrefix(SQLState(err), dataException) {
			return nil, "", badCursor(f.After)
		}
		return nil, "", fmt.Errorf("list records: %w", err)
	}
	s.noteSlow(ctx, q, time.Since(began))
	return list, next, nil
}

// EachRecord calls each with all records that a filter chooses, in its order, as a
// stream.
func (s *Store) EachRecord(ctx context.Context, workspace, typeName string, f RecordFilter,
	each func(Record) error) error {
	q, err := s.recordSQL(ctx, workspace, typeName, f)
	if err != nil {
		return err
	}
	rows, err := s.pool.Query(ctx, q.all(), q.args...)
	if err != nil {
		return fmt.Errorf("read records: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		r, err := q.scan(rows)
		if err != nil {
			return fmt.Errorf("read records: %w", err)
		}
		if err := each(r); err != nil {
			return err
		}
	}
	if err := rows.Err(); err != nil {
		return fmt.Errorf("read records: %w", err)
	}
	return nil
}

// CountChosen tells how many records a filter chooses.
func (s *Store) CountChosen(ctx context.Context, workspace, typeName string, f RecordFilter) (n int64, err error) {
	q, err := s.recordSQL(ctx, workspace, typeName, f)
	if err != nil {
		return 0, err
	}
	where := q.where()
	began := time.Now()
	if err := s.pool.QueryRow(ctx, `select count(*)`+q.from()+where, q.args...).Scan(&n); err != nil {
		return 0, fmt.Errorf("count records: %w", err)
	}
	q.shown.Sort = nil // which counting does not wait for
	s.noteSlow(ctx, q, time.Since(began))
	return n, nil
}

// Record reads one record by its id as people write it.
func (s *Store) Record(ctx context.Context, workspace, typeName, id string) (Record, error) {
	q, err := s.recordSQL(ctx, workspace, typeName, RecordFilter{})
	if err != nil {
		return Record{}, err
	}
	n, err := q.t.ParseRecordID(id)
	if err != nil {
		return Record{}, err
	}
	columns := q.selects()
	rows, err := s.pool.Query(ctx, `select `+columns+q.withPeople()+` where r.id = $1`, n)
	if err != nil {
		return Record{}, fmt.Errorf("read record: %w", err)
	}
	r, err := pgx.CollectExactlyOneRow(rows, q.scan)
	if IsMissing(err) {
		return r, fault.New(fault.NotFound, "unknown_record", "there is no such "+strings.ToLower(q.t.Label)).With(id)
	}
	if err != nil {
		return r, fmt.Errorf("read record: %w", err)
	}
	return r, nil
}

// MissingRecords tells which of these records are not there.
func (s *Store) MissingRecords(ctx context.Context, workspace, typeName string, ids []int64) (map[int64]bool, error) {
	missing := map[int64]bool{}
	var list []int64
	err := s.db.SelectContext(ctx, &list, `select x from unnest($1::bigint[]) x where not exists (select from `+
		schema.Records(workspace, typeName)+` r where r.id = x)`, ids)
	if err != nil {
		return nil, fmt.Errorf("look for records: %w", err)
	}
	for _, id := range list {
		missing[id] = true
	}
	return missing, nil
}

// Event is one entry of a record's history.
type Event struct {
	Version int                         `db:"version"`
	At      time.Time                   `db:"at"`
	Person  string                      `db:"person"`
	Import  *int64                      `db:"import"`
	Kind    string                      `db:"kind"` // create, update, delete, restore, note or file
	Changes JSON[map[string][2]*string] `db:"changes"`
	Undo    bool                        `db:"undo"` // it took something back
	Text    string                      `db:"text"` // of a note
	Was     []byte                      `db:"was"`  // of a deleted record: its row
	Type    string                      `db:"type"` // of the record that is the note, or has the file
	Record  int64                       `db:"record"`
	File    string                      `db:"file"` // what the file holds, as its SHA-256
}

// told is the SQL of the records that stand on the timeline of those of a type, such
// as notes and attachments, as events; @id is the number of the record.
func told(c catalog.Catalog, workspace, typeName string) (sql string) {
	for _, p := range c.PointingTo(typeName) {
		l := p.Type.Timeline
		if l == nil {
			continue
		}
		text := func(name string) string {
			f, ok := p.Type.Field(name)
			if !ok {
				return `''`
			}
			return `coalesce(` + schema.Text(f, schema.Column(f, "n")) + `, '')`
		}
		kind, at := `'note'`, `n.created_at`
		if l.File != "" {
			kind = `'file'`
		}
		if f, ok := p.Type.Field(l.At); ok {
			at = `coalesce(` + schema.Column(f, "n") + `::timestamptz, n.created_at)`
		}
		by := `(select name from people where id = n.created_by)`
		if l.By != "" {
			by = `coalesce(nullif(` + text(l.By) + `, ''), ` + by + `)`
		}
		sql += `
			union all
			select n.version, ` + at + `, ` + by + `, n.import, ` + kind + `, '{}', false, ` + text(l.Text) + `, null, ` +
			schema.Literal(p.Type.Name) + `, n.id, ` + text(l.File) + `
			from ` + schema.Records(workspace, p.Type.Name) + ` n where ` + schema.Column(p.Field, "n") + ` = @id`
	}
	return sql
}

// History gives what happened to a record, newest first; that of a deleted
// record can be read as well. The making of a record that is there is told by
// the record itself. Nothing is found for an id that no record ever had.
func (s *Store) History(ctx context.Context, workspace string, t catalog.RecordType, id string) ([]Event, error) {
	n, err := t.ParseRecordID(id)
	if err != nil {
		return nil, err
	}
	c, err := s.Catalog(ctx, workspace)
	if err != nil {
		return nil, err
	}
	seen, err := c.MustType(t.Name)
	if err != nil {
		return nil, err
	}
	rows, err := s.pool.Query(ctx, `
		select * from (
			select h.version, h.at, coalesce((select p.name from people p
			where p.id = h.person), '') as person, h.import, h.kind, h.changes,
				coalesce((select r.work = 'undo' from runs r
				where r.id = h.run), false) as undo, '' as text, convert_to(h.was::text, 'UTF8') as was, '' as type, 0::bigint as record, '' as file
			from `+schema.History(workspace, t.Name)+` h where h.record_id = @id
			union all
			select 0, o.at, coalesce((select p.name from people p
			where p.id = o.person), ''), null, 'note', '{}', false, o.text, null, '', 0, ''
			from notes o where o.workspace = @workspace and o.type = @type and o.record_id = @id`+told(c, workspace, t.Name)+`
		) x order by at desc, version desc limit 500`, pgx.StrictNamedArgs{"id": n, "workspace": workspace, "type": t.Name})
	if err != nil {
		return nil, fmt.Errorf("read history: %w", err)
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByName[Event])
	if err != nil {
		return nil, fmt.Errorf("read history: %w", err)
	}
	kept := func(name string, _ [2]*string) bool { return slices.Contains(seen.Kept, name) }
	for n := range list {
		if err := list[n].tellRow(c, t); err != nil {
			return nil, err
		}
		maps.DeleteFunc(list[n].Changes.V, kept)
	}
	r, err := s.Record(ctx, workspace, t.Name, id)
	if fault.Is(err, "unknown_record") && len(list) > 0 {
		return list, nil
	}
	if err != nil {
		return nil, err
	}
	return append(list, Event{Version: 1, At: r.CreatedAt, Person: r.CreatedBy, Import: r.Import, Kind: "create"}), nil
}

// tellRow tells what a record was when it was deleted, or came back, as changes, from its row.
func (e *Event) tellRow(c catalog.Catalog, t catalog.RecordType) error {
	if e.Kind != "delete" && e.Kind != "restore" || len(e.Was) == 0 || len(e.Changes.V) > 0 {
		return nil
	}
	e.Changes.V = map[string][2]*string{}
	err := schema.NewRowReader(t).Read(e.Was, func(n int, v string) {
		f := t.Fields[n]
		if f.Type == catalog.Reference {
			target, _ := c.Type(f.To)
			v = target.Prefix + "-" + v
		}
		if e.Kind == "delete" {
			e.Changes.V[f.Name] = [2]*string{&v, nil}
		} else {
			e.Changes.V[f.Name] = [2]*string{nil, &v}
		}
	})
	if err != nil {
		return fmt.Errorf("read history: %w", err)
	}
	return nil
}

// Referring is the records of one type that point to a record by one field.
type Referring struct {
	Type    catalog.RecordType
	Field   catalog.Field
	Count   int64
	Records []Link
}

// ReferringTo finds what points to a record, a few records for each field.
func (s *Store) ReferringTo(ctx context.Context, workspace string, r Record, limit int) ([]Referring, error) {
	c, err := s.Catalog(ctx, workspace)
	if err != nil {
		return nil, err
	}
	var out []Referring
	for _, p := range c.PointingTo(r.Type.Name) {
		ref := Referring{Type: p.Type, Field: p.Field}
		rows, err := s.pool.Query(ctx, `select x.id, `+schema.TitleText(p.Type, "x")+`, count(*) over () from `+
			schema.Records(workspace, p.Type.Name)+` x
			where `+schema.Column(p.Field, "x")+` = $1 order by x.id limit $2`, r.ID, limit)
		if err != nil {
			return nil, fmt.Errorf("find what refers to the record: %w", err)
		}
		var id int64
		var title string
		if _, err := pgx.ForEachRow(rows, []any{&id, &title, &ref.Count}, func() error {
			ref.Records = append(ref.Records, Link{Type: p.Type.Name, ID: p.Type.RecordID(id), Title: title})
			return nil
		}); err != nil {
			return nil, fmt.Errorf("find what refers to the record: %w", err)
		}
		if ref.Count > 0 {
			out = append(out, ref)
		}
	}
	return out, nil
}

// CountRecords tells about how many records each type has; exact while there
// are few.
func (s *Store) CountRecords(ctx context.Context, workspace string) (map[string]int64, error) {
	c, err := s.Catalog(ctx, workspace)
	if err != nil {
		return nil, err
	}
	counts := map[string]int64{}
	for _, t := range c.Types {
		table := schema.Records(workspace, t.Name)
		var n int64
		err := s.db.GetContext(ctx, &n, `select case when c.reltuples < 50000 then (select count(*) from `+table+
			`) else c.reltuples::bigint end from pg_class c where c.oid = $1::regclass`, table)
		if err != nil {
			return nil, fmt.Errorf("count records: %w", err)
		}
		counts[t.Name] = n
	}
	return counts, nil
}

// LikeEscape writes a text so that LIKE takes it as it stands.
func LikeEscape(s string) string {
	return strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(s)
}
