package sheet

import "bytes"

// Japanese encodings, by the bytes of their characters (JIS X 0208, appendices of Shift_JIS and EUC-JP;
// RFC 1468 for ISO-2022-JP). General statistics of letters take short sheets in them for Latin or Cyrillic
// ones, whose words are then read as signs without a sense.

// leastPairs is how many characters of two bytes must be seen before a text is called Japanese.
const leastPairs = 3

// japaneseEncoding names the Japanese encoding of a text that is neither ASCII nor UTF-8; empty where it
// is in none, or where that cannot be told.
func japaneseEncoding(sample []byte) string {
	if seen := tellJapanese(sample, eucJP); seen.japanese() && seen.kana*10 >= seen.pairs {
		return "euc-jp"
	}
	if seen := tellJapanese(sample, shiftJIS); seen.japanese() {
		return "shift_jis"
	}
	return ""
}

// escapesJapanese reports whether a text changes to Japanese characters as mails do.
func escapesJapanese(sample []byte) bool {
	return bytes.Contains(sample, []byte("\x1b$B")) || bytes.Contains(sample, []byte("\x1b$@"))
}

// seenPairs counts the characters of two bytes in a text that is read in a Japanese encoding.
type seenPairs struct {
	pairs  int // all of them
	common int // kana, the signs of sentences, and the kanji that are learned at school
	kana   int
	beside int // those that a letter of ASCII touches, as nearly all would in a text in Latin letters
	broken bool
}

func (s seenPairs) japanese() bool {
	return !s.broken && s.pairs >= leastPairs && s.common*10 >= s.pairs*7 && s.beside*10 <= s.pairs*3
}

// character is what a few bytes are in an encoding.
type character int

const (
	noCharacter character = iota
	oneByte               // of ASCII, or a narrow kana
	aKana
	aCommon
	aRare
)

// tellJapanese goes through a text with what tells of two bytes which character they begin, and how many
// of them it takes. The second is 0 at the end.
func tellJapanese(text []byte, tell func(first, second byte) (character, int)) (seen seenPairs) {
	letter := func(i int) bool {
		return i >= 0 && i < len(text) && (text[i]|0x20 >= 'a' && text[i]|0x20 <= 'z')
	}
	before := false // whether a letter of ASCII stands before
	for i := 0; i < len(text); {
		if text[i] < 0x80 {
			before = letter(i)
			i++
			continue
		}
		second := byte(0)
		if i+1 < len(text) {
			second = text[i+1]
		}
		what, n := tell(text[i], second)
		switch {
		case what == noCharacter:
			seen.broken = i+1 < len(text) // the sample may end within a character
			return seen
		case what != oneByte:
			seen.pairs++
			if what != aRare {
				seen.common++
			}
			if what == aKana {
				seen.kana++
			}
			if before || letter(i+n) {
				seen.beside++
			}
		}
		before = false
		i += n
	}
	return seen
}

// shiftJIS tells the characters of Shift_JIS: rows of JIS X 0208 stand in pairs, those of the first level
// of kanji before the second.
func shiftJIS(first, second byte) (character, int) {
	switch {
	case first >= 0xa1 && first <= 0xdf:
		return oneByte, 1
	case first == 0x80 || first == 0xa0 || first > 0xfc, second < 0x40 || second == 0x7f || second > 0xfc:
		return noCharacter, 0
	case first == 0x81 && second <= 0x7e, first >= 0x88 && first <= 0x97:
		return aCommon, 2
	case first == 0x82 && second >= 0x9f, first == 0x83 && second <= 0x96:
		return aKana, 2
	}
	return aRare, 2
}

// eucJP tells the characters of EUC-JP: a row of JIS X 0208 and a place in it, each from 0xa1.
func eucJP(first, second byte) (character, int) {
	switch {
	case first == 0x8e && second >= 0xa1 && second <= 0xdf: // a narrow one
		return aKana, 2
	case first < 0xa1 || second < 0xa1:
		return noCharacter, 0
	case first == 0xa4 || first == 0xa5:
		return aKana, 2
	case first == 0xa1, first >= 0xb0 && first <= 0xcf:
		return aCommon, 2
	}
	return aRare, 2
}
