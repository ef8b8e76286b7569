package value

import (
	"regexp"
	"strings"
)

// Postal codes as they stand before a town, or behind it: figures with letters, in one
// group or two, perhaps behind the code of a country.
var (
	codeBefore = regexp.MustCompile(`^((?:[A-Z]{1,3}[- ])?(?:\d{4} ?[A-Z]{2}\b|\d{2}-\d{3}|\d{3,6}(?:[- ]\d{2,4})?|[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}))[ ,]+(\p{L}.*)$`)
	codeBehind = regexp.MustCompile(`^(\p{L}.*?)[ ,]+(\d{4,6}(?:-\d{3,4})?|\d{3} \d{2}|\d{4} ?[A-Z]{2}|[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}|[A-Z]\d[A-Z] ?\d[A-Z]\d)$`)
)

// codeAlone are codes that look like one with a town: those of the Netherlands, and the
// French ones of large receivers.
var codeAlone = regexp.MustCompile(`(?i)^(?:\d{4} [a-z]{2}|\d{5} cedex(?: \d{1,2})?)$`)

// SplitTown parts a postal code and a town that stand together: "8010 Graz",
// "1012 AB Amsterdam", "London SW1A 1AA". Both are empty when they do not.
func SplitTown(s string) (code, town string) {
	s = strings.Join(strings.Fields(s), " ")
	if codeAlone.MatchString(s) {
		return "", ""
	}
	if m := codeBefore.FindStringSubmatch(s); m != nil {
		return m[1], m[2]
	}
	if m := codeBehind.FindStringSubmatch(s); m != nil {
		return m[2], strings.TrimRight(m[1], ", ")
	}
	return "", ""
}

// Where a postal code with its town begins behind a street in one piece: "Am Hafen 3 17493
// Greifswald"; the street ends with a number.
var (
	inOnePiece = regexp.MustCompile(`^(\pL.*\d ?[a-zA-Z]?)[ ,]+((?:[A-Z]{1,2}-)?\d{4,5}(?: [A-Z]{2})? \pL.*)$`)
	loneCode   = regexp.MustCompile(`^(?:[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}|(?:[A-Z]{1,2}-)?\d{4,6})$`)
)

// SplitAddress parts a whole address in one cell, by lines, commas or semicolons: "Am Hafen 3,
// 17493 Greifswald", "4 Quay Road, Anchorby, AB1 2CD". A country at its end is left out. It is
// not ok where no postal code with a town stands behind something else.
func SplitAddress(s string) (street, code, town string, ok bool) {
	parts := strings.FieldsFunc(s, func(r rune) bool { return r == '\n' || r == ',' || r == ';' || r == '|' })
	n := 0
	for _, p := range parts {
		if p = strings.TrimSpace(p); p != "" {
			parts[n], n = p, n+1
		}
	}
	parts = parts[:n]
	if n == 1 {
		if m := inOnePiece.FindStringSubmatch(parts[0]); m != nil {
			parts, n = []string{m[1], m[2]}, 2
		}
	}
	for _, last := range []int{n - 1, n - 2} { // behind the town may stand the country
		switch {
		case last < 1 || last < n-1 && strings.ContainsAny(parts[n-1], "0123456789"):
			continue
		case loneCode.MatchString(parts[last]) && last >= 2 && !strings.ContainsAny(parts[last-1], "0123456789"):
			return strings.Join(parts[:last-1], ", "), parts[last], parts[last-1], true
		}
		// A town of two capitals is the state behind it, for which there is no place.
		if code, town = SplitTown(parts[last]); code != "" && (len(town) > 2 || strings.ToUpper(town) != town) {
			return strings.Join(parts[:last], ", "), code, town, true
		}
	}
	return "", "", "", false
}
