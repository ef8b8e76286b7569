package value

import (
	"html"
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
)

// Misread tells whether a text was UTF-8 that somebody has decoded as an encoding of
// one byte a character, such as “MÃ¼ller” for “Müller”, or is written for web pages, such as
// “Smith &amp; Sons”, and gives what was meant. Only what reads as UTF-8 as a whole, and as
// letters or marks, counts; ok is false otherwise.
func Misread(s string) (meant string, ok bool) {
	if strings.ContainsAny(s, "&<") {
		if meant, ok := ofWebPages(s); ok {
			return meant, true
		}
	}
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

var (
	// entity is a sign as web pages write it: by name or by number.
	entity = regexp.MustCompile(`&(?:#[0-9]{2,6}|#[xX][0-9a-fA-F]{2,5}|[a-zA-Z]{2,8}[0-9]{0,2});`)
	// tag is one of those that are within texts.
	tag = regexp.MustCompile(`(?i)</?(?:b|i|u|em|strong|small|big|sub|sup|span|font|a|p|br|div|ul|ol|li|h[1-6]|table|tr|td|th)(?:\s[^<>]*)?/?>`)
)

// ofWebPages gives the text of what is written for web pages: its tags and signs.
func ofWebPages(s string) (text string, ok bool) {
	plain := tag.ReplaceAllStringFunc(s, func(t string) string {
		switch t = strings.ToLower(strings.Trim(t, "</> ")); {
		case strings.HasPrefix(t, "b") && t != "br" && t != "big", t == "i", t == "u", t == "em", t == "strong",
			strings.HasPrefix(t, "s"), strings.HasPrefix(t, "font"), t == "a", strings.HasPrefix(t, "a "):
			return "" // within a line
		}
		return " "
	})
	if plain != s {
		plain = strings.Join(strings.Fields(plain), " ")
	}
	plain = entity.ReplaceAllStringFunc(plain, html.UnescapeString)
	return Trim(plain), plain != s && Trim(plain) != ""
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
