package store

import (
	"context"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"io/fs"
	"regexp"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/schema"

	"github.com/jackc/pgx/v5"
)

func must[T any](v T, err error) T {
	if err != nil {
		panic(err) // only for what is built into the binary
	}
	return v
}

func subMigrations() (fs.FS, error) { return fs.Sub(migrations, "migrations") }

// Workspace is a set of record types and their records.
type Workspace struct {
	Name  string `db:"name"`
	Label string `db:"label"`
	// Nothing lists texts that stand for nothing here, beside those that do
	// everywhere.
	Nothing JSON[[]string] `db:"nothing"`
	// ClosedAt is since when nothing changes in it; nil for one that is open.
	ClosedAt *time.Time `db:"closed_at"`
	// Filling says that records still come along from another, or why they have not; nil
	// for one whose records are there.
	Filling JSON[*Filling] `db:"filling"`
}

// errClosed says that nothing changes in a workspace.
var errClosed = fault.New(fault.Conflict, "workspace_closed",
	"the workspace is closed: it can be looked at, and nothing in it changes").
	Mended("An administrator opens it again: uchi workspaces open, or at the workspaces in the console.")

// MustBeOpen gives an error when a workspace is closed, or its records have not come along yet.
func (s *Store) MustBeOpen(ctx context.Context, name string) error {
	var closed bool
	if err := s.pool.QueryRow(ctx, `select exists (select from workspaces where name = $1 and closed_at is not null)`,
		name).Scan(&closed); err != nil {
		return fmt.Errorf("look whether workspace %s is closed: %w", name, err)
	}
	if closed {
		return errClosed.With(name)
	}
	f, err := s.Filling(ctx, name)
	switch {
	case err != nil || f == nil:
		return err
	case f.Trouble != nil:
		return errNotFilled.With(name)
	}
	return errFilling.With(name)
}

// mustBeOpenFor is as MustBeOpen, of the workspace of an import, which stays open until the end of
// the transaction.
func mustBeOpenFor(ctx context.Context, tx pgx.Tx, importID int64) error {
	var name string
	var closed bool
	err := tx.QueryRow(ctx, `select w.name, w.closed_at is not null from imports i
		join workspaces w on w.name = i.workspace where i.id = $1 for share of w`, importID).Scan(&name, &closed)
	if err != nil {
		return fmt.Errorf("look whether the workspace is closed: %w", err)
	}
	if closed {
		return errClosed.With(name)
	}
	return nil
}

// CloseWorkspace closes a workspace in which nothing is at work, or opens it again.
func (s *Store) CloseWorkspace(ctx context.Context, name string, closed bool, by int64) error {
	if name == MainWorkspace && closed {
		return errMainStays.With(name)
	}
	action := map[bool]string{true: "close workspace", false: "open workspace"}[closed]
	return s.logged(ctx, Entry{Person: by, Workspace: name, Action: action, Subject: name}, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update workspaces set closed_at = case when $2 then coalesce(closed_at, now()) end
			where name = $1`, name, closed)
		if err != nil {
			return fmt.Errorf("%s: %w", action, err)
		}
		if tag.RowsAffected() == 0 {
			return ErrNoWorkspace.With(name)
		}
		var busy bool // with nothing begun until this is through
		err = tx.QueryRow(ctx, `select exists (select from imports where workspace = $1 and run is not null)
			or exists (select from feeds where workspace = $1 and run is not null)`, name).Scan(&busy)
		if err != nil {
			return fmt.Errorf("%s: %w", action, err)
		}
		if busy && closed {
			return workspaceBusy(name)
		}
		return nil
	})
}

// ErrNoWorkspace says that there is no such workspace, or none that the person may look at.
var ErrNoWorkspace = fault.New(fault.NotFound, "unknown_workspace", "there is no such workspace")

// MustWorkspace gives an error when there is no such workspace.
func (s *Store) MustWorkspace(ctx context.Context, name string) error {
	var there bool
	if err := s.db.GetContext(ctx, &there, `select exists (select from workspaces where name = $1)`, name); err != nil {
		return fmt.Errorf("look for workspace %s: %w", name, err)
	}
	if !there {
		return ErrNoWorkspace.With(name)
	}
	return nil
}

// Workspaces lists them.
func (s *Store) Workspaces(ctx context.Context) ([]Workspace, error) {
	var list []Workspace
	if err := s.db.SelectContext(ctx, &list, `
		select w.name, w.label, to_jsonb(w.nothing) as nothing, w.closed_at, case when c.workspace is not null then `+
		fillingOf+` end as filling
		from workspaces w left join copies c on c.workspace = w.name left join copy_progress p on p.workspace = w.name
		order by w.made_at, w.name`); err != nil {
		return nil, fmt.Errorf("list workspaces: %w", err)
	}
	return list, nil
}

// Bounds of the texts that stand for nothing in a workspace.
const (
	mostNothing    = 200
	longestNothing = 60 // bytes
)

// SetNothing sets which texts stand for nothing in a workspace, beside those that
// do everywhere.
func (s *Store) SetNothing(ctx context.Context, name string, words []string, by int64) error {
	list := []string{}
	for _, w := range words {
		w = strings.TrimSpace(w)
		if len(w) > longestNothing {
			return fault.Newf(fault.Invalid, "too_long", "a text that stands for nothing has at most %d bytes",
				longestNothing).At(fault.Place{Path: "nothing"}).With(w)
		}
		if w != "" && !slices.Contains(list, w) {
			list = append(list, w)
		}
	}
	if len(list) > mostNothing {
		return fault.Newf(fault.Invalid, "too_many", "a workspace keeps at most %d texts that stand for nothing",
			mostNothing).At(fault.Place{Path: "nothing"})
	}
	changed := &Changed{}
	return s.logged(ctx, Entry{Person: by, Workspace: name, Action: "change workspace", Subject: name,
		Changed: changed}, func(tx pgx.Tx) error {
		var was []string
		err := tx.QueryRow(ctx, `
			with was as materialized (select nothing from workspaces where name = $1 for update)
			update workspaces set nothing = $2 where name = $1 returning (select nothing from was)`, name, list).Scan(&was)
		if IsMissing(err) {
			return ErrNoWorkspace.With(name)
		}
		changed.Set(map[string]any{"nothing": append([]string{}, was...)}, map[string]any{"nothing": list})
		return err
	})
}

var workspaceShape = regexp.MustCompile(`^[a-z][a-z0-9_]{0,29}$`)

// AddWorkspace makes a workspace with the standard record types.
func (s *Store) AddWorkspace(ctx context.Context, name, label string, by int64) error {
	name, label, err := named(name, label)
	if err != nil {
		return err
	}
	err = s.logged(ctx, Entry{Person: by, Workspace: name, Action: "add workspace", Subject: name}, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `insert into workspaces (name, label) values ($1, $2)`, name, label); err != nil {
			return err
		}
		return createWorkspace(ctx, tx, name)
	})
	return workspaceTrouble(err, name)
}

// named sees that a name can be one of a workspace; without words for people it is
// called by its name.
func named(name, label string) (string, string, error) {
	if !workspaceShape.MatchString(name) {
		return "", "", fault.New(fault.Invalid, "bad_name", "a workspace's name starts with a small letter and holds small "+
			"letters, digits and underscores, at most 30").With(name)
	}
	if label = strings.TrimSpace(label); label == "" {
		label = name
	}
	return name, label, nil
}

func workspaceTrouble(err error, name string) error {
	if SQLState(err) == "23505" {
		return fault.New(fault.Conflict, "workspace_exists", "there is already a workspace of this name").With(name)
	}
	if err != nil {
		return fmt.Errorf("make workspace: %w", err)
	}
	return nil
}

func (s *Store) ensureWorkspace(ctx context.Context, name, label string) error {
	var n int
	if err := s.db.GetContext(ctx, &n, `select count(*) from workspaces where name = $1`, name); err != nil {
		return fmt.Errorf("look for workspace %s: %w", name, err)
	}
	if n > 0 {
		return nil
	}
	return s.AddWorkspace(ctx, name, label, 0)
}

func createWorkspace(ctx context.Context, tx pgx.Tx, name string) error {
	types, err := catalog.Standard()
	if err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `create schema `+schema.Workspace(name)); err != nil {
		return err
	}
	for i, t := range types.Types {
		doc, err := json.Marshal(t)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `insert into record_types (workspace, name, position, version, document, edition, learned)
			values ($1, $2, $3, $4, $5, $6, $7)`,
			name, t.Name, i, t.Version, doc, schema.Edition, lesson(doc))
		if err != nil {
			return err
		}
		if err := runDDL(ctx, tx, schema.Make(name, t)); err != nil {
			return fmt.Errorf("record type %s: %w", t.Name, err)
		}
	}
	return nil
}

// lesson is the mark of what the product knows of a standard type.
func lesson(document []byte) string {
	h := fnv.New64a()
	h.Write(document) //nolint:errcheck // never fails
	return fmt.Sprintf("%x", h.Sum64())
}

func runDDL(ctx context.Context, tx pgx.Tx, ddl []string) error {
	for _, q := range ddl {
		if _, err := tx.Exec(ctx, q); err != nil {
			return err
		}
	}
	return nil
}

// evolve brings the record tables of all workspaces to the present edition, and
// lets their standard types learn what the product has learned.
func (s *Store) evolve(ctx context.Context) error {
	standard, err := catalog.Standard()
	if err != nil {
		return err
	}
	var workspaces []string
	if err := s.db.SelectContext(ctx, &workspaces, `select name from workspaces order by name`); err != nil {
		return fmt.Errorf("list workspaces: %w", err)
	}
	for _, ws := range workspaces {
		err := s.inTx(ctx, func(tx pgx.Tx) error { return evolveWorkspace(ctx, tx, ws, standard) })
		if err != nil {
			return fmt.Errorf("bring workspace %s up to date: %w", ws, err)
		}
	}
	return nil
}

// kept is a record type as a workspace keeps it.
type kept struct {
	Name     string `db:"name"`
	Position int    `db:"position"`
	Document []byte `db:"document"`
	Edition  int    `db:"edition"`
	Learned  string `db:"learned"`
}

func evolveWorkspace(ctx context.Context, tx pgx.Tx, ws string, standard catalog.Catalog) error {
	rows, err := tx.Query(ctx, `select name, position, document, edition, learned from record_types where workspace = $1
		order by position, name for update`, ws)
	if err != nil {
		return err
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByName[kept])
	if err != nil {
		return err
	}
	for _, k := range list {
		var t catalog.RecordType
		if err := json.Unmarshal(k.Document, &t); err != nil {
			return err
		}
		ddl := schema.Upgrade(ws, t, k.Edition)
		learned, next := k.Learned, t
		if st, ok := standard.Type(k.Name); ok && !t.Own {
			doc, err := json.Marshal(st)
			if err != nil {
				return err
			}
			if learned = lesson(doc); learned != k.Learned {
				next = t.Learned(st)
				ddl = append(ddl, schema.Change(ws, t, next)...)
			}
		}
		if k.Edition == schema.Edition && learned == k.Learned {
			continue
		}
		if err := runDDL(ctx, tx, ddl); err != nil {
			return fmt.Errorf("record type %s: %w", k.Name, err)
		}
		doc, err := json.Marshal(next)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update record_types set document = $3, version = $4, edition = $5, learned = $6
			where workspace = $1 and name = $2`,
			ws, k.Name, doc, next.Version, schema.Edition, learned)
		if err != nil {
			return err
		}
	}
	return addMissingTypes(ctx, tx, ws, standard, list)
}

// addMissingTypes adds standard types that the product has learned since.
func addMissingTypes(ctx context.Context, tx pgx.Tx, ws string, standard catalog.Catalog, list []kept) error {
	for i, t := range standard.Types {
		if slices.ContainsFunc(list, func(k kept) bool { return k.Name == t.Name }) {
			continue
		}
		doc, err := json.Marshal(t)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `insert into record_types (workspace, name, position, version, document, edition, learned)
			values ($1, $2, $3, $4, $5, $6, $7)`,
			ws, t.Name, i, t.Version, doc, schema.Edition, lesson(doc))
		if err != nil {
			return err
		}
		if err := runDDL(ctx, tx, schema.Make(ws, t)); err != nil {
			return fmt.Errorf("record type %s: %w", t.Name, err)
		}
	}
	return nil
}

// seenTypes are the record types of a workspace as they were read last.
type seenTypes struct {
	rows  string // the versions of their rows, which tell whether any has changed
	types []catalog.RecordType
}

// catalog reads the record types of a workspace, whole. Their descriptions are long and seldom change, so that they are only
// read when one of their rows has.
func (s *Store) catalog(ctx context.Context, workspace string) (catalog.Catalog, error) {
	var c catalog.Catalog
	var rows *string
	err := s.pool.QueryRow(ctx, `select (select string_agg(xmin::text || ctid::text, ' ' order by position, name) from record_types
		where workspace = $1), (select nothing from workspaces where name = $1)`, workspace).Scan(&rows, &c.Nothing)
	if err != nil {
		return c, fmt.Errorf("read workspace %s: %w", workspace, err)
	}
	if rows == nil {
		s.seen.Delete(workspace)
		return c, ErrNoWorkspace.With(workspace)
	}
	if known, ok := s.seen.Load(workspace); ok && known.(seenTypes).rows == *rows {
		for _, t := range known.(seenTypes).types {
			c.Types = append(c.Types, t.Copy())
		}
		return c, nil
	}
	var docs []string
	if err := s.db.SelectContext(ctx, &docs, `select document from record_types where workspace = $1
		order by position, name`, workspace); err != nil {
		return c, fmt.Errorf("read record types: %w", err)
	}
	for _, d := range docs {
		t, err := s.types.Read(d)
		if err != nil {
			return c, err
		}
		c.Types = append(c.Types, t)
	}
	kept := make([]catalog.RecordType, len(c.Types))
	for n, t := range c.Types {
		kept[n] = t.Copy()
	}
	s.seen.Store(workspace, seenTypes{*rows, kept})
	return c, nil
}

// Writes tells how often record types have been written to, together; taken
// before the check, it lets the load see whether anybody has written since.
func (s *Store) Writes(ctx context.Context, workspace string, types []string) (int64, error) {
	var n int64
	err := s.db.GetContext(ctx, &n, `select coalesce(sum(writes), 0) from record_types where workspace = $1
		and name = any($2)`, workspace, types)
	return n, err
}

// ChangeType changes a record type of a workspace: its description becomes that
// which change gives, its tables follow, and the log says so, in one
// transaction. A version above 0 is that of the description which the change was
// made on: an older one is refused.
func (s *Store) ChangeType(ctx context.Context, workspace, typeName string, version int, by int64, action string,
	change func(c catalog.Catalog, t catalog.RecordType) (catalog.RecordType, error)) (catalog.RecordType, error) {
	c, err := s.catalog(ctx, workspace)
	if err != nil {
		return catalog.RecordType{}, err
	}
	old, err := c.MustType(typeName)
	if err != nil {
		return old, err
	}
	if err := OnVersion(version, old.Version, typeName); err != nil {
		return old, err
	}
	t, err := change(c, old)
	if err != nil {
		return old, err
	}
	doc, err := json.Marshal(t)
	if err != nil {
		return old, err
	}
	err = s.whileNoneIsMade(ctx, func() error {
		return s.logged(ctx, Entry{Person: by, Workspace: workspace, Action: action, Subject: typeName,
			Changed: &Changed{old, t}}, func(tx pgx.Tx) error {
			tag, err := tx.Exec(ctx, `update record_types set document = $1, version = $2 where workspace = $3 and name = $4
				and version = $5`, doc, t.Version, workspace, t.Name, old.Version)
			if err != nil {
				return err
			}
			if tag.RowsAffected() == 0 {
				return errChangedMeanwhile.With(typeName)
			}
			if err := runDDL(ctx, tx, schema.Change(workspace, old, t)); err != nil {
				return err
			}
			if err := dropOutgrown(ctx, tx, workspace, old, t); err != nil {
				return err
			}
			return renameChoices(ctx, tx, workspace, t)
		})
	})
	if err != nil {
		if f, ok := fault.From(err); ok {
			return old, f
		}
		return old, fmt.Errorf("change record type: %w", err)
	}
	return t, nil
}

// AddType adds a record type of the customer's own to a workspace, and makes its
// tables.
func (s *Store) AddType(ctx context.Context, workspace string, t catalog.RecordType, by int64) error {
	doc, err := json.Marshal(t)
	if err != nil {
		return err
	}
	err = s.logged(ctx, Entry{Person: by, Workspace: workspace, Action: "add record type", Subject: t.Name,
		Changed: &Changed{nil, t}}, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `
			insert into record_types (workspace, name, position, version, document, edition, learned)
			select $1, $2, coalesce(max(position), 0) + 1, $3, $4, $5, '' from record_types where workspace = $1`,
			workspace, t.Name, t.Version, doc, schema.Edition)
		if err != nil {
			return err
		}
		return runDDL(ctx, tx, schema.Make(workspace, t))
	})
	if SQLState(err) == "23505" {
		return fault.New(fault.Conflict, "type_exists", "there is already a record type of this name").With(t.Name)
	}
	if err != nil {
		return fmt.Errorf("add record type: %w", err)
	}
	return nil
}

// renameChoices lets what was chosen for headers follow fields that were renamed.
func renameChoices(ctx context.Context, tx pgx.Tx, workspace string, t catalog.RecordType) error {
	for _, f := range t.Fields {
		if len(f.Was) == 0 {
			continue
		}
		_, err := tx.Exec(ctx, `update header_choices set field = $3 where workspace = $1 and type = $2
			and field = any($4)`, workspace, t.Name, f.Name, f.Was)
		if err != nil {
			return err
		}
	}
	return nil
}

var errChangedMeanwhile = fault.New(fault.Stale, "changed_meanwhile",
	"somebody else has changed this meanwhile").Mended("Look at it again and repeat the change.")
