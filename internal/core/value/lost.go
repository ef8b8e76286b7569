package value

import (
	"regexp"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

// Doubter tells of the texts of one field what they may have lost, or that they may be in the wrong
// place. What it asks of the field is found out once, as it looks at every cell.
type Doubter struct {
	as      catalog.Likeness
	key     bool
	words   bool // it holds words that people write
	names   bool // of people or companies
	half    bool // a half of a person's name
	address bool // a part of an address
	job     bool
	subject bool
}

// NewDoubter makes one for a field.
func NewDoubter(f catalog.Field) *Doubter {
	as := f.ComparedAs()
	return &Doubter{as: as, key: f.Key, words: f.HoldsWords(), names: HoldsNames(f),
		half:    as == catalog.AsGivenName || as == catalog.AsFamilyName,
		address: as == catalog.AsStreet || as == catalog.AsLocality || as == catalog.AsPostalCode,
		job:     f.Holds == catalog.HoldsJobTitle, subject: f.Holds == catalog.HoldsWords}
}

// Lost tells what a value has lost on its way through another program, or why it may be none, as the code
// of a problem; empty when nothing shows. Letters are lost to encodings, digits and signs to
// spreadsheet programs, which take what looks like a number or a date for one.
func (d *Doubter) Lost(s string) problem.Code {
	switch {
	case d.words && lostLetters(s):
		return problem.LostLetters
	case strings.IndexByte(s, '+') > 0 && shortened.MatchString(s):
		return problem.DamagedNumber
	case (d.key || d.as == catalog.AsStreet || d.as == catalog.AsPostalCode) && madeDate(s):
		return problem.MadeDate
	case d.key && len(s) > 4 && s[0] <= '9' && madeNumber.MatchString(s):
		return problem.MadeNumber
	case d.badPlace(s):
		return problem.BadPlace
	case d.as == catalog.AsCompanyName && numberAlone(s), d.names && strings.HasSuffix(s, ":"):
		return problem.BadName
	case (d.names || d.address) && (strings.HasSuffix(s, "?") || strayInWord(s)):
		return problem.LostLetters
	case d.saysNothing(s), d.half && addressForms[bare(s)] && OnlyTitles(s):
		return problem.PerhapsNothing
	case d.address && formerly(s), d.job && (hasLeft.are(s) || notToUse(s)):
		return problem.NotToUse
	case d.names && mayHaveFootnote(s) && footnoted.MatchString(s):
		return problem.FootnoteMark
	case d.names && (d.as == catalog.AsCompanyName || strings.Contains(s, " ")) && notToUse(s),
		d.as == catalog.AsCompanyName && isClosed(s):
		return problem.NotToUse
	}
	return ""
}

// madeNumber is a number of a record with decimals, or with signs between its thousands that stand for nothing else.
var madeNumber = regexp.MustCompile(`^\d{3,}\.0+$|^[1-9]\d{0,2}(?:(?:['’]\d{3})+|(?:,\d{3})+)$`)

// numberAlone reports whether what is called a company is figures, the number of a telephone, an address
// on the web, or a postal code with its town.
func numberAlone(s string) bool {
	return strings.HasPrefix(s, "www.") || !strings.ContainsFunc(s, unicode.IsLetter) || codeAndTown.MatchString(s)
}

var codeAndTown = regexp.MustCompile(`^\d{4,5} \p{Lu}\pL+$`)

// BesideCompany gives what stands beside a company's name in one cell: somebody who works there, a
// telephone number, an address; empty when nothing does.
func (d *Doubter) BesideCompany(s string) string {
	if d.as != catalog.AsCompanyName || !strings.ContainsAny(s, ",./0123456789") {
		return ""
	}
	if at := atCompany.FindStringIndex(s); at != nil {
		return strings.TrimLeft(s[at[0]:], ", ")
	}
	if _, rest, ok := strings.Cut(s, ","); ok && strings.ContainsAny(rest, "0123456789") {
		if p, ok := SplitAddress(rest); ok && p.Street != "" {
			return Trim(rest)
		}
	}
	return ""
}

// atCompany begins what is said of a person at a company, or of its telephone.
var atCompany = regexp.MustCompile(`(?i)[, ] ?(?:z\. ?hd\.|zhd\.|c/o|attn?[.:]|fao:|t\. ?a\. ?v\.|à l['’]attention|tel[.:]* ?\+?\d|fax[.:]* ?\+?\d) ?|` +
	`, ?(?:herr|frau|hr\.|fr\.|mr|mrs|ms|mme|madame|monsieur|sr\.|sra\.|dhr\.|mevr\.)\.? \p{Lu}`)

// footnotes are the marks by which lists point to a note below them.
const footnotes = "*†‡#¹²³"

// mayHaveFootnote tells most names by their bytes: those with no such mark, and no letter that is
// written with the first byte of one.
func mayHaveFootnote(s string) bool {
	for i := range len(s) {
		if s[i] == '*' || s[i] == '#' || s[i] == footnotes[1] || s[i] == 0xc2 {
			return true
		}
	}
	return false
}

// footnoted is a name with a mark before or behind it, as lists have them for what a note below says
// of some: Lie*, † Ada Kade, Tern Works AS ¹.
var footnoted = regexp.MustCompile(`^[` + footnotes + `]+\s*\pL|\pL[.)]?\s*[` + footnotes + `]+$`)

// zeroFirst are the countries of which some postal codes begin with a zero, by how many figures
// they have (Universal Postal Union, addressing systems).
var zeroFirst = map[string]int{"DE": 5, "US": 5, "FR": 5, "IT": 5, "ES": 5, "FI": 5, "MX": 5, "TR": 5, "UA": 5,
	"KR": 5, "MY": 5, "NO": 4, "DK": 4, "AU": 4, "SG": 6, "JP": 7, "RO": 6}

// LostZero tells the postal code of a country (ISO 3166) that has lost the zero in front of it, as
// spreadsheet programs leave it out; empty when none is missing.
func LostZero(country, code string) string {
	if n := zeroFirst[country]; n == 0 || len(code) != n-1 || strings.Trim(code, "0123456789") != "" {
		return ""
	}
	return "0" + code
}

// zeroStates are the states of the United States of which all postal codes begin with a zero.
var zeroStates = wordSet("CT MA ME NH NJ RI VT PR")

// InZeroState reports whether a region is one of these.
func InZeroState(region string) bool { return zeroStates[region] }

// codeFigures are the countries whose postal codes are figures alone, by how many they have at least, also of old
// (Universal Postal Union, addressing systems). In the Netherlands letters stand behind them.
var codeFigures = map[string]int{
	"AT": 4, "AU": 4, "BE": 4, "BG": 4, "BR": 5, "CH": 4, "CY": 4, "CZ": 5, "DE": 5, "DK": 4, "EE": 5, "ES": 5,
	"FI": 5, "FR": 5, "GR": 5, "HR": 5, "HU": 4, "IT": 5, "JP": 3, "LI": 4, "LT": 5, "LU": 4, "LV": 4, "MC": 5,
	"MX": 5, "NL": 4, "NO": 4, "NZ": 4, "PL": 5, "PT": 4, "RO": 6, "SE": 5, "SI": 4, "SK": 5, "TR": 5, "US": 5,
}

var signless = strings.NewReplacer(" ", "", "-", "", "\u00a0", "")

// ShortCode tells how many figures the postal codes of a country (ISO 3166) have where a code of figures has fewer;
// empty where it has as many, or nothing is known. Of more nothing is said: in data that somebody has made up
// all codes have five.
func ShortCode(country, code string) string {
	least, known := codeFigures[country]
	if !known || len(code) >= least+2 {
		return ""
	}
	if figures := signless.Replace(code); len(figures) >= least || strings.Trim(figures, "0123456789") != "" {
		return ""
	}
	return country + ", " + strconv.Itoa(least) + " figures"
}

// stray are signs that stand within no word, and where letters of another encoding have been.
const stray = "³²¹¸¤¦§¨©«¬®°±µ¶»¼½¾¿×÷†‡™„…‰"

// strayInWord reports whether such a sign, or a large Ÿ among small letters, stands between two letters.
func strayInWord(s string) bool {
	if isASCII(s) {
		return false
	}
	before, sign := ' ', false
	for _, r := range s {
		if sign && unicode.IsLetter(r) && (before != 'Ÿ' || unicode.IsLower(r)) {
			return true
		}
		sign = unicode.IsLetter(before) && (r == 'Ÿ' || r >= utf8.RuneSelf && strings.ContainsRune(stray, r))
		before = r
	}
	return false
}

// setAside are words by which people mark in its name that a record is not to be used, since
// they cannot or may not delete it.
var setAside = func() map[string][]string { // by their first word, each between blanks
	list := map[string][]string{}
	for _, w := range strings.Split("do not use|dont use|don t use|not in use|no longer in use|duplicate|duplicate "+
		"of|dublette|doppelt angelegt|nicht verwenden|nicht benutzen|nicht mehr verwenden|bitte löschen|zu löschen|"+
		"ne pas utiliser|ne plus utiliser|doublon|à supprimer|no usar|no utilizar|duplicado|non usare|non "+
		"utilizzare|doppione|niet gebruiken|niet meer gebruiken|använd ej|används ej|använd inte|dubblett|"+
		"gelöscht|gesperrt|inaktiv|stillgelegt|inactive|deleted|blocked|supprimé|bloqué|inactif|eliminado|bloqueado|inactivo|eliminato|bloccato|verwijderd|geblokkeerd|inactief|spärrad|slettet|sperret|nieaktywny|zablokowany|"+
		"ikke brug|ikke bruk|må ikke bruges|må ikke brukes|nie używać|duplikat|do usunięcia|não usar|não utilizar|to "+
		"be deleted|please delete|delete me|zzz|μη χρησιμοποιείτε", "|") {
		words := Words(w)
		first, _, _ := strings.Cut(words, " ")
		list[first] = append(list[first], " "+words+" ")
	}
	return list
}()

// closedDown are words by which people say, in brackets or behind a dash, that a company is no more.
var closedDown = phraseSet(`closed, closed down, dissolved, ceased trading, bankrupt, insolvent, in liquidation, liquidated,
	out of business, no longer trading, defunct, geschlossen, aufgelöst, erloschen, insolvenz, in insolvenz, pleite,
	aufgegeben, fermé, fermée, cessée, cessé, radiée, radié, en liquidation, liquidation, baja, de baja, cerrado, cerrada,
	cesado, liquidada, en liquidación, en concurso, chiuso, chiusa, cessata, cessato, in liquidazione, fallito, fallita,
	opgeheven, failliet, gesloten, konkurs, i konkurs, nedlagt, ophørt, lukket, upphört, avvecklad, stängd, nedlagd, opphørt,
	lagt ned, lopetettu, lopettanut, konkurssi, konkurssissa, zlikwidowana, zamknięta, w likwidacji, w upadłości, encerrado,
	encerrada, insolvente, falida, em liquidação, κλειστό, έκλεισε, 閉店, 廃業, 倒産, zrušeno, zrušena, zaniklá, v likvidaci, megszűnt,
	felszámolás alatt`)

// lastAside is what stands in brackets at the end of a name, or behind a dash.
var lastAside = regexp.MustCompile(`(?:[(\[]\s*([^()\[\]]+?)[.!]?\s*[)\]]|\s[-–—]\s*([^-–—]+?)[.!]?)\s*$`)

// isClosed reports whether a name says that its company is no more.
func isClosed(s string) bool {
	if !strings.ContainsAny(s, "([-–—") {
		return false
	}
	m := lastAside.FindStringSubmatch(s)
	return m != nil && closedDown[Fold(m[1]+m[2])]
}

// notToUse reports whether a name says that its record is not to be used: such words stand at
// its beginning or its end, or in brackets.
func notToUse(s string) bool {
	words := " " + Words(s) + " "
	for at := 0; at < len(words)-1; at += 1 + strings.IndexByte(words[at+1:], ' ') {
		first, _, _ := strings.Cut(words[at+1:], " ")
		for _, w := range setAside[first] {
			if strings.HasPrefix(words[at:], w) && (at == 0 || at+len(w) == len(words) || strings.ContainsAny(s, "([{*!-–:")) {
				return true
			}
		}
	}
	return false
}

// shortened are numbers of many digits as spreadsheet programs show them.
var shortened = regexp.MustCompile(`^\d[.,]\d+[eE]\+\d{2}$`)

// dayAndMonth is what a spreadsheet program makes of 5-6 or MAR-1: 05-Jun, Mar-01. A month in
// capitals is none of its making.
var dayAndMonth = regexp.MustCompile(`^(?:\d{1,2}[-. ](\pL{3,4})\.?|(\pL{3,4})[-. ]\d{2})$`)

func madeDate(s string) bool {
	if len(s) < 5 || len(s) > 12 || strings.ToUpper(s) == s {
		return false
	}
	m := dayAndMonth.FindStringSubmatch(s)
	return m != nil && months[Fold(m[1]+m[2])] > 0
}

// lostLetters reports whether a question mark stands where a text lost a letter because an
// encoding could not write it: within a word (Wi?niewski), or before one that goes on in small
// letters (?ukasz), or twice behind one (Ji??). A single one behind a word may be a question.
func lostLetters(s string) bool {
	if strings.IndexByte(s, '?') < 0 || strings.Contains(s, "://") {
		return false
	}
	before := ' '
	for at, r := range s {
		if r == '?' {
			next, _ := utf8.DecodeRuneInString(s[at+1:])
			within := unicode.IsLetter(before) || before == '?'
			if unicode.IsLetter(next) && (within || unicode.IsLower(next)) || unicode.IsLetter(before) && next == '?' {
				return true
			}
		}
		before = r
	}
	return false
}
