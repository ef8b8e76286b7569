package textkind

import (
	"hash/fnv"
	"slices"
	"strings"
)

// The table ends with two Bloom filters (Bloom, Space/Time Trade-offs in Hash Coding with
// Allowable Errors, 1970): the words that are given names somewhere, and those that are
// family names. One word in a hundred that is neither is taken for one.
const (
	filterBytes = 1 << 16
	probes      = 3
)

// LearnNames makes the filters from lists of names.
func LearnNames(given, family []string) []byte {
	filters := make([]byte, 2*filterBytes)
	for n, list := range [][]string{given, family} {
		for _, name := range list {
			words := Words(name)
			if len(words) > 1 && n > 0 { // of "van Dam" and "Ortega Ruiz" each word counts but the short ones
				words = slices.DeleteFunc(words, func(w string) bool { return len(w) < 4 })
			}
			for _, w := range words {
				eachProbe(w, func(at uint32) bool {
					filters[n*filterBytes+int(at/8)] |= 1 << (at % 8)
					return true
				})
			}
		}
	}
	return filters
}

func eachProbe(word string, f func(at uint32) bool) bool {
	h := fnv.New64a()
	h.Write([]byte(word)) //nolint:errcheck // never fails
	sum := h.Sum64()
	for n := range uint64(probes) {
		if !f(uint32((sum&0xffffffff + n*(sum>>32|1)) % (filterBytes * 8))) {
			return false
		}
	}
	return true
}

// half is which half of a person's name a word is.
type half struct {
	given, family bool    // as lists have it
	lean          float64 // the logarithm of how much likelier it is a given name by its letters
}

func (h half) onlyGiven() bool  { return h.given && !h.family }
func (h half) onlyFamily() bool { return h.family && !h.given }

// Halves tells the halves of people's names, and keeps what it has told. It is not safe for
// use by several goroutines.
type Halves struct{ told map[string]half }

// halvesKept is how many words are kept.
const halvesKept = 8192

// surely is by how much the letters must speak for one half where the lists know only the
// other word. Of 7,500 names that stand as they should, 5 then seem turned; of those that are
// turned, a third is told.
const surely = 2.0

// Turned reports whether the family name seems to stand first: the first of two words or groups
// of words is a family name and no given name, and the other the reverse. Usual reports that it
// surely stands last. Mostly neither is known.
func (n *Halves) Turned(first, last string) (turned, usual bool) {
	if first == "" || last == "" {
		return false, false
	}
	a, b := n.half(first), n.half(last)
	usual = a.onlyGiven() && !b.onlyGiven() && (b.onlyFamily() || b.lean < -surely) || b.onlyFamily() &&
		!a.onlyFamily() && a.lean > surely
	turned = a.onlyFamily() && !b.onlyFamily() && (b.onlyGiven() || b.lean > surely) || b.onlyGiven() &&
		!a.onlyGiven() && a.lean < -surely
	return turned && !usual, usual && !turned
}

// Given reports whether a word of a text is a given name and no family name.
func (n *Halves) Given(text string) bool {
	return slices.ContainsFunc(strings.Fields(text), func(w string) bool { return n.half(w).onlyGiven() })
}

// Two reports whether a text with a comma is the names of two people, each with a given name in
// front, or each behind: "Paul Martin, Julie Roux" and not "Le Roux, Julie Anne".
func (n *Halves) Two(text string) bool {
	left, right, ok := strings.Cut(text, ",")
	a, b := strings.Fields(left), strings.Fields(right)
	if !ok || len(a) < 2 || len(b) < 2 {
		return false
	}
	given := func(one, other, family, another string) bool {
		x, y := n.half(one), n.half(other)
		return x.given && y.given && (x.onlyGiven() || y.onlyGiven()) && !n.Given(family) && !n.half(another).given
	}
	lastA, lastB := a[len(a)-1], b[len(b)-1]
	return given(a[0], b[0], lastA, lastB) || given(lastA, lastB, a[0], b[0])
}

// OnlyFamily reports whether a name is one that families have, and nobody as a given name.
func (n *Halves) OnlyFamily(name string) bool { return n.half(name).onlyFamily() }

// RatherFamily reports whether a name is one that families alone have, or one of which the letters speak for that.
func (n *Halves) RatherFamily(name string) bool {
	h := n.half(name)
	return h.onlyFamily() || !h.given && h.lean < -surely
}

func (n *Halves) half(name string) half {
	if h, ok := n.told[name]; ok {
		return h
	}
	if n.told == nil {
		n.told = map[string]half{}
	}
	if len(n.told) >= halvesKept {
		clear(n.told)
	}
	var h half
	for _, w := range Words(name) {
		h.given, h.family = h.given || listed(0, w), h.family || listed(1, w)
	}
	features := Features(name)
	for _, f := range features {
		h.lean += float64(tableBytes[int(f)*int(Kinds)+int(Given)]) - float64(tableBytes[int(f)*int(Kinds)+int(Family)])
	}
	h.lean *= step * independent / float64(max(1, len(features)))
	n.told[name] = h
	return h
}

// GivenName reports whether a word, in small letters, is a given name somewhere; one word in a
// hundred that is none is taken for one.
func GivenName(word string) bool { return listed(0, word) }

func listed(filter int, word string) bool {
	filters := tableBytes[buckets*int(Kinds):]
	return eachProbe(word, func(at uint32) bool { return filters[filter*filterBytes+int(at/8)]&(1<<(at%8)) != 0 })
}
