package store

import (
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"

	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"
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
}

// Workspaces lists them.
func (s *Store) Workspaces(ctx context.Context) ([]Workspace, error) {
	var list []Workspace
	if err := s.db.SelectContext(ctx, &list, `select name, label from workspaces order by made_at, name`); err != nil {
		return nil, fmt.Errorf("list workspaces: %w", err)
	}
	return list, nil
}

var workspaceShape = regexp.MustCompile(`^[a-z][a-z0-9_]{0,29}$`)

// AddWorkspace makes a workspace with the standard record types.
func (s *Store) AddWorkspace(ctx context.Context, name, label string) error {
	if !workspaceShape.MatchString(name) {
		return fault.New(fault.Invalid, "bad_name", "a workspace's name starts with a small letter and holds small letters, digits and underscores, at most 30").With(name)
	}
	if strings.TrimSpace(label) == "" {
		label = name
	}
	err := s.inTx(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `insert into workspaces (name, label) values ($1, $2)`, name, label); err != nil {
			return err
		}
		return createWorkspace(ctx, tx, name)
	})
	if sqlState(err) == "23505" {
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
	return s.AddWorkspace(ctx, name, label)
}

func createWorkspace(ctx context.Context, tx *sqlx.Tx, name string) error {
	types, err := catalog.Standard()
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `create schema `+wsSchema(name)); err != nil {
		return err
	}
	for i, t := range types.Types {
		doc, err := json.Marshal(t)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `insert into record_types (workspace, name, position, version, document) values ($1, $2, $3, $4, $5)`,
			name, t.Name, i, t.Version, doc); err != nil {
			return err
		}
		for _, ddl := range recordTableDDL(name, t) {
			if _, err := tx.ExecContext(ctx, ddl); err != nil {
				return fmt.Errorf("record type %s: %w", t.Name, err)
			}
		}
	}
	return nil
}

// Catalog reads the record types of a workspace.
func (s *Store) Catalog(ctx context.Context, workspace string) (catalog.Catalog, error) {
	var docs [][]byte
	if err := s.db.SelectContext(ctx, &docs, `select document from record_types where workspace = $1 order by position, name`, workspace); err != nil {
		return catalog.Catalog{}, fmt.Errorf("read record types: %w", err)
	}
	if len(docs) == 0 {
		return catalog.Catalog{}, fault.New(fault.NotFound, "unknown_workspace", "there is no such workspace").With(workspace)
	}
	var c catalog.Catalog
	for _, d := range docs {
		var t catalog.RecordType
		if err := json.Unmarshal(d, &t); err != nil {
			return c, fmt.Errorf("read record types: %w", err)
		}
		c.Types = append(c.Types, t)
	}
	return c, nil
}

// AddField adds a customer's own field to a record type: the column, the
// indexes and the next version of the description, in one transaction.
func (s *Store) AddField(ctx context.Context, workspace, typeName string, f catalog.Field) (catalog.RecordType, error) {
	c, old, err := s.typeToChange(ctx, workspace, typeName)
	if err != nil {
		return old, err
	}
	t, err := c.AddField(old, f)
	if err != nil {
		return old, err
	}
	f, _ = t.Field(f.Name)
	if err := s.changeType(ctx, workspace, old, t, fieldDDL(workspace, t, f)...); err != nil {
		return old, fmt.Errorf("add field: %w", err)
	}
	return t, nil
}

// AddChoice adds a choice to a field of a record type, or other spellings to one
// that is there.
func (s *Store) AddChoice(ctx context.Context, workspace, typeName, field string, choice catalog.Choice) (catalog.RecordType, error) {
	c, old, err := s.typeToChange(ctx, workspace, typeName)
	if err != nil {
		return old, err
	}
	t, err := c.AddChoice(old, field, choice)
	if err != nil {
		return old, err
	}
	if err := s.changeType(ctx, workspace, old, t); err != nil {
		return old, fmt.Errorf("add choice: %w", err)
	}
	return t, nil
}

func (s *Store) typeToChange(ctx context.Context, workspace, name string) (catalog.Catalog, catalog.RecordType, error) {
	c, err := s.Catalog(ctx, workspace)
	if err != nil {
		return c, catalog.RecordType{}, err
	}
	t, err := c.MustType(name)
	return c, t, err
}

// changeType keeps a changed record type and changes its tables, unless somebody
// else has changed it meanwhile.
func (s *Store) changeType(ctx context.Context, workspace string, old, t catalog.RecordType, ddl ...string) error {
	doc, err := json.Marshal(t)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `update record_types set document = $1, version = $2 where workspace = $3 and name = $4 and version = $5`,
			doc, t.Version, workspace, t.Name, old.Version)
		if err != nil {
			return err
		}
		if n, _ := res.RowsAffected(); n == 0 {
			return fault.New(fault.Conflict, "changed_meanwhile", "somebody else has just changed the record type").With(t.Name).Mended("Look at it again and repeat the change.")
		}
		for _, q := range ddl {
			if _, err := tx.ExecContext(ctx, q); err != nil {
				return err
			}
		}
		return nil
	})
}

func ident(parts ...string) string { return pgx.Identifier(parts).Sanitize() }

func wsSchema(workspace string) string { return ident("w_" + workspace) }

func recordTable(workspace, typeName string) string {
	return ident("w_"+workspace, "r_"+typeName)
}

func historyTable(workspace, typeName string) string {
	return ident("w_"+workspace, "h_"+typeName)
}

// Names of a field's columns: the value, its normal form for keys and look-ups,
// its normal form as part of the title.
func fieldColumn(name string) string { return ident("f_" + name) }
func keyColumn(name string) string   { return ident("k_" + name) }
func nameColumn(name string) string  { return ident("n_" + name) }

const titleColumn = "t_key"

func sqlType(f catalog.Field) string {
	switch f.Type {
	case catalog.Integer, catalog.Reference:
		return "bigint"
	case catalog.Money:
		return fmt.Sprintf("numeric(20, %d)", max(f.Precision, 2))
	case catalog.Decimal, catalog.Percent:
		return "numeric"
	case catalog.Date:
		return "date"
	case catalog.DateTime:
		return "timestamptz"
	case catalog.YesNo:
		return "boolean"
	case catalog.Choices:
		return "text[]"
	}
	return "text"
}

// textOf is the SQL for a column's canonical text.
func textOf(f catalog.Field, column string) string {
	switch f.Type {
	case catalog.DateTime:
		return `to_char(` + column + `, 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`
	case catalog.Choices:
		return `array_to_string(` + column + `, ';')`
	case catalog.Decimal, catalog.Percent:
		return `trim_scale(` + column + `)::text`
	case catalog.Text, catalog.LongText, catalog.Email, catalog.Phone, catalog.URL, catalog.Country, catalog.Language, catalog.Currency, catalog.OneChoice:
		return column
	}
	return column + "::text"
}

// recordTableDDL makes the typed table of a record type and its history. The
// fill factor leaves room for updates in place.
func recordTableDDL(workspace string, t catalog.RecordType) []string {
	table := recordTable(workspace, t.Name)
	ddl := []string{
		`create table ` + table + ` (id bigint primary key, version integer not null default 1,
			created_at timestamptz not null default now(), created_by bigint not null,
			changed_at timestamptz not null default now(), changed_by bigint not null,
			import bigint, ` + titleColumn + ` text collate "C" not null default '') with (fillfactor = 80)`,
		`create index on ` + table + ` (` + titleColumn + `)`,
		`create table ` + historyTable(workspace, t.Name) + ` (record_id bigint not null, version integer not null, at timestamptz not null default now(),
			person bigint not null, import bigint, kind text not null, changes jsonb not null, primary key (record_id, version))`,
	}
	for _, f := range t.Fields {
		ddl = append(ddl, fieldDDL(workspace, t, f)...)
	}
	return ddl
}

func fieldDDL(workspace string, t catalog.RecordType, f catalog.Field) []string {
	table := recordTable(workspace, t.Name)
	ddl := []string{`alter table ` + table + ` add column ` + fieldColumn(f.Name) + ` ` + sqlType(f)}
	if f.Normalised() {
		ddl = append(ddl, `alter table `+table+` add column `+keyColumn(f.Name)+` text collate "C"`)
		unique := ""
		if f.Key {
			unique = "unique "
		}
		ddl = append(ddl, `create `+unique+`index on `+table+` (`+keyColumn(f.Name)+`) where `+keyColumn(f.Name)+` is not null`)
	}
	if slices.Contains(t.Title, f.Name) {
		ddl = append(ddl, `alter table `+table+` add column `+nameColumn(f.Name)+` text collate "C"`)
	}
	return ddl
}
