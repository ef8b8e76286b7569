package sheet

import (
	"regexp"
	"strings"
	"unicode/utf8"
)

// The shape of a text, letters and figures by what they are, tells what kind of value it may be.

// appendShape writes what a text looks like: letters are a, capitals A, digits 9,
// runs of the same are written once with a +, other characters stand as they are.
func appendShape(b []byte, s string) []byte {
	var last byte
	for i := 0; i < len(s); i++ {
		c := s[i]
		switch {
		case c >= 'a' && c <= 'z':
			c = 'a'
		case c >= 'A' && c <= 'Z':
			c = 'A'
		case c >= '0' && c <= '9':
			c = '9'
		case c >= utf8.RuneSelf:
			if !utf8.RuneStart(c) {
				continue
			}
			c = 'x'
		}
		if c == last {
			if n := len(b); n > 0 && b[n-1] != '+' && (c == 'a' || c == 'A' || c == '9' || c == 'x' || c == ' ') {
				b = append(b, '+')
			}
			continue
		}
		if len(b) >= 22 {
			return append(b[:22], "~"...)
		}
		b = append(b, c)
		last = c
	}
	return b
}

func shapeOf(s string) string { return string(appendShape(nil, s)) }

// classOf says what kind of value a shape stands for.
func classOf(shape string) string {
	s := strings.ReplaceAll(shape, "+", "")
	switch {
	case dayAndTime.MatchString(s):
		return "date"
	case strings.Contains(s, "@") && strings.Contains(s, "."):
		return "email"
	case strings.HasPrefix(s, "aaa://") || strings.HasPrefix(s, "a://") || strings.HasPrefix(s, "a.") &&
		!strings.ContainsAny(s, " 9"):
		return "url"
	}
	figures := strings.Map(func(r rune) rune {
		switch r {
		case '9', '/', '.', '-', ' ', ',', ':', '\'', '(', ')':
			return r
		case 'x', '€', '$', '£', '%':
			return -1
		}
		return '!'
	}, s)
	figures = strings.TrimSpace(figures)
	switch {
	case strings.HasPrefix(shape, "+"):
		return "phone"
	case strings.Contains(figures, "!") || !strings.Contains(figures, "9"):
		if s == "9 a 9" || s == "9. a 9" || s == "9 Aa 9" || s == "9. Aa 9" || s == "9-Aa-9" || s == "9-9-9T9:9:9Z" {
			return "date"
		}
		return "text"
	case strings.HasSuffix(figures, ".9,9"): // 5.580.500,00
		return "number"
	case strings.HasPrefix(figures, "9/9/9") || strings.HasPrefix(figures, "9.9.9") && shape != "9+.9+.9+" ||
		strings.HasPrefix(figures, "9-9-9"):
		return "date"
	case figures == "9.9.9", figures == "9. 9. 9": // as in Czech and Slovak
		return "date"
	case strings.Trim(figures, "9.,-'() ") == "":
		return "number"
	}
	return "text"
}

// dayAndTime is the shape of a day in figures with a weekday before it or a time of day behind it:
// 11/13/2026 02:05 PM, Fr. 13.11.2026, 13-11-2026 kl. 10.30.
var dayAndTime = regexp.MustCompile(`^(?:[Aa]{1,2}[.,]{0,2} 9([/.-])9[/.-]9|9[/.-]9[/.-]9[T,]? ?(?:[^ 9]{1,3} (?:[^ 9]{1,3} )?)?9[:.a]9(?:[:.]9)?(?: ?[Aa]\.?[Aa]?\.?)?)$`)
