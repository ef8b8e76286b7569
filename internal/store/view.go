package store

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/value"
	"uchi/internal/core/view"
	"uchi/internal/schema"
)

// recordSQL is the SQL that selects records of a type as a view wants them: r is the
// record, and what it refers to is joined where a path leads there.
type recordSQL struct {
	ws    string
	c     catalog.Catalog
	t     catalog.RecordType
	f     RecordFilter
	shown view.Shown
	args  []any
	plain bool              // values stand in the SQL as literals: COPY takes no arguments
	alias map[string]string // of what is joined, by the path of references that leads there
	joins strings.Builder
	found bool      // the records are found already, by a query c
	at    []*string // where the record that was read stands in the order: a text for each part of it
}

func (s *Store) recordSQL(ctx context.Context, workspace, typeName string, f RecordFilter) (*recordSQL, error) {
	c, err := s.Catalog(ctx, workspace)
	if err != nil {
		return nil, err
	}
	t, err := c.MustType(typeName)
	if err != nil {
		return nil, err
	}
	q := &recordSQL{ws: workspace, c: c, t: t, f: f, alias: map[string]string{}}
	if q.shown, err = view.Read(c, t, f.View); err != nil {
		return nil, err
	}
	if len(f.Columns) == 0 {
		for _, fd := range t.Fields {
			q.shown.Columns = append(q.shown.Columns, view.Path{Name: fd.Name, Field: fd, Of: t})
		}
	}
	return q, nil
}

func (q *recordSQL) arg(v any) string {
	if q.plain {
		switch v := v.(type) {
		case int64:
			return schema.Int(v)
		case []string:
			list := make([]string, len(v))
			for n, s := range v {
				list[n] = schema.Literal(s)
			}
			return `array[` + strings.Join(list, ", ") + `]`
		default:
			return schema.Literal(fmt.Sprint(v))
		}
	}
	q.args = append(q.args, v)
	return fmt.Sprintf("$%d", len(q.args))
}

// join gives the name in the SQL of the record to which references lead.
func (q *recordSQL) join(links []catalog.Field) string {
	at, path := "r", ""
	for _, l := range links {
		path += "." + l.Name
		next, ok := q.alias[path]
		if !ok {
			next = fmt.Sprintf("t%d", len(q.alias))
			q.alias[path] = next
			fmt.Fprintf(&q.joins, "\n left join %s %s on %s.id = %s", schema.Records(q.ws, l.To), next, next,
				schema.Column(l, at))
		}
		at = next
	}
	return at
}

// from is what is selected from; it comes when all paths are known.
func (q *recordSQL) from() string {
	return "\n from " + schema.Records(q.ws, q.t.Name) + ` r` + q.joins.String()
}

// withPeople is from with those who made and changed the records.
func (q *recordSQL) withPeople() string { return q.from() + people }

const people = "\n left join people cb on cb.id = r.created_by left join people xb on xb.id = r.changed_by"

// besideColumns are the columns of what a record has beside its fields.
var besideColumns = map[string]string{"id": "id", "version": "version", "made_by": "import",
	"created_at": "created_at", "changed_at": "changed_at"}

// column is the SQL of the value that a path leads to, of the type of its form.
func (q *recordSQL) column(p view.Path) string {
	at := q.join(p.Links)
	switch {
	case p.Own && p.Field.Name == "title":
		return schema.TitleText(p.Of, at)
	case p.Own:
		return at + "." + besideColumns[p.Field.Name]
	}
	return schema.Column(p.Field, at)
}

// text is the SQL of the canonical text that a path leads to; references are ids as
// people write them. Blank is null.
func (q *recordSQL) text(p view.Path) string {
	return schema.Shown(q.c, p.Field, q.column(p))
}

// title is the SQL of the title of the record that a reference leads to.
func (q *recordSQL) title(p view.Path) string {
	to, _ := q.c.Type(p.Field.To)
	return schema.TitleText(to, q.join(append(slices.Clone(p.Links), p.Field)))
}

func (q *recordSQL) selects() string {
	var values, links []string
	for _, p := range q.shown.Columns {
		values = append(values, `coalesce(`+q.text(p)+`, '')`)
		if p.Field.Type == catalog.Reference && !p.Own {
			links = append(links, `coalesce(`+q.title(p)+`, '')`)
		}
	}
	place := `null::text[]`
	if q.found {
		place = `c.at_place`
	}
	return `r.id, r.version, ` + schema.TitleText(q.t, "r") +
		`, array[` + strings.Join(values, ", ") + `]::text[], array[` + strings.Join(links, ", ") + `]::text[],
		r.created_at, coalesce(cb.name, ''), r.changed_at, coalesce(xb.name, ''), r.import, ` + place
}

// where is the condition of a filter, with the word before it; empty for all records.
func (q *recordSQL) where() string {
	var conds []string
	if q.f.Import > 0 {
		conds = append(conds, `r.import = `+q.arg(q.f.Import))
	}
	if text := strings.TrimSpace(q.f.Text); text != "" {
		conds = append(conds, q.search(text))
	}
	if q.shown.Where != nil {
		conds = append(conds, q.condition(q.shown.Where))
	}
	if len(conds) == 0 {
		return ""
	}
	return "\n where " + strings.Join(conds, " and ")
}

// search finds by words of the title, an id, or what a key or look-up field holds.
func (q *recordSQL) search(text string) string {
	any := []string{`r.` + schema.Title + ` like ` + q.arg("%"+LikeEscape(value.NameKey(text))+"%")}
	if id, err := q.t.ParseRecordID(text); err == nil {
		any = append(any, `r.id = `+q.arg(id))
	}
	forms := q.arg(value.NewNamer(q.t, value.Settings{}).Forms(text))
	for _, fd := range q.t.Fields {
		if fd.Normalised() {
			any = append(any, `r.`+schema.Key(fd.Name)+` = any(`+forms+`::text[])`)
		}
	}
	return `(` + strings.Join(any, " or ") + `)`
}

func (q *recordSQL) condition(n view.Node) string {
	list := func(nodes []view.Node, word, none string) string {
		if len(nodes) == 0 {
			return none
		}
		var parts []string
		for _, x := range nodes {
			parts = append(parts, q.condition(x))
		}
		return `(` + strings.Join(parts, word) + `)`
	}
	switch n := n.(type) {
	case view.All:
		return list(n, " and ", "true")
	case view.Any:
		return list(n, " or ", "false")
	case view.Not:
		return `(` + q.condition(n.Of) + `) is not true`
	case view.Test:
		return q.test(n)
	}
	return "false"
}

func (q *recordSQL) test(t view.Test) string {
	column := q.column(t.Path)
	if t.Op == view.Filled {
		return `nullif(` + q.text(t.Path) + `, '') is not null`
	}
	if t.Lower {
		column = `lower(` + column + `)`
	}
	cast := `::` + schema.Type(t.Field)
	switch t.Field.Kind().Form {
	case catalog.ListForm:
		cast = `::text`
	case catalog.WholeForm, catalog.AmountForm: // whatever number they are compared with
		cast = `::numeric`
	}
	one := func(v view.Value) string {
		if v.Today {
			return `(current_date + ` + q.arg(v.Text) + `::text::integer)` + cast
		}
		return q.arg(v.Text) + `::text` + cast
	}
	switch t.Op {
	case view.In:
		var values []string
		for _, v := range t.Values {
			values = append(values, one(v))
		}
		if len(values) == 0 {
			return `false`
		}
		return column + ` in (` + strings.Join(values, ", ") + `)`
	case view.Has:
		return one(t.Values[0]) + ` = any(` + column + `)`
	case view.Contains:
		return column + ` like ` + q.arg("%"+LikeEscape(t.Values[0].Text)+"%")
	case view.StartsAs:
		return column + ` like ` + q.arg(LikeEscape(t.Values[0].Text)+"%")
	case view.EndsAs:
		return column + ` like ` + q.arg("%"+LikeEscape(t.Values[0].Text))
	case view.Equal:
		return q.indexed(t) + column + ` = ` + one(t.Values[0])
	}
	return column + ` ` + string(t.Op) + ` ` + one(t.Values[0])
}

// indexed looks a key or look-up field up by its normal form first, which has an index.
func (q *recordSQL) indexed(t view.Test) string {
	if t.Own || t.Lower || !t.Field.Normalised() || t.Field.Kind().Form != catalog.TextForm {
		return ""
	}
	forms := value.NewNamer(t.Of, value.Settings{}).Forms(t.Values[0].Text)
	if len(forms) == 0 {
		return ""
	}
	return q.join(t.Links) + "." + schema.Key(t.Field.Name) + ` = any(` + q.arg(forms) + `::text[]) and `
}

// orderPart is one part of the order that records come in.
type orderPart struct {
	sql    string
	cast   string // its type
	down   bool
	filled bool // it is never blank
}

func (o orderPart) String() string {
	if o.down {
		return o.sql + ` desc nulls last`
	}
	return o.sql // blanks are last by themselves
}

// order gives the parts of the order; the id is always among them.
func (q *recordSQL) order() (list []orderPart) {
	for _, o := range q.shown.Sort {
		list = append(list, q.orderPart(o))
		if o.Own && o.Field.Name == "id" && len(o.Links) == 0 {
			return list
		}
	}
	return append(list, orderPart{sql: "r.id", cast: "bigint", filled: true})
}

func (q *recordSQL) orderPart(o view.Order) orderPart {
	here := len(o.Links) == 0
	switch {
	case o.Own && o.Field.Name == "title":
		return orderPart{sql: q.join(o.Links) + "." + schema.Title, cast: "text", down: o.Down, filled: here}
	case o.Own:
		return orderPart{sql: q.column(o.Path), cast: schema.Type(o.Field), down: o.Down, filled: here &&
			o.Field.Name != "made_by"}
	case o.Field.Type == catalog.Reference:
		return orderPart{sql: q.join(append(slices.Clone(o.Links), o.Field)) + "." + schema.Title, cast: "text", down: o.Down}
	case o.Field.Type == catalog.OneChoice: // as the choices stand in the catalogue
		var codes []string
		for _, ch := range o.Field.Choices {
			codes = append(codes, ch.Code)
		}
		return orderPart{sql: `array_position(` + q.arg(codes) + `::text[], ` + q.column(o.Path) + `)`, cast: "integer",
			down: o.Down}
	case o.Field.Kind().Form == catalog.TextForm:
		return orderPart{sql: `lower(` + q.column(o.Path) + `)`, cast: "text", down: o.Down}
	}
	return orderPart{sql: q.column(o.Path), cast: schema.Type(o.Field), down: o.Down}
}

// all is the SQL of all records that are chosen, in their order.
func (q *recordSQL) all() string {
	columns, where, order := q.selects(), q.where(), inOrder(q.order()) // which say what is joined
	return `select ` + columns + q.withPeople() + where + "\n order by " + order
}

// page is the SQL of some of the records that are chosen, in their order, behind those
// of a cursor. They are found before what they refer to is looked up.
func (q *recordSQL) page(after string, limit int) (string, error) {
	where, order := q.where(), q.order()
	if after != "" {
		at, ok := parseCursor(after, len(order))
		if !ok {
			return "", badCursor(after)
		}
		behind, err := q.behind(order, at)
		if err != nil {
			return "", err
		}
		if where == "" {
			where = "\n where " + behind
		} else {
			where += " and " + behind
		}
	}
	var at []string
	for _, o := range order {
		at = append(at, `(`+o.sql+`)::text`)
	}
	chosen := `select r.id as chosen, array[` + strings.Join(at, ", ") + `]::text[] as at_place` +
		"\n from " + schema.Records(q.ws, q.t.Name) + ` r` + q.joins.String() + where + "\n order by " + inOrder(order) +
		` limit ` + schema.Int(limit)
	q.alias, q.joins = map[string]string{}, strings.Builder{}
	q.found = true
	columns := q.selects()
	return `select ` + columns +
		"\n from (select *, row_number() over () as place from (" + chosen + ") x) c" +
		"\n join " + schema.Records(q.ws, q.t.Name) + ` r on r.id = c.chosen` + q.joins.String() + people +
		"\n order by c.place", nil
}

func inOrder(order []orderPart) string {
	var parts []string
	for _, o := range order {
		parts = append(parts, o.String())
	}
	return strings.Join(parts, ", ")
}

// behind is the condition of what comes behind a place in the order: equal in the
// parts before one, and further in that one.
func (q *recordSQL) behind(order []orderPart, at []*string) (string, error) {
	var ways []string
	equal := ""
	first := ""
	for n, o := range order {
		if at[n] == nil { // nothing is further than a blank
			equal += o.sql + ` is null and `
			continue
		}
		place := q.arg(*at[n]) + `::text::` + o.cast
		sign := ">"
		if o.down {
			sign = "<"
		}
		further := o.sql + ` ` + sign + ` ` + place
		if n == 0 && o.filled { // which an index can begin at
			first = o.sql + ` ` + sign + `= ` + place + ` and `
		}
		if !o.filled {
			further = `(` + further + ` or ` + o.sql + ` is null)`
		}
		ways = append(ways, `(`+equal+further+`)`)
		equal += o.sql + ` = ` + place + ` and `
	}
	if len(ways) == 0 {
		return "", badCursor(q.f.After)
	}
	return first + `(` + strings.Join(ways, " or ") + `)`, nil
}

func badCursor(s string) error {
	return fault.New(fault.Invalid, "bad_cursor",
		"the cursor is not one of this list").With(s).Mended("Begin at the first page again.")
}

// dataException begins the codes of errors about values (SQLSTATE class 22).
const dataException = "22"

// cursor writes a place in an order as a text that is only read by parseCursor.
func cursor(at []*string) string {
	b, err := json.Marshal(at)
	if err != nil {
		return "" // texts can always be written
	}
	return base64.RawURLEncoding.EncodeToString(b)
}

func parseCursor(s string, parts int) (at []*string, ok bool) {
	b, err := base64.RawURLEncoding.DecodeString(s)
	if err != nil || json.Unmarshal(b, &at) != nil || len(at) != parts {
		return nil, false
	}
	return at, true
}
