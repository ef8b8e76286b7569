// Package mapping holds the routine (the reusable set-up of an import), works
// out what each row asks for, and suggests which column belongs to which
// field. It knows no database and no face.
package mapping

import (
	"bytes"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/expr"
	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"

	"gopkg.in/yaml.v3"
)

// May says what an import may do to records.
type May string

// What an import may do.
const (
	Create         May = "create"
	Update         May = "update"
	CreateOrUpdate May = "create_or_update"
	Delete         May = "delete"
)

// Mays lists what an import may do.
var Mays = []May{CreateOrUpdate, Create, Update, Delete}

// IDField is the name under which a mapping gives the record's id.
const IDField = "id"

// VersionMark stands between a record's id and the version of it that a sheet was
// made of.
const VersionMark = ":"

// Routine is the reusable set-up of an import.
type Routine struct {
	Name    string        `json:"name,omitempty" yaml:"name,omitempty"`
	Reading sheet.Reading `json:"reading" yaml:"reading,omitempty"`
	May     May           `json:"may" yaml:"may"`
	Drafts  []Draft       `json:"drafts" yaml:"drafts"`
	// what is held together, of rows of several records
	Held    Held     `json:"held,omitempty" yaml:"held,omitempty"`
	Ignored []string `json:"ignored,omitempty" yaml:"ignored,omitempty,flow"` // columns that are known and left out
	// when a load gives way, unless it is told otherwise
	Load *LoadPolicy `json:"load,omitempty" yaml:"load,omitempty"`
}

// LoadPolicy says when a load gives way. With none it loads what is good, and holds
// the rest.
type LoadPolicy struct {
	Whole     bool  `json:"whole,omitempty" yaml:"whole,omitempty"`           // all rows, in one transaction, or none
	PauseHeld int64 `json:"pause_held,omitempty" yaml:"pause_held,omitempty"` // it pauses when so many rows are held
	StopFails int64 `json:"stop_fails,omitempty" yaml:"stop_fails,omitempty"` // it stops when so many rows have failed
}

// Draft says how a row becomes one record.
type Draft struct {
	Name string `json:"name,omitempty" yaml:"name,omitempty"` // what other drafts call it; its type when empty
	Type string `json:"type" yaml:"type"`
	May  May    `json:"may,omitempty" yaml:"may,omitempty"` // for this draft; the routine's when empty
	// Grouped rows: where the draft's cells are blank, the row belongs to the
	// record of the row above.
	Grouped bool `json:"grouped,omitempty" yaml:"grouped,omitempty"`
	// ByName says that the whole name tells which record is meant, as in a link: rows of
	// one name are for one record, and what they say differently of it stays blank.
	ByName bool `json:"by_name,omitempty" yaml:"by_name,omitempty"`
	// CEL; rows for which it does not hold are left out
	Where  string              `json:"where,omitempty" yaml:"where,omitempty"`
	Fields map[string]Origin   `json:"fields" yaml:"fields"`
	Match  []catalog.MatchRule `json:"match,omitempty" yaml:"match,omitempty"` // empty takes the record type's own rules

	// for all fields that say nothing else
	Both  Both  `json:"both,omitempty" yaml:"both,omitempty"`
	Blank Blank `json:"blank,omitempty" yaml:"blank,omitempty"` // likewise
	// the column that tells how old a row is
	NewerBy string `json:"newer_by,omitempty" yaml:"newer_by,omitempty"`
	// a cell that says this empties the value
	ClearMarker string `json:"clear_marker,omitempty" yaml:"clear_marker,omitempty"`
	// for all fields that say nothing else and may be left out
	Unreadable Unreadable `json:"unreadable,omitempty" yaml:"unreadable,omitempty"`
	// for all fields that say nothing else
	Doubtful Doubtful `json:"doubtful,omitempty" yaml:"doubtful,omitempty"`
	// children that the source does not name any more
	Gone Gone `json:"gone,omitempty" yaml:"gone,omitempty"`
	// rows that are for the same record
	Repeats Repeats `json:"repeats,omitempty" yaml:"repeats,omitempty"`
}

// Called is the name of the draft within its routine.
func (d Draft) Called() string { return or(d.Name, d.Type) }

// Origin says where a field's value comes from: columns, one fixed value, an
// expression, a record that is looked up or another draft of the same row, with
// another fixed value where the first gave nothing.
type Origin struct {
	From []string `json:"from,omitempty" yaml:"from,omitempty,flow"` // headers; several are joined
	// stands between several, a space when empty
	Join string `json:"join,omitempty" yaml:"join,omitempty"`
	Take Take   `json:"take,omitempty" yaml:"take,omitempty"` // only this part of the cell
	// only in rows of which another column says so
	When *When `json:"when,omitempty" yaml:"when,omitempty"`
	// each cell behind its header: for notes
	Labelled bool   `json:"labelled,omitempty" yaml:"labelled,omitempty"`
	Split    string `json:"split,omitempty" yaml:"split,omitempty"` // parts the text here, for part
	// which of the split parts, counted from 1, or from the end with -1
	Part    int    `json:"part,omitempty" yaml:"part,omitempty"`
	Cut     int    `json:"cut,omitempty" yaml:"cut,omitempty"` // keeps at most so many characters
	Fixed   string `json:"fixed,omitempty" yaml:"fixed,omitempty"`
	Compute string `json:"compute,omitempty" yaml:"compute,omitempty"` // CEL over cells and the fields before
	// for references: the fields by which the record is looked up
	Find map[string]Origin `json:"find,omitempty" yaml:"find,omitempty"`
	// for references: the record that this draft of the row becomes
	Draft     string `json:"draft,omitempty" yaml:"draft,omitempty"`
	Otherwise string `json:"otherwise,omitempty" yaml:"otherwise,omitempty"`
	// How the cells are read, where the column and the source leave it open.
	DateOrder   value.DateOrder `json:"date_order,omitempty" yaml:"date_order,omitempty"`
	DecimalSign string          `json:"decimal_sign,omitempty" yaml:"decimal_sign,omitempty"`
	// which day a month or a quarter means
	Spans value.Spans `json:"spans,omitempty" yaml:"spans,omitempty"`
	// from when numbers of days are counted
	DayNumbers value.DayNumbers `json:"day_numbers,omitempty" yaml:"day_numbers,omitempty"`
	Rough      value.Rough      `json:"rough,omitempty" yaml:"rough,omitempty"` // which number a range means
	// whether yes means yes; empty: as the header says
	Sense value.Sense `json:"sense,omitempty" yaml:"sense,omitempty"`
	// in what amounts are; empty: as the header says
	Unit value.Unit `json:"unit,omitempty" yaml:"unit,omitempty"`
	// what becomes of names in capitals
	Capitals value.Capitals `json:"capitals,omitempty" yaml:"capitals,omitempty"`
	Percents value.Percents `json:"percents,omitempty" yaml:"percents,omitempty"`
	// value list: what the cell says → what is meant
	Values     map[string]string `json:"values,omitempty" yaml:"values,omitempty"`
	Both       Both              `json:"both,omitempty" yaml:"both,omitempty"`
	Blank      Blank             `json:"blank,omitempty" yaml:"blank,omitempty"`
	Unreadable Unreadable        `json:"unreadable,omitempty" yaml:"unreadable,omitempty"`
	Doubtful   Doubtful          `json:"doubtful,omitempty" yaml:"doubtful,omitempty"`
}

// When says in which rows a column speaks of a field: those in which another column has one of
// some words, in whatever capitals. So rows are about an account, a contact or a deal, whose number
// stands in one column, and what it numbers in another.
type When struct {
	Column string   `json:"column" yaml:"column"`
	Is     []string `json:"is" yaml:"is,flow"`
}

// Take names a part of a cell.
type Take string

// The parts of a full name, of any text, and of an amount.
const (
	TakeGivenName   Take = "given_name"
	TakeFamilyName  Take = "family_name"
	TakeFamilyFirst Take = "family_name_first" // where the family name stands first, without a comma
	TakeGivenLast   Take = "given_name_last"
	TakeHonorific   Take = "honorific" // forms of address and titles before a name
	TakeFirstWord   Take = "first_word"
	TakeLastWord    Take = "last_word"
	TakeCurrency    Take = "currency"    // the sign or code beside an amount, else the one that the header names
	TakePostalCode  Take = "postal_code" // of a postal code and a town together
	TakeTown        Take = "town"
	TakeRegion      Take = "region"  // the state or province beside them
	TakeCountry     Take = "country" // behind them
	// Of a whole address in one cell; what cannot be parted is all street.
	TakeAddressStreet  Take = "address_street"
	TakeAddressCode    Take = "address_postal_code"
	TakeAddressTown    Take = "address_town"
	TakeAddressRegion  Take = "address_region"
	TakeAddressCountry Take = "address_country"
	// Of the lines before the street of such an address, which name whom a letter is for.
	TakeAddresseeHonorific Take = "addressee_honorific"
	TakeAddresseeGiven     Take = "addressee_given_name"
	TakeAddresseeFamily    Take = "addressee_family_name"
	TakeAddresseeCompany   Take = "addressee_company"
)

// Takes lists the parts that can be taken.
var Takes = []Take{TakeGivenName, TakeFamilyName, TakeFamilyFirst, TakeGivenLast, TakeHonorific, TakeFirstWord,
	TakeLastWord, TakeCurrency, TakePostalCode, TakeTown, TakeRegion, TakeCountry,
	TakeAddressStreet, TakeAddressCode, TakeAddressTown, TakeAddressRegion, TakeAddressCountry,
	TakeAddresseeHonorific, TakeAddresseeGiven, TakeAddresseeFamily, TakeAddresseeCompany}

// Check says whether the routine can work with these record types and, when
// columns are given, with these columns.
func (r Routine) Check(c catalog.Catalog, columns []string) error {
	if !slices.Contains(Mays, r.May) {
		return fault.New(fault.Invalid, "unknown_may",
			"an import may not do this").At(fault.Place{Path: "may"}).With(string(r.May)).
			Mended(fmt.Sprintf("Choose one of %v.", Mays))
	}
	if err := oneOf(r.Held, []Held{HeldRow, HeldRecord}, "unknown_policy", "rows are not held so",
		fault.Place{Path: "held"}); err != nil {
		return err
	}
	if err := r.Reading.Check(); err != nil {
		return err
	}
	if p := r.Load; p != nil && (p.PauseHeld < 0 || p.StopFails < 0) {
		return fault.New(fault.Invalid, "bad_number",
			"a load gives way at a number of rows").At(fault.Place{Path: "load"}).Mended("Give numbers from 1 on.")
	}
	if err := r.checkDrafts(); err != nil {
		return err
	}
	for i, d := range r.Drafts {
		if err := d.check(c, columns, fmt.Sprintf("drafts[%d]", i)); err != nil {
			return err
		}
		if err := r.checkLinks(c, i); err != nil {
			return err
		}
		if err := r.checkByName(c, i); err != nil {
			return err
		}
	}
	_, err := r.order()
	return err
}

func (d Draft) check(c catalog.Catalog, columns []string, path string) error {
	t, err := c.MustType(d.Type)
	if err != nil {
		return err
	}
	if err := oneOf(d.May, Mays, "unknown_may", "a draft may not do this", fault.Place{Path: path + ".may"}); err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(d.Fields)) {
		f, ok := t.Field(name)
		if !ok && name != IDField {
			return fault.New(fault.Invalid, "unknown_field", "the record type "+t.Name+
				" has no such field").At(fault.Place{Path: path + ".fields." + name}).With(name).
				Mended("Fields: " + fieldNames(t) + ".")
		}
		if f.Retired {
			return fault.New(fault.Invalid, "field_retired",
				"the field is retired, so it is no longer filled").At(fault.Place{Path: path + ".fields." + name}).With(name).
				Mended("Take it out of the mapping, or take it into use again.")
		}
		if err := d.Fields[name].check(c, f, columns, path+".fields."+name); err != nil {
			return err
		}
		if err := d.Fields[name].checkValues(f, or(d.ClearMarker, DefaultClearMarker), path+".fields."+name); err != nil {
			return err
		}
	}
	for i, rule := range d.Match {
		if err := t.CheckMatchRule(rule); err != nil {
			f, _ := fault.From(err)
			return f.At(fault.Place{Path: fmt.Sprintf("%s.match[%d]", path, i)})
		}
	}
	return d.checkPolicies(t, columns, path)
}

// check says whether the origin can give values for a field.
func (o Origin) check(c catalog.Catalog, f catalog.Field, columns []string, path string) error {
	at := fault.Place{Path: path}
	switch o.count() {
	case 0:
		return fault.New(fault.Invalid, "origin_missing", "the field has no origin: neither a column nor a fixed value, an "+
			"expression, a look-up or a draft").At(at).Mended("Name one, or take the field out.")
	case 1:
	default:
		return fault.New(fault.Invalid, "origin_twice", "the field has two origins of different kinds").At(at).
			Mended("Keep one of from, fixed, compute, find and draft; use otherwise for a value where the first gives nothing.")
	}
	if (o.Split == "") != (o.Part == 0) {
		return fault.New(fault.Invalid, "part_missing",
			"to take a part of a cell, both split and part are needed").At(at).Mended("For example split: \",\" and part: 1; -1 is the last.")
	}
	if o.Cut < 0 {
		return fault.New(fault.Invalid, "bad_cut", "a text is cut to one character or more").At(at).With(fmt.Sprint(o.Cut))
	}
	if err := oneOf(o.Take, Takes, "unknown_take", "there is no such part of a cell", at); err != nil {
		return err
	}
	if err := oneOf(o.DateOrder, value.DateOrders, "bad_reading", "dates are not written in such an order",
		at); err != nil {
		return err
	}
	if err := oneOf(o.Spans, value.WaysOfSpans, "bad_reading", "a month or a quarter does not mean such a day",
		at); err != nil {
		return err
	}
	if err := oneOf(o.DayNumbers, value.WaysOfDayNumbers, "bad_reading", "days are not counted from then",
		at); err != nil {
		return err
	}
	if err := oneOf(o.Rough, value.WaysOfRough, "bad_reading", "a range does not mean such a number", at); err != nil {
		return err
	}
	if err := oneOf(o.Sense, value.Senses, "bad_reading", "yes and no are not meant so", at); err != nil {
		return err
	}
	if err := oneOf(o.Unit, value.Units, "bad_reading", "amounts are not in such a unit", at); err != nil {
		return err
	}
	if err := oneOf(o.Capitals, value.WaysOfCapitals, "bad_reading", "names in capitals are not set so", at); err != nil {
		return err
	}
	if err := oneOf(o.Percents, value.WaysOfPercents, "bad_reading", "percentages are not written so", at); err != nil {
		return err
	}
	if err := oneOf(decimalSign(o.DecimalSign), decimalSigns, "bad_reading", "this is no decimal sign", at); err != nil {
		return err
	}
	if err := o.checkFind(c, f, columns, path); err != nil {
		return err
	}
	if o.When != nil && (len(o.From) == 0 || len(o.When.Is) == 0 || f.Name == "") {
		return fault.New(fault.Invalid, "bad_when", "what holds in some rows alone is a field's column, and some words say in "+
			"which").At(fault.Place{Path: path + ".when"}).Mended("For example when: {column: About, is: [company, customer]}.")
	}
	if columns == nil {
		return nil
	}
	for _, from := range o.Columns() {
		if !slices.Contains(columns, from) {
			return fault.New(fault.Invalid, "unknown_column", "the source has no such column").At(at).With(from).
				Mended("Columns: " + fault.Cut(strings.Join(columns, ", "), 300) + ".")
		}
	}
	return nil
}

// fewValues are the types of fields of which every value is one of a list, so that one which is not can be told
// before any row is read.
var fewValues = []catalog.FieldType{
	catalog.OneChoice, catalog.Choices, catalog.YesNo, catalog.Country, catalog.Currency, catalog.Language,
}

// checkValues says whether what is fixed for all rows, and what words are said to mean, are values of the field; a
// choice that is no longer offered is still one, and the marker empties a value.
func (o Origin) checkValues(f catalog.Field, marker, path string) error {
	if !slices.Contains(fewValues, f.Type) {
		return nil
	}
	f.Choices = slices.Clone(f.Choices)
	for n := range f.Choices {
		f.Choices[n].Closed = false
	}
	reader := value.NewReader(f, value.Settings{})
	check := func(text, place string) error {
		if text == "" || value.Fold(text) == value.Fold(marker) {
			return nil
		}
		_, trouble := reader.Read(text)
		if trouble.Code == "" {
			return nil
		}
		mended := "Give a value of the field."
		if len(f.Choices) > 0 {
			mended = "Choose one of: " + fault.Cut(trouble.Detail, 300) + "."
		}
		return fault.New(fault.Invalid, "not_a_value", "the field "+f.Label+" has no such value").
			At(fault.Place{Path: place}).With(text).Mended(mended)
	}
	for _, word := range slices.Sorted(maps.Keys(o.Values)) {
		if err := check(o.Values[word], path+".values."+word); err != nil {
			return err
		}
	}
	return check(o.Fixed, path+".fixed")
}

type decimalSign string

var decimalSigns = []decimalSign{".", ","}

// checkFind says whether a record can be looked up as the origin says.
func (o Origin) checkFind(c catalog.Catalog, f catalog.Field, columns []string, path string) error {
	at := fault.Place{Path: path}
	if (o.Find != nil || o.Draft != "") && f.Type != catalog.Reference {
		return fault.New(fault.Invalid, "not_a_reference",
			"only a field that points to a record can be "+
				"looked up or be a draft").At(at).With(f.Name).Mended("Give it from a column, fixed or computed.")
	}
	if o.Find == nil {
		return nil
	}
	t, err := c.MustType(f.To)
	if err != nil {
		return err
	}
	telling := false
	for _, name := range slices.Sorted(maps.Keys(o.Find)) {
		by, ok := t.Field(name)
		place := path + ".find." + name
		if !ok || by.Type == catalog.Reference {
			return fault.New(fault.Invalid, "unknown_field", "a "+strings.ToLower(t.Label)+
				" cannot be looked up by this").At(fault.Place{Path: place}).With(name).Mended("Fields: " + fieldNames(t) +
				"; no references.")
		}
		telling = telling || by.Normalised() || slices.Contains(t.Title, name)
		part := o.Find[name]
		if part.Find != nil || part.Draft != "" {
			return fault.New(fault.Invalid, "find_in_find",
				"what a record is looked up by is a value").At(fault.Place{Path: place}).Mended("Give it from columns, fixed or computed.")
		}
		if err := part.check(c, by, columns, place); err != nil {
			return err
		}
	}
	if !telling {
		return fault.New(fault.Invalid, "rule_not_selective",
			"no field of the look-up tells one record from most others").At(at).Mended("Look it up by a key, a look-up field " +
			"or its name, alone or with others.")
	}
	return nil
}

// count tells from how many kinds of origin the value would come.
func (o Origin) count() int {
	n := 0
	for _, there := range []bool{len(o.From) > 0, o.Fixed != "", o.Compute != "", len(o.Find) > 0, o.Draft != ""} {
		if there {
			n++
		}
	}
	return n
}

func fieldNames(t catalog.RecordType) string {
	names := []string{IDField}
	for _, f := range t.Fields {
		names = append(names, f.Name)
	}
	return strings.Join(names, ", ")
}

// Columns lists the headers that the origin takes values from, or that say where it does.
func (o Origin) Columns() []string {
	list := o.From
	if o.When != nil {
		list = append(slices.Clone(list), o.When.Column)
	}
	for _, name := range slices.Sorted(maps.Keys(o.Find)) {
		list = slices.Concat(list, o.Find[name].Columns())
	}
	return list
}

// Columns lists the headers that the routine takes values from.
func (r Routine) Columns() []string {
	used := map[string]bool{}
	for _, d := range r.Drafts {
		for _, o := range d.Fields {
			for _, c := range o.Columns() {
				used[c] = true
			}
		}
	}
	return slices.AppendSeq([]string{}, slices.Values(slices.Sorted(maps.Keys(used))))
}

// Fitted gives the routine as far as its columns are there; ok is false when it
// takes columns and none of them is there.
func (r Routine) Fitted(columns []string) (kept Routine, ok bool) {
	kept = r
	kept.Drafts = slices.Clone(r.Drafts)
	for i := range kept.Drafts {
		d := &kept.Drafts[i]
		fields := map[string]Origin{}
		for name, o := range d.Fields {
			if !slices.ContainsFunc(o.Columns(), func(from string) bool { return !slices.Contains(columns, from) }) {
				fields[name] = o
			}
		}
		d.Fields = fields
		if !slices.Contains(columns, d.NewerBy) {
			d.NewerBy = ""
		}
	}
	return kept, len(kept.Columns()) > 0 || len(r.Columns()) == 0
}

// ReadRoutine reads a routine from YAML or JSON. Names that a routine does not
// have are refused with their line.
func ReadRoutine(document []byte) (Routine, error) {
	var r Routine
	d := yaml.NewDecoder(bytes.NewReader(document))
	d.KnownFields(true)
	if err := d.Decode(&r); err != nil {
		return r, fault.New(fault.Invalid, "bad_routine", "the routine cannot be read: "+plainWords(err)).
			Mended("See docs/guide/columns.md for its form.")
	}
	return r, nil
}

var unknownPart = regexp.MustCompile(`field (\S+) not found in type \S+`)

// plainWords turns what the YAML reader says into words without its types.
func plainWords(err error) string {
	s := strings.TrimPrefix(strings.TrimPrefix(err.Error(), "yaml: "), "unmarshal errors:")
	return unknownPart.ReplaceAllString(strings.Join(strings.Fields(s), " "), "a routine has no part called $1")
}

// WriteRoutine writes a routine as YAML.
func WriteRoutine(r Routine) ([]byte, error) {
	var b bytes.Buffer
	e := yaml.NewEncoder(&b)
	e.SetIndent(2)
	err := e.Encode(r)
	return b.Bytes(), err
}

// Unplaced lists the columns that no field takes, and that nothing is computed from.
func (r Routine) Unplaced(columns []string) []string {
	used := r.Columns()
	for _, d := range r.Drafts {
		for _, o := range d.Fields {
			if o.Compute != "" {
				used = append(used, expr.Headers(o.Compute)...)
			}
		}
	}
	var free []string
	for _, c := range columns {
		if !slices.Contains(used, c) {
			free = append(free, c)
		}
	}
	return free
}

// Taught gives the routine with what its value lists have been taught in another that was
// made of it: words that it did not know. Lists of fields that come from elsewhere by
// now, and words that it knows, stay. changed reports whether there were any.
func (r Routine) Taught(by Routine) (out Routine, changed bool) {
	out = r
	out.Drafts = slices.Clone(r.Drafts)
	for n, d := range out.Drafts {
		at := slices.IndexFunc(by.Drafts, func(x Draft) bool { return x.Called() == d.Called() && x.Type == d.Type })
		if at < 0 {
			continue
		}
		fields := maps.Clone(d.Fields)
		for name, o := range fields {
			taught, ok := by.Drafts[at].Fields[name]
			if !ok || !slices.Equal(o.From, taught.From) {
				continue
			}
			values := maps.Clone(o.Values)
			for word, means := range taught.Values {
				if _, known := values[word]; known {
					continue
				}
				if values == nil {
					values = map[string]string{}
				}
				values[word], changed = means, true
			}
			o.Values = values
			fields[name] = o
		}
		out.Drafts[n].Fields = fields
	}
	return out, changed
}
