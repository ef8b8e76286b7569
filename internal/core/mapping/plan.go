package mapping

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/expr"
	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
)

// Plan is a routine made ready for the rows of one source. It keeps what its
// readers have seen and is not safe for use by several goroutines.
type Plan struct {
	Drafts  []*DraftPlan // in the order of the routine
	Order   []int        // their places, each behind those it points to
	Apart   bool         // a record of a row that is held does not hold those that do not need it
	columns int
	headers []string
	deleted []int // columns without a field that say which records were deleted
	usual   int   // how many cells a row fills, where a row with one alone is doubted; else 0
	typing  string
	again   func() (*Plan, error)
	files   *value.Files // that cells name; nil without
}

// DraftPlan works out one draft of each row.
type DraftPlan struct {
	Name    string
	Type    catalog.RecordType
	May     May
	Grouped bool // blank rows belong to the record of the row above
	Shared  bool // another draft points to it
	Meant   bool // links of any row may lead to what its rows become
	// and the routine leaves the rules to its type: the one record of its name is it, if nothing says otherwise
	ByName  bool
	Whole   bool                // its whole name says which record it is, whatever says otherwise
	Fields  []FieldPlan         // in the order of the record type
	Rules   []catalog.MatchRule // those that can work with the mapped fields
	lacks   []string            // the fields that the routine's own rules lack, where none of these can
	HasID   bool
	Known   bool // a row may have become its record already, and be held for another
	Repeats Repeats
	Gone    Gone
	Child   *FieldPlan // says whose children the rows are, where one that is gone can be told; nil else
	NewerBy bool       // rows say how old they are
	newer   *FieldPlan
	several bool      // there are other drafts of the row
	cells   []ownCell // those that say whether there is such a draft
	above   int64     // the last row that said something
	clear   string    // the folded text that empties a value
	id      origin
	where   *expr.Program
	header  []string
	expr    bool       // some value is computed
	country int        // index in Fields of the country that phone numbers belong to, or -1
	lender  *DraftPlan // the draft of which the country counts for one that has none; nil without
	lent    Typed      // what the lender says, for its country alone

	currency      int // index in Fields of the one currency that the type has, or -1
	given, family int // index in Fields of the halves of a name that may be turned, or -1

	honorific int // index in Fields of the form of address that cells of their own give, or -1

	street, code, town, region int // index in Fields of the parts of an address, or -1
	called, job                int // those of the family name of whom the address is, and of what they do, or -1
	names                      textkind.Halves
}

// ownCell is a column that says whether a row makes a draft.
type ownCell struct {
	at      int
	nothing *value.Nothing // tells cells that say nothing of it
}

// FieldPlan works out one field.
type FieldPlan struct {
	Field  catalog.Field
	Both   Both
	Chosen bool // somebody has said what Both is
	// How a value can be worse than what is there, and what happens then; no policy
	// where it cannot, or where somebody has said what Both is. Of a link it is
	// whether one to somebody who has left holds the row.
	Doubt    catalog.Doubt
	Doubtful Doubtful
	Above    bool // a value that says that it is that of the row above is in question
	Losable  bool // a value that has lost letters or digits elsewhere, or may stand for nothing, is in question
	Names    bool // and it holds names of people or companies
	Blank    Blank
	Draft    int // the place of the draft whose record the field points to, or -1
	// Rows is the place of the draft that makes records of the type which a text in
	// the cell names, so that it may name another row of the source; or -1.
	Rows int
	// LinkLabel is the label of the record type that such a field points to.
	LinkLabel string
	Find      []FindPart // by what the record is looked up, by name of the field; empty for other origins
	origin    origin
	reader    *value.Reader
	doubter   *value.Doubter
	plain     seenTexts        // texts that are values as they stand
	sound     seenTexts        // values in which nothing shows
	as        catalog.Likeness // what the field is compared as
	Light     bool             // a row is loaded without a value that cannot be read
}

// FindPart is a field of another record type by which a record is looked up.
type FindPart struct {
	Field  catalog.Field
	ByName bool // compared as a name and not as a key
	origin origin
	reader *value.Reader
}

// FindGap stands between the compared values of a look-up by several fields.
const FindGap = "\x1f"

// NewPlan makes a routine ready. The columns decide by their profile what the
// routine leaves open (date order, decimal sign).
func NewPlan(r Routine, c catalog.Catalog, columns []sheet.Column) (*Plan, error) {
	return newPlan(r, c, plannable(columns), sheet.UsualCells(columns))
}

func newPlan(r Routine, c catalog.Catalog, columns []column, usual int) (*Plan, error) {
	header := make([]string, len(columns))
	for i, col := range columns {
		header[i] = col.Header
	}
	if err := r.Check(c, header); err != nil {
		return nil, err
	}
	order, err := r.order()
	if err != nil {
		return nil, err
	}
	p := &Plan{columns: len(columns), headers: header, Order: order,
		again: func() (*Plan, error) { return newPlan(r, c, columns, usual) }}
	for i := range r.Drafts {
		dp, err := newDraftPlan(r, i, c, columns)
		if err != nil {
			return nil, inPlace(err, i)
		}
		dp.keepParts()
		p.Drafts = append(p.Drafts, dp)
	}
	p.Apart = r.apart()
	for _, dp := range p.Drafts {
		for _, fp := range dp.Fields {
			if fp.Draft >= 0 {
				p.Drafts[fp.Draft].Shared = true
			}
		}
	}
	for _, dp := range p.Drafts {
		for i := range dp.Fields {
			fp := &dp.Fields[i]
			if fp.Rows = p.meant(*fp); fp.Rows >= 0 {
				p.Drafts[fp.Rows].Meant = true
			}
		}
	}
	for i, dp := range p.Drafts {
		dp.Whole, dp.Gone = r.Drafts[i].ByName, or(r.Drafts[i].Gone, LeaveGone)
		if parent, ok := dp.Type.ParentField(); ok && (dp.May == CreateOrUpdate || dp.May == Update) {
			if n := slices.IndexFunc(dp.Fields, func(fp FieldPlan) bool { return fp.Field.Name == parent.Name }); n >= 0 {
				dp.Child = &dp.Fields[n]
			}
		}
		dp.ByName = dp.Shared && (dp.Whole || len(r.Drafts[i].Match) == 0)
		if dp.Repeats = or(r.Drafts[i].Repeats, HoldRepeats); dp.Shared {
			dp.Repeats = or(r.Drafts[i].Repeats, Once)
		}
	}
	p.lend()
	if r.Reading.Asides != sheet.ReadAsides && !p.Grouped() &&
		!slices.ContainsFunc(p.Drafts, func(dp *DraftPlan) bool { return dp.HasID }) {
		p.usual = usual
	}
	p.findDeleted(r, columns)
	p.typing, err = fingerprint(r, c, columns, usual)
	return p, err
}

// findDeleted finds the columns that say which records were deleted, where nobody has said what is done with them:
// no field takes them, no condition names them, and the import deletes nothing itself.
func (p *Plan) findDeleted(r Routine, columns []column) {
	used := r.Columns()
	for i, c := range columns {
		said := slices.ContainsFunc(r.Drafts, func(d Draft) bool { return strings.Contains(d.Where, c.Header) }) ||
			slices.ContainsFunc(p.Drafts, func(dp *DraftPlan) bool { return dp.May == Delete || dp.HasID })
		if !said && !slices.Contains(used, c.Header) && value.SaysDeleted(c.Header) {
			p.deleted = append(p.deleted, i)
		}
	}
}

// keepParts lets a town and a postal code that are taken from a cell keep the state and the
// country that stand with them where the draft has no field for these: nothing of a cell is lost
// in silence.
func (dp *DraftPlan) keepParts() {
	has := func(is func(f catalog.Field) bool) bool {
		return slices.ContainsFunc(dp.Fields, func(fp FieldPlan) bool { return is(fp.Field) })
	}
	for i := range dp.Fields {
		switch o := &dp.Fields[i].origin; o.take {
		case TakeTown, TakeAddressTown, TakePostalCode, TakeAddressCode:
			o.kept.region = !has(func(f catalog.Field) bool { return f.Holds == catalog.HoldsRegion })
			o.kept.country = !has(func(f catalog.Field) bool { return f.Type == catalog.Country })
		case TakeAddressStreet:
			takes := func(t Take) bool {
				return slices.ContainsFunc(dp.Fields, func(fp FieldPlan) bool { return fp.origin.take == t })
			}
			o.kept.person, o.kept.company = !takes(TakeAddresseeFamily), !takes(TakeAddresseeCompany)
		}
	}
}

// CountryOf gives the draft, by its place, and the field whose value is the country of the
// rows for the n-th draft; ok is false when none says it.
func (p *Plan) CountryOf(n int) (draft int, field string, ok bool) {
	of := p.Drafts[n]
	if of.country < 0 {
		of = of.lender
	}
	if of == nil {
		return 0, "", false
	}
	return slices.Index(p.Drafts, of), of.Fields[of.country].Field.Name, true
}

// Phones lists the places, among the draft's fields, of the telephone numbers that a column
// gives.
func (dp *DraftPlan) Phones() (places []int) {
	for n, fp := range dp.Fields {
		if fp.phones() {
			places = append(places, n)
		}
	}
	return places
}

// phones reports whether a column gives the field telephone numbers.
func (fp *FieldPlan) phones() bool {
	return fp.Field.Type == catalog.Phone && len(fp.origin.from) > 0 && fp.origin.compute == nil && len(fp.Find) == 0
}

// ColumnsOf gives the positions of the columns that a field, by its place, takes its value from.
func (dp *DraftPlan) ColumnsOf(place int) []int { return dp.Fields[place].origin.from }

// PhoneOf reads the telephone number of a row, by its place among the draft's fields, as one
// of a country; atHome is for it to be written as it is dialled there. It is empty when the cell
// says nothing, says its own country, or cannot be read so.
func (dp *DraftPlan) PhoneOf(place int, cells []string, country string, atHome bool) string {
	fp := &dp.Fields[place]
	text := fp.origin.text(cells)
	if text == "" || dp.empties(text) || saysCountry(text) || atHome && !value.DialledAtHome(text, country) {
		return ""
	}
	if v, _ := dp.besidePhone(place, text, cells); v != "" {
		return ""
	}
	v, trouble := fp.reader.ReadIn(text, country)
	if trouble.Code != "" {
		return ""
	}
	return v
}

// besidePhone reads a telephone number that names no country as one of the country of another
// number of the row, which says its own, where it is written as it is dialled there; first tells that
// this goes before what the source is said to be of, since it has the 0 that stands before numbers there.
func (dp *DraftPlan) besidePhone(place int, text string, cells []string) (v string, first bool) {
	if saysCountry(text) {
		return "", false
	}
	for n := range dp.Fields {
		fp := &dp.Fields[n]
		if n == place || !fp.phones() {
			continue
		}
		other := fp.origin.text(cells)
		if !saysCountry(other) {
			continue
		}
		country := value.PhoneCountry(other)
		if country == "" || !value.DialledAtHome(text, country) {
			continue
		}
		if v, trouble := dp.Fields[place].reader.ReadIn(text, country); trouble.Code == "" {
			return v, strings.HasPrefix(text, "0") || strings.HasPrefix(text, "(0")
		}
	}
	return "", false
}

// saysCountry reports whether a telephone number begins with the code of its country.
func saysCountry(phone string) bool {
	return strings.HasPrefix(phone, "+") || strings.HasPrefix(phone, "00")
}

// lend lets a draft without a country of its own read phone numbers by that of a draft it
// points to, or else of another draft of the row.
func (p *Plan) lend() {
	for _, dp := range p.Drafts {
		if dp.country >= 0 {
			continue
		}
		for _, fp := range dp.Fields {
			if fp.Draft >= 0 && p.Drafts[fp.Draft].country >= 0 && dp.lender == nil {
				dp.lender = p.Drafts[fp.Draft]
			}
		}
		if n := slices.IndexFunc(p.Drafts, func(o *DraftPlan) bool { return o.country >= 0 }); dp.lender == nil && n >= 0 {
			dp.lender = p.Drafts[n]
		}
	}
}

// forAll gives a policy for all fields of a draft as it holds for one of them: links
// are left out only where it is said of the field itself.
func forAll(u Unreadable, f catalog.Field) Unreadable {
	if f.Kind().Form == catalog.LinkForm {
		return ""
	}
	return u
}

// meant gives the place of the first draft that makes what a link by text names, or -1.
func (p *Plan) meant(fp FieldPlan) int {
	if fp.Field.Kind().Form != catalog.LinkForm || fp.Draft >= 0 || len(fp.Find) > 0 {
		return -1
	}
	return p.Makes(fp.Field.To)
}

// Makes gives the place of the first draft that may make records of a type, or -1.
func (p *Plan) Makes(typeName string) int {
	return slices.IndexFunc(p.Drafts,
		func(d *DraftPlan) bool { return d.Type.Name == typeName && d.May != Update && d.May != Delete })
}

// Meanings lists what words of the field's column are said to mean.
func (fp FieldPlan) Meanings() []string { return slices.Sorted(maps.Values(fp.origin.values)) }

// Becomes gives the place of the draft of which the field may point to what a row
// becomes, of its own row or of any other; or -1.
func (fp FieldPlan) Becomes() int { return max(fp.Draft, fp.Rows) }

// Several reports whether a row makes several drafts.
func (p *Plan) Several() bool { return len(p.Drafts) > 1 }

// LinkedTypes lists the record types that the drafts link to and do not become
// themselves.
func (p *Plan) LinkedTypes() []string {
	list := []string{}
	for _, dp := range p.Drafts {
		for _, fp := range dp.Fields {
			to := fp.Field.To
			becomes := slices.ContainsFunc(p.Drafts, func(x *DraftPlan) bool { return x.Type.Name == to })
			if to != "" && !becomes && !slices.Contains(list, to) {
				list = append(list, to)
			}
		}
	}
	return list
}

// Grouped reports whether rows belong to rows above, so that none may be looked
// at without those before it.
func (p *Plan) Grouped() bool {
	return slices.ContainsFunc(p.Drafts, func(dp *DraftPlan) bool { return dp.Grouped })
}

// Pass takes note of a row that is not typed, for those that belong to it.
func (p *Plan) Pass(row sheet.Row) {
	for _, dp := range p.Drafts {
		if !dp.blank(row) {
			dp.above = row.Number
		}
	}
}

// Begin readies the plan for reading the rows from the first.
func (p *Plan) Begin() {
	for _, dp := range p.Drafts {
		dp.above = 0
	}
}

// Named gives the name of a field in what is said of a row: with several drafts
// the draft's name stands before it.
func (dp *DraftPlan) Named(field string) string {
	switch {
	case !dp.several:
		return field
	case field == "":
		return dp.Name
	}
	return dp.Name + "." + field
}

func newDraftPlan(r Routine, n int, c catalog.Catalog, columns []column) (*DraftPlan, error) {
	d, reading := r.Drafts[n], r.Reading
	t, err := c.MustType(d.Type)
	if err != nil {
		return nil, err
	}
	dp := &DraftPlan{
		Name: d.Called(), Type: t, May: or(d.May, r.May), Grouped: d.Grouped, Known: r.apart(),
		several: len(r.Drafts) > 1, country: -1, currency: -1, given: -1, family: -1,
		clear: value.Fold(or(d.ClearMarker, DefaultClearMarker)),
	}
	for _, col := range columns {
		dp.header = append(dp.header, col.Header)
	}
	if d.Where != "" {
		if dp.where, err = expr.CompileCondition(d.Where, dp.header); err != nil {
			return nil, atPath(err, "where")
		}
	}
	if o, ok := d.Fields[IDField]; ok {
		dp.HasID = true
		if dp.id, err = dp.newOrigin(o, catalog.Field{}, c.Nothing, columns); err != nil {
			return nil, atPath(err, "fields."+IDField+".compute")
		}
	}
	for _, f := range t.Fields {
		o, ok := d.Fields[f.Name]
		if !ok {
			continue
		}
		from, err := dp.newOrigin(o, f, c.Nothing, columns)
		if err != nil {
			return nil, atPath(err, "fields."+f.Name+".compute")
		}
		fp := FieldPlan{Field: f, Draft: r.indexOf(o.Draft), origin: from, Both: or(o.Both, d.Both, Replace),
			Chosen: o.Both != "" || d.Both != "", Blank: or(o.Blank, d.Blank, Leave)}
		if f.Required {
			fp.Blank = Leave
		}
		if fp.Doubt = t.Doubts(f); !fp.Chosen && fp.Doubt != catalog.NoDoubt {
			fp.Doubtful = or(o.Doubtful, d.Doubtful, KeepThere)
		}
		if f.Kind().Form == catalog.LinkForm {
			fp.Doubtful = or(o.Doubtful, d.Doubtful)
		}
		fp.Losable = (f.Type == catalog.Text || f.Type == catalog.Email) && len(from.from) > 0 && or(o.Doubtful, d.Doubtful) != TakeRows
		fp.Above = (f.Type == catalog.Text || f.Kind().Form == catalog.LinkForm) && len(from.from) > 0 &&
			or(o.Doubtful, d.Doubtful) != TakeRows
		fp.doubter, fp.as = value.NewDoubter(f), f.ComparedAs()
		fp.Names = fp.Losable && value.HoldsNames(f)
		fp.Light = Light(f) && or(o.Unreadable, forAll(d.Unreadable, f), HoldRow) == LeaveValue
		set, err := settings(reading, fp.Field, o, fp.origin, columns)
		if err != nil {
			return nil, err
		}
		fp.reader = value.NewReader(f, set)
		if to, ok := c.Type(f.To); ok {
			fp.LinkLabel = to.Label
		}
		if fp.Find, err = dp.findParts(o, f, c, reading, columns); err != nil {
			return nil, err
		}
		if len(fp.Find) > 0 {
			fp.origin.column = fp.Find[0].origin.column
		}
		// that of the address before any other
		if f.Type == catalog.Country && (dp.country < 0 || f.ComparedAs() == catalog.AsCountry) {
			dp.country = len(dp.Fields)
		}
		dp.Fields = append(dp.Fields, fp)
	}
	dp.doubtsOrder(d)
	dp.doubtsCurrency()
	dp.findAddress()
	dp.findHonorific()
	for i, col := range columns {
		if slices.Contains(r.ownColumns(n), col.Header) {
			dp.cells = append(dp.cells, ownCell{at: i, nothing: dp.nothingIn(i, c)})
		}
	}
	if d.NewerBy != "" {
		from, err := dp.newOrigin(Origin{From: []string{d.NewerBy}}, catalog.Field{}, c.Nothing, columns)
		if err != nil {
			return nil, err
		}
		f := catalog.Field{Name: "newer_by", Label: d.NewerBy, Type: catalog.DateTime}
		set, err := settings(reading, f, Origin{}, from, columns)
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
	if len(dp.Rules) == 0 {
		for _, rule := range d.Match {
			dp.lacks = append(dp.lacks, slices.DeleteFunc(slices.Concat(rule.Fields, rule.Alike), dp.maps)...)
		}
		slices.Sort(dp.lacks)
		dp.lacks = slices.Compact(dp.lacks)
	}
	return dp, nil
}

// CheckRules says where a routine says by what records are found, and no column gives it: every row would
// make another record, and nobody would have said so. It is no fault of the routine, whose columns may still be placed.
func (p *Plan) CheckRules() error {
	for _, dp := range p.Drafts {
		if len(dp.lacks) == 0 {
			continue
		}
		return fault.New(fault.Invalid, "rules_without_columns", strings.ToLower(dp.Type.Plural)+
			" are to be found by what no column gives: "+dp.Type.FieldLabels(dp.lacks)).
			Mended("Place a column on it, or let records be found by something else.")
	}
	return nil
}

// doubtsCurrency says whether amounts are held whose currency is not that of the row: where the
// type has one currency.
func (dp *DraftPlan) doubtsCurrency() {
	several := 0
	for _, f := range dp.Type.Fields {
		if f.Type == catalog.Currency {
			several++
		}
	}
	if several == 1 {
		dp.currency = slices.IndexFunc(dp.Fields, func(fp FieldPlan) bool { return fp.Field.Type == catalog.Currency })
	}
}

// doubtsOrder says whether names whose halves seem turned are held: not those that come
// from records, nor where somebody has said that they are taken.
func (dp *DraftPlan) doubtsOrder(d Draft) {
	at := func(as catalog.Likeness) int {
		return slices.IndexFunc(dp.Fields,
			func(fp FieldPlan) bool { return fp.Field.ComparedAs() == as && len(fp.origin.from) > 0 })
	}
	given, family := at(catalog.AsGivenName), at(catalog.AsFamilyName)
	if given < 0 || family < 0 || dp.HasID || or(d.Fields[dp.Fields[family].Field.Name].Doubtful, d.Doubtful) == TakeRows {
		return
	}
	dp.given, dp.family = given, family
}

// nothingIn tells the cells of a column that say nothing of the draft: as the field that they
// are for reads them, where they are for one alone. Of grouped rows who is of no company is
// not of the one above.
func (dp *DraftPlan) nothingIn(column int, c catalog.Catalog) *value.Nothing {
	var of []*value.Nothing
	for _, fp := range dp.Fields {
		if slices.Contains(fp.origin.from, column) {
			of = append(of, fp.origin.nothing)
		}
	}
	if len(of) != 1 || dp.Grouped {
		return value.NothingAnywhere(c.Nothing)
	}
	return of[0]
}

// Dated reports whether a row may be known to be of some version of its record.
func (dp *DraftPlan) Dated() bool { return dp.HasID || dp.Known }

// usable gives a rule as far as it can work with the mapped fields: all that
// must be equal must be there, of those that must be alike as many as are, as
// long as they still tell records apart.
func (dp *DraftPlan) usable(rule catalog.MatchRule) (catalog.MatchRule, bool) {
	unmapped := func(name string) bool { return !dp.maps(name) }
	if slices.ContainsFunc(rule.Fields, unmapped) {
		return rule, false
	}
	rule.Alike = slices.DeleteFunc(slices.Clone(rule.Alike), unmapped)
	return rule, dp.Type.CheckMatchRule(rule) == nil
}

// maps reports whether the rows give a field, or the id.
func (dp *DraftPlan) maps(name string) bool {
	return name == IDField && dp.HasID ||
		slices.ContainsFunc(dp.Fields, func(f FieldPlan) bool { return f.Field.Name == name })
}

// findParts readies the fields by which a record is looked up, in the order of
// their names.
func (dp *DraftPlan) findParts(o Origin, f catalog.Field, c catalog.Catalog, reading sheet.Reading,
	columns []column) ([]FindPart, error) {
	if len(o.Find) == 0 {
		return nil, nil
	}
	t, err := c.MustType(f.To)
	if err != nil {
		return nil, err
	}
	var parts []FindPart
	for _, name := range slices.Sorted(maps.Keys(o.Find)) {
		by, _ := t.Field(name)
		from, err := dp.newOrigin(o.Find[name], by, c.Nothing, columns)
		if err != nil {
			return nil, atPath(err, "fields."+f.Name+".find."+name+".compute")
		}
		set, err := settings(reading, catalog.Field{}, o.Find[name], from, columns)
		if err != nil {
			return nil, err
		}
		parts = append(parts, FindPart{Field: by, ByName: !by.Normalised() && slices.Contains(t.Title, name), origin: from,
			reader: value.NewReader(by, set)})
	}
	return parts, nil
}

// atPath and inPlace say where in the routine an expression is wrong.
func atPath(err error, path string) error {
	if f, ok := fault.From(err); ok && f.Place.Path == "" {
		return f.At(fault.Place{Path: path})
	}
	return err
}

func inPlace(err error, draft int) error {
	if f, ok := fault.From(err); ok && f.Code != "bad_reading" {
		return f.At(fault.Place{Path: fmt.Sprintf("drafts[%d].%s", draft, f.Place.Path)})
	}
	return err
}
