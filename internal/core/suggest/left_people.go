package suggest

import (
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/textkind"
)

// Who is named in what is left: those who look after the records, those whom these are about, and whose the rows are.

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
	figures := func(s string) bool { return digitsIn(s) > 0 } // “Winter storage 2026” is no person
	if share(c.Samples, withLegalForm) > 0.2 || share(c.Samples, sentence) > 0.3 || share(c.Samples, figures) > 0.2 {
		return false
	}
	return kinds.p[textkind.FullName] > ofPersons || share(withoutTitles(c.Samples), halves.Given) >= leastGiven
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
func saysPerson(header string) bool { return saysInPart(header, "person") }
