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

// Unguard takes away the apostrophe before what would be a formula, as Guard or a
// person has put it there.
func Unguard(s string) string {
	if len(s) > 1 && s[0] == '\'' && strings.ContainsRune(FormulaSigns, rune(s[1])) {
		return s[1:]
	}
	return s
}
