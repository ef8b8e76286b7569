package sheet

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// alphabets has, for the encodings of one byte a letter in which Latin text is saved, the
// letters beyond ASCII of the languages that are written in them. The first that fits best is
// taken, so those that are met most often come first.
var alphabets = []struct {
	encoding  string
	languages []string
}{
	{"windows-1252", []string{german, french, spanish, italian, portuguese, dutch, nordic, finnish, icelandic}},
	{"windows-1250", []string{polish, czech, slovak, hungarian, romanian, southSlavic, german}},
	{"iso-8859-2", []string{polish, czech, slovak, hungarian, romanian, southSlavic, german}},
	{"windows-1254", []string{turkish, german, french}},
	{"windows-1257", []string{lithuanian, latvian, finnish, german}},
	{"macintosh", []string{german, french, spanish, italian, portuguese, dutch, nordic, finnish}},
	{"ibm850", []string{german, french, spanish, italian, portuguese, dutch, nordic, finnish}},
	{"ibm852", []string{polish, czech, slovak, hungarian, southSlavic, german}},
}

// Letters beyond ASCII, in lower case (CLDR, main and auxiliary letters that names use).
const (
	german      = "äöüßé"
	french      = "àâçéèêëîïôöùûüœ"
	spanish     = "áéíñóúüçï"
	italian     = "àèéìíòóù"
	portuguese  = "áâãàçéêíóôõúü"
	dutch       = "áéëèïóöüç"
	nordic      = "æøåäöéèü"
	finnish     = "äöõüåšž" // and Estonian
	icelandic   = "áðéíóúýþæö"
	polish      = "ąćęłńóśźż"
	czech       = "áčďéěíňóřšťúůýžö"
	slovak      = "áäčďéíĺľňóôŕšťúýž"
	hungarian   = "áéíóöőúüű"
	romanian    = "ăâîşţșț"
	southSlavic = "čćđšž"
	turkish     = "çğıöşüâîû"
	lithuanian  = "ąčęėįšųūž"
	latvian     = "āčēģīķļņšūž"
)

// longestLook is how many words with letters beyond ASCII are looked at.
const longestLook = 2000

// latinEncoding finds the encoding in which the words of a text that is no UTF-8 are words of
// some language, best all of the same: capitals stand where capitals stand, and no sign
// stands within a word. Lead is how much better it fits than any that reads otherwise, from 0 to 2.
// Latin is false when words with letters beyond ASCII mostly have no other letters.
func latinEncoding(text []byte) (name string, lead float64, latin bool) {
	words, mixed := foreignWords(text)
	if len(words) == 0 || mixed*10 < len(words)*4 {
		return "", 0, false
	}
	best, bestText := -1.0, ""
	type reading struct {
		text string
		fit  float64
	}
	var readings []reading
	joined := strings.Join(words, " ")
	for _, a := range alphabets {
		enc, err := encodingByName(a.encoding)
		if err != nil {
			continue
		}
		decoded, err := enc.NewDecoder().String(joined)
		if err != nil {
			continue
		}
		f := fit(strings.Fields(decoded), a.languages)
		if f > best+1e-9 {
			best, name, bestText = f, a.encoding, decoded
		}
		readings = append(readings, reading{decoded, f})
	}
	lead = best
	for _, r := range readings {
		if r.text != bestText {
			lead = min(lead, best-r.fit)
		}
	}
	return name, lead, true
}

// foreignWords gives the words that have bytes beyond ASCII, and how many of them have
// letters of ASCII too.
func foreignWords(text []byte) (words []string, mixed int) {
	start, high, ascii := -1, false, false
	end := func(at int) {
		if start >= 0 && high && len(words) < longestLook {
			words = append(words, string(text[start:at]))
			if ascii {
				mixed++
			}
		}
		start, high, ascii = -1, false, false
	}
	for i, c := range text {
		letter := c|0x20 >= 'a' && c|0x20 <= 'z'
		if !letter && c < utf8.RuneSelf {
			end(i)
			continue
		}
		if start < 0 {
			start = i
		}
		high, ascii = high || c >= utf8.RuneSelf, ascii || letter
	}
	end(len(text))
	return words, mixed
}

// fit is the share of words that are words of any of the languages, and that of the language
// that has most of them.
func fit(words, languages []string) float64 {
	if len(words) == 0 {
		return 0
	}
	anyOf, of := 0, make([]int, len(languages))
	for _, w := range words {
		odd, ok := lettersOf(w)
		if !ok {
			continue
		}
		fits := false
		for n, l := range languages {
			if strings.Trim(odd, l) == "" {
				of[n]++
				fits = true
			}
		}
		if fits {
			anyOf++
		}
	}
	most := 0
	for _, n := range of {
		most = max(most, n)
	}
	return float64(anyOf+most) / float64(len(words))
}

// lettersOf gives the letters beyond ASCII of a word in lower case; not ok when a sign stands
// within it or a capital behind a small letter. Quotes and dashes may stand about it.
func lettersOf(word string) (odd string, ok bool) {
	word = strings.Trim(word, "“”„‘’‚«»‹›–—…€©®™°·§\u00a0")
	var b strings.Builder
	small, large := 0, 0
	var before rune
	for _, r := range word {
		switch {
		case r == '’' || r == '–' || r == '\u00a0' || r == '·':
			before = 0
			continue
		case !unicode.IsLetter(r):
			return "", false
		case unicode.IsUpper(r):
			if unicode.IsLower(before) && r >= utf8.RuneSelf {
				return "", false
			}
			large++
		default:
			if r >= utf8.RuneSelf && large > 1 && small == 0 && r != 'ß' {
				return "", false // a small letter among capitals
			}
			small++
		}
		if r >= utf8.RuneSelf {
			b.WriteRune(unicode.ToLower(r))
		}
		before = r
	}
	return strings.ReplaceAll(b.String(), "i̇", ""), true
}
