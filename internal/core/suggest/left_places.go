package suggest

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
)

// Parts of addresses in what is left, which are told by what stands beside them.

// behindStreet takes two columns that stand behind that of the streets, and say nothing, for
// the codes and the towns: figures that are all as many, and words without any, of which
// there are about as many.
func (l *left) behindStreet() {
	street, of := l.target.Type.FieldAs(catalog.AsStreet)
	code, town, both := l.codeAndTown()
	header, given := l.given(street.Name)
	_, hasCode := l.given(code.Name)
	_, hasTown := l.given(town.Name)
	if !of || !both || !given || hasCode || hasTown {
		return
	}
	at := l.placeOf(header)
	var behind []remaining
	for _, c := range l.open() {
		if c.at == at+1 || c.at == at+2 {
			behind = append(behind, c)
		}
	}
	if at < 0 || len(behind) != 2 {
		return
	}
	x := l.view.compare(l.target.Type, l.target.Memory)
	codes, towns := behind[0], behind[1]
	if share(towns.Samples, likePostal) > 0.5 {
		codes, towns = towns, codes
	}
	n := slices.IndexFunc(x.fields, func(f catalog.Field) bool { return f.Name == town.Name })
	if likeCodes(codes) && x.fits[towns.at][n] != contradicts && likeTowns(towns) && goTogether(*codes.Column, *towns.Column) {
		l.take(codes, code.Name, "it stands behind the street, before or behind words that may be towns")
		l.take(towns, town.Name, "it stands behind the street, before or behind its codes")
	}
}

// townWords are words as towns are written.
var townWords = regexp.MustCompile(`^\p{Lu}[\p{L}\p{M} .'’()-]+$`)

// besideTowns takes a column that says nothing, and stands beside that of the towns of whole addresses, or between
// streets and countries, for the postal codes. Where no towns are told yet, they are words that look like towns
// beside such a column.
func (l *left) besideTowns() {
	code, town, ok := l.codeAndTown()
	if _, coded := l.given(code.Name); !ok || coded {
		return
	}
	street, _ := l.target.Type.FieldAs(catalog.AsStreet)
	along, addressed := l.given(street.Name)
	if header, given := l.given(town.Name); given {
		at := l.placeOf(header)
		col, ok := onlyOne(l.beside(at), func(c remaining) bool {
			between := c.at == at-1 && c.at == l.placeOf(along)+1 // a large town has very many
			return likeCodes(c) && (between || goTogether(*c.Column, l.view.columns[at]))
		})
		if ok && addressed { // beside towns alone they may be numbers of anything
			l.take(col, code.Name, "it stands beside the towns, and its values look like their codes")
		}
		return
	}
	codes, ok := onlyOne(l.open(), func(c remaining) bool { return c.quiet && likeCodes(c) })
	if !ok {
		return
	}
	towns, ok := onlyOne(l.beside(codes.at), func(c remaining) bool {
		p := l.view.kinds[c.at].p
		return likeTowns(c) && l.plainWords(c) && goTogether(*codes.Column, *c.Column) && p[textkind.Town]+p[textkind.Family] > likelyTowns
	})
	if _, person := l.target.Type.FieldAs(catalog.AsFamilyName); ok && (!person || l.named()) {
		l.take(codes, code.Name, "its values look like postal codes, beside words that look like towns")
		l.take(towns, town.Name, "its values look like towns, beside those that look like their codes")
		return
	}
	country, _ := l.target.Type.FieldAs(catalog.AsCountry)
	end, given := l.given(country.Name)
	if addressed && given && codes.at == l.placeOf(along)+1 && l.placeOf(end) == codes.at+1 {
		l.take(codes, code.Name, "it stands between street and country, and its values look like postal codes")
	}
}

// likelyTowns is how surely words must be towns or family names, which are often the same.
const likelyTowns = 0.8

// named reports whether the family names were told.
func (l *left) named() bool {
	family, _ := l.target.Type.FieldAs(catalog.AsFamilyName)
	_, given := l.given(family.Name)
	return given
}

// placeOf gives the place of a column, -1 for none.
func (l *left) placeOf(header string) int {
	return slices.IndexFunc(l.view.columns, func(c sheet.Column) bool { return c.Header == header })
}

// likeCodes reports whether a column holds figures as postal codes have them: all as many, no numbers in turn and
// no years.
func likeCodes(c remaining) bool {
	return len(c.Samples) > fewest && share(c.Samples, likePostal) > 0.95 && asManyFigures(c.Samples) && !inTurn(c.Samples) &&
		share(c.Samples, aYear) < 0.5
}

// besideCodes takes a column that says nothing, and stands beside that of the postal codes, for the towns:
// words that seem to be nothing else, and about as many as codes.
func (l *left) besideCodes() {
	code, town, ok := l.codeAndTown()
	header, given := l.given(code.Name)
	if _, named := l.given(town.Name); !ok || !given || named {
		return
	}
	at := l.placeOf(header)
	x := l.view.compare(l.target.Type, l.target.Memory)
	n := slices.IndexFunc(x.fields, func(f catalog.Field) bool { return f.Name == town.Name })
	col, ok := onlyOne(l.beside(at), func(c remaining) bool {
		f := x.fits[c.at][n]
		return f != contradicts && f != against && likeTowns(c) && goTogether(l.view.columns[at], *c.Column) &&
			!mayBeChoice(x, c) && l.plainWords(c)
	})
	if ok {
		l.take(col, town.Name, "it stands beside the postal codes, and its values may be their towns")
	}
}

// codeAndTown gives the fields of postal codes and of towns, where the records have both.
func (l *left) codeAndTown() (code, town catalog.Field, ok bool) {
	code, coded := l.target.Type.FieldAs(catalog.AsPostalCode)
	town, named := l.target.Type.FieldAs(catalog.AsLocality)
	return code, town, coded && named
}

// beside gives the columns before and behind one that remain and whose headers say nothing.
func (l *left) beside(at int) []remaining {
	return slices.DeleteFunc(l.open(), func(c remaining) bool { return at < 0 || !c.quiet || c.at != at-1 && c.at != at+1 })
}

// mayBeChoice reports whether texts are choices of a field.
func mayBeChoice(x *compared, c remaining) bool {
	for n, f := range x.fields {
		if f.Type == catalog.OneChoice && x.fits[c.at][n] >= supports {
			return true
		}
	}
	return false
}

// plainWords reports whether texts are rather no names of people or companies, no jobs and no streets.
func (l *left) plainWords(c remaining) bool {
	k := l.view.kinds[c.at]
	return !k.known || max(k.p[textkind.FullName], k.p[textkind.Company], k.p[textkind.Job], k.p[textkind.Street]) < 0.5
}

// goTogether reports whether there are about as many codes as towns: a town may have several.
func goTogether(codes, towns sheet.Column) bool {
	return towns.Distinct*4 <= codes.Distinct*5 && codes.Distinct <= 4*towns.Distinct
}

// likeTowns reports whether texts are written as towns are.
func likeTowns(c remaining) bool {
	return len(c.Samples) > fewest && c.Longest > 3 && share(c.Samples, townWords.MatchString) > 0.95
}

// likePostal reports whether a text is written as postal codes are.
func likePostal(s string) bool { return likePostalCode.MatchString(strings.ToUpper(value.Trim(s))) }

// asManyFigures reports whether nearly all texts have as many figures as each other.
func asManyFigures(texts []string) bool {
	of, most := map[int]int{}, 0
	for _, s := range texts {
		n := digitsIn(s)
		of[n]++
		most = max(most, of[n])
	}
	return most*20 >= len(texts)*19
}

// inTurn reports whether numbers go up from row to row, as those that are given to records do.
func inTurn(texts []string) bool {
	before := -1
	for _, s := range texts {
		n, err := strconv.Atoi(value.Trim(s))
		if err != nil || n <= before {
			return false
		}
		before = n
	}
	return len(texts) > 1
}

// aYear reports whether a text is a year in which companies of today began.
func aYear(s string) bool {
	n, err := strconv.Atoi(value.Trim(s))
	return err == nil && n > 1850 && n <= time.Now().Year()
}
