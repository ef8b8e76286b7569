package suggest

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
)

// What is left when columns and fields were given to each other is told by what remains of both:
// the few people who come again and again are those who look after the records, of two columns of
// days one is before the other, one column of amounts is left beside shares and counters, one
// column of towns has a header that nobody understands and no other column holds any.

// fewestMute is how many different cells it takes for such columns to be told apart, and how many
// must be filled where the same ones come again.
const fewestMute = 8

// left is what remains of columns and fields while a target's suggestions are made.
type left struct {
	view   *View
	target Target
	all    []sheet.Column  // that may be the target's
	mine   map[string]bool // their headers
	list   []Suggestion
}

// whatIsLeft takes columns whose headers say nothing, or nothing that is understood, for what
// their cells and each other's leave to them.
func (v *View) whatIsLeft(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	l := &left{v, target, columns, map[string]bool{}, list}
	for _, c := range columns {
		l.mine[c.Header] = true
	}
	for _, look := range []func(){
		l.asked, l.saidInPart, l.names, l.wholeNames, l.givenNames, l.owners, l.people, l.days, l.amounts, l.phones, l.titles, l.ownNumber,
		l.byCells, l.onlyDay, l.remarks,
	} {
		look()
	}
	return l.list
}

// remaining is a column that no field was given.
type remaining struct {
	*sheet.Column
	head  *header
	at    int  // its place
	quiet bool // its header says nothing, rather than something that is not understood
}

// open gives the columns that remain and whose headers say nothing, or nothing that is understood.
func (l *left) open() []remaining { return l.openOr(catalog.Field{}) }

// openOr gives these and the columns of which a field was suggested.
func (l *left) openOr(f catalog.Field) []remaining {
	return slices.DeleteFunc(l.rest(), func(c remaining) bool { return !l.unsaid(c, f) })
}

// rest gives all columns that remain, but those that are known to hold what no field is for.
func (l *left) rest() []remaining {
	return slices.DeleteFunc(l.unplaced(), func(c remaining) bool { return c.head.aside })
}

// unplaced gives all columns that remain, also those whose headers say something else.
func (l *left) unplaced() (out []remaining) {
	x := l.view.compare(l.target.Type, l.target.Memory)
	for at := range l.view.columns {
		col := &l.view.columns[at]
		if l.mine[col.Header] && col.Filled >= fewestMute && !l.placed(col.Header) {
			out = append(out, remaining{col, &x.heads[at], at, x.heads[at].mute})
		}
	}
	return out
}

// unsaid reports whether nothing says that a column holds something else than a field.
func (l *left) unsaid(c remaining, f catalog.Field) bool {
	return c.quiet || c.head.strange || l.suggested(c, f)
}

// placed reports whether a column was given to a field, of any draft.
func (l *left) placed(header string) bool {
	return slices.ContainsFunc(l.list, func(s Suggestion) bool { return s.Column == header && s.Taken })
}

// suggested reports whether a column was suggested for a field.
func (l *left) suggested(col remaining, f catalog.Field) bool {
	return slices.ContainsFunc(l.list, func(s Suggestion) bool {
		return s.Column == col.Header && s.Field == f.Name && s.Draft == l.target.Draft
	})
}

// take gives a column to a field.
func (l *left) take(col remaining, field, reason string) {
	l.list = slices.DeleteFunc(l.list, func(s Suggestion) bool {
		return s.Column == col.Header || s.Draft == l.target.Draft && s.Field == field
	})
	says := ""
	switch {
	case col.quiet:
		says = "the header says nothing, and "
	case col.head.strange:
		says = "the header is not understood, and "
	}
	l.list = append(l.list, Suggestion{
		Column: col.Header, Draft: l.target.Draft, Field: field, Confidence: leftOver, Taken: true, Reason: says + reason,
		left: true,
	})
}

// leftOver is the confidence of what is taken because nothing else is left.
const leftOver = 0.91

// given gives what a field was given.
func (l *left) given(field string) (column string, ok bool) {
	at := slices.IndexFunc(l.list,
		func(s Suggestion) bool { return s.Draft == l.target.Draft && s.Field == field && s.Taken })
	if at < 0 {
		return "", false
	}
	return l.list[at].Column, true
}

// free gives the one field that is so; ok is false where none is, several are, or it was given.
func (l *left) free(is func(catalog.Field) bool) (only catalog.Field, ok bool) {
	n := 0
	for _, f := range l.target.Type.Fields {
		if is(f) {
			only = f
			n++
		}
	}
	_, given := l.given(only.Name)
	return only, n == 1 && !given
}

// meant tells which fields a concept means.
func (l *left) meant(concept string) func(catalog.Field) bool {
	return func(f catalog.Field) bool { return setScore(l.target.Type.Name, f, []string{concept}) >= certain }
}

// asked takes the columns of a sheet that asks what and when for what its records are called and the
// day on which they are due: neither says much without the other.
func (l *left) asked() {
	x := l.view.compare(l.target.Type, l.target.Memory)
	questions := [2]string{"what", "when"}
	var found [2]remaining
	var fields [2]catalog.Field
	for n, question := range questions {
		col, asks := -1, false
		for at, c := range l.view.columns {
			if l.mine[c.Header] && !l.placed(c.Header) && says(c.Header, question) {
				col, asks = at, col < 0
			}
		}
		f, free := l.free(func(f catalog.Field) bool {
			return f.Required && setScore(l.target.Type.Name, f, []string{question}) > 0
		})
		if due, given := l.given(f.Name); given && says(due, question) {
			continue // as it is
		}
		if !asks || !free {
			return
		}
		of := slices.IndexFunc(x.fields, func(o catalog.Field) bool { return o.Name == f.Name })
		if x.fits[col][of] == contradicts {
			return
		}
		found[n], fields[n] = remaining{Column: &l.view.columns[col], head: &x.heads[col], at: col}, f
	}
	for n, f := range fields {
		if f.Name != "" {
			l.take(found[n], f.Name, "it asks "+questions[n]+", beside one that asks "+questions[1-n])
		}
	}
}

// saidInPart takes columns whose headers hold the word of a field beside short forms that are not
// understood (QTY_ORD, TEL_STD), where the cells agree and no other column may be it. In headers
// that people write, such words say whose it is; only of amounts, where a sheet has one column of
// them, of remarks and of job titles they do not.
func (l *left) saidInPart() {
	x := l.view.compare(l.target.Type, l.target.Memory)
	for _, s := range slices.Clone(l.list) {
		at := slices.IndexFunc(l.view.columns, func(c sheet.Column) bool { return c.Header == s.Column })
		n := slices.IndexFunc(x.fields, func(f catalog.Field) bool { return f.Name == s.Field })
		if s.Draft != l.target.Draft || s.Taken || s.Take != "" || at < 0 || n < 0 {
			continue
		}
		// Numbers of other things are in lists as well, but hardly as their first column.
		number := ownKey(x.fields[n]) && (at > 0 || !tellsApart(l.view.columns[at]))
		if x.heads[at].aside || x.heads[at].said[n].score < leastPart || number {
			continue
		}
		money := x.fields[n].Type == catalog.Money // of which there are many, with and without what
		// Of remarks and of job titles there is mostly one column.
		plain := x.fields[n].Type == catalog.LongText || x.fields[n].Holds == catalog.HoldsJobTitle ||
			x.fields[n].Type == catalog.YesNo && share(l.view.columns[at].Samples, value.SaysDone) > 0.9
		if money && !l.onlyAmounts(at) || !money && !plain && !technical(s.Column) {
			continue
		}
		if fit, what := x.fits[at][n], x.looks[at][n]; fit >= supports && l.alone(x, at, n) {
			col := remaining{Column: &l.view.columns[at], head: &x.heads[at], at: at}
			l.take(col, s.Field, what)
			l.list[len(l.list)-1].Reason = s.Reason + "; no other column may be " + x.fields[n].Label
		}
	}
}

// tellsApart reports whether the cells of a column are all filled, each otherwise, and do not count.
func tellsApart(c sheet.Column) bool {
	return c.Blank == 0 && c.Distinct == c.Filled && !countsRows(c.Samples)
}

// leastPart is how well a header must say a field for that.
const leastPart = 0.56

// onlyAmounts reports whether no column but one holds amounts.
func (l *left) onlyAmounts(column int) bool {
	for at, c := range l.view.columns {
		if at != column && isAmounts(c) {
			return false
		}
	}
	return isAmounts(l.view.columns[column])
}

// technical reports whether a header is that of a program: words joined by a stroke below, or in
// capitals alone.
func technical(header string) bool {
	return strings.Contains(header, "_") || strings.ToUpper(header) == header && strings.ToLower(header) != header
}

// alone reports whether no other column that remains may be a field, and a column no other field
// that remains.
func (l *left) alone(x *compared, column, field int) bool {
	if _, given := l.given(x.fields[field].Name); given {
		return false
	}
	near := max(doubt, x.scores[column][field]-0.1)
	for at, col := range l.view.columns {
		if at != column && x.scores[at][field] >= near && !l.placed(col.Header) {
			return false
		}
	}
	for n, f := range x.fields {
		if _, given := l.given(f.Name); n != field && !given && x.scores[column][n] >= near {
			return false
		}
	}
	return true
}

// byCells takes columns whose headers are not understood for the one field that their cells look
// like so clearly, where no other column does.
func (l *left) byCells() {
	x := l.view.compare(l.target.Type, l.target.Memory)
	town := l.town()
	for _, col := range l.open() {
		for n, f := range x.fields {
			fit, what := x.fits[col.at][n], x.looks[col.at][n]
			consent := setScore(l.target.Type.Name, f, []string{"consent"}) > 0 // which is asked for and never guessed
			done := f.Type == catalog.YesNo && col.Distinct > 1 && !consent
			if fit == supports && (done || f.ComparedAs() == catalog.AsLocality && col.Header == town) {
				fit = tells
			}
			if (fit == tells || fit == distinctive) && l.alone(x, col.at, n) {
				l.take(col, f.Name, what+", and those of no other column do")
				break
			}
		}
	}
}

// town gives the one column that remains of words that may be family names as well as towns, where
// the family names have a column of their own; names of regions look like them.
func (l *left) town() (header string) {
	family, person := l.target.Type.FieldAs(catalog.AsFamilyName)
	if _, given := l.given(family.Name); person && !given {
		return ""
	}
	col, ok := onlyOne(l.open(), func(c remaining) bool {
		p := l.view.kinds[c.at].p
		return len(c.Samples) >= fewestToTell && p[textkind.Town]+p[textkind.Family] > 0.97 && p[textkind.Town] > 0.3
	})
	if !ok {
		return ""
	}
	return col.Header
}

// owners takes names of few people that come again and again for those of who looks after the
// records.
func (l *left) owners() {
	f, ok := l.free(func(f catalog.Field) bool {
		return (f.Type == catalog.Reference || f.Holds == catalog.HoldsPerson && !f.Required) && l.meant("owner")(f)
	})
	if !ok {
		return
	}
	again := func(c remaining) bool {
		return c.Blank*4 < c.Filled && c.Distinct > 1 && c.Distinct*3 <= c.Filled && c.Distinct <= mostStaff
	}
	who := func(c remaining) bool { // what names a person where somebody is asked for
		names := wordsInCells(*c.Column, 2) && c.Longest <= longestName && share(c.Samples, withLegalForm) == 0
		return c.head.asks && (names || l.view.kinds[c.at].p[textkind.Given] > 0.5 ||
			share(c.Samples, initials.MatchString) > 0.9)
	}
	if col, ok := onlyOne(l.openOr(f), func(c remaining) bool { return again(c) && (l.namePeople(c) || who(c)) }); ok {
		l.take(col, f.Name, "it names few people again and again")
	}
}

// sentence reports whether some word of a text but the first begins with a small letter, and is none
// that stands within names (van, de la).
func sentence(s string) bool {
	words := strings.Fields(s)
	return slices.ContainsFunc(words[min(1, len(words)):], func(w string) bool {
		first, _ := utf8.DecodeRuneInString(w)
		return unicode.IsLower(first) && len([]rune(w)) > 3
	})
}

// longestName is how long the name of a person is at the most.
const longestName = 40

// initials are those of a person.
var initials = regexp.MustCompile(`^\s*\p{Lu}{2,3}\s*$`)

// people takes names of many people for those whom the records are about.
func (l *left) people() {
	f, ok := l.free(func(f catalog.Field) bool { return f.Type == catalog.Reference && l.meant("person")(f) })
	if !ok {
		return
	}
	many := func(c remaining) bool {
		mails := c.head.asks && share(c.Samples, func(s string) bool { return strings.Contains(s, "@") }) > 0.8
		return c.Distinct*2 > c.Filled && (mails || l.namePeople(c))
	}
	col, ok := onlyOne(l.openOr(f), func(c remaining) bool { return l.suggested(c, f) && many(c) })
	if !ok {
		col, ok = onlyOne(l.open(), many)
	}
	if ok {
		l.take(col, f.Name, "it names many people")
	}
}

// namePeople reports whether cells are full names of people.
func (l *left) namePeople(c remaining) bool {
	var halves textkind.Halves
	kinds := l.view.kinds[c.at]
	if !kinds.known { // two people who come again and again
		kinds.p, kinds.known = textkind.Of(slices.Concat(c.Samples, c.Samples))
	}
	if kinds.known && kinds.p[textkind.FullName] < 0.5 || !wordsInCells(*c.Column, 2) {
		return false
	}
	if share(c.Samples, withLegalForm) > 0.2 || share(c.Samples, sentence) > 0.3 {
		return false
	}
	return kinds.p[textkind.FullName] > ofPersons || share(withoutTitles(c.Samples), halves.Given) >= leastGiven
}

// days takes the two columns of days of which one is before the other for when something began and
// when it will end.
func (l *left) days() {
	opened, hasOpened := l.free(func(f catalog.Field) bool { return f.Type == catalog.Date && l.meant("opened")(f) })
	closes, hasClose := l.free(func(f catalog.Field) bool { return f.Type == catalog.Date && l.meant("close")(f) })
	if earlier, later, ok := daysInTurn(l.open()); ok && hasOpened && hasClose {
		l.take(earlier, opened.Name, "its days are before those of “"+later.Header+"”")
		l.take(later, closes.Name, "its days are after those of “"+earlier.Header+"”")
	}
}

// amounts takes the one column of amounts that is left where only one field holds any.
func (l *left) amounts() {
	if f, ok := l.free(func(f catalog.Field) bool { return f.Type == catalog.Money }); ok {
		if col, ok := onlyOne(l.open(), func(c remaining) bool { return c.quiet && isAmounts(*c.Column) }); ok {
			l.take(col, f.Name, "no other column holds amounts")
		}
	}
}

// phones takes columns of telephone numbers for the mobile ones or the others, as their numbers are.
func (l *left) phones() {
	mobile, hasMobile := l.free(func(f catalog.Field) bool { return f.Type == catalog.Phone && l.meant("mobile")(f) })
	fixed, hasFixed := l.free(func(f catalog.Field) bool { return f.Type == catalog.Phone && l.meant("landline")(f) })
	if !hasMobile && !hasFixed {
		return
	}
	var lines, mobiles, unknown []remaining
	x := l.view.compare(l.target.Type, l.target.Memory)
	n := slices.IndexFunc(x.fields, func(f catalog.Field) bool { return f.Type == catalog.Phone })
	for _, c := range l.rest() {
		if x.fits[c.at][n] == contradicts || !l.unsaid(c, fixed) && !says(c.Header, "phone") {
			continue
		}
		switch part, told := value.MobileShare(c.Samples); {
		case share(c.Samples, likePhone) <= 0.8:
		case told < fewest:
			unknown = append(unknown, c)
		case part > 0.9:
			mobiles = append(mobiles, c)
		case part < 0.5:
			lines = append(lines, c)
		}
	}
	if hasMobile && len(mobiles) == 1 {
		l.take(mobiles[0], mobile.Name, "its values are mobile numbers")
	}
	if hasFixed && len(lines) == 1 {
		l.take(lines[0], fixed.Name, "its values are telephone numbers")
	}
	if len(unknown) == 1 && len(lines)+len(mobiles) < 2 { // it is the other, or any
		switch {
		case hasMobile && hasFixed && len(lines) == 1:
			l.take(unknown[0], mobile.Name, "its values are telephone numbers other than those of “"+lines[0].Header+"”")
		case hasFixed && len(lines) == 0:
			l.take(unknown[0], fixed.Name, "its values are telephone numbers")
		case hasMobile && len(lines)+len(mobiles) == 0:
			if of, ok := l.given(fixed.Name); ok && says(of, "landline") {
				l.take(unknown[0], mobile.Name, "its values are telephone numbers other than those of “"+of+"”")
			}
		}
	}
}

// says reports whether a header can mean one concept and nothing else.
func says(header, concept string) bool {
	return slices.ContainsFunc(lift(headerWords(header)).sets,
		func(set []string) bool { return len(set) == 1 && set[0] == concept })
}

// titles takes the one column of phrases, or of names of companies, that is always filled for what
// the records are called.
func (l *left) titles() {
	title := l.target.Type.Title
	f, ok := l.free(func(f catalog.Field) bool {
		return len(title) == 1 && f.Name == title[0] && f.Type == catalog.Text && f.Required
	})
	always := func(c remaining) bool { return c.Blank == 0 && c.Longest <= longestTitle && !filledLike(*c.Column) }
	switch {
	case !ok:
		return
	case f.ComparedAs() == catalog.AsCompanyName:
		if col, ok := onlyOne(l.rest(), func(c remaining) bool {
			companies := share(c.Samples, withLegalForm) > 0.3 || l.view.kinds[c.at].p[textkind.Company] > 0.97
			return always(c) && c.Distinct*2 > c.Filled && companies
		}); ok {
			l.take(col, f.Name, "it is the one column of names of companies that is always filled")
			return
		}
		for n, s := range l.list { // what they are called in full is all that they are called
			other, _ := l.target.Type.Field(s.Field)
			named := other.Type == catalog.Text && other.ComparedAs() == f.ComparedAs()
			if s.Draft == l.target.Draft && s.Taken && named {
				l.list[n].Field, l.list[n].Reason = f.Name, s.Reason+", and no other column has the "+f.Label
				return
			}
		}
		return
	}
	_, addressed := l.target.Type.FieldAs(catalog.AsStreet)
	link, _ := companyLink(l.target.Type)
	_, named := l.given(link.Name) // whose company it is, is said elsewhere
	if col, ok := onlyOne(l.rest(), func(c remaining) bool {
		p := l.view.kinds[c.at].p
		people := p[textkind.FullName] > 0.95 && share(c.Samples, sentence) < 0.3
		streets := addressed && p[textkind.Street] > 0.5
		company := share(c.Samples, withLegalForm) > 0.2 && !(named && l.suggested(c, f))
		named := people || streets || p[textkind.Job] > 0.9 || company
		words := share(c.Samples, severalWords)
		return always(c) && (l.phrases(c) || !named && (words > 0.6 && l.unsaid(c, f) || words > 0.4 && l.suggested(c, f)))
	}); ok {
		l.take(col, f.Name, "it is the one column of phrases that is always filled")
		return
	}
	if col, ok := onlyOne(l.unplaced(), func(c remaining) bool {
		p := l.view.kinds[c.at].p
		other := p[textkind.FullName] > 0.5 || p[textkind.Company] > 0.5 || share(c.Samples, withLegalForm) > 0.2
		return always(c) && !other && slices.ContainsFunc(lift(headerWords(l.view.mark.off(c.Header))).sets, func(set []string) bool {
			return slices.Equal(set, []string{"name"}) || slices.Equal(set, []string{"what"})
		})
	}); ok {
		l.take(col, f.Name, "it is what they are called")
		return
	}
	// No record is without a title: what is called a description, and stands in every row, is it.
	for _, s := range l.list {
		about, _ := l.target.Type.Field(s.Field)
		at := slices.IndexFunc(l.all, func(c sheet.Column) bool { return c.Header == s.Column })
		if s.Draft != l.target.Draft || !s.Taken || about.Type != catalog.LongText || at < 0 {
			continue
		}
		if c := (remaining{Column: &l.all[at]}); always(c) && c.Filled >= fewestMute {
			l.list = slices.DeleteFunc(l.list, func(x Suggestion) bool {
				return x.Column == s.Column || x.Draft == s.Draft && x.Field == f.Name
			})
			s.Field, s.Confidence, s.Reason = f.Name, leftOver, "every record needs its "+f.Label+
				", and it is the one short text that is always there"
			l.list = append(l.list, s)
			return
		}
	}
}

// names parts the one column of full names where nothing else gives a half of them.
func (l *left) names() {
	family, person := l.target.Type.FieldAs(catalog.AsFamilyName)
	given, both := l.target.Type.FieldAs(catalog.AsGivenName)
	_, hasFamily := l.given(family.Name)
	_, hasGiven := l.given(given.Name)
	if !person || !both || hasFamily || hasGiven || !family.Required {
		return
	}
	col, ok := onlyOne(l.rest(), func(c remaining) bool {
		names := l.view.kinds[c.at].p[textkind.FullName] > ofPersons && l.namePeople(c)
		return names && c.Blank == 0 && c.Distinct*2 > c.Filled && (l.unsaid(c, family) || saysPerson(c.Header))
	})
	if !ok {
		return
	}
	takes := map[string]mapping.Take{family.Name: mapping.TakeFamilyName, given.Name: mapping.TakeGivenName}
	if familyFirst(*col.Column) {
		takes = map[string]mapping.Take{family.Name: mapping.TakeFamilyFirst, given.Name: mapping.TakeGivenLast}
	}
	l.list = parted(l.list, l.target, col.Header, leftOver, "the header is not understood, and it is the one column of "+
		"full names that is always filled", takes)
	for n := range l.list {
		l.list[n].left = l.list[n].left || l.list[n].Column == col.Header
	}
}

// wholeNames takes the one column of full names for the names of people that are kept whole, as those of who owns
// records are, however few there are.
func (l *left) wholeNames() {
	f, ok := l.free(func(f catalog.Field) bool { return f.Holds == catalog.HoldsPerson && f.Required })
	if !ok {
		return
	}
	x := l.view.compare(l.target.Type, l.target.Memory)
	var found []remaining
	for at := range l.view.columns {
		c := remaining{&l.view.columns[at], &x.heads[at], at, x.heads[at].mute}
		// A given name is called as any name is in some languages, and who sells by the trade.
		named := says(c.Header, "given") || says(c.Header, "family") || says(c.Header, "owner")
		if l.mine[c.Header] && c.Filled > 1 && c.Blank == 0 && !comesAgain(*c.Column) && !l.placed(c.Header) &&
			(named || l.unsaid(c, f)) && l.namePeople(c) {
			found = append(found, c)
		}
	}
	if len(found) == 1 {
		l.take(found[0], f.Name, "it is the one column of full names")
	}
}

// givenNames takes the one column of given names that remains and is called a name, where the
// family names have a column of their own.
func (l *left) givenNames() {
	family, person := l.target.Type.FieldAs(catalog.AsFamilyName)
	given, both := l.target.Type.FieldAs(catalog.AsGivenName)
	of, hasFamily := l.given(family.Name)
	if _, hasGiven := l.given(given.Name); !person || !both || !hasFamily || hasGiven {
		return
	}
	col, ok := onlyOne(l.rest(), func(c remaining) bool {
		called := slices.ContainsFunc(lift(headerWords(c.Header)).sets, func(set []string) bool {
			return len(set) == 1 && (set[0] == "name" || set[0] == "family")
		})
		return called && len(c.Samples) >= fewestToTell && l.view.kinds[c.at].p[textkind.Given] > 0.97
	})
	if ok {
		l.take(col, given.Name, "its values are given names, and the family names stand in “"+of+"”")
	}
}

// saysPerson reports whether a header speaks of a person, whatever else.
func saysPerson(header string) bool {
	return slices.ContainsFunc(lift(headerWords(header)).sets,
		func(set []string) bool { return slices.Contains(set, "person") })
}

// onlyDay takes the one column of days that is left for the day that every record needs.
func (l *left) onlyDay() {
	f, ok := l.free(func(f catalog.Field) bool { return f.Type == catalog.Date && f.Required })
	if !ok {
		return
	}
	close := l.meant("close")(f) // nobody expects it at a time of the day
	if col, ok := onlyOne(l.rest(), func(c remaining) bool {
		return c.Blank*5 < c.Filled && len(daysOf(c)) > 0 && (l.unsaid(c, f) || !saysOtherDay(c.Header)) &&
			!(close && share(c.Samples, atATime) > 0.7)
	}); ok {
		l.take(col, f.Name, "it is the one column of days, of which every record needs one")
	}
}

// clockBehind finds the time of the day behind a date in figures.
var clockBehind = regexp.MustCompile(`\d[ T](\d{1,2}[:.h]\d{2})`)

// atATime reports whether a text is a day with a time other than midnight.
func atATime(s string) bool {
	m := clockBehind.FindStringSubmatch(s)
	return m != nil && strings.Trim(m[1], "0:.h") != ""
}

// saysOtherDay reports whether a header says that its days are those of something else.
func saysOtherDay(header string) bool {
	return slices.ContainsFunc(lift(headerWords(header)).sets, func(set []string) bool {
		return slices.ContainsFunc(set, func(c string) bool {
			return c == "opened" || c == "met" || c == "birth" || c == "else" || c == "someone" || c == "date" && len(set) > 1
		})
	})
}

// remarks takes the one column of whole sentences that is left for what may be said of a record.
func (l *left) remarks() {
	f, ok := l.free(func(f catalog.Field) bool { return f.Type == catalog.LongText })
	if !ok {
		return
	}
	if col, ok := onlyOne(l.open(), func(c remaining) bool {
		sentences := l.phrases(c) && wordsInCells(*c.Column, 3) && share(c.Samples, sentence) > 0.5
		return sentences && c.Distinct > fewest && c.Longest >= shortestRemark && !filledLike(*c.Column)
	}); ok {
		l.take(col, f.Name, "it is the one column of sentences")
	}
}

// shortestRemark is how long the longest of some remarks is at least.
const shortestRemark = 16

// ownNumber takes a column for the numbers of what the rows are where its header says that they are
// numbers of what the column of names is called (“Tender”, “Tender no.”), or where it stands first.
func (l *left) ownNumber() {
	key, ok := l.free(func(f catalog.Field) bool {
		return ownKey(f) && setScore(l.target.Type.Name, f, []string{"number", "old"}) >= certain
	})
	if !ok {
		return
	}
	x, named := l.view.compare(l.target.Type, l.target.Memory), ""
	if len(l.target.Type.Title) == 1 {
		named, _ = l.given(l.target.Type.Title[0])
	}
	if col, ok := onlyOne(l.openOr(key), func(c remaining) bool {
		number := false
		rest := slices.DeleteFunc(headerWords(c.Header), func(w string) bool {
			is := slices.Contains(lexicon[w], "number") || slices.Contains(lexicon[w], "code")
			number = number || is
			return is || small[w]
		})
		fit := x.fits[c.at][slices.IndexFunc(x.fields, func(f catalog.Field) bool { return f.Name == key.Name })]
		first := c.at == 0 && c.Blank == 0 && c.head.strange // where lists have the numbers of what they list
		same := named != "" && strings.Join(rest, " ") == strings.Join(headerWords(named), " ")
		mute := c.quiet && c.at == 0 && len(l.list) > 1 && tellsApart(*c.Column)
		return (number && len(rest) > 0 && (same || first) || mute) && fit == supports
	}); ok {
		l.take(col, key.Name, "its numbers tell the rows apart")
	}
}

// severalWords reports whether a text is several words.
func severalWords(s string) bool { return len(strings.Fields(s)) > 1 && aWord.MatchString(s) }

// longestTitle is how long the titles of records are at the most.
const longestTitle = 80

// onlyOne gives the one column that is so; ok is false where none is, or several.
func onlyOne(columns []remaining, is func(remaining) bool) (one remaining, ok bool) {
	n := 0
	for _, c := range columns {
		if is(c) {
			one = c
			n++
		}
	}
	return one, n == 1
}

// daysInTurn gives the two columns of days where there are just two, and one is before the other
// at both ends and in the middle.
func daysInTurn(columns []remaining) (earlier, later remaining, ok bool) {
	var dated []remaining
	var days [][]string
	for _, c := range columns {
		if list := daysOf(c); len(list) > 0 {
			dated, days = append(dated, c), append(days, list)
		}
	}
	if len(dated) != 2 {
		return earlier, later, false
	}
	before := func(a, b []string) bool {
		return a[0] < b[0] && a[len(a)/2] < b[len(b)/4] && a[len(a)-1] < b[len(b)-1]
	}
	switch {
	case before(days[0], days[1]):
		return dated[0], dated[1], true
	case before(days[1], days[0]):
		return dated[1], dated[0], true
	}
	return earlier, later, false
}

// daysOf gives the days of a column in their order, or none where it is no column of days.
func daysOf(c remaining) (list []string) {
	r := value.NewReader(catalog.Field{Name: "day", Type: catalog.Date},
		value.Settings{DateOrder: value.DateOrder(c.DateOrder)})
	for _, s := range c.Samples {
		if day, trouble := r.Read(s); trouble.Code == "" && day != "" && digitsIn(s) < len(s) {
			list = append(list, day)
		}
	}
	if len(list)*10 < len(c.Samples)*9 {
		return nil
	}
	slices.Sort(list)
	return list
}

// isAmounts reports whether a column holds amounts, and no counter, codes or years: some of them
// are in groups, or have two decimals.
func isAmounts(c sheet.Column) bool {
	if len(c.Samples) == 0 || countsRows(c.Samples) {
		return false
	}
	if first := digitsIn(c.Samples[0]); !slices.ContainsFunc(c.Samples,
		func(s string) bool { return digitsIn(s) != first }) {
		return false // numbers of a register are in groups as well, and all as long
	}
	return share(c.Samples, anAmount.MatchString) > 0.9 && share(c.Samples, func(s string) bool {
		return digitsIn(s) > 3 && strings.ContainsAny(strings.TrimSpace(s), ".,'’ \u00a0\u202f")
	}) > 0.3
}

// anAmount is how amounts are written, in groups or not, with a currency or without.
var anAmount = regexp.MustCompile(`^\s*(?:[€$£]|[A-Z]{3})?\s?-?(?:[1-9]\d{0,2}(?:[.,'’ \x{a0}\x{202f}]\d{3})+|[1-9]\d*|0)(?:[.,](?:\d{2}|-+))?\s?(?:[€$£]|[A-Z]{3}|kr\.?)?\s*$`)

// phrases reports whether the texts of a column are phrases, and no names of anything.
func (l *left) phrases(c remaining) bool { return l.view.kinds[c.at].p[textkind.Phrase] > 0.5 }

// filledLike reports whether a few texts fill a column, as choices do.
func filledLike(c sheet.Column) bool { return c.Distinct*4 < c.Filled }
