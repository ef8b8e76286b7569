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

// SameAsAbove reports whether a text of a field is a mark that stands for what the cell above
// holds, as people write it in lists: dito, idem, 〃, s. o. Of given names s. o. and j. w. may be the initials.
func (d *Doubter) SameAsAbove(s string) bool {
	if len(s) > 30 || s == "" || s[0] < utf8.RuneSelf && !aboveFirst[s[0]] {
		return false
	}
	mark := strings.ToLower(strings.ReplaceAll(s, " ", ""))
	initials := 2*strings.Count(mark, ".") == len(mark)
	return sameAsAbove[mark] && !(initials && d.as == catalog.AsGivenName)
}
