package mapping

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/expr"
	"uchi/internal/core/fault"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// Plan is a routine made ready for the rows of one source. It keeps what its
// readers have seen and is not safe for use by several goroutines.
type Plan struct {
	Drafts  []*DraftPlan
	columns int
	header  []string
}

// DraftPlan works out one draft of each row.
type DraftPlan struct {
	Type    catalog.RecordType
	Fields  []FieldPlan         // in the order of the record type
	Rules   []catalog.MatchRule // those that can work with the mapped fields
	HasID   bool
	Repeats Repeats
	NewerBy bool // rows say how old they are
	newer   *FieldPlan
	clear   string // the folded text that empties a value
	id      origin
	where   *expr.Program
	header  []string
	expr    bool // some value is computed
	country int  // index in Fields of the country that phone numbers belong to, or -1
}

// FieldPlan works out one field.
type FieldPlan struct {
	Field  catalog.Field
	Both   Both
	Chosen bool // somebody has said what Both is
	Blank  Blank
	origin origin
	reader *value.Reader
}

type origin struct {
	from      []int
	column    string // header of the first column, for problems
	join      string
	take      Take
	labels    []string // headers that stand before the cells, for notes
	split     string
	part      int
	cut       int
	fixed     string
	compute   *expr.Program
	otherwise string
	values    map[string]string
}

// Typed is what typing one row gives: values in the order of the draft's fields.
type Typed struct {
	LeftOut  bool     // the routine's condition does not hold for the row
	ID       int64    // record id given in the row, 0 when none
	Values   []string // canonical texts, empty when blank
	Cleared  []string // fields that the row empties
	NewerAt  string   // when the row was last right, empty when it does not say
	Problems []problem.Problem
}

// NewPlan makes a routine ready. The columns decide by their profile what the
// routine leaves open (date order, decimal sign).
func NewPlan(r Routine, c catalog.Catalog, columns []sheet.Column) (*Plan, error) {
	header := make([]string, len(columns))
	for i, col := range columns {
		header[i] = col.Header
	}
	if err := r.Check(c, header); err != nil {
		return nil, err
	}
	p := &Plan{columns: len(columns), header: header}
	for _, d := range r.Drafts {
		t, err := c.MustType(d.Type)
		if err != nil {
			return nil, err
		}
		dp, err := newDraftPlan(d, t, r.Reading, columns)
		if err != nil {
			return nil, err
		}
		p.Drafts = append(p.Drafts, dp)
	}
	return p, nil
}

func newDraftPlan(d Draft, t catalog.RecordType, reading sheet.Reading, columns []sheet.Column) (*DraftPlan, error) {
	dp := &DraftPlan{Type: t, country: -1, Repeats: or(d.Repeats, HoldRepeats), clear: value.Fold(or(d.ClearMarker, DefaultClearMarker))}
	for _, c := range columns {
		dp.header = append(dp.header, c.Header)
	}
	var err error
	if d.Where != "" {
		if dp.where, err = expr.CompileCondition(d.Where, dp.header); err != nil {
			return nil, inPlace(err, "where")
		}
	}
	if o, ok := d.Fields[IDField]; ok {
		dp.HasID = true
		if dp.id, err = dp.newOrigin(o, columns); err != nil {
			return nil, inPlace(err, "fields."+IDField+".compute")
		}
	}
	for _, f := range t.Fields {
		o, ok := d.Fields[f.Name]
		if !ok {
			continue
		}
		from, err := dp.newOrigin(o, columns)
		if err != nil {
			return nil, inPlace(err, "fields."+f.Name+".compute")
		}
		fp := FieldPlan{Field: f, origin: from, Both: or(o.Both, d.Both, Replace), Chosen: o.Both != "" || d.Both != "", Blank: or(o.Blank, d.Blank, Leave)}
		if f.Required {
			fp.Blank = Leave
		}
		set, err := settings(reading, fp.origin, columns)
		if err != nil {
			return nil, err
		}
		fp.reader = value.NewReader(f, set)
		if f.Type == catalog.Country && f.Name == "country" {
			dp.country = len(dp.Fields)
		}
		dp.Fields = append(dp.Fields, fp)
	}
	if d.NewerBy != "" {
		from, err := dp.newOrigin(Origin{From: []string{d.NewerBy}}, columns)
		if err != nil {
			return nil, err
		}
		f := catalog.Field{Name: "newer_by", Label: d.NewerBy, Type: catalog.DateTime}
		set, err := settings(reading, from, columns)
		if err != nil {
			return nil, err
		}
		dp.NewerBy, dp.newer = true, &FieldPlan{Field: f, origin: from, reader: value.NewReader(f, set)}
	}
	rules := d.Match
	if len(rules) == 0 {
		rules = t.Match
	}
	for _, rule := range rules {
		if rule, ok := dp.usable(rule); ok {
			dp.Rules = append(dp.Rules, rule)
		}
	}
	return dp, nil
}

// usable gives a rule as far as it can work with the mapped fields: all that
// must be equal must be there, of those that must be alike as many as are, as
// long as they still tell records apart.
func (dp *DraftPlan) usable(rule catalog.MatchRule) (catalog.MatchRule, bool) {
	mapped := func(name string) bool {
		return name == IDField && dp.HasID || slices.ContainsFunc(dp.Fields, func(f FieldPlan) bool { return f.Field.Name == name })
	}
	for _, name := range rule.Fields {
		if !mapped(name) {
			return rule, false
		}
	}
	rule.Alike = slices.DeleteFunc(slices.Clone(rule.Alike), func(name string) bool { return !mapped(name) })
	return rule, dp.Type.CheckMatchRule(rule) == nil
}

// inPlace says where in the routine an expression is wrong.
func inPlace(err error, path string) error {
	if f, ok := fault.From(err); ok {
		return f.At(fault.Place{Path: "drafts[0]." + path})
	}
	return err
}

func (dp *DraftPlan) newOrigin(o Origin, columns []sheet.Column) (origin, error) {
	out := origin{join: o.Join, take: o.Take, split: o.Split, part: o.Part, cut: o.Cut, fixed: o.Fixed, otherwise: o.Otherwise}
	switch {
	case out.join != "":
	case o.Labelled:
		out.join = "\n"
	default:
		out.join = " "
	}
	for _, name := range o.From {
		i := slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == name })
		if i >= 0 {
			out.from = append(out.from, i)
			if o.Labelled {
				out.labels = append(out.labels, name)
			}
		}
	}
	if len(o.From) > 0 {
		out.column = o.From[0]
	}
	if len(o.Values) > 0 {
		out.values = map[string]string{}
		for from, to := range o.Values {
			out.values[value.Fold(from)] = to
		}
	}
	if o.Compute != "" {
		var err error
		if out.compute, err = expr.CompileText(o.Compute, dp.header); err != nil {
			return out, err
		}
		dp.expr = true
	}
	return out, nil
}

// settings takes what was set by hand first, then what the whole column decides.
func settings(reading sheet.Reading, o origin, columns []sheet.Column) (value.Settings, error) {
	s := value.Settings{DecimalSign: reading.DecimalSign, DateOrder: value.DateOrder(reading.DateOrder), Country: reading.Country}
	for _, i := range o.from {
		if s.DecimalSign == "" {
			s.DecimalSign = columns[i].DecimalSign
		}
		if s.DateOrder == "" {
			s.DateOrder = value.DateOrder(columns[i].DateOrder)
		}
	}
	if reading.Zone != "" {
		zone, err := time.LoadLocation(reading.Zone)
		if err != nil {
			return s, fault.New(fault.Invalid, "bad_reading", "there is no such time zone").At(fault.Place{Path: "reading.zone"}).With(reading.Zone).
				Mended("Give a name such as Europe/Oslo.")
		}
		s.Zone = zone
	}
	return s, nil
}

// text gives what the row says for this origin, before it is typed.
func (o *origin) text(cells []string) string {
	var s string
	switch len(o.from) {
	case 0:
		s = o.fixed
	case 1:
		s = o.cell(cells, 0)
	default:
		var parts []string
		for n := range o.from {
			if c := o.cell(cells, n); c != "" {
				parts = append(parts, c)
			}
		}
		s = strings.Join(parts, o.join)
	}
	if s != "" && o.split != "" {
		s = partOf(s, o.split, o.part)
	}
	if s != "" && o.take != "" {
		s = o.take.of(s)
	}
	if s != "" && o.values != nil {
		if to, ok := o.values[value.Fold(s)]; ok {
			s = to
		}
	}
	if o.cut > 0 && len(s) > o.cut {
		if r := []rune(s); len(r) > o.cut {
			s = value.Trim(string(r[:o.cut]))
		}
	}
	if s == "" {
		s = o.otherwise
	}
	return s
}

// cell gives the n-th of the origin's cells, behind its header when asked.
func (o *origin) cell(cells []string, n int) string {
	i := o.from[n]
	if i >= len(cells) {
		return ""
	}
	c := value.Trim(cells[i])
	if c != "" && o.labels != nil {
		return o.labels[n] + ": " + c
	}
	return c
}

// partOf gives the n-th part of a text, counted from 1, or from the end when
// n is negative; empty when there are not so many.
func partOf(s, by string, n int) string {
	parts := strings.Split(s, by)
	if n < 0 {
		n += len(parts) + 1
	}
	if n < 1 || n > len(parts) {
		return ""
	}
	return value.Trim(parts[n-1])
}

// of gives the part of a text.
func (t Take) of(s string) string {
	switch t {
	case TakeGivenName:
		given, _ := value.SplitName(s)
		return given
	case TakeFamilyName:
		_, family := value.SplitName(s)
		return family
	}
	words := strings.Fields(s)
	if len(words) == 0 {
		return ""
	}
	if t == TakeLastWord {
		return words[len(words)-1]
	}
	return words[0]
}

// Ragged finds the problem of a row that has filled cells beyond the header.
func (p *Plan) Ragged(row sheet.Row) (problem.Problem, bool) {
	for i := p.columns; i < len(row.Cells); i++ {
		if value.Trim(row.Cells[i]) != "" {
			return problem.Problem{Code: problem.RaggedRow, Value: row.Cells[i], Detail: strconv.Itoa(len(row.Cells)) + " cells under " + strconv.Itoa(p.columns) + " headers"}, true
		}
	}
	return problem.Problem{}, false
}

// Apply types one row for the draft. The result's slices are used again by the next call.
func (dp *DraftPlan) Apply(row sheet.Row, out *Typed) {
	out.ID, out.LeftOut, out.NewerAt, out.Problems = 0, false, "", out.Problems[:0]
	out.Values, out.Cleared = out.Values[:0], out.Cleared[:0]
	for range dp.Fields {
		out.Values = append(out.Values, "")
	}
	var seen expr.Row
	if dp.where != nil || dp.expr {
		seen = dp.seen(row)
	}
	if dp.where != nil {
		holds, err := dp.where.Holds(seen)
		if err != nil {
			out.Problems = append(out.Problems, problem.Problem{Code: problem.ComputeFailed, Detail: err.Error()})
			return
		}
		if out.LeftOut = !holds; out.LeftOut {
			return
		}
	}
	if dp.HasID {
		dp.applyID(row, out)
	}
	if dp.newer != nil {
		dp.applyNewer(row, out)
	}
	country := ""
	if dp.country >= 0 {
		dp.applyField(dp.country, row, "", seen, out)
		country = out.Values[dp.country]
	}
	for i := range dp.Fields {
		if i != dp.country {
			dp.applyField(i, row, country, seen, out)
		}
	}
}

// seen is the row as expressions see it.
func (dp *DraftPlan) seen(row sheet.Row) expr.Row {
	r := expr.Row{Cells: make(map[string]string, len(dp.header)), Fields: map[string]string{}}
	for i, h := range dp.header {
		r.Cells[h] = ""
		if i < len(row.Cells) {
			r.Cells[h] = value.Trim(row.Cells[i])
		}
	}
	return r
}

func (dp *DraftPlan) applyID(row sheet.Row, out *Typed) {
	text := dp.id.text(row.Cells)
	if text == "" {
		return
	}
	id, err := dp.Type.ParseRecordID(text)
	if err != nil {
		out.Problems = append(out.Problems, problem.Problem{Code: problem.BadRecordID, Field: IDField, Column: dp.id.column, Value: text, Detail: dp.Type.RecordID(1042)})
		return
	}
	out.ID = id
}

func (dp *DraftPlan) applyNewer(row sheet.Row, out *Typed) {
	text := dp.newer.origin.text(row.Cells)
	v, trouble := dp.newer.reader.Read(text)
	if trouble.Code != "" {
		out.Problems = append(out.Problems, problem.Problem{Code: trouble.Code, Column: dp.newer.origin.column, Value: text, Detail: trouble.Detail})
		return
	}
	out.NewerAt = v
}

func (dp *DraftPlan) applyField(i int, row sheet.Row, country string, seen expr.Row, out *Typed) {
	fp := &dp.Fields[i]
	text := fp.origin.text(row.Cells)
	if fp.origin.compute != nil {
		computed, err := fp.origin.compute.Text(seen)
		if err != nil {
			out.Problems = append(out.Problems, problem.Problem{Code: problem.ComputeFailed, Field: fp.Field.Name, Detail: err.Error()})
			return
		}
		if computed = value.Trim(computed); computed != "" {
			text = computed
		}
	}
	if text == "" {
		return
	}
	if text[len(text)-1] == dp.clear[len(dp.clear)-1] && value.Fold(text) == dp.clear {
		if fp.Field.Required {
			out.Problems = append(out.Problems, problem.Problem{Code: problem.RequiredMissing, Field: fp.Field.Name, Column: fp.origin.column, Value: text})
			return
		}
		out.Cleared = append(out.Cleared, fp.Field.Name)
		return
	}
	v, trouble := fp.reader.ReadIn(text, country)
	if trouble.Code != "" {
		out.Problems = append(out.Problems, problem.Problem{Code: trouble.Code, Field: fp.Field.Name, Column: fp.origin.column, Value: text, Detail: trouble.Detail})
		return
	}
	out.Values[i] = v
	if seen.Fields != nil {
		seen.Fields[fp.Field.Name] = v
	}
}

// Column gives the header that a field's value comes from, empty when none.
func (fp FieldPlan) Column() string { return fp.origin.column }
