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
