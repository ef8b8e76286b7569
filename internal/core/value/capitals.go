package value

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"

	"golang.org/x/text/cases"
	"golang.org/x/text/language"
)

// Capitals tells what becomes of names that are written in capitals throughout.
type Capitals string

// AsNames sets them as names are written: VAN DER KADE becomes van der Kade.
const AsNames Capitals = "as_names"

// WaysOfCapitals lists those that can be chosen.
var WaysOfCapitals = []Capitals{AsNames}

// Words that stay small inside a name of a place or a company, and how legal forms are
// written that are not all capitals.
var (
	smallInside = wordSet("am an auf bei der den des die im in und von vom zu zum zur of on at and the upon sur sous de " +
		"du des la le les et en del della di da do dos das y e van op aan het i og och")
	formsAsSet = map[string]string{"gmbh": "GmbH", "mbh": "mbH", "ltd": "Ltd", "limited": "Limited", "inc": "Inc",
		"plc": "plc", "oy": "Oy", "oyj": "Oyj", "aps": "ApS", "co": "Co", "sp": "Sp", "zoo": "z o.o.", "corp": "Corp"}
	numerals = wordSet("II III IV VI VII VIII IX")
)

// InCapitals reports whether a text has four letters or more and no small one.
func InCapitals(s string) bool {
	letters := 0
	for _, r := range s {
		switch {
		case unicode.IsLower(r):
			return false
		case unicode.IsUpper(r):
			letters++
		}
	}
	return letters > 3
}

// asNames sets a value of a field of names that is written in capitals throughout as names
// are written: with particles and small words small, and what stands for words as it is.
func asNames(f catalog.Field, s string) string {
	people := f.ComparedAs() == catalog.AsGivenName || f.ComparedAs() == catalog.AsFamilyName
	if !InCapitals(s) && !(people && utf8.RuneCountInString(s) > 1 && strings.ToUpper(s) == s &&
		!strings.ContainsRune(s, '.')) {
		return s
	}
	title := cases.Title(language.Und)
	words := strings.Split(s, " ")
	for n, w := range words {
		bare := Fold(strings.Trim(w, ".,;()"))
		plain := strings.Trim(w, ".,;()&")
		switch {
		case plain == "" || strings.ContainsFunc(w, unicode.IsDigit) || numerals[plain]:
		case people && IsInitials(w) && strings.ContainsRune(w, '.'):
		case people && n < len(words)-1 && isParticle(strings.ToLower(w)), !people && n > 0 && smallInside[bare]:
			words[n] = strings.ToLower(w)
		case f.ComparedAs() == catalog.AsCompanyName && formsAsSet[bare] != "" && n > 0:
			words[n] = strings.Replace(w, plain, formsAsSet[bare], 1)
		case standsForWords(f, plain):
		default:
			words[n] = setParts(title, w)
		}
	}
	return strings.Join(words, " ")
}

// standsForWords reports whether a word in capitals is letters that stand for words, in what
// is no person's name nor that of a place: AS, HSH, and in a job title CEO.
func standsForWords(f catalog.Field, word string) bool {
	n := utf8.RuneCountInString(word)
	switch f.ComparedAs() {
	case catalog.AsGivenName, catalog.AsFamilyName, catalog.AsStreet, catalog.AsLocality:
		return false
	case catalog.AsCompanyName:
		return isLatin(word) && (n < 3 || n < 5 && !strings.ContainsAny(Fold(word), "aeiouy"))
	}
	return isLatin(word) && n < 4
}

// setParts sets a word, each part of it behind a hyphen, an apostrophe or a full stop.
func setParts(title cases.Caser, word string) string {
	var b strings.Builder
	for len(word) > 0 {
		at := strings.IndexFunc(word, func(r rune) bool { return slices.Contains([]rune("-'’./("), r) })
		part, sign := word, ""
		if at >= 0 {
			_, size := utf8.DecodeRuneInString(word[at:])
			part, sign, word = word[:at], word[at:at+size], word[at+size:]
		} else {
			word = ""
		}
		set := title.String(part)
		if rest, ok := strings.CutPrefix(set, "Mc"); ok && utf8.RuneCountInString(rest) > 2 {
			set = "Mc" + title.String(rest)
		}
		b.WriteString(set)
		b.WriteString(sign)
	}
	return b.String()
}

// isLatin reports whether a word is in Latin letters, of whose capitals many stand for words.
func isLatin(word string) bool {
	return !strings.ContainsFunc(word, func(r rune) bool { return unicode.IsLetter(r) && !unicode.Is(unicode.Latin, r) })
}
