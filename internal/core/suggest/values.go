package suggest

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
)

// fit is what the cells of a column say about a field.
type fit int

const (
	neutralFit  fit = iota // nothing for and nothing against
	contradicts            // the cells cannot be this
	against                // the cells look like something else
	supports               // the cells look like this, and may be something else
	tells                  // the cells look like this so clearly that a header which says nothing need not
	distinctive            // the cells look like this and like nothing else
)

// strong tells which types are told by their cells whatever the header says.
func strong(t catalog.FieldType) bool {
	return t == catalog.Email || t == catalog.URL || t == catalog.File || t == catalog.Country ||
		t == catalog.OneChoice || t == catalog.Text || t == catalog.Reference
}

// fitOf compares what stands in a column with what a field takes.
func fitOf(t catalog.RecordType, f catalog.Field, col sheet.Column, kinds kindsOf) (fit, string) {
	if len(col.Samples) == 0 {
		return neutralFit, ""
	}
	if f.Name == mapping.IDField {
		if share(col.Samples, func(s string) bool {
			id, _, _ := strings.Cut(s, mapping.VersionMark)
			_, err := t.ParseRecordID(id)
			return err == nil
		}) < 0.5 {
			return contradicts, "its values do not look like " + t.RecordID(1042)
		}
		return distinctive, "its values are ids"
	}
	if counted := !comesAgain(col) && countsRows(col.Samples); counted && f.Name != "position" {
		if len(col.Samples) < fewestToTell { // which may be chance
			return against, "its values only count the rows"
		}
		return contradicts, "its values only count the rows"
	}
	seen := &cells{col: col, field: f, of: t.Name, memo: kinds.memo, readers: kinds.readers,
		people: kinds.known && kinds.p[textkind.FullName] > 0.7}
	if f.To != t.Name { // what names records of its own type is more likely their names
		seen.names = kinds.names
	}
	// LU is a province too
	if countries := seen.readable(catalog.Country); f.ComparedAs() == catalog.AsLocality && countries > 0.8 ||
		f.Holds == catalog.HoldsRegion && countries > 0.5 &&
			seen.share("long words", func(s string) bool { return len([]rune(s)) > 3 }) > 0.5 {
		return contradicts, "its values are countries"
	}
	if f.ComparedAs() == catalog.AsStreet &&
		seen.once("towns with codes", func() float64 { return townsIn(col) }) > 0.8 {
		return contradicts, "its values are towns with their postal codes"
	}
	if !takesTicks[f.Type] && seen.ticks() && !(seen.is(catalog.Language) || seen.is(catalog.Country)) {
		return contradicts, "its values are yes and no"
	}
	fit, what := fits[f.Type](seen)
	if as := f.ComparedAs(); (as == catalog.AsCompanyName || as == catalog.AsEmployer || f.Type == catalog.Reference) &&
		col.Filled >= fewest &&
		seen.share("everyday", func(s string) bool { return everyday[value.Words(s)] }) > 0.9 {
		return contradicts, "its values are no names"
	}
	if (f.Type == catalog.LongText || f.ComparedAs() == catalog.AsCompanyName) && seen.fewPeople() {
		return contradicts, "its values are names of few people"
	}
	if f.Type == catalog.LongText && kinds.known && kinds.texts >= fewest && kinds.p[textkind.Company] > 0.9 &&
		seen.share("legal forms", withLegalForm) > 0.2 {
		return contradicts, "its values are names of companies"
	}
	if f.ComparedAs() == catalog.AsCode && seen.share("words alone", wordsAlone) > 0.9 {
		return contradicts, "its values are words"
	}
	again := col.Filled >= fewest && col.Distinct > 1 && col.Distinct*2 <= col.Filled
	if f.Type == catalog.LongText && again && seen.share("initials", initials.MatchString) > 0.9 {
		return contradicts, "its values are initials of few people"
	}
	if f.ComparedAs() == catalog.AsStreet || f.Type == catalog.Reference && col.Distinct > 1 && seen.names[f.To] == 0 {
		if of := seen.choicesOf(t); of != "" {
			return contradicts, "its values are choices of " + of
		}
		if f.To == "staff" && seen.phrases() {
			return contradicts, "its values are phrases, nearly each another"
		}
	}
	if f.Type == catalog.Reference && f.To == "staff" && kinds.known && kinds.texts >= fewestToTell &&
		kinds.p[textkind.Job] > 0.97 {
		return contradicts, "its values look like " + kindWords[textkind.Job]
	}
	// The number of a record is as good a name of it as any, whatever else it is like.
	number := f.Type == catalog.Reference &&
		seen.share("mostly digits", func(s string) bool { return digitsIn(s)*2 > len(s) }) > 0.6
	words := f.Type == catalog.Text || f.Type == catalog.LongText || f.Type == catalog.Reference && !number
	if words && (fit == neutralFit || fit == supports) {
		if kind, why := fitKind(f, kinds); kind != neutralFit {
			return kind, why
		}
	}
	if f.ComparedAs() == catalog.AsStreet && fit == neutralFit && kinds.known && kinds.p[textkind.Street] < 0.1 && again &&
		seen.share("some digit", func(s string) bool { return digitsIn(s) > 0 }) == 0 {
		return against, "its values come again, and look like no streets"
	}
	return fit, what
}

// countsRows tells whether texts are 1, 2, 3 and so on.
func countsRows(texts []string) bool {
	if len(texts) < 2 {
		return false
	}
	for n, s := range texts {
		if v, err := strconv.Atoi(strings.TrimSpace(s)); err != nil || v != n+1 {
			return false
		}
	}
	return true
}

// kindsOf is what kind of thing the texts of a column are, as package textkind tells.
type kindsOf struct {
	p      [textkind.Kinds]float64
	known  bool
	texts  int // how many different ones were looked at
	length int // of them, on average, in bytes
	memo   map[string]float64
	names  map[string]float64 // how many of the texts name records that are there, by type
	beside bool               // given names stand in the column before or behind
	mailed mailed             // whether they stand in the e-mail addresses of the sheet
	housed bool               // its domains are called after them

	readers map[string]*value.Reader // of the fields that columns are compared with, kept for the next one
}

// roles are the kinds of text that fields hold, by what they are compared as.
var roles = map[catalog.Likeness]textkind.Kind{
	catalog.AsGivenName: textkind.Given, catalog.AsFamilyName: textkind.Family, catalog.AsCompanyName: textkind.Company,
	catalog.AsEmployer: textkind.Company,
	catalog.AsStreet:   textkind.Street, catalog.AsLocality: textkind.Town,
}

// kindWords say what the cells are.
var kindWords = [textkind.Kinds]string{"given names", "family names", "full names", "names of companies", "streets",
	"towns", "job titles", "phrases"}

// fewestToTell is how many different texts it takes for them to settle alone what a
// column is.
const fewestToTell = 6

func roleOf(f catalog.Field) (textkind.Kind, bool) {
	switch {
	case f.Holds == catalog.HoldsJobTitle:
		return textkind.Job, true
	case f.Type == catalog.Reference && f.To == "account":
		return textkind.Company, true
	case f.Type == catalog.LongText, f.ComparedAs() == catalog.AsText:
		return textkind.Phrase, true
	}
	k, ok := roles[f.ComparedAs()]
	return k, ok
}

// fitKind compares the kind of a column's texts with what the field holds.
func fitKind(f catalog.Field, kinds kindsOf) (fit, string) {
	role, ok := roleOf(f)
	if !ok || !kinds.known {
		return neutralFit, ""
	}
	p := kinds.p[role]
	tell := supports
	if kinds.texts >= fewestToTell && kinds.length > 3 { // codes of regions look like names
		tell = tells
	}
	if role == textkind.Family && kinds.p[textkind.Given] > 0.99 && kinds.texts >= fewestToTell {
		return contradicts, "its values look like given names"
	}
	named := kinds.mailed == inMails || kinds.mailed == endsMails
	if kinds.housed && !named {
		switch role {
		case textkind.Company:
			return tell, "the addresses of the net are called after its values"
		case textkind.Family, textkind.Given, textkind.Town:
			return against, "the addresses of the net are called after its values"
		}
	}
	if role == textkind.Family {
		switch {
		case kinds.mailed == endsMails && kinds.p[textkind.Given] < 0.5:
			return tell, "its values stand in the e-mail addresses"
		case kinds.mailed == notInMails:
			return contradicts, "its values stand in no e-mail address, as those of another column do"
		}
	}
	if role == textkind.Town && named {
		return contradicts, "its values stand in the e-mail addresses"
	}
	if role == textkind.Family || role == textkind.Town { // which are often the same words
		both := kinds.p[textkind.Family] + kinds.p[textkind.Town]
		if role == textkind.Family && kinds.beside && both > 0.9 {
			return tell, "its values look like " + kindWords[role]
		}
		if both > 0.8 {
			return supports, "its values look like " + kindWords[role]
		}
	}
	switch {
	case p > 0.97 && role != textkind.Phrase && role != textkind.Family && role != textkind.Town:
		return tell, "its values look like " + kindWords[role]
	case p > 0.9:
		return supports, "its values look like " + kindWords[role]
	}
	for k, other := range kinds.p {
		if other > 0.97 && p < 0.01 {
			return against, "its values look like " + kindWords[k]
		}
	}
	return neutralFit, ""
}

// cells are the first different texts of a column, looked at as values of a
// field.
type cells struct {
	col   sheet.Column
	field catalog.Field
	memo  map[string]float64 // what was found out of the column already; may be nil
	names map[string]float64 // how many of the texts name records of other types
	of    string             // the record type of the field

	people bool // whether the texts look like names of people

	readers map[string]*value.Reader // by what they read; may be nil
}

// reader gives what reads values of a field, made once.
func (c *cells) reader(name string, f catalog.Field, set value.Settings) *value.Reader {
	r, ok := c.readers[name]
	if !ok {
		r = value.NewReader(f, set)
		if c.readers != nil {
			c.readers[name] = r
		}
	}
	return r
}

// share is the part of the texts that are so, between 0 and 1. What has a name is the
// same for every field, and found out once.
func (c *cells) share(name string, is func(s string) bool) float64 {
	return c.once(name, func() float64 { return share(c.col.Samples, is) })
}

func (c *cells) once(name string, find func() float64) float64 {
	if name == "" || c.memo == nil {
		return find()
	}
	x, ok := c.memo[name]
	if !ok {
		x = find()
		c.memo[name] = x
	}
	return x
}

// doubtfulReadings are the problems of values of the right kind of which more must be said.
var doubtfulReadings = []problem.Code{problem.AmbiguousDate, problem.PartialDate, problem.DayByZone,
	problem.AmbiguousNumber, problem.RoughNumber}

// readable is the part of the texts that can be read as values of a field type.
func (c *cells) readable(as catalog.FieldType) float64 {
	name := "readable as " + string(as)
	f := catalog.Field{Type: as, Choices: c.field.Choices}
	switch {
	case as == catalog.YesNo && c.field.Type == as: // its own name says yes
		name, f = "", c.field
	case len(f.Choices) > 0:
		name = ""
	}
	return c.once(name, func() float64 {
		r := c.reader(cmp.Or(name, string(as)+" "+c.of+"."+c.field.Name), f, value.Settings{Country: "GB"})
		return share(c.col.Samples[:min(len(c.col.Samples), mostRead)], func(s string) bool {
			if inFigures[as] && digitsIn(s) == 0 { // a count in words is no column of them
				return false
			}
			v, trouble := r.Read(s)
			return v != "" || slices.Contains(doubtfulReadings, trouble.Code)
		})
	})
}

// inFigures are the types whose values are written with figures.
var inFigures = map[catalog.FieldType]bool{
	catalog.Integer: true, catalog.Decimal: true, catalog.Money: true, catalog.Percent: true, catalog.Date: true,
	catalog.DateTime: true,
}

// mostRead is how many texts of a column are read to tell its type.
const mostRead = 24

// fewPeople reports whether the cells are full names of people who come again and again.
func (c *cells) fewPeople() bool {
	var names textkind.Halves
	return c.col.Distinct > 1 && c.col.Distinct*2 <= c.col.Filled && c.share("names of people", func(s string) bool {
		n := len(strings.Fields(s))
		return n > 1 && n < 4 && digitsIn(s) == 0 && !withLegalForm(s) && !sentence(s) && names.Given(s)
	}) > 0.6
}

// choicesOf gives the field of a type whose choices nearly all cells are; empty for none.
func (c *cells) choicesOf(t catalog.RecordType) string {
	for _, f := range t.Fields {
		if f.Type != catalog.OneChoice {
			continue
		}
		r := c.reader("choices of "+t.Name+"."+f.Name, f, value.Settings{})
		is := func(s string) bool { _, trouble := r.Read(s); return trouble.Code == "" }
		if share(c.col.Samples[:min(len(c.col.Samples), mostRead)], is) > 0.9 {
			return f.Label
		}
	}
	return ""
}

// phrases reports whether the cells are of several words and nearly each another, as titles
// are: the few people who own records come again.
func (c *cells) phrases() bool {
	return c.col.Filled >= fewestToTell && c.col.Distinct*10 > c.col.Filled*7 &&
		c.share("three words", func(s string) bool { return len(strings.Fields(s)) > 2 }) > 0.6
}

func (c *cells) mails() float64 {
	return c.share("mails", func(s string) bool { return strings.Contains(s, "@") })
}

// writtenDates is the part of the texts that are dates in figures.
func (c *cells) writtenDates() float64 {
	return c.share("written dates", func(s string) bool { return value.OrderOf(s) != "" && strings.ContainsAny(s, "./-") })
}

// telephone is the part of the texts that are written like telephone numbers of
// any country.
func (c *cells) telephone() float64 {
	return c.share("telephone", func(s string) bool { return strings.HasPrefix(s, "+") && digitsIn(s) >= 8 })
}
