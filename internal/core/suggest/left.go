package suggest

import (
	"slices"
	"strings"

	"uchi/internal/core/catalog"
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
		l.asked, l.saidInPart, l.names, l.wholeNames, l.givenNames, l.owners, l.people, l.days, l.amounts, l.phones,
		l.firms, l.titles, l.ownNumber,
		l.byCells, l.behindStreet, l.besideTowns, l.besideCodes, l.onlyDay, l.remarks,
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
func (l *left) unplaced() []remaining { return l.unplacedFrom(fewestMute) }

// unplacedFrom gives those of so many filled cells at least.
func (l *left) unplacedFrom(least int64) (out []remaining) {
	x := l.view.compare(l.target.Type, l.target.Memory)
	for at := range l.view.columns {
		col := &l.view.columns[at]
		if l.mine[col.Header] && col.Filled >= least && !l.placed(col.Header) {
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
	return c.Blank == 0 && c.AllDiffer() && !countsRows(c.Samples)
}

// leastPart is how well a header must say a field for that.
const leastPart = 0.56

// technical reports whether a header is that of a program: words joined by a stroke below, or in
// capitals alone.
func technical(header string) bool {
	return strings.Contains(header, "_") || strings.ToUpper(header) == header && strings.ToLower(header) != header
}

// only reports whether a field is not given, and no other column that remains may be it.
func (l *left) only(x *compared, column, field int) bool {
	if _, given := l.given(x.fields[field].Name); given {
		return false
	}
	near := max(doubt, x.scores[column][field]-0.1)
	for at, col := range l.view.columns {
		if at != column && x.scores[at][field] >= near && !l.placed(col.Header) {
			return false
		}
	}
	return true
}

// alone reports whether no other column that remains may be a field, and a column no other field
// that remains.
func (l *left) alone(x *compared, column, field int) bool {
	if !l.only(x, column, field) {
		return false
	}
	near := max(doubt, x.scores[column][field]-0.1)
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
			if fit == supports && (done || f.ComparedAs() == catalog.AsLocality && col.Header == town ||
				col.quiet && l.onlyWords(f, col)) {
				fit = tells
			}
			// Where nothing else is of an address, names with a number are no streets, and words no towns.
			if f.ComparedAs() == catalog.AsStreet && !l.seems(catalog.AsLocality, catalog.AsPostalCode) ||
				f.ComparedAs() == catalog.AsLocality && !l.seems(catalog.AsStreet, catalog.AsPostalCode, catalog.AsCountry) &&
					!saysInPart(col.Header, "where") {
				continue
			}
			if (fit == tells || fit == distinctive) && l.alone(x, col.at, n) {
				l.take(col, f.Name, what+", and those of no other column do")
				break
			}
			// A company has another name besides, by which it is not called where it has but one.
			if (fit == supports || fit == tells) && f.ComparedAs() == catalog.AsCompanyName && f.Required &&
				l.view.kinds[col.at].p[textkind.Company] > surelyFirms && l.only(x, col.at, n) {
				l.take(col, f.Name, what+", of which every record needs one, and those of no other column do")
				break
			}
		}
	}
}

// surelyFirms is how surely the cells of a column must be companies for it to name the rows.
const surelyFirms = 0.9

// onlyWords reports whether what a column without a header seems to hold can hardly be something else: many different
// words can, and days where the records have no other; of few that come again, choices that the header lists. Numbers
// count all kinds of things, and short codes stand for them.
func (l *left) onlyWords(f catalog.Field, c remaining) bool {
	_, only := l.free(func(o catalog.Field) bool { return o.Type == catalog.Date })
	switch {
	case listsValues(*c.Column):
		return f.Type == catalog.OneChoice
	case l.view.kinds[c.at].texts <= fewest:
		return false
	case f.ComparedAs() == catalog.AsLocality || f.ComparedAs() == catalog.AsFamilyName: // which any words may look like
		return l.view.kinds[c.at].texts >= fewestToTell
	}
	link := f.Type == catalog.Reference && f.To != "staff" // codes of anything may be initials
	return f.HoldsWords() && f.Holds != catalog.HoldsRegion || link || f.Type == catalog.Date && only
}

// seems reports whether a column gives one of some fields, by what they are compared as, or may.
func (l *left) seems(any ...catalog.Likeness) bool {
	return slices.ContainsFunc(any, func(as catalog.Likeness) bool {
		f, ok := l.target.Type.FieldAs(as)
		return ok && slices.ContainsFunc(l.list, func(s Suggestion) bool { return s.Draft == l.target.Draft && s.Field == f.Name })
	})
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

// says reports whether a header can mean one concept and nothing else.
func says(header, concept string) bool {
	return slices.ContainsFunc(lift(headerWords(header)).sets,
		func(set []string) bool { return len(set) == 1 && set[0] == concept })
}

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
