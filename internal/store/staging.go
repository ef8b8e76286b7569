package store

import (
	"context"
	"fmt"
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
//	verdicts  what each row would do, with the difference
//	anchors   every thousandth row of each verdict and outcome
//
// Outcomes are logged: they are results and not derived.
func stage(id int64, part string) string {
	return ident("staging", fmt.Sprintf("i%d_%s", id, part))
}

// tryPart stands before the parts of a check that is only tried on a sample.
const tryPart = "try_"

var derivedParts = []string{"draft", "aside", "problems", "links", "settled", "matches", "questions", "candidates", "several", "twice", "repeats",
	"keys", "mine", "reach", "small", "pairs", "found", "verdicts", "anchors"}

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
	var tables []string
	for _, part := range derivedParts {
		tables = append(tables, stage(id, before+part))
	}
	if err := s.exec(ctx, `drop table if exists `+strings.Join(tables, ", ")); err != nil {
		return fmt.Errorf("drop staging: %w", err)
	}
	return nil
}

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

// EachRow streams the staged rows that have no final outcome, in their order:
// all, or with every above 1 as a sample each row of a number that it divides.
func (s *Store) EachRow(ctx context.Context, id, every int64, f func(sheet.Row) error) error {
	query := fmt.Sprintf(`select c.row_no, c.cells from %s c where c.row_no %% %d = 0`, stage(id, "cells"), max(every, 1))
	if there, err := s.hasTable(ctx, id, "outcomes"); err != nil {
		return err
	} else if there {
		query += ` and not exists (select from ` + stage(id, "outcomes") + ` o where o.row_no = c.row_no and o.outcome not in ('held', 'failed'))`
	}
	var cells []string
	return copyOut(ctx, s.pool, query+` order by c.row_no`, func(f2 [][]byte) error {
		cells = textArray(f2[1], cells)
		return f(sheet.Row{Number: int64Of(f2[0]), Cells: cells})
	})
}

// DraftWriter stages typed drafts and their problems.
type DraftWriter struct {
	plan     *mapping.DraftPlan
	targets  map[string]catalog.RecordType
	isTitle  map[string]bool
	columns  []string
	drafts   *copyStream
	aside    *copyStream
	problems *copyStream
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
	s, plan, c := k.store, k.plan, k.catalog
	if err := s.dropDerived(ctx, k.id, k.before); err != nil {
		return nil, err
	}
	w := &DraftWriter{plan: plan, targets: map[string]catalog.RecordType{}, isTitle: titleSet(plan.Type)}
	var defs []string
	for _, col := range draftColumns(plan) {
		w.columns = append(w.columns, col.name)
		defs = append(defs, col.name+" "+col.sqlType)
	}
	for _, fp := range plan.Fields {
		if fp.Field.Type == catalog.Reference {
			t, err := c.MustType(fp.Field.To)
			if err != nil {
				return nil, err
			}
			w.targets[fp.Field.Name] = t
		}
	}
	err := s.exec(ctx, `create unlogged table `+k.stage("draft")+` (`+strings.Join(defs, ", ")+`)`,
		`create unlogged table `+k.stage("aside")+` (row_no bigint not null, why text not null, other_row bigint)`,
		`create unlogged table `+k.stage("problems")+` (row_no bigint not null, code text not null, field text not null, col text not null, value text not null, detail text not null)`)
	if err != nil {
		return nil, fmt.Errorf("stage drafts: %w", err)
	}
	w.drafts = copyInto(ctx, s.pool, k.stage("draft"), w.columns)
	w.aside = copyInto(ctx, s.pool, k.stage("aside"), []string{"row_no", "why"})
	w.problems = copyInto(ctx, s.pool, k.stage("problems"), problemColumns)
	return w, nil
}

// Add stages the draft of one row.
func (w *DraftWriter) Add(number int64, t *mapping.Typed) error {
	if t.LeftOut {
		w.aside.row(2)
		w.aside.int64(number)
		w.aside.text(string(verdict.ByCondition))
		return w.aside.flush()
	}
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
		f := &w.plan.Fields[i].Field
		v := t.Values[i]
		if f.Type == catalog.Reference {
			w.reference(c, f.Name, v)
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
	for _, p := range t.Problems {
		if err := w.Problem(number, p); err != nil {
			return err
		}
	}
	return c.flush()
}

// reference stages what names another record: its id, or a text that the check
// looks up.
func (w *DraftWriter) reference(c *copyStream, field, v string) {
	if v == "" {
		c.null()
		c.null()
		c.null()
		return
	}
	if id, err := w.targets[field].ParseRecordID(v); err == nil {
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
func (w *DraftWriter) End(failed error) error {
	err := failed
	for _, c := range []*copyStream{w.drafts, w.aside, w.problems} {
		if e := c.end(err); err == nil {
			err = e
		}
	}
	return err
}
