package matching

import (
	_ "embed"
	"slices"
	"strings"
	"unicode/utf8"
)

//go:embed nicknames.txt
var nicknamesFile string

// nicknames gives the groups that a given name stands in.
var nicknames = func() map[string][]int16 {
	groups := map[string][]int16{}
	n := int16(0)
	for line := range strings.Lines(nicknamesFile) {
		if strings.HasPrefix(line, "#") {
			continue
		}
		for name := range strings.FieldsSeq(line) {
			name = squeeze(strings.ReplaceAll(name, "-", ""))
			if !slices.Contains(groups[name], n) {
				groups[name] = append(groups[name], n)
			}
		}
		n++
	}
	return groups
}()

// fond reports whether two given names can be one person's by the list of
// short forms.
func fond(a, b string) bool {
	for _, x := range nicknames[a] {
		if slices.Contains(nicknames[b], x) {
			return true
		}
	}
	return false
}

// ShortOf reports whether a given name is a short or fond form of a longer one (Kathi of Katharina), as far
// as the list knows; one letter fewer is another spelling (Anne, Ann).
func ShortOf(short, full string) bool {
	short, full = squeeze(strings.ReplaceAll(Latin(short), " ", "")), squeeze(strings.ReplaceAll(Latin(full), " ", ""))
	return len(full)-len(short) > 1 && fond(short, full)
}

// Words in front of or behind a name that are no part of it.
var addresses = words("mr mrs ms miss mister sir madam herr frau hr fr m mme mlle monsieur madame sr sra srta senor " +
	"senora senorita sig signor signora signorina dott dottssa dr prof professor ing dipl dhr mevr mevrouw meneer " +
	"kapt capt captain kapten rouva herra pan pani kyria kyrios fru frk froken mw bay bayan dna doamna domnul dona mag magister phd msc mba bsc ra dipling kom rev revd lic ir drs esq")

var female = words("mrs ms miss madam frau mme mlle madame sra srta senora senorita signora signorina dottssa " +
	"mevr mevrouw mw rouva pani kyria fru frk froken bayan dna doamna dona")
var male = words("mr mister sir herr hr monsieur m sr senor sig signor dhr meneer pan kyrios herra bay domnul")

// Words that tell a father from a son; the number is the generation.
var generations = map[string]int8{"sr": 1, "sen": 1, "senior": 1, "snr": 1, "pere": 1, "i": 1, "jr": 2, "jun": 2,
	"junior": 2, "jnr": 2, "fils": 2, "hijo": 2, "figlio": 2, "filho": 2, "neto": 3, "ii": 2, "iii": 3, "iv": 4,
	"2nd": 2, "3rd": 3}

var particles = words("van von der den de del della di da dos das du la le ten ter zu zum zur af av bin al el mac y e i the vd do d of")

func words(s string) map[string]bool {
	set := map[string]bool{}
	for w := range strings.FieldsSeq(s) {
		set[w] = true
	}
	return set
}

// person is a person's name made ready for comparison.
type person struct {
	given      []string // small Latin words, umlauts one way
	family     []string // without particles
	generation int8     // 0 unknown, 1 the elder, 2 the younger
	sex        int8     // by the form of address: 0 unknown, 1 male, 2 female
}

func newPerson(honorific, given, family string) person {
	var p person
	for w := range strings.FieldsSeq(Latin(honorific)) {
		p.address(w)
	}
	g, f := strings.Fields(Latin(given)), strings.Fields(Latin(family))
	if len(g) == 0 && len(f) > 1 && !particles[f[0]] { // the whole name in one field
		if last, first, ok := strings.Cut(family, ","); ok {
			g, f = strings.Fields(Latin(first)), strings.Fields(Latin(last))
		} else {
			for len(f) > 1 && addresses[f[0]] {
				p.address(f[0])
				f = f[1:]
			}
			for len(f) > 1 && generations[f[len(f)-1]] > 0 && f[len(f)-1] != "i" {
				p.generation = generations[f[len(f)-1]]
				f = f[:len(f)-1]
			}
			if len(f) > 1 {
				at := len(f) - 1
				for at > 1 && particles[f[at-1]] {
					at--
				}
				g, f = f[:at], f[at:]
			}
		}
	}
	p.given = p.sift(g, false)
	p.family = p.sift(f, true)
	return p
}

func (p *person) address(w string) {
	switch {
	case female[w]:
		p.sex = 2
	case male[w]:
		p.sex = 1
	}
}

// sift takes forms of address, generations and particles out of the words.
func (p *person) sift(list []string, family bool) []string {
	out := make([]string, 0, len(list))
	for n, w := range list {
		if len(list) > 1 {
			if g := generations[w]; g > 0 && n > 0 && w != "i" && (w != "sr" || n == len(list)-1) {
				p.generation = g
				continue
			}
			if n == 0 && addresses[w] {
				p.address(w)
				continue
			}
			if family && particles[w] {
				continue
			}
		}
		out = append(out, squeeze(w))
	}
	if len(out) == 0 {
		for _, w := range list {
			out = append(out, squeeze(w))
		}
	}
	return out
}

func isInitial(w string) bool { return utf8.RuneCountInString(w) == 1 && w[0] < utf8.RuneSelf }

// aside reports whether given names agree only beside the first: Paola Angela
// and Angela can be one, and can be two of a family.
func aside(a, b []string) bool {
	return len(a) > 0 && len(b) > 0 && likeGivenWord(a[0], b[0]) == Differs
}

// crossed reports whether each of two has a given name that the other has not: José Luis and María José are a
// couple, though they share one.
func crossed(a, b []string) bool {
	lacks := func(list []string) func(string) bool {
		return func(w string) bool {
			return !isInitial(w) && !slices.ContainsFunc(list, func(o string) bool { return likeGivenWord(w, o) != Differs })
		}
	}
	return slices.ContainsFunc(a, lacks(b)) && slices.ContainsFunc(b, lacks(a))
}

// likeGiven compares the given names of two people.
func likeGiven(a, b []string) Level {
	if len(a) == 0 || len(b) == 0 {
		return Blank
	}
	if slices.Equal(a, b) {
		return Same
	}
	ja, jb := strings.Join(a, ""), strings.Join(b, "")
	if ja == jb {
		return Same
	}
	if first := likeGivenWord(a[0], b[0]); first != Differs {
		if len(a) > 1 && len(b) > 1 { // a second name that contradicts counts
			return max(first, likeGivenWord(a[1], b[1]))
		}
		if len(a) != len(b) && first == Same {
			return Part
		}
		return first
	}
	if l := likeGivenWord(ja, jb); l != Differs && l != Initial {
		return l
	}
	// Anna Maria and Maria; J. Peter and Peter.
	for i, x := range a {
		for j, y := range b {
			if i+j > 0 && !isInitial(x) && (x == y || fond(x, y)) {
				return Part
			}
		}
	}
	// JP for Jean Pierre.
	if initials(a) == jb || initials(b) == ja {
		return Initial
	}
	return Differs
}

func initials(list []string) string {
	var s string
	for _, w := range list {
		_, n := utf8.DecodeRuneInString(w)
		s += w[:n]
	}
	return s
}

func likeGivenWord(x, y string) Level {
	switch {
	case x == y:
		return Same
	case isInitial(x) || isInitial(y):
		if x[0] == y[0] {
			return Initial
		}
		return Differs
	case fond(x, y):
		return Alternative
	case twoNames(x, y):
		return loosely(x, y)
	case near(x, y):
		return Near
	case soundsNear(x, y):
		return Near
	case min(len(x), len(y)) >= 3 && (strings.HasPrefix(x, y) || strings.HasPrefix(y, x)):
		return Alternative
	}
	return loosely(x, y)
}

// misread are letters that a machine reads for others, or a hurried person writes
// for them.
var misread = strings.NewReplacer("0", "o", "1", "l", "5", "s", "8", "b", "rn", "m", "cl", "d", "ri", "n", "vv", "w",
	"ii", "u", "li", "h", "i", "l", "j", "l")

// loosely tells whether two words that are no slip apart still look like one
// another: one letter of a short one, two of a longer one, letters badly read, or
// the same sound behind another beginning.
func loosely(x, y string) Level {
	n := min(utf8.RuneCountInString(x), utf8.RuneCountInString(y))
	most := 0
	switch {
	case n >= 5:
		most = 2
	case n >= 2:
		most = 1
	}
	switch {
	case most > 0 && distance(x, y, most) <= most:
		return Loose
	case n >= 3 && mayMisread(x, y) && distance(misread.Replace(x), misread.Replace(y), 1) <= 1:
		return Loose
	case n >= 4 && maySound(x, y) && len(sound(x)) > 2 && sound(x) == sound(y):
		return Loose
	}
	return Differs
}

// soundsNear reports whether two words sound alike and are few letters apart.
func soundsNear(x, y string) bool {
	return len(x) >= 4 && len(y) >= 4 && maySound(x, y) && distance(x, y, 3) <= 3 && sound(x) == sound(y)
}

// Most pairs of words are nothing like each other, which is seen before their sounds and their
// misreadings are made, by letters that stay what they are.

// readRight are letters that nobody reads for others.
const readRight = "aefgkpqtxyz"

// mayMisread reports whether two words may be a letter apart as misread has them: of the letters
// that stay they can differ in two, one for another.
func mayMisread(x, y string) bool {
	var n ['z' + 1]int8
	for i := range len(x) {
		if x[i] > 'z' {
			return true
		}
		n[x[i]]++
	}
	for i := range len(y) {
		if y[i] > 'z' {
			return true
		}
		n[y[i]]--
	}
	apart := 0
	for i := range len(readRight) {
		c := int(n[readRight[i]])
		apart += max(c, -c)
	}
	return apart <= 2
}

// maySound reports whether two words may sound alike: they have the same of the letters that are
// one sound and no part of another.
func maySound(x, y string) bool {
	var has [2]uint8
	for side, w := range []string{x, y} {
		for i := range len(w) {
			switch c := w[i]; {
			case c >= utf8.RuneSelf:
				return true
			case c == 'l':
				has[side] |= 1
			case c == 'm':
				has[side] |= 2
			case c == 'n':
				has[side] |= 4
			case c == 'r':
				has[side] |= 8
			case c == 'b':
				has[side] |= 16
			}
		}
	}
	return has[0] == has[1]
}

// twoNames are given names that a slip of typing seems to part but that are
// names of their own: of a woman and a man, of a sister and a sister. The sign
// is a known name on both sides that share no group.
func twoNames(x, y string) bool {
	if len(x) > len(y) {
		x, y = y, x
	}
	if y == x+"a" || y == x+"e" { // Hendrik and Hendrika, François and Françoise
		return true
	}
	return len(nicknames[x]) > 0 && len(nicknames[y]) > 0 && !fond(x, y)
}

// likeFamily compares the family names of two people.
func likeFamily(a, b []string) Level {
	if len(a) == 0 || len(b) == 0 {
		return Blank
	}
	ja, jb := strings.Join(a, ""), strings.Join(b, "")
	switch {
	case ja == jb:
		return Same
	case near(ja, jb), soundsNear(ja, jb):
		return Near
	}
	if len(a) != len(b) { // Berg and Berg-Li, García and García López
		for _, x := range a {
			for _, y := range b {
				if len(x) > 2 && (x == y || near(x, y) && len(x) > 5) {
					return Part
				}
			}
		}
	}
	if (isInitial(ja) || isInitial(jb)) && ja[0] == jb[0] {
		return Initial
	}
	// cut short, as in Roßbich of Roßbichler
	if n := min(len(ja), len(jb)); n > 5 && len(ja) != len(jb) && ja[:n] == jb[:n] {
		return Part
	}
	return loosely(ja, jb)
}
