package value

import (
	"errors"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/problem"

	"github.com/nyaruka/phonenumbers"
)

// phoneReader reads phone numbers to E.164. A full parse costs some 17 µs, so
// numbers that already carry a plus and a country code are checked against the
// lengths that are possible for that code, and the last results are kept.
type phoneReader struct {
	lengths map[int]uint32 // country code → bit n: a national number of n digits is possible
	codes   map[int]bool
	seen    map[string]phoneResult
}

type phoneResult struct {
	text    string
	trouble Trouble
}

func newPhoneReader() *phoneReader {
	return &phoneReader{lengths: map[int]uint32{}, codes: phonenumbers.GetSupportedCallingCodes(),
		seen: map[string]phoneResult{}}
}

const phonesKept = 4096

func (p *phoneReader) read(s, country string) (string, Trouble) {
	if e164, ok := p.plain(s); ok {
		return e164, Trouble{}
	}
	key := country + s
	if hit, ok := p.seen[key]; ok {
		return hit.text, hit.trouble
	}
	text, t := readPhone(s, country)
	if len(p.seen) >= phonesKept {
		clear(p.seen)
	}
	p.seen[key] = phoneResult{text, t}
	return text, t
}

// plain takes a number written with a leading + and nothing but digits and the
// usual separators. A bracketed zero, as in +44 (0)20, is left to the full parse.
func (p *phoneReader) plain(s string) (string, bool) {
	if s[0] != '+' || len(s) > 24 {
		return "", false
	}
	var b [17]byte
	b[0] = '+'
	n := 1
	for i := 1; i < len(s); i++ {
		switch c := s[i]; {
		case c >= '0' && c <= '9':
			if n == 16 {
				return "", false
			}
			b[n] = c
			n++
		case c == ' ' || c == '-' || c == '.' || c == '/':
		default:
			return "", false
		}
	}
	code := 0
	for i := 1; i <= 3 && i < n; i++ {
		code = code*10 + int(b[i]-'0')
		if p.codes[code] {
			if code == 39 || b[i+1] == '0' { // Italy keeps its zero, elsewhere it is a slip
				return "", false
			}
			if p.possible(code)&(1<<(n-1-i)) == 0 {
				return "", false
			}
			return string(b[:n]), true
		}
	}
	return "", false
}

// possible asks the metadata once for every length: whether it is possible
// depends on nothing else. Of shorter ones than its numbers have some are.
func (p *phoneReader) possible(code int) uint32 {
	if bits, ok := p.lengths[code]; ok {
		return bits
	}
	var bits uint32
	national, usual := uint64(2), oneLength[phonenumbers.GetRegionCodeForCountryCode(code)]
	for n := 1; n <= 15; n++ {
		c, nat := int32(code), national
		if phonenumbers.IsPossibleNumberWithReason(&phonenumbers.PhoneNumber{CountryCode: &c,
			NationalNumber: &nat}) == phonenumbers.IS_POSSIBLE && n >= usual {
			bits |= 1 << n
		}
		national = national*10 + 2
	}
	p.lengths[code] = bits
	return bits
}

func readPhone(s, country string) (string, Trouble) {
	bad := func(why string) (string, Trouble) { return "", Trouble{problem.BadPhone, why} }
	if e := strings.IndexAny(s, "eE"); e > 0 && e < len(s)-1 && (s[e+1] == '+' || s[e+1] >= '0' && s[e+1] <= '9') &&
		strings.Trim(s[:e], "0123456789.,") == "" {
		return "", Trouble{Code: problem.DamagedNumber}
	}
	if made := strings.TrimSuffix(s, ".0"); len(made) > 6 && strings.Trim(made, "0123456789") == "" {
		s = made // a program has taken it for a number
	}
	if countedUp(s) {
		return bad("its figures are made up")
	}
	s, why := beside(s, country)
	if why != "" {
		return bad(why)
	}
	if strings.HasPrefix(s, "00") {
		s = "+" + s[2:]
	}
	if strings.Count(s, "+") > 1 || severalNumbers(s, country) {
		return "", Trouble{Code: problem.SeveralValues}
	}
	n, err := phonenumbers.Parse(s, country)
	if err == nil && country != "" && !strings.HasPrefix(s, "+") {
		n = withCode(n, s, country)
	}
	if err != nil {
		if country == "" && !strings.HasPrefix(s, "+") && strings.ContainsAny(s, "0123456789") {
			return bad("its country is not known")
		}
		return bad("it cannot be read")
	}
	reason := phonenumbers.IsPossibleNumberWithReason(n)
	// as it is dialled at home, where nothing is dialled before it
	if reason == phonenumbers.TOO_LONG && strings.HasPrefix(s, "+") && strings.Contains(s, "(0)") {
		if short, err := phonenumbers.Parse(strings.Replace(s, "(0)", "", 1), country); err == nil {
			n, reason = short, phonenumbers.IsPossibleNumberWithReason(short)
		}
	}
	switch reason {
	case phonenumbers.IS_POSSIBLE:
		if lacksFigures(n) {
			return bad("it is too short")
		}
		if isLocal(s, n, country) {
			return bad("it has no area code")
		}
		if strings.HasPrefix(s, "0") && phonenumbers.GetNddPrefixForRegion(country, true) == "" &&
			!beginWithZero(country) && !phonenumbers.IsValidNumber(n) {
			return bad("numbers of its country do not begin with 0")
		}
	case phonenumbers.TOO_SHORT:
		return bad("it is too short")
	case phonenumbers.TOO_LONG:
		return bad("it is too long")
	case phonenumbers.INVALID_COUNTRY_CODE:
		return bad("its country code does not exist")
	default:
		return bad("it has the wrong number of digits")
	}
	text := phonenumbers.Format(n, phonenumbers.E164)
	if again, err := phonenumbers.Parse(text, ""); err != nil || phonenumbers.Format(again, phonenumbers.E164) != text {
		return bad("it can be read as two numbers") // zeros too many in front
	}
	if x := n.GetExtension(); x != "" {
		text += ";ext=" + x // RFC 3966
	}
	return text, Trouble{}
}

// beginWithZero reports whether numbers of a country have a 0 in front wherever they are dialled from, as in Italy.
func beginWithZero(country string) bool {
	n := phonenumbers.GetExampleNumber(country)
	return n != nil && n.GetItalianLeadingZero()
}

// oneLength is how many figures all numbers of a region have which people are given, behind its code;
// 0 where they vary, or where it is not listed.
var oneLength = map[string]int{"GB": 10, "FR": 9, "ES": 9, "PL": 9, "PT": 9, "NL": 9, "CH": 9, "CZ": 9, "GR": 10,
	"NO": 8, "DK": 8}

// lacksFigures reports whether a number that nobody can have is shorter than those of its country.
func lacksFigures(n *phonenumbers.PhoneNumber) bool {
	usual := oneLength[phonenumbers.GetRegionCodeForCountryCode(int(n.GetCountryCode()))]
	return len(phonenumbers.GetNationalSignificantNumber(n)) < usual && !phonenumbers.IsValidNumber(n)
}

// isLocal reports whether a number is one that can only be dialled in its own town: as written it begins
// neither with a plus nor with the 0 of its country, and it has no more figures than people's numbers
// have behind the code of their area.
func isLocal(s string, n *phonenumbers.PhoneNumber, country string) bool {
	const most = 7
	if country == "" || strings.HasPrefix(s, "+") || phonenumbers.GetNddPrefixForRegion(country, true) != "0" {
		return false
	}
	if n.GetCountryCode() != int32(phonenumbers.GetCountryCodeForRegion(country)) {
		return false
	}
	dialled := strings.HasPrefix(strings.TrimLeft(s, "( "), "0")
	return len(phonenumbers.GetNationalSignificantNumber(n)) <= most && !dialled
}

// countedUp reports whether a number is typed to fill the cell: 1234567890, 9999999.
func countedUp(s string) bool {
	if len(s) < 6 || strings.Trim(s, "0123456789") != "" {
		return false
	}
	return strings.HasPrefix("123456789012345", s) || strings.HasPrefix("0123456789012345", s) ||
		strings.Trim(s, s[:1]) == ""
}

// lineWords may stand beside a number and say nothing that the field does not; faxWords say
// that it is none for speaking.
var (
	lineWords = wordSet(`tel tele telefon telephone telefoon telefono telefone telef phone ph fon fono t tlf
		tfn puh puhelin
		mobil mobile mob m cell cellphone cellulare cel celular handy movil telemovel gsm natel portable port kom komorka
		direct direkt dir durchwahl office work buro dienstlich geschaftlich zentrale switchboard main
		whatsapp sms diensthandy firmenhandy diensttelefon`)
	faxWords = wordSet("fax telefax telecopie f fx facsimile faks")

	// What stands before the number of an extension, in the languages of the product.
	extension = regexp.MustCompile(`(?i)[\s,;]*(?:extension|extn?\.?|x|#|app\.?|poste|anexo|interno|int\.?|ankn\.?|anknytning|lokal|lok\.|lokalnr\.?|toestel|tst\.?|ramal|r\.|wewn?\.?|w\.|linka|l\.|klapka|mellék|dahili|εσωτ\.?|εσωτερικό|доб\.?|内線)[\s.:=]*(\d{1,6})$`)
	// dialled behind the number
	innerLine = regexp.MustCompile(`(?i)\s*(?:durchwahl|dw\.?|klappe|kl\.)[\s.:]*(\d{1,5})$`)
	// for which the number of an inner line stands
	switchboard = regexp.MustCompile(`\s*[-–/]\s*0$`)
	numbersBy   = regexp.MustCompile(`(?i)[;,\n/|&]|\s(?:or|and|und|oder|et|ou|e|o|y|og|och|en|lub|tai|eller)\s`)
)

// worded reports whether more than figures and signs stands in a telephone number.
func worded(s string) bool {
	return strings.ContainsFunc(s,
		func(r rune) bool { return r == '#' || r >= utf8.RuneSelf || r|0x20 >= 'a' && r|0x20 <= 'z' })
}

const aFax = "it is the number of a fax"

// whatLine tells what the words beside a number say of it: why it is none for speaking, or that
// something else stands there; empty where they say nothing that the field does not.
func whatLine(s string) (why string) {
	spoken := false
	for _, w := range strings.Fields(Words(s)) {
		switch {
		case faxWords[w]:
			why = aFax
		case lineWords[w]:
			spoken = true
		default:
			return "something else stands beside it"
		}
	}
	if spoken { // Tel./Fax
		return ""
	}
	return why
}

// beside takes off a telephone number what may stand before or behind it, such as Tel.; why says what
// else stands beside it. Letters stand for figures in numbers of North America alone, where
// they are capitals; elsewhere they would be dialled in silence: “(priv.)” as 7748.
func beside(s, country string) (number, why string) {
	first := strings.IndexFunc(s, func(r rune) bool { return r >= '0' && r <= '9' || r == '+' || r == '(' })
	if first < 0 {
		return s, ""
	}
	if why := whatLine(s[:first]); why != "" {
		return s, why
	}
	s = s[first:]
	if !worded(s) { // as most are
		return s, ""
	}
	last := strings.LastIndexAny(s, "0123456789") + 1
	if strings.ContainsFunc(s[last:], unicode.IsLetter) {
		switch why := whatLine(s[last:]); why {
		case "":
			s = s[:last]
		case aFax:
			return s, why
		}
	}
	if m := innerLine.FindStringSubmatchIndex(s); m != nil {
		main, inner := strings.TrimRight(s[:m[0]], " ,;"), s[m[2]:]
		s = switchboard.ReplaceAllString(main, "") + "-" + inner
		if n, err := phonenumbers.Parse(s, country); err == nil &&
			phonenumbers.IsPossibleNumberWithReason(n) == phonenumbers.TOO_LONG {
			s = main + ";ext=" + inner // where numbers have one length, it is not dialled behind them
		}
	}
	if m := extension.FindStringSubmatchIndex(s); m != nil && m[0] > 0 {
		s = s[:m[0]] + ";ext=" + s[m[2]:]
	}
	plain := numbersBy.ReplaceAllString(extension.ReplaceAllString(s, ""), " ")
	if strings.IndexFunc(plain, unicode.IsLetter) < 0 {
		return s, ""
	}
	if strings.ToUpper(plain) == plain &&
		(strings.HasPrefix(plain, "+1") || phonenumbers.GetCountryCodeForRegion(country) == 1) {
		return s, ""
	}
	return s, "something else stands beside it"
}

// severalNumbers reports whether a text is more than one telephone number: parts that are
// numbers by themselves, of which the first is whole. “0431 / 39 92 18” is one.
func severalNumbers(s, country string) bool {
	bare := s
	if worded(s) {
		bare = extension.ReplaceAllString(s, "")
	}
	at := numbersBy.FindStringIndex(bare)
	if at == nil {
		return false
	}
	first, rest := s[:at[0]], s[at[1]:]
	if !strings.ContainsAny(rest, "0123456789") {
		return false
	}
	if strings.TrimSpace(s[at[0]:at[1]]) != "/" {
		return true
	}
	if n, err := phonenumbers.Parse(first, country); err == nil && phonenumbers.IsValidNumber(n) {
		return true
	}
	if !strings.Contains(rest, "/") { // one that has too many figures is not understood
		return false
	}
	whole, err := phonenumbers.Parse(strings.ReplaceAll(s, "/", " "), country)
	return errors.Is(err, phonenumbers.ErrNumTooLong) || err == nil &&
		phonenumbers.IsPossibleNumberWithReason(whole) == phonenumbers.TOO_LONG
}

// withCode gives the number that is meant where one of a country was written with the
// country's code and no sign before it: "49 171 1234567". It is that where the country's
// numbers begin with a zero at home, or where it is no number of the country as it stands.
func withCode(n *phonenumbers.PhoneNumber, s, country string) *phonenumbers.PhoneNumber {
	code := strconv.Itoa(int(n.GetCountryCode()))
	plain := phonenumbers.NormalizeDigitsOnly(s)
	if !strings.HasPrefix(plain, code) || phonenumbers.GetNddPrefixForRegion(country, true) == "" &&
		phonenumbers.IsValidNumber(n) {
		return n
	}
	if with, err := phonenumbers.Parse("+"+plain, ""); err == nil && phonenumbers.IsValidNumber(with) &&
		with.GetExtension() == n.GetExtension() {
		return with
	}
	return n
}

// mobiles are what the numbers of mobiles begin with behind the code of a country, where its numbers
// tell.
var mobiles = map[int]string{
	30: "69", 31: "6", 32: "4[5-9]", 33: "[67]", 34: "[67]", 36: "[2357]0|31", 39: "3", 40: "7", 41: "7[5-9]",
	43: "6[5-9]", 44: "7[1-57-9]", 46: "7[02369]", 47: "[49]", 48: "45|5[0137]|6[069]|7[2389]|88", 49: "1[567]",
	61: "4", 64: "2", 81: "[789]0", 90: "5", 351: "9", 353: "8[35-9]", 358: "4|50", 385: "9", 386: "[3-7][01]",
	420: "60|7[2379]", 421: "9",
}

// Mobiles gives two regular expressions for numbers in E.164: of those that are mobiles, and of those of
// countries whose numbers tell whether they are.
func Mobiles() (mobile, told string) {
	var all, codes []string
	for _, code := range slices.Sorted(maps.Keys(mobiles)) {
		all = append(all, strconv.Itoa(code)+"("+mobiles[code]+")")
		codes = append(codes, strconv.Itoa(code))
	}
	return `^[+](` + strings.Join(all, "|") + `)`, `^[+](` + strings.Join(codes, "|") + `)`
}

// MobileShare tells which part of the texts that are telephone numbers of a known plan
// are mobile numbers, between 0 and 1, and how many could be told. Numbers without a
// country are read as those of the country that most others are of, or of home (ISO 3166)
// where none names its own; home may be empty.
func MobileShare(texts []string, home string) (share float64, told int) {
	regions := map[string]int{}
	most := home
	for _, s := range texts {
		n, err := phonenumbers.Parse(s, "")
		if err != nil {
			continue
		}
		r := phonenumbers.GetRegionCodeForNumber(n)
		if regions[r]++; regions[r] > regions[most] {
			most = r
		}
	}
	mobile := 0
	for _, s := range texts {
		n, err := phonenumbers.Parse(s, most)
		if err != nil {
			continue
		}
		switch phonenumbers.GetNumberType(n) {
		case phonenumbers.MOBILE:
			told++
			mobile++
		case phonenumbers.UNKNOWN: // as those that are set aside for stories, or not given out yet
			if begins, ok := mobiles[int(n.GetCountryCode())]; ok && phonenumbers.IsPossibleNumber(n) {
				told++
				if ok, err := regexp.MatchString(`^(`+begins+`)`, phonenumbers.GetNationalSignificantNumber(n)); err == nil && ok {
					mobile++
				}
			}
		case phonenumbers.FIXED_LINE_OR_MOBILE:
		default:
			told++
		}
	}
	return float64(mobile) / float64(max(1, told)), told
}

// PhoneCountry gives the country of a telephone number that is written with its country's code
// (ISO 3166); empty when the number names none.
func PhoneCountry(s string) string {
	if s = Trim(s); strings.HasPrefix(s, "00") {
		s = "+" + s[2:]
	}
	if !strings.HasPrefix(s, "+") {
		return ""
	}
	n, err := phonenumbers.Parse(s, "")
	if err != nil {
		return ""
	}
	if region := phonenumbers.GetRegionCodeForNumber(n); region != "" {
		return region
	}
	return phonenumbers.GetRegionCodeForCountryCode(int(n.GetCountryCode())) // none of its numbers, but of its code
}

// PhoneIn reports whether telephone numbers that name no country can be read as those of a
// country (ISO 3166): one, or several in a cell.
func PhoneIn(s, country string) bool {
	_, trouble := readPhone(Trim(s), country)
	return trouble.Code == "" || trouble.Code == problem.SeveralValues
}

// PhoneOf reports whether a telephone number that names no country is written as one is dialled in a country
// (ISO 3166) in which such numbers are given out.
func PhoneOf(s, country string) bool {
	n, err := phonenumbers.Parse(Trim(s), country)
	return err == nil && phonenumbers.IsValidNumberForRegion(n, country) && DialledAtHome(s, country)
}

// DialledAtHome reports whether a telephone number that names no country is written as it is
// dialled within one (ISO 3166): with the 0, or the like, that stands before numbers there, if
// one does. Countries that are dialled with 1 are not asked for it: nobody writes it.
func DialledAtHome(s, country string) bool {
	before := phonenumbers.GetNddPrefixForRegion(country, true)
	if before == "" || before == "1" {
		return true
	}
	return strings.HasPrefix(strings.TrimLeft(Trim(s), "( "), before)
}
