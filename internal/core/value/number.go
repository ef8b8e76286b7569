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

func itoa(n int) string { return strconv.Itoa(n) }

// maxWhole is the most digits before the decimal sign that a number may have.
const maxWhole = 15

func (r *Reader) integer(s string) (string, Trouble) {
	n, t := r.decimal(s)
	if t.Code == problem.AmbiguousNumber && !strings.HasSuffix(s, "000") {
		// 1.250 staff are no one and a quarter; 12.000 may be twelve with all its digits.
		n, t = r.decimal(withoutGroups(s))
	}
	if t.Code != "" {
		return "", t
	}
	whole, part, _ := strings.Cut(n, ".")
	if strings.Trim(part, "0") != "" {
		return "", Trouble{problem.TooPrecise, "whole numbers only"}
	}
	if r.field.Holds == catalog.HoldsStaff && (strings.HasPrefix(whole, "-") || len(whole) > mostStaff) {
		return "", Trouble{problem.OutOfRange, "from 0 to " + strings.Repeat("9", mostStaff)}
	}
	return whole, Trouble{}
}

// mostStaff is of how many digits a number of people is that somebody employs; longer ones are of telephones.
const mostStaff = 7

func (r *Reader) number(s string) (string, Trouble) {
	n, t := r.decimal(s)
	if t.Code != "" {
		return "", t
	}
	if _, own := scaled(s, false); own == 0 {
		if n, t = r.inUnits(n); t.Code != "" {
			return "", t
		}
	}
	return r.rounded(n)
}

func (r *Reader) percent(s string) (string, Trouble) {
	v, trouble := r.anyPercent(s)
	if r.field.Holds == catalog.HoldsChance && trouble.Code == "" && (strings.HasPrefix(v, "-") || aboveHundred(v)) {
		return "", Trouble{problem.OutOfRange, "from 0 to 100 %"}
	}
	return v, trouble
}

// aboveHundred reports whether a canonical number is more than 100.
func aboveHundred(v string) bool {
	whole, rest, _ := strings.Cut(v, ".")
	return len(whole) > 3 || len(whole) == 3 && (whole > "100" || whole == "100" && strings.Trim(rest, "0") != "")
}

func (r *Reader) anyPercent(s string) (string, Trouble) {
	bare := Trim(strings.TrimRight(s, "%٪ \u00a0\u202f"))
	if bare != s || r.set.Percents == "" || r.set.Percents == OfHundred {
		return r.number(bare)
	}
	n, t := r.decimal(bare)
	switch {
	case t.Code != "":
		return "", t
	case r.set.Percents == OfOne || r.set.Percents == Either && partOfOne(n):
		return r.rounded(times(n, 2))
	case r.set.Percents == MixedPercents && partOfOne(n): // 0.5 beside 60: half a percent, or half of all
		return "", Trouble{problem.AmbiguousNumber, "of a hundred or of one"}
	}
	return r.number(bare)
}

// Percents tells what percentages are parts of where they have no sign.
type Percents string

// How percentages are written: 60, or 0.6, or in one column now so and now so.
const (
	OfHundred     Percents = "of_hundred"
	OfOne         Percents = "of_one"
	Either        Percents = "either" // up to 1 of one, else of a hundred
	MixedPercents Percents = "mixed"
)

// WaysOfPercents lists those that can be chosen.
var WaysOfPercents = []Percents{OfHundred, OfOne, Either}

// partOfOne reports whether a canonical number is more than 0 and not more than 1.
func partOfOne(n string) bool {
	whole, part, _ := strings.Cut(n, ".")
	part = strings.Trim(part, "0")
	return whole == "0" && part != "" || whole == "1" && part == ""
}

// PercentOf tells of a text without a percent sign whether it is a number between 0 and 1
// (OfOne), above 1 (OfHundred), or says nothing: 0, 1 and what is no number.
func PercentOf(s string) Percents {
	n := strings.IndexAny(s, ".,")
	whole, part := s, ""
	if n >= 0 {
		whole, part = s[:n], strings.TrimRight(s[n+1:], "0")
	}
	if strings.Trim(whole+part, "0123456789") != "" || len(s) > 12 {
		return ""
	}
	switch whole = strings.TrimLeft(whole, "0"); {
	case whole == "" && part != "":
		return OfOne
	case whole != "" && (whole != "1" || part != ""):
		return OfHundred
	}
	return ""
}

// money reads an amount with or without its currency. It has as many digits
// behind the decimal sign as the field keeps, zeros included.
func (r *Reader) money(s string) (string, Trouble) {
	s, power := scaled(s, true)
	n, t := r.decimal(r.inCents(s, stripCurrency(withoutCents(s))))
	switch {
	case t.Code != "":
	case power > 0: // as the cell itself says
		n, t = r.rounded(times(n, power))
	default:
		if n, t = r.inUnits(n); t.Code == "" {
			n, t = r.rounded(n)
		}
	}
	if whole, _, _ := strings.Cut(strings.TrimPrefix(n, "-"), "."); len(whole) > maxWhole {
		return "", tooLarge()
	}
	if t.Code != "" {
		return "", t
	}
	whole, part, _ := strings.Cut(n, ".")
	return whole + "." + part + strings.Repeat("0", r.field.Digits()-len(part)), Trouble{}
}

// inMills are the currencies with three digits behind the decimal sign (ISO 4217).
var inMills = wordSet("bhd iqd jod kwd lyd omr tnd")

// inCents gives an amount without its currency. Where a currency stood beside it, three digits
// behind a single sign are a group: "38,500 EUR" says no tenth of a cent. The column must not say
// otherwise.
func (r *Reader) inCents(s, amount string) string {
	if len(amount) == len(s) || r.set.DecimalSign != "" || r.field.Digits() > 2 || inMills[Fold(CurrencyIn(s))] ||
		CurrencyIn(s) == "" {
		return amount
	}
	if sign, sure := SignOf(amount); !sure {
		return strings.ReplaceAll(amount, string(sign), "")
	}
	return amount
}

// noCents stands where an amount says that it has no cents: 1.250,– and 1250.-- and 80,=.
var noCents = regexp.MustCompile(`(\d)([.,])[-–—=]{1,2}( |$|\D)`)

// withoutCents takes that off an amount; its comma says that a dot parts groups.
func withoutCents(s string) string {
	if !strings.ContainsAny(s, "-–—=") {
		return s
	}
	m := noCents.FindStringSubmatchIndex(s)
	if m == nil {
		return s
	}
	before, behind := s[:m[3]], s[m[6]:]
	if s[m[4]:m[5]] == "," {
		before = strings.ReplaceAll(before, ".", "")
	} else {
		before = strings.ReplaceAll(before, ",", "")
	}
	return before + behind
}

func tooLarge() Trouble {
	return Trouble{problem.OutOfRange, "at most " + itoa(maxWhole) + " digits before the decimal sign"}
}

// rounded gives a number without zeros at its end, or the trouble that it says
// more than the field keeps.
func (r *Reader) rounded(n string) (string, Trouble) {
	whole, part, _ := strings.Cut(n, ".")
	part = strings.TrimRight(part, "0")
	if keep := r.field.Digits(); len(part) > keep {
		return "", Trouble{problem.TooPrecise, itoa(len(part)) + ", at most " + itoa(keep)}
	}
	if part != "" {
		whole += "." + part
	}
	return whole, Trouble{}
}

// decimal reads a number in any of the usual dresses: grouped by space, dot,
// comma or apostrophe, signed before or behind or in brackets. The result has
// a dot and no groups.
func (r *Reader) decimal(s string) (string, Trouble) {
	bad := Trouble{Code: problem.BadNumber}
	s, power := scaled(s, false)
	if power > 0 {
		n, t := r.decimal(s)
		if n = times(n, power); t.Code == "" && len(strings.TrimPrefix(n, "-")) > maxWhole {
			return "", tooLarge()
		}
		return n, t
	}
	negative := false
	switch {
	case s == "":
		return "", bad
	case s[0] == '(' && s[len(s)-1] == ')':
		negative, s = true, Trim(s[1:len(s)-1])
	case s[0] == '-' || s[0] == '+':
		negative, s = s[0] == '-', Trim(s[1:])
	case strings.HasPrefix(s, "−"):
		negative, s = true, Trim(strings.TrimPrefix(s, "−"))
	case s[len(s)-1] == '-':
		negative, s = true, Trim(s[:len(s)-1])
	}
	sign, t := r.decimalSign(s)
	if t.Code != "" {
		return "", t
	}
	whole, part, ok := splitNumber(s, sign)
	if !ok {
		if e := strings.IndexAny(s, "eE"); e > 0 {
			return r.exponent(s, e, negative)
		}
		return "", bad
	}
	whole = strings.TrimLeft(whole, "0")
	if whole == "" {
		whole = "0"
	}
	if len(whole) > maxWhole {
		return "", tooLarge()
	}
	if negative && (whole != "0" || strings.Trim(part, "0") != "") {
		whole = "-" + whole
	}
	if part != "" {
		whole += "." + part
	}
	return whole, Trouble{}
}

// exponent reads 1.5E3; a number that a spreadsheet program has shortened
// (more digits asked for than written) is damaged.
func (r *Reader) exponent(s string, e int, negative bool) (string, Trouble) {
	power, err := strconv.Atoi(strings.TrimPrefix(s[e+1:], "+"))
	if err != nil || power < -maxWhole {
		return "", Trouble{Code: problem.BadNumber}
	}
	sign, _ := r.decimalSign(s[:e])
	whole, part, ok := splitNumber(s[:e], sign)
	if !ok {
		return "", Trouble{Code: problem.BadNumber}
	}
	if power > maxWhole || power > len(part) && power >= 9 {
		return "", Trouble{Code: problem.DamagedNumber}
	}
	digits := whole + part
	point := len(whole) + power
	for point > len(digits) {
		digits += "0"
	}
	for point < 1 {
		digits, point = "0"+digits, point+1
	}
	text := digits[:point]
	if point < len(digits) {
		text += "." + digits[point:]
	}
	if negative {
		text = "-" + text
	}
	return (&Reader{set: Settings{DecimalSign: "."}}).decimal(text)
}

// decimalSign settles which sign parts the fraction in s: the column's, or what
// the number itself shows.
func (r *Reader) decimalSign(s string) (byte, Trouble) {
	sign, sure := SignOf(s)
	if r.set.DecimalSign != "" {
		// 5,500 boats or dollars are hardly five and a half, whatever one other cell shows.
		coarse := (r.field.Type == catalog.Integer || r.field.Type == catalog.Money) && r.field.Digits() < 3
		if coarse && r.set.Guessed && !sure && sign == r.set.DecimalSign[0] {
			return 0, Trouble{Code: problem.AmbiguousNumber}
		}
		return r.set.DecimalSign[0], Trouble{}
	}
	if !sure {
		return 0, Trouble{Code: problem.AmbiguousNumber}
	}
	return sign, Trouble{}
}

// SignOf tells which decimal sign a number shows by itself. It is not sure of
// one such as 1,250, where a single sign stands before three digits.
func SignOf(s string) (sign byte, sure bool) {
	dots, commas := strings.Count(s, "."), strings.Count(s, ",")
	lastDot, lastComma := strings.LastIndexByte(s, '.'), strings.LastIndexByte(s, ',')
	switch {
	case dots == 0 && commas == 0:
		return '.', true
	case dots > 0 && commas > 0:
		if lastDot > lastComma {
			return '.', true
		}
		return ',', true
	case dots > 1:
		return ',', true
	case commas > 1:
		return '.', true
	}
	at, c := lastDot, byte('.')
	if commas == 1 {
		at, c = lastComma, ','
	}
	behind := 0
	for i := at + 1; i < len(s) && s[i] >= '0' && s[i] <= '9'; i++ {
		behind++
	}
	before := 0
	for i := 0; i < at; i++ {
		if s[i] >= '0' && s[i] <= '9' {
			before++
		}
	}
	if behind == 3 && before >= 1 && before <= 3 && s[0] != '0' {
		return c, false
	}
	return c, true
}

func isGroup(r rune, sign byte) bool {
	switch r {
	case ' ', '\u00a0', '\u202f', '\u2009', '\'', '’', '_':
		return true
	case '.', ',':
		return byte(r) != sign
	}
	return false
}

// splitNumber parts digits before and behind the sign; groups must be of three
// digits (or two, as in 1,00,000).
func splitNumber(s string, sign byte) (whole, part string, ok bool) {
	var w, f []byte
	fraction := false
	run, groups := 0, 0
	for _, c := range s {
		switch {
		case c >= '0' && c <= '9':
			if fraction {
				f = append(f, byte(c))
			} else {
				w = append(w, byte(c))
				run++
			}
		case c == rune(sign) && !fraction:
			if groups > 0 && run != 3 {
				return "", "", false
			}
			fraction = true
		case isGroup(c, sign) && !fraction:
			if run == 0 || run > 3 || groups > 0 && run != 3 && run != 2 {
				return "", "", false
			}
			groups++
			run = 0
		default:
			return "", "", false
		}
	}
	if !fraction && groups > 0 && run != 3 || len(w)+len(f) == 0 || fraction && len(f) == 0 && len(w) == 0 {
		return "", "", false
	}
	return string(w), string(f), true
}

// stripCurrency takes a currency's sign, code or name off either end. Other
// letters stay, so that what is not understood is never passed over: 3.5k is
// not 3.5.
func stripCurrency(s string) string {
	s = Trim(s)
	digit := strings.IndexFunc(s, unicode.IsDigit)
	if digit < 0 {
		return s
	}
	front := strings.TrimRight(s[:digit], "-−(+,.' ")
	if isCurrency(front) {
		s = s[len(front):]
		if len(s) > 1 && s[0] == '.' && !unicode.IsDigit(rune(s[1])) { // the dot of "kr. 640"
			s = s[1:]
		}
		// -€ 12
	} else if i := strings.LastIndexAny(front, "-−(+ "); i >= 0 && isCurrency(front[i+1:]) &&
		strings.Trim(front[:i+1], "-−(+ ") == "" {
		s = front[:i+1] + s[len(front):]
	}
	s = Trim(s)
	last := strings.LastIndexFunc(s, unicode.IsDigit)
	if last < 0 {
		return s
	}
	_, size := utf8.DecodeRuneInString(s[last:])
	head, behind := s[:last+size], s[last+size:]
	closing := ""
	switch trimmed := strings.TrimRight(behind, " \u00a0\u202f"); {
	case strings.HasSuffix(trimmed, ")"):
		closing, behind = ")", strings.TrimSuffix(trimmed, ")")
	case strings.HasSuffix(trimmed, "-"):
		closing, behind = "-", strings.TrimSuffix(trimmed, "-")
	case strings.HasPrefix(trimmed, "-"):
		closing, behind = "-", strings.TrimPrefix(trimmed, "-")
	case strings.HasPrefix(trimmed, ")"):
		closing, behind = ")", strings.TrimPrefix(trimmed, ")")
	}
	if word := Trim(behind); word == "" || isCurrency(word) {
		return Trim(head) + closing
	}
	return s
}

// localMoney are the words and signs that people write beside amounts without
// saying of which country's money they speak.
var localMoney = map[string]bool{}

func init() {
	for w := range strings.FieldsSeq(`kr dkr nkr skr ikr krone kroner krona kronor króna krónur kč kc korun koruna
		ft forint lei leu lv лв din kn kuna tl lira
		rs r руб р грн fr franc francs franken sfr dollar dollars pound pounds zloty złoty zlotys zł zl ευρω ευρώ 円 圓 元 rmb
		a$ au$ c$ ca$ nz$ hk$ s$ nt$ r$ us$`) {
		localMoney[w] = true
	}
}

// isCurrency reports whether a text is a currency's sign, code or name and
// nothing else.
func isCurrency(s string) bool {
	s = strings.Trim(Trim(s), ". \u00a0\u202f")
	if s == "" {
		return false
	}
	if r, n := utf8.DecodeRuneInString(s); n == len(s) && unicode.Is(unicode.Sc, r) || localMoney[strings.ToLower(s)] {
		return true
	}
	_, trouble := new(Reader).currency(s)
	return trouble.Code == ""
}
