package matching

import (
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/value"
)

// company is a company's name made ready for comparison.
type company struct {
	tokens []string // small Latin words without the legal form, umlauts one way
	joined string
	side   string   // the word that tells one branch from its sisters, such as north
	town   *company // the same name without the town it stands in, where that ends it
	short  []short  // those of its words that are written short
	said   string   // the name as it stands, for its legal form
}

// short is a word of a name that is written short with a point, such as Masch.bau: what
// stands before the point and what behind it.
type short struct{ word, begin, end string }

// shortsOf finds words that are written short with a point behind three letters or more;
// those of one or two, such as A.S., are initials.
func shortsOf(name string) (list []short) {
	if !strings.Contains(name, ".") {
		return nil
	}
	for _, w := range strings.Fields(name) {
		begin, end, pointed := strings.Cut(w, ".")
		if !pointed {
			continue
		}
		s := short{squeeze(Latin(w)), squeeze(Latin(begin)), squeeze(Latin(end))}
		if len(s.begin) > 2 && !strings.Contains(end, ".") && s.word == s.begin+s.end {
			list = append(list, s)
		}
	}
	return list
}

// inFull gives the name with the words that it writes short as the other writes them.
func (c company) inFull(other company) company {
	out := c
	out.tokens, out.short = slices.Clone(c.tokens), nil
	for _, s := range c.short {
		n := slices.Index(out.tokens, s.word)
		m := slices.IndexFunc(other.tokens, func(w string) bool {
			return len(w) > len(s.word) && strings.HasPrefix(w, s.begin) && strings.HasSuffix(w, s.end)
		})
		if n >= 0 && m >= 0 {
			out.tokens[n] = other.tokens[m]
		}
	}
	out.joined = strings.Join(out.tokens, "")
	return out
}

// Words that stand in many companies' names and say little.
var weak = words("the and und et y e i og och en de of la le les el los das der die van von du des group gruppe " +
	"groupe grupo gruppo gruppen holding holdings international intl company companies services service")

// Words that tell a company from another one of the same house.
var ofHouse = words("group gruppe groupe grupo gruppo gruppen holding holdings international intl service services")

// ofUnit are words for a company of a house that is none of its sisters. What companies trade in is
// none: it is often left away.
var ofUnit = words("group gruppe groupe grupo gruppo gruppen holding holdings international intl export import " +
	"leasing invest investment investments europe asia america nordic global")

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
			m[squeeze(w)] = list[0]
		}
	}
	return m
}()

// sides are the words by which branches differ.
var sides = func() map[string]string {
	m := map[string]string{}
	for group := range strings.SplitSeq(`north n nord norte noord nordre norra pohjois northern voreia
south s sud syd sur sul zuid sor sodra etela southern notia
central mitte mid midt centrale zentral midden sentral keski
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

// writtenOut are legal forms, and words of such, beside the short ones that
// value.NameKey leaves away. They count here and not in keys: without them a
// likeness is asked about, not a record found.
var writtenOut = words(`aktiengesellschaft gesellschaft mit beschrankter haftung haftungsbeschrankt offene
	handelsgesellschaft kommanditgesellschaft cokg gbr ek ekfr u
	aktiebolag publ handelsbolag kommanditbolag aksjeselskap ans da anpartsselskab aktieselskab osakeyhtio public
	private societe anonyme responsabilite limitee simplifiee
	sociedad anonima limitada societa responsabilita limitata besloten vennootschap naamloze anonim limited sirketi sti
	kabushiki kaisha godo gk yugen dba`)

// departments are words of a part of a company that is written behind its name.
var departments = words(`purchasing purchase procurement accounts account accounting payable receivable finance sales
	dept department head office headquarters hq reception logistics hr warehouse dispatch
	einkauf buchhaltung verkauf vertrieb zentrale hauptverwaltung abteilung abt personal lager versand service achats
	comptabilite siege direction
	inkop ekonomi huvudkontor forsaljning innkjop okonomi hovedkontor salg regnskap indkob compras contabilidad ventas
	oficina central acquisti amministrazione vendite sede
	inkoop administratie hoofdkantoor verkoop ostot myynti talous promitheies logistirio polisis`)

// withoutDepartment cuts what stands behind a dash, stroke, comma or bracket when
// all its words are those of a department.
func withoutDepartment(name string) string {
	i := strings.LastIndexAny(name, "/,(|–—")
	if j := strings.LastIndex(name, " - "); j > i {
		i = j
	}
	if i <= 0 {
		return name
	}
	tail := strings.Fields(Latin(name[i:]))
	for _, w := range tail {
		if !departments[w] {
			return name
		}
	}
	if len(tail) == 0 {
		return name
	}
	return name[:i]
}

// formless leaves legal forms away at the end of a name's words, and those that are written out
// in front of it.
func formless(words []string) []string {
	for len(words) > 1 && isForm(words[len(words)-1]) {
		words = words[:len(words)-1]
	}
	for len(words) > 1 && inFront[words[0]] {
		words = words[1:]
	}
	return words
}

// inFront are legal forms that are written out before the name.
var inFront = words(`aktiebolag aktiebolaget handelsbolaget aksjeselskapet osakeyhtio kabushiki kaisha godo`)

// leastForm is of how many letters a word must be that is taken for a legal form with a
// slip in it.
const leastForm = 12

func isForm(w string) bool {
	if writtenOut[w] || value.CompanyForm(w) {
		return true
	}
	return len(w) >= leastForm && slices.ContainsFunc(longForms, func(form string) bool { return near(w, form) })
}

var longForms = slices.DeleteFunc(slices.Sorted(maps.Keys(writtenOut)),
	func(form string) bool { return len(form) < leastForm })

// newCompany makes a name ready; the town is where the company is, or empty.
func newCompany(name, town string) company {
	key := Latin(value.NameKey(withoutDepartment(name)))
	all := formless(strings.Fields(key))
	c := ofWords(all, key)
	c.short, c.said = shortsOf(name), name
	if n := len(strings.Fields(town)); n > 0 && len(all) > n &&
		squeeze(strings.Join(all[len(all)-n:], " ")) == squeeze(town) {
		bare := ofWords(formless(all[:len(all)-n]), key)
		c.town = &bare
	}
	return c
}

// formOf gives the legal form at the end of a name, in one writing.
func formOf(name string) string {
	words := strings.Fields(Latin(value.Words(name)))
	at := len(words)
	for at > 1 && (isForm(words[at-1]) || len(words[at-1]) == 1) { // S.A.R.L. is four words
		at--
	}
	form := strings.Join(words[at:], "")
	for _, same := range value.SameForms {
		if form == same[0] {
			return same[1]
		}
	}
	return form
}

// plainForms are legal forms of which none is another's writing, by how formOf gives them.
var plainForms = func() map[string]string {
	forms := map[string]string{}
	for _, all := range []string{
		"gmbh gesellschaftmitbeschrankterhaftung gesmbh", "gmbhcokg gmbhucokg gmbhundcokg", "ag aktiengesellschaft",
		"kg kommanditgesellschaft", "ohg",
		"ltd limited", "plc publiclimitedcompany", "llp", "llc", "inc incorporated", "as aksjeselskap aktieselskab", "asa",
		"ab aktiebolag", "aps anpartsselskab",
		"bv beslotenvennootschap", "nv naamlozevennootschap", "vof", "sarl", "sas", "snc", "srl", "spa", "sl",
		"oy osakeyhtio", "spzoo", "spj", "lda limitada",
	} {
		writings := strings.Fields(all)
		for _, w := range writings {
			forms[w] = writings[0]
		}
	}
	return forms
}()

func ofWords(words []string, key string) (c company) {
	for _, w := range words {
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

// outOf gives the name without the town that ends it; ok is false where another word does.
func (c company) outOf(town string) (bare company, ok bool) {
	for n := 1; town != "" && n < len(c.tokens); n++ {
		if at := len(c.tokens) - n; strings.Join(c.tokens[at:], "") == town {
			c.tokens, c.town = c.tokens[:at], nil
			c.joined = strings.Join(c.tokens, "")
			return c, true
		}
	}
	return c, false
}

// shortOf reports whether a name is another one of which words were left away, or the end: as
// people write who know whom they mean. A word that tells companies of one house apart is not
// left away, and a legal form says which is meant.
func (c company) shortOf(full company) bool {
	if len(c.tokens) >= len(full.tokens) || c.side != full.side {
		return false
	}
	if form := formOf(c.said); form != "" && form != formOf(full.said) {
		return false
	}
	for _, w := range full.tokens {
		if !slices.ContainsFunc(c.tokens, func(v string) bool { return alikeWord(w, v) }) && (ofHouse[w] || ofUnit[w]) {
			return false
		}
	}
	for _, w := range c.tokens {
		if !slices.ContainsFunc(full.tokens,
			func(v string) bool { return alikeWord(w, v) || len(w) > 3 && strings.HasPrefix(v, w) }) {
			return false
		}
	}
	return true
}

// unitOf reports whether a name is another one and words by which companies of one house are told
// apart, such as North, 2 or Export: parents, sisters and branches are companies of their own.
func (c company) unitOf(house company) bool {
	more := 0
	if c.side != house.side {
		if house.side != "" {
			return false
		}
		more++
	}
	for _, w := range c.tokens {
		switch {
		case slices.ContainsFunc(house.tokens, func(v string) bool { return alikeWord(w, v) }):
		case ofUnit[w]:
			more++
		default:
			return false
		}
	}
	return more > 0 && len(c.tokens) >= len(house.tokens)
}

// bare is the name without its town.
func (c company) bare() company {
	if c.town != nil {
		return *c.town
	}
	return c
}

// roman are the numbers of branches and ships that are no word of their own.
var roman = map[string]string{"ii": "2", "iii": "3", "iv": "4", "vi": "6", "vii": "7", "viii": "8", "ix": "9"}

func number(w string) string {
	if n, ok := roman[w]; ok {
		return n
	}
	for _, r := range w {
		if !unicode.IsDigit(r) {
			return ""
		}
	}
	return w
}

// otherNumbers reports whether two web domains are those of numbered houses of one
// name: tern.example and tern2.example, or tern-iv.example.
func otherNumbers(a, b []string) bool {
	for _, x := range a {
		for _, y := range b {
			name, n := unnumbered(x)
			other, m := unnumbered(y)
			if name == other && n != m {
				return true
			}
		}
	}
	return false
}

// unnumbered parts the first label of a domain into what it says, without signs,
// and its number, in figures or Roman ones.
func unnumbered(domain string) (name, n string) {
	label, _, _ := strings.Cut(domain, ".")
	for i, w := range strings.FieldsFunc(label, func(r rune) bool { return r == '-' || r == '_' }) {
		bare := strings.TrimRight(w, "0123456789")
		n += w[len(bare):]
		if of := number(bare); i > 0 && of != "" {
			n, bare = n+of, ""
		}
		name += bare
	}
	return name, n
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
	if l != Same && len(a.short)+len(b.short) > 0 {
		l = min(l, max(Near, likeTokens(a.inFull(b), b.inFull(a))))
	}
	if l == Differs && looksLike(a.joined, b.joined) {
		l = Loose
	}
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
	case slicesMatch(a.tokens, b.tokens, alikeWord), cutShort(a.tokens, b.tokens):
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
		if slices.ContainsFunc(a.tokens, onlyHouse(b.tokens)) || slices.ContainsFunc(b.tokens, onlyHouse(a.tokens)) {
			return Part
		}
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

// looksLike tells whether two names that differ look like one another: one is cut
// short, or a letter in five is badly read or typed.
func looksLike(x, y string) bool {
	if len(x) > len(y) {
		x, y = y, x
	}
	if n := utf8.RuneCountInString(x); n >= 5 {
		if 3*len(x) >= 2*len(y) && strings.HasPrefix(y, x) {
			return true
		}
		x, y = misread.Replace(x), misread.Replace(y)
		most := max(1, n/5)
		return distance(x, y, most) <= most
	}
	return false
}

// leastCut is of how many letters a name must be that is cut short to be nearly the whole.
const leastCut = 10

// cutShort reports whether one name is the other up to within a word: a field was too
// narrow for it.
func cutShort(a, b []string) bool {
	if len(a) != len(b) || len(a) < 2 {
		return false
	}
	last := len(a) - 1
	x, y := a[last], b[last]
	if len(x) > len(y) {
		x, y = y, x
	}
	return slices.Equal(a[:last], b[:last]) && len(x) > 2 && len(strings.Join(a[:last], ""))+len(x) >= leastCut &&
		strings.HasPrefix(y, x)
}

// onlyHouse tells whether a word names a company of a house and the other name
// is without it.
func onlyHouse(others []string) func(string) bool {
	return func(w string) bool { return ofHouse[w] && !slices.Contains(others, w) }
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
