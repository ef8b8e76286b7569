package value

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
)

// Misread tells whether a text was UTF-8 that somebody has decoded as an encoding of
// one byte a character, such as “MÃ¼ller” for “Müller”, and gives what was meant. Only
// what reads as UTF-8 as a whole, and as letters or marks, counts; ok is false otherwise.
func Misread(s string) (meant string, ok bool) {
	if !suspicious(s) {
		return "", false
	}
	for _, page := range []*charmap.Charmap{charmap.Windows1252, charmap.Windows1250} {
		b := make([]byte, 0, len(s))
		fits, marks := true, page == charmap.Windows1252
		for _, r := range s {
			c, has := page.EncodeRune(r)
			if !has && r >= 0x80 && r <= 0x9f { // decoders leave what a page does not use as it is
				c, has = byte(r), true
			}
			if !has {
				fits = false
				break
			}
			if c >= 0x80 && c < 0xc0 && !unicode.IsLetter(r) {
				marks = true // in Central European letters stand behind each other
			}
			b = append(b, c)
		}
		if !fits || !marks || !utf8.Valid(b) || !readable(string(b)) {
			continue
		}
		return string(b), true
	}
	return "", false
}

// suspicious tells whether a text has a letter that begins such a sequence with what
// can stand behind it.
func suspicious(s string) bool {
	at := 0
	for at < len(s) && s[at] < utf8.RuneSelf {
		at++
	}
	before := rune(0)
	for _, r := range s[at:] {
		if r >= 0x80 && strings.ContainsRune("ÂÃÄÅÆÇÈÉÊËÌÍÎÏÐÑâĂĹĂÎ", before) {
			return true
		}
		before = r
	}
	return false
}

// readable tells whether the characters beyond ASCII are such as people write.
func readable(s string) bool {
	for _, r := range s {
		if r >= 0x80 && !unicode.IsLetter(r) && !unicode.IsPunct(r) && !unicode.IsSymbol(r) && r != '\u00a0' {
			return false
		}
	}
	return true
}
