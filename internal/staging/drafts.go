package staging

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
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
)

// DraftWriter stages the typed drafts of rows and their problems.
type DraftWriter struct {
	check    *Check
	drafts   []*draftStream
	left     *pgcopy.In // one for all drafts, so that few connections do
	problems *pgcopy.In
}

// draftStream stages one of the drafts of each row.
type draftStream struct {
	plan    *mapping.DraftPlan
	fields  []fieldStream
	columns []string
	out     *pgcopy.In
}

// fieldStream stages one field.
type fieldStream struct {
	field     catalog.Field
	target    catalog.RecordType // of a reference
	namer     *value.Namer       // of a reference by text
	isText    bool               // whatever the form, it is looked up as it stands
	write     func(out *pgcopy.Buffer, canonical string) error
	keyed     bool
	titled    bool
	reference bool
}

// Columns of a reference in the draft table: the text that it was given as, in
// the normal forms of keys and of names, and further forms of keys.
func textColumn(field string) string  { return schema.Ident("l_" + field) }
func namedColumn(field string) string { return schema.Ident("m_" + field) }
func formsColumn(field string) string { return schema.Ident("o_" + field) }

// column is one column of a table with its type.
type column struct{ name, sqlType string }

// draftColumns lists the columns of a draft's table.
func draftColumns(plan *mapping.DraftPlan) []column {
	list := []column{{"row_no", "bigint not null"}, {"cleared", "text[]"}}
	if plan.NewerBy {
		list = append(list, column{"newer_at", "timestamptz"})
	}
	if plan.HasID {
		list = append(list, column{"id", "bigint"})
	}
	if plan.Dated() {
		list = append(list, column{"was_version", "integer"})
	}
	return append(list, valueColumns(plan)...)
}

const keyText = `text collate "C"`

// valueColumns lists those of them that hold what the row says.
func valueColumns(plan *mapping.DraftPlan) (list []column) {
	for _, fp := range plan.Fields {
		list = append(list, columnsOf(plan.Type, fp.Field)...)
	}
	return list
}

// columnsOf lists the columns of one field of a draft.
func columnsOf(t catalog.RecordType, f catalog.Field) []column {
	list := []column{{schema.Value(f.Name), schema.Type(f)}}
	if f.Kind().Form == catalog.LinkForm {
		list = append(list, column{textColumn(f.Name), keyText}, column{namedColumn(f.Name), keyText}, column{formsColumn(f.Name), "text[]"})
	}
	if f.Normalised() {
		list = append(list, column{schema.Key(f.Name), keyText})
	}
	if schema.InTitle(t, f.Name) {
		list = append(list, column{schema.Name(f.Name), keyText})
	}
	return list
}

var (
	stepTables = step{does: "makes tables", writes: "draft left problems results"}
)

// StageDrafts begins the staging of drafts anew.
func (k *Check) StageDrafts(ctx context.Context) (*DraftWriter, error) {
	w := &DraftWriter{check: k}
	err := k.room.withConn(ctx, k.run, func(c *conn) error {
		_, err := c.do(ctx, stepTables, k.word,
			q(`create unlogged table {left} (row_no bigint not null, draft smallint not null, why text not null, other_row bigint)`),
			q(`create unlogged table {problems} (
				row_no bigint not null, code text not null, field text not null, col text not null, value text not null, detail text not null,
				light boolean not null default false)`))
		if err != nil {
			return err
		}
		for _, d := range k.drafts {
			stream, defs, err := d.newStream()
			if err != nil {
				return err
			}
			w.drafts = append(w.drafts, stream)
			if _, err := c.do(ctx, stepTables, d.word, q(`create unlogged table {draft} (`+defs+`)`)); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("stage drafts: %w", err)
	}
	on := k.room.onConn(k.run)
	for n, d := range w.drafts {
		d.out = pgcopy.Into(ctx, on, k.drafts[n].table("draft"), d.columns)
	}
	w.left = pgcopy.Into(ctx, on, k.table("left"), []string{"row_no", "draft", "why", "other_row"})
	w.problems = pgcopy.Into(ctx, on, k.table("problems"), problemColumns)
	return w, nil
}

var problemColumns = []string{"row_no", "code", "field", "col", "value", "detail", "light"}

// newStream readies the staging of one draft, and gives the columns of its table.
func (k *draftCheck) newStream() (w *draftStream, defs string, err error) {
	w = &draftStream{plan: k.plan}
	var list []string
	for _, col := range draftColumns(k.plan) {
		w.columns = append(w.columns, col.name)
		list = append(list, col.name+" "+col.sqlType)
	}
	for _, fp := range k.plan.Fields {
		f := fp.Field
		s := fieldStream{field: f, write: schema.Copier(f), keyed: f.Normalised(), titled: schema.InTitle(k.plan.Type, f.Name), reference: f.Kind().Form == catalog.LinkForm}
		if s.reference {
			if s.target, err = k.catalog.MustType(f.To); err != nil {
				return nil, "", err
			}
			s.isText = len(fp.Find) > 0
			s.namer = value.NewNamer(s.target, value.Settings{Country: k.country})
		}
		w.fields = append(w.fields, s)
	}
	return w, strings.Join(list, ", "), nil
}

// Apply types the drafts of a row and stages them.
func (w *DraftWriter) Apply(plan *mapping.Plan, row sheet.Row, typed *mapping.Typed) error {
	in := false
	for d, dp := range plan.Drafts {
		dp.Apply(row, typed)
		in = in || !typed.MakesNone()
		if err := w.Add(row.Number, d, typed); err != nil {
			return err
		}
	}
	if trouble, bad := plan.Misfit(row); bad && in {
		return addProblem(w.problems, row.Number, trouble)
	}
	return nil
}

// Add stages the n-th draft of a row.
func (w *DraftWriter) Add(number int64, n int, t *mapping.Typed) error {
	for _, p := range t.Problems {
		if err := addProblem(w.problems, number, p); err != nil {
			return err
		}
	}
	switch {
	case t.LeftOut:
		return w.leave(number, n, verdict.ByCondition, 0)
	case t.Example:
		return w.leave(number, n, verdict.AnExample, 0)
	case t.Above > 0:
		return w.leave(number, n, verdict.Grouped, t.Above)
	case t.Empty:
		return w.leave(number, n, verdict.NothingGiven, 0)
	}
	if err := w.drafts[n].add(number, t); err != nil {
		return fmt.Errorf("row %d: %w", number, err)
	}
	return nil
}

func (w *DraftWriter) leave(number int64, n int, why verdict.Reason, other int64) error {
	w.left.Row(4)
	w.left.Int64(number)
	w.left.Int16(int16(n + 1))
	w.left.Text(string(why))
	if other > 0 {
		w.left.Int64(other)
	} else {
		w.left.Null()
	}
	return w.left.Flush()
}

var newerField = catalog.Field{Name: "newer_by", Type: catalog.DateTime}

func (w *draftStream) add(number int64, t *mapping.Typed) error {
	c := &w.out.Buffer
	c.Row(len(w.columns))
	c.Int64(number)
	if len(t.Cleared) > 0 {
		c.Texts(t.Cleared)
	} else {
		c.Null()
	}
	if w.plan.NewerBy {
		if err := schema.Copier(newerField)(c, t.NewerAt); err != nil {
			return err
		}
	}
	if w.plan.HasID {
		if t.ID > 0 {
			c.Int64(t.ID)
		} else {
			c.Null()
		}
	}
	if w.plan.Dated() {
		if t.Version > 0 {
			c.Int32(int32(t.Version))
		} else {
			c.Null()
		}
	}
	for i := range w.fields {
		f, v := &w.fields[i], t.Values[i]
		if f.reference {
			f.link(c, v)
		} else if err := f.write(c, v); err != nil {
			return err
		}
		if f.keyed {
			c.TextOrNull(value.Key(f.field, v))
		}
		if f.titled {
			c.TextOrNull(value.NameKey(v))
		}
	}
	return w.out.Flush()
}

// link stages what names another record: its id, or a text that the check looks up.
func (f *fieldStream) link(c *pgcopy.Buffer, v string) {
	if v == "" {
		c.Null()
		c.Null()
		c.Null()
		c.Null()
		return
	}
	if f.isText {
		c.Null()
		c.Text(v)
		c.Text("")
		c.Null()
		return
	}
	forms := f.namer.Forms(v)
	if id, err := f.target.ParseRecordID(v); err == nil { // or it is a key that looks like one
		c.Int64(id)
		c.Text(forms[0])
		c.Text("")
	} else {
		c.Null()
		c.Text(forms[0])
		c.Text(value.TitleKey(f.target, v))
	}
	if len(forms) > 1 {
		c.Texts(forms[1:])
	} else {
		c.Null()
	}
}

// longestShown is how many bytes of a value a problem keeps.
const longestShown = 300

func addProblem(c *pgcopy.In, number int64, p problem.Problem) error {
	c.Row(len(problemColumns))
	c.Int64(number)
	c.Text(string(p.Code))
	c.Text(p.Field)
	c.Text(p.Column)
	if len(p.Value) > longestShown {
		p.Value = strings.ToValidUTF8(p.Value[:longestShown], "") + "…"
	}
	c.Text(p.Value)
	c.Text(p.Detail)
	c.Bool(p.Light)
	return c.Flush()
}

// End finishes the staging of the drafts, or gives it up when failed is not nil.
func (w *DraftWriter) End(ctx context.Context, failed error) error {
	err := failed
	streams := []*pgcopy.In{w.problems, w.left}
	for _, d := range w.drafts {
		streams = append(streams, d.out)
	}
	for _, c := range streams {
		if e := c.End(err); err == nil {
			err = e
		}
	}
	return err
}
