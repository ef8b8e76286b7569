// Package value turns the text of cells into typed values and typed values
// into text. A value is held in its canonical text (2026-03-31, 1250.00,
// +4722000000, DE), which reads the same everywhere: in staging, in previews,
// in the interface. The package also makes the normal forms by which values
// are compared. What cannot be read, or could be read two ways, is a problem
// and never a guess. It knows no database and no face.
package value

import (
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"

	"golang.org/x/text/unicode/norm"
	"golang.org/x/text/width"
)

// DateOrder is the order of day, month and year in dates written with figures.
type DateOrder string

// The orders; the empty one means that it is not known.
const (
	DayFirst   DateOrder = "day_first"
	MonthFirst DateOrder = "month_first"
	YearFirst  DateOrder = "year_first"
)

// DateOrders lists the orders.
var DateOrders = []DateOrder{DayFirst, MonthFirst, YearFirst}

// Settings say how the texts of one column are to be read.
type Settings struct {
	DecimalSign string         // "." or ",", empty when unknown
	Guessed     bool           // the decimal sign is what other cells of the column show, nobody has said it
	DateOrder   DateOrder      // empty when unknown
	Unit        Unit           // in what amounts are
	UnitUnsaid  bool           // only the header says so
	UnitFigures int            // how many figures amounts in it have at most then; 0 is LongestInUnits
	Capitals    Capitals       // what becomes of names in capitals; they stay when empty
	Spans       Spans          // which day of a month or a quarter is meant, empty when unknown
	Rough       Rough          // which number of a range is meant, empty when unknown
	Percents    Percents       // what percentages without their sign are parts of, empty when unknown
	Country     string         // ISO 3166 code for phone numbers without a country code
	Zone        *time.Location // for date-times without an offset, and for days that are given as instants; nil is UTC
	DayNumbers  DayNumbers     // from when numbers of days are counted, empty when unknown
	ThisYear    int            // for two-digit years; 0 is the present year
}

// Trouble is a problem before its place is known. An empty code is no trouble.
type Trouble struct {
	Code   problem.Code
	Detail string
}

// Reader reads the texts of one field. It keeps a small memory of what it has
// read and is not safe for use by several goroutines.
type Reader struct {
	field   catalog.Field
	set     Settings
	choices map[string]string
	limits
	named  map[string]bool // what a field of yes and no is called
	asks   bool            // a spelling of a choice has a question mark
	phones *phoneReader
	ends   map[string]bool // in what domains end, as far as it was looked up
	files  *Files
	of     string // the country of the row that is read
	read   func(*Reader, string) (string, Trouble)
}

// kind is how the texts of a field type are read, and how its values are
// compared. It is an entry of the registry of field types, as is catalog.Kind.
type kind struct {
	read func(*Reader, string) (string, Trouble)
	key  func(canonical string) string // nil folds the text
}

// asIs is the normal form of values whose canonical text is one already.
func asIs(canonical string) string { return canonical }

var kinds = map[catalog.FieldType]kind{
	catalog.Text:      {read: (*Reader).text},
	catalog.LongText:  {read: (*Reader).text},
	catalog.Integer:   {read: roughly((*Reader).integer), key: asIs},
	catalog.Decimal:   {read: roughly((*Reader).number), key: asIs},
	catalog.Money:     {read: roughly((*Reader).money), key: asIs},
	catalog.Percent:   {read: roughly((*Reader).percent), key: asIs},
	catalog.Date:      {read: (*Reader).date, key: asIs},
	catalog.DateTime:  {read: (*Reader).dateTime, key: asIs},
	catalog.YesNo:     {read: (*Reader).yesNo, key: asIs},
	catalog.OneChoice: {read: (*Reader).choice, key: asIs},
	catalog.Choices:   {read: (*Reader).choiceList, key: asIs},
	catalog.Email:     {read: (*Reader).email, key: emailKey},
	catalog.Phone:     {read: (*Reader).phone, key: asIs},
	catalog.URL:       {read: (*Reader).url, key: webKey},
	catalog.Country:   {read: (*Reader).country, key: asIs},
	catalog.Language:  {read: (*Reader).language, key: asIs},
	catalog.Currency:  {read: (*Reader).currency, key: asIs},
	catalog.Reference: {read: (*Reader).text},
	catalog.File:      {read: (*Reader).file, key: asIs},
}

// Ages in years: how old people become, and how young those are of whom records are kept; and how
// far ahead days lie that people mean.
const (
	oldestAge   = 110
	youngestAge = 5
	farAhead    = 100
)

// limits are the days between which those of a field lie; empty where there is no limit.
type limits struct {
	ahead    string       // the first one beyond
	aheadAs  problem.Code // and what a day beyond is
	oldest   string       // the first on which somebody who is alive may have been born
	youngest string       // the last one of somebody of whom there are records
}

// limitsOf gives those of a field.
func limitsOf(f catalog.Field) (l limits) {
	now := time.Now().UTC()
	days := func(years, days int) string { return now.AddDate(years, 0, days).Format(time.DateOnly) }
	switch {
	case f.Holds == catalog.HoldsBirth:
		l = limits{
			ahead: days(0, 2), aheadAs: problem.BirthAhead, // it is tomorrow already in the east
			oldest: days(-oldestAge, 0), youngest: days(-youngestAge, 0),
		}
	case f.Holds == catalog.HoldsPast:
		l = limits{ahead: days(0, 2), aheadAs: problem.DayAhead}
	case f.Type == catalog.Date:
		l = limits{ahead: days(farAhead, 0), aheadAs: problem.FarDay}
	}
	return l
}

// NewReader makes a reader for one field.
func NewReader(f catalog.Field, s Settings) *Reader {
	r := &Reader{field: f, set: s, read: kinds[f.Type].read}
	if len(f.Choices) > 0 {
		r.choices = map[string]string{}
		for pass := range 3 { // codes win over labels, labels over other spellings
			for _, c := range f.Choices {
				if c.Closed {
					continue
				}
				for _, w := range [][]string{{c.Code}, {c.Label}, c.Other}[pass] {
					r.asks = r.asks || doubted(w)
					if k := Words(w); k != "" && r.choices[k] == "" {
						r.choices[k] = c.Code
					}
				}
			}
		}
	}
	if f.Type == catalog.YesNo {
		r.named = map[string]bool{}
		for _, word := range append([]string{f.Label}, f.Synonyms...) {
			r.named[Words(word)] = true
		}
		delete(r.named, "")
	}
	if f.Type == catalog.Phone {
		r.phones = newPhoneReader()
	}
	r.limits = limitsOf(f)
	return r
}

// Country is the country (ISO 3166) to which a row of another, or of none, belongs; empty when it
// is not known.
func (r *Reader) Country(ofRow string) string {
	if ofRow != "" {
		return ofRow
	}
	return r.set.Country
}

// Read gives the canonical text of a cell, empty for a blank one.
func (r *Reader) Read(cell string) (string, Trouble) { return r.ReadIn(cell, "") }

// ReadIn reads a cell of a row whose country is known (ISO 3166), which phone
// numbers without a country code belong to.
func (r *Reader) ReadIn(cell, country string) (string, Trouble) {
	s := Trim(cell)
	if s == "" {
		return "", Trouble{}
	}
	if t := damaged(s); t.Code != "" {
		return "", t
	}
	if r.of = country; country == "" {
		r.of = r.set.Country
	}
	if strings.IndexByte(s, wideLead) >= 0 && !r.inWords() {
		s = width.Fold.String(s)
	}
	out, trouble := r.read(r, s)
	if trouble.Code != "" || r.field.Type == catalog.Country || r.field.Type == catalog.Language { // s.o. is not Somalia
		if is, _ := isAbove(s); is {
			return "", Trouble{Code: problem.SameAsAbove}
		}
	}
	return out, trouble
}

// wideLead is the first byte of letters and figures of full width (U+FF01 to U+FF5E) in UTF-8: some
// keyboards write telephone numbers, amounts and addresses of mailboxes with them.
const wideLead = 0xef

// inWords reports whether the field holds words, which stay in the width that they are written in.
func (r *Reader) inWords() bool {
	switch r.field.Type {
	case catalog.Text:
		return r.field.ComparedAs() != catalog.AsPostalCode && r.field.ComparedAs() != catalog.AsCode
	case catalog.LongText, catalog.File, catalog.Reference:
		return true
	}
	return false
}

func (r *Reader) phone(s string) (string, Trouble) {
	return r.phones.read(strings.ReplaceAll(s, "ー", "-"), r.of) // the mark of a long vowel stands for a hyphen
}

// Trim takes white space, also the kinds that do not break, and invisible
// marks off both ends.
func Trim(s string) string {
	if s == "" {
		return s
	}
	if a, z := s[0], s[len(s)-1]; a > ' ' && a < utf8.RuneSelf && z > ' ' && z < utf8.RuneSelf {
		return s
	}
	return strings.TrimFunc(s, func(r rune) bool {
		return unicode.IsSpace(r) || r == '\ufeff' || r >= '\u200b' && r <= '\u200f' || r >= '\u202a' && r <= '\u202e' ||
			r >= '\u2066' && r <= '\u2069'
	})
}

// Marks that a sheet's reader leaves where a cell could not be carried over.
const (
	NulMark   = '\u2400' // SYMBOL FOR NULL
	BytesMark = '\ufffd' // REPLACEMENT CHARACTER
)

// formulaErrors are those without a sign at their end; the others are capitals between # and a
// sign in the program's language: #REF!, #NAME?, #WERT!, #¿NOMBRE?
var formulaErrors = []string{"#N/A", "#NV", "#N/D", "#NB", "#I/T", "Err:502", "Err:504", "Err:508"}

// signedError reports whether a text that begins with # is an error with a sign at its end.
func signedError(s string) bool {
	word := strings.TrimLeft(s[1:], "¡¿")
	word, signed := strings.CutSuffix(word, "!")
	if !signed {
		word, signed = strings.CutSuffix(word, "?")
	}
	return signed && len(word) > 2 && len(word) < 20 &&
		strings.IndexFunc(word, func(r rune) bool { return !unicode.IsUpper(r) && r != '/' && r != '0' }) < 0
}

// Harmed tells what a program has done to a text before it came here, whatever the text is for: that
// there is a formula's error instead of a value (failed), or a number that was shortened (4.91E+11).
// The text is trimmed.
func Harmed(s string) (failed, shortened bool) {
	switch {
	case s == "":
	case s[0] == '#' || s[0] == 'E': // as all formula errors begin
		failed = damaged(s).Code == problem.FormulaError
	case len(s) <= longestShortened && strings.Contains(s, "E+") && inExponents.MatchString(s):
		_, t := (&Reader{}).exponent(strings.Replace(s, ",", ".", 1), strings.IndexByte(s, 'E'), false)
		shortened = t.Code == problem.DamagedNumber
	}
	return failed, shortened
}

// inExponents is how a spreadsheet program writes a number that has no room, and longestShortened how
// long that is at the most.
var inExponents = regexp.MustCompile(`^[0-9]([.,][0-9]+)?E[+][0-9]{1,3}$`)

const longestShortened = 24

func damaged(s string) Trouble {
	if s[0] == '#' || strings.HasPrefix(s, "Err:") {
		if slices.Contains(formulaErrors, s) || s[0] == '#' && signedError(s) {
			return Trouble{Code: problem.FormulaError}
		}
		if strings.Trim(s, "#") == "" && len(s) > 2 {
			return Trouble{Code: problem.FormulaError}
		}
	}
	for i := 0; i < len(s); i++ {
		if s[i] == 0xe2 || s[i] == 0xef {
			if strings.ContainsRune(s[i:], NulMark) {
				return Trouble{Code: problem.ControlCharacter}
			}
			if strings.ContainsRune(s[i:], BytesMark) {
				return Trouble{Code: problem.BadEncoding}
			}
			break
		}
	}
	if meant, wrong := Misread(s); wrong {
		return Trouble{problem.Misread, meant}
	}
	return Trouble{}
}

func (r *Reader) text(s string) (string, Trouble) {
	if r.field.Type == catalog.Text {
		s = r.inOneLine(s)
	}
	if !norm.NFC.IsNormalString(s) {
		s = norm.NFC.String(s)
	}
	if r.field.ComparedAs() == catalog.AsPostalCode {
		s = strings.TrimSpace(strings.TrimPrefix(s, "〒")) // which only says that it is one
	}
	if r.field.Holds == catalog.HoldsPerson {
		s = spoken(s)
	}
	if s != "" && (s[0] == '"' || s[0] == '\'' || s[0] >= utf8.RuneSelf) &&
		(HoldsNames(r.field) || r.field.Holds == catalog.HoldsPerson) {
		s = unquoted(s)
	}
	if r.set.Capitals == AsNames && r.field.HoldsWords() {
		s = asNames(r.field, s)
	}
	return r.fits(s)
}

// inOneLine gives a text with one space for each run of white space, and without marks that nobody
// sees: cells that were copied from elsewhere hold line breaks, tabs and spaces that do not break.
// Lines of a street have a comma between. The wide space of the far east stays, and so does what shows that a
// cell is several.
func (r *Reader) inOneLine(s string) string {
	last := byte(0)
	for i := 0; ; i++ {
		if i == len(s) {
			return s
		}
		c := s[i]
		if c < ' ' || c == ' ' && last == ' ' || c == 0xc2 || c == 0xe2 || c == 0xe3 || c == 0xef {
			break
		}
		last = c
	}
	if severalCells(r.field.ComparedAs(), s) {
		return s
	}
	if r.field.ComparedAs() == catalog.AsStreet && strings.Contains(s, "\n") {
		lines := strings.FieldsFunc(s, func(r rune) bool { return r == '\n' || r == '\r' })
		for n, l := range lines {
			lines[n] = strings.TrimRight(Trim(l), ",;")
		}
		s = strings.Join(slices.DeleteFunc(lines, func(l string) bool { return l == "" }), ", ")
	}
	var b strings.Builder
	var wide, space bool
	for _, r := range s {
		switch {
		case r == '\u00ad' || r == '\u200b' || r == '\u2060' || r == '\ufeff': // nobody sees them
		case unicode.IsSpace(r):
			wide, space = r == '\u3000' && !space, true
		default:
			switch {
			case wide:
				b.WriteRune('\u3000')
			case space:
				b.WriteByte(' ')
			}
			wide, space = false, false
			b.WriteRune(r)
		}
	}
	return b.String()
}

// spoken gives a full name in the order in which it is said: Ada Kade for “Kade, Ada”. What names a
// desk or a role stays as it is.
func spoken(s string) string {
	if strings.Count(s, ",") != 1 {
		return s
	}
	if _, ok := OneName(s); !ok {
		return s
	}
	for w := range strings.FieldsSeq(Words(s)) {
		if deskWords[w] {
			return s
		}
	}
	given, family := SplitName(s)
	if given == "" || family == "" {
		return s
	}
	return given + " " + family
}

func (r *Reader) fits(s string) (string, Trouble) {
	limit := r.field.MaxLength()
	if limit > 0 && len(s) > limit {
		if n := utf8.RuneCountInString(s); n > limit {
			return "", Trouble{problem.TooLong, itoa(n) + " characters, at most " + itoa(limit)}
		}
	}
	return s, Trouble{}
}

// orderMark is the number by which a list of choices is kept in order: “30 Offered”, “3. Offered”.
var orderMark = regexp.MustCompile(`^\d{1,3}\s*[.):–-]?\s+(?:[–-]\s+)?`)

func (r *Reader) choice(s string) (string, Trouble) {
	for _, text := range []string{s, orderMark.ReplaceAllString(s, "")} {
		if code, ok := r.choices[Words(text)]; ok && (r.asks || !doubted(text)) {
			return code, Trouble{}
		}
	}
	return "", Trouble{problem.NotAChoice, r.choiceWords()}
}

// doubted reports whether somebody has put a word in question, as in “won?”.
func doubted(s string) bool { return strings.ContainsAny(s, "?？") }

func (r *Reader) choiceWords() string {
	var codes []string
	for _, c := range r.field.Choices {
		if !c.Closed {
			codes = append(codes, c.Code)
		}
	}
	return strings.Join(codes, ", ")
}

// ListSeparator parts the codes in the canonical text of several choices.
const ListSeparator = ";"

func (r *Reader) choiceList(s string) (string, Trouble) {
	var codes []string
	for part := range strings.FieldsFuncSeq(s, func(c rune) bool { return c == ';' || c == '|' || c == '\n' }) {
		list, t := r.listed(Trim(part))
		if t.Code != "" {
			return "", t
		}
		codes = append(codes, list...)
	}
	slices.Sort(codes)
	return strings.Join(slices.Compact(codes), ListSeparator), Trouble{}
}

// listed reads choices that may be parted by commas, of which a choice may have some itself,
// or else by strokes and words for and.
func (r *Reader) listed(s string) (codes []string, t Trouble) {
	if codes, t = r.inTurn(strings.Split(s, ",")); t.Code == "" {
		return codes, t
	}
	if parts := betweenChoices.Split(s, -1); len(parts) > 1 {
		if codes, other := r.inTurn(parts); other.Code == "" {
			return codes, other
		}
	}
	return nil, t
}

var betweenChoices = regexp.MustCompile(`(?i)\s*[,/+&]\s*|\s+(?:and|und|et|y|e|en|og|och|i)\s+`)

// inTurn reads choices one behind the other, each of as many parts as make one.
func (r *Reader) inTurn(parts []string) (codes []string, t Trouble) {
	for at := 0; at < len(parts); {
		to, code := len(parts), ""
		for ; to > at; to-- {
			text := Trim(strings.Join(parts[at:to], ","))
			if text == "" {
				break
			}
			if code, t = r.choice(text); t.Code == "" {
				break
			}
		}
		switch {
		case to == at:
			return nil, t
		case code != "":
			codes = append(codes, code)
		}
		at = to
	}
	return codes, Trouble{}
}

// Key gives the normal form by which values of the field are compared, made
// from the canonical text; empty for a blank value.
func Key(f catalog.Field, canonical string) string {
	if key := kinds[f.Type].key; key != nil {
		return key(canonical)
	}
	return Fold(canonical)
}

// emailKey folds an address: capitals and accents do not tell mailboxes apart.
func emailKey(canonical string) string { return Fold(canonical) }

// LookupKey gives the normal form of a text that names a record by some key
// whose field is not known beforehand.
func LookupKey(s string) string { return Fold(s) }

// Namer gives the normal forms under which a text may be kept as a key of some
// record type. It keeps what it has read and is not safe for use by several
// goroutines.
type Namer struct {
	fields  []catalog.Field
	readers []*Reader
}

// NewNamer makes a namer for the keys and look-up fields of a record type. The
// settings say how its texts are read; the country is for phone numbers.
func NewNamer(t catalog.RecordType, s Settings) *Namer {
	n := &Namer{}
	for _, f := range t.Fields {
		if f.Normalised() {
			n.fields = append(n.fields, f)
			n.readers = append(n.readers, NewReader(f, s))
		}
	}
	return n
}

// Telling reports whether a text, where it stands among the keys of records, hardly does so by
// chance: small numbers stand in columns of all kinds.
func Telling(text string) bool {
	const longest, manyDigits = 200, 5 // bytes
	return len(text) <= longest && (len(text) >= manyDigits || strings.Trim(text, "0123456789.,- ") != "")
}

// Forms gives the normal forms of a text: its LookupKey first, then those that
// the key fields of the record type make of it, each once. So any spelling of a
// key finds it, a phone number with spaces as well as a web address without its
// scheme.
func (n *Namer) Forms(text string) []string {
	forms := []string{LookupKey(text)}
	for i, f := range n.fields {
		canonical, trouble := n.readers[i].Read(text)
		if trouble.Code != "" || canonical == "" {
			continue
		}
		if form := Key(f, canonical); form != "" && !slices.Contains(forms, form) {
			forms = append(forms, form)
		}
	}
	return forms
}
