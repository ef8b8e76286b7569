package value

import (
	"cmp"
	"maps"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

// scales are the words and letters by which amounts are written shorter, with the
// power of ten that they stand for. A letter that may be a measure (m, t) is none
// without a currency.
var scales = map[string]int{
	"k": 3, "tsd": 3, "tausend": 3, "thousand": 3, "mille": 3, "mil": 3, "tys": 3, "tis": 3, "duizend": 3, "tusen": 3,
	"tusind": 3, "χιλ": 3, "тыс": 3,
	"mio": 6, "mln": 6, "mn": 6, "million": 6, "millions": 6, "millionen": 6, "millones": 6, "milhões": 6, "milioni": 6,
	"miljoen": 6, "miljoner": 6, "millioner": 6, "miljoonaa": 6, "milj": 6, "εκατ": 6, "млн": 6,
	"bn": 9, "billion": 9, "mrd": 9, "mld": 9, "milliarden": 9, "milliards": 9, "млрд": 9,
	"lakh": 5, "lakhs": 5, "lac": 5, "crore": 7, "crores": 7, "cr": 7,
}

// moneyScales are those that only stand beside a currency, or in a field of money.
var moneyScales = map[string]int{"m": 6, "mi": 6, "bi": 9, "t": 3, "md": 9, "b": 9}

// Unit tells in what the amounts of a column are: 70 in thousands is 70,000.
type Unit string

// The units of amounts.
const (
	Ones      Unit = "ones"
	Thousands Unit = "thousands"
	Millions  Unit = "millions"
)

// Units lists those that can be chosen.
var Units = []Unit{Ones, Thousands, Millions}

// unitWords are the words of headers that tell in what their amounts are.
var unitWords = map[string]Unit{}

func init() {
	for w := range strings.FieldsSeq(`k€ t€ k$ $k k£ £k teur keur tsd tausend thousand thousands 000 000s '000 tsek tnok
		tdkk ksek knok kdkk tkr
		milliers milhares migliaia duizenden tusen tys tusental`) {
		unitWords[w] = Thousands
	}
	for w := range strings.FieldsSeq(`m€ m$ $m m£ £m mkr mnok msek meur mio mill million millions millionen millones
		miljoner millioner milioni`) {
		unitWords[w] = Millions
	}
}

// UnitOf gives in what the amounts of a column are by its header, such as “Umsatz (T€)”,
// and the header without that; empty when it does not say.
func UnitOf(header string) (unit Unit, rest string) {
	apart := func(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune("()[]{}<>/", r) }
	for w := range strings.FieldsFuncSeq(strings.ToLower(header), apart) {
		if u := unitWords[strings.Trim(w, ".,:")]; u != "" {
			at := strings.Index(strings.ToLower(header), w)
			if at+len(w) > len(header) { // small letters may be longer
				return u, header
			}
			rest = strings.TrimSuffix(strings.TrimRight(header[:at], " ([{<"), " in") + header[at+len(w):]
			if !strings.ContainsFunc(rest, unicode.IsLetter) {
				rest = header
			}
			return u, rest
		}
	}
	return "", header
}

// headerCurrencies are the codes and signs by which headers name the currency of their amounts, in
// the form of unitWords too; of codes those that are no words of headers themselves.
var headerCurrencies = map[string]string{"€": "EUR", "£": "GBP", "zł": "PLN"}

func init() {
	for code := range strings.FieldsSeq("EUR USD GBP CHF NOK SEK DKK ISK PLN CZK HUF RON BGN JPY CAD AUD NZD BRL ZAR INR " +
		"CNY MXN SGD HKD AED") {
		headerCurrencies[strings.ToLower(code)] = code
		for _, thousands := range []string{"t", "m", "k"} {
			if word := thousands + strings.ToLower(code); unitWords[word] != "" {
				headerCurrencies[word] = code
			}
		}
	}
	for sign, code := range currencySigns { // a dollar says of which country it is
		if strings.HasSuffix(sign, "$") && sign != "$" || sign == "kč" {
			headerCurrencies[sign] = code
		}
	}
	for word, code := range map[string]string{"k€": "EUR", "t€": "EUR", "m€": "EUR", "k£": "GBP", "£k": "GBP",
		"m£": "GBP", "tsek": "SEK", "tnok": "NOK", "tdkk": "DKK", "ksek": "SEK", "knok": "NOK", "kdkk": "DKK"} {
		headerCurrencies[word] = code
	}
}

// CurrencyOf gives the currency (ISO 4217) that a header names beside what it says, such as
// “Amount (EUR)”, “WERT_USD” or “Umsatz (T€)”, and the header without it where it says anything
// else; empty when it names none, or several.
func CurrencyOf(header string) (code, rest string) {
	apart := func(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune("()[]{}<>/_-", r) }
	var kept []string
	for _, w := range strings.FieldsFunc(header, apart) {
		of := headerCurrencies[strings.ToLower(strings.Trim(w, ".,:"))]
		if w == "Ft" { // forints; ft are feet
			of = "HUF"
		}
		switch {
		case of == "":
			kept = append(kept, w)
		case code != "" && of != code:
			return "", header
		default:
			code = of
		}
	}
	if rest = strings.TrimSuffix(strings.Join(kept, " "), " in"); code == "" ||
		!strings.ContainsFunc(rest, unicode.IsLetter) {
		return code, header
	}
	return code, rest
}

// OnlyMoney reports whether a header is nothing but a currency, with a unit or without: €, CHF, £k,
// in EUR.
func OnlyMoney(header string) bool {
	apart := func(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune("()[]{}<>/", r) }
	money := false
	for w := range strings.FieldsFuncSeq(strings.ToLower(header), apart) {
		switch w = strings.Trim(w, ".,:"); {
		case headerCurrencies[w] != "", w == "$", w == "¥":
			money = true
		case w != "in" && unitWords[w] == "":
			return false
		}
	}
	return money
}

// ToBeMultiplied reports whether the amounts of a column are in a unit of which the field's own
// are not: what is kept in thousands, as a field called "Turnover (k€)" says, stays so.
func ToBeMultiplied(f catalog.Field, header string) bool {
	unit, _ := UnitOf(header)
	own, _ := UnitOf(f.Label)
	return unit != "" && own == ""
}

// LongestInUnits is how many figures an amount has at most that is in thousands or more,
// when only the header says that it is.
const LongestInUnits = 7

// FiguresInUnits is how many figures an amount of a column in thousands or more has at most: two more than
// most of its texts have before the decimal sign, which may be unknown. One with more seems to be written
// in full (120 and 45 beside 120 000). It is 0 where no text has a figure.
func FiguresInUnits(texts []string, sign string) int {
	var figures []int
	for _, s := range texts {
		if sign != "" {
			s, _, _ = strings.Cut(s, sign)
		}
		n := 0
		for _, c := range s {
			if c >= '0' && c <= '9' {
				n++
			}
		}
		if n > 0 {
			figures = append(figures, n)
		}
	}
	if len(figures) == 0 {
		return 0
	}
	slices.Sort(figures)
	return min(figures[len(figures)/2]+2, LongestInUnits)
}

// inUnits gives a number, with a dot and no groups, as the column's unit makes it.
func (r *Reader) inUnits(n string) (string, Trouble) {
	power := map[Unit]int{Thousands: 3, Millions: 6}[r.set.Unit]
	whole, _, _ := strings.Cut(strings.TrimPrefix(n, "-"), ".")
	if r.set.UnitUnsaid && power > 0 && len(whole) > cmp.Or(r.set.UnitFigures, LongestInUnits) {
		return "", Trouble{problem.AmbiguousNumber, "in " + string(r.set.Unit) + " or not"}
	}
	return times(n, power), Trouble{}
}

// scaled takes a word that multiplies off the end of a number, or off its beginning
// where a currency stands there: 3.5k, 2 Mio. €, 10 TEUR, k€ 12, 15 lakh. The power is
// 0 when there is none. With money, letters such as M count as well.
func scaled(s string, money bool) (rest string, power int) {
	s = Trim(s)
	last := strings.LastIndexFunc(s, unicode.IsDigit)
	first := strings.IndexFunc(s, unicode.IsDigit)
	if last < 0 {
		return s, 0
	}
	if owed.MatchString(s) {
		return s, 0
	}
	if behind := s[last+1:]; strings.IndexFunc(behind, unicode.IsLetter) >= 0 {
		closing := ""
		if t := strings.TrimRight(behind, " "); strings.HasSuffix(t, ")") {
			closing, behind = ")", strings.TrimSuffix(t, ")")
		}
		if power, currency, ok := scaleOf(behind, money || isCurrency(strings.Trim(s[:first], "-−(+ "))); ok {
			return Trim(s[:last+1]+currency) + closing, power
		}
	}
	if before := strings.TrimLeft(s[:first], "-−(+ "); before != "" {
		if power, currency, ok := scaleOf(before, money); ok && currency != "" {
			return strings.TrimSuffix(s[:first], before) + s[first:] + currency, power
		}
	}
	return s, 0
}

// owed is an amount to somebody's credit, as in lists of what is owed, and no ten millions.
var owed = regexp.MustCompile(`\d[.,]\d\d ?CR$`)

// inOrder are the words that multiply in alphabetical order.
var inOrder = func() (lists []struct {
	words  []string
	powers map[string]int
}) {
	for _, m := range []map[string]int{scales, moneyScales} {
		lists = append(lists, struct {
			words  []string
			powers map[string]int
		}{slices.Sorted(maps.Keys(m)), m})
	}
	return lists
}()

// scaleOf reads a word that multiplies, with a currency on either side of it.
func scaleOf(text string, money bool) (power int, currency string, ok bool) {
	word := strings.ToLower(strings.NewReplacer(".", "", " ", "", "\u00a0", "", "\u202f", "").Replace(text))
	if p, ok := scales[word]; ok {
		return p, "", true
	}
	if p, ok := moneyScales[word]; ok && money && word != "t" {
		return p, "", true
	}
	if isCurrency(word) { // most are
		return 0, "", false
	}
	for _, list := range inOrder {
		for _, scale := range list.words {
			p := list.powers[scale]
			for _, rest := range []string{strings.TrimSuffix(word, scale), strings.TrimPrefix(word, scale)} {
				if rest != word && rest != "" && isCurrency(rest) {
					return p, " " + strings.ToUpper(rest), true
				}
			}
		}
	}
	return 0, "", false
}

// times gives a number, with a dot and no groups, multiplied by a power of ten.
func times(n string, power int) string {
	if power == 0 {
		return n
	}
	whole, part, _ := strings.Cut(strings.TrimPrefix(n, "-"), ".")
	for len(part) < power {
		part += "0"
	}
	whole, part = strings.TrimLeft(whole+part[:power], "0"), part[power:]
	if whole == "" {
		whole = "0"
	}
	if strings.HasPrefix(n, "-") {
		whole = "-" + whole
	}
	if part != "" {
		whole += "." + part
	}
	return whole
}
