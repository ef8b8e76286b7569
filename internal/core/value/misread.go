package value

import (
	"encoding/base64"
	"encoding/hex"
	"html"
	"regexp"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/unicode/norm"
)

// Misread tells whether a text was UTF-8 that somebody has decoded as an encoding of
// one byte a character, such as “MÃ¼ller” for “Müller”, or is written for web pages, such as
// “Smith &amp; Sons”, or for mails and programs, such as “M=C3=BCller”, and gives what was meant.
// Only what reads as UTF-8 as a whole, and as
// letters or marks, counts; ok is false otherwise.
func Misread(s string) (meant string, ok bool) {
	if strings.IndexByte(s, '&') >= 0 || strings.IndexByte(s, '<') >= 0 {
		if meant, ok := ofWebPages(s); ok {
			return meant, true
		}
	}
	if mayBeEscaped(s) {
		if meant, ok := ofPrograms(s); ok {
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

// The ways in which letters beyond ASCII are written where only ASCII may stand, each behind a letter:
// in mails (RFC 2045, quoted-printable; RFC 2152, UTF-7), in addresses (RFC 3986), and in the texts of programs.
var (
	inBytes = regexp.MustCompile(`(\pL)((?:=[0-9A-F]{2})+|(?:%[0-9a-fA-F]{2})+)(\pL?)`)
	inDigit = regexp.MustCompile(`\\u([0-9a-fA-F]{4})|<U\+([0-9A-F]{4})>`)
	inUTF7  = regexp.MustCompile(`\+A([KLMNOP][0-9A-Za-z+/])-`)
	// parted is a vowel with the two dots that belong onto it behind it.
	parted = regexp.MustCompile(`([aeiouAEIOU])¨(\pL)`)
)

// mayBeEscaped tells most texts, by their bytes, from those that may be written so.
func mayBeEscaped(s string) bool {
	for i := 1; i < len(s)-1; i++ {
		switch s[i] {
		case '=', '%', '\\', '<':
			return true
		case '+':
			if s[i+1] == 'A' {
				return true
			}
		case 0xc2:
			if s[i+1] == 0xa8 { // ¨
				return true
			}
		}
	}
	return false
}

// ofPrograms gives the text of what is written so. An address on the web is no text.
func ofPrograms(s string) (text string, ok bool) {
	if strings.Contains(s, "://") || strings.HasPrefix(s, "www.") {
		return "", false
	}
	text = s
	for range 2 { // a letter between two of them is behind the first and before the second
		text = inBytes.ReplaceAllStringFunc(text, func(m string) string {
			p := inBytes.FindStringSubmatch(m)
			b, err := hex.DecodeString(strings.NewReplacer("=", "", "%", "").Replace(p[2]))
			switch {
			case err != nil || b[0] < utf8.RuneSelf:
			case utf8.Valid(b) && readable(string(b)):
				return p[1] + string(b) + p[3]
			case len(b) == 1 && p[3] != "" && unicode.IsLetter(charmap.Windows1252.DecodeByte(b[0])):
				return p[1] + string(charmap.Windows1252.DecodeByte(b[0])) + p[3]
			}
			return m
		})
	}
	text = inDigit.ReplaceAllStringFunc(text, func(m string) string {
		n, _ := strconv.ParseUint(strings.Trim(m, `\u<U+>`), 16, 16)
		if r := rune(n); unicode.IsLetter(r) && r >= utf8.RuneSelf {
			return string(r)
		}
		return m
	})
	text = inUTF7.ReplaceAllStringFunc(text, func(m string) string {
		b, err := base64.RawStdEncoding.DecodeString(m[1 : len(m)-1])
		if err != nil || len(b) < 2 {
			return m
		}
		return string(rune(b[0])<<8 | rune(b[1]))
	})
	text = norm.NFC.String(parted.ReplaceAllString(text, "$1\u0308$2"))
	return text, norm.NFC.String(s) != text
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
