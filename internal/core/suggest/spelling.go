package suggest

import (
	"cmp"
	"iter"
	"maps"
	"slices"
	"strings"
	"sync"
)

// Words of headers that are not in the lexicon as they are written: with a slip, spelt out only in part, or without their vowels.

// byDeletion are all words of the lexicon of five letters and more by what is left of each when
// no letter or one is taken out: two words that are a slip apart have such a rest in common.
var byDeletion = sync.OnceValue(func() map[string][]string {
	list := map[string][]string{}
	seen := map[string]bool{}
	for _, phrase := range slices.Sorted(maps.Keys(lexicon)) {
		for w := range strings.FieldsSeq(phrase) {
			if rs := []rune(w); len(rs) >= 5 && !seen[w] {
				seen[w] = true
				for rest := range deletions(rs) {
					list[rest] = append(list[rest], w)
				}
			}
		}
	}
	return list
})

// deletions gives a word as it is and without each of its letters.
func deletions(word []rune) iter.Seq[string] {
	return func(yield func(string) bool) {
		if !yield(string(word)) {
			return
		}
		rest := make([]rune, len(word)-1)
		for n := range word {
			copy(rest, word[:n])
			copy(rest[n:], word[n+1:])
			if !yield(string(rest)) {
				return
			}
		}
	}
}

// aSlipFrom gives the word of the lexicon that a word is a slip away from: the shortest, and of
// these the first in the alphabet. It is empty where there is none, or the word is of the lexicon.
func aSlipFrom(word []rune) (found string) {
	near := byDeletion()
	for rest := range deletions(word) {
		for _, w := range near[rest] {
			if w == string(word) {
				if _, known := lexicon[w]; known {
					return ""
				}
				continue // it is of a phrase alone
			}
			longer := cmp.Or(cmp.Compare(len([]rune(w)), len([]rune(found))), strings.Compare(w, found)) > 0
			if (found == "" || !longer) && distance(word, []rune(w)) == 1 {
				found = w
			}
		}
	}
	return found
}

// inPhrase are the words of the lexicon's phrases, which mean something together.
var inPhrase = func() map[string]bool {
	words := map[string]bool{}
	for phrase := range lexicon {
		if strings.Contains(phrase, " ") {
			for w := range strings.FieldsSeq(phrase) {
				words[w] = true
			}
		}
	}
	return words
}()

// corrected takes words that mean nothing for the one word that they are a letter away
// from: “Decison maker”, “Adress”. Words of phrases wait until it is known whether the phrase is there.
func corrected(words []string) (out []string, slips int) {
	out = slices.Clone(words)
	for n, w := range words {
		if inPhrase[w] {
			continue
		}
		if long := meantWord(w); long != "" {
			out[n] = long
			slips++
		}
	}
	return out, slips
}

// meantWord gives the word of the lexicon that is meant by one that means nothing: cut, without its vowels, or a
// letter away; empty where there is none.
func meantWord(w string) string {
	rs := []rune(w)
	if len(rs) < 3 || small[w] || compound(w) != nil {
		return ""
	}
	if _, known := lexicon[w]; known {
		return ""
	}
	if long := spelledOut(w); long != "" && len(rs) > 3 {
		return long
	}
	if long := withVowels(w); long != "" {
		return long
	}
	if len(rs) < 5 {
		return ""
	}
	return aSlipFrom(rs)
}

// spelledOut gives a word that a shortened one begins: “Wahrsch”, “Sandsynl”, “Todennäk”.
// All words of the lexicon that begin so must mean the same.
func spelledOut(w string) string {
	words := beginningWith(w)
	if len(words) == 0 {
		return ""
	}
	for _, other := range words[1:] {
		if !slices.Equal(lexicon[other], lexicon[words[0]]) {
			return ""
		}
	}
	return words[0]
}

// bones is a word without its vowels but the first letter, and without doubled letters.
func bones(w string) string {
	var b []rune
	for i, r := range w {
		if i > 0 && (strings.ContainsRune("aeiouyäöüåæøı", r) || b[len(b)-1] == r) {
			continue
		}
		b = append(b, r)
	}
	return string(b)
}

// byBones are the words of the lexicon of four letters and more by their bones.
var byBones = func() map[string][]string {
	list := map[string][]string{}
	for _, w := range lexiconWords {
		if len(w) >= 4 && bones(w) != w {
			list[bones(w)] = append(list[bones(w)], w)
		}
	}
	return list
}()

// withVowels gives the word that one was made of by leaving vowels out: “Plce”, “Addrs”, “Cmpny”.
// All words of the lexicon that it can be must mean the same.
func withVowels(w string) string {
	key := bones(w)
	if len([]rune(key)) < 3 {
		return ""
	}
	found := ""
	for _, long := range byBones[key] {
		switch {
		case len(long) <= len(w) || !within(w, long):
		case found == "":
			found = long
		case !slices.Equal(lexicon[found], lexicon[long]):
			return ""
		}
	}
	return found
}

// within reports whether the letters of a word stand in a longer one in their order.
func within(w, long string) bool {
	for _, r := range w {
		at := strings.IndexRune(long, r)
		if at < 0 {
			return false
		}
		long = long[at+len(string(r)):]
	}
	return true
}
