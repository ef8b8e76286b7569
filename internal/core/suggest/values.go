package suggest

import (
	"cmp"
	"path"
	"regexp"
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
	return t == catalog.Email || t == catalog.URL || t == catalog.File || t == catalog.Country || t == catalog.OneChoice || t == catalog.Text || t == catalog.Reference
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
	if counted := countsRows(col.Samples); counted && f.Name != "position" {
		if len(col.Samples) < fewestToTell { // which may be chance
			return against, "its values only count the rows"
		}
		return contradicts, "its values only count the rows"
	}
	seen := &cells{col: col, field: f, of: t.Name, memo: kinds.memo, readers: kinds.readers}
	if f.To != t.Name { // what names records of its own type is more likely their names
		seen.names = kinds.names
	}
	if countries := seen.readable(catalog.Country); f.ComparedAs() == catalog.AsLocality && countries > 0.8 || f.Holds == catalog.HoldsRegion && countries > 0.5 && seen.share("long words", func(s string) bool { return len([]rune(s)) > 3 }) > 0.5 { // LU is a province too
		return contradicts, "its values are countries"
	}
	if f.ComparedAs() == catalog.AsStreet && seen.share("towns with codes", func(s string) bool { _, ok := value.SplitTown(s); return ok }) > 0.8 {
		return contradicts, "its values are towns with their postal codes"
	}
	if !takesTicks[f.Type] && col.Longest <= longestTick && col.Distinct > 1 && col.Distinct <= 6 && seen.share("ticks", func(s string) bool { return ticks[value.Words(s)] }) > 0.9 {
		return contradicts, "its values are yes and no"
	}
	fit, what := fits[f.Type](seen)
	if as := f.ComparedAs(); (as == catalog.AsCompanyName || as == catalog.AsEmployer || f.Type == catalog.Reference) && col.Filled >= fewest &&
		seen.share("everyday", func(s string) bool { return everyday[value.Words(s)] }) > 0.9 {
		return contradicts, "its values are no names"
	}
	words := f.Type == catalog.Text || f.Type == catalog.LongText || f.Type == catalog.Reference
	if words && (fit == neutralFit || fit == supports) {
		if kind, why := fitKind(f, kinds); kind != neutralFit {
			return kind, why
		}
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

	readers map[string]*value.Reader // of the fields that columns are compared with, kept for the next one
}

// roles are the kinds of text that fields hold, by what they are compared as.
var roles = map[catalog.Likeness]textkind.Kind{
	catalog.AsGivenName: textkind.Given, catalog.AsFamilyName: textkind.Family, catalog.AsCompanyName: textkind.Company, catalog.AsEmployer: textkind.Company,
	catalog.AsStreet: textkind.Street, catalog.AsLocality: textkind.Town,
}

// kindWords say what the cells are.
var kindWords = [textkind.Kinds]string{"given names", "family names", "full names", "names of companies", "streets", "towns", "job titles", "phrases"}

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
var doubtfulReadings = []problem.Code{problem.AmbiguousDate, problem.PartialDate, problem.DayByZone, problem.AmbiguousNumber, problem.RoughNumber}

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
	catalog.Integer: true, catalog.Decimal: true, catalog.Money: true, catalog.Percent: true, catalog.Date: true, catalog.DateTime: true,
}

// mostRead is how many texts of a column are read to tell its type.
const mostRead = 24

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

// fits is the registry of what speaks for a column being of a field type, and
// what against it. Every type has its entry; the reason is a half sentence.
var fits = map[catalog.FieldType]func(c *cells) (fit, string){
	catalog.Text:      fitText,
	catalog.LongText:  fitNames,
	catalog.Reference: fitReference,
	catalog.Integer:   fitNumber,
	catalog.Decimal:   fitNumber,
	catalog.Money:     fitNumber,
	catalog.Percent:   fitNumber,
	catalog.Date:      fitDate,
	catalog.DateTime:  fitDate,
	catalog.YesNo:     readAs(catalog.YesNo, "its values are neither yes nor no", "its values are yes and no"),
	catalog.Language:  readAs(catalog.Language, "its values are no languages", "its values are languages"),
	catalog.Currency:  fitCurrency,
	catalog.Country:   fitCountry,
	catalog.OneChoice: fitChoice,
	catalog.Choices:   func(*cells) (fit, string) { return neutralFit, "" },
	catalog.Email:     fitEmail,
	catalog.Phone:     fitPhone,
	catalog.URL:       fitURL,
	catalog.File:      fitFile,
}

// readAs is for types that nothing but their own texts can be read as, and that
// a column may still be when a few can.
func readAs(as catalog.FieldType, otherwise, so string) func(c *cells) (fit, string) {
	return func(c *cells) (fit, string) {
		switch r := c.readable(as); {
		case r < 0.3:
			return contradicts, otherwise
		case r > 0.9:
			return supports, so
		}
		return neutralFit, ""
	}
}

// fileName is the shape of the name of a file of which there is a known kind.
func fileName(s string) bool {
	name := path.Base(strings.ReplaceAll(value.Trim(s), `\`, "/"))
	return name != path.Ext(name) && sheet.MediaType(name) != ""
}

// fitFile is for the names of files, which nothing else looks like.
func fitFile(c *cells) (fit, string) {
	switch r := c.share("names of files", fileName); {
	case r > 0.7:
		return distinctive, "its values are names of files"
	case r < 0.2:
		return contradicts, "its values are no names of files"
	}
	return neutralFit, ""
}

// fitDate is for days. Those of birth are years ago, and others are not.
func fitDate(c *cells) (fit, string) {
	if c.share("day numbers", value.IsDayNumber) > 0.6 {
		return neutralFit, ""
	}
	if c.readable(catalog.Date) < 0.3 {
		return contradicts, "its values are no dates"
	}
	if c.share("digits alone", func(s string) bool { return digitsIn(s) == len(s) }) > 0.5 { // a number of days, or no date
		return neutralFit, ""
	}
	born := c.share("born", func(s string) bool { y := yearIn(s); return y > 1920 && y < 2010 })
	switch {
	case c.field.Holds == catalog.HoldsBirth:
		if born > 0.9 {
			return distinctive, "its values are days of birth"
		}
		if born < 0.3 && c.share("years", func(s string) bool { return yearIn(s) > 0 }) > 0.9 {
			return against, "its values are no days of birth"
		}
	case born > 0.9:
		return against, "its values are days of long ago"
	}
	return supports, "its values are dates"
}

// yearIn gives the year of four figures that stands in a text, 0 without one.
func yearIn(s string) int {
	for at := 0; at+4 <= len(s); at++ {
		alone := (at == 0 || !isDigit(s[at-1])) && (at+4 == len(s) || !isDigit(s[at+4]))
		if y, err := strconv.Atoi(s[at : at+4]); err == nil && alone && y > 1800 && y < 2200 {
			return y
		}
	}
	return 0
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

func fitNumber(c *cells) (fit, string) {
	if c.readable(c.field.Type) < 0.3 && c.readable(catalog.Money) < 0.3 {
		return contradicts, "its values are no numbers"
	}
	percent := c.share("percent", func(s string) bool { return strings.Contains(s, "%") })
	money := c.share("money", func(s string) bool { return value.CurrencyIn(s) != "" })
	switch {
	case c.field.Type == catalog.Percent && percent > 0.7:
		return distinctive, "its values are percentages"
	case c.field.Type != catalog.Percent && percent > 0.7:
		return contradicts, "its values are percentages"
	case c.field.Type == catalog.Money && money > 0.7:
		return distinctive, "its values are amounts of money"
	case c.field.Type == catalog.Integer && money > 0.7:
		return contradicts, "its values are amounts of money"
	case c.readable(c.field.Type) > 0.9:
		return supports, "its values are numbers"
	}
	return neutralFit, ""
}

// mostStaff is up to how many people the owners of records are taken to be.
const mostStaff = 200

// ownMail tells whether a column holds mailboxes of a house's own people: one domain,
// and the same ones again and again.
func (c *cells) ownMail() bool {
	domain := ""
	if c.col.Filled < 5 || c.col.Distinct > mostStaff || c.col.Distinct*10 > c.col.Filled*8 {
		return false
	}
	return c.share("", func(s string) bool {
		_, d, ok := strings.Cut(strings.ToLower(strings.TrimSpace(s)), "@")
		if domain == "" {
			domain = d
		}
		return ok && d == domain
	}) > 0.95 && !value.PrivateDomain(domain)
}

// enoughNamed is how many texts of a column must name records for it to point to them.
const enoughNamed = 0.6

func fitReference(c *cells) (fit, string) {
	if c.names[c.field.To] >= enoughNamed {
		return tells, "its values name records that are there"
	}
	switch {
	case c.writtenDates() > 0.6 || c.telephone() > 0.6:
		return contradicts, "its values are numbers or dates"
	case c.share("web addresses", func(s string) bool { return strings.Contains(s, "://") || strings.HasPrefix(s, "www.") }) > 0.6:
		return contradicts, "its values are web addresses"
	}
	if c.field.To == "staff" {
		if c.ownMail() {
			return distinctive, "its values are mailboxes of few people at one house"
		}
	} else if c.ownMail() {
		return against, "its values are mailboxes of few people at one house"
	}
	named, why := c.companies()
	if c.field.ComparedAs() == catalog.AsEmployer || c.field.To == "account" || named == neutralFit {
		return named, why
	}
	return against, why
}

// companies compares texts with names of companies, of which many end with a legal form.
func (c *cells) companies() (fit, string) {
	switch r := c.share("companies", withLegalForm); {
	case r > 0.7 && len(c.col.Samples) >= fewestToTell:
		return tells, "its values are names of companies"
	case r > 0.5:
		return supports, "its values are names of companies"
	}
	return neutralFit, ""
}

// withLegalForm reports whether a text is the name of a company with its legal form.
func withLegalForm(s string) bool { return value.NameKey(s) != value.Words(s) }

func fitEmail(c *cells) (fit, string) {
	switch {
	case c.ownMail():
		return against, "its values are mailboxes of few people at one house"
	case c.readable(catalog.Email) > 0.8:
		return distinctive, "its values are e-mail addresses"
	case c.mails() < 0.3:
		return contradicts, "its values are no e-mail addresses"
	}
	return neutralFit, ""
}

func fitURL(c *cells) (fit, string) {
	written := func(s string) bool {
		return strings.Contains(s, "www.") || strings.Contains(s, "://") || strings.Count(s, ".") > 0 && !strings.ContainsAny(s, "0123456789,")
	}
	switch r := c.readable(catalog.URL); {
	case r > 0.8 && c.mails() < 0.2 && c.share("written links", written) > 0.7:
		return distinctive, "its values are web addresses"
	case r < 0.2:
		return contradicts, "its values are no web addresses"
	}
	return neutralFit, ""
}

func fitPhone(c *cells) (fit, string) {
	if c.mails() > 0.3 || c.share("five digits", func(s string) bool { return digitsIn(s) >= 5 }) < 0.3 {
		return contradicts, "its values are no telephone numbers"
	}
	if c.writtenDates() > 0.8 {
		return contradicts, "its values are dates"
	}
	if c.share("phones", likePhone) < 0.8 {
		return neutralFit, ""
	}
	mobile := c.once("mobiles", func() float64 { // -1 when it cannot be told
		if share, told := value.MobileShare(c.col.Samples); told >= fewest {
			return share
		}
		return -1
	})
	if mobile >= 0 && c.field.ComparedAs() == catalog.AsPhone {
		switch wanted := c.field.Name == "mobile"; {
		case mobile > 0.97 && wanted && len(c.col.Samples) >= fewestToTell:
			return tells, "its values are mobile numbers"
		case mobile > 0.8 && wanted:
			return supports, "its values are mobile numbers"
		case mobile > 0.9:
			return against, "its values are mobile numbers"
		case mobile < 0.2 && wanted:
			return against, "its values are no mobile numbers"
		}
	}
	return supports, "its values are telephone numbers"
}

// noPhone is how days are written, and the numbers of companies that end in those of a branch and
// of a check (12.345.678/0001-90): digits in groups too.
var noPhone = regexp.MustCompile(`^(\d{1,2}[./-]\d{1,2}[./-]\d{2,4}|\d{4}[./-]\d{1,2}[./-]\d{1,2}|\d{2}\.\d{3}\.\d{3}/\d{4}-\d{2})$`)

// likePhone tells whether a text is written as telephone numbers are: digits in groups,
// or with a plus or a nought in front.
func likePhone(s string) bool {
	s = strings.TrimSpace(s)
	n := digitsIn(s)
	if n < 7 || n > 17 || value.OrderOf(s) != "" && yearIn(s) > 0 || noPhone.MatchString(s) {
		return false
	}
	for _, r := range strings.TrimRight(strings.ToLower(s), "0123456789") {
		if !strings.ContainsRune("0123456789 +-()/.xext", r) {
			return false
		}
	}
	return strings.ContainsAny(s, "+ -()/") && !strings.ContainsAny(s, ",") || strings.HasPrefix(s, "0")
}

func fitCountry(c *cells) (fit, string) {
	letters := c.share("single letters", func(s string) bool { return len(s) == 1 }) == 1 // which may be classes
	switch r := c.readable(catalog.Country); {
	case r > 0.85 && c.col.Distinct > 1 && !letters:
		return distinctive, "its values are countries"
	case r < 0.2:
		return contradicts, "its values are no countries"
	}
	return neutralFit, ""
}

// fitCurrency is sure of codes and signs that are nothing else: a header that speaks of the amount
// as well is that of its currency then.
func fitCurrency(c *cells) (fit, string) {
	fit, what := readAs(catalog.Currency, "its values are no currencies", "its values are currencies")(c)
	if fit == supports && c.share("currency codes", func(s string) bool { return len([]rune(s)) <= 3 && digitsIn(s) == 0 }) == 1 {
		return tells, what
	}
	return fit, what
}

func fitChoice(c *cells) (fit, string) {
	if c.col.Distinct > 60 || c.col.Longest > 60 {
		return contradicts, "its values are too many for a choice"
	}
	r := c.reader("choice "+c.of+"."+c.field.Name, c.field, value.Settings{})
	telling := 0
	known := c.share("", func(s string) bool {
		code, _ := r.Read(s)
		if code != "" && !everyday[value.Words(s)] {
			telling++
		}
		return code != ""
	})
	switch {
	case known > 0.75 && telling > 1 && telling*2 >= len(c.col.Samples):
		return distinctive, "its values are choices of the field"
	case known == 1 && c.col.Distinct > 1 && c.col.Filled >= fewestMute:
		return tells, "its values are choices of the field"
	case known > 0.6:
		return supports, "its values are choices of the field"
	case known == 0 && c.share("figures", likeCode) > 0.8 && !slices.ContainsFunc(c.field.Choices, func(ch catalog.Choice) bool {
		return likeCode(ch.Code) || likeCode(ch.Label) || slices.ContainsFunc(ch.Other, likeCode)
	}):
		return contradicts, "its values are numbers or codes, and the choices are words"
	case known == 0 && c.col.Filled > 3 && float64(c.col.Distinct) > 0.7*float64(c.col.Filled) && c.share("sentences", func(s string) bool { return len(strings.Fields(s)) > 2 }) > 0.4:
		return contradicts, "its values are sentences, each another"
	case known == 0 && c.col.Distinct > 8 && float64(c.col.Distinct) > 0.7*float64(c.col.Filled):
		return contradicts, "its values are nearly all different, and none is a choice of the field"
	case known == 0 && c.col.Filled > 3 && c.col.Distinct > 2:
		return against, "none of its values is a choice of the field"
	}
	return neutralFit, ""
}

// likeCode reports whether a text is a number, or one with a letter or two, as A12, and no word.
func likeCode(s string) bool { return digitsIn(s) > 0 && !threeLetters.MatchString(s) }

var threeLetters = regexp.MustCompile(`\pL{3}`)

// everyday are words that many lists of choices have.
var everyday = wordSet(`low medium high other open closed new none call mail visit meeting e-mail email phone web yes no hot warm cold
	some strong little misc price cost partner call telephone letter niedrig mittel hoch
	haut moyen bas alto medio bajo basso alta media baixa alto laag hoog hög låg høj lav neu nouveau nuevo nuovo novo ny uusi nowy sonstige autre otro altro anders annat andet andere`)

// grouped tells whether the texts are telephone numbers in groups, and not numbers that
// only have as many digits. Those of a register are written in groups as well (987 654 321):
// they do not begin as telephone numbers do.
func (c *cells) grouped() bool {
	if c.field.ComparedAs() == catalog.AsCode &&
		c.share("dialled", func(s string) bool { return strings.IndexAny(value.Trim(s), "+0(") == 0 }) < 0.3 {
		return false
	}
	return c.share("phones", likePhone) > 0.7 && c.share("groups", func(s string) bool {
		return strings.ContainsAny(strings.TrimSpace(s), " +()/") || strings.Count(s, "-") > 1 && digitsIn(s) > 9
	}) > 0.5
}

// fitText is for lines of text: they are no addresses of the net, and what
// fitNames says.
func fitText(c *cells) (fit, string) {
	links := c.share("links", func(s string) bool { return strings.Contains(s, "://") || strings.HasPrefix(s, "www.") })
	switch {
	case c.mails() > 0.6:
		return contradicts, "its values are e-mail addresses"
	case c.field.Type == catalog.Text && (c.field.Key || c.field.ComparedAs() == catalog.AsCode) && c.grouped():
		return contradicts, "its values are telephone numbers"
	case c.field.ComparedAs() == catalog.AsStreet && c.col.Longest <= 4:
		return contradicts, "its values are too short for a street"
	case c.field.ComparedAs() == catalog.AsStreet && c.share("words of three letters", func(s string) bool { return threeLetters.MatchString(s) }) < 0.4:
		return contradicts, "its values are no words"
	case c.field.ComparedAs() == catalog.AsLocality && len(c.col.Samples) > 1 && c.share("initials", initials.MatchString) > 0.9:
		return contradicts, "its values are initials, or codes"
	case c.field.ComparedAs() != catalog.AsPostalCode && c.lettered() > 0.8:
		return contradicts, "its values are postal codes"
	case c.field.ComparedAs() == catalog.AsPostalCode && c.lettered() > 0.8 && len(c.col.Samples) >= fewest:
		return tells, "its values are postal codes"
	case c.field.Holds == catalog.HoldsRegion && c.col.Longest <= 4 && c.share("capitals", func(s string) bool { return strings.ToUpper(s) == s && digitsIn(s) == 0 }) > 0.9:
		return supports, "its values are codes of regions"
	case c.field.ComparedAs() == catalog.AsCompanyName:
		if fit, what := c.companies(); fit != neutralFit {
			return fit, what
		}
	case links > 0.6:
		return contradicts, "its values are web addresses"
	}
	return fitNames(c)
}

// lettered is the part of the texts that are postal codes with letters, as in the United Kingdom,
// the Netherlands and Canada.
func (c *cells) lettered() float64 {
	return c.share("postal codes with letters", func(s string) bool { return letteredCode.MatchString(strings.ToUpper(value.Trim(s))) })
}

var letteredCode = regexp.MustCompile(`^(?:[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}|\d{4} [A-Z]{2}|[A-Z]\d[A-Z] \d[A-Z]\d)$`)

// fitNames compares texts with what the field holds: names are no numbers,
// postal codes no words.
func fitNames(c *cells) (fit, string) {
	f, address := c.field, c.share("forms of address", func(s string) bool { return formsOfAddress[value.Words(s)] })
	switch {
	case f.HoldsWords() && (c.share("mostly digits", func(s string) bool { return digitsIn(s)*2 > len(s) }) > 0.6 ||
		c.writtenDates() > 0.6):
		return contradicts, "its values are numbers or dates"
	case f.ComparedAs() == catalog.AsHonorific && address < 0.5:
		return contradicts, "its values are no forms of address"
	case f.ComparedAs() == catalog.AsHonorific && address > 0.8:
		return distinctive, "its values are forms of address"
	case f.Holds == catalog.HoldsJobTitle && max(address, c.share("titles", value.OnlyTitles)) > 0.5:
		return contradicts, "its values are forms of address, or degrees"
	case f.Key && c.telephone() > 0.6:
		return contradicts, "its values are telephone numbers"
	case f.Key && f.Type == catalog.Text && isAmounts(c.col):
		return contradicts, "its values are amounts"
	case f.Key && f.Type == catalog.Text && c.writtenDates() > 0.6:
		return contradicts, "its values are dates"
	case f.Key && f.Type == catalog.Text && c.share("words", func(s string) bool { return digitsIn(s) == 0 && s != strings.ToUpper(s) }) > 0.6:
		return contradicts, "its values are words, not numbers"
	case f.Key && c.field.Type == catalog.Text && c.col.Distinct == c.col.Filled && c.col.Longest < 25 && c.share("some digit", func(s string) bool { return digitsIn(s) > 0 }) > 0.9:
		return supports, "its values are numbers that tell records apart"
	case f.ComparedAs() == catalog.AsPostalCode && (c.col.Longest > 20 || c.share("some digit", func(s string) bool { return digitsIn(s) > 0 }) < 0.4):
		return contradicts, "its values are no postal codes"
	}
	return neutralFit, ""
}

// longestTick is how long a yes or no is at the most.
const longestTick = 6

// takesTicks are the types of fields whose values may be a yes, a no, a one or a nought.
var takesTicks = map[catalog.FieldType]bool{
	catalog.YesNo: true, catalog.OneChoice: true, catalog.Choices: true, catalog.Integer: true, catalog.Decimal: true, catalog.Money: true, catalog.Percent: true,
}

// ticks are how lists say yes and no.
var ticks = wordSet("x y n yes no ja nein j nej nei nee oui non o sí si no s sim não tak nie t kyllä ei k ναι όχι true false 0 1 ✓ ✔")

var formsOfAddress = map[string]bool{}

func init() {
	for w := range strings.SplitSeq("mr|mrs|ms|miss|mx|dr|prof|sir|lady|lord|capt|captain|rev|herr|frau|hr|fr|herr dr|frau dr|prof dr|m|mme|mlle|monsieur|madame|mademoiselle|me|sr|sra|srta|don|doña|dna|sig|sigra|signor|signora|dott|dottssa|ing|avv|dhr|mevr|de heer|mevrouw|senhor|senhora|herra|rouva|pan|pani|κ|κα|κος|κυριος|κυρια|様|さん", "|") {
		formsOfAddress[value.Words(w)] = true
	}
}

func share(list []string, good func(string) bool) float64 {
	n := 0
	for _, s := range list {
		if good(s) {
			n++
		}
	}
	return float64(n) / float64(max(1, len(list)))
}

func digitsIn(s string) int {
	n := 0
	for i := 0; i < len(s); i++ {
		if s[i] >= '0' && s[i] <= '9' {
			n++
		}
	}
	return n
}

// Choice guesses which choice of a field a text means that is none of its
// spellings; empty when nothing is near.
func Choice(f catalog.Field, text string) string {
	said := value.Words(text)
	if said == "" {
		return ""
	}
	best, code := 0, ""
	for _, c := range f.Choices {
		if c.Closed {
			continue
		}
		for _, w := range append([]string{c.Code, c.Label}, c.Other...) {
			w = value.Words(w)
			near := 0
			switch {
			case w == "":
			case close1(said, w):
				near = 3
			case contains(strings.Fields(said), strings.Fields(w)):
				near = 2
			case len([]rune(said)) >= 4 && (strings.HasPrefix(w, said) || strings.HasPrefix(said, w) && len([]rune(w)) >= 4):
				near = 1
			}
			if near > best {
				best, code = near, c.Code
			}
		}
	}
	return code
}
