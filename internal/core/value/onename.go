package value

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Cells for whole names hold more than one person, or something beside the name, in many ways. Such
// a cell is held: no name is made of what is none.

// roles are what people are called by at work, of which lists write some beside the name.
var roles = wordSet(`ceo cfo coo cto cio cmo md vp svp evp gf director manager owner chairman president partner sales
	buyer purchasing accounts secretary
	founder engineer agent broker skipper harbourmaster geschaftsfuhrer geschaftsfuhrerin inhaber inhaberin prokurist
	prokuristin einkauf einkaufer vertrieb
	leiter leiterin hafenmeister directeur directrice gerant gerante directora gerente jefe eigenaar inkoper
	havenmeester direktor chef inkopare innkjop
	styreleder salg titolare direttore socio sekr sekretarin sekretar ass assistent assistentin assistant`)

// OneName reports whether a text is the name of one person and nothing beside it. Of what stands
// beside the name of one it gives that.
func OneName(s string) (beside string, ok bool) {
	if severalPeople(s) {
		return "", false
	}
	beside = besideName(s)
	return beside, beside == ""
}

// OneHalf is OneName for a half of a name that has a column of its own. Figures tell nothing there: one may be a
// slip for a letter, as in Wal1in.
func OneHalf(s string) (beside string, ok bool) {
	if strings.IndexByte(s, ' ') < 0 && !strings.ContainsAny(s, "/;&+(|") { // as most are
		return "", true
	}
	return OneName(strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return 'o'
		}
		return r
	}, s))
}

// HalfBehind parts a family name from the given name that stands behind it with a comma, where each has a
// column of its own: "Reyes, Kari". It is not ok where none does, or only a generation.
func HalfBehind(s string) (family, given string, ok bool) {
	family, given, ok = strings.Cut(s, ",")
	family, given = Trim(family), Trim(given)
	if !ok || family == "" || given == "" || IsGeneration(given) {
		return s, "", false
	}
	return family, given, true
}

// sameInitial reports whether a word of a name begins as another does: Jo Lie (Johanna), and not
// Ola Dahl (Electrician).
func sameInitial(name, other string) bool {
	other = Fold(other)
	return slices.ContainsFunc(strings.Fields(Fold(name)), func(w string) bool {
		return other == "" || w[0] == other[0]
	})
}

// severalPeople reports whether a name is that of more than one person, or of a firm called
// after its people: "Hans und Petra Meier", "Brodersen & Sohn", "Ada Kade/Per Lund".
func severalPeople(s string) bool {
	if strings.ContainsAny(s, "/;") || strings.Count(s, ",") > 2 || threeWithCommas(s) {
		return true
	}
	// else it is of a telephone number
	if at := strings.IndexByte(s, '+'); at >= 0 && (at+1 == len(s) || s[at+1] < '0' || s[at+1] > '9') {
		return true
	}
	if first, _, more := strings.Cut(s, "\n"); more && len(strings.Fields(first)) > 1 {
		return true
	}
	words := strings.Fields(s)
	for i, w := range words {
		if i > 0 && i < len(words)-1 && slices.Contains(joiners, strings.ToLower(w)) && !joinsParticles(words, i) {
			return true
		}
	}
	// "Ciro e Gennaro Esposito"; but "Ortega y Gasset, José"
	if len(words) > 3 && slices.Contains(ands, words[1]) && !strings.HasSuffix(words[2], ",") {
		return true
	}
	return len(words) > 1 && slices.Contains(families, strings.ToLower(words[0]))
}

// threeWithCommas reports whether commas part the whole names of three people or more.
func threeWithCommas(s string) bool {
	parts := strings.Split(s, ",")
	less := func(part string) bool { return len(strings.Fields(part)) < 2 || behindName(part, "") }
	return len(parts) > 2 && !slices.ContainsFunc(parts, less)
}

// joinsParticles reports whether a word stands between two particles, as in "von und zu".
func joinsParticles(words []string, at int) bool {
	return at > 0 && at < len(words)-1 && isParticle(words[at-1]) && isParticle(words[at+1])
}

// besideName gives what stands beside a person's name in one cell and belongs to none:
// "Ada Kade (until May)", "Ada Kade - sales", "Ada Kade, CEO", "1. Vors. Ada Kade". A fond name in
// brackets is one of the name's own.
func besideName(s string) string {
	if strings.HasSuffix(s, ">") {
		s = mailed.ReplaceAllString(s, "")
	}
	if at := strings.IndexAny(s, "0123456789"); at >= 0 {
		return numbered(s, at)
	}
	if other := inOtherScript(s); other != "" {
		return other
	}
	if bracketed(s) || strings.HasSuffix(s, "?") {
		return s
	}
	if called := shortRoles(s); called != "" {
		return called
	}
	if other := strangeWord(s); other != "" {
		return other
	}
	first, rest, _ := strings.Cut(s, " ")
	if rest != "" && !strings.HasSuffix(first, ",") && isRole(first) && bare(first) != "md" { // Md is short for Mohammed
		return first
	}
	words := strings.Fields(s)
	// of two words it may be a name
	if last := len(words) - 1; last > 1 && !strings.Contains(s, ",") && isRole(words[last]) {
		return words[last]
	}
	if !strings.ContainsAny(s, "(-–—,|") {
		return ""
	}
	for _, sign := range []string{" - ", " – ", " — ", "|"} {
		if _, behind, ok := strings.Cut(s, sign); ok {
			return Trim(behind)
		}
	}
	if open := strings.LastIndexByte(s, '('); open > 0 {
		aside := strings.Fields(strings.TrimSuffix(Trim(s[open+1:]), ")"))
		own := len(aside) == 1 && (titles[bare(aside[0])] || slices.Contains(degrees, bare(aside[0])) ||
			!isRole(aside[0]) && isName(aside[0]) && sameInitial(s[:open], aside[0]))
		if strings.HasSuffix(Trim(s), ")") && !own {
			return strings.Join(aside, " ")
		}
	}
	if at := strings.LastIndexByte(s, ','); at > 0 {
		for w := range strings.FieldsSeq(s[at+1:]) {
			if isRole(w) && !slices.Contains(degrees, bare(w)) {
				return Trim(s[at+1:])
			}
		}
	}
	return ""
}

// shortRoles gives what somebody is called in short before the name, in small letters as no name is:
// "p.o. dyr. Anna Mazur". Titles and particles are the name's own.
func shortRoles(s string) string {
	if strings.IndexByte(s, '.') < 0 || strings.ToLower(s) == s {
		return ""
	}
	words := strings.Fields(s)
	short := func(w string) bool {
		r, _ := utf8.DecodeRuneInString(w)
		return unicode.IsLower(r) && strings.HasSuffix(w, ".") && len(w) > len("j.") && !isParticle(w) && !isTitle(w, true)
	}
	n := 0
	for n < len(words)-1 && short(words[n]) {
		n++
	}
	return strings.Join(words[:n], " ")
}

// strangeWord gives the first word of a name that is none of a name, with those behind it: what ends
// with a colon (new: Ada Kade), an article, a title between others (Kade Dr. Ada), a word with a hyphen at
// either end, and one in small letters among others in capitals (Ada Kade mobile) that is no particle.
func strangeWord(s string) string {
	words := strings.Fields(withoutAsides(s))
	capitals, loud := 0, true // of whole names; and whether these are in capitals throughout
	for _, w := range words {
		if r, _ := utf8.DecodeRuneInString(w); unicode.IsUpper(r) && !IsInitials(strings.TrimRight(w, ",")) &&
			!isTitle(w, false) {
			capitals, loud = capitals+1, loud && strings.ToUpper(w) == w
		}
	}
	plain := untitled(strings.Join(words, " "))
	from := len(words) - len(plain)
	for n := max(from, 0); n < len(words); n++ {
		w := words[n]
		first, _ := utf8.DecodeRuneInString(w)
		strange := false
		switch {
		case n == 0 && (strings.HasSuffix(w, ":") || strings.EqualFold(w, "the")), strings.HasPrefix(w, "-"),
			strings.HasSuffix(w, "-"):
			strange = len(words) > 1 && w != "-"
		case n > from && n < len(words)-1 && titleBehind(w) && !strings.Contains(s, ","):
			before := words[from] // in capitals it is the family name
			strange = strings.ToUpper(before) != before || strings.ToUpper(s) == s
		case len(words) > 2 && capitals > 1 && !loud && unicode.IsLower(first):
			strange = !knownSmall(words, n)
		}
		if strange {
			return strings.Join(words[n:], " ")
		}
	}
	return ""
}

// knownSmall reports whether a word in small letters may stand in a name: a particle, what joins two
// halves of a name, what the name of birth is behind, a title or a degree, or a name with a capital
// further on (d'Angelo, al-Sayed).
func knownSmall(words []string, n int) bool {
	w := strings.TrimRight(words[n], ",")
	born := func(w string) bool { return slices.Contains(bornAs, w) }
	switch {
	case isParticle(w), smallWords[Fold(w)], slices.Contains(ands, w), joinsParticles(words, n):
		return true
	case slices.Contains(nobles, Fold(w)), slices.Contains(generations, bare(w)), isTitle(w, true),
		slices.Contains(degrees, bare(w)):
		return true
	case born(w), n > 0 && born(strings.TrimRight(words[n-1], ",")):
		return true
	}
	before, _, joined := strings.Cut(w, "-")
	switch {
	case joined && (isParticle(before) || smallWords[Fold(before)]), strings.ContainsAny(w, "'’"): // al-sayed, d'hondt
		return true
	case strings.HasSuffix(w, ".") && utf8.RuneCountInString(w) == 2: // an initial
		return true
	}
	return strings.ContainsFunc(w, unicode.IsUpper)
}

// smallWords are further words that stand in names in small letters.
var smallWords = wordSet(`aan aus bij bint dal dalla dalle degli dei delle des dello d dit ed het in op over
	san santa sant st ibn abu ben bar uit under voor 's 't s t o
	do los las les lo li mc nic ni o ua till te n auf am an dem zer zem ze w we na nga ka pe of tot vande vander vanden
	vom ul ur ould ait bou ap ab`)

// roleEnds are how words for roles end in German, which makes new ones for every trade.
var roleEnds = strings.Fields(`hafenmeister burgermeister schatzmeister leiter geschaftsfuhrer vorstand
	vorsitzender vorsitzende
	betreuer sekretar beauftragter referent`)

// isRole reports whether a word says what somebody is at work, also of a woman.
func isRole(word string) bool {
	w := strings.TrimRight(bare(word), ":")
	if roles[w] {
		return true
	}
	w = strings.TrimSuffix(w, "in")
	return slices.ContainsFunc(roleEnds,
		func(end string) bool { return strings.HasSuffix(w, end) && len(w) >= len("vorstand") })
}

// inOtherScript gives the words of a name in the scripts of the far east that stand beside it in
// another: Yuki Tanaka 田中 由紀.
func inOtherScript(s string) string {
	var eastern []string
	other := false
	for w := range strings.FieldsSeq(s) {
		if r, _ := utf8.DecodeRuneInString(w); unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana,
			unicode.Hangul) {
			eastern = append(eastern, w)
		} else if unicode.IsLetter(r) {
			other = true
		}
	}
	if !other {
		return ""
	}
	return strings.Join(eastern, " ")
}

// numbered gives the word of a name that has a figure, at a place, with those behind it that are
// cut short.
func numbered(s string, at int) string {
	first := strings.LastIndexByte(s[:at], ' ') + 1
	words := strings.Fields(s[first:])
	n := 1
	for n < len(words) && strings.HasSuffix(words[n], ".") {
		n++
	}
	return strings.Join(words[:n], " ")
}
