package value

import (
	"cmp"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

// Rough tells which number is meant where a cell gives a range or says about how many: 11-50,
// ~50, more than 100.
type Rough string

// The numbers of a range. Where a cell gives but one (~50), that one is meant by each.
const (
	Lowest  Rough = "lowest"
	Middle  Rough = "middle"
	Highest Rough = "highest"
)

// WaysOfRough lists those that can be chosen.
var WaysOfRough = []Rough{Lowest, Middle, Highest}

// Words and signs before and behind a number, folded and without dots, by what they make of it.
var (
	aboutWords = phraseSet(`~, ≈, ±, ca, circa, etwa, rund, zirka, ungefahr, about, approx, approximately, around,
		roughly, environ, env, autour de, aprox, aproximadamente,
		unos, unas, cerca de, ungefar, omkring, rundt, noin, okolo, priblizne, asi, korulbelul, kb, yaklasik, περιπου,
		около, примерно, ongeveer, 約, n, cca, ok, ong, rd, порядка, ок, прибл`)
	fromWords = phraseSet(`>, >=, ≥, uber, mehr als, mindestens, mind, ab, over, more than, at least, min, above, from,
		plus de, au moins, mas de, al menos, piu di, almeno, mais de,
		meer dan, minstens, mer an, minst, mere end, mindst, mer enn, yli, vahintaan, ponad, vice nez, tobb mint`)
	moreWords = phraseSet(`+, plus, and more, or more, and above, et plus, ou plus, o mas, y mas, e piu, oder mehr,
		und mehr, u mehr, en meer, of meer, og mer, och mer`)
	toWords = phraseSet(`<, <=, ≤, unter, weniger als, hochstens, max, bis, bis zu, under, less than, fewer than,
		up to, at most, below, moins de, au plus, jusqu'a, menos de, hasta, meno di,
		fino a, ate, minder dan, tot, hogst, mindre an, mindre end, mindre enn, alle, enintaan, ponizej, do, mene nez`)
	betweenWords = phraseSet(`zwischen, between, entre, von, from, de, tra, fra, da, mellan, mellem, mellom,
		tussen, van, od`)

	// counted are the words for heads and pieces behind a number, which say nothing of their own.
	counted = wordSet(`employees employee staff people persons person pers heads headcount fte ftes workers mitarbeiter
		mitarbeitende mitarbeiterinnen ma beschaftigte angestellte
		personen leute mann kopfe salaries salarie employes personnes collaborateurs empleados trabajadores personas
		dipendenti addetti persone funcionarios colaboradores
		pessoas medewerkers werknemers mensen mdw ansatte medarbejdere anstallda personer medarbetare tyontekijaa henkiloa
		hlo pracownikow osob zamestnancu lidi alkalmazott fo
		calisan kisi ατομα υπαλληλοι сотрудников чел человек 名 人
		pcs pc piece pieces ea each unit units stk stck stuck st unites uds ud unidades pz pezzi stuks szt ks db kpl
		adet шт 個 台`)
	// countWords are small counts in words, where a language has but one number of that name.
	countWords = map[string]int{}
)

func init() {
	for n, words := range []string{
		1:  `one ein eins eine un une uno una een en ett yksi jeden jedna egy`,
		2:  `two zwei deux dos due dois twee to tva kaksi dwa dve ketto`,
		3:  `three drei trois tres tre drie kolme trzy tri harom`,
		4:  `four vier quatre cuatro quattro quatro fire fyra nelja cztery ctyri negy`,
		5:  `five funf cinq cinco cinque vijf fem viisi piec pet ot`,
		6:  `six sechs seis sei zes seks sex kuusi szesc sest hat`,
		7:  `seven sieben sept siete sette sete zeven syv sju seitseman siedem sedm het`,
		8:  `eight acht huit ocho otto oito otte atta kahdeksan osiem osm nyolc`,
		9:  `nine neun neuf nueve nove negen ni nio yhdeksan dziewiec devet kilenc`,
		10: `ten zehn dix diez dieci dez tien ti tio kymmenen dziesiec deset tiz`,
		11: `eleven elf onze once undici elleve elva yksitoista jedenascie jedenact tizenegy`,
		12: `twelve zwolf douze doce dodici twaalf tolv kaksitoista dwanascie dvanact tizenketto`,
	} {
		for w := range strings.FieldsSeq(words) {
			if was, there := countWords[w]; there && was != n {
				countWords[w] = 0 // two numbers, of two languages
			} else {
				countWords[w] = n
			}
		}
	}
}

// phraseSet makes a set of phrases that are parted by commas.
func phraseSet(text string) map[string]bool {
	set := map[string]bool{}
	for phrase := range strings.SplitSeq(text, ",") {
		set[Fold(strings.Join(strings.Fields(phrase), " "))] = true
	}
	return set
}

// rangeOf parts a range at a dash or a word between two numbers, each of which may have a
// currency before it and something behind it.
var rangeOf = regexp.MustCompile(`^([^\d]*)(\d[\d.,'’   ]*?)\s*([^\d\s.,]*)\s*(?:[-–—~〜～]|\s(?:to|bis|bis zu|a|à|al|do|til|till|tot)\s)\s*([^\d-]*)(\d[\d.,'’   ]*?)\s*(\D*)$`)

// roughly makes a reader of plain numbers read those as well that say about how many, as the
// settings tell. Heads and pieces behind a count are passed over, and small counts in words are
// read.
func roughly(plain func(*Reader, string) (string, Trouble)) func(*Reader, string) (string, Trouble) {
	return func(r *Reader, s string) (string, Trouble) {
		n, t := plain(r, s)
		if t.Code != problem.BadNumber {
			return n, t
		}
		return r.about(s, plain)
	}
}

// about reads what is no plain number.
func (r *Reader) about(s string, plain func(*Reader, string) (string, Trouble)) (string, Trouble) {
	read := func(s string) (string, Trouble) { return plain(r, s) }
	whole := r.field.Type == catalog.Integer || r.field.Type == catalog.Decimal
	if whole {
		if bare := withoutCounted(s); bare != s {
			if n, t := read(bare); t.Code != problem.BadNumber {
				return n, t
			}
			s = bare
		}
		if n := countWords[Fold(s)]; n > 0 {
			return read(strconv.Itoa(n))
		}
	}
	low, high, ok := roughEnds(s)
	if !ok {
		return "", Trouble{Code: problem.BadNumber}
	}
	if whole {
		low, high = withoutCounted(low), withoutCounted(high)
	}
	if r.field.Type == catalog.Integer { // nobody writes 5,000+ with the digits of a fraction
		low, high = withoutGroups(low), withoutGroups(high)
	}
	return r.between(low, high, plain)
}

// withoutGroups takes the sign out of a number that can be read two ways.
func withoutGroups(s string) string {
	if sign, sure := SignOf(s); !sure {
		return strings.ReplaceAll(s, string(sign), "")
	}
	return s
}

// between gives the number that is meant by a range from low to high, one of which may be
// unsaid.
func (r *Reader) between(low, high string, plain func(*Reader, string) (string, Trouble)) (string, Trouble) {
	bad := Trouble{Code: problem.BadNumber}
	ends := [2]string{low, high}
	var numbers [2]float64
	for at, s := range ends {
		if s == "" {
			continue
		}
		n, t := plain(r, s)
		if t.Code != "" {
			return "", t
		}
		ends[at] = n
		numbers[at], _ = strconv.ParseFloat(n, 64)
	}
	switch one := ends[0] + ends[1]; {
	case ends[0] != "" && ends[1] != "" && numbers[0] > numbers[1]:
		return "", bad
	case r.set.Rough == "":
		return "", Trouble{Code: problem.RoughNumber}
	case ends[0] == "" || ends[1] == "": // the one that is said
		return one, Trouble{}
	case r.set.Rough == Lowest:
		return ends[0], Trouble{}
	case r.set.Rough == Highest:
		return ends[1], Trouble{}
	}
	middle, digits := (numbers[0]+numbers[1])/2, r.field.Digits()
	if r.field.Type == catalog.Integer {
		middle, digits = math.Floor(middle), 0
	}
	return plain(&Reader{field: r.field, set: Settings{DecimalSign: "."}}, strconv.FormatFloat(middle, 'f', digits, 64))
}

// roughEnds gives the ends of a text that is a range (10-20, 10 bis 20k), or the one end that
// it names (over 100, up to 50); what is about a number (~50) has it as its lower end. A currency
// or a word behind that only one end has is of both.
func roughEnds(s string) (low, high string, ok bool) {
	if m := rangeOf.FindStringSubmatch(s); m != nil {
		front, behind := Trim(m[1]), Trim(m[6])
		if phrase, rest := leading(front, aboutWords, betweenWords); phrase != "" {
			front = rest
		}
		if strings.Contains(front, "-") || strings.Contains(front, "(") { // a sign of its own
			return "", "", false
		}
		return Trim(front + m[2] + " " + cmp.Or(m[3], behind)), Trim(cmp.Or(Trim(m[4]), front) + m[5] + " " + behind), true
	}
	first, last := strings.IndexFunc(s, unicode.IsDigit), strings.LastIndexFunc(s, unicode.IsDigit)
	if first < 0 {
		return "", "", false
	}
	_, size := utf8.DecodeRuneInString(s[last:])
	front, number, behind := s[:first], s[first:last+size], Trim(s[last+size:])
	if phrase, rest := leading(front, aboutWords, fromWords, toWords); phrase != "" {
		if number = Trim(rest + number + " " + behind); toWords[phrase] {
			return "", number, true
		}
		return number, "", true
	}
	// Behind the number: 50+, 50 and more, 100 plus.
	words := strings.Fields(behind)
	for at := range words {
		if phrase := phrased(strings.Join(words[at:], " ")); aboutWords[phrase] || moreWords[phrase] {
			return Trim(front + number + " " + strings.Join(words[:at], " ")), "", true
		}
	}
	return "", "", false
}

// leading takes the longest phrase of the sets off the beginning of a text.
func leading(text string, sets ...map[string]bool) (phrase, rest string) {
	in := func(phrase string) bool {
		return slices.ContainsFunc(sets, func(set map[string]bool) bool { return set[phrase] })
	}
	text = Trim(text)
	for _, sign := range []string{">=", "<=", "~", "≈", "±", ">", "≥", "<", "≤", "約"} {
		if rest, found := strings.CutPrefix(text, sign); found && in(sign) {
			return sign, Trim(rest)
		}
	}
	words := strings.Fields(text)
	for at := len(words); at > 0; at-- {
		if phrase = phrased(strings.Join(words[:at], " ")); in(phrase) {
			return phrase, strings.Join(words[at:], " ")
		}
	}
	return "", text
}

// phrased gives words as the sets of phrases hold them.
func phrased(s string) string { return Fold(strings.ReplaceAll(s, ".", "")) }

// withoutCounted takes a word for heads or pieces off the end of a count.
func withoutCounted(s string) string {
	last := strings.LastIndexFunc(s, unicode.IsDigit)
	if last < 0 {
		return s
	}
	_, size := utf8.DecodeRuneInString(s[last:])
	if word := phrased(s[last+size:]); counted[strings.TrimSpace(word)] {
		return s[:last+size]
	}
	return s
}
