package value

import "strings"

// FormulaSigns begin what a spreadsheet program takes for a formula, or for a
// number that it writes without its plus.
const FormulaSigns = "=+-@\t\r"

// Guard puts an apostrophe before a text that a spreadsheet program would take for a
// formula, or would change, when it reads it as CSV; numbers stay as they are. Unguard
// takes it away again.
func Guard(s string) string {
	if s == "" || !strings.ContainsRune(FormulaSigns, rune(s[0])) {
		return s
	}
	if s[0] == '-' && strings.Trim(s[1:], "0123456789.") == "" && len(s) > 1 {
		return s
	}
	return "'" + s
}

// Unguard takes away what keeps spreadsheet programs from changing a text: the apostrophe before
// what would be a formula, as Guard or a person has put it there, or before figures ('00124), and
// the formula that is a text and no more (="00124").
func Unguard(s string) string {
	switch {
	case len(s) < 2:
	case s[0] == '\'' && (strings.ContainsRune(FormulaSigns, rune(s[1])) || len(s) > 3 &&
		strings.Trim(s[1:], "0123456789 ()./-") == "" && s[1] != ' '):
		return s[1:]
	case len(s) > 3 && s[0] == '=' && s[1] == '"' && s[len(s)-1] == '"':
		inner := s[2 : len(s)-1]
		if strings.Count(strings.ReplaceAll(inner, `""`, ""), `"`) == 0 { // else it is more than a text
			return strings.ReplaceAll(inner, `""`, `"`)
		}
	}
	return s
}
