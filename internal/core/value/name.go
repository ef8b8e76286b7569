package value

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"
)

// particles belong to the family name behind them.
var particles = strings.Fields("van von der den de del della di da dos das du la le ten ter zu zum zur af av bin al el mac")

// firstOfTwo are the family names of Spain and Portugal that most people have as the first of
// two, but for those that are given names as well; ands stand between two.
var (
	firstOfTwo = strings.Fields(`garcia rodriguez gonzalez fernandez lopez martinez sanchez perez gomez jimenez
		ruiz hernandez diaz moreno munoz alvarez romero
		gutierrez navarro torres dominguez vazquez ramos ramirez serrano blanco molina morales suarez ortega delgado castro
		ortiz rubio sanz nunez iglesias medina
		garrido cortes castillo lozano guerrero cano prieto mendez calvo gallego herrera marquez cabrera campos vega
		fuentes carrasco diez caballero nieto aguilar
		herrero gimenez santana hidalgo montero ibanez ferrer duran benitez mora arias vargas carmona crespo soto
		saez velasco moya soler parra gallardo rojas
		silva ferreira pereira oliveira costa rodrigues martins sousa fernandes goncalves gomes lopes marques alves almeida
		ribeiro pinto carvalho teixeira
		moreira correia mendes nunes soares vieira monteiro cardoso rocha neves coelho pires antunes matos fonseca`)
	ands = []string{"y", "e", "i"}
)

var (
	shortParticles = strings.Fields("v. d. v.d. v.d vd. z. St. Ste. O' O’") // as they are written: V. is an initial
	nobles         = strings.Fields("graf grafin freiherr freifrau frhr frhr. frfr. gf. baron baronin furst furstin ritter edler")
	joiners        = strings.Fields("& + / und u. and et og och or oder ou eller lub tai")
	sonsOf         = strings.Fields("ben abu ibn ash ad as an ar at az ul mc")
	families       = strings.Fields("familie fam. fam family famille familia famiglia erben erbengemeinschaft")
	bornAs         = strings.Fields("née nee geb. geborene född født f. roz.")
)

// Forms of address and titles stand in front of a name; what follows one may stand behind
// it alone ("Dr. med."), and what is called so only with a full stop is a name without.
var (
	titles = wordSet(`mr mrs ms miss mx dr prof professor herr herrn frau fraulein frl hr fr m mme mlle mr sr sra
		srta sig sigra sigina signor signora
		signorina dott dottssa dottoressa profssa dipl kfm kffr betrw inf dhr mevr mevrouw mw kapt kpt kapitan capt captain
		drs mudr judr rndr phdr mvdr mgr
		inz engr cmdr sir dame lt sgt cdr arq avv bay bayan frk herra rouva domnul doamna`)
	plainAddresses = wordSet(`mr mrs ms miss mx herr herrn frau fraulein frl hr fr m mme mlle mr sr sra srta sig sigra
		sigina signor signora signorina dhr mevr mevrouw mw sir dame bay bayan frk herra rouva domnul doamna`)
	dottedTitles = wordSet("dl mag col rev hon doc maj lic eng ing rag geom ir bc dna ks kmdr mjr plk por gen sgt")
	behindTitles = wordSet("med jur phil rer nat pol oec h c hc mult habil hab theol techn dent vet arch sc agr ing fh univ")
)

// Degrees stand behind a name and belong to neither half of it: some without a comma too;
// capital ones only as they are written here, since others could be initials or a short name.
var (
	behindNames    = strings.Fields("phd dphil mba msc bsc llm llb csc drsc meng beng esq")
	degrees        = slices.Concat(behindNames, strings.Fields("md dr dipl ing fh"))
	generations    = strings.Fields("jr sr jun sen ml st ii iii iv") // they tell a daughter from her mother
	capitalDegrees = strings.Fields("MA BA MD RN CPA CFA OBE MBE DDS JD PE")
)

// familyFirst are family names that stand first in the order of their country and are
// hardly ever given names: as they are written in Viet Nam, and from China.
var familyFirst = strings.Fields(`nguyễn trần lê phạm huỳnh hoàng phan vũ võ đặng bùi đỗ hồ ngô dương nguyen
	pham huynh zhang wang liu huang zhou zhao`)

// twoSyllables is a given name of the far east in Latin letters, whose second syllable goes on in
// small ones.
var twoSyllables = regexp.MustCompile(`^\p{Lu}\p{Ll}{1,5}-\p{Ll}{2,6}$`)

// isParticle reports whether a word belongs to the family name behind it, also a short form
// of some that do: "v. d. Heide".
func isParticle(word string) bool {
	return slices.Contains(particles, Fold(word)) || slices.Contains(shortParticles, word)
}

// FamilyFirst reports whether a name begins with a word that belongs to a family name: DE LA FUENTE, JOSÉ.
func FamilyFirst(name string) bool {
	first, _, _ := strings.Cut(Trim(name), " ")
	return isParticle(first)
}

// isName reports whether a word is written as a name is: with one capital, of letters.
func isName(word string) bool {
	for n, r := range word {
		switch {
		case n == 0 && !unicode.IsUpper(r), n > 0 && !unicode.IsLower(r) && r != '-' && r != '\'':
			return false
		}
	}
	return utf8.RuneCountInString(word) > 2
}

// mailbox is a text that is an address and nothing else.
var mailbox = regexp.MustCompile(`^\S+@\S+\.\S+$`)

func isMailbox(s string) bool { return strings.ContainsRune(s, '@') && mailbox.MatchString(s) }

// clearForms are legal forms that are no names of people and no initials.
var clearForms = wordSet("ltd limited llc plc inc incorporated corp corporation gmbh mbh ohg sarl srl bv aps oyj ltda spzoo")

// ofCompany reports whether a name ends with the legal form of a company.
func ofCompany(s string) bool {
	at := strings.LastIndexByte(s, ' ')
	last := s[at+1:]
	return (at >= 0 || len(s) < 5) && len(last) < 14 && clearForms[strings.ToLower(strings.Trim(last, ".,()"))]
}

// NoName reports whether a text cannot be what a field of names holds: an address for a mail
// or on the web, and, for people, what has no letter, or ends as companies do.
func (d *Doubter) NoName(s string) bool {
	switch d.as {
	case catalog.AsGivenName, catalog.AsFamilyName:
		if isMailbox(s) || bracketed(s) || ofCompany(s) || !strings.ContainsFunc(s, unicode.IsLetter) || userName(s) {
			return true
		}
		return strings.Contains(s, "://") || strings.HasPrefix(s, "www.")
	case catalog.AsCompanyName:
		return isMailbox(s) || bracketed(s) || strings.Contains(s, "://")
	}
	return false
}

// userName reports whether a text is what somebody signs in with: ada_kade, Ada.Kade.
func userName(s string) bool {
	return strings.ContainsAny(s, "._") && signedIn.MatchString(s)
}

var signedIn = regexp.MustCompile(`^\pL{2,}_\pL{2,}$|^\pL{3,}\.\pL{3,}$`)

// bracketed reports whether a text is a remark in brackets and nothing else: <unreadable>, [see note].
func bracketed(s string) bool {
	if s == "" {
		return false
	}
	at := strings.IndexByte("<[({", s[0])
	return at >= 0 && strings.IndexByte(s, ">])}"[at]) == len(s)-1
}

// bare is a word without its full stops, as it is compared.
func bare(word string) string { return Fold(strings.ReplaceAll(word, ".", "")) }

// SplitName parts a full name into given and family name: "Ada van der Kade",
// "van der Kade, Ada", "KADE Ada", "Kade A. M.". Forms of address and titles in front of
// either half are passed over, and so are degrees behind it, asides in brackets, and the
// name of birth. One word alone is a family name.
func SplitName(s string) (given, family string) {
	s, generation := cutGeneration(withoutAddressBehind(withoutAsides(s)))
	if words, at := halves(s); at < 0 && standsFirst(words) {
		given, family = splitFamilyFirst(words)
	} else {
		given, family = splitName(s)
	}
	return given, Trim(family + generation)
}

// IsGeneration reports whether a word tells a daughter from her mother: jr., Sr, III.
func IsGeneration(word string) bool { return slices.Contains(generations, bare(word)) }

// cutGeneration takes a word for a generation off the end of a full name; the generation has
// a blank before it.
func cutGeneration(s string) (name, generation string) {
	words := strings.Fields(s)
	last := len(words) - 1
	if last < 1 || !slices.Contains(generations, bare(words[last])) || last == 1 && !strings.HasSuffix(words[0], ",") {
		return s, ""
	}
	return strings.TrimRight(strings.Join(words[:last], " "), ","), " " + words[last]
}

// splitName parts a name whose family name stands last where no sign says otherwise.
func splitName(s string) (given, family string) {
	words, at := halves(s)
	if at >= 0 {
		// Of "Kade, Ada van der" the particles are the family name's.
		last := len(words)
		for last > at && isParticle(words[last-1]) && Fold(words[last-1]) == words[last-1] {
			last--
		}
		return strings.Join(words[at:last], " "), strings.Join(slices.Concat(words[last:], words[:at]), " ")
	}
	// So they are of "Vries J. de".
	if last := len(words) - 1; last > 1 && isParticle(words[last]) && Fold(words[last]) == words[last] &&
		IsInitials(words[last-1]) && !IsInitials(words[0]) {
		return words[last-1], strings.Join(append([]string{words[last]}, words[:last-1]...), " ")
	}
	if particlesFirst(words) {
		return splitFamilyFirst(words)
	}
	at = familyAt(words)
	return strings.Join(words[:max(at, 0)], " "), strings.Join(words[max(at, 0):], " ")
}

// particlesFirst reports whether a name begins with two particles, as only a family name does: "DE LA
// CRUZ MARIA"; one alone may be a given name (Van, Al).
func particlesFirst(words []string) bool {
	return len(words) > 3 && isParticle(words[0]) && isParticle(words[1]) && !isParticle(words[2])
}

// fondName is a name that people go by, in quotation marks: Robert "Bob" Kade.
var fondName = regexp.MustCompile(` (?:["“„][^"”“]+["”“]|['‘][^'’‘]+['’]) `)

// stopped is a text that ends as a sentence does, with a word that is no short form.
var stopped = regexp.MustCompile(`^(\S+ .*\p{Lu}\p{Ll}{3,})\.$`)

// wholly is a text in quotation marks.
var wholly = regexp.MustCompile(`^["“„'‘«]([^"“”„'‘’«»]+)["”“'’»]$`)

// What says before a name that a letter is meant for it, and a mailbox behind one.
var (
	forWhom = regexp.MustCompile(`(?i)^(?:attn\.?|att\.|att:|(?-i:FAO)|z\. ?hd\.(?: v\.)?|z\. ?h\.|zhd\.?|zu händen(?: von)?|à l['’]attention de|à l['’]att\. de|t\. ?a\. ?v\.|a la atención de|all['’]attenzione di|v/hv\.?) *:? +`)
	mailed  = regexp.MustCompile(` *<[^<>]*@[^<>]*>$`)
)

// mayBeFor are how such words begin that have no sign in them.
var mayBeFor = map[string]bool{"fao ": true, "attn": true, "zhd ": true, "zu h": true, "a la": true}

// withoutAsides gives a name without what stands in brackets, or in quotation marks inside it,
// and without what says that a letter is meant for it, or its mailbox.
func withoutAsides(s string) string {
	if len(s) > 4 && strings.IndexByte("aAfFzZtTvV\xc3", s[0]) >= 0 &&
		(strings.ContainsAny(s, ".:/'’") || mayBeFor[strings.ToLower(s[:4])]) {
		if bare := forWhom.ReplaceAllString(s, ""); bare != "" {
			s = bare
		}
	}
	if strings.HasSuffix(s, ">") {
		if bare := mailed.ReplaceAllString(s, ""); bare != "" {
			s = bare
		}
	}
	s = stopped.ReplaceAllString(strings.TrimLeft(strings.TrimLeft(s, "-–—•·"), " "), "$1") // as in lists and sentences
	if strings.ContainsAny(s, `"“„'‘’«`) {
		if inner := wholly.FindStringSubmatch(s); inner != nil {
			s = inner[1]
		}
		s = fondName.ReplaceAllString(s, " ")
	}
	for {
		open := strings.IndexByte(s, '(')
		if open < 0 {
			return s
		}
		length := strings.IndexByte(s[open:], ')')
		rest := s[:open]
		if length >= 0 {
			rest += " " + s[open+length+1:]
		}
		if Trim(rest) == "" {
			return s
		}
		s = rest
	}
}

// StandsFirst reports whether the family name stands first in a full name without a comma, by
// what its words are.
func StandsFirst(s string) bool { return standsFirst(strings.Fields(s)) }

// standsFirst reports whether the family name stands first by what the words are: initials
// behind a word that is none, a family name of a country where it does, a name in the
// script of one, or two syllables of a given name as such countries write them: Lee Min-ho.
func standsFirst(words []string) bool {
	if len(words) < 2 {
		return false
	}
	first, last := words[0], words[len(words)-1]
	switch {
	case IsInitials(last) && !IsInitials(first):
		return true
	case len(words) == 2 && twoSyllables.MatchString(last) && !strings.Contains(first, "-"):
		before, _, _ := strings.Cut(last, "-")
		return !slices.Contains(particles, Fold(before)) && !slices.Contains(sonsOf, Fold(before)) // Omar Al-sayed
	case slices.Contains(familyFirst, strings.ToLower(first)) && !slices.Contains(familyFirst, strings.ToLower(last)):
		return true
	}
	r, _ := utf8.DecodeRuneInString(first)
	return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Hangul)
}

var initialSigns = strings.NewReplacer(".", "", "-", "", "ª", "", "º", "") // also of María: J.Mª

// IsInitials reports whether a word is the initials of given names: "A.", "A.B.", "M", "MJ".
func IsInitials(word string) bool {
	if len(word) > 12 { // more than initials come to
		return false
	}
	letters := initialSigns.Replace(word)
	n := utf8.RuneCountInString(letters)
	switch {
	case n == 0 || roles[Fold(letters)] || strings.ToUpper(letters) != letters || strings.ToLower(letters) == letters:
		return false
	case strings.ContainsRune(word, '.'):
		return n <= strings.Count(word, ".")+1
	}
	return n == 1 || n == 2 && letters != "NG" && !strings.ContainsAny(Fold(letters), "aeiouy")
}

// familyAt gives the place at which the family name begins that stands last: its last word,
// with the particles before it; with the two of "López García" or "Ortega y Gasset".
func familyAt(words []string) int {
	at := len(words) - 1
	switch {
	case len(words) > 3 && slices.Contains(ands, words[at-1]):
		at -= 2
	case len(words) > 2 && slices.Contains(firstOfTwo, Fold(words[at-1])):
		at--
	case len(words) == 2 && isParticle(words[0]) && Fold(words[0]) == words[0]: // "van Dam"
		return 0
	}
	for at > 1 && (isParticle(words[at-1]) || joinsParticles(words, at-1)) {
		at--
	}
	if at > 1 && at < len(words)-1 && slices.Contains(nobles, Fold(words[at-1])) { // "Graf von Stein"
		at--
	}
	return at
}

// SplitFamilyFirst parts a full name whose family name stands first: "Kade Ada",
// "van der Kade Ada Mary". What else it knows is what SplitName does.
func SplitFamilyFirst(s string) (given, family string) {
	s, generation := cutGeneration(withoutAsides(s))
	words, at := halves(s)
	switch last := len(words) - 1; {
	case at < 0 && last > 0 && IsInitials(words[0]) && !IsInitials(words[last]): // "A. Kade" among them
		given, family = splitName(s)
	case at < 0:
		given, family = splitFamilyFirst(words)
	default:
		given, family = strings.Join(words[at:], " "), strings.Join(words[:at], " ")
	}
	return given, Trim(family + generation)
}

func splitFamilyFirst(words []string) (given, family string) {
	at := 0
	for at < len(words)-2 && isParticle(words[at]) {
		at++
	}
	at = min(at+1, len(words))
	return strings.Join(words[at:], " "), strings.Join(words[:at], " ")
}

// quoteSigns are the pairs of quotes that stand around a text, in the languages of the product.
var quoteSigns = []string{`""`, "''", "“”", "„“", "„”", "””", "‘’", "‚‘", "«»", "»«", "‹›", "「」"}

// unquoted takes the quotes off a name that is nothing but quoted.
func unquoted(s string) string {
	for _, pair := range quoteSigns {
		open, size := utf8.DecodeRuneInString(pair)
		end, _ := utf8.DecodeRuneInString(pair[size:])
		inner, opened := strings.CutPrefix(s, string(open))
		inner, closed := strings.CutSuffix(inner, string(end))
		if opened && closed && inner != "" && !strings.ContainsRune(inner, open) && !strings.ContainsRune(inner, end) {
			return Trim(inner)
		}
	}
	return s
}

// TitleKey gives the form in which whole titles of records of a type are compared: that of a
// company's name, or of both halves of a person's, in whichever order they are written.
func TitleKey(t catalog.RecordType, title string) string {
	is := func(as catalog.Likeness) bool {
		return slices.ContainsFunc(t.Title, func(name string) bool { f, _ := t.Field(name); return f.ComparedAs() == as })
	}
	switch {
	case is(catalog.AsGivenName) && is(catalog.AsFamilyName): // a half may be called as a legal form is, such as Ås
		title, generation := cutGeneration(title)
		given, family := splitName(title) // as titles are made: those in another order are found in any
		return strings.TrimSpace(NameKey(given) + " " + NameKey(family+generation))
	case !is(catalog.AsCompanyName):
		if family, given, ok := strings.Cut(title, ","); ok && !strings.Contains(given, ",") {
			title = given + " " + family
		}
	}
	return NameKey(title)
}

// halves gives the words of a name without titles and degrees. Where a comma, or capitals
// that only the family name has, tell its halves apart, the family name is the first at of
// them; else at is -1.
func halves(s string) (words []string, at int) {
	parts := strings.Split(s, ",")
	for len(parts) > 1 && behindName(parts[len(parts)-1], strings.Join(parts[:len(parts)-1], "")) {
		parts = parts[:len(parts)-1]
	}
	if n := len(parts) - 1; n > 0 &&
		slices.ContainsFunc(bornAs, func(w string) bool { return strings.HasPrefix(Trim(parts[n]), w+" ") }) {
		parts = parts[:n]
	}
	family := untitled(parts[0])
	for len(parts) == 1 && len(family) > 2 && titleBehind(family[len(family)-1]) {
		family = family[:len(family)-1] // "Kade Ada Dr."
	}
	for len(parts) == 1 && len(family) > 2 && (slices.Contains(behindNames, bare(family[len(family)-1])) ||
		slices.Contains(capitalDegrees, family[len(family)-1]) && strings.ToUpper(parts[0]) != parts[0]) {
		family = family[:len(family)-1]
	}
	for n := 2; n < len(family)-1; n++ {
		if slices.Contains(bornAs, strings.ToLower(family[n])) {
			family = family[:n]
		}
	}
	if len(parts) > 1 {
		return slices.Concat(family, untitled(strings.Join(parts[1:], ","))), len(family)
	}
	loud := func(w string) bool {
		return strings.ToUpper(w) == w && strings.ToLower(w) != w && utf8.RuneCountInString(w) > 2 && !IsInitials(w)
	}
	if particlesFirst(family) {
		return family, -1
	}
	front := slices.IndexFunc(family, func(w string) bool { return !loud(w) })
	behind := len(family)
	for behind > 0 && loud(family[behind-1]) {
		behind--
	}
	switch {
	case front > 0 && behind == len(family):
		return family, front
	case front == 0 && behind < len(family) && !slices.ContainsFunc(family[:behind], loud):
		return slices.Concat(family[behind:], family[:behind]), len(family) - behind
	}
	return family, -1
}

// titleBehind reports whether a word is a title with its full stop, and no initial.
func titleBehind(w string) bool {
	return strings.HasSuffix(w, ".") && len(bare(w)) > 1 && isTitle(w, false)
}

// peers are titles that are names as well.
var peers = []string{"sir", "lady", "lord", "dame"}

// untitled gives the words of a name without the titles in front of it, but never none.
func untitled(name string) []string {
	words := strings.Fields(name)
	if len(words) > 2 && strings.EqualFold(words[0], "de") && strings.EqualFold(words[1], "heer") {
		words = words[2:]
	}
	for len(words) > 2 && slices.Contains(peers, Fold(words[0])) { // of two words they may be names
		words = words[1:]
	}
	for titled := false; len(words) > 1 && isTitle(words[0], titled) &&
		!(IsInitials(words[0]) && IsInitials(words[1])); titled = true {
		words = words[1:]
	}
	return words
}

// Honorific gives the forms of address and titles in front of either half of a full name, as
// they are written: "Frau Dr." of "Frau Dr. Anke Kade"; empty when there are none.
func Honorific(s string) string {
	var list []string
	for _, half := range strings.Split(withoutAsides(s), ",") {
		words := strings.Fields(half)
		list = append(list, words[:len(words)-len(untitled(half))]...)
	}
	return strings.Join(list, " ")
}

// WithTitles gives a form of address with the titles that stand before or behind a name and are not in it:
// “Frau” and “Dr. Anke Kade” are “Frau Dr.”. Where there is none it is all that stands there.
func WithTitles(address, name string) string {
	said := Honorific(name)
	behind, words := "", strings.Fields(name)
	for n := len(words) - 1; n > 0 && titleBehind(words[n]); n-- {
		behind = " " + words[n] + behind
	}
	said = strings.TrimSpace(said + behind)
	if address == "" {
		return said
	}
	has := strings.Fields(Words(address))
	for w := range strings.FieldsSeq(said) {
		if word := bare(w); !plainAddresses[word] && !slices.Contains(has, word) {
			address, has = address+" "+w, append(has, word)
		}
	}
	return address
}

// GivenName gives a given name without the titles in front of it and the degrees behind it:
// "Dr. Ada", "Tom MBA"; of "Dr. med." nothing is left. A letter may be an initial as well.
func GivenName(s string) string {
	words := strings.Fields(s)
	if len(words) > 1 && strings.ContainsRune(words[0], '.') && isTitle(words[0], false) && OnlyTitles(s) {
		return ""
	}
	if len(words) > 1 && slices.Contains(behindNames, bare(words[len(words)-1])) {
		words = words[:len(words)-1]
		s = strings.Join(words, " ")
	}
	if len(words) < 2 || len(bare(words[0])) < 2 && words[0] != "p." || !isTitle(words[0], false) {
		return s
	}
	return strings.Join(untitled(s), " ")
}

// HalfName gives a half of a name without what people put around it where they sign: the name of birth, degrees
// behind a comma, titles before and behind it, pictures, and the comma or dash of a list: "Lehmann, geb. Meier",
// "Lund, MBA", "Kade Prof. Dr.", "Ada 🚤".
func HalfName(s string) string {
	s = withoutBirthName(s)
	if !isASCII(s) {
		s = withoutAddressBehind(s)
		plain := Trim(strings.Map(func(r rune) rune {
			// Signs such as © are what a letter looks like that was decoded wrongly.
			if r > unicode.MaxLatin1 && unicode.Is(unicode.So, r) || unicode.Is(unicode.Variation_Selector, r) || r == '\u200d' {
				return -1
			}
			return r
		}, s))
		if plain != "" {
			s = plain
		}
	}
	for at := strings.LastIndexByte(s, ','); at > 0 && behindName(s[at+1:], s[:at]); at = strings.LastIndexByte(s, ',') {
		s = Trim(s[:at])
	}
	for at := strings.LastIndexByte(s, ' '); at > 0 && titleBehind(s[at+1:]); at = strings.LastIndexByte(s, ' ') {
		s = Trim(s[:at])
	}
	if first, _, more := strings.Cut(s, " "); more && addressForms[bare(first)] && isTitle(first, false) {
		s = strings.Join(untitled(s), " ")
	}
	if bare := strings.Trim(s, "-–—, "); bare != "" {
		return bare
	}
	return s
}

// addressesBehind stand behind a name in Japan, without a gap.
var addressesBehind = strings.Fields("様 さま さん 殿 先生")

// withoutAddressBehind takes such a form of address off a name that is written in letters of Japan.
func withoutAddressBehind(s string) string {
	for _, address := range addressesBehind {
		if name, ok := strings.CutSuffix(s, address); ok {
			name = Trim(name)
			last, _ := utf8.DecodeLastRuneInString(name)
			if unicode.In(last, unicode.Han, unicode.Hiragana, unicode.Katakana) {
				return name
			}
		}
	}
	return s
}

// withoutBirthName takes the name of birth off a half of a name: "Lehmann, geb. Meier", "Anna (née
// Blanc)".
func withoutBirthName(s string) string {
	words := strings.Fields(s)
	for n := 1; n+1 < len(words); n++ {
		if slices.Contains(bornAs, strings.TrimLeft(words[n], "(")) {
			return strings.TrimRight(strings.Join(words[:n], " "), ",")
		}
	}
	return s
}

// OnlyTitles reports whether a text is titles and degrees and nothing else: "Dr.", "Dipl.-Kfm., MBA".
func OnlyTitles(s string) bool {
	words := strings.FieldsFunc(s, func(r rune) bool { return r == ' ' || r == ',' })
	for i, w := range words {
		if !isTitle(w, i > 0) && !slices.Contains(degrees, bare(w)) && !slices.Contains(capitalDegrees, w) {
			return false
		}
	}
	return len(words) > 0
}

// isTitle reports whether a word is a title or a form of address, also of several in one
// ("Dipl.-Ing.", "Dr.med."), or what stands behind one.
func isTitle(word string, behind bool) bool {
	dotted := strings.ContainsRune(word, '.')
	if word == "p." { // pan, pani; an initial is in capitals
		return true
	}
	if !dotted && !behind {
		return titles[Fold(word)] || word == "pan" || word == "pani" || word == "paní" // with a capital it is a name too
	}
	if dottedTitles[bare(word)] && strings.HasSuffix(word, ".") || titles[bare(word)] {
		return true
	}
	for n, part := range strings.FieldsFunc(Fold(word), func(r rune) bool { return r == '.' || r == '-' }) {
		switch {
		case titles[part], dottedTitles[part] && dotted:
		case behindTitles[part] && (n > 0 || behind && (dotted || word == strings.ToLower(word))):
			if n == 0 && len(part) == 1 && word != strings.ToLower(word) { // an initial
				return false
			}
		default:
			return false
		}
	}
	return true
}

// behindName reports whether what stands behind the last comma is no half of a name but
// degrees; a full name that is not written in capitals is before those in capitals.
func behindName(last, name string) bool {
	full := strings.ToUpper(name) != name && len(strings.Fields(name)) > 1
	return !slices.ContainsFunc(strings.Fields(last), func(w string) bool {
		return !slices.Contains(degrees, bare(w)) && !(full && slices.Contains(capitalDegrees, w))
	})
}
