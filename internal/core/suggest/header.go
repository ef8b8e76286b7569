package suggest

import (
	"math/bits"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
)

// header is a column's header taken apart.
type header struct {
	all     string     // the words as they stand
	words   []string   // with abbreviations spelt out and decoration gone
	core    []string   // without words that only say whose or which
	said    []saying   // how well it says each field of the type
	known   bool       // some field of the type answers to it
	unit    value.Unit // in what it says that its amounts are
	aside   bool       // it is of somebody else, or of what no field is for
	mute    bool       // it says nothing at all: it is blank, a number, or only says that it is a column
	asks    bool       // it asks for a person
	strange bool       // it holds words that are not understood, or none that mean more than a question
}

// best is how well the header says the field that it says best.
func (h header) best() (score float64) {
	for _, s := range h.said {
		score = max(score, s.score)
	}
	return score
}

// saying is how well a header says a field, from 0 to 1, with the reason.
type saying struct {
	score  float64
	reason string
}

var (
	numbering = regexp.MustCompile(`^\s*(\(?[0-9]{1,2}[.)]|[A-Za-z][.)])\s+`)
	asides    = regexp.MustCompile(`\s*[(\[{<][^)\]}>]*[)\]}>]\s*`)
)

// Short forms, spelt out as the words that synonyms use.
var short = map[string]string{"nr": "number", "no": "number", "num": "number", "nbr": "number", "nummer": "number",
	"numero": "number", "number": "number", "nro": "number", "numer": "number", "n": "number",
	"tel": "telephone", "tlf": "telephone", "ph": "telephone", "phone": "telephone", "telefon": "telephone",
	"telefono": "telephone", "telefoon": "telephone", "telefone": "telephone", "fon": "telephone", "puh": "telephone",
	"puhelin": "telephone",
	"mob":     "mobile", "cell": "mobile", "mobil": "mobile", "mobiel": "mobile", "addr": "address", "adr": "address",
	"str": "street", "st": "street", "co": "company", "org": "organisation", "organization": "organisation",
	"cust": "customer",
	"qty":  "quantity", "amt": "amount", "descr": "description", "desc": "description", "dob": "birthday",
	"bday": "birthday", "prob": "probability", "pos": "position", "ref": "reference", "mail": "email", "mgr": "manager",
	"emp": "employees", "ext": "external",
	"curr": "currency", "ctry": "country", "cntry": "country", "cty": "city", "zip": "postal", "fname": "first name",
	"lname": "last name", "www": "website", "url": "website", "hp": "website", "prio": "priority", "est": "estimated",
	"reg":  "registration",
	"vorn": "vorname", "nachn": "nachname", "strasse": "street", "firma": "company", "kd": "kunden", "kdnr": "kundennr",
	"ges": "company", "acct": "account", "acc": "account", "opp": "opportunity", "resp": "responsible", "pcs": "pieces"}

// Words that say whose or which, and change nothing about what it is.
var neutral = map[string]bool{}

func init() {
	for w := range strings.FieldsSeq(`the a of for and in to my our your their contact contacts customer client person
		persons people lead leads account accounts company business work office main primary
		general switchboard central zentrale allgemein allgemeine default current field column data value1 info information
		details text new old latest please enter your badge
		der die das des dem den ein eine von vom zu zum zur und im in geschaftlich firmen kunden haupt kontakt
		ansprechpartner asp le la les de du des l d et el los las del y il lo gli di della dello e van het een en o
		os as do da dos
		privat geschaftliche dienstlich pro professionnel professionnelle principal principale trabajo lavoro aziendale
		zakelijk zakelijke hoofd arbete arbets jobb arbejde kund kunde asiakas asiakkaan klienta klant klanten cliente
		clientes client clients`) {
		neutral[w] = true
	}
}

// Words that say too little to stand for a field when they stand alone.
var vague = map[string]bool{"number": true, "name": true, "date": true, "code": true, "type": true, "value": true,
	"address": true, "id": true, "in": true, "on": true, "by": true, "reference": true, "title": true}

func tooVague(core []string) bool { return len(core) == 1 && vague[core[0]] }

// decorations are what is written in several ways, each with the one that counts.
var decorations = []string{"_", " ", "e-mail", "email", "E-mail", "email", "E-Mail", "email", "e mail",
	"email", "E Mail", "email", "n°", "nr", "N°", "nr", "nº", "nr", "#", " nr ", "%", " percent ", "〒", "郵便番号"}

var decoration = strings.NewReplacer(decorations...)

// mayBeDecorated reports whether a text may hold one of the decorations. Most do not, and the look costs a
// tenth of the replacing.
func mayBeDecorated(s string) bool {
	for i := range len(s) {
		switch c := s[i]; {
		case c == '_' || c == '#' || c == '%' || c >= utf8.RuneSelf:
			return true
		case (c == '-' || c == ' ') && i > 0 && (s[i-1] == 'e' || s[i-1] == 'E'):
			return true
		}
	}
	return false
}

// tokens takes a header apart: capitals within a word begin a new one, asides
// in brackets, numbering, stars and colons are decoration.
func tokens(s string) []string {
	if strings.ContainsAny(s, ".)") { // most have none, and patterns take their time
		s = unnumbered(s)
	}
	if strings.ContainsAny(s, "([{<") {
		if plain := strings.TrimSpace(asides.ReplaceAllString(s, " ")); plain != "" {
			s = plain
		}
	}
	s = splitCapitals(s)
	if mayBeDecorated(s) {
		s = decoration.Replace(s)
	}
	s = value.Words(s)
	s = strings.ReplaceAll(s, "e mail", "email")
	return strings.Fields(s)
}

// unnumbered takes the number or letter of a list off the front of a header, but for a letter
// that means something with what stands behind it, as in C. P. and F. name.
func unnumbered(s string) string {
	rest := numbering.ReplaceAllString(s, "")
	if _, known := lexicon[value.Words(s)]; known && rest != s || len(strings.Trim(rest, " .")) < 2 {
		return s
	}
	return rest
}

// pathDot stands between the names of a path, such as assignee.name; behind a short form, as
// in Kd.Nr, it does not part words.
var pathDot = regexp.MustCompile(`(\pL{3})\.(\pL{3})`)

// lastNumber is that of Name1, which tells which of several it is.
var lastNumber = regexp.MustCompile(`(\pL{3})(\d)$`)

// wrapping are names at the beginning of a path that say nothing of what they hold, as in
// attributes.name.
var wrapping = regexp.MustCompile(`^(?i:attributes?|properties|props|fields|values|data|records?|items?|payload|results?)\.(\pL)`)

func splitCapitals(s string) string {
	if strings.Contains(s, ".") {
		s = wrapping.ReplaceAllString(s, "$1")
		s = pathDot.ReplaceAllString(s, "$1 $2")
	}
	if n := len(s); n > 0 && isDigit(s[n-1]) {
		s = lastNumber.ReplaceAllString(s, "$1 $2")
	}
	if strings.IndexFunc(s[min(1, len(s)):], unicode.IsUpper) < 0 {
		return s
	}
	var b strings.Builder
	b.Grow(len(s) + 8)
	rs := []rune(s)
	for i, r := range rs {
		if i > 0 && unicode.IsUpper(r) && (unicode.IsLower(rs[i-1]) || i+1 < len(rs) && unicode.IsUpper(rs[i-1]) &&
			unicode.IsLower(rs[i+1])) {
			b.WriteByte(' ')
		}
		b.WriteRune(r)
	}
	return b.String()
}

func spelt(words []string) []string {
	var out []string
	for _, w := range words {
		if long, ok := short[w]; ok {
			out = append(out, strings.Fields(long)...)
			continue
		}
		out = append(out, w)
	}
	return out
}

func withoutNeutral(words []string) []string {
	return slices.DeleteFunc(slices.Clone(words), func(w string) bool { return neutral[w] })
}

// headerOf takes a header apart for the fields of a type; own are the words by
// which the type itself is known, which change nothing about what it is.
func headerOf(t string, s string, fields []catalog.Field, forms []fieldForms, own map[string]bool) header {
	h := header{all: strings.Join(tokens(s), " ")}
	if before, rest, ok := strings.Cut(s, ":"); ok && len(tokens(rest)) > 0 && len(tokens(before)) > 0 &&
		!slices.ContainsFunc(tokens(before), func(w string) bool { return !own[w] }) {
		s = rest // “Contact: Title”
	}
	bare := value.OnlyMoney(s) // “€”, “£k”
	if h.unit, s = value.UnitOf(s); h.unit == "" {
		_, s = value.CurrencyOf(s)
	}
	if bare {
		s = "amount"
	}
	words := tokens(s)
	h.words = spelt(words)
	h.core = withoutNeutral(h.words)
	if rest := slices.DeleteFunc(slices.Clone(h.core), func(w string) bool { return own[w] }); len(rest) > 0 {
		h.core = rest
	}
	// What is compared with every word of every field is made ready once: a sheet
	// may have thousands of columns.
	as := formOfWords(s, words)
	as.core = h.core
	as.bare, as.sorted = strings.Join(h.core, " "), sortedWords(h.core)
	h.mute, h.asks = isMute(words), asksWho(words)
	lifted := lift(words)
	h.strange = lifted.unknown+lifted.slips > 0 || !slices.ContainsFunc(lifted.sets, func(set []string) bool {
		return slices.ContainsFunc(set, func(c string) bool { return !questions[c] })
	})
	as.sure = lifted.unknown == 0 && lifted.slips == 0 && len(words) > 0
	elsewise := slices.ContainsFunc(lifted.sets, func(set []string) bool { // what no field is for
		called := slices.Contains(set, "phone")
		// An address may be that for invoices; who writes and calls there is another.
		invoiced := slices.Contains(set, "invoice") && (called || slices.Contains(set, "email"))
		return slices.Equal(set, []string{"else"}) || slices.Contains(set, "fax") && !called || invoiced
	})
	others := slices.ContainsFunc(lifted.sets, func(set []string) bool { return slices.Contains(set, "someone") })
	// Of what no field is for beside a word of one (“Delivery postcode”) cells do not tell that it is that.
	others = others || !slices.ContainsFunc(lifted.sets, func(set []string) bool { return !slices.Contains(set, "else") })
	h.aside = others || elsewise
	h.said = make([]saying, len(fields))
	meant, decided := meaningsOf(t, s, fields)
	two := namesTwo(t, s, fields)
	for i, f := range fields {
		if (elsewise || h.mute && meant[i] == 0) && !forms[i].says(as) {
			continue
		}
		h.said[i] = compareHeader(f, forms[i], as)
		if others && h.said[i].score < certain { // it is of somebody else
			h.said[i].score *= 0.5
		}
		if decided { // what stands in brackets says which of several it is
			h.said[i].score *= 0.7
		}
		if meant[i] > h.said[i].score {
			h.said[i] = saying{meant[i], "the header’s words mean " + f.Label}
		}
		if two && (f.Type == catalog.Text || f.Type == catalog.Reference) && h.said[i].score >= certain {
			h.said[i].score, h.said[i].reason = 0.72, h.said[i].reason+", and another thing as well"
		}
		h.known = h.known || h.said[i].score >= certain
	}
	if namesBothPhones(s) { // a telephone may be a mobile; the reverse the cells say
		if n := slices.IndexFunc(fields, func(f catalog.Field) bool { return f.Name == "phone" }); n >= 0 {
			const surely = 0.94 // and above what its values may add to the other
			if h.said[n].score < surely {
				h.said[n] = saying{surely, "the header’s words mean " + fields[n].Label}
			}
			for i, f := range fields {
				if f.Name == "mobile" {
					h.said[i].score = min(h.said[i].score, h.said[n].score-0.02)
				}
			}
		}
	}
	return h
}

// eitherOr parts the words of a header for one thing or another.
var eitherOr = regexp.MustCompile(`\s*[/|&+,]\s*|\s(?:or|and|oder|und|ou|et|o|y|u|e|of|en|eller|och|og|lub|i|tai|ή|και)\s`)

// namesBothPhones reports whether a header names a telephone, and a mobile beside it: Tel./Mobil,
// phone or cell.
func namesBothPhones(s string) bool {
	var phone, mobile bool
	parts := eitherOr.Split(strings.ToLower(s), -1)
	for _, part := range parts {
		for _, set := range lift(headerWords(part)).sets {
			switch {
			case slices.Contains(set, "mobile"):
				mobile = true
			case slices.Contains(set, "phone") && !slices.Contains(set, "private"): // which mostly is a mobile
				phone = true
			}
		}
	}
	return len(parts) > 1 && phone && mobile
}

// isMute reports whether the words of a header say nothing: it is blank, a number, or only says
// that it is a column.
func isMute(words []string) bool {
	return !slices.ContainsFunc(words,
		func(w string) bool { return !saysNothing[strings.Trim(w, "0123456789")] && !small[w] })
}

// saysColumn reports whether a header says nothing, and does so with the word for a column or a field.
func saysColumn(header string) bool {
	words := strings.Fields(value.Words(header))
	return len(words) > 1 && len(words[0]) > 1 && saysNothing[words[0]] && isMute(words)
}

// questions are the concepts of words that ask, and say nothing of what is asked.
var questions = wordSet("what when where does")

// asksWho reports whether a header asks for a person: who, by whom, who spoke.
func asksWho(words []string) bool {
	return slices.ContainsFunc(words, func(w string) bool { return whoWords[w] }) &&
		!slices.ContainsFunc(words, func(w string) bool { _, known := lexicon[w]; return known && !whoWords[w] && !small[w] })
}

// whoWords ask for a person.
var whoWords = wordSet(`who whom by with wer wem wen von mit durch qui avec par quien con por wie met door vem med av
	hvem af chi da kto z przez quem com kuka ποιος`)

// namesTwo reports whether a header names two things with a stroke between, each of which another
// field is for: “Firma / Ort”. Of numbers and the like the cells tell which it is.
func namesTwo(t, s string, fields []catalog.Field) bool {
	first, second, parted := strings.Cut(asides.ReplaceAllString(s, " "), "/")
	if !parted || strings.Contains(second, "/") {
		return false
	}
	means := func(part string) map[int]bool {
		found := map[int]bool{}
		l := lift(headerWords(part))
		for i, f := range fields {
			if conceptScore(t, f, l) >= certain {
				found[i] = true
			}
		}
		return found
	}
	a, b := means(first), means(second)
	for i := range a {
		if b[i] {
			return false
		}
	}
	return len(a) > 0 && len(b) > 0
}

// meaningsOf gives how well what a header means says each field: as a whole with what
// stands in brackets, without that, and part by part where a stroke parts two words for
// one thing. Decided is that the brackets say which field it is.
func meaningsOf(t, s string, fields []catalog.Field) (best []float64, decided bool) {
	best = make([]float64, len(fields))
	read := func(text string, weight float64) (top float64) {
		plain := decoration.Replace(unnumbered(text))
		apart := splitCapitals(plain)
		for _, said := range []string{apart, plain} { // KvK is one word, PostCode two
			l := lift(strings.Fields(value.Words(said)))
			for i, f := range fields {
				score := conceptScore(t, f, l) * weight
				best[i], top = max(best[i], score), max(top, score)
			}
			if apart == plain || saysColumn(apart) { // ColB is no misspelt word
				break
			}
		}
		return top
	}
	if technical(s) {
		sure, likely := chained(strings.Fields(value.Words(decoration.Replace(s))))
		for i, f := range fields {
			best[i] = max(conceptScore(t, f, sure), conceptScore(t, f, likely))
		}
	}
	if bare := withoutAffixes(s); bare != "" {
		read(bare, 0.99)
	}
	for i, score := range shortenedScores(t, s, fields) {
		best[i] = max(best[i], score)
	}
	aside := asides.MatchString(s)
	if top := read(brackets.Replace(s), 1); aside && top >= certain {
		return best, true
	}
	if aside {
		read(asides.ReplaceAllString(s, " "), 0.99)
	}
	for part := range strings.SplitSeq(s, "/") {
		if part != s && len(strings.TrimSpace(part)) > 2 {
			read(part, 0.98)
		}
	}
	return best, false
}

// affixes are what the names of columns in programs say of how a thing is held: as a text, as what a
// code is called, in a box on a screen.
var affixes = wordSet(`lib libelle libellé des desc descr dsc oms omsch omschr bez bezeichnung txt text opis naz nazw
	nazwa str int num dat bln lng fld veld feld`)

// inBox is the kind of a variable or a box before the name of what it holds: strOrt, txtName.
var inBox = regexp.MustCompile(`^(str|txt|int|bln|lng|fld|cbo|tb)\p{Lu}`)

// humped is the name of a variable: stageDesc.
var humped = regexp.MustCompile(`^[a-z]+(?:[A-Z][a-z]+)+$`)

// withoutAffixes gives what is left of the name of a column in a program without what says how the thing is
// held, where that is not all; empty where there is nothing of it.
func withoutAffixes(header string) string {
	if !inBox.MatchString(header) && !technical(header) && !humped.MatchString(header) {
		return ""
	}
	words := headerWords(header)
	first, last := 0, len(words)
	if last > 1 && affixes[words[0]] {
		first++
	}
	if last-first > 1 && affixes[words[last-1]] {
		last--
	}
	if last-first == len(words) {
		return ""
	}
	return strings.Join(words[first:last], " ")
}

var brackets = strings.NewReplacer("(", " ", ")", " ", "[", " ", "]", " ", "{", " ", "}", " ", "<", " ", ">",
	" ", "/", " ")

// saysNothing are the words of headers that programs make when there is none.
var saysNothing = map[string]bool{"": true}

func init() {
	for w := range strings.FieldsSeq(`a b c d e f g h i j k l m n o p q r s t u v w x y z col column columns spalte feld
		field fields kolonne kolumn colonne columna coluna colonna kolom sarake kolumna pole champ campo campos veld
		at bei chez hos who whom with wer wem wen mit qui avec quien con wie met vem med hvem chi kto quem com
		text txt string number num date value var attr attribute unnamed custom userfield f_ c_ item $$`) {
		saysNothing[value.Words(w)] = true
	}
}

// fieldForms are the words under which a field is known.
type fieldForms struct {
	name, label string
	synonyms    []form
}

// form is a phrase, made ready for being compared.
type form struct {
	text    string   // as people write it
	all     string   // its words
	runes   []rune   // of all
	letters uint64   // of all, see letterSet
	spelt   string   // the words spelt out, as one text
	core    []string // these without words that only say whose or which
	bare    string   // the core as one text
	sorted  string   // the core in alphabetical order
	sure    bool     // its words are all known, so that it is no slip of another
}

func formOf(s string) form { return formOfWords(s, tokens(s)) }

func formOfWords(s string, words []string) form {
	long := spelt(words)
	f := form{text: s, all: strings.Join(words, " "), spelt: strings.Join(long, " "), core: withoutNeutral(long)}
	f.runes, f.bare, f.sorted = []rune(f.all), strings.Join(f.core, " "), sortedWords(f.core)
	f.letters = letterSet(f.runes)
	return f
}

func sortedWords(words []string) string {
	return strings.Join(slices.Sorted(slices.Values(words)), " ")
}

func formsOf(f catalog.Field) fieldForms {
	ff := fieldForms{name: strings.Join(tokens(f.Name), " "), label: strings.Join(tokens(f.Label), " ")}
	for _, s := range append([]string{f.Name, f.Label}, f.Synonyms...) {
		ff.synonyms = append(ff.synonyms, formOf(s))
	}
	return ff
}

// says reports whether a header is the field's name, label or a synonym, word for word.
func (ff fieldForms) says(h form) bool {
	return h.all == ff.name || h.all == ff.label ||
		slices.ContainsFunc(ff.synonyms, func(s form) bool { return s.all == h.all })
}

// compareHeader compares the words of a header with those of a field.
func compareHeader(f catalog.Field, forms fieldForms, h form) (best saying) {
	switch h.all {
	case "":
		return saying{}
	case forms.name:
		return saying{1, "the header is the field's name"}
	case forms.label:
		return saying{0.99, "the header is the field's label"}
	}
	better := func(score float64, reason, phrase, behind string) {
		if score > best.score {
			best = saying{score, reason + "“" + phrase + "”" + behind}
		}
	}
	const another, nearly = "", "the header is nearly "
	for i, s := range forms.synonyms {
		near := float64(i) / 2000 // the earlier synonyms are the closer ones
		says := " is another word for " + f.Label
		switch {
		case h.all == s.all:
			better(0.96-near, another, s.text, says)
		case h.spelt == s.spelt:
			better(0.95-near, another, s.text, says)
		case h.bare != "" && h.bare == s.bare && !tooVague(h.core):
			better(0.93-near, another, s.text, says)
		case len(s.core) > 0 && h.sorted == s.sorted && (!tooVague(h.core) || len(h.core) < len(s.core)):
			better(0.92-near, another, s.text, says)
		case !h.sure && oneSlip(h, s) && inLongWord(h.all, s.all):
			better(0.91-near, nearly, s.text, "")
		case len(s.core) > 0 && !tooVague(s.core) && len(h.core) > len(s.core) && len(s.core)*2 >= len(h.core) &&
			contains(h.core, s.core):
			better(0.7-near, "the header holds ", s.text, "")
		case len(h.core) > 0 && !tooVague(h.core) && len(s.core) > len(h.core) && len(h.core)*2 >= len(s.core) &&
			contains(s.core, h.core):
			better(0.6-near, "the header is a part of ", s.text, "")
		}
	}
	return best
}

func contains(all, part []string) bool {
	return !slices.ContainsFunc(part, func(w string) bool { return !slices.Contains(all, w) })
}

// close1 reports whether two texts are one slip apart (Damerau's four kinds:
// one letter more, one less, one other, two swapped), long ones two.
func close1(a, b string) bool {
	ra, rb := []rune(a), []rune(b)
	return oneSlip(form{runes: ra, letters: letterSet(ra)}, form{runes: rb, letters: letterSet(rb)})
}

// oneSlip is close1 of phrases that are ready for it.
func oneSlip(a, b form) bool {
	n := max(len(a.runes), len(b.runes))
	allowed := 0
	switch {
	case n >= 12:
		allowed = 2
	case n >= 6:
		allowed = 1
	}
	if allowed == 0 || len(a.runes)-len(b.runes) > allowed || len(b.runes)-len(a.runes) > allowed {
		return false
	}
	// A slip changes at most two letters of the set.
	if bits.OnesCount64(a.letters^b.letters) > 2*allowed {
		return false
	}
	return distance(a.runes, b.runes) <= allowed
}

// inLongWord reports whether two phrases, which are a slip apart, differ in words of four letters or
// more only: of short forms each letter counts (rel nr, reg nr).
func inLongWord(a, b string) bool {
	as, bs := strings.Fields(a), strings.Fields(b)
	if len(as) != len(bs) {
		return true
	}
	for n := range as {
		if as[n] != bs[n] && len([]rune(as[n])) < 4 {
			return false
		}
	}
	return true
}

// letterSet tells which letters a text has, in 64 classes.
func letterSet(s []rune) uint64 {
	var set uint64
	for _, r := range s {
		set |= 1 << (uint(r) % 64)
	}
	return set
}

// distance is the restricted Damerau–Levenshtein distance.
func distance(a, b []rune) int {
	before, last, now := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		now[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			now[j] = min(last[j]+1, now[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				now[j] = min(now[j], before[j-2]+1)
			}
		}
		before, last, now = last, now, before
	}
	return last[len(b)]
}

// Heads reports whether cells are the words of a header: each of those that are filled, two at
// least, means something that columns are known to hold, and no letter of it had to be guessed.
func Heads(cells []string) bool {
	heads := 0
	for _, c := range cells {
		words := headerWords(c)
		if len(words) == 0 {
			if value.Trim(c) != "" {
				return false
			}
			continue
		}
		l := lift(words)
		if l.unknown > 0 || l.slips > 0 || len(l.sets[0]) == 0 {
			return false
		}
		heads++
	}
	return heads > 1
}
