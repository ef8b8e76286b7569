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

// typist types rows with a plan of its own, so that several can side by side.
type typist struct {
	plan   *mapping.Plan
	drafts []draftStream
	cells  []string // of the row that it is at
	typed  mapping.Typed
	said   saidKeys
}

// The tables that a typist fills, behind those of the drafts: one each for all
// drafts, so that few connections do.
const (
	toLeft = iota
	toProblems
)

// draftStream stages one of the drafts of each row.
type draftStream struct {
	plan    *mapping.DraftPlan
	fields  []fieldStream
	columns int
}

// fieldStream stages one field.
type fieldStream struct {
	field     catalog.Field
	target    catalog.RecordType // of a reference
	namer     *value.Namer       // of a reference by text
	isText    bool               // whatever the form, it is looked up as it stands
	write     func(out *pgcopy.Buffer, canonical string) error
	keyed     bool
	told      bool // rows may be the same by it, and are looked for while they are typed
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
		list = append(list, column{textColumn(f.Name), keyText}, column{namedColumn(f.Name), keyText},
			column{formsColumn(f.Name), "text[]"})
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

// typing is the typing of rows that is under way: the drafts that come of it stream into their tables.
type typing struct {
	check   *Check
	typists []*typist
	into    []*pgcopy.In
	line    *pgcopy.Line
	rows    int64
}

// beginTyping makes the tables of the drafts, and typists: one, or as many as there are processors for. Passed is told how
// many rows have been staged so far.
func (k *Check) beginTyping(ctx context.Context, one bool, passed func(rows int64) error) (*typing, error) {
	columns, err := k.makeDrafts(ctx)
	if err != nil {
		return nil, fmt.Errorf("stage drafts: %w", err)
	}
	t := &typing{check: k}
	if one {
		t.typists = make([]*typist, 1)
		t.typists[0], err = k.newTypist(k.plan)
	} else {
		t.typists, err = sideBySide(k.anotherTypist)
	}
	if err != nil {
		return nil, err
	}
	var workers []pgcopy.Worker
	for _, y := range t.typists {
		y.said.to = k.twice
		workers = append(workers, y.row)
	}
	on := k.room.onConn(k.run)
	for n, d := range k.drafts {
		t.into = append(t.into, pgcopy.Into(ctx, on, d.table("draft"), columns[n]))
	}
	t.into = append(t.into, pgcopy.Into(ctx, on, k.table("left"), leftColumns),
		pgcopy.Into(ctx, on, k.table("problems"), problemColumns))
	t.line = pgcopy.NewLine(workers, t.into, func(rows int64) error {
		t.rows = rows
		return passed(rows)
	})
	return t, nil
}

// end waits until all rows are staged, or gives the typing up when failed is not nil.
func (t *typing) end(failed error) error {
	err := t.line.End(failed)
	for _, y := range t.typists {
		y.said.note()
	}
	for _, c := range t.into {
		if e := c.End(err); err == nil {
			err = e
		}
	}
	t.check.size = t.rows
	return err
}

// StageDrafts types the rows of a part and stages their drafts. Passed is told how
// many rows have been staged so far.
func (k *Check) StageDrafts(ctx context.Context, part Part, passed func(rows int64) error) error {
	// Rows that belong to those above are typed one after another, and few rows are typed
	// before another plan is made.
	part.Settled = k.plan.Grouped()
	if k.twice = nil; part.Rows == nil {
		k.twice = newSaidTwice()
	}
	query, err := k.room.rowsOf(k.i, part)
	if err != nil {
		return err
	}
	t, err := k.beginTyping(ctx, part.Settled || part.Rows != nil, passed)
	if err != nil {
		return err
	}
	if err = t.end(t.line.From(ctx, k.room.reading, query)); isGone(err) {
		err = errNotStaged
	}
	return err
}

// makeDrafts makes the tables of the drafts, and of what is wrong and left out; it gives the
// columns of each draft's.
func (k *Check) makeDrafts(ctx context.Context) (columns [][]string, err error) {
	err = k.room.withConn(ctx, k.run, func(c *conn) error {
		_, err := c.do(ctx, stepTables, k.word,
			q(`create unlogged table {left} (row_no bigint not null, draft smallint not null, why text not null, other_row bigint)`),
			q(`create unlogged table {problems} (
				row_no bigint not null, code text not null, field text not null, col text not null, value text not null, detail text not null,
				light boolean not null default false)`))
		if err != nil {
			return err
		}
		for _, d := range k.drafts {
			var names, defs []string
			for _, col := range draftColumns(d.plan) {
				names = append(names, col.name)
				defs = append(defs, col.name+" "+col.sqlType)
			}
			columns = append(columns, names)
			if _, err := c.do(ctx, stepTables, d.word, q(`create unlogged table {draft} (`+strings.Join(defs, ", ")+
				`)`)); err != nil {
				return err
			}
		}
		return nil
	})
	return columns, err
}

var leftColumns = []string{"row_no", "draft", "why", "other_row"}

var problemColumns = []string{"row_no", "code", "field", "col", "value", "detail", "light"}

// newTypist readies one who types with a plan that nobody else uses.
func (k *Check) newTypist(plan *mapping.Plan) (*typist, error) {
	t := &typist{plan: plan}
	for _, dp := range plan.Drafts {
		d := draftStream{plan: dp, columns: len(draftColumns(dp))}
		for _, fp := range dp.Fields {
			f := fp.Field
			s := fieldStream{
				field: f, write: schema.Copier(f), keyed: f.Normalised(), titled: schema.InTitle(dp.Type, f.Name),
				reference: f.Kind().Form == catalog.LinkForm,
				told:      keptAsTyped(f),
			}
			if s.reference {
				var err error
				if s.target, err = k.catalog.MustType(f.To); err != nil {
					return nil, err
				}
				s.isText = len(fp.Find) > 0
				s.namer = value.NewNamer(s.target, value.Settings{Country: k.country})
			}
			d.fields = append(d.fields, s)
		}
		t.drafts = append(t.drafts, d)
	}
	return t, nil
}

// anotherTypist types rows with a plan of its own.
func (k *Check) anotherTypist() (*typist, error) {
	plan, err := k.plan.Another()
	if err != nil {
		return nil, err
	}
	return k.newTypist(plan)
}

// row types the drafts of a row, as rowsOf gives it.
func (t *typist) row(fields [][]byte, to []pgcopy.Buffer) error {
	t.cells = pgcopy.TextsOf(fields[1], t.cells)
	row := sheet.Row{Number: pgcopy.Int64Of(fields[0]), Cells: t.cells}
	if settled := len(fields) > 2 && fields[2] != nil; settled {
		t.plan.Pass(row)
		return nil
	}
	in := false
	for n, dp := range t.plan.Drafts {
		dp.Apply(row, &t.typed)
		in = in || !t.typed.MakesNone()
		if err := t.stage(row.Number, n, to); err != nil {
			return fmt.Errorf("row %d: %w", row.Number, err)
		}
	}
	if trouble, bad := t.plan.Misfit(row); bad && in {
		addProblem(&to[len(t.drafts)+toProblems], row.Number, trouble)
	}
	return nil
}

// stage adds what was typed as the n-th draft of a row.
func (t *typist) stage(number int64, n int, to []pgcopy.Buffer) error {
	for _, p := range t.typed.Problems {
		addProblem(&to[len(t.drafts)+toProblems], number, p)
	}
	left := &to[len(t.drafts)+toLeft]
	switch {
	case t.typed.LeftOut:
		leave(left, number, n, verdict.ByCondition, 0)
	case t.typed.Example:
		leave(left, number, n, verdict.AnExample, 0)
	case t.typed.Above > 0:
		leave(left, number, n, verdict.Grouped, t.typed.Above)
	case t.typed.Empty:
		leave(left, number, n, verdict.NothingGiven, 0)
	default:
		return t.add(n, &to[n], number)
	}
	return nil
}

func leave(c *pgcopy.Buffer, number int64, n int, why verdict.Reason, other int64) {
	c.Row(len(leftColumns))
	c.Int64(number)
	c.Int16(int16(n + 1))
	c.Text(string(why))
	if other > 0 {
		c.Int64(other)
	} else {
		c.Null()
	}
}

var newerField = catalog.Field{Name: "newer_by", Type: catalog.DateTime}

// add adds what was typed as the n-th draft of a row to its table.
func (y *typist) add(n int, c *pgcopy.Buffer, number int64) error {
	w, t := &y.drafts[n], &y.typed
	c.Row(w.columns)
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
			key := value.Key(f.field, v)
			if c.TextOrNull(key); f.told && key != "" && y.said.to != nil {
				y.said.add(saidKey{n, f.field.Name, key}, n<<16+i)
			}
		}
		if f.titled {
			c.TextOrNull(value.NameKey(v))
		}
	}
	return nil
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

func addProblem(c *pgcopy.Buffer, number int64, p problem.Problem) {
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
}
