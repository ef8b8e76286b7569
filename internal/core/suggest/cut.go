package suggest

import (
	"cmp"
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
)

// Words that are cut short, of which several words of the lexicon may be meant: what most of these mean counts.

// cutWords are the words of a header with the sign behind each: a dot says that a word is cut there.
var cutWords = regexp.MustCompile(`([\pL\pM]+)([^\pL\pM]*)`)

// reading is what cut words can mean, with the share of the lexicon's words that say so.
type reading struct {
	concepts []string
	share    float64
}

// shortened gives what a header can mean of which words are cut (“Slag.kans”, “Teht.nim.”, “Πιθ.”) or
// drawn together (“W'keit”, “Wahrsch.keit”) so that several words of the lexicon begin like them. It
// says nothing where no word is, or where one is of no word's beginning. Marked is that a sign shows
// that the words are cut.
func shortened(header string) (readings []reading, marked bool) {
	if !strings.Contains(header, ".") { // which would be taken for that of a path
		header = splitCapitals(header)
	}
	found := cutWords.FindAllStringSubmatch(header, -1)
	readings, any := []reading{{share: 1}}, false
	marked = true
	for n := 0; n < len(found); n++ {
		w, dot := value.Words(found[n][1]), strings.HasPrefix(found[n][2], ".")
		var means map[string]float64
		if n+1 < len(found) && drawing[found[n][2]] {
			if means = wordsThat(w, value.Words(found[n+1][1])); len(means) > 0 {
				any = true
				n++
			}
		}
		if len(means) == 0 {
			concepts, known := lexicon[w]
			switch {
			case small[w]:
				continue
			case known:
				means = map[string]float64{}
				for _, c := range concepts {
					means[c] = 1 / float64(len(concepts))
				}
			case saysNothing[w] && !dot: // Col5
			case len([]rune(w)) > 2 || dot && len([]rune(w)) == 2:
				means, any, marked = wordsThat(w, ""), true, marked && dot
			}
		}
		if len(means) == 0 {
			return nil, false
		}
		readings = with(readings, means)
	}
	if !any {
		return nil, false
	}
	return readings, marked
}

// drawing are the signs that stand where the middle of a word is left out.
var drawing = map[string]bool{"'": true, "’": true, ".": true, ":": true, "-": true, "/": true}

// wordsThat gives what the words of the lexicon mean that begin, and end, so; each with its share.
func wordsThat(begin, end string) map[string]float64 {
	const leftOut = 3 // letters at least, where an end is given
	shares, all := map[string]float64{}, 0.0
	for _, w := range beginningWith(begin) {
		if end != "" && (!strings.HasSuffix(w, end) || len([]rune(w)) < len([]rune(begin+end))+leftOut) {
			continue
		}
		for _, c := range lexicon[w] {
			shares[c] += 1 / float64(len(lexicon[w]))
		}
		all++
	}
	for c := range shares {
		shares[c] /= all
	}
	return shares
}

// with gives each reading with each of what another word can mean; the likeliest alone where there
// are very many.
func with(readings []reading, means map[string]float64) (next []reading) {
	for _, r := range readings {
		for c, share := range means {
			next = append(next, reading{slices.Compact(slices.Sorted(slices.Values(
				slices.Concat(r.concepts, strings.Split(c, "+"))))), r.share * share})
		}
	}
	slices.SortFunc(next, func(a, b reading) int {
		return cmp.Or(cmp.Compare(b.share, a.share), slices.Compare(a.concepts, b.concepts))
	})
	return next[:min(len(next), mostReadings)]
}

// shortenedScores tells how well cut words say each field: nearly as well as whole ones where nearly all
// that they can mean says it and a sign shows that they are cut, else the cells must agree.
func shortenedScores(t, header string, fields []catalog.Field) []float64 {
	const (
		nearlyAll = 0.75 // of what the words can mean
		few       = 0.15
		surely    = 0.92
		likely    = 0.72
	)
	scores := make([]float64, len(fields))
	if plain := strings.TrimSpace(asides.ReplaceAllString(header, " ")); plain != "" {
		header = plain
	}
	readings, marked := shortened(header)
	for i, f := range fields {
		share, best := 0.0, 0.0
		for _, r := range readings {
			if score := setScore(t, f, r.concepts); score >= doubt {
				share, best = share+r.share, max(best, score)
			}
		}
		switch {
		case share >= nearlyAll && marked:
			scores[i] = best * surely / 0.94
		case share >= few:
			scores[i] = min(best*0.78, likely)
		}
	}
	return scores
}
