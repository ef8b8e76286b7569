package matching

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/value"
)

// Greek letters as people write them in Latin ones (after ELOT 743, ISO 843
// type 2), pairs first.
var greek = strings.NewReplacer("ου", "ou", "αι", "e", "ει", "i", "οι", "i", "μπ", "b", "ντ", "nt", "γκ", "gk", "γγ",
	"ng", "τσ", "ts", "τζ", "tz", "αυ", "av", "ευ", "ev",
	"α", "a", "β", "v", "γ", "g", "δ", "d", "ε", "e", "ζ", "z", "η", "i", "θ", "th", "ι", "i", "κ", "k", "λ", "l",
	"μ", "m", "ν", "n", "ξ", "x", "ο", "o", "π", "p", "ρ", "r",
	"σ", "s", "ς", "s", "τ", "t", "υ", "y", "φ", "f", "χ", "ch", "ψ", "ps", "ω", "o")

// Cyrillic letters in Latin ones (after BGN/PCGN, without signs).
var cyrillic = strings.NewReplacer("а", "a", "б", "b", "в", "v", "г", "g", "д", "d", "е", "e", "ж", "zh", "з",
	"z", "и", "i", "й", "y", "к", "k", "л", "l", "м", "m", "н", "n",
	"о", "o", "п", "p", "р", "r", "с", "s", "т", "t", "у", "u", "ф", "f", "х", "kh", "ц", "ts", "ч", "ch", "ш", "sh",
	"щ", "shch", "ъ", "", "ы", "y", "ь", "", "э", "e", "ю", "yu",
	"я", "ya", "і", "i", "ї", "i", "є", "ye", "ґ", "g", "ђ", "dj", "љ", "lj", "њ", "nj", "ћ", "c", "џ", "dz", "ј", "j")

// Latin gives the words of a name in small Latin letters without marks: accents
// fall away, Greek and Cyrillic are written as people spell them, other scripts
// stay. Apostrophes vanish and every other mark is a space.
func Latin(s string) string {
	s = value.Words(s)
	for i := 0; i < len(s); i++ {
		if s[i] < utf8.RuneSelf {
			continue
		}
		for _, r := range s[i:] {
			switch {
			case unicode.Is(unicode.Greek, r):
				return cyrillic.Replace(greek.Replace(s))
			case unicode.Is(unicode.Cyrillic, r):
				return cyrillic.Replace(s)
			}
		}
		break
	}
	return s
}

// squeeze makes the two habits of spelling umlauts and long vowels one:
// "mueller" and "muller", "kjaer" and "kjar", "aaberg" and "aberg".
func squeeze(w string) string {
	for i := 1; i < len(w); i++ {
		if _, ok := squeezed2(w[i-1], w[i]); ok {
			return squeezeFrom(w, i-1)
		}
	}
	return w
}

// squeezed2 gives the one letter that stands for two.
func squeezed2(a, b byte) (byte, bool) {
	switch {
	case b == 'e' && (a == 'a' || a == 'o' || a == 'u'), a == 'a' && b == 'a':
		return a, true
	case a == 'i' && b == 'j':
		return 'y', true
	}
	return 0, false
}

func squeezeFrom(w string, at int) string {
	b := append(make([]byte, 0, len(w)), w[:at]...)
	for i := at; i < len(w); i++ {
		if i+1 < len(w) {
			if c, ok := squeezed2(w[i], w[i+1]); ok {
				b = append(b, c)
				i++
				continue
			}
		}
		b = append(b, w[i])
	}
	return string(b)
}

var sounds = strings.NewReplacer("sch", "s", "tsch", "c", "sz", "s", "sh", "s", "ch", "k", "ck", "k", "cz",
	"c", "th", "t", "ph", "f", "pf", "f", "kh", "k", "gh", "g", "dt", "t", "tz", "z",
	"qu", "kv", "x", "ks", "w", "v", "q", "k", "c", "k", "z", "s", "y", "i", "j", "i")

// sound gives a key that spellings of one name mostly share, in the manner of
// Soundex (Odell and Russell, 1918) but for the letters of many European
// languages: consonants alike are one, vowels count only in front, doubled
// letters are one. Words in other scripts stand for themselves.
func sound(w string) string {
	w = sounds.Replace(squeeze(w))
	b := make([]byte, 0, len(w))
	last := byte(0)
	for i := 0; i < len(w); i++ {
		c := w[i]
		if c >= utf8.RuneSelf {
			return w
		}
		if c == last {
			continue
		}
		last = c
		switch c {
		case 'a', 'e', 'i', 'o', 'u':
			if i == 0 {
				b = append(b, 'a')
			}
		case 'h':
			if i == 0 {
				b = append(b, 'h')
			}
		default:
			if len(b) == 0 || b[len(b)-1] != c {
				b = append(b, c)
			}
		}
	}
	return string(b)
}

// distance is the number of typing slips between two words: letters put in,
// left out, changed, or two neighbours swapped (optimal string alignment,
// Damerau 1964). It stops counting beyond most.
func distance(a, b string, most int) int {
	if a == b {
		return 0
	}
	var runes [2][64]rune
	x, y := letters(a, runes[0][:0]), letters(b, runes[1][:0])
	if len(x)-len(y) > most || len(y)-len(x) > most {
		return most + 1
	}
	var buf [3][64]int
	rows := [3][]int{buf[0][:], buf[1][:], buf[2][:]}
	if len(y) >= 64 {
		for i := range rows {
			rows[i] = make([]int, len(y)+1)
		}
	}
	before, prev, cur := rows[0], rows[1], rows[2]
	for j := 0; j <= len(y); j++ {
		prev[j] = j
	}
	for i := 1; i <= len(x); i++ {
		cur[0] = i
		best := i
		for j := 1; j <= len(y); j++ {
			cost := 1
			if x[i-1] == y[j-1] {
				cost = 0
			}
			d := min(prev[j]+1, cur[j-1]+1, prev[j-1]+cost)
			if i > 1 && j > 1 && x[i-1] == y[j-2] && x[i-2] == y[j-1] {
				d = min(d, before[j-2]+1)
			}
			cur[j] = d
			best = min(best, d)
		}
		if best > most {
			return most + 1
		}
		before, prev, cur = prev, cur, before
	}
	return prev[len(y)]
}

func letters(s string, into []rune) []rune {
	for _, r := range s {
		into = append(into, r)
	}
	return into
}

// slips is how many typing slips still leave two words alike: none in short
// ones, one from four letters, two from eight.
func slips(a, b string) int {
	switch n := min(utf8.RuneCountInString(a), utf8.RuneCountInString(b)); {
	case n < 4:
		return 0
	case n < 8:
		return 1
	}
	return 2
}

// near reports whether two words differ by no more than slips of typing. Two
// slips, one of them in the first letter, make another word.
func near(a, b string) bool {
	most := slips(a, b)
	if most == 0 {
		return false
	}
	d := distance(a, b, most)
	return d <= 1 || d <= most && a[0] == b[0]
}
