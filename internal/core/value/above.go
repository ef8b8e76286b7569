package value

import (
	"strings"
	"unicode/utf8"

	"uchi/internal/core/catalog"
)

// sameAsAbove are the marks that say of a cell what stands above it, without blanks and in
// small letters.
var sameAsAbove = wordSet(`" '' „ “ ” 〃 ,, -"- –"– —"— ditto dito detto do. d:o idem id. ibid. ibidem sameasabove
	asabove seeabove s.o. sieheoben wieoben
	voirci-dessus ci-dessus verarriba comoarriba vedisopra comesopra zieboven alsboven seovan somovan seovenfor
	somovenfor jakwyżej jw. j.w. j/w dto dto. d.o. wieoben w.o. s.oben siehoben zelfde hetzelfde lomismo lomesmo
	lostesso lemême c.s. -||- -|- -//- -"- ↑ ^ u.a. ua. comoacima veracima
	ωςάνω όπωςπάνω όπωςπαραπάνω ομοίως kutenyllä vizvýše 同上`)

// aboveFirst are the first bytes of such marks; most values are told from them by theirs.
var aboveFirst = func() (first [utf8.RuneSelf]bool) {
	for mark := range sameAsAbove {
		for _, s := range []string{mark, strings.ToUpper(mark), " "} {
			if s[0] < utf8.RuneSelf {
				first[s[0]] = true
			}
		}
	}
	return first
}()

// isAbove reports whether a text is such a mark; initials tells whether it is letters with a dot behind each.
func isAbove(s string) (is, initials bool) {
	if len(s) > 30 || s == "" || s[0] < utf8.RuneSelf && !aboveFirst[s[0]] {
		return false, false
	}
	mark := strings.ToLower(strings.ReplaceAll(s, " ", ""))
	return sameAsAbove[mark], 2*strings.Count(mark, ".") == len(mark)
}

// SameAsAbove reports whether a text of a field is a mark that stands for what the cell above
// holds, as people write it in lists: dito, idem, 〃, s. o. Of given names s. o. and j. w. may be the initials.
func (d *Doubter) SameAsAbove(s string) bool {
	is, initials := isAbove(s)
	return is && !(initials && d.as == catalog.AsGivenName)
}
