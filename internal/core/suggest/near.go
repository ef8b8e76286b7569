package suggest

import (
	"cmp"
	"slices"
	"strings"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
)

// Meant is what a text that cannot be read may have meant.
type Meant struct {
	Text  string // the code
	Label string
	score float64
}

// leastNear is how alike two words must be for one to be offered for the other.
const leastNear = 0.5

// Near gives what a text may have meant for a choice, a country or an e-mail address, at most so
// many, the nearest first. It is for offering, never for taking.
func Near(f catalog.Field, text string, most int) []Meant {
	if f.Type == catalog.Email {
		if meant := value.MeantMailbox(strings.TrimSpace(text)); meant != "" {
			return []Meant{{Text: meant, Label: meant, score: 1}}
		}
		return nil
	}
	said := value.Words(text)
	if said == "" {
		return nil
	}
	best := map[string]Meant{}
	offer := func(code, label, spelling string) {
		w := value.Words(spelling)
		if w == "" || len(w) <= 3 && w != said { // a code is near to too much
			return
		}
		score := nearness(said, w)
		if score < leastNear || score <= best[code].score {
			return
		}
		best[code] = Meant{Text: code, Label: label, score: score}
	}
	for _, c := range f.Choices {
		if c.Closed {
			continue
		}
		for _, w := range append([]string{c.Code, c.Label}, c.Other...) {
			offer(c.Code, c.Label, w)
		}
	}
	if f.Type == catalog.Country {
		for _, c := range value.Countries() {
			for _, w := range c.Names {
				offer(c.Code, c.Label, w)
			}
		}
	}
	list := make([]Meant, 0, len(best))
	for _, m := range best {
		list = append(list, m)
	}
	slices.SortFunc(list, func(a, b Meant) int {
		return cmp.Or(cmp.Compare(b.score, a.score), cmp.Compare(a.Label, b.Label))
	})
	return list[:min(most, len(list))]
}

// Nearness tells how near two texts are in their compared forms: 1 for equal ones,
// 0 for such as have nothing in common.
func Nearness(a, b string) float64 { return nearness(value.Words(a), value.Words(b)) }

// Initials gives the first letters of the words of a name, in small letters.
func Initials(name string) string {
	var b strings.Builder
	for w := range strings.FieldsSeq(value.Words(name)) {
		r, _ := utf8.DecodeRuneInString(w)
		b.WriteRune(r)
	}
	return b.String()
}

// nearness is 1 for equal words and less the more they differ: by letters
// (Damerau–Levenshtein distance over the longer length), with words in any order,
// or by one being a part or the beginning of the other ("Sth Korea", "Korea").
func nearness(a, b string) float64 {
	score := alike(a, b)
	wa, wb := strings.Fields(a), strings.Fields(b)
	// Word by word: how much of the words of the shorter is found in the other.
	if len(wa) > len(wb) {
		wa, wb = wb, wa
	}
	var sum, weight float64
	for _, x := range wa {
		bestWord := 0.0
		for _, y := range wb {
			n := alike(x, y)
			if len(x) >= 3 && (strings.HasPrefix(y, x) || abbreviates(x, y)) {
				n = max(n, 0.8)
			}
			bestWord = max(bestWord, n)
		}
		sum += bestWord * float64(len(x))
		weight += float64(len(x))
	}
	if weight > 0 {
		score = max(score, 0.9*sum/weight-0.05*float64(len(wb)-len(wa)))
	}
	return score
}

// abbreviates reports whether the letters of a stand in b in their order, from
// the first on.
func abbreviates(a, b string) bool {
	if a == "" || b == "" || a[0] != b[0] || len(a) >= len(b) {
		return false
	}
	rest := b
	for i := range len(a) {
		at := strings.IndexByte(rest, a[i])
		if at < 0 {
			return false
		}
		rest = rest[at+1:]
	}
	return true
}

// alike is 1 less the share of letters that differ.
func alike(a, b string) float64 {
	ra, rb := []rune(a), []rune(b)
	longest := max(len(ra), len(rb))
	if longest == 0 {
		return 0
	}
	return 1 - float64(distance(ra, rb))/float64(longest)
}
