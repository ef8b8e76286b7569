package value

import (
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// letters that Unicode decomposition leaves whole, with what people type for them.
var plain = map[rune]string{'ß': "ss", 'ø': "o", 'æ': "ae", 'œ': "oe", 'å': "a", 'ł': "l", 'đ': "d",
	'ð': "d", 'þ': "th",
	'ı': "i", 'ς': "σ", '’': "'", '‘': "'", '´': "'", '`': "'", '“': `"`, '”': `"`, '–': "-", '—': "-", '‑': "-"}

// Fold gives the form in which two texts are compared: case, accents and the
// width of characters do not count, runs of space are one space. It is the
// compatibility decomposition of Unicode (UAX 15) without marks, in small
// letters, with the letters that do not decompose spelt out.
func Fold(s string) string {
	ascii, clean := true, true
	space := true // a leading space is unclean too
	for i := 0; i < len(s); i++ {
		c := s[i]
		if c >= utf8.RuneSelf {
			ascii = false
			break
		}
		isSpace := c == ' ' || c < 0x20
		if 'A' <= c && c <= 'Z' || c < 0x20 || isSpace && space {
			clean = false
		}
		space = isSpace
	}
	if ascii {
		if clean && !strings.HasSuffix(s, " ") {
			return s
		}
		return foldASCII(s)
	}
	b := make([]byte, 0, len(s)+8)
	pending := false
	for _, r := range s {
		if r >= usualEnd {
			return foldAny(s)
		}
		plain := usual[r]
		switch {
		case plain == apart:
			return foldAny(s)
		case plain == " ":
			pending = true
			continue
		case plain == "":
			continue
		case pending && len(b) > 0:
			b = append(b, ' ')
		}
		pending = false
		b = append(b, plain...)
	}
	return string(b)
}

// usualEnd is where the letters end that most of Europe writes with (Latin, Greek, Cyrillic), and
// usual what each of them is folded to; a blank is a space, and apart stands for those that are taken
// apart into a space and a mark.
const (
	usualEnd = 0x530
	apart    = "\x00"
)

var usual = func() (to [usualEnd]string) {
	for r := range rune(usualEnd) {
		switch {
		case unicode.IsSpace(r):
			to[r] = " "
		case strings.Contains(norm.NFKD.String(string(r)), " "):
			to[r] = apart
		default:
			to[r] = foldAny(string(r))
		}
	}
	return to
}()

// foldAny folds a text of any letters.
func foldAny(s string) string {
	var b strings.Builder
	b.Grow(len(s))
	pending := false
	for _, r := range norm.NFKD.String(s) {
		if unicode.Is(unicode.Mn, r) && !unicode.Is(unicode.Katakana, r) {
			continue
		}
		if unicode.IsSpace(r) || unicode.Is(unicode.Cf, r) {
			pending = pending || unicode.IsSpace(r)
			continue
		}
		if pending && b.Len() > 0 {
			b.WriteByte(' ')
		}
		pending = false
		r = unicode.ToLower(r)
		if p, ok := plain[r]; ok {
			b.WriteString(p)
			continue
		}
		b.WriteRune(r)
	}
	return b.String()
}

func foldASCII(s string) string {
	b := make([]byte, 0, len(s))
	pending := false
	for i := 0; i < len(s); i++ {
		c := s[i]
		switch {
		case c <= 0x20:
			pending = true
			continue
		case 'A' <= c && c <= 'Z':
			c += 'a' - 'A'
		}
		if pending && len(b) > 0 {
			b = append(b, ' ')
		}
		pending = false
		b = append(b, c)
	}
	return string(b)
}

// Words gives the folded text with everything that is neither letter nor digit
// as one space: the form in which headers and names are compared. Dots within
// a short form vanish, so "B.V." is "bv".
func Words(s string) string {
	s = Fold(s)
	b := make([]byte, 0, len(s))
	pending := false
	for i := 0; i < len(s); {
		r, n := rune(s[i]), 1
		keep := 'a' <= r && r <= 'z' || '0' <= r && r <= '9'
		if r >= utf8.RuneSelf || 'A' <= r && r <= 'Z' {
			r, n = utf8.DecodeRuneInString(s[i:])
			keep = unicode.IsLetter(r) || unicode.IsDigit(r)
		}
		switch {
		case keep:
			if pending && len(b) > 0 {
				b = append(b, ' ')
			}
			pending = false
			b = append(b, s[i:i+n]...)
		case r == '.' || r == '\'':
		default:
			pending = true
		}
		i += n
	}
	if string(b) == s {
		return s
	}
	return string(b)
}

// CommonInCompanies lists words, folded, that many companies have in their names, so that two that share
// one need not be the same.
func CommonInCompanies() []string { return sorted(commonInCompanies) }

var commonInCompanies = wordSet(`marina marine maritime harbour harbor port hafen havn hamn puerto porto haven satama
	limani yacht yachts boat boats bateaux club group gruppe groupe grupo gruppo holding
	hotel hotels service services servicios solutions systems consulting trading shop store works international global
	company co and und et og och en y e i the de del der die das la le les el il du di da of
	nautica nautique nautic sailing charter shipping transport logistik logistics bau handel technik industrie
	industries gesellschaft societe compagnie partner partners`)

// companyForms are the words at the end (or start) of a company's name that say
// its legal form, folded as by Words.
var companyForms = map[string]bool{}

func init() {
	for _, w := range strings.Fields(`ltd limited plc llp llc inc incorporated corp corporation co company gmbh mbh ag
		kg ohg ug ev eg kgaa gbr gesmbh
		sa sas sarl sasu eurl sci sl slu srl srls spa snc bv nv vof cv bvba sprl scrl ab hb kb as asa aps is oy oyj ry ky
		tmi ltda lda unipessoal eirl
		spzoo zoo sp spk spj sro doo jdoo dd ae epe oe ike ee mike kk yk pty pte se sca kft zrt nyrt bt uab sia ou sti
		ood eood ead αε επε οε ικε εε
		ооо зао оао ао пао тов оод еоод еад
		株式会社 有限会社 合同会社 株 有`) {
		companyForms[w] = true
	}
}

// givenNames are legal forms that stand behind a name alone: before it they are a given name, as Mike's
// and Åsa's.
var givenNames = wordSet("mike ike asa ky")

// CompanyForm reports whether a word, folded as by Words, says the legal form of a
// company when it stands at either end of its name.
func CompanyForm(word string) bool { return companyForms[word] }

// CompanyForms lists those words in a stable order.
func CompanyForms() []string { return sorted(companyForms) }

func sorted(words map[string]bool) []string { return slices.Sorted(maps.Keys(words)) }

// SameForms are legal forms that are written in two ways, the longer first.
var SameForms = [][2]string{{"limited", "ltd"}, {"incorporated", "inc"}, {"corporation", "corp"}, {"company", "co"},
	{"sp zoo", "spzoo"}, {"zoo", "spzoo"}, {"oyj", "oy"}, {"mbh", "gmbh"}, {"gesmbh", "gmbh"}, {"ltd sti", "ltd"},
	{"spol s ro", "sro"}, {"s ro", "sro"}}

// NameKey gives the form in which names of companies and people are compared:
// as Words, without the company's legal form at either end and without a
// leading article. A name that consists of nothing else keeps its words.
func NameKey(s string) string {
	w := Words(s)
	if w == "" {
		return Fold(s)
	}
	out := spelt(w)
	for {
		i := strings.LastIndexByte(out, ' ')
		if i < 0 {
			break
		}
		last := out[i+1:]
		if !companyForms[last] && last != "und" && last != "and" {
			break
		}
		out = out[:i]
	}
	if i := strings.IndexByte(out, ' '); i > 0 &&
		(companyForms[out[:i]] && i > 1 && !givenNames[out[:i]] || out[:i] == "the") {
		out = out[i+1:]
	}
	return out
}

// spelt joins the letters of a legal form that is written apart, "a s" and
// "z o o", and parts the Japanese ones that are written onto the name.
func spelt(w string) string {
	if strings.Contains(w, "会社") {
		for _, form := range []string{"株式会社", "有限会社", "合同会社"} {
			w = strings.TrimSpace(strings.Replace(w, form, " "+form+" ", 1))
		}
		w = strings.Join(strings.Fields(w), " ")
	}
	if start, ok := strings.CutSuffix(w, " z oo"); ok {
		return start + " zoo"
	}
	if start, ok := strings.CutSuffix(w, " s ro"); ok { // spol. s r.o.
		return strings.TrimSuffix(start, " spol") + " sro"
	}
	at := len(w)
	for at >= 2 && w[at-2] == ' ' && w[at-1] < utf8.RuneSelf {
		at -= 2
	}
	run := strings.ReplaceAll(w[at:], " ", "")
	if len(run) > 1 && companyForms[run] && at > 0 {
		return w[:at] + " " + run
	}
	return w
}
