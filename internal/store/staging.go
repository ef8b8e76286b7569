package store

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
	"uchi/internal/core/verdict"
)

// Staging is one set of unlogged tables per import, derived from source,
// routine and records, and dropped when the import is cleaned up:
//
//	cells     the cells of each row
//	draft     the typed draft of each row with its normal forms
//	aside     the rows that are left out, and why
//	problems  what is wrong, by row
//	links     the records that the texts in reference columns name
//	settled   the answers that people gave
//	matches   the record that each row was found to be
//	questions, candidates  what a person must say, and what there is to choose from
//	repeats   rows that are for the same record as another
//	became    the record that a draft is for, where others point to it
//	verdicts  what each row would do, with the difference
//	anchors   every thousandth row of each verdict and outcome
//
// Outcomes are logged: they are results and not derived.
func stage(id int64, part string) string {
	return ident("staging", fmt.Sprintf("i%d_%s", id, part))
}

// tryPart stands before the parts of a check that is only tried on a sample.
const tryPart = "try_"

func (s *Store) exec(ctx context.Context, statements ...string) error {
	for _, q := range statements {
		if _, err := s.pool.Exec(ctx, q); err != nil {
			return fmt.Errorf("%w (in: %s)", err, firstLine(q))
		}
	}
	return nil
}

func firstLine(q string) string {
	line, _, _ := strings.Cut(strings.TrimSpace(q), "\n")
	return line
}

func (s *Store) dropStaging(ctx context.Context, id int64) error {
	if err := s.dropDerived(ctx, id, ""); err != nil {
		return err
	}
	if err := s.exec(ctx, `drop table if exists `+stage(id, "cells")); err != nil {
		return fmt.Errorf("drop staging: %w", err)
	}
	return nil
}

// dropDerived drops what a check has made, or with tryPart what one that was
// only tried has.
func (s *Store) dropDerived(ctx context.Context, id int64, before string) error {
	var there []string
	if err := s.db.SelectContext(ctx, &there, `select tablename from pg_tables where schemaname = 'staging' and starts_with(tablename, $1)`, fmt.Sprintf("i%d_%s", id, before)); err != nil {
		return fmt.Errorf("drop staging: %w", err)
	}
	var tables []string
	for _, name := range there {
		part := strings.TrimPrefix(name, fmt.Sprintf("i%d_", id))
		if !slices.Contains(keptParts, part) && strings.HasPrefix(part, tryPart) == (before == tryPart) {
			tables = append(tables, ident("staging", name))
		}
	}
	if len(tables) == 0 {
		return nil
	}
	if err := s.exec(ctx, `drop table if exists `+strings.Join(tables, ", ")); err != nil {
		return fmt.Errorf("drop staging: %w", err)
	}
	return nil
}

// keptParts are the tables that outlive a check.
var keptParts = []string{"cells", "outcomes", "draft_outcomes"}

// anchorStep is the distance of the rows whose numbers are kept, so that a page
// at any place of a large sheet is found without counting from the top.
const anchorStep = 1000

// anchorsOf is the SQL that notes every thousandth row of each word in a column
// of a table.
func anchorsOf(stage func(part string) string, part, column string) string {
	return fmt.Sprintf(`insert into %s select %s, (n - 1) / %d, row_no from (select %s, row_no, row_number() over (partition by %s order by row_no) as n from %s) x where n %% %d = 1`,
		stage("anchors"), column, anchorStep, column, column, stage(part), anchorStep)
}

// CellWriter stages the cells of a source.
type CellWriter struct {
	store   *Store
	id      int64
	copy    *copyStream
	Anchors []int64
}

// StageCells begins to stage the cells of an import anew.
func (s *Store) StageCells(ctx context.Context, id int64) (*CellWriter, error) {
	if err := s.dropStaging(ctx, id); err != nil {
		return nil, err
	}
	if err := s.exec(ctx, `create unlogged table `+stage(id, "cells")+` (row_no bigint not null, cells text[] not null)`); err != nil {
		return nil, fmt.Errorf("stage cells: %w", err)
	}
	return &CellWriter{store: s, id: id, copy: copyInto(ctx, s.pool, stage(id, "cells"), []string{"row_no", "cells"})}, nil
}

// Add stages one row.
func (w *CellWriter) Add(row sheet.Row) error {
	if w.copy.rows%anchorStep == 0 {
		w.Anchors = append(w.Anchors, row.Number)
	}
	w.copy.row(2)
	w.copy.int64(row.Number)
	w.copy.texts(row.Cells)
	return w.copy.flush()
}

// Rows is how many rows were staged.
func (w *CellWriter) Rows() int64 { return w.copy.rows }

// End finishes the staging, or gives it up when failed is not nil.
func (w *CellWriter) End(ctx context.Context, failed error) error {
	if err := w.copy.end(failed); err != nil {
		return err
	}
	return w.store.exec(ctx, `alter table `+stage(w.id, "cells")+` add primary key (row_no)`, `analyze `+stage(w.id, "cells"))
}

// HasCells reports whether the cells are staged; after a crash of the database
// unlogged tables are empty.
func (s *Store) HasCells(ctx context.Context, i Import) (bool, error) {
	var there bool
	if err := s.db.GetContext(ctx, &there, `select to_regclass($1) is not null`, stage(i.ID, "cells")); err != nil || !there {
		return false, err
	}
	if i.Rows == 0 {
		return true, nil
	}
	err := s.db.GetContext(ctx, &there, `select exists (select from `+stage(i.ID, "cells")+`)`)
	return there, err
}

func (s *Store) hasTable(ctx context.Context, id int64, part string) (bool, error) {
	var there bool
	err := s.db.GetContext(ctx, &there, `select to_regclass($1) is not null`, stage(id, part))
	return there, err
}

// EachRow streams the staged rows in their order: all, or with every above 1 as
// a sample each row of a number that it divides, and with most above 0 so many
// at most. It says of each whether it has a final outcome, and is not to be
// checked again; without done such rows are left out.
func (s *Store) EachRow(ctx context.Context, id, every, most int64, done bool, f func(row sheet.Row, done bool) error) error {
	query := fmt.Sprintf(`select c.row_no, c.cells from %s c where c.row_no %% %d = 0`, stage(id, "cells"), max(every, 1))
	if there, err := s.hasTable(ctx, id, "outcomes"); err != nil {
		return err
	} else if there {
		final := `exists (select from ` + stage(id, "outcomes") + ` o where o.row_no = c.row_no and o.outcome not in ('held', 'failed'))`
		if done {
			query = strings.Replace(query, `c.cells`, `c.cells, case when `+final+` then 1::bigint end`, 1)
		} else {
			query += ` and not ` + final
		}
	}
	query += ` order by c.row_no`
	if most > 0 {
		query += ` limit ` + itoa(most)
	}
	var cells []string
	return copyOut(ctx, s.pool, query, func(f2 [][]byte) error {
		cells = textArray(f2[1], cells)
		return f(sheet.Row{Number: int64Of(f2[0]), Cells: cells}, len(f2) > 2 && f2[2] != nil)
	})
}

// DraftWriter stages the typed drafts of rows and their problems.
type DraftWriter struct {
	check    *Check
	drafts   []*draftStream
	aside    *copyStream // one for all drafts, so that few connections do
	problems *copyStream
}

// draftStream stages one of the drafts of each row.
type draftStream struct {
	plan    *mapping.DraftPlan
	table   string
	targets map[string]catalog.RecordType
	isTitle map[string]bool
	columns []string
	drafts  *copyStream
}

// draftColumn is one column of the draft table.
type draftColumn struct{ name, sqlType string }

// Names of a reference's columns in the draft table: the text it was given as,
// in the normal forms of keys and of names.
func textColumn(name string) string      { return ident("l_" + name) }
func reachNameColumn(name string) string { return ident("m_" + name) }

func draftColumns(plan *mapping.DraftPlan) []draftColumn {
	cols := []draftColumn{{"row_no", "bigint not null"}, {"cleared", "text[]"}}
	if plan.NewerBy {
		cols = append(cols, draftColumn{"newer_at", "timestamptz"})
	}
	if plan.HasID {
		cols = append(cols, draftColumn{"id", "bigint"})
	}
	title := titleSet(plan.Type)
	for _, fp := range plan.Fields {
		f := fp.Field
		cols = append(cols, draftColumn{fieldColumn(f.Name), sqlType(f)})
		if f.Type == catalog.Reference {
			cols = append(cols, draftColumn{textColumn(f.Name), `text collate "C"`}, draftColumn{reachNameColumn(f.Name), `text collate "C"`})
		}
		if f.Normalised() {
			cols = append(cols, draftColumn{keyColumn(f.Name), `text collate "C"`})
		}
		if title[f.Name] {
			cols = append(cols, draftColumn{nameColumn(f.Name), `text collate "C"`})
		}
	}
	return cols
}

func titleSet(t catalog.RecordType) map[string]bool {
	set := map[string]bool{}
	for _, n := range t.Title {
		set[n] = true
	}
	return set
}

var problemColumns = []string{"row_no", "code", "field", "col", "value", "detail"}

// StageDrafts begins to stage the drafts of the check anew.
func (k *Check) StageDrafts(ctx context.Context) (*DraftWriter, error) {
	if err := k.store.dropDerived(ctx, k.id, k.before); err != nil {
		return nil, err
	}
	err := k.store.exec(ctx, `create unlogged table `+k.stage("problems")+` (row_no bigint not null, code text not null, field text not null, col text not null, value text not null, detail text not null)`)
	if err != nil {
		return nil, fmt.Errorf("stage drafts: %w", err)
	}
	w := &DraftWriter{check: k}
	for _, d := range k.drafts {
		stream, err := d.stageDraft(ctx)
		if err != nil {
			return nil, err
		}
		w.drafts = append(w.drafts, stream)
	}
	if k.plan.Several() {
		if err := k.store.exec(ctx, `create unlogged table `+k.stage("aside")+asideColumns); err != nil {
			return nil, fmt.Errorf("stage drafts: %w", err)
		}
	}
	for _, d := range w.drafts {
		d.drafts = copyInto(ctx, k.store.pool, d.table, d.columns)
	}
	w.aside = copyInto(ctx, k.store.pool, k.stage("aside"), []string{"row_no", "why", "other_row", "draft"})
	w.problems = copyInto(ctx, k.store.pool, k.stage("problems"), problemColumns)
	return w, nil
}

// stageDraft makes the tables of one draft.
func (k *draftCheck) stageDraft(ctx context.Context) (*draftStream, error) {
	w := &draftStream{plan: k.plan, table: k.stage("draft"), targets: map[string]catalog.RecordType{}, isTitle: titleSet(k.plan.Type)}
	var defs []string
	for _, col := range draftColumns(k.plan) {
		w.columns = append(w.columns, col.name)
		defs = append(defs, col.name+" "+col.sqlType)
	}
	for _, fp := range k.plan.Fields {
		if fp.Field.Type == catalog.Reference {
			t, err := k.catalog.MustType(fp.Field.To)
			if err != nil {
				return nil, err
			}
			w.targets[fp.Field.Name] = t
		}
	}
	err := k.store.exec(ctx, `create unlogged table `+k.stage("draft")+` (`+strings.Join(defs, ", ")+`)`,
		`create unlogged table `+k.stage("aside")+asideColumns)
	if err != nil {
		return nil, fmt.Errorf("stage drafts: %w", err)
	}
	return w, nil
}

// asideColumns are those of the rows that are left out; the draft's place says
// which of the row's drafts it is while they are staged.
const asideColumns = ` (row_no bigint not null, why text not null, other_row bigint, draft smallint)`

// Add stages the n-th draft of a row.
func (w *DraftWriter) Add(number int64, n int, t *mapping.Typed) error {
	for _, p := range t.Problems {
		if err := w.Problem(number, p); err != nil {
			return err
		}
	}
	switch {
	case t.LeftOut:
		return w.leave(number, n, verdict.ByCondition, 0)
	case t.Above > 0:
		return w.leave(number, n, verdict.Grouped, t.Above)
	case t.Empty:
		return w.leave(number, n, verdict.NothingGiven, 0)
	}
	return w.drafts[n].add(number, t)
}

func (w *DraftWriter) leave(number int64, n int, why verdict.Reason, other int64) error {
	w.aside.row(4)
	w.aside.int64(number)
	w.aside.text(string(why))
	if other > 0 {
		w.aside.int64(other)
	} else {
		w.aside.null()
	}
	w.aside.int16(int16(n))
	return w.aside.flush()
}

func (w *draftStream) add(number int64, t *mapping.Typed) error {
	c := w.drafts
	c.row(len(w.columns))
	c.int64(number)
	if len(t.Cleared) > 0 {
		c.texts(t.Cleared)
	} else {
		c.null()
	}
	if w.plan.NewerBy {
		if err := c.value(catalog.DateTime, t.NewerAt); err != nil {
			return fmt.Errorf("row %d, newer by: %w", number, err)
		}
	}
	if w.plan.HasID {
		if t.ID > 0 {
			c.int64(t.ID)
		} else {
			c.null()
		}
	}
	for i := range w.plan.Fields {
		fp := &w.plan.Fields[i]
		f, v := &fp.Field, t.Values[i]
		if f.Type == catalog.Reference {
			w.reference(c, fp, v)
		} else if err := c.value(f.Type, v); err != nil {
			return fmt.Errorf("row %d, field %s: %w", number, f.Name, err)
		}
		if f.Normalised() {
			c.textOrNull(value.Key(*f, v))
		}
		if w.isTitle[f.Name] {
			c.textOrNull(value.NameKey(v))
		}
	}
	return c.flush()
}

// reference stages what names another record: its id, or a text that the check
// looks up.
func (w *draftStream) reference(c *copyStream, fp *mapping.FieldPlan, v string) {
	if v == "" {
		c.null()
		c.null()
		c.null()
		return
	}
	if len(fp.Find) > 0 {
		c.null()
		c.text(v)
		c.text("")
		return
	}
	if id, err := w.targets[fp.Field.Name].ParseRecordID(v); err == nil {
		c.int64(id)
		c.null()
		c.null()
		return
	}
	c.null()
	c.text(value.LookupKey(v))
	c.text(value.NameKey(v))
}

// longestShown is how many bytes of a value a problem keeps.
const longestShown = 300

// Problem stages one problem of a row.
func (w *DraftWriter) Problem(number int64, p problem.Problem) error {
	return addProblem(w.problems, number, p)
}

func addProblem(c *copyStream, number int64, p problem.Problem) error {
	c.row(len(problemColumns))
	c.int64(number)
	c.text(string(p.Code))
	c.text(p.Field)
	c.text(p.Column)
	if len(p.Value) > longestShown {
		p.Value = strings.ToValidUTF8(p.Value[:longestShown], "") + "…"
	}
	c.text(p.Value)
	c.text(p.Detail)
	return c.flush()
}

// End finishes the staging of the drafts, or gives it up when failed is not nil.
func (w *DraftWriter) End(ctx context.Context, failed error) error {
	err := failed
	streams := []*copyStream{w.problems, w.aside}
	for _, d := range w.drafts {
		streams = append(streams, d.drafts)
	}
	for _, c := range streams {
		if e := c.end(err); err == nil {
			err = e
		}
	}
	if err != nil || len(w.drafts) == 1 {
		return err
	}
	for n, d := range w.check.drafts {
		if err := w.check.store.exec(ctx, fmt.Sprintf(`insert into %s select * from %s where draft = %d`, d.stage("aside"), w.check.stage("aside"), n)); err != nil {
			return fmt.Errorf("stage drafts: %w", err)
		}
	}
	return nil
}
