package matching

import (
	"slices"
	"strings"
	"unicode"

	"uchi/internal/core/value"
)

// company is a company's name made ready for comparison.
type company struct {
	tokens []string // small Latin words without the legal form, umlauts one way
	joined string
	side   string // the word that tells one branch from its sisters, such as north
}

// Words that stand in many companies' names and say little.
var weak = words("the and und et y e i og och en de of la le les el los das der die van von du des group gruppe groupe grupo gruppo gruppen holding holdings international intl company companies services service")

// Words that are one word under several spellings.
var oneWord = func() map[string]string {
	m := map[string]string{}
	for group := range strings.SplitSeq(`saint st sankt sint santa san sainte ste
harbour harbor hafen havn hamn haven
brothers bros
manufacturing mfg
association assoc assn
department dept
centre center centrum zentrum
engineering engg
technology tech technologies
international intl
university univ
brodrene br
gebroeders gebr gebruder
yard werft varv
and und et og och`, "\n") {
		list := strings.Fields(group)
		for _, w := range list {
			m[w] = list[0]
		}
	}
	return m
}()

// sides are the words by which branches differ.
var sides = func() map[string]string {
	m := map[string]string{}
	for group := range strings.SplitSeq(`north n nord norte noord nordre norra pohjois northern voreia
south s sud sur sul zuid sor sodra etela southern notia
east e ost est este oost oster ostra ita eastern anatolika oriental
west w ouest oeste vest vestre vastra lansi western dytika occidental
upper ober ovre ano
lower unter nedre kato
old alt alte vieux gamle gamla oud vanha
new neu neue nouveau nye nya nieuw uusi`, "\n") {
		list := strings.Fields(group)
		for _, w := range list {
			m[squeeze(w)] = list[0]
		}
	}
	return m
}()

func newCompany(name string) company {
	var c company
	key := Latin(value.NameKey(name))
	for w := range strings.FieldsSeq(key) {
		w = squeeze(w)
		if one, ok := oneWord[w]; ok {
			w = one
		}
		if len(w) > 1 {
			if side, ok := sides[w]; ok {
				c.side += side + " "
				continue
			}
		}
		if n := number(w); n != "" {
			c.side += n + " "
			continue
		}
		c.tokens = append(c.tokens, w)
	}
	if len(c.tokens) == 0 {
		c.tokens, c.side = strings.Fields(key), ""
	}
	c.joined = strings.Join(c.tokens, "")
	return c
}

func number(w string) string {
	switch w {
	case "ii":
		return "2"
	case "iii":
		return "3"
	}
	for _, r := range w {
		if !unicode.IsDigit(r) {
			return ""
		}
	}
	return w
}

// likeCompany compares the names of two companies. The difference between
// branches (North and South, 1 and 2) is a contradiction, not a slip.
func likeCompany(a, b company) Level {
	if len(a.tokens) == 0 || len(b.tokens) == 0 {
		return Blank
	}
	if a.side != b.side && (a.side != "" && b.side != "") {
		return Differs
	}
	l := likeTokens(a, b)
	if a.side != b.side && l != Differs {
		return Part
	}
	return l
}

func likeTokens(a, b company) Level {
	switch {
	case a.joined == b.joined:
		return Same
	case slicesMatch(a.tokens, b.tokens, func(x, y string) bool { return x == y }):
		return Same
	case near(a.joined, b.joined) && !swappedWord(a.tokens, b.tokens):
		return Near
	case slicesMatch(a.tokens, b.tokens, alikeWord):
		return Near
	}
	x, y := strong(a.tokens), strong(b.tokens)
	if len(x) > len(y) {
		x, y = y, x
	}
	if len(x) == 0 {
		return Differs
	}
	shared := 0
	for _, w := range x {
		if slices.ContainsFunc(y, func(v string) bool { return alikeWord(w, v) }) {
			shared++
		}
	}
	switch {
	case shared == len(x) && shared == len(y): // they differ by weak words alone
		return Near
	case shared == len(x):
		return Part
	case len(x) == 1 && len(y) > 1 && len(x[0]) == len(y) && initials(y) == x[0]:
		return Initial
	case len(y) > 1 && initials(y) == strings.Join(x, ""):
		return Initial
	}
	return Differs
}

// swappedWord reports whether two names of the same number of words differ in
// a word that is short or another word altogether: Marina Aker, Marina Asker
// may be a slip; Bay 1 and Bay 7 is none.
func swappedWord(a, b []string) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i] != b[i] && !alikeWord(a[i], b[i]) {
			return true
		}
	}
	return false
}

func alikeWord(x, y string) bool { return x == y || near(x, y) }

func strong(tokens []string) []string {
	var out []string
	for _, w := range tokens {
		if !weak[w] {
			out = append(out, w)
		}
	}
	if len(out) == 0 {
		return tokens
	}
	return out
}

// slicesMatch reports whether the words of both pair off, in any order.
func slicesMatch(a, b []string, alike func(x, y string) bool) bool {
	if len(a) != len(b) {
		return false
	}
	var done uint64
	for _, x := range a {
		i := slices.IndexFunc(b, func(y string) bool { return alike(x, y) && done&(1<<min(63, slices.Index(b, y))) == 0 })
		if i < 0 {
			return false
		}
		done |= 1 << min(63, i)
	}
	return true
}
